"""The report as PDF: the same HTML, set on pages."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from zincsmith.model.errors import InputError

FONTS = Path(__file__).parents[1] / "ui" / "fonts"
WEIGHTS = {"Regular": 400, "Medium": 500, "Semibold": 600, "Bold": 700}


def pdf_of(html: str) -> bytes:
    """The pages of a report. Nothing is fetched but the program's own typeface."""
    from weasyprint import CSS, HTML
    from weasyprint.text.fonts import FontConfiguration

    fonts = FontConfiguration()
    style = CSS(string=_faces(), font_config=fonts, url_fetcher=_own_files)
    document: Any = HTML(string=html, url_fetcher=_own_files)
    pages: bytes = document.write_pdf(stylesheets=[style], font_config=fonts)
    return pages


def _faces() -> str:
    found = []
    for file in sorted(FONTS.glob("Lato-*.ttf")):
        weight = WEIGHTS.get(file.stem.removeprefix("Lato-"))
        if weight is not None:
            source = file.resolve().as_uri()
            found.append(f"@font-face {{ font-family: Lato; font-weight: {weight}; src: url({source}); }}")
    return "\n".join(found)


def _own_files(url: str, *_: object, **__: object) -> dict[str, Any]:
    """Files of the typeface, and nothing else: a report never reaches out."""
    for file in FONTS.glob("*.ttf"):
        if url == file.resolve().as_uri():
            return {"string": file.read_bytes(), "mime_type": "font/ttf"}
    raise InputError(f"a report fetches nothing, and {url[:80]} was asked for")
