"""Switching node: a record of a place inside the unit at each line and load, touched or from beside it."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

from zincsmith.model.actions import Capturing, Dwell, Measure, WantedChannel
from zincsmith.model.address import at_port
from zincsmith.model.capture import Trigger
from zincsmith.model.errors import InputError
from zincsmith.model.finding import Doubt, Finding
from zincsmith.model.plan import Line
from zincsmith.model.reading import Evidence
from zincsmith.model.unit import Nameplate, Node
from zincsmith.procedures.base import Context, Conventions, Steps
from zincsmith.procedures.beginning import feed, gate
from zincsmith.procedures.ports import at_load, draw, emptied
from zincsmith.procedures.switching_node.figures import switching_node_of
from zincsmith.procedures.switching_node.options import SwitchingNodeOptions
from zincsmith.procedures.waveforms.capturing import source_at
from zincsmith.procedures.waveforms.findings import Named, OfCaptures, TypedFigure
from zincsmith.procedures.waveforms.traces import Choices, Traces
from zincsmith.recorded.result import Analysed

NAME = "switching_node"
SAMPLES = 200_000
USUAL_V = 800.0  # of a node whose parts nobody stated
WHY = "a hundred cycles and more for how even they are, twenty samples and more in each"
AT_START, SWINGS = "at the start", 1.1  # times the crest of the line
WHY_AT_START = "the first cycles, when the current is at its limit and the node swings furthest"
AMPS_OVER = 8.0  # of the mean amps at the lowest line: what a ramp may reach
ROOM = 1.3  # beyond what its parts stand


class SwitchingNode(OfCaptures):
    """At every node that a channel of the scope looks at."""

    name = NAME
    title = "Switching node"
    version = 1
    needs: tuple[str, ...] = ("scope",)
    serves = "how often and how evenly it switches, and at how many volts"
    options = SwitchingNodeOptions
    of = "node_voltage"
    typed = (TypedFigure("f", "switching_frequency", "Switching frequency", "Hz", "65k"),)

    def steps(self, ctx: Context) -> Steps:
        """InputError where no channel of the scope looks at a node."""
        options = ctx.asked(SwitchingNodeOptions)
        nodes = looked_at(ctx)
        if not nodes:
            raise InputError("no channel of the scope looks at a node of this unit", key="instrument.scope.channel")
        yield from gate(ctx)
        for line in ctx.reachable(options.lines):
            yield from feed(ctx, "Switching node", line.words, line)
            for load in sorted(options.loads_percent):
                yield from draw(ctx, load)
                yield Dwell(options.settle_s, "settles")
                for node in nodes:
                    wanted = record_of(ctx, node, options.record_s)
                    yield Measure((), 0.0, at_load(ctx, line, load), capture=wanted)
            for node in nodes if options.at_start else ():
                yield from _starting(ctx, options, line, node)

    def work_out(self, traces: Traces, choices: Choices, backgrounds: Sequence[Traces]) -> Analysed:
        return switching_node_of(traces, choices.record)

    def named(self, found: Analysed) -> Sequence[Named]:
        f, stability = found.figures, found.facts.get("stability", "")
        if found.facts.get("record") == AT_START:
            return [
                Named(name, title, unit, f[key])
                for key, name, title, unit in (
                    ("peak", "node_peak_at_start", "Highest volts at the node as it starts", "V"),
                    ("current_peak", "node_current_at_start", "Highest amps at the node as it starts", "A"),
                )
                if f[key].value is not None
            ]
        wanted = [
            Named("switching_frequency", "Switching frequency", "Hz", f["frequency"], str(stability)),
            Named("switching_jitter", "Jitter of the period", "s", f["jitter"], str(stability)),
            Named("switching_spread", "Spread of the period", "1", f["period_spread"], "5 to 95 % over the median"),
        ]
        more = (("duty", "switching_duty", "Share of the period that it conducts", "1"),
                ("peak", "node_peak", "Highest volts at the node", "V"),
                ("current_peak", "node_current_peak", "Highest amps at the node", "A"),
                ("ramp_bend", "ramp_bend", "Slope of the current, late over early", "1"))  # fmt: skip
        return (*wanted, *(Named(name, title, unit, f[key]) for key, name, title, unit in more if f[key].value))

    def findings(self, evidence: Evidence, nameplate: Nameplate, conventions: Conventions) -> list[Finding]:
        """With the highest volts held against what the parts of the node stand."""
        rated = {n.name: n.rated_V for n in nameplate.nodes}
        return [_against(f, rated.get(f.output)) for f in super().findings(evidence, nameplate, conventions)]


def _starting(ctx: Context, options: SwitchingNodeOptions, line: Line, node: Node) -> Steps:
    """The input comes; the scope waits until the node swings beyond what the bulk capacitor has by itself."""
    most = max(options.loads_percent)
    yield from emptied(ctx, line.frequency_Hz)
    yield from draw(ctx, most)
    one = record_of(ctx, node, options.record_s)
    swings = SWINGS * math.sqrt(2.0) * line.voltage_V
    yield Measure((), 0.0, at_load(ctx, line, most), capture=replace(
        one, before=0.1, trigger=Trigger(one.channels[0].address, swings, "rising"), first=source_at(line, False),
        first_s=1.0, then=source_at(line, True), said=(("record", AT_START),), why=WHY_AT_START,
    ))  # fmt: skip
    yield Dwell(1.0, "it runs")


def looked_at(ctx: Context) -> list[Node]:
    """The nodes that a channel of the scope looks at."""
    return [n for n in ctx.nameplate.nodes if at_port("node_voltage", n.name) in ctx.captured]


def record_of(ctx: Context, node: Node, seconds: float, works_out: tuple[str, ...] = ()) -> Capturing:
    """A record of a node: its volts, and the amps of its loop where a probe is around it."""
    span = ROOM * (node.rated_V or USUAL_V)
    channels = [WantedChannel(at_port("node_voltage", node.name), span, 0.4 * span)]
    if (amps := at_port("node_current", node.name)) in ctx.captured:
        most_A = AMPS_OVER * ctx.nameplate.rated_power_W / ctx.nameplate.input.voltage_min_V
        channels.append(WantedChannel(amps, 2.0 * most_A))
    return Capturing(NAME, tuple(channels), seconds, SAMPLES, look=True, works_out=works_out, why=WHY)


def _against(finding: Finding, rated_V: float | None) -> Finding:
    if finding.name not in ("node_peak", "node_peak_at_start") or finding.value is None or rated_V is None:
        return finding
    margin = 100.0 * (1.0 - finding.value / rated_V)
    words = f"{margin:.0f} % below the {rated_V:g} V that its parts stand"
    working = replace(finding.working, formula=f"{finding.working.formula}; {words}")
    doubts = finding.doubts
    if finding.value + 2.0 * (finding.u or 0.0) > rated_V:
        text = f"{finding.value:.4g} V stood at {finding.output}, its parts stand {rated_V:g} V."
        doubts = (
            *doubts,
            Doubt("node_overvolted", text, "Do not run it on: lower the line, or mend what lets it ring."),
        )
    return replace(finding, working=working, doubts=doubts)


SPEC = SwitchingNode()
