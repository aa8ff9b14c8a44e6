"""The tape as it really ran: what was energised and for how long, over all runs of a book, stops cut out."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Iterable
from dataclasses import dataclass, field

APART_S = 10.0  # of bench time: no nearer than this are places kept between what a log shows
TapeRow = tuple[int, int | None, float | None, str, object, object]


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

    def take(self, rows: Iterable[TapeRow]) -> None:
        """Take further rows (see BookReader.tape_rows), in the order of the book."""
        for seq, run, bench_s, kind, what, load_on in rows:
            self._fold(seq, run, bench_s, kind, what, bool(load_on))

    def _fold(self, seq: int, run: int | None, bench_s: float | None, kind: str, what: object, load_on: bool) -> None:
        if kind in ("RunOpened", "RunResumed"):
            if self.pieces:
                self.cuts.append(self.length_s)
            self._bench_s = bench_s
            self._open(run or 0, "starting", "nothing")
        elif run is None or kind == "GuardianSaid" or not self.pieces:
            return
        if bench_s is not None:
            passed = max(0.0, bench_s - self._bench_s) if self._bench_s is not None else 0.0
            self.length_s += passed
            self.pieces[-1].seconds += passed
            self._bench_s = bench_s
        self._place(run or 0, kind, what, load_on)
        if kind != "Polled" or not self._places or self.length_s - self._places[-1] >= APART_S:
            self._seqs.append(seq)
            self._places.append(self.length_s)

    def _place(self, run: int, kind: str, what: object, load_on: bool) -> None:
        """What an event does to the tape at the place that was reached."""
        last = self.pieces[-1]
        if kind == "StageBegan":
            self._open(run, str(what), last.energised)
        elif kind == "Polled":
            live = "input and load" if what and load_on else "input" if what else "nothing"
            if live != last.energised:
                self._open(last.run, last.stage, live)
        elif kind == "RunClosed":
            self._open(last.run, last.stage, "nothing")
        elif kind == "GateOpened":
            self.gates.append(self.length_s)
        elif kind == "PointTaken":
            self.points.append(self.length_s)

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
