"""Power-factor regimes: at which load the correction switches in going up, and out going down.

The load is raised in steps and lowered again; where the power factor jumps between two neighbours, the jump is closed
in on from the side it was found from, so that hysteresis does not blur it.
"""

from __future__ import annotations

import math
from collections.abc import Generator, Sequence
from dataclasses import replace
from itertools import pairwise

from zincsmith.analysis.point_doubts import point_doubts
from zincsmith.analysis.uncertainty import factor_of
from zincsmith.model.actions import Action, Dwell, Measure, Measured, Outcome, Stage
from zincsmith.model.finding import Contribution, Doubt, Finding, Working
from zincsmith.model.operating_point import Purpose
from zincsmith.model.plan import Line
from zincsmith.model.reading import Evidence, Point
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.base import Context, Conventions, Curves, Procedure, Steps
from zincsmith.procedures.beginning import feed, gate
from zincsmith.procedures.planning import RATED
from zincsmith.procedures.plotting import amps, columns, value
from zincsmith.procedures.ports import at_load, draw, idle, plugged_in, rated
from zincsmith.procedures.power_factor_regimes.options import RegimeOptions
from zincsmith.procedures.search import bisect

NAME = "power_factor_regimes"
LEAST_PERCENT = 5.0
JUMP = 0.12  # of power factor between two neighbours; what grows smoothly with load grows slower
WAYS: dict[Purpose | None, str] = {
    Purpose.RISING: "rising", Purpose.CLOSING_RISING: "rising",
    Purpose.FALLING: "falling", Purpose.CLOSING_FALLING: "falling",
}  # fmt: skip
UP, DOWN = Purpose.RISING, Purpose.FALLING
CLOSING_UP, CLOSING_DOWN = Purpose.CLOSING_RISING, Purpose.CLOSING_FALLING
WANTED = ("input_voltage", "input_current", "input_power", "power_factor", "output_voltage", "output_current")

Asked = Generator[Action, Outcome, float | None]


class PowerFactorRegimes(Procedure):
    name = NAME
    title = "Power-factor regimes"
    version = 2
    needs: tuple[str, ...] = ("ac_source", "power_meter", "load")
    serves = "the load at which power-factor correction switches in and out, with its hysteresis"
    options = RegimeOptions

    def steps(self, ctx: Context) -> Steps:
        """Up, down, then closer to each jump."""
        options = _options(ctx)
        ctx = rated(ctx, options.ports)
        line = ctx.reachable((options.line,))[0]
        yield from gate(ctx)
        loads = _loads(options.step_percent)
        yield from feed(ctx, "Power factor, rising", line.words, line)
        rising = yield from self._sweep(ctx, line, loads, UP)
        yield Stage("Power factor, falling", line.words)
        falling = yield from self._sweep(ctx, line, loads[::-1], DOWN)
        for words, found, way in (("switches in", rising, CLOSING_UP), ("switches out", falling, CLOSING_DOWN)):
            jump = _jump(found)
            if jump is None:
                continue
            yield Stage("Closing in", f"where the correction {words}")
            start, beyond = jump
            before = dict(found)[start]
            far = loads[0] if way == CLOSING_UP else loads[-1]

            def crossed(
                load: float, far: float = far, way: Purpose = way, before: float = before
            ) -> Generator[Action, Outcome, bool]:
                """From the same side each time, and from its far end: what has switched does not switch back before."""
                yield from draw(ctx, far)
                yield Dwell(options.settle_s, "back to the side it came from", origin=True)
                factor = yield from self._point(ctx, line, load, way)
                return factor is not None and abs(factor - before) > JUMP / 2.0

            yield from bisect(start, beyond, options.resolution_percent, crossed)

    def _sweep(
        self, ctx: Context, line: Line, loads: Sequence[float], way: Purpose
    ) -> Generator[Action, Outcome, list[tuple[float, float]]]:
        found = []
        for load in loads:
            factor = yield from self._point(ctx, line, load, way, origin=load == loads[0])
            if factor is not None:
                found.append((load, factor))
        return found

    def _point(self, ctx: Context, line: Line, load: float, way: Purpose, origin: bool = False) -> Asked:
        options = _options(ctx)
        yield from draw(ctx, load)
        yield Dwell(options.settle_s, "settles", origin=origin)
        answer = yield Measure(
            tuple(q for q in WANTED if q in ctx.polled or q == "power_factor"),
            options.average_s,
            replace(at_load(ctx, line, load), step=way),
        )
        return _factor(answer.point) if isinstance(answer, Measured) else None

    def tidy(self, ctx: Context) -> Steps:
        """Leave the unit at no load, its ports at their lowest mode."""
        yield from idle(ctx)
        if _options(ctx).ports == RATED:
            yield from plugged_in(ctx)

    def doubts(self, point: Point) -> list[Doubt]:
        """Source, range and plausibility of one point."""
        return point_doubts(point, ("input_power",))

    def plots(self, evidence: Evidence) -> list[Curves]:
        """Rising and falling load, each as it was taken; the points that closed in belong to their way."""
        ways: dict[str, list[tuple[float, float]]] = {}
        for point in evidence.points:
            across, factor, way = amps(point), value(point, "power_factor"), point.at.step
            if across is not None and factor is not None and way in WAYS:
                ways.setdefault(WAYS[way], []).append((across, factor))
        lines = tuple((name, *columns(rows)) for name, rows in ways.items())
        return [Curves("Power-factor regimes", "output", "A", "power factor", "", "plain", lines)]

    def findings(self, evidence: Evidence, nameplate: Nameplate, conventions: Conventions) -> list[Finding]:
        """The load at which it switches in and out, and the power factor on both sides; one regime gives its span."""
        ways = {way: [p for p in evidence.points if p.at.step is way] for way in (UP, DOWN)}
        found: list[Finding] = []
        for way, closing, name, title in (
            (UP, CLOSING_UP, "correction_in", "Power-factor correction switches in"),
            (DOWN, CLOSING_DOWN, "correction_out", "Power-factor correction switches out"),
        ):
            near = [p for p in evidence.points if p.at.step is closing]
            one = _switching(ways[way], near, name, title, nameplate)
            if one is not None:
                found.append(one)
        return found


def _options(ctx: Context) -> RegimeOptions:
    return ctx.asked(RegimeOptions)


def _loads(step: float) -> tuple[float, ...]:
    """From the lightest load to full, in equal steps, both ends included."""
    count = max(1, math.floor((100.0 - LEAST_PERCENT) / step))
    return (*(LEAST_PERCENT + n * step for n in range(count)), 100.0)


def _factor(point: Point) -> float | None:
    reading = point.get("power_factor")
    return reading.value if reading is not None else None


def _jump(found: Sequence[tuple[float, float]]) -> tuple[float, float] | None:
    """The neighbours, in the order they were taken, between which the power factor jumps most; None without a jump."""
    jumps = [(abs(b[1] - a[1]), a[0], b[0]) for a, b in pairwise(found)]
    most = max(jumps, default=(0.0, 0.0, 0.0))
    return (most[1], most[2]) if most[0] >= JUMP else None


def _switching(
    sweep: Sequence[Point], closing: Sequence[Point], name: str, title: str, plate: Nameplate
) -> Finding | None:
    """The output power at which it switches: the middle of the last two loads on both sides, a rectangle between."""
    rows = [(p.at.load_percent, f) for p in sweep if (f := _factor(p)) is not None]
    jump = _jump(rows)
    if jump is None:
        return None
    start, beyond = jump
    before, after = dict(rows)[start], dict(rows)[beyond]
    for point in closing:
        factor, load = _factor(point), point.at.load_percent
        if factor is None or not min(start, beyond) <= load <= max(start, beyond):
            continue
        if abs(factor - before) < abs(factor - after):
            start = load
        else:
            beyond = load
    used = [p for p in (*sweep, *closing) if p.at.load_percent in (start, beyond)]
    power = plate.rated_power_W / 100.0
    value, half = (start + beyond) / 2.0 * power, abs(beyond - start) / 2.0 * power
    part = Contribution("between the last two loads", half / math.sqrt(3.0), True, rectangular=True)
    table = tuple(
        {"point": p.number, **p.at.conditions, "PF": _factor(p), "readings": [r.id for r in p.readings]} for p in used
    )
    return Finding(
        name=name,
        title=title,
        value=value,
        unit="W",
        u=part.effect,
        k=factor_of((part,), None),
        at=used[0].at.at_line,
        working=Working(
            "middle of the last two loads",
            ("load / %", "PF"),
            table,
            f"power factor {before:.3f} on the one side, {after:.3f} on the other; {start:g} and {beyond:g} % load",
        ),
        contributions=(part,),
    )


SPEC = PowerFactorRegimes()
