"""Runs one plan, action by action. Intent is in the book before the command is sent, the read-back after.

Whatever ends the run - completion, a command, a tripped watch, a failing instrument, a bug - ends in make-safe,
which comes first, before anything else is done.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Mapping
from dataclasses import asdict
from typing import Any

import numpy as np

from zincsmith.analysis.expectation import expected
from zincsmith.analysis.stability import settled
from zincsmith.bench.bench import Bench
from zincsmith.bench.make_safe import Safety, make_safe
from zincsmith.engine.desk import Command, Desk
from zincsmith.engine.entries import EntryError, hand_reading, polled_reading
from zincsmith.engine.journal import Journal
from zincsmith.engine.limits import Limits
from zincsmith.engine.watches import Watches
from zincsmith.model.actions import (
    Action,
    Confirm,
    Done,
    Dwell,
    Measure,
    Measured,
    Note,
    Outcome,
    SetLoad,
    SetSource,
    Settled,
    Stage,
    Watch,
)
from zincsmith.model.errors import BookError, InstrumentError, LimitError
from zincsmith.model.events import (
    Effected,
    EntryAsked,
    EntryRefused,
    EntryTaken,
    Failed,
    GateOpened,
    GatePassed,
    Intended,
    Noted,
    PointTaken,
    Polled,
    RunClosed,
    StageBegan,
    Tripped,
    Waited,
    WatchSet,
)
from zincsmith.model.quantities import QUANTITIES
from zincsmith.model.reading import Point, Reading
from zincsmith.procedures.base import Context, Procedure

SLICE_S = 2.0  # the longest stretch of bench time between two polls: the period of the watches
SETTLE_SLICE_S = 1.0
MEASURE_SLICE_S = 0.5
WAIT_SLICE_S = 0.5  # wall time between polls while a person is awaited


class _End(Exception):
    """The run ends here; not an error of the program."""

    def __init__(self, outcome: str, why: str) -> None:
        super().__init__(why)
        self.outcome, self.why = outcome, why


class Runner:
    """One run of one procedure on an opened or openable bench."""

    def __init__(
        self,
        bench: Bench,
        journal: Journal,
        desk: Desk,
        limits: Limits,
        ctx: Context,
        ambient_degC: float,
        operator: str,
    ) -> None:
        self.bench, self.journal, self.desk, self.limits, self.ctx = bench, journal, desk, limits, ctx
        self.ambient = ambient_degC
        self.operator = operator
        self.watches = Watches()
        self.source_V, self.source_on, self.load_A, self.load_on = 0.0, False, 0.0, False
        self._history: list[tuple[float, dict[str, float]]] = []
        self._settled: bool | None = None
        self._points = 0

    # The whole run

    def run(self, procedure: Procedure) -> RunClosed:
        """Carry the procedure out; returns how it ended, which is also the last event of the run."""
        outcome, why = "failed", "a bug in the program"
        try:
            self.journal.become("start", "run started")
            self.bench.open()
            self.journal.clock = lambda: self.bench.clock.now_s
            self._drive(procedure.steps(self.ctx))
            outcome, why = "complete", "every step was carried out"
        except _End as end:
            outcome, why = end.outcome, end.why
        except InstrumentError as error:
            outcome, why = "failed", str(error)
            self.journal.try_append(Failed(str(error), error.role, error.address))
        except (LimitError, BookError) as error:
            outcome, why = "failed", str(error)
            self.journal.try_append(Failed(str(error)))
        finally:
            closed = self._close(outcome, why)
        return closed

    def _close(self, outcome: str, why: str) -> RunClosed:
        self.journal.try_become("make safe", why)
        safety = self.make_safe()
        closed = RunClosed(outcome, why, safety.confirmed, safety.unconfirmed)
        self.journal.try_append(closed)
        self.journal.try_become("confirmed" if safety.confirmed else "unconfirmed", why)
        self.bench.close()
        return closed

    def make_safe(self) -> Safety:
        self.source_on = self.load_on = False
        return make_safe(self.bench, self.journal.try_append)

    def _drive(self, steps: Any) -> None:
        answer: Outcome | None = None
        while True:
            try:
                action = steps.send(answer) if answer is not None else next(steps)
            except StopIteration:
                return
            self.journal.next_step()
            answer = self._take(action)

    # Actions

    def _take(self, action: Action) -> Outcome:
        takers: Mapping[type, Callable[[Any], Outcome]] = {
            Stage: lambda a: self._write(StageBegan(a.title, a.detail)),
            Note: lambda a: self._write(Noted(a.text)),
            Confirm: self._gate,
            SetSource: self._set_source,
            SetLoad: self._set_load,
            Dwell: self._dwell,
            Measure: self._measure,
            Watch: self._watch,
        }
        return takers[type(action)](action)

    def _write(self, event: StageBegan | Noted) -> Outcome:
        self.journal.append(event)
        return Done()

    def _watch(self, watch: Watch) -> Outcome:
        self.watches.add(watch)
        self.journal.append(WatchSet(watch.quantity, watch.low, watch.high, watch.whose))
        return Done()

    def _set_source(self, action: SetSource) -> Outcome:
        self.limits.check(action)
        source = self.bench.instruments["ac_source"]
        self.journal.append(Intended("set_source", asdict(action)))
        self._obey(self.desk.commands(0.0))
        found: dict[str, float | str | bool | None] = {
            "voltage_V": source.set("voltage", action.voltage_V),
            "frequency_Hz": source.set("frequency", action.frequency_Hz),
            "on": bool(source.set("output", action.on)),
        }
        self.source_V, self.source_on = action.voltage_V, action.on
        self.journal.append(Effected("set_source", found))
        self._history.clear()
        return Done()

    def _set_load(self, action: SetLoad) -> Outcome:
        self.limits.check(action)
        load = self.bench.instruments["load"]
        self.journal.append(Intended("set_load", asdict(action)))
        self._obey(self.desk.commands(0.0))
        if not action.on:
            on = load.set("input", False)
        amps = load.set("current", action.current_A)
        if action.on:
            on = load.set("input", True)
        self.load_A, self.load_on = action.current_A, action.on
        self.journal.append(Effected("set_load", {"current_A": amps, "on": bool(on)}))
        self._history.clear()
        return Done()

    def _dwell(self, action: Dwell) -> Outcome:
        began = self.bench.clock.now_s
        stable: bool | None = None
        while True:
            passed = self.bench.clock.now_s - began
            if action.quantity is None:
                if passed >= action.seconds - 1e-6:
                    break
            elif passed >= action.seconds - 1e-6 and self._is_settled(action):
                stable = True
                break
            elif passed >= max(action.at_most_s, action.seconds) - 1e-6:
                stable = False
                break
            self._slice(SETTLE_SLICE_S if action.quantity is not None else min(SLICE_S, action.seconds - passed))
        self._settled = stable
        self.journal.append(Waited(action.why, passed, stable))
        return Settled(stable, passed)

    def _is_settled(self, action: Dwell) -> bool:
        rows = [(t, v[action.quantity]) for t, v in self._history if action.quantity in v]
        if not rows:
            return False
        times, values = np.array(rows).T
        return settled(times, values, action.window_s, action.percent, floor=1e-4)

    def _measure(self, action: Measure) -> Outcome:
        samples: dict[str, list[float]] = {}
        began = self.bench.clock.now_s
        while self.bench.clock.now_s - began < action.over_s - 1e-6:
            for name, value in self._slice(MEASURE_SLICE_S).items():
                samples.setdefault(name, []).append(value)
        self._points += 1
        readings: list[Reading] = []
        for name in action.quantities:
            key = f"{self.journal.run}/{self._points}/{name}"
            if name in self.bench.by_hand():
                readings.append(self._ask(key, name))
            elif samples.get(name):
                readings.append(polled_reading(key, name, samples[name], self.bench.rig))
        point = Point(self._points, dict(action.conditions), tuple(readings), self.bench.clock.now_s, self._settled)
        self.journal.append(PointTaken(point))
        return Measured(point)

    # People

    def _gate(self, action: Confirm) -> Outcome:
        self.journal.append(GateOpened(action.title, action.text, action.cautions))
        self.journal.become("gate", action.title)
        while True:
            for command in self._wait_for_person():
                if command.do == "pass":
                    self.journal.append(GatePassed(self.operator, bool(command.body.get("automatic"))))
                    self.journal.become("pass", action.title)
                    return Done()

    def _ask(self, key: str, quantity: str) -> Reading:
        meter = self.bench.by_hand()[quantity]
        span = expected(self.ctx.nameplate, self.source_V, self.load_A if self.load_on else 0.0, self.ambient)[quantity]
        info = QUANTITIES[quantity]
        what = f"{info.words} at {self.source_V:g} V, {self.load_A if self.load_on else 0.0:.3g} A"
        self.journal.append(EntryAsked(quantity, info.unit, what, meter.spot, span.low, span.high))
        self.journal.become("ask", what)
        while True:
            for command in self._wait_for_person():
                if command.do != "enter":
                    continue
                try:
                    reading = hand_reading(key, quantity, command.text, meter)
                except EntryError as error:
                    self.journal.append(EntryRefused(command.text[:80], str(error)))
                    continue
                self.journal.append(EntryTaken(reading))
                self.journal.become("enter", what)
                return reading

    def _wait_for_person(self) -> list[Command]:
        """Bench time and watches go on while nobody answers."""
        began = time.monotonic()
        commands = self._obey(self.desk.commands(WAIT_SLICE_S))
        waited = max(0.05, min(WAIT_SLICE_S, time.monotonic() - began))
        if not commands:
            self._poll(waited * max(1.0, self._pace()))
        return commands

    def _pace(self) -> float:
        wall = self.bench.clock.wall_s(1.0)
        return 1.0 / wall if wall else 1.0

    def _obey(self, commands: list[Command]) -> list[Command]:
        """End the run if that was commanded; note notes; return the rest."""
        rest = []
        for command in commands:
            if command.do == "abort":
                raise _End("aborted", command.text or "aborted by the operator")
            if command.do in {"make safe", "gone"}:
                raise _End("made safe", command.text or "the operator pressed Make safe")
            if command.do == "note":
                self.journal.append(Noted(command.text))
            else:
                rest.append(command)
        return rest

    # Time

    def _slice(self, seconds: float) -> dict[str, float]:
        self._obey(self.desk.commands(self.bench.clock.wall_s(seconds)))
        return self._poll(seconds)

    def _poll(self, seconds: float) -> dict[str, float]:
        self.bench.clock.advance(seconds)
        values = self.bench.poll()
        self.journal.append(Polled(values, self.source_on, self.load_on))
        self._history.append((self.bench.clock.now_s, values))
        del self._history[:-2000]
        tripped = self.watches.check(values)
        if tripped is not None:
            watch, value = tripped
            self.journal.append(Tripped(watch.quantity, value, watch.low, watch.high, watch.whose))
            raise _End("tripped", _trip_words(watch, value))
        return values


def _trip_words(watch: Watch, value: float | None) -> str:
    info = QUANTITIES[watch.quantity]
    if value is None:
        return f"{info.words} could not be read, so they could not be watched"
    bound = watch.high if watch.high is not None and value > watch.high else watch.low
    return f"{info.words} reached {value:.4g} {info.unit}; {watch.whose} is {bound:.4g} {info.unit}"
