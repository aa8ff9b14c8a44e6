"""The static grid: efficiency, power factor, load and line regulation from one sweep over load and line.

Warm up at full load, then go down from 100 % at each line; wait at each point until the input power is steady.
"""

from __future__ import annotations

from collections.abc import Generator
from dataclasses import replace

from zincsmith.analysis.point_doubts import point_doubts
from zincsmith.model.actions import (
    Action,
    Dwell,
    Measure,
    Measured,
    Outcome,
    SetSource,
    Stage,
    Watch,
)
from zincsmith.model.address import at_port
from zincsmith.model.finding import Doubt, Finding
from zincsmith.model.operating_point import LAW_WORDS, Mode, OperatingPoint, Purpose, Thermal
from zincsmith.model.plan import Line
from zincsmith.model.port import UNPLUGGED, strongest_modes
from zincsmith.model.reading import Evidence, Point
from zincsmith.model.roles import SOURCE
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.base import Context, Conventions, Curves, Procedure, Steps
from zincsmith.procedures.beginning import feed, gate, selector_words, stands_words
from zincsmith.procedures.given import POWER
from zincsmith.procedures.planning import RATED
from zincsmith.procedures.ports import (
    at_load,
    draw,
    drawn_ports,
    everywhere,
    idle,
    output_watts,
    outputs_words,
    plugged_in,
    ramp,
    read_beside,
    watch_outputs,
)
from zincsmith.procedures.ripple.steps import riding
from zincsmith.procedures.search import refine
from zincsmith.procedures.static_grid.intake import PointTable, WrittenDown
from zincsmith.procedures.static_grid.options import LOADS_OF, GridOptions

# Bounds that stop the run; a unit that passes them is not worth waiting for.
LEAST_EFFICIENCY = 0.55  # input power beyond rated / this is more than the unit can explain
FIXED_LOSS_W = 5.0
STOPPED = 0.5  # of nominal output
LEAST_KNOWN = 3  # points before a curve can be refined
LEAST_GAP_PERCENT = 1.0

AT_ONCE_MEAN_S = 1.0  # a reading right after a step is short
WANTED = ("input_voltage", "input_current", "input_power", "power_factor", "output_voltage", "output_current")
# What has to be read at these loads, where it is not the output volts alone.
READ_FOR: dict[str, tuple[str, ...]] = {
    "input_current": ("input_current",),
    "power_factor": ("input_power", "input_voltage", "input_current"),
    "case_temperature": ("case_temperature",),
    "average_active_efficiency": POWER,
    "efficiency": POWER,
    "full_load_input_power": ("input_power",),
    "full_load_output_power": ("output_voltage", "output_current"),
    "full_load_output_current": ("output_current",),
    "output_resistance": ("output_voltage", "output_current"),
    "no_load_power": ("input_power",),
}
COLD_S = 2.0  # after the load came on, before the warm-up
NAME = "static_grid"


def efficiency_of(answer: Outcome) -> float | None:
    """V I / Pin of a point just measured, None when it was skipped or a reading is missing."""
    if not isinstance(answer, Measured):
        return None
    point = answer.point
    power = [output_watts(point, port) for port in drawn_ports(point)]
    taken = point.get("input_power")
    if taken is None or not taken.value or taken.value < 0.0 or any(w is None for w in power):
        return None
    return sum(w for w in power if w is not None) / taken.value


def grid_options(ctx: Context) -> GridOptions:
    return ctx.asked(GridOptions)


def about_a_port(ctx: Context) -> Context:
    """The context of a grid that varies one output, in a mode of it, by a law, while the others keep their load."""
    options = grid_options(ctx)
    modes: dict[str, Mode] = {**ctx.modes}
    if options.mode == RATED:
        modes |= strongest_modes(ctx.nameplate)
    elif options.mode:
        modes[options.port] = options.mode
    if options.port and ctx.nameplate.sharing and not options.others_percent:  # nobody else takes a share of it
        modes |= {port: UNPLUGGED for port in ctx.outputs if port != options.port}
    return replace(ctx, about=options.port, others_percent=options.others_percent, modes=modes, law=options.law)


def about_words(options: GridOptions) -> str:
    """Which output, in which mode, by which law of the load, where a plan says so."""
    law = LAW_WORDS[options.law] if options.law != "CC" else ""
    return "".join(f", {words}" for words in (options.port, options.mode, law) if words)


class StaticGrid(Procedure):
    name = NAME
    title = "Static grid"
    version = 7
    needs: tuple[str, ...] = (SOURCE, "power_meter", "load", "voltmeter")
    serves = "efficiency, power factor, load and line regulation, static accuracy, output resistance"
    options = GridOptions
    tested_as = "static grid"
    intakes = (PointTable(), WrittenDown())

    def steps(self, ctx: Context) -> Steps:
        """Gate, watches, warm-up, then every load at every line."""
        ctx, options = about_a_port(ctx), grid_options(ctx)
        lines = [x for x in ctx.reachable(options.lines) if options.loads_at(x)]
        first = lines[0]
        yield from gate(
            ctx,
            f"{stands_words(ctx.unit)} {selector_words(ctx.unit)}The source is wired through the power meter to its "
            f"input, the load to {outputs_words(ctx)} with the voltmeter at the unit's terminals, polarity checked.",
        )
        yield from self._watches(ctx)
        yield from feed(ctx, "Warm-up", f"{first.words}, full load{about_words(options)}", first)
        stopped = "half the nameplate's output voltage: it has stopped"
        yield from watch_outputs(ctx, STOPPED, None, stopped, count=4)
        yield from ramp(ctx)
        if options.cold:
            yield Dwell(COLD_S, "before it warms up")
            yield self._measure(ctx, replace(at_load(ctx, first, 100.0), state=Thermal.COLD))
        yield Dwell(options.warm_up_s, "warm-up at full load", warms=True)
        for line in lines:
            yield Stage("Grid", f"{line.words}{about_words(options)}")
            if line != first:
                yield from self._change_line(ctx, line)
            known = []
            for load in options.loads_at(line):
                value = efficiency_of((yield from self._point(ctx, line, load)))
                if value is not None:
                    known.append((load, value))
            if options.again and len(options.loads_at(line)) > 1:
                yield from self._point(ctx, line, options.loads_at(line)[0], Purpose.AGAIN)
            yield from self._turns(ctx, line)
        if len(known) >= LEAST_KNOWN and options.refine_points:
            yield from self._refine(ctx, lines[-1], known)
        yield from self._line_turns(ctx, lines)

    def _turns(self, ctx: Context, line: Line) -> Steps:
        """The heaviest and the lightest load back and forth, the heaviest first and last; where it is asked for, the
        lightest is read right after the step too."""
        options = grid_options(ctx)
        loads = options.loads_at(line)
        rounds = max(options.turns, 1 if options.at_once_s > 0.0 else 0)
        if not rounds or len(set(loads)) < 2:
            return
        heavy, light = max(loads), min(loads)
        yield Stage("In turns", f"{line.words}, {heavy:g} and {light:g} % load, {rounds} times")
        for turn in range(1, rounds + 1):
            yield from self._point(ctx, line, heavy, Purpose.TURN, turn)
            if options.at_once_s > 0.0:
                yield from draw(ctx, light)
                yield Dwell(options.at_once_s, "right after the step")
                at = replace(at_load(ctx, line, light), step=Purpose.TURN, step_number=turn)
                yield self._measure(ctx, replace(at, after_step_s=options.at_once_s), AT_ONCE_MEAN_S)
            yield from self._point(ctx, line, light, Purpose.TURN, turn)
        yield from self._point(ctx, line, heavy, Purpose.TURN, rounds + 1)

    def _line_turns(self, ctx: Context, lines: list[Line]) -> Steps:
        """Two lines back and forth at the heaviest load, the last one first and last: it is the one that is on."""
        options = grid_options(ctx)
        if not options.line_turns or len(lines) < 2:
            return
        here = lines[-1]
        away = max(lines, key=lambda x: abs(x.voltage_V - here.voltage_V))
        heavy = max(options.loads_percent)
        yield Stage("In turns", f"{here.words} and {away.words}, {heavy:g} % load, {options.line_turns} times")
        for turn in range(1, options.line_turns + 1):
            yield from self._point(ctx, here, heavy, Purpose.LINE_TURN, turn)
            yield from self._change_line(ctx, away, rewarm=False)
            yield from self._point(ctx, away, heavy, Purpose.LINE_TURN, turn)
            yield from self._change_line(ctx, here, rewarm=False)
        yield from self._point(ctx, here, heavy, Purpose.LINE_TURN, options.line_turns + 1)

    def _refine(self, ctx: Context, line: Line, known: list[tuple[float, float]]) -> Steps:
        """Further points at the last line, each where the efficiency curve is least certain."""
        yield Stage("Efficiency curve", f"{line.words}, where it is least certain")

        def efficiency_at(load: float) -> Generator[Action, Outcome, float | None]:
            answer = yield from self._point(ctx, line, load)
            return efficiency_of(answer)

        yield from refine(known, grid_options(ctx).refine_points, LEAST_GAP_PERCENT, efficiency_at)

    def _watches(self, ctx: Context) -> Steps:
        most_W = ctx.nameplate.rated_power_W / LEAST_EFFICIENCY + FIXED_LOSS_W
        if "input_power" in ctx.measured:
            yield Watch("input_power", None, most_W, "the most a unit of this rating can explain")

    def _change_line(self, ctx: Context, line: Line, rewarm: bool = True) -> Steps:
        yield from idle(ctx)
        yield SetSource(line.voltage_V, line.frequency_Hz, True)
        yield Dwell(2.0, "line changes at no load")
        yield from ramp(ctx)
        if rewarm:
            yield Dwell(grid_options(ctx).rewarm_s, "warm again at full load", warms=True)

    def _point(
        self, ctx: Context, line: Line, load_percent: float, step: Purpose | None = None, number: int = 0
    ) -> Generator[Action, Outcome, Outcome]:
        options, first = grid_options(ctx), ctx.about or ctx.outputs[0]
        yield from draw(ctx, load_percent)
        yield Dwell(
            options.settle_s,
            "settles",
            quantity="input_power" if load_percent > 0.0 else at_port("output_voltage", first),
            percent=options.settled_percent,
            window_s=options.settled_window_s,
            at_most_s=options.settle_at_most_s,
        )
        what = self._measure(ctx, replace(at_load(ctx, line, load_percent), step=step, step_number=number))
        return (yield replace(what, capture=riding(ctx)) if options.ripple and step is None else what)

    @staticmethod
    def _measure(ctx: Context, at: OperatingPoint, average_s: float | None = None) -> Measure:
        options = grid_options(ctx)
        named = WANTED if at.feed.frequency_Hz else tuple(q for q in WANTED if q != "power_factor")
        wanted = list(everywhere(ctx, named))
        if (
            at.load_percent in options.temperature_loads_percent and "case_temperature" in ctx.measured
        ) or "case_temperature" in ctx.polled:
            wanted.append("case_temperature")
        wanted += read_beside(ctx)
        return Measure(tuple(wanted), options.average_s if average_s is None else average_s, at)

    def tidy(self, ctx: Context) -> Steps:
        """Leave the unit at no load, and what was asked for a mode in the one that nobody asks for."""
        yield from idle(ctx)
        if about_a_port(ctx).modes:
            yield from plugged_in(ctx)

    def doubts(self, point: Point) -> list[Doubt]:
        """Source, settling and plausibility of one point, see point_doubts.py."""
        return [d for port in drawn_ports(point) for d in point_doubts(point.seen_from(port), ("output_voltage",))]

    def read_for(self, figure: str) -> tuple[tuple[str, ...], tuple[float, ...] | None] | None:
        """What it takes at which loads; the output volts where nothing else is said."""
        return READ_FOR.get(figure, ("output_voltage",)), LOADS_OF.get(figure)

    def plots(self, evidence: Evidence) -> list[Curves]:
        """Efficiency, losses, output volts and power factor over the load."""
        from zincsmith.procedures.static_grid.plots import plots

        return plots(evidence)

    def findings(self, evidence: Evidence, nameplate: Nameplate, conventions: Conventions) -> list[Finding]:
        """Figures of the grid, see figures.py, which is read when there is something to work out."""
        from zincsmith.procedures.static_grid.figures import figures

        return figures(evidence, nameplate, conventions)


SPEC = StaticGrid()
