"""Pictures: hostile ones are refused before they are decoded; sets have the sizes, formats and depth that platforms want."""

from __future__ import annotations

import io
import struct
import zlib

import pytest
from demo.peatlight.content import icon
from PIL import Image

from rampa.core.picture.sets import icon_remarks, icon_set, opening_picture, opening_remarks
from rampa.core.picture.source import MAX_BYTES, read_source
from rampa.core.platform.table import PLATFORMS
from tests.refusals import refuses


def png(width: int, height: int, mode: str = "RGB", colour: object = "#1f1b18") -> bytes:
    out = io.BytesIO()
    Image.new(mode, (width, height), colour).save(out, "PNG")  # type: ignore[arg-type]
    return out.getvalue()


def bomb(width: int, height: int) -> bytes:
    """A PNG of a few bytes that declares a huge size (RFC 2083, section 4.1.1)."""

    def chunk(kind: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    head = struct.pack(">IIBBBBB", width, height, 8, 6, 0, 0, 0)
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", zlib.compress(b"\0" * 64)) + chunk(b"IEND", b"")


@pytest.mark.parametrize(
    ("data", "code", "says"),
    [
        (b"", "picture.unknown", "this is no picture"),
        (b"[title]\nname = 1\n", "picture.unknown", "this is no picture"),
        (b"\x89PNG\r\n\x1a\n" + b"\0" * 40, "picture.unknown", "this is no picture"),
        (bomb(100_000, 100_000), "picture.too-large", "pixels, and at most 8192 px a side"),
        (bomb(8_000, 8_000), "picture.too-large", "it declares 8000 x 8000 pixels"),
        (bomb(2_000, 2_000), "picture.damaged", "damaged or cut off"),
        (png(1024, 1024)[:-200], "picture.damaged", "damaged or cut off"),
        (b"\0" * (MAX_BYTES + 1), "picture.too-large", "the file is 33.6 MB"),
    ],
)
def test_what_is_no_picture_or_too_large_is_refused(data: bytes, code: str, says: str) -> None:
    with refuses(code, says, where="icon.png"):
        read_source(data, "icon.png")


def test_a_large_source_keeps_its_size_in_words_and_loses_it_in_memory() -> None:
    source = read_source(png(4096, 3000))
    assert (source.width, source.height) == (4096, 3000)
    assert max(source.image.size) == 2048
    assert [r.code for r in icon_remarks(source, PLATFORMS["linux"])] == ["pictures.icon-not-square"]


@pytest.mark.slow
def test_every_platform_gets_its_icons() -> None:
    source = read_source(as_png(icon()))
    for platform in PLATFORMS.values():
        made = icon_set(source, platform, "#1f1b18")
        assert [m.name for m in made] == [i.name for i in platform.icons]
        for rule, file in zip(platform.icons, made, strict=True):
            image = Image.open(io.BytesIO(file.data))
            assert image.size == (rule.size, rule.size)
            assert image.mode == ("RGB" if rule.opaque else "RGBA")
        assert made == icon_set(source, platform, "#1f1b18")


def test_a_windows_icon_holds_several_sizes() -> None:
    (made,) = icon_set(read_source(as_png(icon())), PLATFORMS["windows"], "#000000")
    count = struct.unpack("<HHH", made.data[:6])
    assert count == (0, 1, len(made.sizes))
    image = Image.open(io.BytesIO(made.data))
    assert image.info["sizes"] == {(s, s) for s in (16, 20, 24, 32, 40, 48, 64, 128, 256)}


def test_the_windows_opening_picture_is_a_24_bit_bmp() -> None:
    made = opening_picture(read_source(png(1920, 1080)), PLATFORMS["windows"], "#000000")
    assert made.data[:2] == b"BM"
    width, height, _, depth = struct.unpack("<iiHH", made.data[18:30])
    assert (width, height, depth) == (800, 450, 24)


def test_transparency_is_filled_with_the_background() -> None:
    clear = read_source(png(1024, 1024, "RGBA", (0, 0, 0, 0)))
    (small, *_) = icon_set(clear, PLATFORMS["ios"], "#8f5706")
    assert Image.open(io.BytesIO(small.data)).getpixel((3, 3)) == (0x8F, 0x57, 0x06)


@pytest.mark.parametrize(
    ("data", "platform", "codes"),
    [
        (png(1024, 1024), "ios", []),
        (png(300, 300), "ios", [("blocker", "pictures.icon-small")]),
        (png(600, 600), "linux", [("note", "pictures.icon-small")]),
        (png(1024, 1200), "linux", [("warning", "pictures.icon-not-square")]),
        (png(1024, 1024, "RGBA", (9, 9, 9, 40)), "headset", [("warning", "pictures.icon-transparent")]),
        (png(1024, 1024, "RGBA", (9, 9, 9, 40)), "linux", []),
    ],
)
def test_what_is_wrong_with_a_source_is_said(data: bytes, platform: str, codes: list[tuple[str, str]]) -> None:
    found = icon_remarks(read_source(data), PLATFORMS[platform])
    assert [(r.severity, r.code) for r in found] == codes


def test_a_small_opening_picture_is_said() -> None:
    assert [r.code for r in opening_remarks(read_source(png(640, 360)), PLATFORMS["linux"])] == [
        "pictures.opening-small"
    ]


def as_png(image: Image.Image) -> bytes:
    out = io.BytesIO()
    image.save(out, "PNG")
    return out.getvalue()
