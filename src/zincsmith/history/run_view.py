"""What a run looks like right now, folded from the events of the book. No Qt."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING

from zincsmith.bench.roles import SWITCHED
from zincsmith.bench.signs import CLAIM_OF, OUTPUT
from zincsmith.book.reader import Written
from zincsmith.formats.words import local_time
from zincsmith.model.address import name_of, port_of, ports_in, seen_from
from zincsmith.model.quantities import ROOM
from zincsmith.model.reading import Point, Reading
from zincsmith.model.unit import Nameplate
from zincsmith.words.live import Live, live_of

if TYPE_CHECKING:
    from zincsmith.model.events import (
        EntryAsked,
        EntryCorrected,
        EntryRefused,
        RunClosed,
        RunOpened,
        SafeStep,
        Turn,
        WatchSet,
    )

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
    stages_begun: int = 0
    stage_points: int = 0
    part: int = 0
    turn: Turn | None = None
    turn_n: int = 0  # the event that it is, by its number in the book
    watches: list[WatchSet] = field(default_factory=list)
    state: str = "idle"
    state_why: str = ""
    asked: EntryAsked | None = None
    asked_n: int = 0
    refused: EntryRefused | None = None
    points: list[Point] = field(default_factory=list)
    rejected: dict[int, Point] = field(default_factory=dict)  # and not taken again since
    entries: list[tuple[str, Reading]] = field(default_factory=list)
    typed: set[str] = field(default_factory=set)  # the addresses of what was
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
        from zincsmith.history.run_folding import fold  # a window without a run needs no events to open

        fold(self, written)

    def date(self, at: str) -> None:
        """Keep since when each place stands as it does."""
        live = self.live
        for key, state in (("", live.state), *((f"{p.what} {p.name}", p.state) for p in live.places)):
            if self._since.get(key, ("", ""))[0] != state:
                self._since[key] = state, at

    def off(self, event: SafeStep) -> None:
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

    def poll(self, written: Written, values: dict[str, float], source_on: bool, load_on: bool) -> None:
        typed = {q: v for q, v in self.now.items() if q not in values and q in self.typed}
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
        typed = self.typed - self.by_wire
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
