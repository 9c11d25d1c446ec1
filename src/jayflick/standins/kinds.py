"""The stand-ins there are, by name."""

from ..delivery.protocol import Kind
from .device import Device
from .effects import EffectPlane
from .graphics import GraphicsPage
from .post import PostHost
from .switcher import Switcher

KINDS: dict[Kind, type[Device]] = {one.kind: one for one in (Switcher, GraphicsPage, PostHost, EffectPlane)}
