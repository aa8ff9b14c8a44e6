"""Safety records against limits, and who may do what."""

from __future__ import annotations

from collections.abc import Sequence

from zincsmith.model.intake import SafetyRecord, SafetyTest

WHO_MAY = (
    "Earth continuity and insulation: on an unplugged unit, by people trained for it. Line and neutral linked, outputs "
    "and instruments disconnected; surge arresters to earth conduct at 500 V: test at 250 V or measure leakage "
    "instead. Discharge afterwards.",
    "Touch current: the unit is live and earth is opened briefly. Only by a qualified person, both polarities. Local "
    "code and licensed practice come first.",
)


def default_limits(test: SafetyTest, marks: Sequence[str]) -> tuple[float | None, float | None]:
    """(at least, at most) in ohm or A, as commonly used in service; common practice, no source. To be edited."""
    double = any(m.strip().upper() in {"II", "CLASS II"} for m in marks)
    if test == "earth continuity":
        return None, 0.1
    if test == "insulation resistance":
        return (2e6 if double else 1e6), None
    return None, (0.25e-3 if double else 3.5e-3)


def passes(record: SafetyRecord) -> bool | None:
    """Whether the reading lies within its limits; None without any, and for a beeper, which indicates only."""
    return record.within


# Each test is read in its own unit: (factor from the record's, unit).
SHOWN: dict[SafetyTest, tuple[float, str]] = {
    "earth continuity": (1.0, "Ω"),
    "insulation resistance": (1e6, "MΩ"),
    "touch current": (1e-3, "mA"),
}


def safety_reading(record: SafetyRecord) -> tuple[str, str]:
    """``("0.159 mA", "at most 0.25 mA")``: the reading and its limits in words."""
    scale, unit = SHOWN[record.test]
    bounds = [
        f"{w} {b / scale:g} {unit}" for w, b in (("at least", record.low), ("at most", record.high)) if b is not None
    ]
    return f"{record.value / scale:.4g} {unit}", ", ".join(bounds) or "no limit stated"


def safety_words(record: SafetyRecord) -> str:
    if record.method == "beeper":
        return "indication only"
    found = passes(record)
    words = "no limit stated" if found is None else "within" if found else "OUTSIDE"
    lacks = _lacking(record)
    return f"{words}; {', '.join(lacks)} not stated" if lacks else words


def _lacking(record: SafetyRecord) -> list[str]:
    """What a value of earth continuity needs to be one."""
    if record.test != "earth continuity":
        return []
    said = (("method", record.method), ("test point", record.point), ("current", record.current_A))
    return [words for words, value in said if not value]
