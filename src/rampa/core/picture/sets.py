"""Picture sets: from one large picture, each icon of a platform; from another, its opening picture. Same input, same bytes."""

from __future__ import annotations

import io
from dataclasses import dataclass

from PIL import Image

from rampa.core.picture.remark import Remark
from rampa.core.picture.source import SourcePicture
from rampa.core.platform.rules import IconFile, OpeningPicture, Platform

WANTED = 1024
"""Pixels a side from which every icon can be made without enlarging."""


@dataclass(frozen=True, slots=True)
class MadePicture:
    """A file of a set. `sizes` are all sizes that it holds, in pixels; `depth` bits a pixel."""

    name: str
    form: str
    width: int
    height: int
    depth: int
    sizes: tuple[int, ...]
    data: bytes


def icon_set(source: SourcePicture, platform: Platform, background: str) -> list[MadePicture]:
    """Every icon of the platform, a square made of the source, padded where it is not one."""
    square = _square(source.image)
    # A ladder for each ground: transparent icons and opaque ones are made from the same halvings.
    ladders = {
        opaque: _Ladder(_on(square, background) if opaque else square) for opaque in {i.opaque for i in platform.icons}
    }
    return [_icon(rule, ladders[rule.opaque]) for rule in platform.icons]


def opening_picture(source: SourcePicture, platform: Platform, background: str) -> MadePicture:
    """The opening picture: the source's middle, as large as it goes, cut to the platform's shape."""
    rule = platform.opening
    fitted = _cover(_on(source.image, background), rule.width, rule.height).convert("RGB")
    data = _saved(fitted, rule.form)
    return MadePicture(rule.name, rule.form, rule.width, rule.height, 24, (max(rule.width, rule.height),), data)


def icon_remarks(source: SourcePicture, platform: Platform) -> list[Remark]:
    """Plainly: too small, not square, transparent where none is allowed."""
    out = []
    side = min(source.width, source.height)
    largest = max(i.size for i in platform.icons)
    if side < largest:
        out.append(_small(side, largest, platform.title))
    elif side < WANTED:
        message = f"The source has {side} px; {platform.title} needs {largest}, other platforms up to {WANTED}"
        out.append(Remark("note", "pictures.icon-small", message, f"Draw it with {WANTED} px or more."))
    if source.width != source.height:
        message = f"The source is not square ({source.width} x {source.height} px): its icons get empty bands"
        out.append(Remark("warning", "pictures.icon-not-square", message, "Draw it square."))
    if source.transparent and any(i.opaque for i in platform.icons):
        message = f"The source is transparent in places, and {platform.title} allows no transparency"
        out.append(Remark("warning", "pictures.icon-transparent", message, "It is filled with the background colour."))
    return out


def opening_remarks(source: SourcePicture, platform: Platform) -> list[Remark]:
    rule = platform.opening
    if source.width < rule.width or source.height < rule.height:
        return [_opening_small(source.width, source.height, rule, platform.title)]
    return []


def _small(side: int, largest: int, title: str) -> Remark:
    message = f"The source has only {side} px, and {title} needs icons of up to {largest} px: they would be blurred"
    return Remark("blocker", "pictures.icon-small", message, f"Draw it with {WANTED} px or more.")


def _opening_small(width: int, height: int, rule: OpeningPicture, title: str) -> Remark:
    message = f"The source has only {width} x {height} px, and {title} shows {rule.width} x {rule.height}: it would be blurred"
    return Remark(
        "blocker", "pictures.opening-small", message, f"Draw it with {rule.width} x {rule.height} px or more."
    )


class _Ladder:
    """One picture in halving sizes: a small icon is made from a rung of at least twice its size, not from the whole."""

    def __init__(self, square: Image.Image) -> None:
        self._rungs = [square]

    def sized(self, size: int) -> Image.Image:
        while self._rungs[-1].width >= 4 * size:
            half = self._rungs[-1].width // 2
            self._rungs.append(self._rungs[-1].resize((half, half), Image.Resampling.LANCZOS))
        rung = next(r for r in reversed(self._rungs) if r.width >= 2 * size or r is self._rungs[0])
        return rung.resize((size, size), Image.Resampling.LANCZOS)


def _icon(rule: IconFile, ladder: _Ladder) -> MadePicture:
    if rule.form == "ico":
        sized = [ladder.sized(s) for s in rule.holds]
        out = io.BytesIO()
        # The largest is the picture that is saved; the format hangs the smaller ones on it, each made from its own
        # rung.
        sized[-1].save(out, "ICO", sizes=[(s, s) for s in rule.holds], append_images=sized[:-1])
        return MadePicture(rule.name, "ico", rule.size, rule.size, 32, rule.holds, out.getvalue())
    made = ladder.sized(rule.size)
    # No transparency left: the channel is taken off, since a storefront looks for it and not for what is in it.
    if rule.opaque:
        made = made.convert("RGB")
    depth = 24 if rule.opaque else 32
    return MadePicture(rule.name, "png", rule.size, rule.size, depth, (rule.size,), _saved(made, "png"))


def _saved(image: Image.Image, form: str) -> bytes:
    out = io.BytesIO()
    image.save(out, form.upper())
    return out.getvalue()


def _square(image: Image.Image) -> Image.Image:
    side = max(image.size)
    if image.size == (side, side):
        return image
    out = Image.new("RGBA", (side, side), (0, 0, 0, 0))
    out.paste(image, ((side - image.width) // 2, (side - image.height) // 2))
    return out


def _on(image: Image.Image, background: str) -> Image.Image:
    return Image.alpha_composite(Image.new("RGBA", image.size, background), image)


def _cover(image: Image.Image, width: int, height: int) -> Image.Image:
    scale = max(width / image.width, height / image.height)
    # Rounding may end one pixel short of what is cut out.
    size = max(width, round(image.width * scale)), max(height, round(image.height * scale))
    large = image.resize(size, Image.Resampling.LANCZOS)
    left, top = (size[0] - width) // 2, (size[1] - height) // 2
    return large.crop((left, top, left + width, top + height))
