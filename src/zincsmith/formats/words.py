"""Numbers in words: one home for how values, uncertainties and conditions are written."""

from __future__ import annotations

import math
from collections.abc import Iterable
from datetime import datetime, timedelta

from zincsmith.model.figures import FIGURES, SHARES
from zincsmith.model.finding import Finding, Judged

MOST_DECIMALS = 6  # without an uncertainty
NARROW = " "
PREFIX = {-9: "n", -6: "µ", -3: "m", 0: "", 3: "k", 6: "M"}
UNPREFIXED = ("", "%", "°C", "min", "h", "mΩ", "kΩ", "MΩ", "mA", "µF", "mC")  # or that have one
UNIT_WORDS = {"degC": "°C", "ohm": "Ω", "1": ""}
SMALL = {"F": (1.0, 1e6, "µF"), "A": (0.01, 1000.0, "mA"), "C": (1.0, 1000.0, "mC")}  # by unit, below so much
OHMS = ((1.0, 1000.0, "mΩ"), (10e3, 1.0, "Ω"), (10e6, 1e-3, "kΩ"), (math.inf, 1e-6, "MΩ"))  # below so much


def shown(finding: Finding) -> tuple[float, str]:
    """Factor and unit in which people read a finding: percent for ratios, milliohm for small resistances."""
    if finding.unit == "1":
        share = finding.name in SHARES or (FIGURES.knows(finding.name) and FIGURES[finding.name].in_percent)
        return (100.0, "%") if share else (1.0, "")
    if finding.unit in SMALL:
        below, factor, unit = SMALL[finding.unit]
        return (factor, unit) if abs(finding.value or 0.0) < below else (1.0, finding.unit)
    if finding.unit == "ohm":
        return next((factor, unit) for below, factor, unit in OHMS if abs(finding.value or 0.0) < below)
    return 1.0, UNIT_WORDS.get(finding.unit, finding.unit)


def decimals_for(uncertainty: float | None, value: float) -> int:
    """Decimals such that the expanded uncertainty shows two significant digits; four digits of the value else, as far
    as anything in this trade is read."""
    if not uncertainty or not math.isfinite(uncertainty):
        return min(MOST_DECIMALS, max(0, 3 - (math.floor(math.log10(abs(value))) if value else 0)))
    return min(8, max(0, 1 - math.floor(math.log10(uncertainty) + 1e-9)))


def once_a_claim(judged: Iterable[Judged]) -> list[Judged]:
    """The first of each claim: several lines and both ends of a band test one and the same."""
    return list({j.claim.key: j for j in reversed([j for j in judged if j.claim is not None]) if j.claim}.values())[
        ::-1
    ]


def untested_words(judged: Judged) -> str:
    """Why a claim has no verdict: what its scope lacks, or why nothing of it was measured."""
    if judged.finding.beside_the_point:
        return f"not applicable: {judged.finding.beside_the_point}"
    if not judged.lacks:
        return judged.finding.working.note
    price = f"; about {duration(judged.price_s)} to test that" if judged.price_s else ""
    return f"tested in part, not at {' or '.join(judged.lacks)}{price}"


def permitted_words(finding: Finding) -> str:
    """Whether the uncertainty is one that the rule behind the figure permits; empty where no rule speaks of it."""
    if finding.permitted is None or finding.u is None or finding.k is None:
        return ""
    factor, unit = shown(finding)
    expanded, most = finding.u * finding.k * factor, finding.permitted * factor
    met = "met" if expanded <= most else "not met"
    decimals = decimals_for(most, most)
    sizes = f"{number(expanded, decimals)} of {number(most, decimals)} {unit}"
    return f"permitted uncertainty {met}: {sizes} ({finding.permitted_by})"


def number(value: float, decimals: int) -> str:
    """A number with a typographic minus and a fixed number of decimals; zero has no sign."""
    text = f"{round(value, decimals) + 0.0:.{decimals}f}"
    return text.replace("-", "−")


def value_words(finding: Finding) -> tuple[str, str, str]:
    """(value, "±U", unit) as people read them; dashes where there is nothing."""
    factor, unit = shown(finding)
    if finding.value is None:
        return "–", "", unit
    if finding.below is not None:
        most = finding.below * factor
        return f"< {number(most, decimals_for(most, most))}", "", unit
    value = finding.value * factor
    expanded = finding.u * finding.k * factor if finding.u is not None and finding.k is not None else None
    decimals = decimals_for(expanded, value)
    return number(value, decimals), f"±{number(expanded, decimals)}" if expanded is not None else "", unit


def prefixed(value: float, unit: str) -> str:
    """Two significant digits of something small or large, with the prefix that suits its unit: 95 µV."""
    power = 0
    if value and math.isfinite(value) and unit not in UNPREFIXED:
        power = min(6, max(-9, 3 * math.floor((math.log10(abs(value)) + 0.0022) / 3.0)))  # 999.6 is a thousand
    told = value * 10.0**-power
    return f"{number(told, decimals_for(told, told))} {PREFIX[power]}{unit}".rstrip()


def where_words(judged: Judged) -> str:
    """The conditions of a finding, and the earlier run that it comes from."""
    parts = [judged.finding.at.words, f"run {judged.run}" if judged.run is not None else ""]
    return ", ".join(p for p in parts if p)


def local_time(at: str, date: bool = False, seconds: bool = False) -> str:
    """UTC in ISO form as the time on the wall: ``15:04``, ``15:04:09``, or ``2026-11-25 15:04``."""
    moment = datetime.fromisoformat(at).astimezone()
    if seconds:
        return moment.strftime("%H:%M:%S")
    return moment.strftime("%Y-%m-%d %H:%M" if date else "%H:%M")


def counted(number: int, word: str) -> str:
    """``1 reading``, ``2 readings``."""
    return f"{number} {word}" + ("" if number == 1 else "s")


def duration(seconds: float) -> str:
    """``1 h 38 min``, ``4 min``, ``20 s``."""
    if seconds < 90:
        return f"{seconds:.0f} s"
    minutes = round(seconds / 60)
    return f"{minutes // 60} h {minutes % 60} min" if minutes >= 60 else f"{minutes} min"


def end_words(seconds: float) -> str:
    """``ends 15:58`` when something that takes so long is started now."""
    return f"ends {(datetime.now().astimezone() + timedelta(seconds=seconds)):%H:%M}"
