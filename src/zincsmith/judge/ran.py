"""The tape as it really ran: what was energised and for how long, over all runs of a book, stops cut out."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Iterable
from dataclasses import dataclass, field

from zincsmith.book.reader import Written
from zincsmith.model.events import (
    GateOpened,
    GuardianSaid,
    PointTaken,
    Polled,
    RunClosed,
    RunOpened,
    RunResumed,
    StageBegan,
)


@dataclass
class Piece:
    """A stretch in which the same was energised, within one stage. ``begins_s`` and ``seconds`` run along the tape."""

    run: int
    stage: str
    begins_s: float
    energised: str = "nothing"  # nothing, input or input and load
    seconds: float = 0.0


@dataclass
class Ran:
    """``cuts`` are the places where time was cut out, ``gates`` and ``points`` what happened where, all in s of bench
    time along the tape."""

    pieces: list[Piece] = field(default_factory=list)
    cuts: list[float] = field(default_factory=list)
    gates: list[float] = field(default_factory=list)
    points: list[float] = field(default_factory=list)
    length_s: float = 0.0
    _bench_s: float | None = None
    _seqs: list[int] = field(default_factory=list)
    _places: list[float] = field(default_factory=list)

    def take(self, events: Iterable[Written]) -> None:
        """Take further events, in the order of the book."""
        for written in events:
            self._fold(written)

    def _fold(self, written: Written) -> None:
        event = written.event
        if isinstance(event, RunOpened | RunResumed):
            if self.pieces:
                self.cuts.append(self.length_s)
            self._bench_s = written.bench_s
            self._open(written.run or 0, "starting", "nothing")
        elif written.run is None or isinstance(event, GuardianSaid) or not self.pieces:
            return
        if written.bench_s is not None:
            passed = max(0.0, written.bench_s - self._bench_s) if self._bench_s is not None else 0.0
            self.length_s += passed
            self.pieces[-1].seconds += passed
            self._bench_s = written.bench_s
        match event:
            case StageBegan(title):
                self._open(written.run or 0, title, self.pieces[-1].energised)
            case Polled(_, source_on, load_on):
                live = "input and load" if source_on and load_on else "input" if source_on else "nothing"
                if live != self.pieces[-1].energised:
                    self._open(self.pieces[-1].run, self.pieces[-1].stage, live)
            case RunClosed():
                self._open(self.pieces[-1].run, self.pieces[-1].stage, "nothing")
            case GateOpened():
                self.gates.append(self.length_s)
            case PointTaken():
                self.points.append(self.length_s)
            case _:
                pass
        self._seqs.append(written.seq)
        self._places.append(self.length_s)

    def _open(self, run: int, stage: str, energised: str) -> None:
        if self.pieces and not self.pieces[-1].seconds:
            self.pieces.pop()
        self.pieces.append(Piece(run, stage, self.length_s, energised))

    def place_of(self, seq: int) -> float:
        """Where on the tape an event of the book lies, in s."""
        at = bisect_right(self._seqs, seq) - 1
        return self._places[at] if at >= 0 else 0.0

    def seq_at(self, place_s: float) -> int:
        """The first event at or after a place on the tape; 0 for an empty one."""
        at = min(bisect_left(self._places, place_s), len(self._seqs) - 1)
        return self._seqs[at] if at >= 0 else 0

    def piece_at(self, place_s: float) -> Piece | None:
        """What lies at a place on the tape."""
        at = bisect_right([p.begins_s for p in self.pieces], place_s) - 1
        return self.pieces[at] if at >= 0 else None
