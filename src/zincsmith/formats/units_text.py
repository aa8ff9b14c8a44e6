"""Units as they stand in the head of a column: ``voltage_mV``, ``Voltage (mV)``, ``CH1 [V]``, ``t / ms``."""

from __future__ import annotations

import re

PREFIXES = {"p": 1e-12, "n": 1e-9, "u": 1e-6, "µ": 1e-6, "μ": 1e-6, "m": 1e-3, "": 1.0, "k": 1e3, "M": 1e6, "G": 1e9}
BASES = ("V", "A", "W", "s", "Hz", "VA", "ohm", "Ω", "degC", "°C", "Wh")
OTHERS = {
    "%": ("percent", 1.0),
    "percent": ("percent", 1.0),
    "min": ("s", 60.0),
    "h": ("s", 3600.0),
    "sec": ("s", 1.0),
    "seconds": ("s", 1.0),
    "volt": ("V", 1.0),
    "volts": ("V", 1.0),
    "amp": ("A", 1.0),
    "amps": ("A", 1.0),
    "ampere": ("A", 1.0),
    "amperes": ("A", 1.0),
    "watt": ("W", 1.0),
    "watts": ("W", 1.0),
    "1": ("", 1.0),
}
_IN_BRACKETS = re.compile(r"^(?P<name>.*?)\s*[(\[]\s*(?P<unit>[^()\[\]]*?)\s*[)\]]$")
_AFTER = re.compile(r"^(?P<name>.+?)\s*(?:_|/|,)\s*(?P<unit>[^\s_/,]+)$|^(?P<name2>.+?)\s+(?P<unit2>\S+)$")


def unit_of(text: str) -> tuple[str, float] | None:
    """(base unit, factor to it) of a unit as it is written; None for anything else. Case counts: mV is not MV."""
    word = text.strip().strip("()[]").strip()
    if word in OTHERS:
        return OTHERS[word]
    if word.lower() in OTHERS and len(word) > 2:
        return OTHERS[word.lower()]
    for base in BASES:
        if word.endswith(base) and word[: -len(base)] in PREFIXES:
            prefix = word[: -len(base)]
            return {"Ω": "ohm", "°C": "degC"}.get(base, base), PREFIXES[prefix]
    return None


def split_head(head: str) -> tuple[str, tuple[str, float] | None]:
    """(name, unit or None) of the head of a column; what is no unit stays with the name."""
    text = " ".join(head.split())
    found = _IN_BRACKETS.match(text)
    if found is not None:
        return found["name"].strip(), unit_of(found["unit"])
    found = _AFTER.match(text)
    if found is not None:
        name, unit = found["name"] or found["name2"], found["unit"] or found["unit2"]
        known = unit_of(unit)
        if known is not None:
            return name.strip(), known
    return text, None
