"""Harmonics of the input current: a record of volts and amps, its orders against the limits of IEC 61000-3-2.

A look before compliance work, not a test house's verdict: bare lines over whole periods, windows of 10 or 12 periods
for the rule of 150 %, no groups.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from zincsmith.analysis.accuracy import column
from zincsmith.analysis.harmonic_limits import JudgedOrders, judge_orders
from zincsmith.analysis.power import ORDERS, Power, window_words
from zincsmith.analysis.uncertainty import Values, propagate
from zincsmith.analysis.waves import recorded_of
from zincsmith.model.actions import Dwell, Measure, SetLoad
from zincsmith.model.errors import InputError
from zincsmith.model.finding import Doubt, Finding, Working
from zincsmith.model.plan import HarmonicOptions
from zincsmith.model.reading import Evidence, Point, Reading
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.base import Context, Conventions, Steps, at_point, fed_by_one_mains
from zincsmith.procedures.beginning import feed, gate
from zincsmith.procedures.point_doubts import point_doubts
from zincsmith.procedures.static_grid import RAMP_PERCENT
from zincsmith.rules.harmonics import HarmonicLimits, load_harmonics

NAME = "harmonics"
CLASSES = {"A": "harmonics_class_a", "D": "harmonics_class_d"}
WANTED = ("input_voltage", "input_current", "input_power", "power_factor", "output_voltage", "output_current")
MOST_THD = 0.02  # of the source (IEC 62301 and IEC 61000-3-2 ask for less in single orders; value from memory)
LEAST_W, SYSTEMS_V = 75.0, (220.0, 240.0)
LEAST_SHARE = 0.02  # of the fundamental: smaller orders are not listed in the working


class Harmonics:
    name = NAME
    title = "Harmonics of the input current"
    version = 1
    needs: tuple[str, ...] = ("ac_source", "power_meter", "load")
    serves = "the orders of the input current against IEC 61000-3-2, and its total distortion"

    def suits(self, plate: Nameplate) -> str:
        """Empty when this procedure fits the unit, else the reason why not."""
        return fed_by_one_mains(plate)

    def steps(self, ctx: Context) -> Steps:
        """At each line and load: settle, read, record. InputError where the power meter gives no waveforms."""
        if not ctx.records:
            raise InputError(NO_RECORD, key="instrument.power_meter.dialect")
        options = _options(ctx)
        yield from gate(ctx)
        for line in ctx.reachable(options.lines):
            yield from feed("Harmonics", line.words, line)
            for percent in RAMP_PERCENT:
                if percent < options.loads_percent[0]:
                    yield SetLoad(percent / 100.0 * ctx.nameplate.output.current_A, True)
                    yield Dwell(1.0, "load climbs")
            for load in options.loads_percent:
                amps = load / 100.0 * ctx.nameplate.output.current_A
                yield SetLoad(amps, load > 0.0)
                yield Dwell(options.settle_s, "settles")
                yield Measure(
                    tuple(q for q in WANTED if q in ctx.measured),
                    options.average_s,
                    at_point(line, load, amps),
                    options.record_s,
                )

    def tidy(self, ctx: Context) -> Steps:
        """Leave the unit at no load."""
        yield SetLoad(0.0, False)

    def doubts(self, point: Point) -> list[Doubt]:
        """Source, range and plausibility of one point."""
        return point_doubts(point, ("input_power",))

    def findings(self, evidence: Evidence, nameplate: Nameplate, conventions: Conventions) -> list[Finding]:
        """At each line and load the distortion, and how much of the limits of class A and D the worst order takes."""
        limits = load_harmonics()
        found: list[Finding] = []
        for point in evidence.points:
            seen = _seen(point, evidence.samples)
            if seen is not None:
                found += [_distortion(seen), *(_against(seen, limits, name) for name in CLASSES)]
        return found


NO_RECORD = (
    "the power meter gives no waveforms; record volts and amps with something else, and take the file in as evidence"
)


def _options(ctx: Context) -> HarmonicOptions:
    assert isinstance(ctx.options, HarmonicOptions)
    return ctx.options


@dataclass(frozen=True)
class Seen:
    """A point with what its record shows. ``orders_A`` (41,) rms by order, ``windows_A`` those of each window."""

    point: Point
    power: Power
    orders_A: NDArray[np.float64]
    windows_A: NDArray[np.float64] | None
    clipped: float  # share of the amps

    @property
    def conditions(self) -> dict[str, float]:
        keys = ("input_voltage_V", "frequency_Hz", "load_percent")
        return {k: self.point.conditions[k] for k in keys}

    def amps(self, *values: float) -> list[Reading]:
        """Parts of the current as readings of the range it was read on: its data sheet is taken to hold for each."""
        base = self.point.get("input_current")
        plain = base or Reading(f"record of point {self.point.number}", "input_current", None, "A", "", "", "")
        return [replace(plain, id=f"{plain.id}.{n}", value=v, spread=None, count=1) for n, v in enumerate(values, 1)]


def _seen(point: Point, samples: Mapping[str, bytes]) -> Seen | None:
    """None where no record shows order 40."""
    recorded = recorded_of(point, samples)
    if recorded is None or recorded.orders_A is None:
        return None
    return Seen(point, recorded.power, recorded.orders_A, recorded.windows_A, recorded.clipped)


def orders_against(point: Point, samples: Mapping[str, bytes]) -> tuple[NDArray[np.float64], float, float] | None:
    """(rms by order in A, real power in W, rms of all in A) of the record of a point; None without one."""
    seen = _seen(point, samples)
    return None if seen is None else (seen.orders_A, abs(seen.power.real_power), seen.power.current_rms)


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
    """The share of its limit that the worst order takes: of its mean, or of one window in one and a half."""
    by_order = limits.limits_A(name, abs(seen.power.real_power))
    judged = judge_orders(seen.orders_A, seen.windows_A, by_order, seen.power.current_rms)
    worst = judged.worst
    readings = seen.amps(float(seen.orders_A[worst])) if worst else []
    share = judged.share / float(seen.orders_A[worst]) if worst else 0.0

    def formula(v: Values) -> float:
        return float(v["input_current"][0]) * share

    finding = _finding(
        seen, CLASSES[name], f"Harmonics, class {name}", readings,
        formula if worst else lambda v: 0.0, f"worst order over its limit, class {name}",
        _rows(seen, by_order), ("order", "I / A", "limit / A", "of it / %"), _words(judged),
    )  # fmt: skip
    return replace(finding, doubts=(*finding.doubts, *_of_the_record(seen)), beside_the_point=_beside_the_point(seen))


def _beside_the_point(seen: Seen) -> str:
    """Why the limits do not speak of this point (IEC 61000-3-2, scope and clause 7; values from memory); else empty."""
    watts, volts = abs(seen.power.real_power), seen.point.conditions["input_voltage_V"]
    if watts <= LEAST_W:
        return f"{watts:.3g} W of active input power; the limits apply above {LEAST_W:g} W, lighting apart"
    if not SYSTEMS_V[0] <= volts <= SYSTEMS_V[1]:
        return f"at {volts:g} V; the limits are those of {SYSTEMS_V[0]:g} to {SYSTEMS_V[1]:g} V systems"
    return ""


def _words(judged: JudgedOrders) -> str:
    if not judged.worst:
        return "every order is small enough to be disregarded"
    beyond = f"; beyond its limit: order {', '.join(map(str, judged.exceeded))}" if judged.exceeded else ""
    return f"order {judged.worst} comes nearest{beyond}"


def _of_the_record(seen: Seen) -> list[Doubt]:
    """A distorted source, and a record too short for the rule of 150 %."""
    found = []
    thd = seen.power.voltage_thd
    if thd is not None and thd > MOST_THD:
        found.append(
            Doubt(
                "source_out_of_tolerance",
                f"At {seen.point.conditions['input_voltage_V']:g} V the volts are distorted by {100 * thd:.1f} %.",
                "Use a cleaner source: what it is distorted by draws current of its own.",
            )
        )
    if seen.clipped:
        found.append(
            Doubt(
                "clipped",
                f"The recorded amps stand at the end of their range for {100.0 * seen.clipped:.1f} % of the time.",
                "Take the next range: a record without its peaks has other orders.",
            )
        )
    if seen.windows_A is None:
        found.append(Doubt("record_short", f"The record is {window_words(seen.power)}.", "Record for longer."))
    return found


def _rows(seen: Seen, limits: Mapping[int, float]) -> list[dict[str, float | int]]:
    """The orders that count, each with its limit where there is one."""
    first = float(seen.orders_A[1])
    rows: list[dict[str, float | int]] = []
    for order in range(2, ORDERS + 1):
        amps = float(seen.orders_A[order])
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
    table = tuple({"point": seen.point.number, **seen.point.conditions, **row, "readings": behind} for row in rows)
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
        conditions=seen.conditions,
        working=Working(words, columns, table, notes),
        contributions=estimate.contributions,
        doubts=doubts,
    )
