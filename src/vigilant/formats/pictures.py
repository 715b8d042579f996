"""Stills as they come: PNG, JPEG or WebP, read into pixels by Pillow."""

from __future__ import annotations

import io
import warnings

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageFile, UnidentifiedImageError

from . import limits
from .errors import FormatError

#: What is taken, by what it says of itself inside; its media type.
KINDS = {"PNG": "image/png", "JPEG": "image/jpeg", "WEBP": "image/webp"}


def looked_at(body: bytes, name: str = "") -> tuple[str, int, int]:
    """Media type, width and height of a picture that can be read whole. Raises :class:`FormatError`."""
    with _opened(body, name) as picture:
        kind, (width, height) = KINDS[str(picture.format)], picture.size
        _read(picture, name)
    return kind, width, height


def pixels(body: bytes, name: str = "") -> NDArray[np.uint8]:
    """(height, width, 3), what shines through laid on black. Raises :class:`FormatError`."""
    with _opened(body, name) as picture:
        return _read(picture, name)


def _opened(body: bytes, name: str) -> Image.Image:
    if len(body) > limits.STILL_BYTES:
        raise FormatError("still-too-large", f"{len(body)} bytes; {limits.STILL_BYTES} are allowed", name)
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore", Image.DecompressionBombWarning)  # the size is looked at here
            picture = Image.open(io.BytesIO(body), formats=list(KINDS))
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError, Image.DecompressionBombError) as error:
        raise FormatError("still-unreadable", "no PNG, JPEG or WebP that can be read", name) from error
    width, height = picture.size
    if width * height > limits.STILL_PIXELS:
        raise FormatError("still-too-large", f"{width} x {height} pixels; {limits.STILL_PIXELS} are allowed", name)
    if getattr(picture, "n_frames", 1) > 1:
        raise FormatError("still-moves", f"it holds {getattr(picture, 'n_frames', 1)} pictures; one is wanted", name)
    return picture


def _read(picture: Image.Image, name: str) -> NDArray[np.uint8]:
    # Other libraries let the whole process take half of a picture for a whole one.
    ImageFile.LOAD_TRUNCATED_IMAGES = False
    try:
        if picture.mode in ("I", "F") or picture.mode.startswith("I;16"):
            deep = np.asarray(picture, np.float64) / 257.0
            return np.repeat(np.clip(np.round(deep), 0, 255).astype(np.uint8)[:, :, None], 3, axis=2)
        if "A" in picture.getbands() or "transparency" in picture.info:
            seen = picture.convert("RGBA")
            return np.asarray(Image.alpha_composite(Image.new("RGBA", seen.size, (0, 0, 0, 255)), seen))[:, :, :3]
        return np.asarray(picture.convert("RGB"))
    except (OSError, ValueError, SyntaxError, Image.DecompressionBombError) as error:
        raise FormatError("still-unreadable", f"it cannot be read whole: {error}"[:200], name) from error
