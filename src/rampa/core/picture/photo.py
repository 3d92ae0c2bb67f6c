"""A photograph or a picture of a screen that a person sends: smaller, upright, and without what else stood in its file.

Where it was taken, with what, and by whom stands in such files (Exif 2.32, XMP, IPTC): the pixels alone are written anew.
"""

from __future__ import annotations

import io
import warnings
from dataclasses import dataclass

from PIL import Image

from rampa.core.picture.source import decoding, opened

SIDE = 1600
"""Pixels a side at most, of what is kept."""
MOST_SIDE, MOST_PIXELS = 16_384, 64_000_000
"""Of what is sent: what telephones make."""
QUALITY = 82


ORIENTATION = 0x0112
TURNS = {
    2: Image.Transpose.FLIP_LEFT_RIGHT,
    3: Image.Transpose.ROTATE_180,
    4: Image.Transpose.FLIP_TOP_BOTTOM,
    5: Image.Transpose.TRANSPOSE,
    6: Image.Transpose.ROTATE_270,
    7: Image.Transpose.TRANSVERSE,
    8: Image.Transpose.ROTATE_90,
}
"""By the orientation that is said (Exif 2.32, tag 274); 1 is upright."""


@dataclass(frozen=True)
class Photo:
    """A JPEG (ISO/IEC 10918-1); `width` and `height` in pixels."""

    data: bytes
    width: int
    height: int


def make_photo(data: bytes) -> Photo:
    """Raises `Invalid` when it is no picture, is damaged, or is too large. For a process apart (rampa.core.apart)."""
    with opened(data, "", MOST_SIDE, MOST_PIXELS) as image, decoding(""):
        # A JPEG is decoded at a half, a quarter or an eighth: the rest of its pixels is never there.
        image.draft("RGB", (SIDE, SIDE))
        turn = TURNS.get(_orientation(image))
        upright = image.transpose(turn) if turn is not None else image
        upright.thumbnail((SIDE, SIDE), Image.Resampling.LANCZOS, reducing_gap=3.0)
        plain = Image.new("RGB", upright.size, "#ffffff")
        kept = upright.convert("RGBA")
        plain.paste(kept, mask=kept.getchannel("A"))
    out = io.BytesIO()
    plain.save(out, "JPEG", quality=QUALITY, optimize=True)
    return Photo(out.getvalue(), *plain.size)


def _orientation(image: Image.Image) -> int:
    """1 where none can be read: of what else stands there nothing is looked at, and nothing is written again."""
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        try:
            said = image.getexif().get(ORIENTATION, 1)
        except Exception:
            # Pillow's reader of Exif stumbles in many ways over what is damaged; the picture may be whole.
            return 1
    return said if isinstance(said, int) else 1
