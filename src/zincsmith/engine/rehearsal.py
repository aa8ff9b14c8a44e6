"""Rehearsal: the same generator against a bench that only counts time.

The itinerary, its duration and energy come from here; there is no second description of a plan.
"""

from __future__ import annotations

from dataclasses import dataclass, field

from zincsmith.analysis.expectation import Expected, expected
from zincsmith.engine.limits import Limits
from zincsmith.model.actions import (
    Action,
    Confirm,
    Done,
    Dwell,
    Measure,
    Measured,
    Outcome,
    SetLoad,
    SetSource,
    Settled,
    Stage,
    Watch,
)
from zincsmith.model.errors import InputError
from zincsmith.model.plan import Plan
from zincsmith.model.quantities import QUANTITIES
from zincsmith.model.reading import Point, Reading
from zincsmith.model.rig import Rig
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.base import Context
from zincsmith.procedures.catalogue import procedure

MOST_ACTIONS = 20_000
GATE_S = 60.0
ENTRY_S = 20.0
SETTING_S = 0.2


@dataclass(frozen=True)
class PlannedPoint:
    """One point of the grid with what is expected there; ``typed`` lists quantities a person reads."""

    number: int
    begins_s: float
    seconds: float
    conditions: dict[str, float]
    load_A: float
    expected: dict[str, Expected]
    typed: tuple[str, ...]


@dataclass
class PlannedStage:
    """A stretch of the itinerary. ``energised`` is nothing, input or input and load, at its most."""

    title: str
    detail: str
    begins_s: float
    seconds: float = 0.0
    energised: str = "nothing"
    gates: list[float] = field(default_factory=list)
    points: list[PlannedPoint] = field(default_factory=list)


@dataclass(frozen=True)
class Itinerary:
    """Durations in s: least, likely and most; energy drawn from the mains in Wh."""

    stages: tuple[PlannedStage, ...]
    least_s: float
    likely_s: float
    most_s: float
    energy_Wh: float
    watches: tuple[Watch, ...]
    cautions: tuple[str, ...]

    def elapsed(self, points_taken: int, stage: str, detail: str, since_stage_s: float) -> float:
        """How far along the itinerary a run is, in s, from what it has done and the time since its stage began."""
        if points_taken:
            last = self.points[min(points_taken, len(self.points)) - 1]
            return last.begins_s + last.seconds
        for one in self.stages:
            if (one.title, one.detail) == (stage, detail):
                return one.begins_s + min(since_stage_s, one.seconds)
        return 0.0

    @property
    def points(self) -> list[PlannedPoint]:
        return [p for stage in self.stages for p in stage.points]

    @property
    def gates(self) -> int:
        return sum(len(s.gates) for s in self.stages)

    @property
    def typed(self) -> int:
        return sum(len(p.typed) for p in self.points)


def context(nameplate: Nameplate, rig: Rig, plan: Plan) -> Context:
    """What the procedure may know about this rig."""
    polled = {q.name for q in QUANTITIES.values() if (one := rig.instrument(q.role)) and one.how != "by hand"}
    measured = {q.name for q in QUANTITIES.values() if rig.instrument(q.role)}
    return Context(nameplate, plan.options, frozenset(polled), frozenset(measured))


def rehearse(nameplate: Nameplate, rig: Rig, plan: Plan, ambient_degC: float = 23.0) -> Itinerary:
    """Walk the plan. LimitError when a setting goes beyond a limit, InputError when the plan does not
    end or its procedure does not fit the unit."""
    return _Rehearsal(nameplate, rig, plan, ambient_degC).walk()


class _Rehearsal:
    def __init__(self, nameplate: Nameplate, rig: Rig, plan: Plan, ambient_degC: float) -> None:
        self.plate, self.ambient = nameplate, ambient_degC
        self.procedure = procedure(plan.procedure)
        unfit = self.procedure.suits(nameplate)
        if unfit:
            raise InputError(unfit)
        self.limits = Limits.of(nameplate, rig)
        self.ctx = context(nameplate, rig, plan)
        self.least = self.likely = self.most = self.energy_J = 0.0
        self.stages: list[PlannedStage] = []
        self.watches: list[Watch] = []
        self.cautions: list[str] = []
        self.source_V = self.load_A = 0.0
        self.point_began = 0.0

    def walk(self) -> Itinerary:
        steps = self.procedure.steps(self.ctx)
        answer: Outcome | None = None
        for _ in range(MOST_ACTIONS):
            try:
                action = steps.send(answer) if answer is not None else next(steps)
            except StopIteration:
                break
            answer = self._take(action)
        else:
            raise InputError(f"the plan does not end within {MOST_ACTIONS} actions")
        return Itinerary(
            tuple(self.stages),
            self.least,
            self.likely,
            self.most,
            self.energy_J / 3600.0,
            tuple(self.watches),
            tuple(self.cautions),
        )

    def _take(self, action: Action) -> Outcome:
        match action:
            case Stage(title, detail):
                self.stages.append(PlannedStage(title, detail, self.likely))
            case Confirm():
                self.stages[-1].gates.append(self.likely)
                self.cautions += [c for c in action.cautions if c not in self.cautions]
                self._pass(GATE_S / 2, GATE_S, 3 * GATE_S)
            case SetSource():
                self.limits.check(action)
                self.source_V = action.voltage_V if action.on else 0.0
                self._pass(SETTING_S, SETTING_S, SETTING_S)
            case SetLoad():
                self.limits.check(action)
                self.load_A = action.current_A if action.on else 0.0
                self.point_began = self.likely
                self._pass(SETTING_S, SETTING_S, SETTING_S)
            case Dwell():
                return self._dwell(action)
            case Measure():
                return self._measure(action)
            case Watch():
                self.watches.append(action)
            case _:
                pass
        return Done()

    def _dwell(self, action: Dwell) -> Outcome:
        if action.quantity is None:
            self._pass(action.seconds, action.seconds, action.seconds)
            return Settled(None, action.seconds)
        soonest = max(action.seconds, action.window_s)
        self._pass(soonest, soonest + action.window_s / 2, max(soonest, action.at_most_s))
        return Settled(True, soonest)

    def _measure(self, action: Measure) -> Outcome:
        expectation = expected(self.plate, self.source_V, self.load_A, self.ambient)
        typed = tuple(q for q in action.quantities if q not in self.ctx.polled)
        self._pass(action.over_s, action.over_s, action.over_s)
        self._pass(ENTRY_S * len(typed) / 2, ENTRY_S * len(typed), 3 * ENTRY_S * len(typed))
        number = sum(len(s.points) for s in self.stages) + 1
        self.stages[-1].points.append(
            PlannedPoint(
                number,
                self.point_began,
                self.likely - self.point_began,
                dict(action.conditions),
                self.load_A,
                expectation,
                typed,
            )
        )
        readings = tuple(
            Reading(
                f"rehearsed {number} {q}", q, expectation[q].value, QUANTITIES[q].unit, "rehearsal", "rehearsal", ""
            )
            for q in action.quantities
        )
        return Measured(Point(number, dict(action.conditions), readings, self.likely, True))

    def _pass(self, least: float, likely: float, most: float) -> None:
        self.least, self.likely, self.most = self.least + least, self.likely + likely, self.most + most
        stage = self.stages[-1]
        stage.seconds += likely
        if self.source_V:
            power = expected(self.plate, self.source_V, self.load_A, self.ambient)["input_power"].value
            self.energy_J += likely * power
            if self.load_A:
                stage.energised = "input and load"
            elif stage.energised == "nothing":
                stage.energised = "input"
