"""An address as a picture that a phone reads: a QR code (ISO/IEC 18004), as SVG."""

from __future__ import annotations

import io

import segno


def picture_of(address: str) -> str:
    """As large as its place. Dark on white on every scheme: phones read no other."""
    picture = io.BytesIO()
    segno.make(address, error="m").save(
        picture, kind="svg", scale=4, border=2, light="#fff", xmldecl=False, omitsize=True
    )
    return picture.getvalue().decode()
