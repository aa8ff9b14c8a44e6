"""Single readings in words, for the working behind a finding."""

from __future__ import annotations

from zincsmith.formats.words import UNIT_WORDS, decimals_for, number
from zincsmith.judge.judging import JudgedRun
from zincsmith.model.reading import FROM_FILE, WORKED_OUT, WRITTEN, Reading


def reading_words(run: JudgedRun) -> dict[str, tuple[str, str, str]]:
    """Id of each reading -> (what it says, who gave it on which range, how)."""
    every = (run.evidence, *(e.evidence for e in run.earlier))
    return {r.id: (_says(r), _who(r), _how(r)) for e in every for point in e.points for r in point.readings}


def _says(reading: Reading) -> str:
    unit = UNIT_WORDS.get(reading.unit, reading.unit)
    if reading.value is None:
        return "could not be read"
    decimals = 4 if abs(reading.value) < 10 else 3
    return f"{number(reading.value, decimals)} {unit}".strip()


def _who(reading: Reading) -> str:
    unit = UNIT_WORDS.get(reading.unit, reading.unit)
    on = f", {reading.range:g} {unit} range" if reading.range else ""
    return f"{reading.source}{on}".rstrip()


def _how(reading: Reading) -> str:
    unit = UNIT_WORDS.get(reading.unit, reading.unit)
    if reading.as_read is not None:
        return (
            f"{_taken(reading, unit)}; read as {reading.as_read:.6g} {unit}, corrected for the {reading.correction_for}"
        )
    return _taken(reading, unit)


def _taken(reading: Reading, unit: str) -> str:
    if reading.how == "by hand":
        return f"typed “{reading.text}”"
    if reading.how == WORKED_OUT:
        return f"worked out, {reading.text}"
    if reading.how == WRITTEN:
        return f"written down as {reading.text}, outside any run"
    if reading.how == FROM_FILE:
        return reading.text
    if reading.spread is None:
        return "a single poll"
    return (
        f"mean of {reading.count} polls, 1σ {number(reading.spread, decimals_for(reading.spread, 0.0))} {unit}".rstrip()
    )
