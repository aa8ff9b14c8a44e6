"""What units are worth for what they must feed: whether they fit it, what its duty costs, after how long a dearer one
has paid for itself."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from zincsmith.analysis.value import PayBack, Sum, even_price, pay_back, watts_at, weighted, yearly_kWh
from zincsmith.judge.judging import JudgedRun
from zincsmith.model.feeding import Feeding
from zincsmith.model.finding import Judged
from zincsmith.model.reading import Point
from zincsmith.model.unit import OutputRating
from zincsmith.procedures.plotting import amps, value
from zincsmith.procedures.ports import output_watts

NEAR = 0.05  # of its volts, where nobody says how far they may lie off; common practice, no source
LINE_SHARE = 0.01


@dataclass(frozen=True)
class Worth:
    """Of one unit; None where it was not measured, or nobody noted it. ``no`` says why it cannot feed it, ``ask`` what
    nobody knows yet."""

    unit_tag: str
    line: str
    no: tuple[str, ...]
    ask: tuple[str, ...]
    price: float | None
    currency: str
    W_per_cm3: float | None
    W_per_g: float | None
    idle_W: float | None
    efficiency: float | None
    power_factor: float | None
    heat_W: float | None
    below_switch_in: float | None
    year_kWh: float | None
    year_cost: float | None
    year_u: float | None


@dataclass(frozen=True)
class Against:
    """A unit against a cheaper one to run, or to buy: ``saves_a_year`` may be less than nothing."""

    unit_tag: str
    against: str
    dearer_by: float
    saves_a_year: float
    u: float
    pays_back: PayBack
    even_price: float
    even_price_u: float

    def as_json(self) -> dict[str, Any]:
        back = self.pays_back
        return {
            "unit_tag": self.unit_tag, "against": self.against, "dearer_by": self.dearer_by,
            "saves_a_year": self.saves_a_year, "u": self.u, "pays_back_years": back.years, "low": back.low,
            "high": back.high, "even_price": self.even_price, "even_price_u": self.even_price_u,
        }  # fmt: skip


def worths(runs: Sequence[JudgedRun], labels: Sequence[str], feeding: Feeding) -> tuple[Worth, ...]:
    line_V = feeding.line_V if feeding.line_V is not None else _usual(runs)
    return tuple(_worth(run, label, feeding, line_V) for run, label in zip(runs, labels, strict=True))


def pairs(found: Sequence[Worth], feeding: Feeding) -> tuple[Against, ...]:
    """Each dearer unit against each that is no dearer, of those whose price and duty are known; what pays back soonest
    first."""
    known = [w for w in found if w.price is not None and w.year_cost is not None]
    out = []
    for one in known:
        for other in known:
            dearer = (one.price or 0.0) - (other.price or 0.0)
            if one is other or dearer < 0.0 or (dearer == 0.0 and one.unit_tag > other.unit_tag):
                continue
            saves = Sum(
                (other.year_cost or 0.0) - (one.year_cost or 0.0), math.hypot(one.year_u or 0.0, other.year_u or 0.0)
            )
            if dearer == 0.0 and abs(saves.value) <= 2.0 * saves.u:
                continue  # neither dearer nor cheaper, as far as anybody can tell
            even = even_price(other.price or 0.0, saves, feeding.years)
            out.append(Against(one.unit_tag, other.unit_tag, dearer, saves.value, saves.u, pay_back(dearer, saves),
                               even.value, even.u))  # fmt: skip
    return tuple(sorted(out, key=lambda one: (one.pays_back.years is None, one.pays_back.years or 0.0)))


def _usual(runs: Sequence[JudgedRun]) -> float | None:
    """The line that most of them were measured at, the higher of several."""
    counts = Counter(v for run in runs for v in {round(p.at.line[0]) for p in _grid(run) if p.at.line[0]})
    return max(counts, key=lambda v: (counts[v], v), default=None)


def _grid(run: JudgedRun) -> list[Point]:
    return [p for p in run.evidence.points if p.at.loaded and p.at.graded and p.at.elapsed_s is None and not p.at.about]


def _worth(run: JudgedRun, label: str, feeding: Feeding, line_V: float | None) -> Worth:
    points = [
        p for p in _grid(run) if line_V is not None and abs((p.at.line[0] or 0.0) - line_V) <= LINE_SHARE * line_V
    ]
    idle = _finding(run, "no_load_power", line_V)
    rows = [(a, w, _share_u(run, p) * w) for p in points
            if (a := amps(p)) is not None and a > 0.0 and (w := value(p, "input_power")) is not None]  # fmt: skip
    if idle is not None:
        rows.append((0.0, idle.finding.number, idle.finding.u or 0.0))
    duty = [(d.hours, d.current_A) for d in feeding.duty]
    energy = yearly_kWh(rows, duty) if duty else None
    physical = run.unit.look.physical
    rated = sum(o.rated_power_W for o in run.unit.nameplate.outputs)
    volume, grams = physical.volume_cm3, physical.working_g
    no, ask = _fits(run, feeding, rows)
    loaded = [(h, a) for h, a in duty if a > 0.0 and h > 0.0]
    out_W = [(h, at.value) for h, a in loaded if (at := watts_at(_of(points, _given), a)) is not None]
    in_W = [(h, at.value) for h, a in loaded if (at := watts_at(rows, a)) is not None]
    va = [(h, at.value) for h, a in loaded if (at := watts_at(_of(points, _volt_amperes), a)) is not None]
    whole = bool(loaded) and len(out_W) == len(in_W) == len(loaded)
    return Worth(
        label, f"{line_V:g} V" if line_V is not None else "", no, ask, physical.price, physical.currency,
        rated / volume if volume else None, rated / grams if grams else None,
        idle.finding.number if idle is not None else None,
        weighted(out_W) / weighted(in_W) if whole else None,
        weighted(in_W) / weighted(va) if whole and len(va) == len(loaded) else None,
        weighted(in_W) - weighted(out_W) if whole else None,
        _below(run, feeding, line_V),
        energy.value if energy is not None else None,
        energy.value * feeding.tariff if energy is not None else None,
        energy.u * feeding.tariff if energy is not None else None,
    )  # fmt: skip


def _of(points: Sequence[Point], what: Any) -> list[tuple[float, float, float]]:
    return [(a, w, 0.0) for p in points if (a := amps(p)) is not None and (w := what(p)) is not None]


def _given(point: Point) -> float | None:
    return output_watts(point, "")


def _volt_amperes(point: Point) -> float | None:
    volts, current = value(point, "input_voltage"), value(point, "input_current")
    return volts * current if volts is not None and current is not None and point.at.line[1] else None


def _share_u(run: JudgedRun, point: Point) -> float:
    """Of the watts in, as a share: that of the efficiency there, which holds it."""
    for judged in run.judged:
        one = judged.finding
        if one.name == "efficiency" and one.value and one.u and one.at.line == point.at.line:
            return one.u / one.value
    return 0.0


def _finding(run: JudgedRun, name: str, line_V: float | None) -> Judged | None:
    known = [j for j in run.judged if j.finding.name == name and j.finding.value is not None]
    at_line = [j for j in known if line_V is None or abs((j.finding.at.line[0] or 0.0) - line_V) <= LINE_SHARE * line_V]
    return next(iter(at_line), None)


def _below(run: JudgedRun, feeding: Feeding, line_V: float | None) -> float | None:
    """The share of the day below the load at which power-factor correction switches in; None where nobody knows."""
    found = _finding(run, "correction_in", line_V)
    hours = sum(d.hours for d in feeding.duty)
    if found is None or not hours:
        return None
    return sum(d.hours for d in feeding.duty if d.current_A * feeding.voltage_V < found.finding.number) / hours


def _fits(
    run: JudgedRun, feeding: Feeding, rows: Sequence[tuple[float, float, float]]
) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """(why it cannot feed it, what nobody knows)."""
    low = feeding.lowest_V if feeding.lowest_V is not None else feeding.voltage_V * (1.0 - NEAR)
    high = feeding.highest_V if feeding.highest_V is not None else feeding.voltage_V * (1.0 + NEAR)
    fitting = [(o, a) for o in run.unit.nameplate.outputs if (a := _amps_at(o, low, high)) is not None]
    no, ask = [], []
    if not fitting:
        no.append(f"none of its outputs gives {low:g} to {high:g} V")
    elif max(a for _, a in fitting) < feeding.current_A * (1.0 - 1e-9):
        no.append(f"it gives {max(a for _, a in fitting):g} A, not {feeding.current_A:g} A")
    missing = [v for v in feeding.modes_V if not any(_has_mode(o, v) for o in run.unit.nameplate.outputs)]
    if missing:
        no.append(f"no mode of {', '.join(f'{v:g}' for v in missing)} V")
    if feeding.lowest_V is not None:
        dip = _finding(run, "lowest_output", None)
        if dip is None:
            ask.append("its lowest instantaneous volts")
        elif dip.finding.number < feeding.lowest_V:
            no.append(f"its volts go down to {dip.finding.number:.3g} V at a step of the load")
    if feeding.quiet and run.unit.look.physical.silent is False:
        no.append(f"it is not quiet: {run.unit.look.physical.noise}")
    ask += [words for words, wanted in (
        (f"whether its plug is {feeding.plug}", feeding.plug), (f"whether it is {feeding.polarity}", feeding.polarity),
        ("whether it is quiet: listen to it", feeding.quiet and run.unit.look.physical.silent is None),
    ) if wanted]  # fmt: skip
    if feeding.duty and any(watts_at(rows, d.current_A) is None for d in feeding.duty):
        ask.append("what it draws at each load of the duty")
    return tuple(no), tuple(ask)


def _amps_at(one: OutputRating, low: float, high: float) -> float | None:
    """What an output is rated for at volts in between; None where it gives none."""
    if one.adjustable_V is not None:
        return one.current_A if one.adjustable_V[0] <= high and one.adjustable_V[1] >= low else None
    if one.modes:
        fit = [m.current_A or 0.0 for m in one.modes if low <= abs(m.voltage_V) <= high]
        return max(fit, default=None)
    return one.current_A if low <= abs(one.voltage_V) <= high else None


def _has_mode(one: OutputRating, volts: float) -> bool:
    return any(abs(abs(m.voltage_V) - volts) <= NEAR * volts for m in one.modes) or (
        one.fixed and abs(abs(one.voltage_V) - volts) <= NEAR * volts
    )
