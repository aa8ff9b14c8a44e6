"""Text from outside, made harmless to show: a terminal, a label or a table never obeys what somebody typed."""

from __future__ import annotations

import re

LONGEST_SHOWN = 500  # characters: a name of a megabyte is a mistake or an attack
# Characters that steer instead of showing: controls, line separators, marks that turn the direction, surrogates.
_STEERING = re.compile(
    "[\x00-\x08\x0b-\x1f\x7f-\x9f\u061c\u200b\u200e\u200f\u2028\u2029\u202a-\u202e\u2060-\u2069\ufeff\ud800-\udfff]"
)
# What a spreadsheet takes for the beginning of a formula.
_FORMULA = ("=", "+", "-", "@", "\t", "\r")


def shown(text: str, longest: int = LONGEST_SHOWN) -> str:
    """The text with what steers written out (``\\x1b``, ``\\u202e``), cut to ``longest`` with its length told."""
    if len(text) > longest:
        text = f"{text[:longest]}… ({len(text)} characters)"
    return _STEERING.sub(_written_out, text)


def storable(text: str) -> str:
    """The text as it can be kept: half surrogates, which no file can hold, are written out."""
    return re.sub("[\ud800-\udfff]", _written_out, text)


def cell(text: str) -> str:
    """The text for a cell of a table that a spreadsheet may open: what reads as a number stays one, what would run as a
    formula is quoted."""
    text = _STEERING.sub(_written_out, text)
    if not text.startswith(_FORMULA) or _is_number(text):
        return text
    return f"'{text}"


def _is_number(text: str) -> bool:
    try:
        float(text)
    except ValueError:
        return False
    return "_" not in text


def _written_out(found: re.Match[str]) -> str:
    code = ord(found.group())
    return f"\\x{code:02x}" if code < 0x100 else f"\\u{code:04x}"
