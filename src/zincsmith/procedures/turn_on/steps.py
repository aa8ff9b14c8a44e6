"""Turn-on: delay, rise, overshoot and glitches when the input comes."""

from __future__ import annotations

from collections.abc import Sequence

from zincsmith.model.actions import Capturing, Dwell, Measure, Stage
from zincsmith.model.capture import OFF_BEFORE, Trigger
from zincsmith.model.finding import Finding
from zincsmith.model.plan import Line
from zincsmith.model.reading import Evidence
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.base import Context, Conventions, Curves, Steps
from zincsmith.procedures.beginning import gate
from zincsmith.procedures.hold_up.options import HoldUpOptions
from zincsmith.procedures.hold_up.steps import going
from zincsmith.procedures.intake import Intake
from zincsmith.procedures.plotting import over_load
from zincsmith.procedures.ports import at_load, draw, emptied, idle, let_fall
from zincsmith.procedures.turn_on.figures import turn_on_of
from zincsmith.procedures.turn_on.intake import TurnOnRecord
from zincsmith.procedures.turn_on.options import TurnOnOptions
from zincsmith.procedures.waveforms.capturing import (
    captured_outputs,
    needs_input,
    power_good_channel,
    source_at,
    whole_input,
    whole_output,
)
from zincsmith.procedures.waveforms.findings import Named, OfCaptures, TypedFigure
from zincsmith.procedures.waveforms.sequence import in_sequence, of_the_unit
from zincsmith.procedures.waveforms.traces import Choices, Traces
from zincsmith.recorded.result import Analysed

NAME = "turn_on"


class TurnOn(OfCaptures):
    """Worked out of records."""

    name = NAME
    title = "Turn-on"
    version = 3
    needs: tuple[str, ...] = ("scope",)
    serves = "delay, rise, overshoot and glitches when the input comes"
    options = TurnOnOptions
    intakes: tuple[Intake, ...] = (TurnOnRecord(),)
    typed = (
        TypedFigure("delay", "turn_on_delay", "Turn-on delay", "s", "0.4"),
        TypedFigure("rise", "rise_time", "Rise time", "s", "12m"),
    )
    least = ("turn_on_minimum",)

    def steps(self, ctx: Context) -> Steps:
        """At each line and load the input switched on, the scope armed before; off between for long enough that nothing
        is left. InputError where no scope is on output and input."""
        options = ctx.asked(TurnOnOptions)
        ports = captured_outputs(ctx)
        needs_input(ctx)
        yield from gate(ctx)
        for line in ctx.reachable(options.lines):
            yield Stage("Turn-on", line.words)
            for load in options.loads_percent:
                for _ in range(options.repeats):  # of all outputs in one record: they come, and go, in their order
                    yield from emptied(ctx, line.frequency_Hz)
                    yield from draw(ctx, load)
                    at = at_load(ctx, line, load)
                    yield Measure((), 0.0, at, capture=_coming(ctx, options, line, ports))
                    if options.then_off:  # it is up and loaded: how long it lasts comes from the same go
                        yield Measure((), 0.0, at, capture=going(ctx, HoldUpOptions(), line, ports, None))
                        yield from idle(ctx)
                        yield from let_fall(ctx)
        if not options.then_off:
            yield Dwell(1.0, "output is up")

    def findings(self, evidence: Evidence, nameplate: Nameplate, conventions: Conventions) -> list[Finding]:
        """With how much later than the first each of several outputs comes."""
        found = of_the_unit(super().findings(evidence, nameplate, conventions), "power_good_delay", "power_good_level")
        return found + in_sequence(found, "turn_on_delay", "comes_after", "Comes after {}")

    def work_out(self, traces: Traces, choices: Choices, backgrounds: Sequence[Traces]) -> Analysed:
        return turn_on_of(traces, choices)

    def plots(self, evidence: Evidence) -> list[Curves]:
        """The delay over the load, where there are several; then the records."""
        return [*over_load(evidence, NAME, "delay", "Turn-on delay over load"), *super().plots(evidence)]

    def named(self, found: Analysed) -> Sequence[Named]:
        f = found.figures
        return (
            Named("turn_on_delay", "Turn-on delay", "s", f["delay"], f"to {found.facts['threshold']}"),
            Named("rise_time", "Rise time", "s", f["rise_time"], "10 to 90 % of the level reached"),
            Named("turn_on_overshoot", "Overshoot at turn-on", "1", f["overshoot"], "of the level reached"),
            Named("turn_on_minimum", "Lowest volts at turn-on", "V", f["minimum"]),
            *(Named(n, w, f[n].unit, f[n], "at half of its own level") for n, w in POWER_GOOD.items() if n in f),
        )


POWER_GOOD = {
    "power_good_delay": "Power-good after the last output",
    "power_good_level": "Level of power-good",
}
SAMPLES = 400_000
BEFORE = 0.05
COMES = 0.2  # of the peak: what the trigger waits for


def _coming(ctx: Context, options: TurnOnOptions, line: Line, ports: Sequence[str]) -> Capturing:
    trigger = Trigger("input_voltage", COMES * 2.0**0.5 * line.voltage_V)
    return Capturing(
        NAME, (*(whole_output(ctx, port) for port in ports), whole_input(line), *power_good_channel(ctx)),
        options.record_s, SAMPLES,
        BEFORE, trigger,
        source_at(line, False), options.off_s, source_at(line, True),
        said=(("threshold", options.threshold), (OFF_BEFORE, f"{options.off_s:g} s")), works_out=("delay",),
        why="delay, rise and what follows; some of it before, for what the input shows at rest",
    )  # fmt: skip


SPEC = TurnOn()
