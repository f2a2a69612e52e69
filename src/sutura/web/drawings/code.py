"""A QR code as SVG, for tickets. Made by segno; error correction M."""

from __future__ import annotations

import io

import segno
from markupsafe import Markup


def draw_qr(text: str) -> Markup:
    out = io.BytesIO()
    segno.make(text, error="m", micro=False).save(
        out,
        kind="svg",
        scale=1,
        border=2,
        xmldecl=False,
        svgns=True,
        svgclass="qr",
        lineclass=None,
        omitsize=True,
        title=f"QR code {text}",
    )
    return Markup(out.getvalue().decode())
