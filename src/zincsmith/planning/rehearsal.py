"""Rehearsal: the same generator against a bench that only counts time.

The itinerary, its duration and energy come from here; there is no second description of a plan.
"""

from __future__ import annotations

from dataclasses import dataclass, field

from zincsmith.analysis.expectation import Expected, expected
from zincsmith.model.actions import (
    Action,
    Begin,
    Capturing,
    ChooseMode,
    Confirm,
    Done,
    Dwell,
    Measure,
    Measured,
    Observe,
    Outcome,
    Reached,
    SetLoad,
    SetSource,
    Settled,
    Stage,
    Stop,
    Watch,
)
from zincsmith.model.address import at_port, name_of, port_of
from zincsmith.model.errors import InputError
from zincsmith.model.fed import as_fed
from zincsmith.model.operating_point import OperatingPoint
from zincsmith.model.plan import Plan
from zincsmith.model.port import setter_of
from zincsmith.model.quantities import QUANTITIES
from zincsmith.model.reading import Point, Reading
from zincsmith.model.rig import Rig
from zincsmith.model.settings import Settings
from zincsmith.model.unit import Unit
from zincsmith.planning.limits import Limits, whole_run
from zincsmith.planning.rig_facts import context, derived, source_kind
from zincsmith.planning.step_sequence import StepSequence

MOST_ACTIONS = 20_000
GATE_S = 60.0
SENSES_S = 15.0
ENTRY_S = 20.0
SETTING_S = 0.2
AT_THE_LOAD = ("load", "base_load", "load_switch")
TRANSFERS_A_S = 2e6  # samples of a capture, a second
BYTES_A_SAMPLE = 1.2  # of a capture in the book, about: packed, with what it is drawn from
MOST_CAPTURE_BYTES = 150_000_000
HAND_S = 20.0  # a setting that a person makes


@dataclass(frozen=True)
class PlannedPoint:
    """One point of the grid with what is expected there; ``typed`` lists quantities a person reads, ``recorded`` says
    that volts and amps are recorded there."""

    number: int
    begins_s: float
    seconds: float
    at: OperatingPoint
    load_A: float
    expected: dict[str, Expected]
    typed: tuple[str, ...]
    part: int = 0
    recorded: bool = False


@dataclass
class PlannedStage:
    """A stretch of the itinerary. ``energised`` is nothing, input or input and load, at its most.

    ``by_hand`` counts the settings a person makes.
    """

    title: str
    detail: str
    begins_s: float
    seconds: float = 0.0
    energised: str = "nothing"
    gates: list[float] = field(default_factory=list)
    points: list[PlannedPoint] = field(default_factory=list)
    part: int = 0
    by_hand: int = 0
    confirms: list[Confirm] = field(default_factory=list)


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
    procedures: tuple[str, ...] = ()
    part_watches: tuple[tuple[int | None, Watch], ...] = ()
    capture_bytes: int = 0  # that captures add to the book, about

    def watches_of(self, part: int) -> list[Watch]:
        """What is watched in a part: the limits of the whole run, and its own as it leaves them."""
        own: dict[tuple[str, str], Watch] = {}
        for at, watch in self.part_watches:
            if at == part:
                own[watch.quantity, watch.whose] = watch
        return [*(w for at, w in self.part_watches if at is None), *own.values()]

    def elapsed(self, stages_begun: int, points_in_stage: int, since_stage_s: float) -> float:
        """How far along the itinerary a run is, in s: from the stages it has begun, what it has taken in the last of
        them and the time since that began."""
        if not stages_begun or not self.stages:
            return 0.0
        one = self.stages[min(stages_begun, len(self.stages)) - 1]
        if points_in_stage and one.points:
            last = one.points[min(points_in_stage, len(one.points)) - 1]
            return last.begins_s + last.seconds
        return one.begins_s + min(since_stage_s, one.seconds)

    def of(self, procedure: str) -> list[PlannedPoint]:
        """The points of one procedure."""
        return [p for p in self.points if self.procedures[p.part] == procedure]

    @property
    def points(self) -> list[PlannedPoint]:
        return [p for stage in self.stages for p in stage.points]

    @property
    def gates(self) -> int:
        return sum(len(s.gates) for s in self.stages)

    @property
    def typed(self) -> int:
        return sum(len(p.typed) for p in self.points)


def rehearse(unit: Unit, rig: Rig, plan: Plan, ambient_degC: float = 23.0) -> Itinerary:
    """Walk the plan. LimitError when a setting goes beyond a limit, InputError when the plan does not
    end or its procedure does not fit the unit."""
    return _Rehearsal(unit, rig, plan, ambient_degC).walk()


class _Rehearsal:
    def __init__(self, unit: Unit, rig: Rig, plan: Plan, ambient_degC: float) -> None:
        self.step_sequence = StepSequence(unit, rig, plan, ambient_degC)
        self.plate, self.ambient = as_fed(unit, rig).nameplate, ambient_degC
        self.procedures = tuple(p.procedure for p in plan.parts)
        self.limits = Limits.of(unit, rig, ambient_degC)
        known = context(unit, rig)
        self.polled = known.polled
        self.derived = derived(rig)
        self.rig, self.hand_source = rig, source_kind(rig) != "settable"
        self.reaches = source_kind(rig) == "by hand"
        self.least = self.likely = self.most = self.energy_J = 0.0
        self.stages: list[PlannedStage] = []
        self.watches: list[tuple[int | None, Watch]] = [
            (None, w) for w in whole_run(unit, rig, plan, known.polled, known.measured)
        ]
        self.cautions: list[str] = []
        self.settings = Settings()
        self._expected_at: Settings | None = None
        self._there: dict[str, Expected] = {}
        self.point_began = 0.0
        self.part = 0
        self.capture_bytes = 0

    def walk(self) -> Itinerary:
        answer: Outcome | None = None
        for _ in range(MOST_ACTIONS):
            action = self.step_sequence.next(answer)
            if action is None:
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
            tuple(w for _, w in self.watches),
            tuple(self.cautions),
            self.procedures,
            tuple(self.watches),
            self.capture_bytes,
        )

    def _take(self, action: Action) -> Outcome:
        match action:
            case Begin(part):
                self.part = part
            case Stage(title, detail):
                self.stages.append(PlannedStage(title, detail, self.likely, part=self.part))
            case Confirm():
                self.stages[-1].gates.append(self.likely)
                self.stages[-1].confirms.append(action)
                self.cautions += [c for c in action.cautions if c not in self.cautions]
                self._pass(GATE_S / 2, GATE_S, 3 * GATE_S)
            case Observe(title, text):
                self.stages[-1].gates.append(self.likely)
                self.stages[-1].confirms.append(Confirm(title, text))
                self._pass(SENSES_S / 2, SENSES_S, 3 * SENSES_S)
            case SetSource() | SetLoad() | ChooseMode():
                return self._set(action)
            case Dwell():
                return self._dwell(action)
            case Measure():
                return self._measure(action)
            case Watch():
                self.watches.append((self.part, action))
            case Stop(why):
                raise InputError(f"rehearsed, the plan already ends early: {why}")
            case _:
                pass
        return Done()

    def _set(self, action: SetSource | SetLoad | ChooseMode) -> Outcome:
        self.limits.check(action, self.settings.drawn_A, self.settings.modes)
        self.settings = self.settings.after(action)
        if isinstance(action, SetLoad):
            if self.rig.instrument(at_port("load", action.port)) is None:
                raise InputError(f"the rig has no load at {action.port}" if action.port else "the rig has no load")
            if action.pulses is not None and self.rig.instrument(at_port("load_switch", action.port)) is None:
                raise InputError("the rig has no load switch", key="instrument.load_switch")
            self.point_began = self.likely
            self._setting(any(self._by_hand(at_port(role, action.port)) for role in AT_THE_LOAD))
        elif isinstance(action, ChooseMode):
            role = setter_of(self.limits.envelope.output(action.port))
            one = self.rig.instrument(at_port(role, action.port))
            self._setting(one is None or one.how == "by hand")
        else:
            self._setting(self.hand_source)
        return Reached(action.voltage_V) if self.reaches and isinstance(action, SetSource) and action.on else Done()

    def _by_hand(self, place: str) -> bool:
        one = self.rig.instrument(place)
        return one is not None and one.how == "by hand"

    def _expected(self) -> dict[str, Expected]:
        now = self.settings
        if self._expected_at is not now:  # many actions pass between two settings
            self._expected_at = now
            self._there = expected(self.plate, now.input_V, now.drawn_A, self.ambient, now.modes)
        return self._there

    def _setting(self, by_hand: bool) -> None:
        if by_hand:
            self.stages[-1].by_hand += 1
            self._pass(HAND_S / 2, HAND_S, 3 * HAND_S)
        else:
            self._pass(SETTING_S, SETTING_S, SETTING_S)

    def _dwell(self, action: Dwell) -> Outcome:
        if action.quantity is None:
            self._pass(action.seconds, action.seconds, action.seconds)
            return Settled(None, action.seconds)
        soonest = max(action.seconds, action.window_s)
        self._pass(soonest, soonest + action.window_s / 2, max(soonest, action.at_most_s))
        return Settled(True, soonest)

    def _measure(self, action: Measure) -> Outcome:
        expectation = {**self._expected(), **{name: Expected(v, v, v) for name, v in action.likely}}
        typed = tuple(q for q in action.quantities if q not in self.polled and q not in self.derived)
        for seconds in (action.over_s, action.record_s):
            self._pass(seconds, seconds, seconds)
        self._pass(ENTRY_S * len(typed) / 2, ENTRY_S * len(typed), 3 * ENTRY_S * len(typed))
        if action.capture is not None:
            self._capture(action.capture)
        number = sum(len(s.points) for s in self.stages) + 1
        self.stages[-1].points.append(
            PlannedPoint(
                number,
                self.point_began,
                self.likely - self.point_began,
                action.at,
                sum(self.settings.drawn_A.values()),
                expectation,
                typed,
                self.part,
                action.record_s > 0.0,
            )
        )
        readings = tuple(
            Reading(
                f"rehearsed {number} {q}",
                name_of(q),
                expectation[q].value,
                QUANTITIES[q].unit,
                "rehearsal",
                "rehearsal",
                "",
                port=port_of(q),
            )
            for q in action.quantities
            if q in expectation
        )
        return Measured(Point(number, action.at, readings, self.likely, True, self.part))

    def _capture(self, wanted: Capturing) -> None:
        """Its settings held against the limits, its time, and what it adds to the book."""
        for setting in (wanted.first, wanted.then):
            if setting is not None:
                self.limits.check(setting, self.settings.drawn_A, self.settings.modes)
                self.settings = self.settings.after(setting)
        takes = 2 if wanted.look else 1
        seconds = wanted.first_s + takes * wanted.seconds + wanted.samples * len(wanted.channels) / TRANSFERS_A_S
        self._pass(seconds, seconds, 2.0 * seconds)
        self.capture_bytes += round(wanted.samples * len(wanted.channels) * BYTES_A_SAMPLE)
        if self.capture_bytes > MOST_CAPTURE_BYTES:
            raise InputError(
                f"the captures of this plan would add {self.capture_bytes / 1e6:.0f} MB to the book, "
                f"{MOST_CAPTURE_BYTES / 1e6:.0f} are the most: take fewer lines, loads or repeats"
            )

    def _pass(self, least: float, likely: float, most: float) -> None:
        self.least, self.likely, self.most = self.least + least, self.likely + likely, self.most + most
        stage = self.stages[-1]
        stage.seconds += likely
        if self.settings.input_V:
            self.energy_J += likely * self._expected()["input_power"].value
            if any(self.settings.drawn_A.values()):
                stage.energised = "input and load"
            elif stage.energised == "nothing":
                stage.energised = "input"
