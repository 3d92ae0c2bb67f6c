"""Reading a picture that a person gave. It is hostile until checked: its declared size is judged before a pixel is decoded."""

from __future__ import annotations

import io
import struct
import warnings
import zlib
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass

from PIL import Image

from rampa.core.errors import Invalid

MAX_BYTES = 32 * 1024 * 1024
MAX_SIDE = 8192
MAX_PIXELS = 17_000_000
"""4096 px square and a little; 4 bytes each when decoded: 70 MB at most."""
WORKING = 2048
"""Pixels a side that sets are made from: twice the largest icon, more than any opening picture."""
FORMS = ("PNG", "JPEG", "WEBP", "BMP", "TIFF", "GIF")


@dataclass(frozen=True)
class SourcePicture:
    """A decoded picture: `image` is RGBA, at most WORKING px a side; `width` and `height` are the picture's own.

    `transparent`: some pixel lets the background through.
    """

    image: Image.Image
    form: str
    transparent: bool
    width: int
    height: int


def read_source(data: bytes, where: str = "") -> SourcePicture:
    """Raises `Invalid` when it is no picture, is damaged, or is too large."""
    with opened(data, where) as image, decoding(where):
        form = (image.format or "").lower()
        decoded = image.convert("RGBA")
    lowest, _ = decoded.getchannel("A").getextrema()
    width, height = decoded.size
    decoded.thumbnail((WORKING, WORKING), Image.Resampling.LANCZOS, reducing_gap=3.0)
    return SourcePicture(decoded, form, int(lowest) < 255, width, height)  # type: ignore[arg-type]


@contextmanager
def decoding(where: str) -> Iterator[None]:
    """What Pillow says of damaged data becomes `Invalid`."""
    try:
        yield
    except (OSError, ValueError, SyntaxError, zlib.error, struct.error, Image.DecompressionBombError) as error:
        hint = "Save it again from the program that made it."
        raise Invalid("picture.damaged", "the picture is damaged or cut off", where=where, hint=hint) from error


def opened(data: bytes, where: str, side: int = MAX_SIDE, pixels: int = MAX_PIXELS) -> Image.Image:
    """Not decoded yet: `side` and `pixels` are judged by what it declares. Raises `Invalid`."""
    if len(data) > MAX_BYTES:
        size = f"the file is {len(data) / 1e6:.1f} MB, and at most {MAX_BYTES / 1e6:.1f} MB are read"
        raise Invalid("picture.too-large", size, where=where, hint="A PNG of 1024 to 4096 px is enough.")
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore", Image.DecompressionBombWarning)
            image = Image.open(io.BytesIO(data), formats=FORMS)
    except Image.DecompressionBombError as error:
        raise _huge("it declares hundreds of millions of pixels", where) from error
    except (OSError, ValueError, SyntaxError, struct.error, zlib.error) as error:
        kinds = ", ".join(FORMS)
        raise Invalid(
            "picture.unknown", "this is no picture", where=where, hint=f"It must be one of: {kinds}."
        ) from error
    if max(image.size) > side or image.width * image.height > pixels:
        raise _huge(f"it declares {image.width} x {image.height} pixels", where, side, pixels)
    return image


def _huge(what: str, where: str, side: int = MAX_SIDE, pixels: int = MAX_PIXELS) -> Invalid:
    limit = f"at most {side} px a side and {pixels / 1e6:.0f} million pixels are read"
    return Invalid(
        "picture.too-large", f"{what}, and {limit}", where=where, hint="Make it smaller; 2048 px are plenty."
    )
