"""Reflected ripple: amps that ride on the input's own, where a current probe of a scope is on the input.

How much of it goes back depends on what stands before the unit: the capacitors and leads there are part of the figure.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from zincsmith.model.actions import Capturing, Dwell, Measure, WantedChannel
from zincsmith.model.errors import InputError
from zincsmith.procedures.base import Context, Steps
from zincsmith.procedures.beginning import feed, gate
from zincsmith.procedures.ports import RAMP_PERCENT, at_load, draw, ramp
from zincsmith.procedures.reflected_ripple.options import ReflectedOptions
from zincsmith.procedures.ripple.figures import ripple_figures
from zincsmith.procedures.waveforms.findings import Named, OfCaptures
from zincsmith.procedures.waveforms.intake import SOURCE_OHM
from zincsmith.procedures.waveforms.traces import Choices, Traces
from zincsmith.recorded.result import Analysed, Figure

NAME = "reflected_ripple"
SAMPLES = 200_000
FIRST_SHARE = 0.5  # of the amps of the input: what a first look begins with
LEAST_A = 0.05


class ReflectedRipple(OfCaptures):
    """Worked out of records, as the ripple of an output is."""

    name = NAME
    title = "Reflected ripple"
    version = 1
    needs: tuple[str, ...] = ("scope",)
    serves = "what a converter sends back into its source"
    options = ReflectedOptions
    tested_as = "reflected ripple"
    of = "input_current"

    def steps(self, ctx: Context) -> Steps:
        """InputError where no current probe of the scope is on the input."""
        options = ctx.asked(ReflectedOptions)
        if "input_current" not in ctx.captured:
            raise InputError("no channel of the scope has the current of the input", key="instrument.scope.channel")
        yield from gate(ctx)
        for line in ctx.reachable(options.lines):
            yield from feed(ctx, "Reflected ripple", line.words, line)
            for load in sorted(options.loads_percent):
                yield from ramp(ctx, (*(p for p in RAMP_PERCENT if p < load), load)) if load else draw(ctx, 0.0)
                yield Dwell(options.settle_s, "settles")
                amps = ctx.load_W(load) / line.voltage_V
                yield Measure((), 0.0, at_load(ctx, line, load), capture=_riding(options, ctx, amps))
                yield from draw(ctx, 0.0)

    def work_out(self, traces: Traces, choices: Choices, backgrounds: Sequence[Traces]) -> Analysed:
        """The arithmetic of the volts of an output, on amps: what it says of volts is said of amps."""
        amps = traces.channels["input_current"]
        as_volts = replace(amps, quantity="output_voltage")
        found = ripple_figures(replace(traces, channels={"output_voltage": as_volts}), choices, backgrounds)
        found.figures = {name: _of_amps(one) for name, one in found.figures.items()}
        if choices.source_ohm is not None:
            found.facts["source_ohm"] = f"{choices.source_ohm:g} ohm"
        return found

    def named(self, found: Analysed) -> Sequence[Named]:
        """Behind the usual limit of the bandwidth, where the record has it."""
        f = found.figures
        limited = f["peak_to_peak_limited"].value is not None
        note = f"limited to {float(str(found.facts['bandwidth_Hz'])) / 1e6:g} MHz" if limited else "as recorded"
        wanted = [
            Named("reflected_ripple", "Reflected ripple, peak to peak", "A",
                  f["peak_to_peak_limited"] if limited else f["peak_to_peak"], note),
            Named("reflected_ripple_rms", "Reflected ripple, rms", "A", f["rms"], "without the direct current"),
        ]  # fmt: skip
        if f["switching_frequency"].value is not None:
            wanted.append(Named("reflected_frequency", "Its frequency", "Hz", f["switching_frequency"]))
        return wanted


def _of_amps(one: Figure) -> Figure:
    effects = {source.replace("output_voltage", "input_current"): effect for source, effect in one.effects.items()}
    return replace(one, unit="A" if one.unit == "V" else one.unit, effects=effects)


def _riding(options: ReflectedOptions, ctx: Context, amps: float) -> Capturing:
    span = max(LEAST_A, FIRST_SHARE * amps)
    said = [("bandwidth", f"{options.limited_MHz:g}MHz")] if options.limited_MHz else []
    if ctx.source_ohm is not None:
        said.append((SOURCE_OHM, f"{ctx.source_ohm:g}"))
    return Capturing(
        NAME, (WantedChannel("input_current", span, 0.0, "AC"),), options.record_s, SAMPLES, look=True,
        said=tuple(said),
        why="ten periods of the switching and more; the direct current kept out, what rides on it filling the range",
    )  # fmt: skip


SPEC = ReflectedRipple()
