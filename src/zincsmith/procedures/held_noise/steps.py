"""Noise of held amps: what alternates across a resistance that an output drives at its limit."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from zincsmith.model.actions import Capturing, ChooseMode, Dwell, Measure, SetLoad, Stage, WantedChannel
from zincsmith.model.address import at_port
from zincsmith.model.finding import Doubt, Finding
from zincsmith.model.operating_point import Draw, Feed, OperatingPoint, Purpose, SetPoint
from zincsmith.model.plan import Line
from zincsmith.procedures.base import Context, Steps
from zincsmith.procedures.beginning import feed, gate, stands_words
from zincsmith.procedures.cv_cc.seen import OfASetOutput
from zincsmith.procedures.held_noise.options import HeldNoiseOptions
from zincsmith.procedures.ports import set_ports, top_of
from zincsmith.procedures.ripple.figures import ripple_figures
from zincsmith.procedures.waveforms.capturing import captured_outputs
from zincsmith.procedures.waveforms.findings import Named, Seen
from zincsmith.procedures.waveforms.traces import Choices, Traces
from zincsmith.recorded.result import Analysed, Figure

NAME = "held_noise"
OHM = "across_ohm"
SAMPLES, QUIET_V = 200_000, 0.05
HELD_WITHIN = 0.1  # of what was set; common practice, no source
SPAN = 0.2  # of the volts across the load: the first look
ROWS = (
    ("peak_to_peak", "held_noise", "Noise of held amps, peak to peak"),
    ("rms", "held_noise_rms", "Noise of held amps, rms"),
    ("rms_corrected", "held_noise_rms_corrected", "Noise of held amps, rms without the background"),
)


class HeldNoise(OfASetOutput):
    """Worked out of records."""

    name = NAME
    title = "Noise of held amps"
    version = 1
    needs: tuple[str, ...] = ("scope", "load")
    serves = "how much the current alternates that an output holds at its limit"
    options = HeldNoiseOptions
    tested_as = "noise of held amps"

    def steps(self, ctx: Context) -> Steps:
        """The background first, with the unit off; then each limit into a resistance. Where a load can be none, its
        output is left out: a load that holds volts itself would be what is seen."""
        options = ctx.asked(HeldNoiseOptions)
        line = ctx.reachable((options.line,))[0]
        ports = [p for p in captured_outputs(ctx) if p in set_ports(ctx) and "CR" in ctx.laws.get(p, ())]
        yield from gate(ctx, stands_words(ctx.unit))
        for port in ports:
            yield Stage("Background", "the unit off")
            yield Measure(
                (), 0.0, OperatingPoint(step=Purpose.BACKGROUND_BEFORE), capture=_record(options, port, 1.0, QUIET_V)
            )
        yield from feed(ctx, self.title, line.words, line)
        for port in ports:
            for percent in options.amps_percent:
                yield from _held(ctx, options, line, port, percent)

    def work_out(self, traces: Traces, choices: Choices, backgrounds: Sequence[Traces]) -> Analysed:
        """The volts of the record over the resistance that was set, known far better than a scope reads."""
        ohm = choices.number(OHM, 0.0)
        volts = ripple_figures(traces, choices, backgrounds)
        amps = {key: _over(volts.figures[key], ohm) for key, _, _ in ROWS if key in volts.figures}
        return replace(volts, kind="noise of held amps", figures=amps, facts={**volts.facts, OHM: f"{ohm:.4g} ohm"})

    def gathered(self, finding: Finding, seen: Sequence[Seen]) -> Finding:
        off = [each for each in seen if _holds_not(each)]
        if not off:
            return finding
        text = "Its amps were not what it was set to hold: its limit did not act here, or acts elsewhere."
        doubt = Doubt("limit_not_seen", text, "Look at how its limit is set; take it once more.")
        return replace(finding, doubts=(*finding.doubts, doubt))

    def named(self, found: Analysed) -> Sequence[Named]:
        note = f"volts across {found.facts[OHM]}, over it"
        return tuple(
            Named(name, title, "A", found.figures[key], note) for key, name, title in ROWS if key in found.figures
        )


def _holds_not(each: Seen) -> bool:
    """Whether its amps were read, and are not what it was set to hold."""
    amps, to = each.point.get("output_current"), each.point.at.set_point(each.point.at.about)
    if amps is None or amps.value is None or to is None:
        return False
    return abs(amps.value - to.current_A) > HELD_WITHIN * to.current_A


def _over(one: Figure, ohm: float) -> Figure:
    """Without an ohm there is no figure."""
    if one.value is None or not ohm:
        return Figure(None, "A")
    effects = {name: effect / ohm for name, effect in one.effects.items()}
    return Figure(one.value / ohm, "A", one.u / ohm if one.u is not None else None, effects=effects)


def _record(options: HeldNoiseOptions, port: str, ohm: float, span_V: float) -> Capturing:
    return Capturing(
        NAME, (WantedChannel(at_port("output_voltage", port), span_V, 0.0, "AC"),), options.record_s, SAMPLES,
        look=True, said=(("record", "long"), (OHM, repr(ohm))),
        why="ten periods of the line: what alternates in held amps follows it",
    )  # fmt: skip


def _held(ctx: Context, options: HeldNoiseOptions, line: Line, port: str, percent: float) -> Steps:
    top = top_of(ctx, port)
    to = SetPoint(top.voltage_V, 0.01 * percent * top.current_A)
    ohm = 0.01 * options.volts_percent * to.voltage_V / to.current_A
    yield Stage("Held amps", f"{to}{f', {port}' if port else ''}")
    yield ChooseMode(to, port)
    yield SetLoad(to.current_A, True, port, "CR", ohm)
    yield Dwell(options.settle_s, "holds its current")
    at = OperatingPoint((Feed(line.voltage_V, line.frequency_Hz),), (Draw(None, ohm, "CR", port),), ((port, to),),
                        about=port)  # fmt: skip
    read = [q for q in (at_port("output_voltage", port), at_port("output_current", port)) if q in ctx.measured]
    yield Measure(tuple(read), 2.0, at, capture=_record(options, port, ohm, SPAN * ohm * to.current_A))
    yield SetLoad(0.0, False, port)


SPEC = HeldNoise()
