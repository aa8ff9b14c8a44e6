"""Going on with a run that ended early: the procedure is asked again, fed what is recorded, and has to agree."""

from __future__ import annotations

import json
from collections.abc import Iterable
from dataclasses import asdict, dataclass, field, replace

from zincsmith.book.reader import BookReader, RunRow, Written
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
    Noticed,
    Observe,
    Outcome,
    Reached,
    SetLoad,
    SetSource,
    Settled,
    Skipped,
    Stage,
    Watch,
)
from zincsmith.model.errors import InputError
from zincsmith.model.events import (
    Effected,
    EntryCorrected,
    EntryTaken,
    Event,
    GatePassed,
    Intended,
    PartBegan,
    PartEnded,
    Passed,
    PointTaken,
    Reconfigured,
    Remarked,
    SensesTold,
    StageBegan,
    Waited,
    WatchSet,
)
from zincsmith.model.reading import Point, Reading
from zincsmith.model.settings import NO_WAY, Settings, Way
from zincsmith.model.unit import Unit, reconfigured
from zincsmith.planning.step_sequence import StepSequence


@dataclass
class Taken:
    """How a point came about, so that it can be taken again."""

    action: Measure
    settings: Settings
    settle: Dwell | None
    part: int
    take: int = 1
    way: Way = NO_WAY


@dataclass
class Replayed:
    """Where a run stands: what comes ``next``, what was in force, and what has to be made up for.

    ``warm`` is the last warm-up with the settings it ran at, ``settle`` the last wait before ``next``, ``way`` how the
    bench came to stand so, where that matters.
    """

    next: Action | None = None
    step: int = 0
    settings: Settings = field(default_factory=Settings)
    gates: list[Confirm] = field(default_factory=list)
    watches: list[Watch] = field(default_factory=list)
    warm: tuple[Settings, Dwell] | None = None
    settle: Dwell | None = None
    settled: bool | None = None
    way: Way = NO_WAY
    points: dict[int, Taken] = field(default_factory=dict)
    typed: dict[str, Reading] = field(default_factory=dict)
    part: int = 0
    bench_s: float = 0.0


def body_of(action: Action) -> dict[str, object]:
    """An action as plain data, the way it stands in the book."""
    plain: dict[str, object] = json.loads(json.dumps(asdict(action)))
    return plain


def _later(action: Action) -> dict[str, object]:
    """What an action says beyond what it said in earlier versions of the program, as it was then without saying it."""
    later: dict[type, dict[str, object]] = {
        Measure: {"record_s": 0.0, "capture": None, "from_zero": False},
        Watch: {"hard": False, "fed": False}, Dwell: {"origin": False}, Observe: {"of": ()},
        Confirm: {"hands_in": False, "record_s": 0.0},
        SetSource: {"port": "", "phase_deg": None, "dip": None},
        SetLoad: {
            "port": "", "law": "CC", "level": None, "pulses": None, "beyond": 0.0, "shorted": False, "next_A": None,
        },
    }  # fmt: skip
    return later.get(type(action), {})


def replay(book: BookReader, run: int, step_sequence: StepSequence) -> Replayed:
    """Feed a new course what is recorded of a run, to the first step that was not finished.

    InputError when an action differs from the recorded one: the procedure, or what it knows, has changed.
    """
    steps = _steps(book.events(run=run))
    state = Replayed()
    answer: Outcome | None = None
    for number, (recorded, outcome) in sorted(steps.items()):
        action = step_sequence.next(answer)
        if action is None:
            raise InputError(
                f"run {run} cannot be resumed: it went on after step {number - 1}, the plan now ends there"
            )
        wanted = (type(action).__name__, body_of(action))
        if wanted != (recorded.action, {**_later(action), **recorded.body}):
            raise InputError(_changed(run, number, recorded, action))
        if outcome is None:
            state.next, state.step = action, number
            return state
        answer = outcome
        _follow(state, action, outcome)
    state.next = step_sequence.next(answer)
    state.step = max(steps, default=0) + 1
    return state


def _changed(run: int, number: int, recorded: Intended, action: Action) -> str:
    if isinstance(action, Begin) and recorded.action == "Begin":
        return (
            f"run {run} cannot be resumed: {action.procedure} was version {recorded.body.get('version')} then and is "
            f"version {action.version} now; begin a new run, the old one stays as it is"
        )
    if "conditions" in recorded.body:
        return (
            f"run {run} cannot be resumed: it was begun with an earlier version of the program, which wrote its points "
            "in another form; begin a new run, the old one stays as it is"
        )
    return (
        f"run {run} cannot be resumed: at step {number} it did {recorded.action} and would now do "
        f"{type(action).__name__} otherwise; unit, rig, plan or procedure have changed. Begin a new run"
    )


def _steps(events: Iterable[Written]) -> dict[int, tuple[Intended, Outcome | None]]:
    """By step: what was intended, and what came of it, None when the run ended before."""
    intended: dict[int, Intended] = {}
    outcomes: dict[int, Outcome] = {}
    for written in events:
        event, step = written.event, written.step
        if step is None:
            continue
        if isinstance(event, Intended):
            if event.action != "make_safe" and step not in intended:
                intended[step] = event
            continue
        if step in intended and intended[step].action == "Measure" and isinstance(event, Effected):
            continue  # what was set while a capture waited for it
        outcome = _outcome(event)
        if outcome is not None and step not in outcomes:
            outcomes[step] = outcome
    return {step: (one, outcomes.get(step)) for step, one in intended.items()}


def _outcome(event: Event) -> Outcome | None:
    match event:
        case Waited(after_s=after_s, stable=stable, rises=rises):
            return Settled(stable, after_s, rises)
        case PointTaken(point):
            return Measured(point)
        case Passed(part=part):
            return Skipped(part)
        case Effected("SetSource", {"hand": True, "on": True, "voltage_V": float(voltage)}):
            return Reached(voltage)
        case SensesTold(observed=looked):
            return Noticed(event.noticed if looked else None)
        case (
            Effected()
            | GatePassed()
            | StageBegan()
            | PartBegan()
            | PartEnded()
            | Remarked()
            | Reconfigured()
            | WatchSet()
        ):
            return Done()
        case _:
            return None


def _follow(state: Replayed, action: Action, outcome: Outcome) -> None:
    """What a finished step means for the bench, and for what has to be done again."""
    match action:
        case Begin(part):
            state.watches.clear()
            state.part, state.way = part, NO_WAY
        case Stage():
            state.way = NO_WAY
        case Confirm():
            state.gates.append(action)
        case Watch():
            state.watches = [w for w in state.watches if (w.quantity, w.whose) != (action.quantity, action.whose)]
            state.watches.append(action)
        case SetSource():
            at = outcome.voltage_V if isinstance(outcome, Reached) else action.voltage_V
            state.settings = state.settings.after(replace(action, voltage_V=at))
            state.settle = None
        case SetLoad() | ChooseMode():
            state.settings = state.settings.after(action)
            state.settle = None
        case Dwell():
            _waited(state, action, outcome)
        case Measure() if isinstance(outcome, Measured):
            point: Point = outcome.point
            state.points[point.number] = Taken(action, state.settings, state.settle, state.part, way=state.way)
            state.settings = _after_capture(state.settings, action.capture)
        case _:
            pass


def _waited(state: Replayed, action: Dwell, outcome: Outcome) -> None:
    if action.warms:
        state.warm = (state.settings, action)
        return
    state.settle, state.settled = action, None
    if isinstance(outcome, Settled):
        state.way, state.settled = state.way.after(state.settings, action), outcome.stable


def _after_capture(settings: Settings, capture: Capturing | None) -> Settings:
    """What was set while the scope stood armed stays set."""
    for setting in (capture.first, capture.then) if capture is not None else ():
        settings = settings.after(setting) if setting is not None else settings
    return settings


def as_left(book: BookReader, row: RunRow) -> Unit:
    """The unit of a run as it left it, put into the configurations that its plan had changed it to by then."""
    unit = book.unit(row.unit, row.unit_n)
    for written in book.events(run=row.id, kinds=(Reconfigured,)):
        if isinstance(written.event, Reconfigured):
            unit = reconfigured(unit, written.event.configuration, written.event.changes, written.event.restore)
    return unit


def typed_readings(book: BookReader, run: int) -> dict[str, Reading]:
    """What people typed in a run, as corrected."""
    found: dict[str, Reading] = {}
    for written in book.events(run=run, kinds=(EntryTaken, EntryCorrected)):
        found[written.event.reading.id] = written.event.reading
    return found
