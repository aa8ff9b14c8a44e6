"""The decimal mark of the person's own locale, on screen only: files and reports keep the point; what is typed may have
either."""

from __future__ import annotations

import re

POINT = "."
# A number that stands by itself: no address, version, date or name of a file.
_NUMBER = re.compile(r"(?<![\w.])([-−+±]?\d+)\.(\d+)(?![\w]*\.\w)(?=$|[^\w.]|\.(?:\s|$)|[a-zA-ZµΩ°]{1,3}\b)")
_mark = POINT


def use_mark(mark: str) -> None:
    """That of a locale; whatever is neither point nor comma is left alone."""
    global _mark  # the one place that holds which mark is in force
    _mark = mark if mark == "," else POINT


def on_screen(text: str) -> str:
    """A text as it is shown to this person."""
    return text if _mark == POINT or POINT not in text else _NUMBER.sub(rf"\1{_mark}\2", text)
