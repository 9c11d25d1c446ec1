"""Cropping and scaling one frame."""

import numpy as np
from numpy.typing import NDArray

from ..errors import InputError
from ..recipe import Cropping, Size
from .resample import Filter, resample
from .size import Placement, place


def placement(framing: Cropping, size: Size, width: int, height: int) -> Placement:
    """Where a source of ``width`` × ``height`` ends up; ``InputError`` when the crop is not inside it."""
    crop = framing.crop_of(width, height)
    if crop is None:
        return place(size, width, height)
    left, top, across, down = crop
    if left + across > width or top + down > height:
        raise InputError(
            f"the crop {left},{top},{across},{down} reaches outside the {width} × {height} frames",
            remedy="keep left + width and top + height inside the frame",
        )
    return place(size, across, down)


def frame_picture(picture: NDArray[np.uint8], framing: Cropping, size: Size, by: Filter) -> NDArray[np.uint8]:
    """The cropped, scaled picture on its canvas, straight RGBA, shape (height, width, 4).

    What the picture does not cover is transparent.
    """
    height, width = picture.shape[:2]
    where = placement(framing, size, width, height)
    crop = framing.crop_of(width, height)
    if crop is not None:
        left, top, across, down = crop
        picture = picture[top : top + down, left : left + across]
    picture = resample(picture, *where.picture, by)
    if where.canvas == where.picture and (where.left, where.top) == (0, 0):
        return picture
    canvas = np.zeros((where.canvas[1], where.canvas[0], 4), np.uint8)
    # What of the canvas the picture lies on; nothing, where it lies outside.
    left, top = max(where.left, 0), max(where.top, 0)
    right = min(where.left + where.picture[0], where.canvas[0])
    bottom = min(where.top + where.picture[1], where.canvas[1])
    if left < right and top < bottom:
        canvas[top:bottom, left:right] = picture[
            top - where.top : bottom - where.top, left - where.left : right - where.left
        ]
    return canvas
