"""Cross regulation: every rail at each of its loads while all the others are at each of theirs."""

from __future__ import annotations

from collections.abc import Generator, Mapping, Sequence
from dataclasses import dataclass

from zincsmith.model.actions import Action, Dwell, Measure, Measured, Note, Outcome, SetLoad, Stage
from zincsmith.model.address import at_port
from zincsmith.model.finding import Doubt, Finding
from zincsmith.model.operating_point import Draw, Feed, OperatingPoint, Purpose
from zincsmith.model.plan import Line
from zincsmith.model.reading import Evidence, Point
from zincsmith.model.roles import SOURCE
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.base import Context, Conventions, Curves, Procedure, Section, Steps
from zincsmith.procedures.beginning import feed, gate, stands_words
from zincsmith.procedures.cross_regulation.figures import (
    OTHERS,
    OWN,
    curves,
    findings_of_cross_loads,
    in_tolerance,
    table,
)
from zincsmith.procedures.cross_regulation.options import CrossOptions
from zincsmith.procedures.ports import everywhere, idle, outputs_words, ramp, watch_outputs
from zincsmith.procedures.search import bisect

NAME = "cross_regulation"
STOPPED = 0.5
WANTED = ("output_voltage", "output_current")
AT_INPUT = ("input_voltage", "input_current", "input_power")
LESS_PERCENT = (20.0, 10.0, 5.0, 2.0, 0.0)  # how little on one rail, the others with nothing
Shares = Mapping[str, float]  # percent of its rating, by port


class CrossRegulation(Procedure):
    name = NAME
    title = "Cross regulation"
    version = 1
    needs: tuple[str, ...] = (SOURCE, "load", "voltmeter")
    serves = "what the load of one rail does to the volts of the others, and how little load all of them need"
    options = CrossOptions
    tested_as = "cross regulation"

    def steps(self, ctx: Context) -> Steps:
        """Warm, then the table of loads, one rail after the other, in an order that changes few loads at a time; then
        less and less on each rail alone."""
        options = ctx.asked(CrossOptions)
        line = ctx.reachable((options.line,))[0]
        yield from gate(
            ctx,
            f"{stands_words(ctx.unit)} A load and a voltmeter are at each of {outputs_words(ctx)}, each at its own "
            f"terminals, polarity checked; the returns are {_returns(ctx)}.",
        )
        yield from feed(ctx, "Warm-up", f"{line.words}, all rails at full load", line)
        yield from watch_outputs(ctx, STOPPED, None, "half the nameplate's output voltage: it has stopped", count=4)
        yield from ramp(ctx)
        yield Dwell(options.warm_up_s, "warm-up at full load", warms=True)
        stage = ""
        for one in combinations(ctx, options.levels_percent):
            if one.rail != stage:
                yield Stage("Cross loads", f"{line.words}, {one.rail} varied")
                stage = one.rail
            yield from _taken(ctx, options, line, one)
        if options.least_load:
            for rail in _loadable(ctx):
                yield from _least(ctx, options, line, rail)

    def tidy(self, ctx: Context) -> Steps:
        """Leave the unit at no load."""
        yield from idle(ctx)

    def doubts(self, point: Point) -> list[Doubt]:
        return []

    def findings(self, evidence: Evidence, nameplate: Nameplate, conventions: Conventions) -> list[Finding]:
        """By rail: its change with the others' loads, its lowest and highest volts over the table, the least load."""
        return findings_of_cross_loads(evidence.points, nameplate)

    def plots(self, evidence: Evidence) -> list[Curves]:
        """The volts of each rail over the load of the others, a curve for each of its own."""
        return curves(evidence.points)

    def section(self, findings: Sequence[Finding]) -> Section | None:
        """The table: by rail and own load its volts with the others at each of their levels."""
        return table(findings)


def _returns(ctx: Context) -> str:
    """Whether outputs share their return, as the plate's terminals say; a person looks where nobody has said."""
    marks = [t.name for t in ctx.unit.terminals if t.polarity == "0" or "return" in t.mark.lower()]
    return f"joined at {', '.join(marks)}" if marks else "common or floating as you have measured them: note which"


def _level(ctx: Context, percent: float, port: str) -> float:
    """A level as a share of the rating; the least is what the plate asks for."""
    return max(percent, ctx.envelope.least_percent(port))


@dataclass(frozen=True)
class Cross:
    """One set of loads: the rail that is varied, its level and that of all the others, and the share of each."""

    rail: str
    own: float
    others: float
    shares: Shares


def combinations(ctx: Context, levels: Sequence[float]) -> list[Cross]:
    """Each set of loads once. The others stay while one goes up, and then down again with the others at their next
    level: few loads change from one to the next."""
    found: list[Cross] = []
    seen: set[tuple[float, ...]] = set()
    for rail in ctx.outputs:
        for n, others in enumerate(sorted(levels)):
            for own in sorted(levels, reverse=n % 2 == 1):
                shares = {p: _level(ctx, own if p == rail else others, p) for p in ctx.outputs}
                if (key := tuple(shares.values())) not in seen:
                    seen.add(key)
                    found.append(Cross(rail, own, others, shares))
    return found


def _loadable(ctx: Context) -> tuple[str, ...]:
    """The rails that a least load is looked for on: not what is there to stand by."""
    return tuple(p for p in ctx.outputs if not ctx.envelope.output(p).standby)


def _drawn(ctx: Context, shares: Shares) -> Steps:
    """The lighter loads first, so that what is taken back is off before the rest goes up."""
    for port, percent in sorted(shares.items(), key=lambda one: one[1]):
        yield SetLoad(ctx.load_A(percent, port), percent > 0.0, port)


def _at(line: Line, ctx: Context, one: Cross, step: Purpose | None) -> OperatingPoint:
    shares = sorted(one.shares.items(), key=lambda share: share[0] != one.rail)
    draws = tuple(Draw(percent, ctx.load_A(percent, port), port=port) for port, percent in shares)
    stated = ((OWN, one.own), (OTHERS, one.others))
    return OperatingPoint((Feed(line.voltage_V, line.frequency_Hz),), draws, step=step, about=one.rail, stated=stated)


def _taken(
    ctx: Context, options: CrossOptions, line: Line, one: Cross, step: Purpose | None = None
) -> Generator[Action, Outcome, Point | None]:
    yield from _drawn(ctx, one.shares)
    first = at_port("output_voltage", ctx.outputs[0])
    yield Dwell(
        options.settle_s, "settles", quantity=first, percent=0.1, window_s=4.0, at_most_s=4.0 * options.settle_s
    )
    names = (*everywhere(ctx, WANTED), *(q for q in AT_INPUT if q in ctx.polled))
    answer = yield Measure(names, options.average_s, _at(line, ctx, one, step))
    return answer.point if isinstance(answer, Measured) else None


def _least(ctx: Context, options: CrossOptions, line: Line, rail: str) -> Steps:
    """Less and less on one rail, nothing on the others, until some rail leaves its tolerance; then closer."""
    yield Stage("Least load", f"{line.words}, on {rail} alone")

    def fine(percent: float) -> Generator[Action, Outcome, bool]:
        one = Cross(rail, percent, 0.0, {p: percent if p == rail else 0.0 for p in ctx.outputs})
        point = yield from _taken(ctx, options, line, one, Purpose.FALLING)
        return point is not None and in_tolerance(point, ctx.nameplate)

    good: float | None = None
    for percent in LESS_PERCENT:
        if not (yield from fine(percent)):
            break
        good = percent
    else:
        return
    if good is None:
        yield Note(f"with {LESS_PERCENT[0]:g} % on {rail} alone some rail is out of its tolerance")
    elif not ctx.load_by_hand:

        def out(share: float) -> Generator[Action, Outcome, bool]:
            return not (yield from fine(share))

        yield from bisect(good, percent, options.resolution_percent, out)


SPEC = CrossRegulation()
