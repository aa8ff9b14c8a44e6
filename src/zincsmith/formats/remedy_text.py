"""A remedy as a person writes it: ``choke 10uH 20mohm 3A, capacitor 470uF 30mohm``."""

from __future__ import annotations

import re

from zincsmith.formats.entry import parse_entry
from zincsmith.model.errors import InputError

LIKE = "choke 10uH 20mohm 3A, capacitor 470uF 30mohm"
UNITS = {"choke": {"H": "henry", "ohm": "ohm", "A": "saturation_A"}, "capacitor": {"F": "farad", "ohm": "ohm"}}
NEEDS = {"choke": ("henry",), "capacitor": ("farad", "ohm")}
SAID = {"henry": "its inductance", "farad": "its capacitance", "ohm": "its series resistance"}


def parse_remedy(text: str) -> dict[str, dict[str, float]]:
    """By part what is stated of it, in H, F, ohm and A. InputError for anything else."""
    found: dict[str, dict[str, float]] = {}
    for piece in re.split(r"[,;+]\s|\band\b", text):
        words = piece.split()
        if not words:
            continue
        part = words[0].lower()
        if part not in UNITS:
            raise InputError(f"{words[0][:20]!r} is neither choke nor capacitor: {LIKE}", key="remedy")
        said = {}
        for word in words[1:]:
            word = word.replace("Ω", "ohm")
            unit = next((u for u in UNITS[part] if word.endswith(u)), "")
            if not unit:
                raise InputError(f"{word[:20]!r}: of a {part} are said {', '.join(UNITS[part])}: {LIKE}", key="remedy")
            value = parse_entry(word, unit)
            if value is None or not value > 0.0:
                raise InputError(f"{word[:20]!r} is nothing above zero", key="remedy")
            said[UNITS[part][unit]] = value
        lacking = [SAID[key] for key in NEEDS[part] if key not in said]
        if lacking:
            raise InputError(f"of the {part} {' and '.join(lacking)} is not said: {LIKE}", key="remedy")
        found[part] = said
    if not found:
        raise InputError(f"say what is added: {LIKE}", key="remedy")
    return found
