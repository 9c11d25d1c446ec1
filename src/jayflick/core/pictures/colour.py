"""Bringing colours of other spaces to sRGB."""

from io import BytesIO

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageCms


def profile_name(profile: bytes | None) -> str | None:
    """What an embedded ICC profile calls itself; ``None`` for none, for sRGB itself and for a broken one."""
    if not profile:
        return None
    try:
        opened = ImageCms.ImageCmsProfile(BytesIO(profile))
        name = ImageCms.getProfileDescription(opened).strip()
    except (ImageCms.PyCMSError, OSError, ValueError):
        return None
    return None if "srgb" in name.lower() else (name or "unnamed")[:60]


def to_rgba(image: Image.Image, profile: bytes | None) -> NDArray[np.uint8]:
    """A decoded Pillow image of any mode as straight RGBA in sRGB, shape (height, width, 4).

    Converted with relative colorimetric intent by the embedded ``profile`` if it fits the picture's mode
    (ICC.1, section 6); a profile that is broken or does not fit is passed over, as viewers do.
    """
    if image.mode in ("I;16", "I;16B", "I;16L", "I"):
        grey = np.asarray(image).astype(np.uint32)
        levels = ((np.minimum(grey, 65535) * 255 + 32767) // 65535).astype(np.uint8)
        image = Image.fromarray(levels)
    if profile_name(profile) is None or profile is None:
        return np.array(image if image.mode == "RGBA" else image.convert("RGBA"))
    alpha = None
    if image.mode in ("P", "PA", "RGBA", "LA", "RGBa", "La") or "transparency" in image.info:
        image = image.convert("RGBA")
        alpha = image.getchannel("A")
        image = image.convert("RGB")
    if image.mode not in ("RGB", "CMYK", "L", "LAB"):
        image = image.convert("RGB")
    try:
        source = ImageCms.ImageCmsProfile(BytesIO(profile))
        made = ImageCms.profileToProfile(
            image,
            source,
            ImageCms.createProfile("sRGB"),
            renderingIntent=ImageCms.Intent.RELATIVE_COLORIMETRIC,
            outputMode="RGB",
        )
    except (ImageCms.PyCMSError, OSError, ValueError):
        made = None
    result = np.array((made or image).convert("RGBA"))
    if alpha is not None:
        result[:, :, 3] = np.asarray(alpha)
    return result
