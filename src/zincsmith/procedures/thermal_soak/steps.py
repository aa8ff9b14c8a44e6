"""Thermal soak: loaded until its temperatures stand, or it is told where they go."""

from __future__ import annotations

from collections.abc import Generator, Sequence
from dataclasses import replace

from zincsmith.model.actions import (
    Action,
    Confirm,
    Dwell,
    Measure,
    Measured,
    Note,
    Outcome,
    SetSource,
    Stage,
    Stop,
    Watch,
)
from zincsmith.model.address import name_of
from zincsmith.model.finding import Finding
from zincsmith.model.plan import Line
from zincsmith.model.reading import Evidence, Point
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.base import Context, Conventions, Curves, Procedure, Steps
from zincsmith.procedures.beginning import COMES_UP_S, comes_back, gate, is_back, stands_words
from zincsmith.procedures.cautions import lies_open
from zincsmith.procedures.intake import Intake
from zincsmith.procedures.ports import RAMP_PERCENT, at_load, everywhere, idle, output_watts, ramp
from zincsmith.procedures.search import bisect
from zincsmith.procedures.thermal_soak.figures import (
    AT,
    LIMIT,
    OPEN,
    TEMPERATURES,
    fell_off,
    findings_of_soak,
    spots_of,
    stopped,
    temperatures,
    warming,
)
from zincsmith.procedures.thermal_soak.intake import Temperatures
from zincsmith.procedures.thermal_soak.options import ThermalSoakOptions

NAME = "thermal_soak"
AVERAGE_S, SETTLES_S = 2.0, 5.0
COOLS, COOLS_S = 90, 20.0
BESIDE = ("input_voltage", "input_current", "input_power", "output_voltage", "output_current")
CAUTIONS = (
    "Parts, heat sinks and the case get hot: nobody touches them, nothing lies on the unit.",
    "Somebody stays near it for as long as it is loaded; a fan that stops or a probe that falls off is not waited out.",
)
TAPE = "Each probe is held on its spot (tape, not a finger), matt where a camera looks; one may hang in the room."


class ThermalSoak(Procedure):
    """Worked out of the temperatures at each line and load."""

    name = NAME
    title = "Thermal soak"
    version = 2
    needs: tuple[str, ...] = ("load", "thermometer")
    serves = "final temperatures, rise over the room, time constants, the load that it carries for good"
    options = ThermalSoakOptions
    intakes: tuple[Intake, ...] = (Temperatures(),)

    def steps(self, ctx: Context) -> Steps:
        """Each line and load until it stands; then, where a limit is asked for, the largest load that keeps to it."""
        options = ctx.asked(ThermalSoakOptions)
        yield from gate(ctx)
        spots = [q for q in sorted(ctx.measured) if name_of(q) in TEMPERATURES]
        yield Confirm(
            "A long soak",
            f"{stands_words(ctx.unit)} {TAPE} Each load stands until it is steady, {options.hours:g} h at most; above "
            f"{options.ceiling_degC:g} °C the run ends.",
            CAUTIONS,
        )
        for spot in spots:
            yield Watch(spot, None, options.ceiling_degC, "the ceiling of the soak")
        lines = ctx.reachable(options.lines)
        if options.hottest_line and len(lines) > 1 and {"input_power", "output_voltage"} <= ctx.measured:
            lines = ((yield from _hottest_line(ctx, lines, max(options.loads_percent))),)
        alone = ctx.outputs if options.rails == "each and together" and len(ctx.outputs) > 1 else ()
        for line in lines:
            yield SetSource(line.voltage_V, line.frequency_Hz, True)
            yield Dwell(COMES_UP_S, "output comes up")
            for port in (*alone, ""):  # rails are compared at the same input
                about = replace(ctx, about=port)
                ends = {}
                for load in options.loads_percent:
                    ends[load] = yield from _soak(about, options, line, load, spots)
                if options.limit_degC is not None:
                    yield from _largest(about, options, line, spots, ends)
                yield from idle(ctx)

    def tidy(self, ctx: Context) -> Steps:
        """Leave the unit at no load."""
        yield from idle(ctx)

    def findings(self, evidence: Evidence, nameplate: Nameplate, conventions: Conventions) -> list[Finding]:
        """Where each spot ends, and the hottest of them."""
        return findings_of_soak(evidence, nameplate)

    def plots(self, evidence: Evidence) -> list[Curves]:
        """Temperatures over time, and where they go."""
        return temperatures(evidence)


def _soak(
    ctx: Context, options: ThermalSoakOptions, line: Line, load: float, spots: Sequence[str]
) -> Generator[Action, Outcome, float | None]:
    """One load until it stands; returns where its hottest spot ends, None where nobody can tell or it shut down."""
    whose = f"{ctx.about} alone, " if ctx.about else ""
    yield Stage("Thermal soak", f"{line.words}, {whose}{load:g} % load, {options.hours:g} h at most")
    yield from ramp(ctx, (*(p for p in RAMP_PERCENT if p < load), load))
    yield Dwell(1.0, "loaded", origin=True)  # taken up again, it is warmed for as long as it had been
    names = (*(q for q in everywhere(ctx, BESIDE) if q in ctx.polled), *spots)
    points: list[Point] = []
    at_degC = options.at_degC if options.at_degC is not None else ctx.ambient_degC
    stated: tuple[tuple[str, float], ...] = ()
    if options.limit_degC is not None:
        stated = ((LIMIT, options.limit_degC), (AT, at_degC))
    if lies_open(ctx.unit):
        stated += ((OPEN, 1.0),)
    for n in range(round(3600.0 * options.hours / options.every_s) + 1):
        if n:
            yield Dwell(options.every_s, "warms")
        at = replace(at_load(ctx, line, load), elapsed_s=n * options.every_s, stated=stated)
        answer = yield Measure(names, AVERAGE_S, at)
        if not isinstance(answer, Measured):
            break
        points.append(answer.point)
        if stopped(points, ctx.nameplate):
            yield Note(f"its output went after {n * options.every_s / 60.0:g} min at {load:g} % load")
            yield from _cools(ctx, line)
            return None
        fallen = fell_off(points, ctx.ambient_degC)
        if fallen:
            yield Stop(
                f"{fallen} while the unit took the same watts: its probe may have come off; nobody sees the heat"
            )
        if _done(points, options):
            break
    return _hottest(points)


def _cools(ctx: Context, line: Line) -> Steps:
    """It shut down by itself: unloaded until it is back, its input off in the end; a unit that stays away ends it."""
    yield from idle(ctx)
    for _ in range(COOLS):
        yield Dwell(COOLS_S, "cools, comes back?")
        if (yield from _all_back(ctx, line)):
            return
    for port in ctx.outputs:
        yield from comes_back(ctx, COOLS_S, line, port, True)
    if not (yield from _all_back(ctx, line)):
        yield Stop("it shut down hot and did not come back: unloaded, cooled, its input cycled")


def _all_back(ctx: Context, line: Line) -> Generator[Action, Outcome, bool]:
    for port in ctx.outputs:
        if not (yield from is_back(ctx, line, port)):
            return False
    return True


def _hottest_line(ctx: Context, lines: Sequence[Line], load: float) -> Generator[Action, Outcome, Line]:
    """Where most of the watts that go in do not come out, a few seconds at each; the first where nobody reads them."""
    stays: dict[Line, float] = {}
    names = tuple(q for q in everywhere(ctx, BESIDE) if q in ctx.measured)
    for line in lines:
        yield Stage("Which line heats it most", f"{line.words}, {load:g} % load")
        yield from idle(ctx)
        yield SetSource(line.voltage_V, line.frequency_Hz, True)
        yield Dwell(COMES_UP_S, "output comes up")
        yield from ramp(ctx, (*(p for p in RAMP_PERCENT if p < load), load))
        yield Dwell(SETTLES_S, "settles")
        answer = yield Measure(names, AVERAGE_S, at_load(ctx, line, load))
        if isinstance(answer, Measured):
            power = answer.point.get("input_power")
            out = [output_watts(answer.point, port) for port in ctx.outputs]
            if power is not None and power.value is not None and None not in out:
                stays[line] = power.value - sum(w for w in out if w is not None)
    if not stays:
        return lines[0]
    hottest = max(stays, key=lambda line: stays[line])
    yield Note(f"most stays in it at {hottest.words}: {stays[hottest]:.3g} W of {len(stays)} lines")
    return hottest


def _done(points: Sequence[Point], options: ThermalSoakOptions) -> bool:
    """Whether every spot stands, or its end is told well enough."""
    for address in spots_of(points):
        one = warming(points, address)
        if one is None:
            return False
        told = one.final_u is not None and 2.0 * one.final_u <= options.within_K and one.tau_s is not None
        long = told and points[-1].bench_s - points[0].bench_s >= 1.5 * (one.tau_s or 0.0)
        if not (one.steady or (options.until == "fitted" and long)):
            return False
    return True


def _hottest(points: Sequence[Point]) -> float | None:
    ends = [one.final_degC for address in spots_of(points) if (one := warming(points, address)) is not None]
    known = [end for end in ends if end is not None]
    return max(known) if known and len(known) == len(ends) else None


def _largest(
    ctx: Context, options: ThermalSoakOptions, line: Line, spots: Sequence[str], ends: dict[float, float | None]
) -> Steps:  # fmt: skip
    """The largest load up to the greatest of the plan that keeps every spot under the limit, in the room it is asked
    for: the loads between are soaked as well."""
    more = (options.at_degC - ctx.ambient_degC) if options.at_degC is not None else 0.0
    limit = options.limit_degC or options.ceiling_degC

    def too_hot(end: float | None) -> bool:
        return end is None or end + more > limit

    greatest = max(ends)
    if not too_hot(ends[greatest]):
        yield Note(f"it stays under {limit:g} °C at {greatest:g} % load, the greatest that was asked for")
        return
    good = max((load for load, end in ends.items() if not too_hot(end)), default=0.0)
    bad = min(load for load, end in ends.items() if too_hot(end) and load > good)

    def probe(load: float) -> Generator[Action, Outcome, bool]:
        return too_hot((yield from _soak(ctx, options, line, round(load, 1), spots)))

    found = yield from bisect(good, bad, options.resolution_percent, probe)
    yield Note(f"under {limit:g} °C at {found[0]:g} % load, not at {found[1]:g} %")


SPEC = ThermalSoak()
