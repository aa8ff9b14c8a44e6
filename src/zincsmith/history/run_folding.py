"""How the events of a book make the view of a run. No Qt."""

from __future__ import annotations

from zincsmith.book.reader import Written
from zincsmith.history.run_view import RunView
from zincsmith.model.address import at_port
from zincsmith.model.events import (
    Amended,
    CursorsRead,
    DoubtEnded,
    Effected,
    EntryAsked,
    EntryCorrected,
    EntryRefused,
    EntryTaken,
    Failed,
    GateOpened,
    GatePassed,
    HandSet,
    HandSetting,
    Overridden,
    PartBegan,
    PointRejected,
    PointTaken,
    Polled,
    RunClosed,
    RunOpened,
    RunResumed,
    SafeStep,
    SensesAsked,
    SensesTold,
    Signed,
    StageBegan,
    StateChanged,
    StopRuleMet,
    Tripped,
    WatchSet,
)
from zincsmith.model.states import State


def fold(view: RunView, written: Written) -> None:
    """Take one more event into account."""
    if written.bench_s is not None and written.run is not None:
        view.bench_s = written.bench_s
    for take in (_of_run, _of_course, _of_bench, _of_turn, _of_points):
        take(view, written)
    if isinstance(written.event, Polled | Effected | SafeStep | EntryTaken):
        view.date(written.at)


def _of_run(view: RunView, written: Written) -> None:
    """How the run stands."""
    event = written.event
    match event:
        case RunOpened():
            view.__init__(run=written.run, opened=event, began_at=written.at)  # type: ignore[misc]
        case RunResumed():
            view.closed, view.failure, view.safe_steps = None, "", []
        case Signed() | Amended() | DoubtEnded() | CursorsRead():
            view.answered += 1
        case Failed(text):
            view.failure = text
        case Tripped():
            view.failure = ""
        case RunClosed():
            view.closed = event
            view.turn = view.asked = None
            view.now, view.now_at = {}, ""
        case _:
            pass


def _of_course(view: RunView, written: Written) -> None:
    """Where the plan is."""
    event = written.event
    match event:
        case PartBegan(part):
            view.part = part
            view.watches = [w for w in view.watches if w.part is None]
        case WatchSet():
            same = (event.quantity, event.whose)
            view.watches = [*(w for w in view.watches if (w.quantity, w.whose) != same), event]
        case StageBegan(title, detail):
            view.stage, view.stage_detail, view.stage_began_s = title, detail, view.bench_s
            view.stages_begun += 1
            view.beyond = None
            view.stage_points = 0
        case StateChanged(state, why):
            view.state, view.state_why = state, why
            if state != State.ASKING:  # answered, skipped or made safe: nobody is asked any more
                view.asked = None
            if state not in (State.ASKING, State.GATE):
                view.refused = None
            if state != State.GATE:
                view.turn = None
        case _:
            pass


def _of_bench(view: RunView, written: Written) -> None:
    """What is on, and what was read of it."""
    event = written.event
    match event:
        case Polled(values, source_on, load_on):
            view.poll(written, values, source_on, load_on)
        case Effected("SetSource", body):
            view.source_on = bool(body.get("on"))
            # What was read of the input before says nothing any more.
            view.now = {q: v for q, v in view.now.items() if not q.startswith("input_")}
        case Effected("SetLoad", body):
            port = str(body.get("port", ""))
            view.loads = view.loads | {port} if body.get("on") or "pulses_A" in body else view.loads - {port}
            view.load_on = bool(view.loads)
            view.beyond = body if "ceiling_A" in body else None
            view.now.pop(
                at_port("output_current", port), None
            )  # as of the input: load off beside 0.25 A would be no truth
        case SafeStep():
            view.safe_steps.append(event)
            view.off(event)
        case _:
            pass


def _of_turn(view: RunView, written: Written) -> None:
    """What a person is asked for, and said."""
    event = written.event
    match event:
        case GateOpened() | HandSetting() | SensesAsked() | StopRuleMet():
            view.turn, view.turn_n, view.refused = event, written.seq, None
        case GatePassed() | HandSet() | SensesTold() | Overridden():
            view.turn = view.refused = None
        case EntryAsked():
            view.asked, view.asked_n, view.refused = event, written.seq, None
        case EntryRefused():
            view.refused = event
        case EntryTaken(reading):
            view.asked = view.refused = None
            view.entries.append((written.at, reading))
            view.typed.add(reading.address)
            if reading.value is not None:
                view.now[reading.address] = reading.value
        case EntryCorrected(reading):
            view.entries = [(at, reading if r.id == reading.id else r) for at, r in view.entries]
            view.corrected[reading.id] = event
        case _:
            pass


def _of_points(view: RunView, written: Written) -> None:
    """What was taken, and what nobody trusts."""
    event = written.event
    match event:
        case PointTaken(point):
            view.rejected.pop(point.number, None)
            view.points = [*(p for p in view.points if p.number != point.number), point]
            view.points.sort(key=lambda p: p.number)
            view.stage_points += point.take == 1
        case PointRejected(number=number):
            view.rejected |= {p.number: p for p in view.points if p.number == number}
            view.points = [p for p in view.points if p.number != number]
        case _:
            pass
