"""First power-up: from nothing, with stop rules on input watts and amps against what the unit can explain.

Two schools. A unit that was opened, repaired or never run is raised from zero: start attempts are counted, the start
voltage is found from below, the stop voltage from above. A boxed product may be switched to rated input at no load.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Generator
from dataclasses import replace
from typing import Any

from zincsmith.analysis.envelope import Envelope
from zincsmith.analysis.explained import (
    resting_current_A,
    resting_power_W,
    running_current_A,
    running_power_W,
)
from zincsmith.analysis.uncertainty import factor_of
from zincsmith.model.actions import (
    Action,
    Confirm,
    Dwell,
    Measure,
    Measured,
    Note,
    Observe,
    Outcome,
    Reached,
    SetSource,
    Settled,
    Stage,
    Stop,
    Watch,
)
from zincsmith.model.address import at_port
from zincsmith.model.finding import Contribution, Doubt, Finding, Working
from zincsmith.model.operating_point import Draw, Feed, OperatingPoint, Purpose
from zincsmith.model.plan import Line
from zincsmith.model.port import can_be_set, output_ports
from zincsmith.model.reading import Evidence, Point
from zincsmith.model.roles import SOURCE
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.base import Context, Conventions, Procedure, Steps
from zincsmith.procedures.bring_up.inside import look_inside
from zincsmith.procedures.bring_up.options import BringUpOptions
from zincsmith.procedures.cautions import cautions_for, probing
from zincsmith.procedures.finding_of import finding_of
from zincsmith.procedures.ports import ask, draw, everywhere, idle, let_fall, watch_outputs
from zincsmith.procedures.search import approach, bisect

NAME = "bring_up"
UP, DOWN = 0.9, 0.5  # of nominal output: it has started, it has stopped
POLL_S = 0.25
SHORT_S = 1.0
LOADS = (10.0, 25.0, 50.0, 75.0, 100.0)
SMALL_FIRST = 0.5  # of a step: the first one that a person turns
NEARLY = 0.98  # of a line: where a person lands, it counts as reached
LATER_S = 180.0  # at full load, before a person looks, smells and listens again
STOP_AT_LEAST = 0.3  # of the lower end of the input: lower than that it is not followed
WANTED = ("input_voltage", "input_current", "input_power", "output_voltage", "output_current")
SENSES = (
    "The unit is live: nothing is touched. Does anything glow? Does it smell of hot lacquer or burning? Does it hiss, "
    "buzz or crackle? Is its indicator on? The first three end the run at once."
)
BY_HAND_STEPS = 5
COARSE_SHARE = 0.05  # of the volts of direct current at which it starts or stops
GONE = -0.05  # of nominal: nothing falls below that, so nothing trips
HALF = "half the nameplate's output voltage"
EXPLAINED = "what the unit can explain at this voltage"
CAUTIONS = (
    "Stand clear of an open unit while it is first fed: a reversed or over-volted capacitor can burst. Protect your "
    "eyes.",
    "Smoke, smell, noise: F12 makes safe at once.",
)

SAID_HERE = ("eyes",)  # of the cautions that apply to a unit

Found = Generator[Action, Outcome, bool]


class BringUp(Procedure):
    name = NAME
    title = "Bring-up"
    version = 3
    needs: tuple[str, ...] = (SOURCE, "power_meter", "load", "voltmeter")
    serves = "first start, start attempts, start and stop voltage, load up to full"
    options = BringUpOptions
    starts_over = True

    def steps(self, ctx: Context) -> Steps:
        """Gate; up from zero or straight to rated input, at no load; a light load before the lowest rated input; up;
        load to full; stop voltage. After the start a person says what they notice, at each step and later again."""
        options = _options(ctx)
        line = ctx.reachable((options.first_line,))[0]
        user_sets = any(can_be_set(one) for one in ctx.nameplate.outputs)  # and nobody has yet: no volts tell a start
        from_zero = options.school == "from zero" and ctx.source != "fixed" and not user_sets
        hertz = line.frequency_Hz
        yield Stage("First power", "nothing is live")
        yield Confirm(
            "First power",
            "The unit is about to be fed for the first time"
            + (", from nothing upwards, without load. Watch it." if from_zero else " at its rated input, without load.")
            + " Source current limit low; load off.",
            (
                *(c for code, c in cautions_for(ctx.unit).items() if code == "mains"),
                *CAUTIONS,
                *(c for code, c in cautions_for(ctx.unit).items() if code not in ("mains", *SAID_HERE)),
                *probing(ctx.captured),
            ),
        )
        yield Note(f"start method: {'raised from zero' if from_zero else 'switched to rated input'}")
        yield from idle(ctx)
        light = options.light_load_percent
        started: float | None = None
        if from_zero:
            started = yield from self._raise(ctx, hertz)
            if started is None:
                return
            yield from self._up_at_light_load(ctx, started, line)
        else:
            yield Stage("First load", f"{line.words}, up to {light:g} %")
            yield from self._running(ctx, line.voltage_V, 0.0)
            yield SetSource(line.voltage_V, hertz, True)
            yield Dwell(5.0, "output comes up", period_s=POLL_S)
            yield from ask(ctx)
            point = yield from _measured(ctx, line.voltage_V, hertz, 0.0)
            if point is not None and not _is_up(ctx, point):
                yield Stop(f"the output did not come up at {line.words}")
            yield _observe("after the start")
        yield from watch_outputs(ctx, DOWN, None, HALF, count=4)
        if not from_zero:
            yield from self._load(ctx, line.voltage_V, hertz, light)
            yield _observe(f"at {light:g} % load")
        if started is not None:
            yield from self._stop_voltage(ctx, hertz, line.voltage_V)
        yield Stage("Load to full", line.words)
        for percent in LOADS:
            if percent > light:
                yield from self._load(ctx, line.voltage_V, hertz, percent)
                yield _observe(f"at {percent:g} % load")
        yield Dwell(LATER_S, "some minutes at full load")
        yield _observe("some minutes later")

    def tidy(self, ctx: Context) -> Steps:
        """Leave the unit at no load."""
        yield from idle(ctx)

    # Up from nothing

    def _raise(self, ctx: Context, hertz: float) -> Generator[Action, Outcome, float | None]:
        """Raise the input until the output is up; returns that voltage. Stops when it does not start at all."""
        options, rating = _options(ctx), ctx.nameplate.input
        step = options.step_percent / 100.0 * rating.voltage_min_V
        top = max(options.first_line.voltage_V, rating.voltage_min_V)
        yield Stage("Raised from zero", f"in steps of {step:.3g} V, no load")

        def probe(voltage: float) -> Found:
            return (yield from self._step_up(ctx, voltage, hertz))[0]

        if ctx.source == "by hand":
            found = yield from self._raise_by_hand(ctx, hertz, step, top)
        else:
            found = yield from approach(step, top, step, probe)
        if found is None:
            yield Stop(f"it did not start up to {top:g} V")
            return None
        below, above = found
        yield _observe("after the start")
        if ctx.source == "settable" and above - below > options.resolution_V:
            yield Stage("Start voltage", f"to {options.resolution_V:g} V, from below")

            def again(voltage: float) -> Found:
                yield from self._let_stop(ctx, hertz)
                return (yield from self._step_up(ctx, voltage, hertz))[0]

            below, above = yield from bisect(below, above, options.resolution_V, again)
        return above

    def _raise_by_hand(
        self, ctx: Context, hertz: float, step: float, top: float
    ) -> Generator[Action, Outcome, tuple[float, float] | None]:
        """A source that a person turns lands where it lands: each step starts from the volts that were reached, the
        first one is a small one. Returns the volts before and at the start."""
        before, wanted = 0.0, SMALL_FIRST * step
        while True:
            up, reached = yield from self._step_up(ctx, wanted, hertz)
            if up:
                return before, reached
            if reached >= top:
                return None
            before, wanted = reached, min(reached + step, top)

    def _step_up(self, ctx: Context, voltage: float, hertz: float) -> Generator[Action, Outcome, tuple[bool, float]]:
        """One step: watched against what a unit explains that has not started, and polled quickly. Whether the output
        is up, and the volts that were reached."""
        plate, options = ctx.nameplate, _options(ctx)
        yield from self._starting(ctx, voltage, hertz)
        reached = _reached((yield SetSource(voltage, hertz, True)), voltage)
        if reached != voltage:
            yield from self._starting(ctx, reached, hertz)
        threshold = 2.0 * resting_power_W(plate, reached)
        answer = yield Dwell(
            options.step_s, "start attempts are counted", rising="input_power", rises_above=threshold, period_s=POLL_S
        )
        attempts = answer.rises if isinstance(answer, Settled) else 0
        point = yield from _measured(ctx, reached, hertz, 0.0, Purpose.START, attempts)
        up = point is not None and _is_up(ctx, point)
        if up:
            yield from _inside(ctx, reached, hertz, 0.0)
        return up, reached

    def _starting(self, ctx: Context, voltage: float, hertz: float) -> Steps:
        """What is watched at a step, typed or polled: watts and amps that the unit explains there, and its output."""
        plate = ctx.nameplate
        most_W = resting_power_W(plate, voltage) + _starting_W(plate, voltage)
        most_A = resting_current_A(plate, voltage, hertz) + _starting_A(plate, voltage)
        wanted = (
            Watch("input_power", None, most_W, EXPLAINED, count=3),
            Watch("input_current", None, most_A, EXPLAINED, count=3),
        )
        yield from (w for w in wanted if w.quantity in ctx.measured)
        yield from watch_outputs(ctx, None, 1.15, "115 % of nominal, at once", count=1)

    def _up_at_light_load(self, ctx: Context, started_V: float, line: Line) -> Steps:
        """A light load while the input is still below its lowest rating, then up to the line in steps, no jump."""
        options, rating = _options(ctx), ctx.nameplate.input
        hertz, light = line.frequency_Hz, options.light_load_percent
        step = options.step_percent / 100.0 * rating.voltage_min_V
        if ctx.source == "by hand":  # a wide input is no reason to turn a knob twenty times
            step = max(step, (line.voltage_V - started_V) / BY_HAND_STEPS)
        here = started_V
        if ctx.source == "settable" and started_V < rating.voltage_min_V:
            here = (started_V + rating.voltage_min_V) / 2.0  # clear of the edge it starts at
        yield Stage("Light load, then up", f"{light:g} % at {here:.4g} V, then to {line.words}")
        yield from self._running(ctx, here, 0.0)
        here = _reached((yield SetSource(here, hertz, True)), here)
        yield Dwell(5.0, "output comes up", period_s=POLL_S)
        yield from self._load(ctx, here, hertz, light)
        yield _observe(f"at {light:g} % load and {here:.4g} V")
        while here < NEARLY * line.voltage_V:
            wanted = min(here + step, line.voltage_V)
            yield from self._running(ctx, wanted, light)
            before, here = here, _reached((yield SetSource(wanted, hertz, True)), wanted)
            yield Dwell(2.0, "settles", period_s=POLL_S)
            yield from _inside(ctx, here, hertz, light)
            if ctx.source == "by hand":
                yield from _measured(ctx, here, hertz, light)
                yield _observe(f"at {here:.4g} V")
            if here <= before:
                yield Stop(f"the input was not raised beyond {here:.4g} V")
        if ctx.source != "by hand":
            yield from _measured(ctx, line.voltage_V, hertz, light)
            yield _observe(f"at {line.words}")

    def _let_stop(self, ctx: Context, hertz: float) -> Steps:
        """Off until the output has gone, so that the next start is a start."""
        yield SetSource(0.0, hertz, False)
        yield from let_fall(ctx, unread=True)

    # Running

    def _running(self, ctx: Context, voltage: float, percent: float) -> Steps:
        plate, load_W = ctx.nameplate, ctx.load_W(percent)
        wanted = (
            Watch("input_power", None, running_power_W(plate, load_W), EXPLAINED, count=3),
            Watch("input_current", None, running_current_A(plate, voltage, load_W), EXPLAINED, count=3),
        )
        yield from (w for w in wanted if w.quantity in ctx.measured)

    def _load(self, ctx: Context, voltage: float, hertz: float, percent: float) -> Steps:
        yield from self._running(ctx, voltage, percent)
        yield from draw(ctx, percent)
        yield Dwell(2.0, "settles", period_s=POLL_S)
        yield from _measured(ctx, voltage, hertz, percent)
        yield from _inside(ctx, voltage, hertz, percent)

    def _stop_voltage(self, ctx: Context, hertz: float, from_V: float) -> Steps:
        """Lower the input at light load until the output goes; then closer, starting anew each time."""
        options, rating = _options(ctx), ctx.nameplate.input
        least = STOP_AT_LEAST * rating.voltage_min_V
        step = options.step_percent / 100.0 * rating.voltage_min_V
        light = options.light_load_percent
        yield Stage("Stop voltage", f"from {from_V:g} V downwards at {light:g} % load")
        yield from watch_outputs(ctx, GONE, None, HALF, count=4)  # it is meant to go now
        yield Dwell(1.0, "runs", period_s=POLL_S, origin=True)

        def probe(voltage: float) -> Found:
            yield from self._running(ctx, max(voltage, least), light)
            voltage = _reached((yield SetSource(voltage, hertz, True)), voltage)
            yield Dwell(options.step_s, "does it hold?", period_s=POLL_S)
            point = yield from _measured(ctx, voltage, hertz, light, Purpose.STOP)
            return point is not None and _is_down(ctx, point)

        found = yield from approach(min(from_V, rating.voltage_min_V), least, step, probe)
        if found is None:
            yield Note(f"it still ran at {least:.3g} V; it was not followed further down")
        elif ctx.source == "settable":

            def again(voltage: float) -> Found:
                yield from self._restart(ctx, from_V, hertz, light)
                return (yield from probe(voltage))

            yield from bisect(found[0], found[1], options.resolution_V, again)
        yield from self._restart(ctx, from_V, hertz, light)
        yield from watch_outputs(ctx, DOWN, None, HALF, count=4)

    def _restart(self, ctx: Context, voltage: float, hertz: float, percent: float) -> Steps:
        yield from idle(ctx)
        yield from self._running(ctx, voltage, percent)
        yield SetSource(voltage, hertz, True)
        yield Dwell(5.0, "output comes up", period_s=POLL_S)
        yield from draw(ctx, percent)
        yield Dwell(2.0, "settles", period_s=POLL_S, origin=True)

    def doubts(self, point: Point) -> list[Doubt]:
        """None: its points are steps of a search."""
        return []

    def findings(self, evidence: Evidence, nameplate: Nameplate, conventions: Conventions) -> list[Finding]:
        """Start and stop voltage to the step they were found with, and the start attempts."""
        found: list[Finding] = []
        up = [p for p in evidence.points if p.at.step is Purpose.START]
        down = [p for p in evidence.points if p.at.step is Purpose.STOP]
        if evidence.not_its_own:  # it starts where its own parts do not let it
            return found
        found += _boundary("start_voltage", "Input at which it starts", nameplate, up, lambda share: share >= UP, min)
        found += _boundary("stop_voltage", "Input at which it stops", nameplate, down, lambda share: share < DOWN, max)
        if up:
            attempts = sum(p.at.step_number for p in up if not ((s := _share(p, nameplate)) is not None and s >= UP))
            working = Working("bursts of input watts before the first start", note=f"over {len(up)} steps of the input")
            found.append(Finding("start_attempts", "Start attempts before it ran", attempts, "1", working=working))
        return found


def _reached(answer: Outcome, wanted_V: float) -> float:
    """Where the source stands: where a person landed, else as it was set."""
    return answer.voltage_V if isinstance(answer, Reached) else wanted_V


def _inside(ctx: Context, voltage: float, hertz: float, percent: float) -> Steps:
    if _options(ctx).look_inside:
        yield from look_inside(ctx, _at(ctx, voltage, hertz, percent), f"{voltage:.4g} V, {percent:g} % load")


def _observe(when: str) -> Observe:
    return Observe(f"Look, smell, listen: {when}", SENSES)


def _options(ctx: Context) -> BringUpOptions:
    return ctx.asked(BringUpOptions)


def _starting_W(plate: Nameplate, voltage: float) -> float:
    """Above half the lowest rated input a unit may run without load; below, it only tries to."""
    return running_power_W(plate, 0.0) if voltage > 0.5 * plate.input.voltage_min_V else 0.0


def _starting_A(plate: Nameplate, voltage: float) -> float:
    return running_current_A(plate, voltage, 0.0) if voltage > 0.5 * plate.input.voltage_min_V else 0.0


def _measured(
    ctx: Context, voltage: float, hertz: float, percent: float, search: Purpose | None = None, attempts: int = 0
) -> Generator[Action, Outcome, Point | None]:
    at = replace(_at(ctx, voltage, hertz, percent), step=search, step_number=attempts)
    answer = yield Measure(tuple(q for q in everywhere(ctx, WANTED) if q in ctx.measured), SHORT_S, at)
    return answer.point if isinstance(answer, Measured) else None


def _at(ctx: Context, voltage: float, hertz: float, percent: float) -> OperatingPoint:
    """The share alone stands with its points: what it came to in amps was set a moment before."""
    draws = tuple(Draw(percent, port=port) for port in ctx.outputs)
    return OperatingPoint((Feed(voltage, hertz),), draws)


def _share(point: Point, plate: Nameplate) -> float | None:
    """The volts of the lowest output as a share of what it is rated for; None while one was not read."""
    ctx_volts = {port: Envelope(plate).voltage_V(port) for port in output_ports(plate)}
    found = [_of(point, port, voltage) for port, voltage in ctx_volts.items()]
    read = [share for share in found if share is not None]
    return min(read) if len(read) == len(found) else None


def _of(point: Point, port: str, voltage: float) -> float | None:
    reading = point.get(at_port("output_voltage", port))
    return reading.value / voltage if reading is not None and reading.value is not None else None


def _is_up(ctx: Context, point: Point) -> bool:
    share = _share(point, ctx.nameplate)
    return share is not None and share >= UP


def _is_down(ctx: Context, point: Point) -> bool:
    share = _share(point, ctx.nameplate)
    return share is None or share < DOWN


def _boundary(
    name: str,
    title: str,
    plate: Nameplate,
    points: list[Point],
    beyond: Callable[[float], bool],
    pick: Callable[..., Any],
) -> list[Finding]:
    """The first input beyond a boundary, and the last before it: half their distance is what is not known."""
    read = {p.number: share for p in points if (share := _share(p, plate)) is not None}
    over = [p for p in points if p.number in read and beyond(read[p.number])]
    if not over:
        return []
    edge: Point = pick(over, key=lambda p: p.at.line_V)
    at = edge.at.line_V
    rest = [p for p in points if p.number in read and p not in over]
    near = min(rest, key=lambda p: abs(p.at.line_V - at), default=None)
    rows = [edge] if near is None else [edge, near]
    gap = 0.0 if near is None else abs(near.at.line_V - at)
    have = [p for p in rows if (r := p.get("input_voltage")) is not None and r.value is not None]
    if not have:
        return []
    fine = 2.0 if edge.at.feed.frequency_Hz != 0.0 else COARSE_SHARE * at
    doubts = (
        ()
        if gap <= fine
        else (Doubt("coarse_step", f"It lies within a step of {gap:.3g} V.", "Find it with smaller steps."),)
    )
    found = finding_of(
        name,
        title,
        "V",
        have,
        ["input_voltage"],
        lambda v: float(v["input_voltage"].mean()),
        "mean of the inputs on both sides",
        OperatingPoint((Feed(frequency_Hz=edge.at.frequency_Hz),), (Draw(edge.at.load_percent),)),
        f"within a step of {gap:.3g} V",
        doubts_of=lambda _p, _q: [],
    )
    step = Contribution("step of the search", gap / 2.0 / math.sqrt(3.0), False, rectangular=True)
    u = math.hypot(found.u, step.effect) if found.u is not None else None
    parts = (*found.contributions, step) if gap else found.contributions
    k = factor_of(parts, found.dof) if u is not None else None
    return [replace(found, u=u, k=k, contributions=parts, doubts=(*found.doubts, *doubts))]


SPEC = BringUp()
