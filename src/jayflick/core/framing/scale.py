"""Cropping and scaling one frame."""

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from ..errors import InputError
from ..recipe import Framing, Size
from .size import Placement, place


def placement(framing: Framing, size: Size, width: int, height: int) -> Placement:
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


def frame_picture(picture: NDArray[np.uint8], framing: Framing, size: Size) -> NDArray[np.uint8]:
    """The cropped, scaled picture on its canvas, straight RGBA, shape (height, width, 4).

    Scaled by a Lanczos filter of three lobes over premultiplied colour, so that the colours hidden under
    transparent pixels never bleed into an edge. What the picture does not cover is transparent.
    """
    height, width = picture.shape[:2]
    where = placement(framing, size, width, height)
    crop = framing.crop_of(width, height)
    if crop is not None:
        left, top, across, down = crop
        picture = picture[top : top + down, left : left + across]
    if where.picture != (picture.shape[1], picture.shape[0]):
        opaque = bool((picture[:, :, 3] == 255).all())
        if opaque:
            flat = Image.fromarray(np.ascontiguousarray(picture[:, :, :3]))
            scaled = flat.resize(where.picture, Image.Resampling.LANCZOS).convert("RGBA")
        else:  # Pillow premultiplies RGBA for the filter by itself
            scaled = Image.fromarray(np.ascontiguousarray(picture)).resize(
                where.picture, Image.Resampling.LANCZOS
            )
        picture = np.array(scaled)
    if where.canvas == where.picture:
        return np.ascontiguousarray(picture)
    canvas = np.zeros((where.canvas[1], where.canvas[0], 4), np.uint8)
    left, top = max(where.left, 0), max(where.top, 0)
    from_left, from_top = max(-where.left, 0), max(-where.top, 0)
    part = picture[from_top : from_top + canvas.shape[0], from_left : from_left + canvas.shape[1]]
    canvas[top : top + part.shape[0], left : left + part.shape[1]] = part
    return canvas
