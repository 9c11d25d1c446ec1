"""Soft edges drawn in by parts of a pixel, so that a rim that is left along them goes."""

import cv2
import numpy as np
from numpy.typing import NDArray


def choked(picture: NDArray[np.uint8], by: float) -> NDArray[np.uint8]:
    """A picture, straight RGBA, shape (height, width, 4), with its alpha drawn in by so many pixels.

    Each whole pixel is an erosion by a disc's nearest neighbours (Haralick and others, Image Analysis Using
    Mathematical Morphology, 1987); a part of one is as much of the next. What lies outside the canvas counts as
    more of the same, so that art that is cut off there stays. Colours stay, but for what becomes clear.
    """
    alpha = picture[:, :, 3]
    if by <= 0 or (alpha == 255).all():
        return picture
    whole, part = int(by), by - int(by)
    cross = cv2.getStructuringElement(cv2.MORPH_CROSS, (3, 3))
    square = cv2.getStructuringElement(cv2.MORPH_RECT, (3, 3))
    drawn = alpha
    for step in range(whole):  # in turn, which comes nearest to a disc
        drawn = _eroded(drawn, square if step % 2 else cross)
    if part:
        further = _eroded(drawn, square if whole % 2 else cross).astype(np.float32)
        drawn = np.rint(drawn * (1 - part) + further * part).astype(np.uint8)
    out = picture.copy()
    out[:, :, 3] = drawn
    out[drawn == 0] = 0
    return out


def _eroded(alpha: NDArray[np.uint8], element: NDArray[np.uint8]) -> NDArray[np.uint8]:
    least: NDArray[np.uint8] = cv2.erode(alpha, element, borderType=cv2.BORDER_REPLICATE)
    return least
