"""A battery charged: the limit seen into a link, the battery's polarity read, amps held, then volts, down to the tail.

Somebody stays. What a maker allows bounds everything: volts by a hard watch and the unit's own protection, amps by the
limit that was seen, hours, ampere-hours and temperature by the steps themselves.
"""

from __future__ import annotations

from collections.abc import Generator, Sequence
from dataclasses import replace

from zincsmith.analysis.charge import CELLS, Charged, charged
from zincsmith.analysis.uncertainty import Values
from zincsmith.model.actions import (
    Action,
    ChooseMode,
    Confirm,
    Dwell,
    Measure,
    Measured,
    Note,
    Outcome,
    SetSource,
    Stage,
    Stop,
    Watch,
)
from zincsmith.model.address import at_port
from zincsmith.model.errors import InputError
from zincsmith.model.finding import Doubt, Finding, Working
from zincsmith.model.operating_point import Feed, OperatingPoint, SetPoint
from zincsmith.model.plan import Line
from zincsmith.model.reading import Evidence, Point
from zincsmith.model.roles import SOURCE
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.base import Context, Conventions, Curves, Procedure, Steps
from zincsmith.procedures.beginning import COMES_UP_S, gate
from zincsmith.procedures.charging.options import ChargingOptions
from zincsmith.procedures.finding_of import at_most, finding_of
from zincsmith.procedures.ports import idle, set_ports, top_of
from zincsmith.procedures.rows import carrying

NAME = "charging"
STATE, TO_V, TO_A, END_A, CELL = "charge", "to_V", "to_A", "end_A", "cells"  # stated with a point
LINK, JOINED, CHARGING, RESTED = 0.0, 1.0, 2.0, 3.0
OVER_V, TRIP_V = 1.01, 1.03  # of the volts it is charged to: where the run ends, where the unit's own protection is set
OVER_A = 1.05  # of the amps that were set: more into a link joins no battery; common practice, no source
FULL_V = 0.98  # of the volts: below them few amps say that it is not joined, not that it is full
READ_S, SEES_S = 2.0, 3.0
MAKER, SET_ERROR = "as its maker allows, and what a supply errs by", 0.005  # of its volts; common practice, no source
LIKELY = 0.8  # of its capacity: so much goes in, as far as a rehearsal knows
AMPS = ("ammeter_current", "readback_current", "panel_current")  # at the battery, by the unit, on its display
CAUTIONS = (
    "A battery gives hundreds of amps into a short. Its fuse is at its own terminal; rings and loose metal come off.",
    "Charge where heat, gas and fire do no harm, with fresh air, on something that does not burn. Somebody stays.",
    "A swollen, warm, leaking or unknown battery is not charged.",
)


class Charging(Procedure):
    name = NAME
    title = "Charging"
    version = 1
    needs: tuple[str, ...] = (SOURCE, "voltmeter")
    serves = "whether an output charges a battery as its maker allows, and what went in"
    options = ChargingOptions
    tested_as = "charging"

    def steps(self, ctx: Context) -> Steps:
        """InputError where nobody reads the amps of the battery."""
        options = ctx.asked(ChargingOptions)
        line = ctx.reachable((options.line,))[0]
        port = options.port or set_ports(ctx)[0]
        if port not in set_ports(ctx):
            raise InputError(f"nobody sets an output {port!r} of this unit", key="part.port")
        amps = next((n for q in AMPS if (n := at_port(q, port)) in ctx.measured), None)
        if amps is None:
            raise InputError("nobody reads the amps of the battery: put an ammeter there", key="instrument.ammeter")
        to = SetPoint(options.charge_V, options.charge_A, trip_V=TRIP_V * options.charge_V)
        self._within(ctx, to, port)
        volts = at_port("output_voltage", port)
        yield from gate(ctx, "The load is off the output. The battery is there, and not joined.")
        yield Stage("Limit of the current", f"into a link, {to}")
        yield Watch(volts, None, OVER_V * options.charge_V, "what the battery is charged to", count=2, hard=True)
        yield SetSource(line.voltage_V, line.frequency_Hz, True)
        yield Dwell(COMES_UP_S, "it comes up, its output off")
        yield ChooseMode(replace(to, on=False), port)
        yield from _link(options, line, port, to, amps)
        yield from _join(options, line, port, volts)
        yield from _charge(ctx, options, line, port, to, (volts, amps))
        yield ChooseMode(replace(to, on=False), port)
        yield Dwell(options.rest_s, "the battery rests")
        yield _measure(options, line, port, to, RESTED, ((volts, options.charge_V),))
        yield Confirm(
            "Take the battery off", "At its own terminal first. Then the output may be touched.", CAUTIONS[:1]
        )

    @staticmethod
    def _within(ctx: Context, to: SetPoint, port: str) -> None:
        top = top_of(ctx, port)
        if to.voltage_V > top.voltage_V or to.current_A > top.current_A:
            text = f"the output goes to {top.voltage_V:g} V and {top.current_A:g} A, the charge wants {to}"
            raise InputError(text, key="part.charge_V")

    def tidy(self, ctx: Context) -> Steps:
        """No load, and the output as other parts have it."""
        yield from idle(ctx)
        for port in set_ports(ctx):
            yield ChooseMode(replace(top_of(ctx, port), on=False), port)

    def doubts(self, point: Point) -> list[Doubt]:
        return []

    def plots(self, evidence: Evidence) -> list[Curves]:
        """Volts and amps over the minutes of the charge."""
        rows = profile(evidence.points)
        if rows is None:
            return []
        times, volts, amps = rows
        minutes = [t / 60.0 for t in times]
        return [
            Curves("Charge, volts", "time", "min", "volts", "V", "voltage", (("at the output", minutes, volts),)),
            Curves("Charge, amps", "time", "min", "amps", "A", "current", (("into the battery", minutes, amps),)),
        ]

    def findings(self, evidence: Evidence, nameplate: Nameplate, conventions: Conventions) -> list[Finding]:
        """What went in, how long it took, the amps and volts that were held, against what was allowed."""
        found: list[Finding] = []
        for port in dict.fromkeys(p.at.about for p in evidence.points if p.at.fact(STATE) is not None):
            found += _of(evidence.points, port)
        return found


def _link(options: ChargingOptions, line: Line, port: str, to: SetPoint, amps: str) -> Steps:
    """The limit is seen before the battery is there."""
    rated = 2.0 * options.charge_A
    yield Confirm(
        "A link instead of the battery",
        f"The battery is not joined. Plus and minus of the output are joined by a link rated for {rated:.3g} A, the "
        "ammeter in it.",
        CAUTIONS[:1],
    )
    yield ChooseMode(to, port)
    yield Dwell(SEES_S, "its limit holds the current")
    seen = yield from _value(_measure(options, line, port, to, LINK, ((amps, options.charge_A),)), amps)
    yield ChooseMode(replace(to, on=False), port)
    if seen is None or seen > OVER_A * options.charge_A:
        told = "nobody read them" if seen is None else f"{seen:.4g} A went"
        yield Stop(
            f"the limit is set to {options.charge_A:g} A, and into the link {told}: no battery is joined to that"
        )


def _join(options: ChargingOptions, line: Line, port: str, volts: str) -> Steps:
    """Polarity and cells are read with the output off."""
    cell = CELLS[options.chemistry]
    yield Stage("The battery is joined", "the output is off")
    yield Confirm(
        "The battery instead of the link",
        f"The link is off. {options.cells} cells {options.chemistry}, {options.capacity_Ah:g} Ah, are joined plus to "
        f"plus, a fuse of {options.fuse_A:g} A at the battery's own terminal, the voltmeter at the battery: a diode of "
        "the charger shifts what it ends at.",
        CAUTIONS,
    )  # fmt: skip
    yield Dwell(READ_S, "the battery stands at the output")
    low, high = options.cells * cell.dead_V, options.cells * cell.most_V
    seen = yield from _value(_measure(options, line, port, None, JOINED, ((volts, 0.5 * (low + high)),)), volts)
    if seen is None or not low <= seen <= OVER_V * high:
        stands = "nobody read it" if seen is None else f"it stands at {seen:.4g} V"
        why = (
            "the wrong way round" if seen is not None and seen < 0.0 else f"{low:.4g} to {high:.4g} V were to be there"
        )
        yield Stop(f"the battery is not charged: {stands}, {why}")


def _charge(
    ctx: Context, options: ChargingOptions, line: Line, port: str, to: SetPoint, names: tuple[str, str]
) -> Steps:
    """Until few enough amps flow at its volts, or one of its limits is met."""
    yield Stage("Charge", f"{to}, to {options.end_A:g} A")
    yield ChooseMode(to, port)
    hot = [n for n in ("case_temperature",) if n in ctx.measured]
    for name in hot:
        yield Watch(name, None, options.most_degC, "the temperature that the charge ends at", count=2, hard=True)
    began_s = last_s = None
    amp_hours = last_A = 0.0
    while True:
        likely = options.charge_A if amp_hours < LIKELY * options.capacity_Ah else options.end_A
        wanted = ((names[0], options.charge_V), (names[1], likely), *((name, ctx.ambient_degC) for name in hot))
        came = yield _measure(options, line, port, to, CHARGING, wanted)
        volts, amps = (_read(came, name) for name in names)
        if volts is None or amps is None or not isinstance(came, Measured):
            yield Note("a reading is missing: the charge ends")
            return
        now_s = came.point.bench_s
        began_s = now_s if began_s is None else began_s
        amp_hours += 0.5 * (amps + last_A) * (now_s - last_s) / 3600.0 if last_s is not None else 0.0
        last_s, last_A = now_s, amps
        if amps <= options.end_A:
            full = volts >= FULL_V * options.charge_V
            yield Note(f"it ends: {amps:.3g} A at {volts:.4g} V" if full else f"no battery takes it: {amps:.3g} A")
            return
        hours = (now_s - began_s) / 3600.0
        if hours >= options.most_hours or amp_hours >= options.allowed_Ah:
            yield Note(f"it ends unfinished after {hours:.3g} h and {amp_hours:.3g} Ah: as long as was allowed")
            return
        yield Dwell(options.every_s, "charges")


def _measure(
    options: ChargingOptions, line: Line, port: str, to: SetPoint | None, state: float,
    likely: Sequence[tuple[str, float]],
) -> Measure:  # fmt: skip
    """``likely``: what is read, each with what it may be."""
    stated = ((STATE, state), (TO_V, options.charge_V), (TO_A, options.charge_A), (END_A, options.end_A),
              (CELL, float(options.cells)))  # fmt: skip
    modes = ((port, to),) if to is not None else ()
    at = OperatingPoint((Feed(line.voltage_V, line.frequency_Hz),), (), modes, about=port, stated=stated)
    return Measure(tuple(name for name, _ in likely), READ_S, at, from_zero=True, likely=tuple(likely))


def _value(measure: Measure, name: str) -> Generator[Action, Outcome, float | None]:
    return _read((yield measure), name)


def _read(came: Outcome, name: str) -> float | None:
    reading = came.point.get(name) if isinstance(came, Measured) else None
    return reading.value if reading is not None else None


# Findings


def amps_in(rows: Sequence[Point], port: str) -> str:
    """Which reading of the amps there is, the best first."""
    return next((n for q in AMPS if (n := at_port(q, port)) and any(p.get(n) is not None for p in rows)), "")


def profile(points: Sequence[Point], port: str | None = None) -> tuple[list[float], list[float], list[float]] | None:
    """(seconds, volts, amps) of a charge; None where fewer than two points are whole."""
    rows = [p for p in points if p.at.fact(STATE) == CHARGING and port in (None, p.at.about)]
    if not rows:
        return None
    name, amps = at_port("output_voltage", rows[0].at.about), amps_in(rows, rows[0].at.about)
    whole = carrying(rows, [name, amps]) if amps else []
    if len(whole) < 2:
        return None
    return (
        _seconds(whole),
        [p.need(name).number for p in whole],
        [p.need(amps).number for p in whole],
    )


def _seconds(rows: Sequence[Point]) -> list[float]:
    """Since the first of them, by the clock of the bench."""
    return [p.bench_s - rows[0].bench_s for p in rows]


def _of(points: Sequence[Point], port: str) -> list[Finding]:
    rows = [p for p in points if p.at.about == port]
    charging = [p for p in rows if p.at.fact(STATE) == CHARGING]
    amps, name = amps_in(charging, port), at_port("output_voltage", port)
    whole = carrying(charging, [name, amps]) if amps else []
    if len(whole) < 2:
        return []
    times = _seconds(whole)
    to_V, to_A = (float(whole[0].at.fact(n) or 0.0) for n in (TO_V, TO_A))

    def worked(values: Values) -> Charged:
        return charged(times, [float(v) for v in values[name]], [float(v) for v in values[amps]], to_A)

    at = replace(whole[0].at, stated=(), modes=())
    one = charged(times, [p.need(name).number for p in whole], [p.need(amps).number for p in whole], to_A)
    end_A = float(whole[0].at.fact(END_A) or 0.0)
    doubts = _doubts(one, end_A, to_V, whole[-1].need(name).number)

    def made(figure: str, title: str, unit: str, of: str, note: str, most: float | None = None) -> Finding:
        found = finding_of(figure, title, unit, whole, [name, amps], lambda v: float(getattr(worked(v), of) or 0.0),
                           note, at, doubts_of=lambda _p, _q: [])  # fmt: skip
        found = replace(found, output=port, doubts=doubts)
        return found if most is None else at_most(found, most, MAKER, told=False)

    highest = finding_of("charge_highest", "Highest volts of the charge", "V", whole, [name],
                         lambda v: float(max(v[name])), "of all readings", at, doubts_of=lambda _p, _q: [])  # fmt: skip
    found = [
        made("charge_Ah", "Charge that went in", "Ah", "amp_hours", "amps over time, by trapezoids"),
        made("charge_Wh", "Energy that went in", "Wh", "watt_hours", "volts times amps over time, by trapezoids"),
        at_most(replace(highest, output=port), to_V + SET_ERROR * to_V, MAKER),
        Finding("charge_time", "Time of the charge", one.seconds, "s", output=port, at=at, doubts=doubts,
                working=Working(f"{one.cc_s:.0f} s of it at constant current", ("s",), ({"s": one.seconds},))),
    ]  # fmt: skip
    if one.cc_A is not None:
        found.append(
            made("charge_current", "Amps that were held", "A", "cc_A", "mean, below the volts it ends at", to_A)
        )
    if one.cv_V is not None:
        found.append(made("charge_voltage", "Volts that were held", "V", "cv_V", "mean, after the corner", to_V))
    return found


def _doubts(one: Charged, end_A: float, to_V: float, last_V: float) -> tuple[Doubt, ...]:
    found = []
    if one.end_A > end_A:
        found.append(Doubt("charge_unfinished", f"It ended at {one.end_A:.3g} A; it is full at {end_A:.3g} A.",
                           "Go on where its maker allows it, or see why it takes no less."))  # fmt: skip
    elif last_V < FULL_V * to_V:
        found.append(Doubt("not_joined", f"Few amps at {last_V:.4g} V: it is no full battery that takes so little.",
                           "See its fuse, its own protection and its leads."))  # fmt: skip
    return tuple(found)


SPEC = Charging()
