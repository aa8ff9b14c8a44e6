"""From the points of a static grid to its figures, each with uncertainty and working."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace

import numpy as np

from zincsmith.analysis.point_doubts import wanted_A
from zincsmith.analysis.sweep_doubts import (
    frozen_doubts,
    hidden_step,
    odd_ones,
    product_doubts,
    sag_doubts,
)
from zincsmith.analysis.uncertainty import Values, factor_of
from zincsmith.model.finding import Contribution, Doubt, Finding
from zincsmith.model.operating_point import Mode, OperatingPoint, Purpose, Thermal
from zincsmith.model.port import output_ports, seen_from
from zincsmith.model.reading import Evidence, Point
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.base import Conventions
from zincsmith.procedures.finding_of import WORDS, Rows, finding_of
from zincsmith.procedures.given import POWER, Given
from zincsmith.procedures.rows import amps_of, at_line, carrying, has, load_of, volts_of
from zincsmith.procedures.static_grid.losses import loss_findings
from zincsmith.procedures.static_grid.nodes import node_findings
from zincsmith.procedures.static_grid.regulation import (
    about_a_difference,
    at_once_regulations,
    line_regulations,
    load_regulations,
    resistances,
)
from zincsmith.procedures.static_grid.shares import in_other_modes

ACTIVE_LOADS = (100.0, 75.0, 50.0, 25.0)
EFFICIENCIES = ("efficiency", "average_active_efficiency")
Place = tuple[float | None, float | None]
OVER_LOADS = ("load_regulation", "output_resistance")


def figures(evidence: Evidence, nameplate: Nameplate, conventions: Conventions) -> list[Finding]:
    """All figures the points allow; a figure whose points are missing is not made up. Those of an output are worked out
    of what is seen from it, by mode; those of the unit of the points at which all outputs are loaded alike."""
    found: list[Finding] = []
    for port, output in zip(output_ports(nameplate), nameplate.outputs, strict=True):
        seen: dict[Mode, list[Point]] = {}
        for point in evidence.points:
            if point.at.about in ("", port):
                seen.setdefault(point.at.mode(port), []).append(point)
        for mode, points in seen.items():
            plate = seen_from(nameplate, port, mode)
            varied = tuple(p.seen_from(port) for p in points if p.at.about == port)
            level = tuple(p.seen_from(port) for p in points)
            own = of_output(level, varied, plate, conventions)
            title = f"{{}}, {port}".format if port else str
            found += [replace(f, output=port, title=title(f.title), at=_in_mode(f.at, mode)) for f in own]
        found += in_other_modes(evidence, output, port)
    found += node_findings([p for p in evidence.points if p.at.graded], nameplate)
    return found + of_unit(tuple(p for p in evidence.points if not p.at.about), nameplate)


def _in_mode(at: OperatingPoint, mode: Mode) -> OperatingPoint:
    return replace(at, modes=(("", mode),)) if mode else at


def of_output(level: Rows, varied: Rows, nameplate: Nameplate, conventions: Conventions) -> list[Finding]:
    """The figures of one output as its plate states it alone: of its level from every point, of what it does with its
    own load from those at which no other load was changed along."""
    warm, own = [p for p in level if p.at.graded], _by_line([p for p in varied if p.at.graded])
    again = _by_line([p for p in varied if p.at.step is Purpose.AGAIN])
    turns = _by_line([p for p in varied if p.at.step is Purpose.TURN])
    line_turns = [p for p in level if p.at.step is Purpose.LINE_TURN]
    loaded = _from_minimum(warm, nameplate)
    found = [*_output_voltage(loaded), *_static_accuracy(loaded, nameplate)]
    for line, points in own.items():
        taken = turns.get(line, [])
        found += load_regulations(line, _from_minimum(points, nameplate), nameplate, conventions, taken)
        found += at_once_regulations(line, taken, nameplate)
        found += resistances(line, [*points, *again.get(line, ())], nameplate)
        found += _minimum_load(line, points, nameplate)
        found += _full_load(line, points, OF_OUTPUT)
    found += line_regulations(list(_by_line(warm).values()), nameplate, line_turns)
    found += _drift([p for p in level if p.at.state is Thermal.COLD], warm)
    return _doubted(found, level)


def of_unit(points: Rows, nameplate: Nameplate) -> list[Finding]:
    """The figures of the unit as a whole, all its outputs together."""
    by_line, given = _by_line([p for p in points if p.at.graded]), Given(output_ports(nameplate))
    found: list[Finding] = []
    for line, rows in by_line.items():
        found += _average_efficiency(line, rows, given)
        found += _full_load(line, rows, of_the_unit(given))
        found += _single_efficiencies(line, rows, given)
        found += loss_findings(at_line(line), carrying(rows, POWER))
    modes = {p.at.modes for p in points}
    if len(modes) == 1:
        found = [replace(f, at=replace(f.at, modes=next(iter(modes)))) for f in found]
    return _doubted(found, points)


def _doubted(found: list[Finding], taken: Rows) -> list[Finding]:
    """With what the points as a whole cast on figures: a meter that froze, readings that were multiplied, points off
    the curve, an input that gives way, a step too small to be seen."""
    by_line = _by_line([p for p in taken if p.at.graded])
    odd: dict[int, Doubt] = {}
    sags: dict[Place, list[Doubt]] = {}
    for line, points in by_line.items():
        odd |= odd_ones(points)
        sags[line] = sag_doubts(points)
    whole = [frozen_doubts(taken)] + [product_doubts(points) for points in by_line.values()]
    for by_quantity in whole:
        found = [_with_quantity(f, by_quantity) for f in found]
    hidden: dict[Place, list[Doubt]] = {line: hidden_step(points) for line, points in by_line.items()}
    return [_with_hidden(_with_sweep_doubts(f, odd, sags), hidden) for f in found]


def _by_line(points: Rows) -> dict[tuple[float, float], list[Point]]:
    out: dict[tuple[float, float], list[Point]] = {}
    for point in points:
        out.setdefault((point.at.line_V, point.at.frequency_Hz), []).append(point)
    return out


def _drift(cold: Rows, warm: Rows) -> list[Finding]:
    """How far the output moves while it warms up: the same load at the same line, first and when it is steady."""
    out = []
    for first in carrying(cold, ["output_voltage"]):
        place = first.at.at_place
        later = [p for p in carrying(warm, ["output_voltage"]) if place.covers(p.at)]
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
        out.append(about_a_difference(finding, first, then))
    return out


def _with_sweep_doubts(finding: Finding, odd: dict[int, Doubt], sags: Mapping[Place, list[Doubt]]) -> Finding:
    """What the whole sweep casts on a figure: points of it that do not lie on the curve, an input that gives way."""
    further = []
    if finding.name in EFFICIENCIES:
        numbers = [row["point"] for row in finding.working.rows]
        further += [odd[n] for n in numbers if n in odd]
        further += sags.get(finding.at.line, [])
    return replace(finding, doubts=(*finding.doubts, *further)) if further else finding


def _with_quantity(finding: Finding, by_quantity: dict[str, Doubt]) -> Finding:
    """What froze, or was multiplied, goes with every figure that was worked out of it."""
    shown = {name for row in finding.working.rows for name in row}
    used = [doubt for name, doubt in sorted(by_quantity.items()) if WORDS.get(name, name) in shown]
    fresh = [d for d in used if d not in finding.doubts]
    return replace(finding, doubts=(*finding.doubts, *fresh)) if fresh else finding


def _with_hidden(finding: Finding, hidden: Mapping[Place, list[Doubt]]) -> Finding:
    """A change that the display cannot show goes with the figures that are differences of the output over loads."""
    if finding.name not in OVER_LOADS:
        return finding
    return replace(finding, doubts=(*finding.doubts, *hidden.get(finding.at.line, [])))


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
    rows = sorted(carrying(points, ["output_voltage", "output_current"]), key=amps_of)
    if percent is None or not rows:
        return []
    half = abs(plate.output.voltage_V) * percent / 100.0
    outside = [n for n, p in enumerate(rows) if abs(volts_of(p) - plate.output.voltage_V) > half]
    if not outside or outside[-1] == len(rows) - 1:
        return []
    pair = rows[outside[-1] : outside[-1] + 2]
    below, above = (amps_of(p) for p in pair)
    part = Contribution("between the two loads", (above - below) / 2.0 / 3.0**0.5, True, rectangular=True)
    band = f"{plate.output.voltage_V:g} V ±{percent:g} %"
    shown = finding_of(
        "minimum_load", "Minimum load", "A", pair, ["output_voltage", "output_current"],
        lambda v: float(np.mean(v["output_current"])), "middle of the two loads", at_line(line),
        f"outside {band} at {below:.3g} A, inside from {above:.3g} A on",
    )  # fmt: skip
    return [replace(shown, u=part.effect, k=factor_of((part,), None), dof=None, contributions=(part,))]


def _output_voltage(points: Rows) -> list[Finding]:
    rows = carrying(points, ["output_voltage"])
    if not rows:
        return []
    out = []
    for name, title, pick in (("min", "lowest", min), ("max", "highest", max)):
        extreme = pick(rows, key=volts_of)
        at = [extreme]
        out.append(
            finding_of(
                f"output_voltage_{name}",
                f"Output voltage, {title}",
                "V",
                at,
                ["output_voltage"],
                lambda v: float(v["output_voltage"][0]),
                f"{name}(V) over {len(rows)} points",
                extreme.at,
            )
        )
    return out


def _static_accuracy(points: Rows, plate: Nameplate) -> list[Finding]:
    """How far the output lies from its nominal volts where it lies farthest, signed, as a ratio of them."""
    rows, nominal = carrying(points, ["output_voltage"]), plate.output.voltage_V
    if not rows or not nominal:
        return []
    farthest = max(rows, key=lambda p: abs(volts_of(p) - nominal))
    return [
        finding_of(
            "static_accuracy", "Output against its nominal volts, farthest", "1", [farthest], ["output_voltage"],
            lambda v: float(v["output_voltage"][0]) / nominal - 1.0, "V / Vnom − 1", farthest.at,
            f"farthest of {len(rows)} points",
        )
    ]  # fmt: skip


def _average_efficiency(line: tuple[float, float], points: Rows, given: Given) -> list[Finding]:
    rows = []
    for load in ACTIVE_LOADS:
        near = [p for p in carrying(points, given.with_input) if abs(load_of(p) - load) <= 2.0]
        if not near:
            return []
        rows.append(near[0])
    return [
        finding_of(
            "average_active_efficiency",
            "Average active efficiency",
            "1",
            rows,
            given.with_input,
            lambda v: float(np.mean(given.watts(v) / v["input_power"])),
            "η = ¼ Σ V I / Pin",
            at_line(line),
            "mean of the ratios at 100, 75, 50 and 25 % load",
            each=given.efficiency_row,
        )
    ]


@dataclass(frozen=True)
class AtFull:
    """One figure of the point at full load: name, title, unit, what it is worked out from and how, in words too."""

    name: str
    title: str
    unit: str
    quantities: tuple[str, ...]
    formula: Callable[[Values], float]
    words: str


OF_OUTPUT = (
    AtFull("full_load_output_current", "Output current, full load", "A", ("output_current",),
           lambda v: float(v["output_current"][0]), "I as read"),
)  # fmt: skip
AT_INPUT = (
    AtFull("input_current", "Input current, full load", "A", ("input_current",),
           lambda v: float(v["input_current"][0]), "Iin, rms"),
    AtFull("power_factor", "Power factor, full load", "1", ("input_power", "input_voltage", "input_current"),
           lambda v: float(v["input_power"][0] / (v["input_voltage"][0] * v["input_current"][0])),
           "PF = Pin / (Vin Iin)"),
    AtFull("full_load_input_power", "Input power, full load", "W", ("input_power",),
           lambda v: float(v["input_power"][0]), "Pin"),
    AtFull("case_temperature", "Case temperature, full load", "degC", ("case_temperature",),
           lambda v: float(v["case_temperature"][0]), "T as read"),
)  # fmt: skip


def of_the_unit(given: Given) -> tuple[AtFull, ...]:
    """What is told of the whole unit at full load."""
    power = AtFull("full_load_output_power", "Output power, full load", "W", given.names,
                   lambda v: float(given.watts(v)[0]), "P = V I")  # fmt: skip
    return (*AT_INPUT, power)


def _full_load(line: tuple[float, float], points: Rows, wanted: tuple[AtFull, ...]) -> list[Finding]:
    at = at_line(line, 100.0)
    wanted = tuple(one for one in wanted if line[1] or one.name != "power_factor")  # direct current has none
    return [
        _as_set(finding_of(one.name, one.title, one.unit, [p], one.quantities, one.formula, one.words, at), p)
        for p in points
        if abs(load_of(p) - 100.0) <= 2.0
        for one in wanted
        if has(p, one.quantities)
    ]


AS_THE_LOAD = ("input_current", "full_load_input_power")  # go with the load nearly in proportion


def _as_set(finding: Finding, point: Point) -> Finding:
    """With what the load was off the one it is told for: it was set, and read back, a little beside it."""
    wanted, drawn = wanted_A(point) or 0.0, point.get("output_current")
    if finding.name not in AS_THE_LOAD or finding.u is None or finding.value is None:
        return finding
    if wanted <= 0.0 or drawn is None or drawn.value is None or drawn.value == wanted:
        return finding
    effect = finding.value * (drawn.value / wanted - 1.0) / 3.0**0.5
    part = Contribution("load set a little off", effect, True, rectangular=True)
    parts = (*finding.contributions, part)
    u = (finding.u**2 + effect**2) ** 0.5
    dof = finding.dof * (u / finding.u) ** 4 if finding.dof is not None and finding.u > 0.0 else None
    return replace(finding, u=u, dof=dof, k=factor_of(parts, dof), contributions=parts)


def _single_efficiencies(line: tuple[float, float], points: Rows, given: Given) -> list[Finding]:
    return [
        finding_of(
            "efficiency",
            f"Efficiency at {load_of(p):g} %",
            "1",
            [p],
            given.with_input,
            lambda v: float((given.watts(v) / v["input_power"])[0]),
            "η = V I / Pin",
            at_line(line, load_of(p)),
        )
        for p in carrying(points, given.with_input)
        if load_of(p) > 0.0
    ]
