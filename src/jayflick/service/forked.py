"""Importing this loads all that workers, readers and stand-ins need, and their compiled loops.

Done once, in the process that they are forked from.
"""

import gc
from importlib import import_module

from setproctitle import setproctitle

from ..core.warm import compiled_before, warm
from .processes import forks_from_here

gc.disable()  # while what stays is loaded
setproctitle("jayflick forks")
forks_from_here()
for _part in (".worker", "..core.sequence.pieces", "..standins.serve", "av", "tifffile"):
    import_module(_part, __package__)
if compiled_before():  # else they are compiled by a worker, while others begin
    warm()
gc.collect()
gc.freeze()  # what is shared stays shared
gc.enable()
