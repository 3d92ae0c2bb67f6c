"""Pictures cut and made smaller to sizes that storefronts ask for."""

from __future__ import annotations

import io

import pytest
from PIL import Image

from rampa.core.picture.fit import fit
from rampa.core.picture.shape import make_icon, make_shaped, measure
from tests.refusals import refuses


def picture(width: int, height: int, form: str = "PNG", mode: str = "RGB") -> bytes:
    """Red at the left, blue at the right, green between."""
    image = Image.new(mode, (width, height), "green")
    image.paste("red", (0, 0, width // 8, height))
    image.paste("blue", (width - width // 8, 0, width, height))
    out = io.BytesIO()
    image.save(out, form)
    return out.getvalue()


def opened(data: bytes) -> Image.Image:
    return Image.open(io.BytesIO(data))


@pytest.mark.parametrize("form", ["PNG", "JPEG", "WEBP"])
def test_the_middle_is_kept_exactly_so_large(form: str) -> None:
    made = make_shaped(picture(1600, 800, form), 400, 400)
    image = opened(made).convert("RGB")
    assert (image.size, opened(made).format) == ((400, 400), "JPEG")
    corners = {image.getpixel(at) for at in ((2, 2), (397, 397), (200, 200))}
    assert all(g > 90 and r < 60 and b < 60 for r, g, b in corners)  # type: ignore[misc]
    assert made == make_shaped(picture(1600, 800, form), 400, 400)


def test_an_icon_keeps_its_transparency() -> None:
    clear = io.BytesIO()
    Image.new("RGBA", (900, 900), (0, 0, 0, 0)).save(clear, "PNG")
    made = opened(make_icon(clear.getvalue(), 512))
    assert (made.size, made.mode, made.getpixel((5, 5))) == ((512, 512), "RGBA", (0, 0, 0, 0))


def test_what_a_size_takes() -> None:
    assert (fit((1600, 800), (400, 400)).cut, fit((1600, 800), (400, 400)).enlarged) == (0.5, 1.0)
    assert fit((300, 300), (600, 600)).enlarged == 2.0
    assert fit((800, 500), (1600, 1000)).cut == 0


def test_a_file_is_measured_whole() -> None:
    made = measure(picture(64, 48))
    assert (made.form, made.width, made.height, made.transparent, len(made.digest)) == ("png", 64, 48, False, 64)
    with refuses("picture.damaged"):
        measure(picture(64, 48)[:-40])
    with refuses("picture.unknown"):
        measure(b"<svg/>")
