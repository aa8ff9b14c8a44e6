"""Harmonics of the input current: a record of volts and amps, its orders against the limits of IEC 61000-3-2.

A look before compliance work, not a test house's verdict. Where the record allows, the groups of windows of 10 or 12
periods, smoothed with 1.5 s; else bare lines over whole periods, and it says so.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from zincsmith.analysis.accuracy import column
from zincsmith.analysis.harmonic_limits import JudgedOrders, judge_orders
from zincsmith.analysis.point_doubts import point_doubts, where
from zincsmith.analysis.power import ORDERS, Power, window_words
from zincsmith.analysis.uncertainty import Values, propagate
from zincsmith.analysis.waves import Recorded, recorded_of
from zincsmith.model.actions import Dwell, Measure
from zincsmith.model.errors import InputError
from zincsmith.model.finding import Doubt, Finding, Working
from zincsmith.model.operating_point import OperatingPoint
from zincsmith.model.reading import Evidence, Point, Reading
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.base import Context, Conventions, Curve, Curves, Limits, Procedure, Steps
from zincsmith.procedures.beginning import feed, gate
from zincsmith.procedures.harmonics.intake import VoltsAndAmps
from zincsmith.procedures.harmonics.options import NO_RECORD, HarmonicOptions
from zincsmith.procedures.planning import RATED
from zincsmith.procedures.ports import RAMP_PERCENT, at_load, draw, everywhere, idle, plugged_in, rated
from zincsmith.rules.harmonics import Draw, HarmonicLimits, harmonic_class, load_harmonics

NAME = "harmonics"
CLASSES = {name: f"harmonics_class_{name.lower()}" for name in ("A", "B", "C", "D")}
ALWAYS = ("A", "D")  # looked at though nobody chose them; B and C where the fed equipment is of that class
WANTED = ("input_voltage", "input_current", "input_power", "power_factor", "output_voltage", "output_current")
SYSTEMS_V = (220.0, 240.0)
DISAGREE = 0.02  # of the reading
LEAST_SHARE = 0.02  # of the fundamental: smaller orders are not listed in the working


class Harmonics(Procedure):
    name = NAME
    title = "Harmonics of the input current"
    version = 1
    needs: tuple[str, ...] = ("ac_source", "power_meter", "load")
    serves = "the orders of the input current against IEC 61000-3-2, and its total distortion"
    options = HarmonicOptions
    tested_as = "harmonics"
    intakes = (VoltsAndAmps(),)

    def steps(self, ctx: Context) -> Steps:
        """At each line and load: settle, read, record. InputError where the power meter gives no waveforms."""
        if not ctx.records:
            raise InputError(NO_RECORD, key="instrument.power_meter.dialect")
        options = _options(ctx)
        ctx = rated(ctx, options.ports)
        yield from gate(ctx)
        for line in ctx.reachable(options.lines):
            yield from feed(ctx, "Harmonics", line.words, line)
            for percent in RAMP_PERCENT:
                if percent < options.loads_percent[0]:
                    yield from draw(ctx, percent)
                    yield Dwell(1.0, "load climbs")
            for load in options.loads_percent:
                yield from draw(ctx, load)
                yield Dwell(options.settle_s, "settles")
                yield Measure(
                    tuple(q for q in everywhere(ctx, WANTED) if q in ctx.measured),
                    options.average_s,
                    at_load(ctx, line, load),
                    options.record_s,
                )

    def tidy(self, ctx: Context) -> Steps:
        """Leave the unit at no load, its ports at their lowest mode."""
        yield from idle(ctx)
        if _options(ctx).ports == RATED:
            yield from plugged_in(ctx)

    def doubts(self, point: Point) -> list[Doubt]:
        """Source, range and plausibility of one point."""
        return point_doubts(point, ("input_power",))

    def limits(self) -> list[Limits]:
        """Those of the standard's edition that is in force here."""
        found = load_harmonics()
        text = f"Limits for harmonic currents ({found.edition}), {found.digest}"
        return [Limits(text, found.provenance, "" if found.read_by else "IEC 61000-3-2")]

    def plots(self, evidence: Evidence) -> list[Curves]:
        """Each order that has a limit, in percent of it, a line of the mains beside the other."""
        return [
            Curves(f"Harmonics against class {name}", "order", "", "of the limit", "%", "current",
                   tuple(_drawn(evidence, name)), bars=True)
            for name in ALWAYS
        ]  # fmt: skip

    def findings(self, evidence: Evidence, nameplate: Nameplate, conventions: Conventions) -> list[Finding]:
        """At each line and load the distortion, and how much of the limits of a class the worst order takes."""
        limits = load_harmonics()
        chosen = {harmonic_class(choice) for choice in nameplate.rules}
        classes = [name for name in CLASSES if name in limits.classes and (name in ALWAYS or name in chosen)]
        found: list[Finding] = []
        for point in evidence.points:
            seen = _seen(point, evidence.samples)
            if seen is not None:
                found += [_distortion(seen), *(_against(seen, limits, name) for name in classes)]
        return found


def _options(ctx: Context) -> HarmonicOptions:
    return ctx.asked(HarmonicOptions)


@dataclass(frozen=True)
class Seen:
    """A point with what its record shows. ``orders_A`` (41,) rms by order over the whole record, ``average_A`` (41,)
    what is held to limits."""

    point: Point
    recorded: Recorded
    orders_A: NDArray[np.float64]
    average_A: NDArray[np.float64]

    @property
    def power(self) -> Power:
        return self.recorded.power

    @property
    def draw(self) -> Draw:
        return Draw(abs(self.power.real_power), float(self.average_A[1]), self.power.power_factor or 0.0)

    @property
    def at(self) -> OperatingPoint:
        return self.point.at.at_place

    def amps(self, *values: float) -> list[Reading]:
        """Parts of the current as readings of the range it was read on: its data sheet is taken to hold for each."""
        base = self.point.get("input_current")
        plain = base or Reading(f"record of point {self.point.number}", "input_current", None, "A", "", "", "")
        return [replace(plain, id=f"{plain.id}.{n}", value=v, spread=None, count=1) for n, v in enumerate(values, 1)]


def _seen(point: Point, samples: Mapping[str, bytes]) -> Seen | None:
    """None where no record shows order 40."""
    recorded = recorded_of(point, samples)
    if recorded is None or recorded.orders_A is None or recorded.average_A is None:
        return None
    return Seen(point, recorded, recorded.orders_A, recorded.average_A)


def orders_against(point: Point, samples: Mapping[str, bytes]) -> tuple[NDArray[np.float64], Draw] | None:
    """(rms by order in A as held to limits, what the unit takes) of the record of a point; None without one."""
    seen = _seen(point, samples)
    return None if seen is None else (seen.average_A, seen.draw)


def _distortion(seen: Seen) -> Finding:
    """Total distortion: a gain error of the meter acts on all orders alike and leaves the ratio."""
    rest = float(np.sqrt(np.sum(seen.orders_A[2 : ORDERS + 1] ** 2)))
    readings = seen.amps(rest, float(seen.orders_A[1]))

    def formula(v: Values) -> float:
        return float(v["input_current"][0] / v["input_current"][1])

    return _finding(
        seen, "current_thd", "Distortion of the current, THD", readings, formula,
        "orders 2 to 40 over the fundamental", _rows(seen, {}), ("order", "I / A", "of the first / %"),
    )  # fmt: skip


def _against(seen: Seen, limits: HarmonicLimits, name: str) -> Finding:
    """The share of its limit that the worst order takes: of its mean, or of one smoothed value in one and a half."""
    by_order = limits.limits_A(name, seen.draw)
    windows, window_s = seen.recorded.windows_A, seen.recorded.window_s
    judged = judge_orders(seen.average_A, windows, by_order, seen.power.current_rms, window_s, name == "A")
    worst = judged.worst
    readings = seen.amps(float(seen.average_A[worst])) if worst else []
    share = judged.share / float(seen.average_A[worst]) if worst else 0.0

    def formula(v: Values) -> float:
        return float(v["input_current"][0]) * share

    finding = _finding(
        seen, CLASSES[name], f"Harmonics, class {name}", readings,
        formula if worst else lambda _v: 0.0, f"worst order over its limit, class {name}",
        _rows(seen, by_order), ("order", "I / A", "limit / A", "of it / %"), _words(judged),
    )  # fmt: skip
    return replace(
        finding,
        doubts=(*finding.doubts, *_of_the_record(seen)),
        beside_the_point=_beside_the_point(seen, limits.least_W[name]),
    )


def _beside_the_point(seen: Seen, least_W: float) -> str:
    """Why the limits do not speak of this point (IEC 61000-3-2, scope and clause 7; values from memory); else empty."""
    watts, voltage = abs(seen.power.real_power), seen.point.at.line_V
    if watts <= least_W:
        return f"{watts:.3g} W of active input power; the limits apply above {least_W:g} W, lighting apart"
    if not SYSTEMS_V[0] <= voltage <= SYSTEMS_V[1]:
        return f"at {voltage:g} V; the limits are those of {SYSTEMS_V[0]:g} to {SYSTEMS_V[1]:g} V systems"
    return ""


def _words(judged: JudgedOrders) -> str:
    if not judged.worst:
        return "every order is small enough to be disregarded"
    beyond = f"; beyond its limit: order {', '.join(map(str, judged.exceeded))}" if judged.exceeded else ""
    let = f"; passes by a relief: {', '.join(judged.reliefs)}" if judged.reliefs else ""
    return f"order {judged.worst} comes nearest{beyond}{let}"


def _of_the_record(seen: Seen) -> list[Doubt]:
    """What the record gives reason to doubt, with where it was taken; and one too short for a window."""
    found = [replace(d, text=f"At {where(seen.point)}: {d.text}") for d in seen.recorded.doubts]
    found += _beside_the_meter(seen)
    if seen.recorded.windows_A is None and not any(d.code == "record_short" for d in found):
        found.append(Doubt("record_short", f"The record is {window_words(seen.power)}.", "Record for longer."))
    return found


def _beside_the_meter(seen: Seen) -> list[Doubt]:
    """The record and what the meter read beside it, two results of one state."""
    found = []
    for quantity, shown in (("input_voltage", seen.power.voltage_rms), ("input_current", seen.power.current_rms)):
        reading = seen.point.get(quantity)
        if reading is None or not reading.value or abs(shown / reading.value - 1.0) <= DISAGREE:
            continue
        found.append(
            Doubt(
                "two_results_disagree",
                f"At {where(seen.point)} the record shows {shown:.4g} {reading.unit} rms and the meter reads "
                f"{reading.value:.4g} {reading.unit}: both cannot be right.",
                "Check the scale of the record, the probe and the range of the meter.",
            )
        )
    return found


def _rows(seen: Seen, limits: Mapping[int, float]) -> list[dict[str, float | int]]:
    """The orders that count, each with its limit where there is one."""
    amps_of = seen.average_A if limits else seen.orders_A
    first = float(amps_of[1])
    rows: list[dict[str, float | int]] = []
    for order in range(2, ORDERS + 1):
        amps = float(amps_of[order])
        if amps < LEAST_SHARE * first:
            continue
        row: dict[str, float | int] = {"order": order, "I / A": amps, "of the first / %": 100.0 * amps / first}
        if limits.get(order):
            row |= {"limit / A": limits[order], "of it / %": 100.0 * amps / limits[order]}
        rows.append(row)
    return rows


def _finding(
    seen: Seen,
    name: str,
    title: str,
    readings: Sequence[Reading],
    formula: Callable[[Values], float],
    words: str,
    rows: Sequence[dict[str, float | int]],
    columns: tuple[str, ...],
    note: str = "",
) -> Finding:
    estimate = propagate(formula, {"input_current": column(readings)} if readings else {})
    known = all(r.known for r in readings)
    behind = [r.id for q in ("input_current",) if (r := seen.point.get(q)) is not None]
    table = tuple({"point": seen.point.number, **seen.point.at.conditions, **row, "readings": behind} for row in rows)
    notes = "; ".join(x for x in (note, window_words(seen.power)) if x)
    doubts = tuple(point_doubts(seen.point, ("input_power",)))
    if not known:
        doubts += (
            Doubt(
                "accuracy_unknown",
                "The instrument behind this figure states no accuracy, so its uncertainty is not known.",
                "Enter the accuracy from its data sheet in the rig.",
            ),
        )
    return Finding(
        name=name,
        title=title,
        value=estimate.value,
        unit="1",
        u=estimate.u if known else None,
        k=estimate.k if known else None,
        dof=estimate.dof if known else None,
        at=seen.at,
        working=Working(words, columns, table, notes),
        contributions=estimate.contributions,
        doubts=doubts,
    )


def _drawn(evidence: Evidence, name: str) -> list[Curve]:
    limits, found = load_harmonics(), []
    for point in evidence.points:
        seen = orders_against(point, evidence.samples)
        if seen is None:
            continue
        orders_A, draw = seen
        by_order = sorted((n, x) for n, x in limits.limits_A(name, draw).items() if n < len(orders_A) and x > 0.0)
        found.append(
            (
                f"{point.at.line_V:g} V, {point.at.load_percent:g} %",
                [float(n) for n, _ in by_order],
                [100.0 * float(orders_A[n]) / x for n, x in by_order],
            )
        )
    return found


SPEC = Harmonics()
