"""Signs of other scripts: a typeface of the system shows them, and where it has none that is said."""

from __future__ import annotations

import unicodedata
from functools import cache

from PySide6.QtGui import QFontDatabase

# The beginning of a sign's Unicode name -> how its script is called, and what Qt calls it.
System = QFontDatabase.WritingSystem
SCRIPTS: tuple[tuple[str, str, tuple[System, ...]], ...] = (
    ("CJK", "Chinese or Japanese", (System.SimplifiedChinese, System.TraditionalChinese, System.Japanese)),
    ("HIRAGANA", "Japanese", (System.Japanese,)),
    ("KATAKANA", "Japanese", (System.Japanese,)),
    ("HANGUL", "Korean", (System.Korean,)),
    ("CYRILLIC", "Cyrillic", (System.Cyrillic,)),
    ("ARABIC", "Arabic", (System.Arabic,)),
    ("HEBREW", "Hebrew", (System.Hebrew,)),
    ("THAI", "Thai", (System.Thai,)),
    ("DEVANAGARI", "Devanagari", (System.Devanagari,)),
)


@cache
def _families(system: System) -> int:
    return len(QFontDatabase.families(system))


def missing_words(text: str) -> str:
    """Which script no typeface of this computer has signs for, with what to do; empty where all can be shown."""
    lacking = {}
    for sign in text:
        name = unicodedata.name(sign, "")
        for begins, words, systems in SCRIPTS:
            if name.startswith(begins) and not any(_families(s) for s in systems):
                lacking[words] = sign
    return "; ".join(
        f"no typeface on this computer has {words} signs (U+{ord(sign):04X}): install one to see them"
        for words, sign in lacking.items()
    )
