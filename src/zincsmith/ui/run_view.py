"""What a run looks like right now, folded from the events of the book. No Qt."""

from __future__ import annotations

from dataclasses import dataclass, field

from zincsmith.book.reader import Written
from zincsmith.model.events import (
    EntryAsked,
    EntryRefused,
    EntryTaken,
    Failed,
    GateOpened,
    GatePassed,
    PointTaken,
    Polled,
    RunClosed,
    RunOpened,
    SafeStep,
    StageBegan,
    StateChanged,
    Tripped,
)
from zincsmith.model.reading import Point, Reading

HISTORY_S = 3600.0


@dataclass
class RunView:
    """``history`` holds (bench seconds, values) of at most an hour; ``now`` the last poll."""

    run: int | None = None
    opened: RunOpened | None = None
    began_at: str = ""
    stage: str = ""
    stage_detail: str = ""
    stage_began_s: float = 0.0
    state: str = "idle"
    state_why: str = ""
    gate: GateOpened | None = None
    asked: EntryAsked | None = None
    refused: EntryRefused | None = None
    points: list[Point] = field(default_factory=list)
    entries: list[tuple[str, Reading]] = field(default_factory=list)
    now: dict[str, float] = field(default_factory=dict)
    now_at: str = ""
    source_on: bool = False
    load_on: bool = False
    bench_s: float = 0.0
    history: list[tuple[float, dict[str, float]]] = field(default_factory=list)
    closed: RunClosed | None = None
    failure: str = ""
    safe_steps: list[SafeStep] = field(default_factory=list)

    def fold(self, written: Written) -> None:
        """Take one more event into account."""
        event = written.event
        if written.bench_s is not None and written.run is not None:
            self.bench_s = written.bench_s
        match event:
            case RunOpened():
                self.__init__(run=written.run, opened=event, began_at=written.at)  # type: ignore[misc]
            case StageBegan(title, detail):
                self.stage, self.stage_detail, self.stage_began_s = title, detail, self.bench_s
            case StateChanged(state, why):
                self.state, self.state_why = state, why
            case Polled(values, source_on, load_on):
                self._poll(written, values, source_on, load_on)
            case GateOpened():
                self.gate = event
            case GatePassed():
                self.gate = None
            case EntryAsked():
                self.asked, self.refused = event, None
            case EntryRefused():
                self.refused = event
            case EntryTaken(reading):
                self.asked = self.refused = None
                self.entries.append((written.at, reading))
                if reading.value is not None:
                    self.now[reading.quantity] = reading.value
            case PointTaken(point):
                self.points.append(point)
            case Failed(text):
                self.failure = text
            case Tripped():
                self.failure = ""
            case SafeStep():
                self.safe_steps.append(event)
                if event.step == "source output off" and event.confirmed:
                    self.source_on = False
                if event.step == "load off" and event.confirmed:
                    self.load_on = False
            case RunClosed():
                self.closed = event
                self.gate = self.asked = None
                self.now, self.now_at = {}, ""
            case _:
                pass

    def _poll(self, written: Written, values: dict[str, float], source_on: bool, load_on: bool) -> None:
        typed = {q: v for q, v in self.now.items() if q not in values and self._typed(q)}
        self.now, self.now_at = {**typed, **values}, written.at
        self.source_on, self.load_on = source_on, load_on
        if written.bench_s is not None:
            self.history.append((written.bench_s, values))
            if self.history[0][0] < written.bench_s - HISTORY_S:
                del self.history[: len(self.history) // 10]

    def _typed(self, quantity: str) -> bool:
        return any(r.quantity == quantity for _, r in self.entries)

    @property
    def active(self) -> bool:
        """Whether a run is under way."""
        return self.run is not None and self.closed is None
