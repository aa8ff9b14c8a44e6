"""Hold-up: how long the output lasts when the input goes."""

from __future__ import annotations

import math
from collections.abc import Callable, Generator, Sequence
from functools import partial

from zincsmith.model.actions import Action, Capturing, Dwell, Measure, Measured, Outcome, Stage
from zincsmith.model.address import at_port
from zincsmith.model.capture import ON_BEFORE, WORKED_OUT, Trigger
from zincsmith.model.finding import Finding
from zincsmith.model.plan import Line
from zincsmith.model.reading import Evidence
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.base import Context, Conventions, Curves, Steps
from zincsmith.procedures.beginning import COMES_UP_S, gate
from zincsmith.procedures.hold_up.figures import hold_up_of
from zincsmith.procedures.hold_up.gap import ASKED, HALF_DEG, with_gap
from zincsmith.procedures.hold_up.intake import HoldUpRecord
from zincsmith.procedures.hold_up.options import HoldUpOptions
from zincsmith.procedures.intake import Intake
from zincsmith.procedures.plotting import over_load
from zincsmith.procedures.ports import RAMP_PERCENT, at_load, draw, idle, let_fall, ramp
from zincsmith.procedures.waveforms.capturing import (
    captured_outputs,
    needs_input,
    power_good_channel,
    source_at,
    whole_input,
    whole_output,
)
from zincsmith.procedures.waveforms.findings import Named, OfCaptures, Seen, TypedFigure
from zincsmith.procedures.waveforms.sequence import in_sequence, of_the_unit
from zincsmith.procedures.waveforms.traces import Choices, Traces
from zincsmith.recorded.result import Analysed

NAME = "hold_up"
WARNING = "power_good_warning"


class HoldUp(OfCaptures):
    """Worked out of records."""

    name = NAME
    title = "Hold-up"
    version = 3
    needs: tuple[str, ...] = ("scope",)
    serves = "how long the output lasts when the input goes"
    options = HoldUpOptions
    intakes: tuple[Intake, ...] = (HoldUpRecord(),)
    typed = (TypedFigure("hold", "hold_up", "Hold-up", "s", "18m"),)
    least = ("hold_up", WARNING)

    def steps(self, ctx: Context) -> Steps:
        """At each line and load the input switched off: at phases spread over half a period, and then closer and closer
        around the worst of them, where the source can be told the phase; else as often as was asked for, at whatever
        phase it happens. InputError where no scope is on output and input."""
        options = ctx.asked(HoldUpOptions)
        ports = captured_outputs(ctx)
        needs_input(ctx)
        yield from gate(ctx)
        for line in ctx.reachable(options.lines):
            for load in options.loads_percent:
                yield Stage("Hold-up", f"{line.words}, {load:g} %")
                once = partial(_gone, ctx, options, line, load, ports)
                if not ctx.phased:
                    for _ in range(options.repeats):
                        yield from once(None)
                    continue
                lasted: dict[float, float] = {}
                for k in range(options.repeats):
                    yield from _noted(lasted, HALF_DEG * k / options.repeats, once)
                for n in range(1, options.closer + 1):
                    worst = min(lasted, key=lambda phase: lasted[phase])
                    apart = HALF_DEG / options.repeats / 2**n
                    for phase in dict.fromkeys(((worst - apart) % HALF_DEG, (worst + apart) % HALF_DEG)):
                        yield from _noted(lasted, phase, once)

    def findings(self, evidence: Evidence, nameplate: Nameplate, conventions: Conventions) -> list[Finding]:
        """With how much longer than the first to go each of several outputs lasts."""
        found = of_the_unit(super().findings(evidence, nameplate, conventions), WARNING)
        return found + in_sequence(found, "hold_up", "goes_after", "Goes after {}")

    def gathered(self, finding: Finding, seen: Sequence[Seen]) -> Finding:
        """How much less it may last at a phase between those that were tried: a one-sided part of the uncertainty."""
        return with_gap(finding, seen)

    def plots(self, evidence: Evidence) -> list[Curves]:
        """Hold-up against the phase at which the input went, then the records."""
        against: dict[str, dict[float, float]] = {}
        for point in evidence.points:
            for capture in point.captures:
                phase, lasted = (capture.said.get(f"{WORKED_OUT} {name}") for name in ("phase_deg", "hold_up_time"))
                if phase is not None and lasted is not None:
                    port = capture.channels[0].port
                    where = ", ".join(x for x in (point.at.words, port) if x)
                    against.setdefault(where, {})[float(phase) % HALF_DEG] = 1e3 * float(lasted)
        lines = tuple((name, sorted(tried), [tried[p] for p in sorted(tried)]) for name, tried in against.items())
        found = [Curves("Hold-up against phase", "phase", "°", "hold-up", "ms", "plain", lines)] if lines else []
        over = over_load(evidence, NAME, "hold_up_time", "Hold-up over load", min)
        return [*over, *found, *super().plots(evidence)]

    def work_out(self, traces: Traces, choices: Choices, backgrounds: Sequence[Traces]) -> Analysed:
        return hold_up_of(traces, choices)

    def named(self, found: Analysed) -> Sequence[Named]:
        f = found.figures
        hold = Named("hold_up", "Hold-up", "s", f["hold_up_time"], f"to {found.facts['threshold']}")
        if WARNING not in f:
            return (hold,)
        note = f"from half of its own level to the first output at {found.facts['threshold']}"
        return (hold, Named(WARNING, "Warning by power-good", "s", f[WARNING], note))


SAMPLES = 400_000
WORKED = ("hold_up_time", "phase_deg")
BEFORE = 0.9  # what lasts lies before the trigger, which waits for its end
BEFORE_SEVERAL = 0.7  # others may last longer than the first


def _gone(
    ctx: Context, options: HoldUpOptions, line: Line, load: float, ports: Sequence[str], phase_deg: float | None
) -> Generator[Action, Outcome, Outcome]:
    """Up, under load, and the input gone at a phase; what came of it."""
    yield from idle(ctx)
    yield source_at(line, True)
    yield Dwell(COMES_UP_S, "output comes up")
    yield from ramp(ctx, [p for p in RAMP_PERCENT if p < load])
    yield from draw(ctx, load)
    came = yield Measure((), 0.0, at_load(ctx, line, load), capture=going(ctx, options, line, ports, phase_deg))
    yield from idle(ctx)
    yield from let_fall(ctx)
    return came


def _noted(
    lasted: dict[float, float], phase_deg: float, once: Callable[[float], Generator[Action, Outcome, Outcome]]
) -> Steps:
    """The same, noting how long it lasted; where nothing can be said of it, as long as can be."""
    came = yield from once(phase_deg)
    lasted[phase_deg] = math.inf
    if isinstance(came, Measured) and came.point.captures:
        said = came.point.captures[0].said
        lasted[phase_deg] = float(said.get(f"{WORKED_OUT} hold_up_time", said.get("typed hold", math.inf)))


def going(
    ctx: Context, options: HoldUpOptions, line: Line, ports: Sequence[str], phase_deg: float | None
) -> Capturing:  # fmt: skip
    """All outputs in one record, which ends once the first of them is gone."""
    port = ports[0]
    nominal = ctx.volts[port]
    level = 0.5 * nominal
    asked = ((ASKED, f"{phase_deg:g}"),) if phase_deg is not None else ()
    trigger = Trigger(at_port("output_voltage", port), level, "falling" if nominal > 0.0 else "rising")
    return Capturing(
        NAME, (*(whole_output(ctx, one) for one in ports), whole_input(line), *power_good_channel(ctx)),
        options.record_s, SAMPLES,
        BEFORE if len(ports) == 1 else BEFORE_SEVERAL, trigger,
        source_at(line, True), options.on_s, source_at(line, False, phase_deg),
        said=(("threshold", options.threshold), (ON_BEFORE, f"{options.on_s:g} s"), *asked),
        works_out=WORKED,
        why="it waits for the end: all that lasts lies before, with a period of the input for its course",
    )  # fmt: skip


SPEC = HoldUp()
