"""Ripple by a voltmeter on its AC range: the way of a bench without a scope.

It tells the rms of slow ripple well, that of a rectifier and its capacitor, and little of what lies above its
bandwidth: accepted, labelled, doubted.
"""

from __future__ import annotations

from dataclasses import replace

from zincsmith.model.actions import Dwell, Measure, Stage
from zincsmith.model.finding import Finding
from zincsmith.model.operating_point import OperatingPoint, Purpose
from zincsmith.model.reading import Evidence
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.base import Context, Conventions, Curves, Procedure, Steps
from zincsmith.procedures.beginning import feed, gate
from zincsmith.procedures.plotting import by_line
from zincsmith.procedures.ports import at_load, draw, emptied, everywhere, idle
from zincsmith.procedures.ripple_by_voltmeter.figures import SHAPES, STATED, findings_of, millivolts
from zincsmith.procedures.ripple_by_voltmeter.options import RippleByVoltmeterOptions

NAME = "ripple_by_voltmeter"
READ = ("input_voltage", "output_voltage", "output_ac_voltage", "output_current")


class RippleByVoltmeter(Procedure):
    """AC volts, at each line and load."""

    name = NAME
    title = "Ripple by a voltmeter"
    version = 1
    needs: tuple[str, ...] = ("ac_voltmeter",)
    serves = "rms of slow ripple where no scope is there"
    options = RippleByVoltmeterOptions

    def steps(self, ctx: Context) -> Steps:
        """What the meter shows with the unit off; then each line and load."""
        options = ctx.asked(RippleByVoltmeterOptions)
        yield from gate(
            ctx,
            "The meter stands on V AC, its leads at the output terminals, short and twisted. Its AC range keeps the "
            "DC volts out: on a battery it shows nothing.",
        )
        yield Stage("Background", "the unit off")
        yield from emptied(ctx, options.lines[0].frequency_Hz)
        shown = everywhere(ctx, ("output_ac_voltage",))
        yield Measure(shown, options.average_s, OperatingPoint(step=Purpose.BACKGROUND_BEFORE))
        stated = ((STATED, SHAPES[options.shape]),) if options.shape else ()
        wanted = tuple(q for q in everywhere(ctx, READ) if q in ctx.measured)
        for line in ctx.reachable(options.lines):
            yield from feed(ctx, "Ripple", line.words, line)
            for load in sorted(options.loads_percent):
                yield from draw(ctx, load)
                yield Dwell(options.settle_s, "settles")
                at = at_load(ctx, line, load)
                yield Measure(wanted, options.average_s, replace(at, stated=stated) if stated else at)

    def tidy(self, ctx: Context) -> Steps:
        """Leave the unit at no load."""
        yield from idle(ctx)

    def plots(self, evidence: Evidence) -> list[Curves]:
        """AC volts over load."""
        points = [p for p in evidence.points if p.at.step is None]
        lines = tuple(by_line(points, millivolts))
        return [Curves("AC volts of the output, by a voltmeter", "output", "A", "AC volts", "mV", "voltage", lines)]

    def findings(self, evidence: Evidence, nameplate: Nameplate, conventions: Conventions) -> list[Finding]:
        """At every place what the meter showed, and the peak to peak of a stated shape."""
        return findings_of(evidence, nameplate)


SPEC = RippleByVoltmeter()
