"""One figure from the readings of some points, with its uncertainty, working and doubts."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace

import numpy as np

from zincsmith.analysis.accuracy import column
from zincsmith.analysis.point_doubts import point_doubts
from zincsmith.analysis.uncertainty import Column, Estimate, Values, factor_of, propagate
from zincsmith.model.finding import Contribution, Doubt, Finding, Working
from zincsmith.model.operating_point import OperatingPoint
from zincsmith.model.reading import Point

WORDS = {
    "input_voltage": "Vin / V",
    "input_current": "Iin / A",
    "input_power": "Pin / W",
    "output_voltage": "V / V",
    "output_current": "I / A",
    "case_temperature": "T / °C",
    "output_ac_voltage": "V AC / V",
    "panel_voltage": "shown / V",
    "panel_current": "shown / A",
    "readback_voltage": "by itself / V",
    "readback_current": "by itself / A",
    "output_real_power": "W out / W",
    "output_frequency": "f / Hz",
    "output_thd": "THD / 1",
    "output_crest": "crest / 1",
    "output_dc": "V DC / V",
}

Rows = Sequence[Point]
NO_NUMBER = Doubt(
    "no_number",
    "The readings leave no number: one is zero where the figure divides by it, or they are all alike.",
    "See whether they were read, or typed, as they stood.",
)


def finding_of(
    name: str,
    title: str,
    unit: str,
    rows: Rows,
    quantities: Sequence[str],
    formula: Callable[[Values], float],
    words: str,
    at: OperatingPoint,
    note: str = "",
    each: Callable[[Point], dict[str, float]] | None = None,
    doubts_of: Callable[[Point, Sequence[str]], list[Doubt]] = point_doubts,
    alike: bool = False,
) -> Finding:
    """A figure from the readings of some points: value, uncertainty, working and doubts.

    ``formula`` works on the columns of ``quantities``; ``each`` adds what the working shows beside a row;
    ``alike``: something has shown that limits of error are shared by all rows.
    """
    times = [p.bench_s for p in rows]
    minutes = (max(times) - min(times)) / 60.0 if times else None
    columns = {q: column([r for p in rows if (r := p.get(q)) is not None], minutes, alike) for q in quantities}
    estimate = _estimated(formula, columns)
    known = estimate is not None and all(r.known for p in rows for q in quantities if (r := p.get(q)) is not None)
    doubts = tuple(dict.fromkeys(d for p in rows for d in doubts_of(p, quantities)))
    if estimate is None:
        doubts += (NO_NUMBER,)
    elif not known:
        doubts += (
            Doubt(
                "accuracy_unknown",
                "An instrument behind this figure states no accuracy, so its uncertainty is not known.",
                "Enter the accuracy from its data sheet in the rig.",
            ),
        )
    return Finding(
        name=name,
        title=title,
        value=estimate.value if estimate is not None else None,
        unit=unit,
        u=estimate.u if known and estimate is not None else None,
        k=estimate.k if known and estimate is not None else None,
        dof=estimate.dof if known and estimate is not None else None,
        at=at,
        working=_working(rows, quantities, words, note, each),
        contributions=estimate.contributions if estimate is not None else (),
        doubts=doubts,
    )


def alone(name: str) -> Callable[[Values], float]:
    """The formula of a figure that is one reading as it stands."""
    return lambda values: float(values[name][0])


def _estimated(formula: Callable[[Values], float], columns: Mapping[str, Column]) -> Estimate | None:
    """None where the readings leave no number: what somebody typed, or a meter that reads nothing, divides."""
    try:
        with np.errstate(divide="ignore", invalid="ignore", over="ignore"):
            found = propagate(formula, columns)
    except (ZeroDivisionError, ValueError):
        return None
    return found if math.isfinite(found.value) and math.isfinite(found.u) else None


def with_parts(found: Finding, *parts: Contribution) -> Finding:
    """The finding with further sources of uncertainty; where its own is not known it stays so."""
    if found.u is None or not parts:
        return found
    every = (*found.contributions, *parts)
    u = math.hypot(found.u, *(p.effect for p in parts))
    return replace(found, u=u, k=factor_of(every, found.dof), contributions=every)


def unlooked(gap: float, words: str) -> Contribution:
    """Between two settings nobody looked: a rectangle from the one that is told to the other."""
    return Contribution(words, abs(gap) / math.sqrt(3.0), False, rectangular=True)


def _beside(each: Callable[[Point], dict[str, float]], point: Point) -> dict[str, float | None]:
    """What stands beside a row of the working; None where zeros leave no number."""
    with np.errstate(divide="ignore", invalid="ignore", over="ignore"):
        return {key: value if math.isfinite(value) else None for key, value in each(point).items()}


def _working(
    rows: Rows, quantities: Sequence[str], words: str, note: str, each: Callable[[Point], dict[str, float]] | None
) -> Working:
    table = []
    for point in rows:
        row: dict[str, object] = {"point": point.number, **point.at.conditions}
        for q in quantities:
            reading = point.get(q)
            if reading is not None:
                row[WORDS.get(q, q)] = reading.value
        if each is not None:
            row.update(_beside(each, point))
        row["readings"] = [r.id for q in quantities if (r := point.get(q)) is not None]
        table.append(row)
    columns = [WORDS.get(q, q) for q in quantities] + (
        list(_beside(each, rows[0])) if each is not None and rows else []
    )
    return Working(words, ("load / %", *columns), tuple(table), note)


def at_most(finding: Finding, most: float, by: str, told: bool = True) -> Finding:
    """With the most that a standard, or a maker, lets it be: in its note, and where it is more as a doubt, unless that
    is told otherwise (``told``). It is no claim of the unit's own papers, and judges nothing."""
    unit = f" {finding.unit}".rstrip()
    note = "; ".join(x for x in (finding.working.note, f"at most {_plain(most)}{unit} ({by})") if x)
    finding = replace(finding, working=replace(finding.working, note=note))
    if not told or finding.value is None or finding.value <= most:
        return finding
    text = f"{finding.title}: {_plain(finding.value)}{unit}, {_plain(most)}{unit} are allowed ({by})."
    doubt = Doubt("beyond_allowed", text, "Ask once more, with other leads; whatever trusts it is at risk.")
    return replace(finding, doubts=(*finding.doubts, doubt))


def _plain(value: float) -> str:
    """Without a power of ten where a person reads it at a glance."""
    return f"{value:.0f}" if 1e4 <= abs(value) < 1e7 else f"{value:.4g}"
