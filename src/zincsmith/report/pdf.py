"""The report as PDF, and pictures as PNG: what the typesetter makes of them.

PDF/A-3 with tags: it can be kept, read aloud, and carries the figures as JSON. Nothing is fetched; only the program's
own typeface is read, and those of the system where a text has letters that it has not.
"""

from __future__ import annotations

import tempfile
from collections.abc import Sequence
from functools import cache
from pathlib import Path
from typing import TYPE_CHECKING, Any

from zincsmith.report.typeset import Typeset, quoted

if TYPE_CHECKING:
    from typst import Fonts

FONTS = Path(__file__).parents[1] / "ui" / "fonts"
ARCHIVED = "a-3a"
PX_AN_INCH = 96.0  # of a picture as SVG


def pdf_of(html: str, attached: Sequence[tuple[str, str, str]] = ()) -> bytes:
    """The pages of a report; ``attached``: (name, JSON, what it is). Letters that no typeface of this computer has
    leave a gap, and then it is a plain PDF, as none for keeping may have gaps."""
    from typst import TypstError

    source = Typeset(html).source(attached)
    for system in (False, True):
        try:
            return bytes(_set(source, system, pdf_standards=[ARCHIVED]))
        except TypstError:
            continue
    return bytes(_set(source, True))


def pages_of(html: str, dots: float) -> list[bytes]:
    """The same pages as pictures, ``dots`` an inch, for paper."""
    made = _set(Typeset(html).source(), True, format="png", ppi=dots)
    return list(made) if isinstance(made, list) else [made]


def png_of(svg: str, width_px: float) -> bytes:
    """A picture as so many px across, on white."""
    source = (
        f"#set page(width: {width_px * 72.0 / PX_AN_INCH:g}pt, height: auto, margin: 0pt, fill: white)\n"
        f'#image(bytes({quoted(svg)}), format: "svg", width: 100%)'
    )
    return bytes(_set(source, False, format="png", ppi=PX_AN_INCH))


def _set(source: str, system: bool, **how: Any) -> Any:
    """Where there is nothing to read beside it. Of several pages as pictures a list."""
    import typst

    with tempfile.TemporaryDirectory() as nothing:
        return typst.compile(source.encode(), root=nothing, font_paths=_fonts(system), **how)


@cache
def _fonts(system: bool) -> Fonts:
    import typst

    return typst.Fonts(include_system_fonts=system, include_embedded_fonts=True, font_paths=[str(FONTS)])
