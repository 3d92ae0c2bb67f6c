"""A picture cut and made smaller to a size that somebody asks for. Same input, same bytes."""

from __future__ import annotations

import hashlib
import io
from dataclasses import dataclass

from PIL import Image

from rampa.core.picture.source import decoding, opened, read_source

QUALITY = 90


@dataclass(frozen=True, slots=True)
class Measured:
    """A picture's file as it is: SHA-256 in hex, `form` as png or jpeg, sides in pixels."""

    digest: str
    form: str
    width: int
    height: int
    transparent: bool


def measure(data: bytes) -> Measured:
    """Decodes all of it. Raises `Invalid` when it is no picture, is damaged or too large. For a process apart."""
    source = read_source(data)
    return Measured(hashlib.sha256(data).hexdigest(), source.form, source.width, source.height, source.transparent)


def make_shaped(data: bytes, width: int, height: int, background: str = "#ffffff") -> bytes:
    """The source's middle, exactly so large; a JPEG, without what else stood in its file. For a process apart."""
    with opened(data, "") as image, decoding(""):
        # A JPEG that is far larger is decoded at a half or a quarter: the rest of its pixels is never there.
        image.draft("RGB", (width * 2, height * 2))
        ratio = width / height
        box = _middle(image.size, ratio)
        kept = image.convert("RGBA").resize((width, height), Image.Resampling.LANCZOS, box=box, reducing_gap=3.0)
    plain = Image.new("RGB", (width, height), background)
    plain.paste(kept, mask=kept.getchannel("A"))
    out = io.BytesIO()
    plain.save(out, "JPEG", quality=QUALITY, optimize=True)
    return out.getvalue()


def make_icon(data: bytes, side: int) -> bytes:
    """A square PNG of the source's middle."""
    with opened(data, "") as image, decoding(""):
        kept = image.convert("RGBA").resize(
            (side, side), Image.Resampling.LANCZOS, box=_middle(image.size, 1.0), reducing_gap=3.0
        )
    out = io.BytesIO()
    kept.save(out, "PNG")
    return out.getvalue()


def _middle(size: tuple[int, int], ratio: float) -> tuple[float, float, float, float]:
    """The largest part of that shape around the middle."""
    width, height = size
    if width / height > ratio:
        across = height * ratio
        return (width - across) / 2, 0, (width + across) / 2, height
    down = width / ratio
    return 0, (height - down) / 2, width, (height + down) / 2
