"""A unit whose volts are moved at terminals of its own: by its trim, and by sense leads that go to the load.

Terminals are wired with the input off, and a unit with open sense leads has nothing attached: its volts may run up.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from zincsmith.analysis.uncertainty import Values
from zincsmith.model.actions import Confirm, Dwell, Measure, SetSource, Stage
from zincsmith.model.address import at_port
from zincsmith.model.finding import Doubt, Finding
from zincsmith.model.operating_point import OperatingPoint
from zincsmith.model.plan import Line
from zincsmith.model.reading import Point
from zincsmith.model.unit import Nameplate, OutputRating, Signal
from zincsmith.procedures.base import Context, Steps
from zincsmith.procedures.beginning import feed
from zincsmith.procedures.control_signals.options import SENSE, TRIM, ControlOptions, of_kind
from zincsmith.procedures.finding_of import finding_of
from zincsmith.procedures.ports import at_load, everywhere, idle, let_fall, ramp
from zincsmith.procedures.rows import carrying

WHICH, STATE = "adjusted", "state"  # stated with a point: which terminal, and what was done there
FOUND, LOWEST, HIGHEST = 0.0, -1.0, 1.0
AT_UNIT, AT_LOAD, OPEN = 10.0, 11.0, 12.0
READ_S, SETTLES_S = 4.0, 2.0
LEAST_MOVED = 0.002  # of the volts: less is no trim; common practice, no source
RUNS_UP = 0.1  # of the volts: more, with sense open, is nothing to attach anything to; common practice, no source
TRIMMED = (
    (FOUND, "as it was found", "Leave it as it is."),
    (LOWEST, "at its lowest", "Turn it, or fit the resistor that the maker names, so that the volts are lowest."),
    (HIGHEST, "at its highest", "Turn it, or fit the resistor that the maker names, so that the volts are highest."),
)  # fmt: skip
CAUTIONS = (
    "Volts that are trimmed up stress capacitors and loads: no more than the maker allows, and no device attached.",
)
SENSE_CAUTIONS = (
    "Sense leads are opened and joined with the input off only: with one open the volts may run up.",
    "Sense plus goes to plus. Crossed sense leads drive a unit to its limit.",
)


def trim(ctx: Context, options: ControlOptions, line: Line) -> Steps:
    """Each trim as found, at its lowest and at its highest: without a load and under one."""
    for number, one in enumerate(of_kind(ctx.nameplate, TRIM)):
        for state, words, does in TRIMMED:
            yield from _off(ctx, line)
            yield Confirm(f"{one.name} {words}", f"{does}{_note(one)}", CAUTIONS, hands_in=True)
            yield from feed(ctx, "Trim", f"{one.name} {words}, {line.words}", line)
            yield _read(ctx, line, 0.0, number, state, ("output_voltage",))
            yield from ramp(ctx, (options.load_percent,))
            yield Dwell(SETTLES_S, "settles")
            yield _read(ctx, line, options.load_percent, number, state, ("output_voltage",))
            yield from idle(ctx)
        yield from _off(ctx, line)
        yield Confirm(f"{one.name} as it was", "Put it back as it was found.", hands_in=True)


def sense(ctx: Context, options: ControlOptions, line: Line) -> Steps:
    """Sense leads at the unit, at the load, and open with nothing attached."""
    for number, one in enumerate(of_kind(ctx.nameplate, SENSE)):
        places = (
            (AT_UNIT, "at the unit", "Sense leads at the unit's own terminals, as short as they go, plus to plus."),
            (AT_LOAD, "at the load", "Sense leads at the terminals of the load, twisted, plus to plus."),
        )
        for state, words, does in places:
            yield from _off(ctx, line)
            yield Confirm(f"{one.name} {words}", f"{does}{_note(one)}", SENSE_CAUTIONS, hands_in=True)
            yield from feed(ctx, "Remote sense", f"{one.name} {words}, {line.words}", line)
            yield from ramp(ctx, (options.load_percent,))
            yield Dwell(SETTLES_S, "settles")
            yield _read(ctx, line, options.load_percent, number, state, BOTH_ENDS)
            yield from idle(ctx)
        yield from _off(ctx, line)
        text = (
            "Take the sense leads off, and the load and its leads too: nothing is attached but the voltmeter. Set the "
            "overvoltage protection, where the unit has one."
        )
        yield Confirm(f"{one.name} open", text, SENSE_CAUTIONS, hands_in=True)
        yield from feed(ctx, "Remote sense", f"{one.name} open, nothing attached, {line.words}", line)
        yield _read(ctx, line, 0.0, number, OPEN, ("output_voltage",))
        yield from _off(ctx, line)
        yield Confirm(f"{one.name} joined again", "Sense leads at the unit, the load as it was.", hands_in=True)


BOTH_ENDS = ("output_voltage", "load_voltage", "output_current")


def _note(one: Signal) -> str:
    return f" {one.note}." if one.note else ""


def _off(ctx: Context, line: Line) -> Steps:
    yield Stage("Terminals are wired", "the input is off")
    yield SetSource(line.voltage_V, line.frequency_Hz, False)
    yield from idle(ctx)
    yield from let_fall(ctx)


def _read(ctx: Context, line: Line, percent: float, number: int, state: float, names: Sequence[str]) -> Measure:
    at = replace(at_load(ctx, line, percent), stated=((WHICH, float(number)), (STATE, state)))
    wanted = tuple(n for n in everywhere(ctx, names) if n in ctx.measured)
    return Measure(wanted, READ_S, at, from_zero=state in (LOWEST, HIGHEST, OPEN))


# Findings


def findings_of_adjusting(points: Sequence[Point], plate: Nameplate) -> list[Finding]:
    """By terminal and output."""
    found: list[Finding] = []
    for output in plate.outputs:
        port = output.name if len(plate.outputs) > 1 else ""
        for number, one in enumerate(of_kind(plate, TRIM)):
            found += _trimmed(_of(points, number), one, output, port)
        for number, one in enumerate(of_kind(plate, SENSE)):
            found += _sensed(_of(points, number), one, output, port)
    return found


def _of(points: Sequence[Point], number: int) -> list[Point]:
    return [p for p in points if p.at.fact(WHICH) == float(number)]


def _at(rows: Sequence[Point], state: float, names: Sequence[str], loaded: bool) -> Point | None:
    """The last that was read in a state."""
    have = [p for p in rows if p.at.fact(STATE) == state and bool(p.at.draw.share_percent) == loaded]
    kept = carrying(have, names)
    return kept[-1] if kept else None


def _where(point: Point, port: str) -> OperatingPoint:
    return replace(point.at.seen_from(port), stated=())


def _trimmed(rows: Sequence[Point], one: Signal, output: OutputRating, port: str) -> list[Finding]:
    """How far it goes either way, of the volts as found."""
    name = at_port("output_voltage", port)
    found = []
    for figure, words, state, way in (("trim_up", "up", HIGHEST, 1.0), ("trim_down", "down", LOWEST, -1.0)):
        for loaded in (True, False):
            pair = [_at(rows, s, (name,), loaded) for s in (FOUND, state)]
            if pair[0] is None or pair[1] is None:
                continue

            def moved(values: Values, way: float = way) -> float:
                as_found, now = (abs(float(v)) for v in values[name])
                return way * (now / as_found - 1.0)

            made = finding_of(
                figure, f"{one.name} trims {words}", "1", [pair[0], pair[1]], [name], moved,
                "of the volts as it was found", _where(pair[1], port), doubts_of=lambda _p, _q: [],
            )  # fmt: skip
            found.append(replace(made, output=port, doubts=_doubts_of_trim(made, one, words, output)))
            break
    return found


def _doubts_of_trim(made: Finding, one: Signal, words: str, output: OutputRating) -> tuple[Doubt, ...]:
    if made.value is None or made.value >= LEAST_MOVED:
        return ()
    text = f"At {one.name} {abs(output.voltage_V):g} V went {words} by {100.0 * made.value:.2g} %: next to nothing."
    return (Doubt("trim_without_effect", text, "See whether it was turned, and which way round the maker means it."),)


def _sensed(rows: Sequence[Point], one: Signal, output: OutputRating, port: str) -> list[Finding]:
    """How much it makes up, what it leaves at the load, and what its volts do with sense open."""
    here, there, amps = (at_port(n, port) for n in BOTH_ENDS)
    at_unit, at_load = (_at(rows, s, (here, there, amps), True) for s in (AT_UNIT, AT_LOAD))
    found = []
    if at_unit is not None and at_load is not None:

        def raised(values: Values) -> float:
            before, after = (abs(float(v)) for v in values[here])
            return after - before

        def left(values: Values) -> float:
            return abs(float(values[there][1])) - abs(float(values[here][0]))

        for figure, title, work, note in (
            ("sense_makes_up", f"{one.name} makes up", raised, "volts at the unit, sense at the load less at the unit"),
            ("sense_left", f"{one.name} leaves", left, "volts at the load less those at the unit with sense there"),
        ):
            made = finding_of(
                figure, title, "V", [at_unit, at_load], [here, there], work, note, _where(at_load, port),
                doubts_of=lambda _p, _q: [],
            )  # fmt: skip
            found.append(replace(made, output=port, doubts=_doubts_of_sense(made, at_unit, here, there)))
    open_ = _at(rows, OPEN, (here,), False)
    if open_ is not None:
        made = finding_of("sense_open", f"Volts with {one.name} open", "V", [open_], [here],
                          lambda v: abs(float(v[here][0])), "nothing attached", _where(open_, port),
                          doubts_of=lambda _p, _q: [])  # fmt: skip
        doubts: tuple[Doubt, ...] = ()
        if made.number > (1.0 + RUNS_UP) * abs(output.voltage_V):
            text = f"With {one.name} open the volts rise to {made.number:.4g} V."
            doubts = (Doubt("sense_runs_up", text, "Set the overvoltage protection below what the load stands."),)
        found.append(replace(made, output=port, doubts=doubts))
    return found


def _doubts_of_sense(made: Finding, at_unit: Point, here: str, there: str) -> tuple[Doubt, ...]:
    """Against the drop that the leads have with sense at the unit."""
    drop = abs(at_unit.need(here).number) - abs(at_unit.need(there).number)
    if made.name != "sense_makes_up" or made.value is None or made.value >= 0.5 * drop or drop < LEAST_DROP_V:
        return ()
    text = f"The leads drop {1e3 * drop:.3g} mV, and sense makes up {1e3 * made.value:.3g} mV."
    return (Doubt("sense_makes_up_little", text, "See where the sense leads go, and whether sense is switched on."),)


LEAST_DROP_V = 0.01
