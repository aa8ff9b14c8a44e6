"""How the output moves with load and line: regulations, span, slope and output resistance of a grid."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from zincsmith.analysis.accuracy import column
from zincsmith.analysis.point_doubts import where
from zincsmith.analysis.regulation import (
    line_regulation,
    line_slope,
    load_regulation,
    order_shows_drift,
    output_resistance,
    resistance_and_drift,
    span_at_most,
)
from zincsmith.analysis.sweep_doubts import difference_doubts, seen_step
from zincsmith.analysis.uncertainty import Values, drawn
from zincsmith.model.finding import Doubt, Finding
from zincsmith.model.operating_point import Draw, OperatingPoint
from zincsmith.model.reading import Point
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.base import Conventions
from zincsmith.procedures.finding_of import Rows, finding_of
from zincsmith.procedures.rows import amps_of, at_line, carrying, load_of, upright, volts_of
from zincsmith.procedures.static_grid.turns import LEAST_TURNS, Bracket, at_once, brackets, by_turns, once_settled

DRAWS, ONE_SIDED = 10_000, 0.9545
ONE_SIDED_K = 1.645  # normal, 95 % one-sided
LEAST_MIN, LEAST_K = 1.0, 3.0  # over which, and by which, nothing warms or cools enough to matter; common practice
LEAST_FOR_A_BEND, BENT, BENT_SHARE = 5, 4.0, 0.25


def load_regulations(
    line: tuple[float, float], points: Rows, plate: Nameplate, conv: Conventions, taken: Rows = ()
) -> list[Finding]:
    """Between the lightest and the heaviest load of a line; from points taken in turns where there are enough."""
    rows = carrying(points, ["output_voltage"])
    if len({load_of(p) for p in rows}) < 2:
        return []
    low, high = min(rows, key=load_of), max(rows, key=load_of)
    nominal = plate.output.voltage_V

    def formula(v: Values) -> float:
        voltage = v["output_voltage"]
        below = {"Vnom": nominal, "Vfl": float(voltage[1]), "Vnl": float(voltage[0])}[conv.regulation_over]
        return load_regulation(float(voltage[0]), float(voltage[1]), below)

    found = brackets(once_settled(taken), lambda p: load_of(p) == load_of(high))
    if len(found) >= LEAST_TURNS and all(load_of(b) == load_of(low) for _, b, _ in found):
        below = {"Vnom": nominal, "Vfl": volts_of(high), "Vnl": volts_of(low)}[conv.regulation_over]
        words = f"mean of (V at {load_of(low):g} % − V at {load_of(high):g} %) / {conv.regulation_over}"
        over = f"{load_of(low):g} to {load_of(high):g} % load; denominator {conv.regulation_over}; a drop is positive"
        made = by_turns(found, "load_regulation", "Load regulation", 1.0 / below, words, at_line(line), over)
        return [about_a_difference(made, found[0][1], found[0][0], seen_step(points))]
    # The effect of a load at once, and the one that is left when everything has settled, are two figures.
    settled = "; settled before each reading" if low.settled and high.settled else ""
    span = f"{load_of(low):g} to {load_of(high):g} % load{settled}"
    return [
        about_a_difference(
            finding_of(
                "load_regulation",
                "Load regulation",
                "1",
                [low, high],
                ["output_voltage"],
                formula,
                f"(V at {load_of(low):g} % − V at {load_of(high):g} %) / {conv.regulation_over}",
                at_line(line),
                f"{span}; denominator {conv.regulation_over}; a drop is positive",
            ),
            low,
            high,
            seen_step(points),
        )
    ]


def at_once_regulations(line: tuple[float, float], taken: Rows, plate: Nameplate) -> list[Finding]:
    """The load effect right after the step, before warmth and regulation have followed: a figure of its own, whose
    condition is how long after."""
    found = at_once(taken)
    if not found:
        return []
    before, after, _ = found[0]
    seconds = after.at.after_step_s or 0.0
    made = by_turns(
        found, "load_regulation_at_once", f"Load effect {seconds:g} s after the step", 1.0 / plate.output.voltage_V,
        f"(V {seconds:g} s after − V before) / Vnom", replace(at_line(line), after_step_s=seconds),
        f"{load_of(before):g} to {load_of(after):g} % load, denominator Vnom; a drop is positive",
    )  # fmt: skip
    return [about_a_difference(made, after, before)]


def line_regulations(lines: list[list[Point]], plate: Nameplate, taken: Rows = ()) -> list[Finding]:
    """At the highest load of every line: between the ends of the lines, signed, as a regulation is printed; greatest
    less least beside it, whose two ends are picked for being extreme; and the fitted slope."""
    top = [max(rows, key=load_of) for points in lines if (rows := carrying(points, ["output_voltage"]))]
    if len(top) < 2 or len({load_of(p) for p in top}) != 1:
        return []
    top.sort(key=_line_V)
    nominal, at = plate.output.voltage_V, OperatingPoint(draws=(Draw(load_of(top[0])),))
    over = "over " + ", ".join(f"{_line_V(p):g} V" for p in top)
    ends = [top[0], top[-1]]
    seen = seen_step([p for points in lines for p in points])
    words = f"(V at {_line_V(ends[1]):g} V − V at {_line_V(ends[0]):g} V) / Vnom"
    turns = _turns_of_ends(taken, ends)
    if turns:
        sign = 1.0 if _line_V(turns[0][1]) > _line_V(turns[0][0]) else -1.0
        made = by_turns(turns, "line_regulation", "Line regulation", sign / nominal, f"mean of {words}", at,
                        "a rise is positive")  # fmt: skip
    else:
        made = finding_of(
            "line_regulation", "Line regulation", "1", ends, ["output_voltage"],
            lambda v: line_regulation(float(v["output_voltage"][1]), float(v["output_voltage"][0]), nominal),
            words, at, "a rise is positive",
        )  # fmt: skip
    found = [about_a_difference(made, ends[0], ends[1], seen)]
    if len(top) > 2:
        found += [_span(top, nominal, at, over), _slope(top, at, over)]
    return found + _at_no_load(lines, nominal)


def _turns_of_ends(taken: Rows, ends: Rows) -> list[Bracket]:
    """The turns between just these two lines and at their load, if there are enough."""
    lines = [_line_V(p) for p in ends]
    rows = sorted((p for p in taken if load_of(p) == load_of(ends[0])), key=lambda p: p.number)
    if not rows or {_line_V(p) for p in rows} != set(lines):
        return []
    outer = _line_V(rows[0])
    found = brackets(rows, lambda p: _line_V(p) == outer)
    return found if len(found) >= LEAST_TURNS else []


def _at_no_load(lines: list[list[Point]], nominal: float) -> list[Finding]:
    """The same between the ends of the lines with nothing drawn: a school of its own, never taken for the other."""
    idle = [p for points in lines for p in carrying(points, ["output_voltage"]) if load_of(p) == 0.0]
    idle.sort(key=_line_V)
    if len({_line_V(p) for p in idle}) < 2:
        return []
    ends = [idle[0], idle[-1]]
    return [
        about_a_difference(
            finding_of(
                "line_regulation_no_load", "Line regulation, no load", "1", ends, ["output_voltage"],
                lambda v: line_regulation(float(v["output_voltage"][1]), float(v["output_voltage"][0]), nominal),
                f"(V at {_line_V(ends[1]):g} V − V at {_line_V(ends[0]):g} V) / Vnom", OperatingPoint(draws=(IDLE,)),
                "a rise is positive",
            ),
            ends[0],
            ends[1],
        )
    ]  # fmt: skip


IDLE = Draw(0.0)


def _line_V(point: Point) -> float:
    return point.at.line_V


def _span(top: Rows, nominal: float, at: OperatingPoint, over: str) -> Finding:
    voltage = np.array([volts_of(p) for p in top])
    most, least = int(np.argmax(voltage)), int(np.argmin(voltage))
    if most == least:  # all equal: still the difference of two readings, with the uncertainty of both
        least = (most + 1) % len(voltage)
    readings = [r for p in top if (r := p.get("output_voltage")) is not None]
    minutes = (max(p.bench_s for p in top) - min(p.bench_s for p in top)) / 60.0
    upper, bias = span_at_most(voltage, drawn(column(readings, minutes), DRAWS, 1), ONE_SIDED)
    sided = (
        f"; one-sided, {100 * ONE_SIDED:g} %: at most {100.0 * upper / nominal:.3g} %; picking the extremes adds "
        f"{100.0 * bias / nominal:.2g} % on average"
        if all(r.known for r in readings)
        else ""
    )
    # Which point is highest and lowest is decided once, so that moving a value moves the figure smoothly.
    return about_a_difference(
        finding_of(
            "line_span", "Span of the output over the lines", "1", top, ["output_voltage"],
            lambda v: float(v["output_voltage"][most] - v["output_voltage"][least]) / nominal,
            "(greatest V − least V) / Vnom", at, over + sided,
        ),
        top[most], top[least],
    )  # fmt: skip


def _slope(top: Rows, at: OperatingPoint, over: str) -> Finding:
    lines = np.array([_line_V(p) for p in top])
    return finding_of(
        "line_slope", "Slope of the output over the lines", "mV/V", top, ["output_voltage"],
        lambda v: 1000.0 * line_slope(v["output_voltage"], lines), "least squares of V on Vin", at, over,
    )  # fmt: skip


def resistances(line: tuple[float, float], points: Rows, plate: Nameplate) -> list[Finding]:
    """At one line; a drift with time is fitted beside it where the order of the points tells both apart."""
    quantities = ["output_voltage", "output_current"]
    rows = carrying(upright(points, plate.output.voltage_V), quantities)
    if len({load_of(p) for p in rows}) < 3:
        return []
    voltage, current = np.array([volts_of(p) for p in rows]), np.array([amps_of(p) for p in rows])
    times = np.array([p.bench_s for p in rows])
    apart = order_shows_drift(current, times)

    def formula(v: Values) -> float:
        if apart:
            return resistance_and_drift(v["output_voltage"], v["output_current"], times)[0]
        return output_resistance(v["output_voltage"], v["output_current"])

    words = "R = − slope of V on I"
    note = f"least squares over {len(rows)} points"
    if apart:
        note += f"; a drift of {6e4 * resistance_and_drift(voltage, current, times)[1]:+.3g} mV/min fitted beside it"
    finding = finding_of("output_resistance", "Output resistance", "ohm", rows, quantities, formula, words,
                         at_line(line), note)  # fmt: skip
    doubts = [*_drift_doubt(rows, apart), *_bent(rows, voltage, current)]
    return [replace(finding, doubts=(*finding.doubts, *doubts))]


def _drift_doubt(rows: Rows, apart: bool) -> list[Doubt]:
    """Points in the order of their load, over minutes in which the unit cools: drift looks like resistance."""
    minutes = (max(p.bench_s for p in rows) - min(p.bench_s for p in rows)) / 60.0
    if apart or minutes < LEAST_MIN:
        return []
    case = [r.value for p in rows if (r := p.get("case_temperature")) is not None and r.value is not None]
    if len(case) > 2 and max(case) - min(case) < LEAST_K:
        return []
    seen = f", while the case went from {case[0]:.1f} to {case[-1]:.1f} °C" if len(case) > 2 else ""
    return [
        Doubt(
            "drift_or_resistance",
            f"The loads were taken in their order over {minutes:.0f} min{seen}: what drifts with warmth is not told "
            "from resistance.",
            "Take the first load again at the end of the line; the plan has an option for it.",
        )
    ]


def _bent(rows: Rows, voltage: NDArray[np.float64], current: NDArray[np.float64]) -> list[Doubt]:
    """One end that makes the slope: without it the others lie on another line, nearer than it does."""
    if len(rows) < LEAST_FOR_A_BEND or len(np.unique(current)) < LEAST_FOR_A_BEND:
        return []
    whole = output_resistance(voltage, current)
    for end in (int(np.argmax(current)), int(np.argmin(current))):
        rest = np.arange(len(rows)) != end
        if np.ptp(current[rest]) == 0.0:
            continue
        slope = -output_resistance(voltage[rest], current[rest])
        start = float(np.mean(voltage[rest])) - slope * float(np.mean(current[rest]))
        own = voltage[rest] - start - slope * current[rest]
        scatter = max(float(np.std(own, ddof=2)), *(r.resolution for p in rows if (r := p.get("output_voltage"))))
        off = float(voltage[end]) - start - slope * float(current[end])
        reach = abs(float(current[end]) - float(np.mean(current[rest]))) / float(np.std(current[rest]))
        most = BENT * scatter * (1.0 + (1.0 + reach**2) / (len(rows) - 1)) ** 0.5
        if abs(off) > most and abs(whole + slope) > BENT_SHARE * abs(whole):
            return [
                Doubt(
                    "one_end_makes_the_slope",
                    f"Without the point at {where(rows[end])} the slope is {-1000.0 * slope:.3g} mohm instead of "
                    f"{1000.0 * whole:.3g}: it lies {1000.0 * off:+.3g} mV off the line of the others.",
                    "See whether the output still holds its voltage there: a current limit that sets in, a mode for "
                    "light loads, a contact.",
                )
            ]
    return []


def about_a_difference(finding: Finding, one: Point, other: Point, seen: float | None = None) -> Finding:
    """With what makes the difference of two points doubtful; where no change is seen, with the most it may be."""
    doubts = difference_doubts(one, other, seen=seen)
    return unseen(replace(finding, doubts=(*finding.doubts, *doubts)), one, other, seen)


def unseen(finding: Finding, one: Point, other: Point, seen: float | None) -> Finding:
    """Two readings that differ by less than a count show no change: the figure is an upper bound with its probability
    (JCGM 106, one-sided, normal)."""
    a, b = one.get("output_voltage"), other.get("output_voltage")
    if a is None or b is None or a.value is None or b.value is None or finding.u is None or finding.value is None:
        return finding
    step = max(a.resolution, b.resolution) or seen or 0.0
    if step <= 0.0 or abs(a.value - b.value) >= 0.999 * step:
        return finding
    return replace(finding, below=abs(finding.value) + ONE_SIDED_K * finding.u)
