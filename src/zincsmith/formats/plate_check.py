"""Whether ratings make sense, field by field: the one place for files and for the Nameplate station."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date
from itertools import pairwise

from zincsmith.model.figures import FIGURES
from zincsmith.model.record import Span
from zincsmith.model.unit import INPUT_SIDE, InputRating, Nameplate, OutputRating, Unit

MOST_NODE_V = 2000.0


@dataclass(frozen=True)
class Problem:
    """``field`` is the path of the value in a unit file, such as ``output.0.voltage_V``."""

    field: str
    message: str


# name: (words, least, most): a rating outside is no rating of a supply this bench could hold.
SPANS = {
    "input.voltage_V": ("input voltage", 1.0, 1000.0),
    "input.current_A": ("input current", 0.001, 500.0),
    "input.power_W": ("input power", 0.01, 50000.0),
    "input.output_power_W": ("output power on this input", 0.01, 20000.0),
    "output.voltage_V": ("output voltage", 0.1, 1000.0),
    "output.current_A": ("output current", 0.001, 500.0),
    "output.power_W": ("output power", 0.01, 20000.0),
    "output.tolerance_percent": ("tolerance", 0.01, 50.0),
    "output.load_regulation_percent": ("load regulation", 0.001, 50.0),
    "output.line_regulation_percent": ("line regulation", 0.001, 50.0),
    "output.minimum_A": ("minimum load", 0.0, 500.0),
    "output.ripple_V": ("ripple", 1e-6, 100.0),
    "output.surge_W": ("surge power", 0.01, 100000.0),
    "output.surge_s": ("surge time", 1e-4, 3600.0),
    "average_efficiency_percent": ("average efficiency", 1.0, 100.0),
    "no_load_power_W": ("no-load power", 0.001, 1000.0),
    "total_power_W": ("total power", 0.01, 50000.0),
}
UNITS = {"V": "V", "A": "A", "W": "W", "percent": "%", "Hz": "Hz", "s": "s"}


def check_unit(unit: Unit) -> list[Problem]:
    """All problems of a unit, those of its ratings first."""
    return [*check_nameplate(unit.nameplate), *_unit(unit), *_reported(unit)]


def _reported(unit: Unit) -> Iterator[Problem]:
    for n, one in enumerate(unit.reported):
        if not one.what.strip():
            yield Problem(f"reported.{n}.what", "must not be empty")
        if one.figure and one.figure not in FIGURES:
            yield Problem(f"reported.{n}.figure", f"{one.figure!r} is no figure")
        if one.low is not None and one.high is not None and one.low > one.high:
            yield Problem(f"reported.{n}.low", f"the lower end, {one.low:g}, is above the upper end, {one.high:g}")


def check_nameplate(plate: Nameplate) -> list[Problem]:
    """All problems, in the order of the fields; empty when the ratings can be used."""
    found: list[Problem] = []
    for n, one in enumerate(plate.inputs):
        found += _input(one, f"input.{n}")
    for n, out in enumerate(plate.outputs):
        found += _output(out, f"output.{n}")
    for key in ("average_efficiency_percent", "no_load_power_W", "total_power_W"):
        found += _within(key, key, getattr(plate, key))
    return [*found, *_names(plate), *_nodes(plate), *_claims(plate), *_ambient(plate)]


def _within(field: str, name: str, value: float | None) -> Iterator[Problem]:
    words, least, most = SPANS[name]
    if value is not None and not (math.isfinite(value) and least <= value <= most):
        unit = UNITS[name.rsplit("_", 1)[1]]
        yield Problem(field, f"{words} must lie between {least:g} and {most:g} {unit}; {value:g} cannot be a rating")


def _span(field: str, name: str, span: Span) -> Iterator[Problem]:
    for value in span:
        yield from _within(field, name, value)
    if span[0] > span[1]:
        yield Problem(field, f"the lower end, {span[0]:g}, is above the upper end, {span[1]:g}")


def _input(one: InputRating, at: str) -> Iterator[Problem]:
    yield from _span(f"{at}.voltage_V", "input.voltage_V", one.voltage_V)
    for key in ("current_A", "power_W", "output_power_W"):
        yield from _within(f"{at}.{key}", f"input.{key}", getattr(one, key))
    if one.type == "ac" and (not one.frequency_Hz or any(not 40.0 <= f <= 440.0 for f in one.frequency_Hz)):
        yield Problem(f"{at}.frequency_Hz", "name at least one frequency between 40 and 440 Hz")
    if one.type == "dc" and one.frequency_Hz:
        yield Problem(f"{at}.frequency_Hz", "a DC input has no frequency")
    if one.selector_V and one.selector_set_V is not None and one.selector_set_V not in one.selector_V:
        positions = ", ".join(f"{v:g} V" for v in one.selector_V)
        yield Problem(f"{at}.selector_set_V", f"the range switch has no such position; it has: {positions}")
    for voltage in one.selector_V:
        yield from _within(f"{at}.selector_V", "input.voltage_V", voltage)
    for current in one.output_A.values():
        yield from _within(f"{at}.output_A", "output.current_A", current)


def _output(one: OutputRating, at: str) -> Iterator[Problem]:
    if math.isnan(one.voltage_V) or (one.voltage_V <= 0.0 and one.type == "ac"):
        yield Problem(f"{at}.voltage_V", f"output voltage: {one.voltage_V:g} cannot be a rating")
    else:
        yield from _within(f"{at}.voltage_V", "output.voltage_V", abs(one.voltage_V))
    keys = ("current_A", "power_W", "tolerance_percent", "load_regulation_percent", "line_regulation_percent",
            "minimum_A", "ripple_V", "surge_W", "surge_s")  # fmt: skip
    for key in keys:
        yield from _within(f"{at}.{key}", f"output.{key}", getattr(one, key))
    if one.minimum_A is not None and one.minimum_A > one.current_A:
        yield Problem(f"{at}.minimum_A", "the minimum load is above the rated current")
    for key, span, name in (
        ("adjustable_V", one.adjustable_V, "output.voltage_V"),
        ("adjustable_A", one.adjustable_A, "output.current_A"),
    ):
        if span is not None:
            yield from _span(f"{at}.{key}", name, (span[0] or span[1], span[1]))
    for mode in one.modes:
        yield from _within(f"{at}.modes", "output.voltage_V", abs(mode.voltage_V))
        yield from _within(f"{at}.modes", "output.current_A", mode.current_A)
        yield from _within(f"{at}.modes", "output.power_W", mode.power_W)
    for ranged in one.programmable:
        yield from _span(f"{at}.programmable", "output.voltage_V", ranged.voltage_V)
        yield from _within(f"{at}.programmable", "output.current_A", ranged.current_A)
    if one.type == "ac" and any(not 40.0 <= f <= 440.0 for f in one.frequency_Hz):
        yield Problem(f"{at}.frequency_Hz", "the frequency of an AC output lies between 40 and 440 Hz")


def _names(plate: Nameplate) -> Iterator[Problem]:
    names = [one.name for one in plate.outputs]
    for n, name in enumerate(names if len(names) > 1 else ()):
        if not name.strip() or name in names[:n]:
            why = "is given twice" if name.strip() else "is missing"
            yield Problem(f"output.{n}.name", f"several outputs need a name each; {name or 'this one'} {why}")
    for n, one in enumerate(plate.inputs):
        yield from _unknown(plate, f"input.{n}.output_A", tuple(one.output_A))
    yield from _together(plate)


def _unknown(plate: Nameplate, field: str, wanted: tuple[str, ...]) -> Iterator[Problem]:
    names = [one.name for one in plate.outputs]
    for name in wanted:
        if name not in names:
            yield Problem(field, f"there is no output {name!r}; there are: {', '.join(names) or 'none'}")


def _together(plate: Nameplate) -> Iterator[Problem]:
    """What several outputs are said to have together."""
    for n, limit in enumerate(plate.limits):
        yield from _unknown(plate, f"limit.{n}.outputs", limit.outputs)
        if limit.power_W is None and limit.current_A is None:
            yield Problem(f"limit.{n}.power_W", "a combined limit states power_W or current_A")
        yield from _within(f"limit.{n}.power_W", "output.power_W", limit.power_W)
        yield from _within(f"limit.{n}.current_A", "output.current_A", limit.current_A)
    for n, share in enumerate(plate.sharing):
        yield from _unknown(plate, f"sharing.{n}.ports", share.ports)
        if len(share.ports) != len(share.each_W):
            yield Problem(f"sharing.{n}.each_W", f"{len(share.ports)} ports, {len(share.each_W)} figures")
        for power in share.each_W:
            yield from _within(f"sharing.{n}.each_W", "output.power_W", power)


def _nodes(plate: Nameplate) -> Iterator[Problem]:
    """Places inside the unit: each by a name of its own, against something, between ports that there are."""
    names, ports = [one.name for one in plate.nodes], {INPUT_SIDE, *(one.name for one in plate.outputs)}
    for n, one in enumerate(plate.nodes):
        if not one.name.strip() or one.name in names[:n] or one.name in ports:
            yield Problem(f"node.{n}.name", "a node has a name that no other node and no output has")
        if not one.reference.strip():
            yield Problem(f"node.{n}.reference", "say against what its volts are measured")
        if one.rated_V is not None and not 0.0 < one.rated_V <= MOST_NODE_V:
            yield Problem(f"node.{n}.rated_V", f"cannot be what its parts stand: above 0, up to {MOST_NODE_V:g} V")
        for side in one.between:
            if side not in ports:
                there = ", ".join(sorted(p for p in ports if p))
                yield Problem(f"node.{n}.between", f"there is no port {side!r}; there are: {there}")


def _claims(plate: Nameplate) -> Iterator[Problem]:
    names = {one.name for one in plate.outputs}
    for n, claim in enumerate(plate.claims):
        at = f"claim.{n}"
        if claim.figure not in FIGURES:
            yield Problem(f"{at}.figure", f"no such figure: {claim.figure!r}; there are: {', '.join(FIGURES)}")
        bounds = [b for b in (claim.low, claim.high) if b is not None]
        if not bounds:
            yield Problem(f"{at}.high", "a claim states low or high, or both")
        if any(not math.isfinite(b) or abs(b) > 1e6 for b in bounds):
            yield Problem(f"{at}.{'low' if claim.high is None else 'high'}", "that cannot be a rating")
        if len(bounds) == 2 and bounds[0] >= bounds[1]:
            yield Problem(f"{at}.low", f"the lower bound, {bounds[0]:g}, is not below the upper, {bounds[1]:g}")
        if claim.output and claim.output not in names:
            yield Problem(f"{at}.output", f"there is no output {claim.output!r}")
        spans = (claim.condition.line_V, claim.condition.load_percent, claim.condition.ambient_degC)
        if any(s is not None and s[0] > s[1] for s in spans):
            yield Problem(f"{at}.condition", "a lower end is above its upper end")


def _ambient(plate: Nameplate) -> Iterator[Problem]:
    if plate.ambient_degC is not None and not -80.0 <= plate.ambient_degC[0] <= plate.ambient_degC[1] <= 150.0:
        yield Problem("ambient_degC", "the ambient range lies between -80 and 150 degC, lower end first")
    points = plate.derating
    if any(not (-80.0 <= t <= 150.0 and 0.0 <= share <= 100.0) for t, share in points):
        yield Problem("derating", "each point is [ambient in degC, percent of rating from 0 to 100]")
    if any(b[0] <= a[0] for a, b in pairwise(points)):
        yield Problem("derating", "the points go from cold to hot")


def _unit(unit: Unit) -> Iterator[Problem]:
    names = {one.name for one in unit.nameplate.outputs}
    states = [c.name for c in unit.configurations]
    if states and unit.configuration not in states:
        yield Problem("configuration", f"no such configuration; there are: {', '.join(states)}")
    if len(set(states)) < len(states):
        yield Problem("configurations", "two configurations have the same name")
    for n, terminal in enumerate(unit.terminals):
        if terminal.output and terminal.output not in names:
            yield Problem(f"terminal.{n}.output", f"there is no output {terminal.output!r}")
    if unit.hours is not None and not 0.0 <= unit.hours <= 1e6:
        yield Problem("hours", "cannot be hours run: 0 to a million")
    yield from _look(unit)
    for n, record in enumerate(unit.safety):
        if not 0.0 <= record.value <= 1e15:
            yield Problem(f"safety.{n}.value", "a safety reading is not below zero")


def _look(unit: Unit) -> Iterator[Problem]:
    names = {one.name for one in unit.nameplate.outputs}
    for part in unit.look.parts:
        figures = (part.rated_V, part.rated_A, part.capacitance_F, part.drop_V, part.ohm)
        if any(x is not None and not 0.0 < x <= 1e5 for x in figures) or not 1 <= part.count <= 1000:
            yield Problem("look.parts", f"{part.name}: a marking is above zero, and there is at least one piece")
        for name in part.serves:
            if name not in names:
                yield Problem("look.parts", f"{part.name}: there is no output {name!r}")
    body = unit.look.physical
    sizes = (
        body.mass_g,
        body.internals_g,
        body.added_g,
        body.with_cord_g,
        body.packed_g,
        body.delivery_days,
        *(body.size_mm or ()),
    )
    if any(x is not None and not 0.0 < x <= 1e6 for x in sizes) or (body.price is not None and body.price < 0.0):
        yield Problem("look.physical", "mass, size and days are above zero")
    if body.price_on and not _is_day(body.price_on):
        yield Problem("look.physical", f"the day of its price is written 2026-11-20, not {body.price_on}")


def _is_day(text: str) -> bool:
    try:
        return date.fromisoformat(text).isoformat() == text
    except ValueError:
        return False
