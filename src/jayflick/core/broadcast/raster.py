"""The raster of a show, its safe areas, and where something small is placed on it.

Safe areas: EBU R 95, Safe areas for 16:9 television production: action within 3.5 % of each edge, graphics
within 5 % (the figures are given from memory).
"""

from ..framing.art_box import Box

RASTER = (1920, 1080)
RASTERS = ((1920, 1080), (1280, 720))
ACTION = 0.035
GRAPHICS = 0.05


def safe_area(raster: tuple[int, int], margin: float) -> Box:
    """What lies within a share of each edge."""
    left, top = round(raster[0] * margin), round(raster[1] * margin)
    return Box(left, top, raster[0] - 2 * left, raster[1] - 2 * top)


def raster_for(width: int, height: int) -> tuple[int, int]:
    """The raster that pictures are made for: the smaller one only if they are just as large."""
    return (width, height) if (width, height) in RASTERS else RASTER


def in_corner(raster: tuple[int, int], width: int, height: int) -> tuple[int, int]:
    """Left and top of something in the upper right corner, within the graphics safe area."""
    safe = safe_area(raster, GRAPHICS)
    return safe.left + safe.width - width, safe.top
