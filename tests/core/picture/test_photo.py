"""Pictures that testers send: smaller, upright, and with nothing but pixels in them; whatever else comes is refused."""

from __future__ import annotations

import io
import struct
import zlib

import pytest
from PIL import Image

from rampa.core.picture.photo import SIDE, make_photo
from tests.refusals import refuses


def encoded(image: Image.Image, form: str, **more: object) -> bytes:
    out = io.BytesIO()
    image.save(out, form, **more)
    return out.getvalue()


def test_where_it_was_taken_is_gone_and_it_stands_upright() -> None:
    image = Image.new("RGB", (3000, 2000), "#803000")
    exif = Image.Exif()
    exif[0x0112] = 6  # turned by a quarter
    exif[0x010F] = "Lantern Optics"
    exif.get_ifd(0x8825)[2] = (61.0, 29.0, 59.0)
    sent = encoded(image, "JPEG", exif=exif, comment=b"Kaisa took it")
    assert b"Lantern Optics" in sent
    photo = make_photo(sent)
    kept = Image.open(io.BytesIO(photo.data))
    assert (kept.format, kept.size, (photo.width, photo.height)) == ("JPEG", (1067, SIDE), (1067, SIDE))
    assert not kept.getexif()
    assert b"Lantern" not in photo.data
    assert b"Kaisa" not in photo.data


@pytest.mark.parametrize("form", ["PNG", "WEBP", "GIF", "BMP", "TIFF"])
def test_other_forms_become_the_same_and_small_ones_stay_as_large(form: str) -> None:
    photo = make_photo(encoded(Image.new("RGB", (40, 30), "#123456"), form))
    assert (photo.width, photo.height) == (40, 30)
    assert Image.open(io.BytesIO(photo.data)).format == "JPEG"


def test_transparent_is_white() -> None:
    photo = make_photo(encoded(Image.new("RGBA", (8, 8), (0, 0, 0, 0)), "PNG"))
    assert Image.open(io.BytesIO(photo.data)).getpixel((4, 4)) == (255, 255, 255)


@pytest.mark.parametrize(
    "tail", [b"", b"\x00" * 7, bytes(range(64)), b"\x00\x01\x01\x12\x00\x02\xff\xff\xff\xff\x00\x00\x00\x1a"]
)
def test_what_is_damaged_beside_the_pixels_does_not_matter(tail: bytes) -> None:
    sent = encoded(Image.new("RGB", (40, 30), "#123456"), "JPEG", exif=b"Exif\x00\x00MM\x00*\x00\x00\x00\x08" + tail)
    photo = make_photo(sent)
    assert (photo.width, photo.height) == (40, 30)


def bomb(side: int) -> bytes:
    """A PNG that declares a huge square and holds almost nothing."""

    def chunk(kind: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    head = struct.pack(">IIBBBBB", side, side, 8, 6, 0, 0, 0)
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", zlib.compress(bytes(100))) + chunk(b"IEND", b"")


def test_a_bomb_and_what_is_no_picture() -> None:
    for side in (9_000, 20_000, 60_000):
        with refuses("picture.too-large", "pixels"):
            make_photo(bomb(side))
    with refuses("picture.unknown"):
        make_photo(b"<svg onload=alert(1)>")
    with refuses("picture.damaged"):
        make_photo(encoded(Image.effect_noise((400, 400), 50), "JPEG")[:900])
