"""From the points of a static grid to its figures, each with uncertainty and working."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from zincsmith.analysis.accuracy import column
from zincsmith.analysis.efficiency import average_active_efficiency, efficiency
from zincsmith.analysis.regulation import (
    line_regulation,
    line_slope,
    load_regulation,
    output_resistance,
    span_at_most,
)
from zincsmith.analysis.uncertainty import Values, drawn, factor_of
from zincsmith.model.finding import Contribution, Doubt, Finding
from zincsmith.model.reading import COLD, Evidence, Point
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.base import Conventions
from zincsmith.procedures.finding_of import WORDS, Rows, finding_of
from zincsmith.procedures.loss_figures import POWER, loss_findings
from zincsmith.procedures.sweep_doubts import difference_doubts, frozen_doubts, odd_ones, sag_doubts

ACTIVE_LOADS = (100.0, 75.0, 50.0, 25.0)
DRAWS, ONE_SIDED = 10_000, 0.9545
EFFICIENCIES = ("efficiency", "average_active_efficiency")


def figures(evidence: Evidence, nameplate: Nameplate, conventions: Conventions) -> list[Finding]:
    """All figures the points allow; a figure whose points are missing is not made up."""
    warm = [p for p in evidence.points if COLD not in p.conditions]
    by_line: dict[tuple[float, float], list[Point]] = {}
    for point in warm:
        c = point.conditions
        by_line.setdefault((c["input_voltage_V"], c["frequency_Hz"]), []).append(point)
    found: list[Finding] = []
    loaded = _from_minimum(warm, nameplate)
    found += _output_voltage(loaded)
    for line, points in by_line.items():
        found += _load_regulation(line, _from_minimum(points, nameplate), nameplate, conventions)
    found += _line_regulation(list(by_line.values()), nameplate)
    odd: dict[int, Doubt] = {}
    sags: dict[tuple[float, float], list[Doubt]] = {}
    for line, points in by_line.items():
        odd |= odd_ones(points)
        sags[line] = sag_doubts(points)
    for line, points in by_line.items():
        found += _average_efficiency(line, points)
        found += _full_load(line, points)
        found += _resistance(line, points)
        found += _single_efficiencies(line, points)
        found += _minimum_load(line, points, nameplate)
        found += loss_findings(_line(line), _with(points, POWER))
    found += _drift([p for p in evidence.points if COLD in p.conditions], warm)
    frozen = frozen_doubts(evidence.points)
    return [_with_frozen(_with_sweep_doubts(f, odd, sags), frozen) for f in found]


def _drift(cold: Rows, warm: Rows) -> list[Finding]:
    """How far the output moves while it warms up: the same load at the same line, first and when it is steady."""
    out = []
    for first in _with(cold, ["output_voltage"]):
        place = {k: first.conditions[k] for k in ("input_voltage_V", "frequency_Hz", "load_percent")}
        later = [p for p in _with(warm, ["output_voltage"]) if place.items() <= p.conditions.items()]
        if not later:
            continue
        then = later[0]
        minutes = (then.bench_s - first.bench_s) / 60.0
        case = [r.value for p in (first, then) if (r := p.get("case_temperature")) is not None and r.value is not None]
        note = f"{minutes:.0f} min between" + (f"; case {case[0]:.1f} to {case[1]:.1f} °C" if len(case) > 1 else "")
        finding = finding_of(
            "warm_up_drift", "Drift, cold to warm", "V", [first, then], ["output_voltage"],
            lambda v: float(v["output_voltage"][1] - v["output_voltage"][0]), "V warm − V cold", place, note,
        )  # fmt: skip
        out.append(_about_a_difference(finding, first, then))
    return out


def _with_sweep_doubts(
    finding: Finding, odd: dict[int, Doubt], sags: dict[tuple[float, float], list[Doubt]]
) -> Finding:
    """What the whole sweep casts on a figure: points of it that do not lie on the curve, an input that gives way."""
    c = finding.conditions
    further = []
    if finding.name in EFFICIENCIES:
        numbers = [row["point"] for row in finding.working.rows]
        further += [odd[n] for n in numbers if n in odd]
        further += sags.get((c.get("input_voltage_V", 0.0), c.get("frequency_Hz", 0.0)), [])
    return replace(finding, doubts=(*finding.doubts, *further)) if further else finding


def _with_frozen(finding: Finding, frozen: dict[str, Doubt]) -> Finding:
    """What froze goes with every figure that was worked out of it."""
    shown = {name for row in finding.working.rows for name in row}
    used = [doubt for name, doubt in sorted(frozen.items()) if WORDS.get(name, name) in shown]
    return replace(finding, doubts=(*finding.doubts, *used)) if used else finding


def _about_a_difference(finding: Finding, one: Point, other: Point) -> Finding:
    return replace(finding, doubts=(*finding.doubts, *difference_doubts(one, other)))


def _has(point: Point, quantities: Sequence[str]) -> bool:
    return all((r := point.get(q)) is not None and r.value is not None for q in quantities)


def _with(points: Rows, quantities: Sequence[str]) -> list[Point]:
    return [p for p in points if _has(p, quantities)]


def _volts(point: Point) -> float:
    reading = point.get("output_voltage")
    assert reading is not None
    assert reading.value is not None
    return reading.value


def _load(point: Point) -> float:
    return point.conditions["load_percent"]


def _line(line: tuple[float, float]) -> dict[str, float]:
    return {"input_voltage_V": line[0], "frequency_Hz": line[1]}


def _from_minimum(points: Rows, plate: Nameplate) -> list[Point]:
    """The points from the least load that the plate asks for; nothing is promised below it."""
    least = plate.output.minimum_A
    if not least:
        return list(points)
    return [p for p in points if (r := p.get("output_current")) is not None and (r.value or 0.0) >= 0.99 * least]


def _minimum_load(line: tuple[float, float], points: Rows, plate: Nameplate) -> list[Finding]:
    """The load from which on the output stays in its band: between the last point outside and the next, a rectangle.

    Nothing where the plate states no band, the output is out of it at full load, or the lightest point is inside.
    """
    percent = plate.output.tolerance_percent
    rows = sorted(_with(points, ["output_voltage", "output_current"]), key=_amps)
    if percent is None or not rows:
        return []
    half = abs(plate.output.voltage_V) * percent / 100.0
    outside = [n for n, p in enumerate(rows) if abs(_volts(p) - plate.output.voltage_V) > half]
    if not outside or outside[-1] == len(rows) - 1:
        return []
    pair = rows[outside[-1] : outside[-1] + 2]
    below, above = (_amps(p) for p in pair)
    part = Contribution("between the two loads", (above - below) / 2.0 / 3.0**0.5, True, rectangular=True)
    band = f"{plate.output.voltage_V:g} V ±{percent:g} %"
    shown = finding_of(
        "minimum_load", "Minimum load", "A", pair, ["output_voltage", "output_current"],
        lambda v: float(np.mean(v["output_current"])), "middle of the two loads", _line(line),
        f"outside {band} at {below:.3g} A, inside from {above:.3g} A on",
    )  # fmt: skip
    return [replace(shown, u=part.effect, k=factor_of((part,), None), dof=None, contributions=(part,))]


def _amps(point: Point) -> float:
    reading = point.get("output_current")
    assert reading is not None
    assert reading.value is not None
    return reading.value


def _output_voltage(points: Rows) -> list[Finding]:
    rows = _with(points, ["output_voltage"])
    if not rows:
        return []
    out = []
    for name, title, pick in (("min", "lowest", min), ("max", "highest", max)):
        extreme = pick(rows, key=_volts)
        at = [extreme]
        conditions = dict(extreme.conditions)
        out.append(
            finding_of(
                f"output_voltage_{name}",
                f"Output voltage, {title}",
                "V",
                at,
                ["output_voltage"],
                lambda v: float(v["output_voltage"][0]),
                f"{name}(V) over {len(rows)} points",
                conditions,
            )
        )
    return out


def _load_regulation(line: tuple[float, float], points: Rows, plate: Nameplate, conv: Conventions) -> list[Finding]:
    rows = _with(points, ["output_voltage"])
    if len({_load(p) for p in rows}) < 2:
        return []
    low, high = min(rows, key=_load), max(rows, key=_load)
    nominal = plate.output.voltage_V

    def formula(v: Values) -> float:
        volts = v["output_voltage"]
        below = {"Vnom": nominal, "Vfl": float(volts[1]), "Vnl": float(volts[0])}[conv.regulation_over]
        return load_regulation(float(volts[0]), float(volts[1]), below)

    span = f"{_load(low):g} to {_load(high):g} % load"
    return [
        _about_a_difference(
            finding_of(
                "load_regulation",
                "Load regulation",
                "1",
                [low, high],
                ["output_voltage"],
                formula,
                f"(V at {_load(low):g} % − V at {_load(high):g} %) / {conv.regulation_over}",
                _line(line),
                f"{span}; denominator {conv.regulation_over}; a drop is positive",
            ),
            low,
            high,
        )
    ]


def _line_regulation(lines: list[list[Point]], plate: Nameplate) -> list[Finding]:
    """At the highest load of every line: between the ends of the lines, signed, as a regulation is printed; greatest
    less least beside it, whose two ends are picked for being extreme; and the fitted slope."""
    top = [max(rows, key=_load) for points in lines if (rows := _with(points, ["output_voltage"]))]
    if len(top) < 2 or len({_load(p) for p in top}) != 1:
        return []
    top.sort(key=_line_V)
    nominal, at = plate.output.voltage_V, {"load_percent": _load(top[0])}
    over = "over " + ", ".join(f"{_line_V(p):g} V" for p in top)
    ends = [top[0], top[-1]]
    found = [
        _about_a_difference(
            finding_of(
                "line_regulation", "Line regulation", "1", ends, ["output_voltage"],
                lambda v: line_regulation(float(v["output_voltage"][1]), float(v["output_voltage"][0]), nominal),
                f"(V at {_line_V(ends[1]):g} V − V at {_line_V(ends[0]):g} V) / Vnom", at, "a rise is positive",
            ),
            *ends,
        )
    ]  # fmt: skip
    if len(top) > 2:
        found += [_span(top, nominal, at, over), _slope(top, at, over)]
    return found


def _line_V(point: Point) -> float:
    return point.conditions["input_voltage_V"]


def _span(top: Rows, nominal: float, at: dict[str, float], over: str) -> Finding:
    volts = np.array([_volts(p) for p in top])
    most, least = int(np.argmax(volts)), int(np.argmin(volts))
    if most == least:  # all equal: still the difference of two readings, with the uncertainty of both
        least = (most + 1) % len(volts)
    readings = [r for p in top if (r := p.get("output_voltage")) is not None]
    minutes = (max(p.bench_s for p in top) - min(p.bench_s for p in top)) / 60.0
    upper, bias = span_at_most(volts, drawn(column(readings, minutes), DRAWS, 1), ONE_SIDED)
    sided = (
        f"; one-sided, {100 * ONE_SIDED:g} %: at most {100.0 * upper / nominal:.3g} %; picking the extremes adds "
        f"{100.0 * bias / nominal:.2g} % on average"
        if all(r.known for r in readings)
        else ""
    )
    # Which point is highest and lowest is decided once, so that moving a value moves the figure smoothly.
    return _about_a_difference(
        finding_of(
            "line_span", "Span of the output over the lines", "1", top, ["output_voltage"],
            lambda v: float(v["output_voltage"][most] - v["output_voltage"][least]) / nominal,
            "(greatest V − least V) / Vnom", at, over + sided,
        ),
        top[most], top[least],
    )  # fmt: skip


def _slope(top: Rows, at: dict[str, float], over: str) -> Finding:
    lines = np.array([_line_V(p) for p in top])
    return finding_of(
        "line_slope", "Slope of the output over the lines", "mV/V", top, ["output_voltage"],
        lambda v: 1000.0 * line_slope(v["output_voltage"], lines), "least squares of V on Vin", at, over,
    )  # fmt: skip


def _average_efficiency(line: tuple[float, float], points: Rows) -> list[Finding]:
    rows = []
    for load in ACTIVE_LOADS:
        near = [p for p in _with(points, POWER) if abs(_load(p) - load) <= 2.0]
        if not near:
            return []
        rows.append(near[0])
    return [
        finding_of(
            "average_active_efficiency",
            "Average active efficiency",
            "1",
            rows,
            POWER,
            lambda v: average_active_efficiency(v["input_power"], v["output_voltage"], v["output_current"]),
            "η = ¼ Σ V I / Pin",
            _line(line),
            "mean of the ratios at 100, 75, 50 and 25 % load",
            each=_efficiency_row,
        )
    ]


def _efficiency_row(point: Point) -> dict[str, float]:
    pin, v, i = (r.value or 0.0 if (r := point.get(q)) is not None else 0.0 for q in POWER)
    return {"η / %": 100.0 * efficiency(pin, v, i)}


def _full_load(line: tuple[float, float], points: Rows) -> list[Finding]:
    out = []
    conditions = {**_line(line), "load_percent": 100.0}
    for p in (p for p in points if abs(_load(p) - 100.0) <= 2.0):
        if _has(p, ["input_current"]):
            out.append(
                finding_of(
                    "input_current",
                    "Input current, full load",
                    "A",
                    [p],
                    ["input_current"],
                    lambda v: float(v["input_current"][0]),
                    "Iin, rms",
                    conditions,
                )
            )
        power = ["input_power", "input_voltage", "input_current"]
        if _has(p, power):
            out.append(
                finding_of(
                    "power_factor",
                    "Power factor, full load",
                    "1",
                    [p],
                    power,
                    lambda v: float(v["input_power"][0] / (v["input_voltage"][0] * v["input_current"][0])),
                    "PF = Pin / (Vin Iin)",
                    conditions,
                )
            )
        if _has(p, ["case_temperature"]):
            out.append(
                finding_of(
                    "case_temperature",
                    "Case temperature, full load",
                    "degC",
                    [p],
                    ["case_temperature"],
                    lambda v: float(v["case_temperature"][0]),
                    "T as read",
                    conditions,
                )
            )
    return out


def _resistance(line: tuple[float, float], points: Rows) -> list[Finding]:
    quantities = ["output_voltage", "output_current"]
    rows = _with(points, quantities)
    if len({_load(p) for p in rows}) < 3:
        return []
    return [
        finding_of(
            "output_resistance",
            "Output resistance",
            "ohm",
            rows,
            quantities,
            lambda v: output_resistance(v["output_voltage"], v["output_current"]),
            "R = − slope of V on I",
            _line(line),
            f"least squares over {len(rows)} points",
        )
    ]


def _single_efficiencies(line: tuple[float, float], points: Rows) -> list[Finding]:
    return [
        finding_of(
            "efficiency",
            f"Efficiency at {_load(p):g} %",
            "1",
            [p],
            POWER,
            lambda v: float(efficiency(v["input_power"], v["output_voltage"], v["output_current"])[0]),
            "η = V I / Pin",
            {**_line(line), "load_percent": _load(p)},
        )
        for p in _with(points, POWER)
        if _load(p) > 0.0
    ]
