"""Switched off and on again at a terminal of the unit: what is left, what it draws meanwhile, whether it comes back."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from zincsmith.analysis.uncertainty import Values
from zincsmith.model.actions import Confirm, Dwell, Measure, SetSource, Stage
from zincsmith.model.address import at_port
from zincsmith.model.finding import Doubt, Finding
from zincsmith.model.operating_point import OperatingPoint
from zincsmith.model.plan import Line
from zincsmith.model.reading import Evidence, Point
from zincsmith.model.roles import SOURCE
from zincsmith.model.unit import Nameplate, OutputRating, Signal
from zincsmith.procedures.base import Context, Conventions, Curves, Procedure, Steps
from zincsmith.procedures.beginning import BACK, COMES_UP_S, feed, gate
from zincsmith.procedures.control_signals.adjusted import findings_of_adjusting, sense, trim
from zincsmith.procedures.control_signals.options import ControlOptions, switches_of
from zincsmith.procedures.control_signals.shown import findings_of_shown, shown
from zincsmith.procedures.finding_of import finding_of
from zincsmith.procedures.ports import at_load, draw, everywhere, idle, ramp
from zincsmith.procedures.rows import carrying

NAME = "control_signals"
GONE = 0.1  # of nominal: above it an output is still there; common practice, no source
READ_S, INTAKE_S = 0.5, 10.0
RESTS_S = 20.0  # unloaded and off, until what goes in is steady; common practice, no source
SIGNAL, STATE = "signal", "switched"  # stated with a point: which terminal, and what it was switched to
ON, OFF, RESTING, AGAIN = 1.0, 0.0, -1.0, 2.0
INTAKE = (("shutdown_current", "A", "input_current"), ("shutdown_power", "W", "input_power"))
WORDS = {
    "shutdown_current": "Input current, switched off", "shutdown_power": "Input power, switched off",
}  # fmt: skip
CAUTIONS = (
    "A unit that is switched off at a terminal is not off: its input side stays live, and a standby output too.",
    "The wires at the terminal stay clear of everything live; they carry only what the maker allows there.",
)


class ControlSignals(Procedure):
    name = NAME
    title = "At its terminals"
    version = 3
    needs: tuple[str, ...] = (SOURCE, "voltmeter")
    serves = "whether terminals switch it off and on, how far trim and sense leads go, what indicator and fan show"
    options = ControlOptions
    tested_as = "control signals"

    def steps(self, ctx: Context) -> Steps:
        """Wires laid with the input off; then at each terminal on, off, resting and on again, each read; trim and sense
        after it."""
        options = ctx.asked(ControlOptions)
        line = ctx.reachable((options.line,))[0]
        yield from gate(ctx)
        for number, one in enumerate(switches_of(ctx.nameplate)):
            yield from _of_a_terminal(ctx, options, line, number, one)
        yield from trim(ctx, options, line)
        yield from sense(ctx, options, line)
        yield from shown(ctx, line)

    def tidy(self, ctx: Context) -> Steps:
        """No load."""
        yield from idle(ctx)

    def doubts(self, point: Point) -> list[Doubt]:
        return []

    def plots(self, evidence: Evidence) -> list[Curves]:
        return []

    def findings(self, evidence: Evidence, nameplate: Nameplate, conventions: Conventions) -> list[Finding]:
        """By terminal: the volts left at each output, and what goes in."""
        found = []
        for number, one in enumerate(switches_of(nameplate)):
            rows = [p for p in evidence.points if p.at.fact(SIGNAL) == float(number)]
            if rows:
                found += [f for output in nameplate.outputs for f in _left(rows, one, output, nameplate)]
                found += _goes_in(rows, one)
        return [
            *found,
            *findings_of_adjusting(evidence.points, nameplate),
            *findings_of_shown(evidence.points, nameplate),
        ]


def _of_a_terminal(ctx: Context, options: ControlOptions, line: Line, number: int, one: Signal) -> Steps:
    note = f" ({one.note})" if one.note else ""
    yield Stage("A switch is laid", "the input is off")
    yield SetSource(line.voltage_V, line.frequency_Hz, False)
    yield from idle(ctx)
    yield Confirm(
        f"A switch at {one.name}",
        f"Lay a switch, or a jumper on wires, to {one.name}{note}, so that no hand goes near the unit while it is fed. "
        "Leave it so that the unit runs.",
        CAUTIONS,
        hands_in=True,
    )
    yield from feed(ctx, "Switched at a terminal", f"{one.name}, {line.words}", line)
    yield from ramp(ctx, (options.load_percent,))
    yield Dwell(1.0, "under its load")
    yield _read(ctx, line, options.load_percent, number, ON)
    yield Confirm(f"Switch it off at {one.name}", "Only there: its input stays on.", CAUTIONS)
    yield Dwell(options.falls_s, "its outputs fall")
    yield _read(ctx, line, options.load_percent, number, OFF)
    yield from idle(ctx)
    yield Dwell(RESTS_S, "switched off, at rest")
    asked = tuple(q for _, _, q in INTAKE if q in ctx.measured)
    if asked:
        yield Measure(asked, INTAKE_S, _at(ctx, line, 0.0, number, RESTING), from_zero=True)
    yield from draw(ctx, options.load_percent)
    yield Confirm(f"Switch it on at {one.name}", "It comes back under its load, or it does not.")
    yield Dwell(COMES_UP_S, "its outputs come back")
    yield _read(ctx, line, options.load_percent, number, AGAIN)
    yield from idle(ctx)


def _at(ctx: Context, line: Line, percent: float, number: int, state: float) -> OperatingPoint:
    return replace(at_load(ctx, line, percent), stated=((SIGNAL, float(number)), (STATE, state)))


def _read(ctx: Context, line: Line, percent: float, number: int, state: float) -> Measure:
    names = tuple(n for n in everywhere(ctx, ("output_voltage",)) if n in ctx.measured)
    return Measure(names, READ_S, _at(ctx, line, percent, number, state), from_zero=state != ON)


def _in_state(rows: Sequence[Point], state: float, name: str) -> Point | None:
    have = carrying([p for p in rows if p.at.fact(STATE) == state], [name])
    return have[-1] if have else None


def _left(rows: Sequence[Point], one: Signal, output: OutputRating, plate: Nameplate) -> list[Finding]:
    port = output.name if len(plate.outputs) > 1 else ""
    name = at_port("output_voltage", port)
    off, again = _in_state(rows, OFF, name), _in_state(rows, AGAIN, name)
    if off is None:
        return []
    made = finding_of("switched_off_voltage", f"Volts left, switched off at {one.name}", "V", [off], [name],
                      lambda v: abs(float(v[name][0])), "as it stands, with its load still asking",
                      replace(off.at, stated=()), doubts_of=lambda _p, _q: [])  # fmt: skip
    whose = f"the output {port}" if port else "the output"
    doubts = []
    stood = made.number / abs(output.voltage_V)
    if not output.standby and stood > GONE:
        doubts.append(Doubt(
            "not_switched_off", f"Switched off at {one.name}, {whose} still stood at {made.number:.3g} V.",
            "See whether it was switched, and which way round the maker means it.",
        ))  # fmt: skip
    if output.standby and stood < BACK:
        text = f"Switched off at {one.name}, {whose} stood at {made.number:.3g} V, and has to stay."
        doubts.append(Doubt("standby_gone", text, "See whether the maker means it to stay."))
    if again is not None and abs(again.need(name).number) < BACK * abs(output.voltage_V):
        doubts.append(Doubt(
            "not_back", f"Switched on again at {one.name} under its load, {whose} stood at "
            f"{abs(again.need(name).number):.3g} V.", "See whether it was switched on; try it without a load.",
        ))  # fmt: skip
    return [replace(made, output=port, doubts=tuple(doubts))]


def _goes_in(rows: Sequence[Point], one: Signal) -> list[Finding]:
    found = []
    for figure, unit, name in INTAKE:
        row = _in_state(rows, RESTING, name)
        # Of mains it is watts that count: amps there are mostly those of a capacitor.
        if row is not None and (figure == "shutdown_power" or not row.at.line[1]):
            found.append(finding_of(figure, f"{WORDS[figure]} at {one.name}", unit, [row], [name], _alone,
                                    f"mean over {INTAKE_S:g} s, unloaded", replace(row.at, stated=())))  # fmt: skip
    return found


def _alone(values: Values) -> float:
    """The one quantity that it is about."""
    ((read, *_),) = values.values()
    return float(read)


SPEC = ControlSignals()
