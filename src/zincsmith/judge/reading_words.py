"""Single readings in words, for the working behind a finding."""

from __future__ import annotations

from zincsmith.judge.judging import JudgedRun
from zincsmith.judge.words import UNIT_WORDS, number
from zincsmith.model.reading import Reading


def reading_words(run: JudgedRun) -> dict[str, tuple[str, str]]:
    """Id of each reading -> (what it says, who gave it, on which range, from how many polls)."""
    return {r.id: (_says(r), _who(r)) for point in run.evidence.points for r in point.readings}


def _says(reading: Reading) -> str:
    unit = UNIT_WORDS.get(reading.unit, reading.unit)
    if reading.value is None:
        return "could not be read"
    decimals = 4 if abs(reading.value) < 10 else 3
    return f"{number(reading.value, decimals)} {unit}".strip()


def _who(reading: Reading) -> str:
    unit = UNIT_WORDS.get(reading.unit, reading.unit)
    on = f", {reading.range:g} {unit} range" if reading.range else ""
    if reading.how == "by hand":
        return f"{reading.source}, typed “{reading.text}”{on}"
    spread = f", mean of {reading.count}, 1σ {reading.spread:.2g} {unit}" if reading.spread is not None else ""
    return f"{reading.source}{on}{spread}".rstrip()
