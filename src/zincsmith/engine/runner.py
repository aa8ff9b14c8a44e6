"""Runs one plan, action by action. Intent is in the book before anything is done, what came of it after.

Whatever ends the run - completion, a command, a tripped watch, a failing instrument, a bug - ends in make-safe,
which comes first, before anything else is done.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import Any

import numpy as np

from zincsmith.analysis.stability import settled
from zincsmith.bench.bench import Bench
from zincsmith.bench.make_safe import Safety, make_safe
from zincsmith.engine.captures.by_wire import Capturer
from zincsmith.engine.event_log import EventLog
from zincsmith.engine.operator import Operator
from zincsmith.engine.operator_interface import OperatorInterface
from zincsmith.engine.poll_loop import PollLoop, RunEnd, Skip
from zincsmith.engine.replay import Replayed, Taken, body_of
from zincsmith.engine.setting import Setter, Setting
from zincsmith.model.actions import (
    Action,
    Begin,
    Capturing,
    ChooseMode,
    Confirm,
    Done,
    Dwell,
    End,
    Measure,
    Measured,
    Note,
    Noticed,
    Observe,
    Outcome,
    Reached,
    Reconfigure,
    SetLoad,
    SetSource,
    Settled,
    Skipped,
    Stage,
    Stop,
    Watch,
)
from zincsmith.model.address import at_port, name_of, port_of
from zincsmith.model.capture import Capture
from zincsmith.model.errors import InstrumentError, ZincsmithError
from zincsmith.model.events import (
    Event,
    Failed,
    Intended,
    PartBegan,
    PartEnded,
    Passed,
    PointTaken,
    Reconfigured,
    Remarked,
    Retried,
    RunClosed,
    StageBegan,
    Waited,
    WatchSet,
)
from zincsmith.model.fed import as_fed
from zincsmith.model.reading import Point, Reading, Wave
from zincsmith.model.settings import NO_WAY, Settings, Way
from zincsmith.model.unit import Unit, reconfigured
from zincsmith.planning.limits import Limits
from zincsmith.planning.readings import derived_reading, polled_reading, waves_of, with_base
from zincsmith.planning.rig_facts import derived
from zincsmith.planning.step_sequence import StepSequence
from zincsmith.planning.watches import Watches

SLICE_S = 2.0  # the longest stretch of bench time between two polls: the period of the watches
SETTLE_SLICE_S = 1.0
MEASURE_SLICE_S = 0.5
AGAIN_S = 5.0  # wait before a point that is taken again, where its procedure did not settle it
COUNT_SLICE_S = 0.25
KEEP_AT_MOST_S = 10.0
PRODUCT = ("output_voltage", "output_current")
PRODUCT_IN = ("input_voltage", "input_current")


class BugInRun(Exception):
    """The program itself went wrong in a run. The run is closed, as ``closed`` says; the bug is the cause of this."""

    def __init__(self, closed: RunClosed) -> None:
        super().__init__(closed.why)
        self.closed = closed


class Runner:
    """One run of one plan on an opened or openable bench."""

    def __init__(
        self,
        bench: Bench,
        event_log: EventLog,
        operator_interface: OperatorInterface,
        limits: Limits,
        unit: Unit,
        ambient_degC: float,
        operator: str,
        whole_run: list[Watch],
        from_s: float = 0.0,
    ) -> None:
        self.bench, self.event_log = bench, event_log
        by_hand = set(bench.by_hand())
        typed = by_hand | {at_port("output_power", port_of(n)) for n in by_hand if name_of(n) in PRODUCT}
        self.poll_loop = PollLoop(bench, event_log, operator_interface, Watches(whole_run, typed))
        self.operator = Operator(self.poll_loop, as_fed(unit, bench.rig).nameplate, ambient_degC, operator)
        self.poll_loop.listen = self.operator.listen
        self.setter = Setter(self.poll_loop, self.operator, limits)
        self.capturer = Capturer(bench, self.poll_loop, self.setter, self.operator, event_log.book)
        self._whole_run, self._from_s, self._unit = whole_run, from_s, unit.tag
        self._settle: Dwell | None = None
        self._settled: bool | None = None
        self._way = NO_WAY
        self._skipping = False
        self._part = 0
        self._taken: dict[int, Taken] = {}

    # The whole run

    def run(self, step_sequence: StepSequence, resumed: Replayed | None = None) -> RunClosed:
        """Carry a course out; returns how it ended, which is also the last event of the run."""
        bug: BaseException | None = None
        try:
            self.event_log.become("start" if resumed is None else "resume run", "run started")
            for instrument in self.bench.instruments.values():
                instrument.retried = lambda why, role, times: self.event_log.try_append(Retried(why, role, times))
            self.bench.open()
            self.poll_loop.began_s = self.bench.clock.now_s
            ahead = max(0.0, self._from_s - self.bench.clock.now_s)  # a run that goes on keeps its time
            self.event_log.clock = lambda: self.bench.clock.now_s + ahead
            self.event_log.append(*(_watch_set(w, None) for w in self._whole_run))
            self.event_log.become("go on", "the instruments answer")
            first = step_sequence.next() if resumed is None else self._re_establish(resumed)
            self._drive(step_sequence, first)
            outcome, why = "complete", "every step was carried out"
        except RunEnd as end:
            outcome, why = end.outcome, end.why
        except InstrumentError as error:
            outcome, why = "failed", str(error)
            self.event_log.try_append(Failed(str(error), error.role, error.address))
        except ZincsmithError as error:
            outcome, why = "failed", str(error)
            self.event_log.try_append(Failed(str(error)))
        except BaseException as error:  # noqa: BLE001 - a bug: the bench comes first, then it is raised
            bug, outcome = error, "failed"
            why = f"a bug in the program ({type(error).__name__}: {error})"
            self.event_log.try_append(Failed(why))
        closed = self._close(outcome, why)
        if bug is not None:
            raise BugInRun(closed) from bug
        return closed

    def _close(self, outcome: str, why: str) -> RunClosed:
        self.event_log.try_become("make safe", why)
        safety = self.make_safe()
        closed = RunClosed(outcome, why, safety.confirmed, safety.unconfirmed, safety.seen, safety.inside)
        self.event_log.try_append(closed)
        self.event_log.try_become("confirmed" if safety.confirmed else "unconfirmed", why)
        self.bench.close()
        return closed

    def make_safe(self) -> Safety:
        self.poll_loop.settings = self.poll_loop.settings.all_off
        return make_safe(self.bench, self.event_log.try_append, self.setter.switched_off_by_hand)

    def _drive(self, step_sequence: StepSequence, action: Action | None) -> None:
        while action is not None:
            self.event_log.next_step()
            answer = self._take(action)
            if not isinstance(action, Dwell):  # what has just settled is measured first
                self._take_again()
            action = step_sequence.next(answer)

    def _re_establish(self, state: Replayed) -> Action | None:
        """Where the run stood, again: its gates, watches, warm-up, source and load. Returns what comes next."""
        self.event_log.step = state.step - 1
        self._part, self._taken, self._settle, self._settled = state.part, state.points, state.settle, state.settled
        self.operator.takes = {n: (one.part, one.take) for n, one in state.points.items()}
        self.operator.typed = state.typed
        for gate in state.gates:
            self.operator.gate(gate)
        self.poll_loop.watches.begin_part()
        for watch in state.watches:
            if watch.low is None:  # a lower bound is watched once the unit runs again
                self.poll_loop.watches.add(watch)
        if state.warm is not None and state.settings.source_on:
            settings, dwell = state.warm
            self.setter.bring_to(settings)
            self._wait(replace(dwell, why=f"{dwell.why}, made up for"))
        self._way = state.way
        self._stand(state.settings, state.way)
        for watch in state.watches:
            self.poll_loop.watches.add(watch)
        if isinstance(state.next, Measure) and state.settle is not None:
            self._settled = self._wait(state.settle).stable
        return state.next

    def _stand(self, settings: Settings, way: Way) -> None:
        """The bench as it stood: where that depends on the way it came, by that way."""
        if not way.steps:
            self.setter.bring_to(settings)
            return
        (first, dwell), *rest = way.steps
        self.setter.bring_to(first)
        self._wait(replace(dwell, why=f"{dwell.why}, once more"))
        for after, dwell in rest:
            self.setter.go_to(after)
            self._wait(replace(dwell, why=f"{dwell.why}, once more"))
        self.setter.go_to(settings)

    # Actions

    def _take(self, action: Action) -> Outcome:
        """Intent, deed, outcome; a person may go on without what is waited for or measured."""
        if isinstance(action, Begin | End | Stage | Note | Watch | Reconfigure):
            self.event_log.append(_intended(action), self._at_once(action))
            self._skipping = False
            return Done()
        self.event_log.append(_intended(action))
        if isinstance(action, Dwell | Measure) and self._skipping:
            return self._passed(False)
        takers: Mapping[type, Callable[[Any], Outcome]] = {
            Confirm: self._gate,
            Observe: self._senses,
            SetSource: self._set,
            SetLoad: self._set,
            ChooseMode: self._set,
            Dwell: self._dwell,
            Measure: self._measure,
            Stop: self._stop,
        }
        try:
            return takers[type(action)](action)
        except Skip as skip:
            self._skipping = not skip.part
            return self._passed(skip.part)

    def _passed(self, part: bool) -> Outcome:
        self.event_log.append(Passed(self.operator.name, part))
        return Skipped(part)

    def _at_once(self, action: Begin | End | Stage | Note | Watch | Reconfigure) -> Event:
        match action:
            case Begin(part, procedure, version):
                self._way = NO_WAY
                self.poll_loop.watches.begin_part()
                self._part = self.operator.part = part
                return PartBegan(part, procedure, version)
            case End(part, outcome):
                return PartEnded(part, outcome)
            case Stage(title, detail):
                self._way = NO_WAY
                self.poll_loop.log.clear()
                return StageBegan(title, detail)
            case Watch():
                self.poll_loop.watches.add(action)
                return _watch_set(action, self._part)
            case Note(text):
                return Remarked(text)
            case Reconfigure(name, changes, restore):
                # The document first: where a kill comes between, the step is done again and changes nothing.
                book, why = self.event_log.book, f"put into it in run {self.event_log.run}"
                unit = reconfigured(book.unit(self._unit), name, changes, restore)
                book.revise("unit", self._unit, unit, f"configuration: {name}, {why}")
                return Reconfigured(name, changes, restore)

    def _gate(self, action: Confirm) -> Outcome:
        self._skipping = False
        self.operator.gate(action)
        return Done()

    def _senses(self, action: Observe) -> Outcome:
        self._skipping = False
        told = self.operator.senses(action)
        return Noticed(told.noticed if told.observed else None)

    def _set(self, action: Setting) -> Outcome:
        self._skipping = False
        self._settle = self._settled = None
        found = self.setter.carry_out(action)
        landed = isinstance(action, SetSource) and found.get("hand") and found.get("on")
        reached = found["voltage_V"] if landed else None
        return Reached(float(reached)) if reached is not None else Done()

    def _stop(self, action: Stop) -> Outcome:
        raise RunEnd("stopped", action.why)

    def _dwell(self, action: Dwell) -> Outcome:
        answer = self._wait(action)
        self._settle, self._settled = action, answer.stable
        if not action.warms:
            self._way = self._way.after(self.poll_loop.settings, action)
        self.event_log.append(Waited(action.why, answer.after_s, answer.stable, answer.rises))
        return answer

    def _wait(self, action: Dwell) -> Settled:
        """Let time pass until what is waited for is there, or its time is over."""
        began = self.bench.clock.now_s
        longest = action.period_s or (COUNT_SLICE_S if action.rising else SLICE_S)
        stable: bool | None = None
        was_above, rises = True, 0
        # What nobody reads by wire cannot be seen to settle: a person waits for it, and types it once.
        watched = action.quantity if action.quantity not in self.bench.by_hand() else None
        if action.quantity is not None and action.quantity in derived(self.bench.rig):
            watched = None
        while True:
            passed = self.bench.clock.now_s - began
            if watched is None and action.below is None:
                if passed >= action.seconds - 1e-6:
                    break
            elif passed >= action.seconds - 1e-6 and self._is_settled(action):
                stable = True
                break
            elif passed >= max(action.at_most_s, action.seconds) - 1e-6:
                stable = False
                break
            looked_for = (
                watched is not None or action.below is not None
            )  # with nobody who polls it: all the time there is
            seconds = SETTLE_SLICE_S if looked_for else min(longest, action.seconds - passed)
            values = self.poll_loop.slice(seconds)
            if action.rising is not None and action.rising in values:
                above = values[action.rising] > action.rises_above
                rises += above and not was_above
                was_above = above
        return Settled(stable, passed, rises)

    def _is_settled(self, action: Dwell) -> bool:
        if action.below is not None:
            return abs(self.poll_loop.now.get(action.quantity or "", action.below)) < action.below
        rows = [(t, v[action.quantity]) for t, v in self.poll_loop.history if action.quantity in v]
        if not rows:
            return False
        times, values = np.array(rows).T
        return settled(times, values, action.window_s, action.percent, floor=1e-4)

    # Points

    def _measure(self, action: Measure) -> Outcome:
        number = len(self._taken) + 1
        point = self._point(action, number, self._part, 1)
        taken = Taken(action, self.poll_loop.settings, self._settle, self._part, way=self._way)
        self._keep(point, taken)
        return Measured(point)

    def _keep(self, point: Point, taken: Taken) -> None:
        self._taken[point.number] = taken
        self.operator.takes[point.number] = (point.part, point.take)
        self.event_log.append(PointTaken(point))

    def _point(self, action: Measure, number: int, part: int, take: int) -> Point:
        samples: dict[str, list[float]] = {}
        began = self.bench.clock.now_s
        while self.bench.clock.now_s - began < action.over_s - 1e-6:
            for name, value in self.poll_loop.slice(MEASURE_SLICE_S).items():
                samples.setdefault(name, []).append(value)
        by_hand = self.bench.by_hand()
        readings: list[Reading] = []
        follows = derived(self.bench.rig)
        for name in (*(q for q in action.quantities if q not in follows), *follows.intersection(action.quantities)):
            self._heed_watts(readings, by_hand)
            key = f"{self.event_log.run}/{number}{f'.{take}' if take > 1 else ''}/{name}"
            if name in follows:
                drawn_A = self.poll_loop.settings.drawn_A.get(port_of(name), 0.0)
                voltage = self.setter.limits.envelope.voltage_V(port_of(name))
                readings += derived_reading(key, name, readings, self.bench.rig, drawn_A, voltage)
            elif name in by_hand:
                unforeseen = any(name == one for one, _ in action.likely)
                readings.append(self.operator.ask(key, name, action.from_zero, unforeseen))
            elif samples.get(name):
                readings.append(polled_reading(key, name, samples[name], self.bench.rig, self.bench.in_use.get(name)))
        readings = with_base(readings, self.bench.base_ohm, self.bench.rig, frozenset(samples))
        self._heed_watts(readings, by_hand)
        waves = self._waves(action.record_s) if action.record_s else ()
        captures = self._captures(action.capture) if action.capture is not None else ()
        now = self.bench.clock.now_s
        return Point(number, action.at, tuple(readings), now, self._settled, part, take, waves, captures)

    def _heed_watts(self, readings: list[Reading], by_hand: Mapping[str, object]) -> None:
        """Volts and amps belong together as soon as both are there and one of them was typed: of an output, and of an
        input whose watts nobody reads."""
        port = readings[-1].port if readings else ""
        both, power = [at_port(name, port) for name in PRODUCT], at_port("output_power", port)
        if self.bench.rig.multiplies_watts and readings and readings[-1].address in PRODUCT_IN:
            both, power = list(PRODUCT_IN), "input_power"
        if not readings or readings[-1].address not in both or not any(name in by_hand for name in both):
            return
        while True:
            read = {r.address: r.value for r in readings if r.address in both and r.value is not None}
            if len(read) < len(both) or self.operator.heed(power, abs(math.prod(read.values()))):
                return
            at = max(n for n, r in enumerate(readings) if r.address in both and r.address in by_hand)
            readings[at] = self.operator.ask(readings[at].id, readings[at].address)

    def _waves(self, seconds: float) -> tuple[Wave, ...]:
        """What the power meter records, its samples in the book before the point that names them."""
        self.poll_loop.slice(seconds)  # a record takes its time, and the watches go on
        waves, samples = waves_of(self.bench.record(seconds), self.bench.rig)
        self.event_log.busy("keeping the samples of a record", KEEP_AT_MOST_S)
        self.event_log.book.keep_waves(samples)
        return waves

    def _captures(self, wanted: Capturing) -> tuple[Capture, ...]:
        """What the scope records, its samples in the book before the point that names them."""
        capture, packed = self.capturer.take(wanted)
        self.event_log.busy("keeping the samples of a capture", KEEP_AT_MOST_S)
        self.event_log.book.keep_traces(packed)
        return (capture,)

    def _take_again(self) -> None:
        """Points a person wants again, at their own settings; then back to where the plan stands."""
        while self.operator.repeats:
            number, reason = self.operator.repeats.popitem()
            taken, before = self._taken[number], self.poll_loop.settings
            kept = self._settle, self._settled
            self.event_log.append(Remarked(f"point {number} is taken again: {reason}"))
            try:
                self._stand(taken.settings, taken.way)
                self._settled = self._wait(taken.settle or Dwell(AGAIN_S, "settles")).stable
                point = self._point(taken.action, number, taken.part, taken.take + 1)
                self._keep(point, replace(taken, take=point.take))
            except Skip:
                self.event_log.append(Remarked(f"point {number} was not taken again: skipped"))
            self._stand(before, self._way)
            self._settle, self._settled = kept


def _intended(action: Action) -> Intended:
    return Intended(type(action).__name__, body_of(action))


def _watch_set(watch: Watch, part: int | None) -> WatchSet:
    return WatchSet(watch.quantity, watch.low, watch.high, watch.whose, watch.count, part, watch.hard)
