"""The report as PDF: the same HTML, set on pages."""

from __future__ import annotations

import logging
from pathlib import Path
from typing import Any

from zincsmith.model.errors import InputError

FONTS = Path(__file__).parents[1] / "ui" / "fonts"
WEIGHTS = {"Regular": 400, "Medium": 500, "Semibold": 600, "Bold": 700}


def pdf_of(html: str) -> bytes:
    """The pages of a report. Nothing is fetched but the program's own typeface; what a text asks for besides is left
    out."""
    logging.getLogger("weasyprint").setLevel(logging.CRITICAL)  # it tells of every rule that is meant for a screen
    from weasyprint import CSS, HTML
    from weasyprint.text.fonts import FontConfiguration

    fonts, fetcher = FontConfiguration(), _fetcher()
    style = CSS(string=_faces(), font_config=fonts, url_fetcher=fetcher)
    document: Any = HTML(string=html, url_fetcher=fetcher)
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


def _fetcher() -> Any:
    """Gives out files of the typeface and refuses everything else: a report never reaches out."""
    from weasyprint.urls import URLFetcher, URLFetcherResponse

    class OwnFiles(URLFetcher):  # type: ignore[misc]
        def fetch(self, url: str, headers: object = None) -> Any:  # noqa: ARG002 - the library's
            return URLFetcherResponse(url, own_file(url), {"Content-Type": "font/ttf"})

    return OwnFiles()


def own_file(url: str) -> bytes:
    """A file of the typeface. InputError for anything else."""
    for file in FONTS.glob("*.ttf"):
        if url == file.resolve().as_uri():
            return file.read_bytes()
    raise InputError(f"a report fetches nothing, and {url[:80]} was asked for")
