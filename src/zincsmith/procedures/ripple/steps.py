"""Ripple and noise: worked out of records of the volts of an output."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

from zincsmith.model.actions import Capturing, Confirm, Dwell, Measure, Stage, WantedChannel
from zincsmith.model.address import at_port
from zincsmith.model.finding import Finding
from zincsmith.model.operating_point import OperatingPoint, Purpose, Thermal
from zincsmith.model.plan import Line
from zincsmith.model.reading import Evidence
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.base import Context, Conventions, Curves, Steps
from zincsmith.procedures.beginning import feed, gate
from zincsmith.procedures.intake import Intake
from zincsmith.procedures.ports import RAMP_PERCENT, at_load, draw, emptied, everywhere, ramp
from zincsmith.procedures.ripple.figures import PICK_UP, ripple_figures
from zincsmith.procedures.ripple.intake import RippleRecord
from zincsmith.procedures.ripple.options import RippleOptions
from zincsmith.procedures.ripple.pick_up import told_apart
from zincsmith.procedures.ripple.plots import spectra, split_into_parts
from zincsmith.procedures.waveforms.capturing import captured_outputs
from zincsmith.procedures.waveforms.findings import Named, OfCaptures, TypedFigure
from zincsmith.procedures.waveforms.traces import Choices, Traces
from zincsmith.recorded.result import Analysed, Figure

NAME = "ripple"


class RippleAndNoise(OfCaptures):
    """Worked out of records."""

    name = NAME
    title = "Ripple and noise"
    version = 2
    needs: tuple[str, ...] = ("scope",)
    serves = "peak to peak and rms, line and switching parts, spikes"
    options = RippleOptions
    intakes: tuple[Intake, ...] = (RippleRecord(),)
    typed = (
        TypedFigure("pp", "ripple", "Ripple and noise, peak to peak", "V", "52m"),
        TypedFigure("rms", "ripple_rms", "Ripple and noise, rms", "V", "9m"),
    )

    def steps(self, ctx: Context) -> Steps:
        """The background with everything on and the unit off; at each line and load a short record and a long one; the
        background once more. InputError where no scope is on an output."""
        options = ctx.asked(RippleOptions)
        ports = captured_outputs(ctx)
        yield from gate(ctx)
        if options.background:
            yield Stage("Background", "before, the unit off")
            yield from emptied(ctx, options.lines[0].frequency_Hz)
            yield from _background(options, ports, Purpose.BACKGROUND_BEFORE)
        lines = ctx.reachable(options.lines)
        if options.warm_min and lines:
            most = max(options.loads_percent)
            yield from feed(ctx, "Ripple", "cold", lines[0])
            yield from ramp(ctx, (*(p for p in RAMP_PERCENT if p < most), most))
            for port in ports:
                cold = replace(at_load(ctx, lines[0], most), state=Thermal.COLD)
                yield Measure(_read(ctx), 1.0, cold, capture=_short(options, ctx, port))
            yield Stage("Warm-up", f"{options.warm_min:g} min at {most:g} % load")
            yield Dwell(60.0 * options.warm_min, "warms up", warms=True)
        for line in lines:
            yield from feed(ctx, "Ripple", line.words, line)
            for load in sorted(options.loads_percent):
                yield from draw(ctx, load)
                yield Dwell(options.settle_s, "settles")
                for port in ports:
                    at = at_load(ctx, line, load)
                    yield Measure(_read(ctx), 1.0, at, capture=_short(options, ctx, port))
                    if "long" in _lengths(options):
                        yield Measure((), 0.0, at, capture=_long(options, ctx, port))
        if options.pick_up and lines:
            yield from _picked_up(ctx, options, lines[-1], ports)
        if options.background:
            yield Stage("Background", "after, the unit off")
            yield from emptied(ctx, options.lines[0].frequency_Hz)
            yield from _background(options, ports, Purpose.BACKGROUND_AFTER)

    def plots(self, evidence: Evidence) -> list[Curves]:
        """What the records are made of, and which frequencies are in them; then the records."""
        return [*split_into_parts(evidence), *spectra(evidence), *super().plots(evidence)]

    def findings(self, evidence: Evidence, nameplate: Nameplate, conventions: Conventions) -> list[Finding]:
        """With what of a peak to peak the probe picked up, where that was tried."""
        return told_apart(super().findings(evidence, nameplate, conventions))

    def work_out(self, traces: Traces, choices: Choices, backgrounds: Sequence[Traces]) -> Analysed:
        return ripple_figures(traces, choices, backgrounds)

    def named(self, found: Analysed) -> Sequence[Named]:
        """What judges a claim is the peak to peak behind the usual limit of the bandwidth, where the record has it."""
        f = found.figures
        if found.facts.get("record") == PICK_UP:
            span = f["peak_to_peak_limited"] if f["peak_to_peak_limited"].value is not None else f["peak_to_peak"]
            both = "tip and ground of the probe at one node"
            return (
                Named("ripple_pick_up", "Pick-up of the probe, peak to peak", "V", span, both),
                Named("ripple_pick_up_rms", "Pick-up of the probe, rms", "V", f["rms"], both),
            )
        if found.facts.get("record") == "long":  # what follows the line, and packets; the short one tells the rest
            return _parts(f, ("line_peak_to_peak", "burst_rate"))
        limited = f["peak_to_peak_limited"].value is not None
        judging = f["peak_to_peak_limited"] if limited else f["peak_to_peak"]
        corrected = f["rms_corrected"].value is not None
        rms = f["rms_corrected"] if corrected else f["rms"]
        note = f"limited to {float(found.facts['bandwidth_Hz']) / 1e6:g} MHz" if limited else "bandwidth as recorded"
        return (
            Named("ripple", "Ripple and noise, peak to peak", "V", judging, note),
            Named("ripple_rms", "Ripple and noise, rms", "V", rms, "background taken off" if corrected else "as read"),
            Named("ripple_full", "Ripple and noise, bandwidth as recorded", "V", f["peak_to_peak"]),
            Named("ripple_percentile", "Span of the 0.05 to 99.95 % quantiles", "V", f["percentile_peak_to_peak"],
                  "a figure of the house: it judges no claim"),
            *_parts(f, tuple(key for key, *_ in PARTS)),
        )  # fmt: skip


def _parts(f: Mapping[str, Figure], wanted: tuple[str, ...]) -> tuple[Named, ...]:
    return tuple(
        Named(name, title, unit, f[key])
        for key, name, title, unit in PARTS
        if key in wanted and f[key].value is not None
    )


SHORT_SAMPLES, LONG_SAMPLES = 200_000, 400_000
WHY = {
    "short": "ten periods of the switching and more, 500 MS/s and more: the limit of 20 MHz is worked out afterwards, "
    "so that the figure with it and the one without come from one record",
    "long": "ten periods of 50 Hz and more, for what follows the line, and for packets at light load",
}
FIRST_SPAN = 0.05  # of nominal: what a first look begins with


def _lengths(options: RippleOptions) -> tuple[str, ...]:
    return ("short", "long") if options.long_s else ("short",)


def _read(ctx: Context) -> tuple[str, ...]:
    return tuple(q for q in everywhere(ctx, ("input_voltage", "output_voltage", "output_current")) if q in ctx.measured)


def _short(options: RippleOptions, ctx: Context, port: str) -> Capturing:
    return _capture(options, ctx.volts[port], port, options.short_s, SHORT_SAMPLES, "short")


def _long(options: RippleOptions, ctx: Context, port: str) -> Capturing:
    return _capture(options, ctx.volts[port], port, options.long_s, LONG_SAMPLES, "long")


def _capture(
    options: RippleOptions, nominal_V: float, port: str, seconds: float, samples: int, record: str
) -> Capturing:
    channel = WantedChannel(at_port("output_voltage", port), FIRST_SPAN * abs(nominal_V), 0.0, "AC")
    bandwidth = (("bandwidth", f"{options.limited_MHz:g}MHz"),) if options.limited_MHz else ()
    return Capturing(
        NAME, (channel,), seconds, samples, look=True, said=(("record", record), *bandwidth), why=WHY[record]
    )


def _picked_up(ctx: Context, options: RippleOptions, line: Line, ports: Sequence[str]) -> Steps:
    """The unit on, under the highest load, tip and ground at one node; then the tip back."""
    most = max(options.loads_percent)
    yield Stage("Pick-up", "tip and ground at one node")
    yield from emptied(ctx, line.frequency_Hz)
    yield Confirm(
        "Tip and ground at one node",
        "Put the tip of each probe where its ground stands, at the output's return, the lead as it was. Whatever it "
        "shows then with the unit on is not of the output.", hands_in=True,
    )  # fmt: skip
    yield from feed(ctx, "Pick-up", line.words, line)
    yield from ramp(ctx, (*(p for p in RAMP_PERCENT if p < most), most))
    yield Dwell(options.settle_s, "settles")
    for port in ports:
        short = _short(options, ctx, port)
        said = tuple((key, PICK_UP if key == "record" else value) for key, value in short.said)
        yield Measure((), 0.0, at_load(ctx, line, most), capture=replace(short, said=said))
    yield from emptied(ctx, line.frequency_Hz)
    yield Confirm("Tip back at the output", "Put the tip of each probe back to the output.", hands_in=True)


def riding(ctx: Context) -> Capturing:
    """A short record of every output that the scope is joined to, beside what another procedure reads at a point.
    InputError where it is joined to none."""
    options = RippleOptions()
    first, *others = (_short(options, ctx, port) for port in captured_outputs(ctx))
    return replace(first, channels=(*first.channels, *(c for one in others for c in one.channels)))


def _background(options: RippleOptions, ports: tuple[str, ...], step: Purpose) -> Steps:
    for port in ports:
        yield Measure(
            (), 0.0, OperatingPoint(step=step),
            capture=Capturing(
                NAME, (WantedChannel(at_port("output_voltage", port), 0.05, 0.0, "AC"),),
                options.short_s, SHORT_SAMPLES, look=True,
                said=(("record", "short"),), why="the same as with the unit on: what is there without it",
            ),
        )  # fmt: skip


PARTS = (
    ("line_peak_to_peak", "ripple_line", "Ripple that follows the line", "V"),
    ("switching_peak_to_peak", "ripple_switching", "Ripple that follows the switching", "V"),
    ("spike_peak_to_peak", "ripple_spikes", "Spikes at the edges", "V"),
    ("switching_frequency", "switching_frequency", "Switching frequency", "Hz"),
    ("burst_rate", "burst_rate", "Packets", "Hz"),
    ("dc_level", "dc_level", "DC level", "V"),
)
SPEC = RippleAndNoise()
