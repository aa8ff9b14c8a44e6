"""What a run looks like right now, folded from the events of the book. No Qt."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace

from zincsmith.bench.roles import SWITCHED
from zincsmith.bench.signs import CLAIM_OF, OUTPUT
from zincsmith.book.reader import Written
from zincsmith.formats.words import local_time
from zincsmith.model.address import at_port, name_of, port_of, ports_in, seen_from
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
from zincsmith.model.quantities import ROOM
from zincsmith.model.reading import Point, Reading
from zincsmith.model.states import State
from zincsmith.model.unit import Nameplate
from zincsmith.words.live import Live, live_of

HISTORY_S = 3600.0
Turn = GateOpened | HandSetting | SensesAsked | StopRuleMet


@dataclass
class RunView:
    """``history`` holds (bench seconds, values) of at most an hour; ``now`` the last poll."""

    run: int | None = None
    opened: RunOpened | None = None
    began_at: str = ""
    stage: str = ""
    stage_detail: str = ""
    stage_began_s: float = 0.0
    stages_begun: int = 0
    stage_points: int = 0
    part: int = 0
    turn: Turn | None = None  # what a gate asks for: to check, to set by hand, to look, to decide
    watches: list[WatchSet] = field(default_factory=list)
    state: str = "idle"
    state_why: str = ""
    asked: EntryAsked | None = None
    refused: EntryRefused | None = None
    points: list[Point] = field(default_factory=list)
    rejected: dict[int, Point] = field(default_factory=dict)  # and not taken again since
    entries: list[tuple[str, Reading]] = field(default_factory=list)
    now: dict[str, float] = field(default_factory=dict)
    now_at: str = ""
    source_on: bool = False
    load_on: bool = False
    beyond: Mapping[str, float | str | bool | None] | None = None  # a load beyond the rating: next, ceiling and whose
    by_wire: set[str] = field(default_factory=set)  # what the last poll read, whatever was typed of it earlier
    highest: dict[str, float] = field(default_factory=dict)  # the most each output was read at, V by port
    loads: set[str] = field(default_factory=set)  # the ports whose load is on
    bench_s: float = 0.0
    history: list[tuple[float, dict[str, float]]] = field(default_factory=list)
    closed: RunClosed | None = None
    failure: str = ""
    answered: int = 0  # signatures and amendments
    safe_steps: list[SafeStep] = field(default_factory=list)
    corrected: dict[str, EntryCorrected] = field(default_factory=dict)
    plate: Nameplate | None = None  # of the unit, so that what nobody reads is not forgotten
    _since: dict[str, tuple[str, str]] = field(default_factory=dict)  # how the bench and each place stands, since when

    def fold(self, written: Written) -> None:
        """Take one more event into account."""
        if written.bench_s is not None and written.run is not None:
            self.bench_s = written.bench_s
        for take in (self._of_run, self._of_course, self._of_bench, self._of_turn, self._of_points):
            take(written)
        if isinstance(written.event, Polled | Effected | SafeStep | EntryTaken):
            self._date(written.at)

    def _date(self, at: str) -> None:
        """Keep since when each place stands as it does."""
        live = self.live
        for key, state in (("", live.state), *((f"{p.what} {p.name}", p.state) for p in live.places)):
            if self._since.get(key, ("", ""))[0] != state:
                self._since[key] = state, at

    def _of_run(self, written: Written) -> None:
        """How the run stands."""
        event = written.event
        match event:
            case RunOpened():
                self.__init__(run=written.run, opened=event, began_at=written.at)  # type: ignore[misc]
            case RunResumed():
                self.closed, self.failure, self.safe_steps = None, "", []
            case Signed() | Amended() | DoubtEnded() | CursorsRead():
                self.answered += 1
            case Failed(text):
                self.failure = text
            case Tripped():
                self.failure = ""
            case RunClosed():
                self.closed = event
                self.turn = self.asked = None
                self.now, self.now_at = {}, ""
            case _:
                pass

    def _of_course(self, written: Written) -> None:
        """Where the plan is."""
        event = written.event
        match event:
            case PartBegan(part):
                self.part = part
                self.watches = [w for w in self.watches if w.part is None]
            case WatchSet():
                same = (event.quantity, event.whose)
                self.watches = [*(w for w in self.watches if (w.quantity, w.whose) != same), event]
            case StageBegan(title, detail):
                self.stage, self.stage_detail, self.stage_began_s = title, detail, self.bench_s
                self.stages_begun += 1
                self.beyond = None
                self.stage_points = 0
            case StateChanged(state, why):
                self.state, self.state_why = state, why
                if state != State.ASKING:  # answered, skipped or made safe: nobody is asked any more
                    self.asked = None
                if state not in (State.ASKING, State.GATE):
                    self.refused = None
                if state != State.GATE:
                    self.turn = None
            case _:
                pass

    def _of_bench(self, written: Written) -> None:
        """What is on, and what was read of it."""
        event = written.event
        match event:
            case Polled(values, source_on, load_on):
                self._poll(written, values, source_on, load_on)
            case Effected("SetSource", body):
                self.source_on = bool(body.get("on"))
                # What was read of the input before says nothing any more.
                self.now = {q: v for q, v in self.now.items() if not q.startswith("input_")}
            case Effected("SetLoad", body):
                port = str(body.get("port", ""))
                self.loads = self.loads | {port} if body.get("on") or "pulses_A" in body else self.loads - {port}
                self.load_on = bool(self.loads)
                self.beyond = body if "ceiling_A" in body else None
                self.now.pop(
                    at_port("output_current", port), None
                )  # as of the input: load off beside 0.25 A would be no truth
            case SafeStep():
                self.safe_steps.append(event)
                self._off(event)
            case _:
                pass

    def _of_turn(self, written: Written) -> None:
        """What a person is asked for, and said."""
        event = written.event
        match event:
            case GateOpened() | HandSetting() | SensesAsked() | StopRuleMet():
                self.turn, self.refused = event, None
            case GatePassed() | HandSet() | SensesTold() | Overridden():
                self.turn = self.refused = None
            case EntryAsked():
                self.asked, self.refused = event, None
            case EntryRefused():
                self.refused = event
            case EntryTaken(reading):
                self.asked = self.refused = None
                self.entries.append((written.at, reading))
                if reading.value is not None:
                    self.now[reading.address] = reading.value
            case EntryCorrected(reading):
                self.entries = [(at, reading if r.id == reading.id else r) for at, r in self.entries]
                self.corrected[reading.id] = event
            case _:
                pass

    def _of_points(self, written: Written) -> None:
        """What was taken, and what nobody trusts."""
        event = written.event
        match event:
            case PointTaken(point):
                self.rejected.pop(point.number, None)
                self.points = [*(p for p in self.points if p.number != point.number), point]
                self.points.sort(key=lambda p: p.number)
                self.stage_points += point.take == 1
            case PointRejected(number=number):
                self.rejected |= {p.number: p for p in self.points if p.number == number}
                self.points = [p for p in self.points if p.number != number]
            case _:
                pass

    def _off(self, event: SafeStep) -> None:
        """What make-safe has confirmed to be off, at one port."""
        port = port_of(event.role)
        switched = next((s for s in SWITCHED if s.step(port) == event.step), None)
        if not event.confirmed or switched is None:
            return
        if switched.feeds:
            self.source_on = False
        else:
            self.loads = self.loads - {port}
            self.load_on = bool(self.loads)

    def _poll(self, written: Written, values: dict[str, float], source_on: bool, load_on: bool) -> None:
        typed = {q: v for q, v in self.now.items() if q not in values and self._typed(q)}
        self.now, self.now_at, self.by_wire = {**typed, **values}, written.at, set(values)
        self.source_on, self.load_on = source_on, load_on
        for address, value in values.items():
            if CLAIM_OF.get(name_of(address)) == OUTPUT:
                port = port_of(address)
                self.highest[port] = max(abs(value), self.highest.get(port, 0.0))
        if written.bench_s is not None:
            self.history.append((written.bench_s, values))
            if self.history[0][0] < written.bench_s - HISTORY_S:
                del self.history[: len(self.history) // 10]

    def _typed(self, quantity: str) -> bool:
        return any(r.address == quantity for _, r in self.entries)

    @property
    def port(self) -> str:
        """The output that is looked at: the one whose load was varied last, else the first that is read."""
        about = self.points[-1].at.about if self.points else ""
        return about or next(iter(ports_in(self.now, "output_voltage")), "")

    @property
    def hottest(self) -> str:
        """The address of the hottest that is read of the unit, its case where nothing else is; the room is none."""
        read = {
            name: value
            for name, value in self.now.items()
            if name_of(name) in ("case_temperature", "spot_temperature") and port_of(name) != ROOM
        }
        return max(read, key=lambda name: read[name], default="case_temperature")

    @property
    def near(self) -> dict[str, float]:
        """What is read now, as that output sees it."""
        return seen_from(self.now, self.port)

    @property
    def live(self) -> Live:
        """What is on: footer, gate and head all say this."""
        typed = {reading.address for _, reading in self.entries} - self.by_wire
        now = self.now if self.now_at else None
        found = live_of(now, self.source_on, self.load_on, typed, self.highest, self.plate)
        places = tuple(replace(p, since=self._dated(f"{p.what} {p.name}", p.state)) for p in found.places)
        return replace(found, since=self._dated("", found.state), places=places)

    def _dated(self, key: str, state: str) -> str:
        stood, at = self._since.get(key, ("", ""))
        return local_time(at) if at and stood == state else ""

    @property
    def active(self) -> bool:
        """Whether a run is under way."""
        return self.run is not None and self.closed is None
