"""Verifying a book: is the file whole, what was interrupted, who made the bench safe?"""

from __future__ import annotations

import sqlite3
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from zincsmith.book.file import damage_of
from zincsmith.book.reader import BookReader
from zincsmith.book.seal import BROKEN, SEALED, RunSeal
from zincsmith.guard.record import read_record, record_path
from zincsmith.model.errors import BookError
from zincsmith.model.events import BenchSettled, GuardianSaid, RunClosed, RunOpened, RunResumed


@dataclass(frozen=True)
class Checked:
    """``damage`` lists what is wrong with the file; ``runs`` says of each run how it ended, ``seals`` whether its
    evidence is what was written. ``compared`` tells what a digest from outside says, where one was given."""

    events: int
    damage: tuple[str, ...]
    runs: tuple[tuple[int, str], ...]
    seals: tuple[RunSeal, ...] = ()
    compared: str = ""

    def lines(self) -> list[str]:
        """For a person."""
        found = [f"{self.events} events, {len(self.runs)} runs"]
        seals = {one.run: one for one in self.seals}
        for number, words in self.runs:
            found.append(f"run {number}: {words}")
            if number in seals:
                found.append(f"    evidence: {seals[number].words}{_digest_words(seals[number])}")
        found += [self.compared] if self.compared else []
        return found + [f"DAMAGED: {one}" for one in self.damage] + ([] if self.damage else ["nothing is damaged"])

    def as_json(self) -> dict[str, Any]:
        """For a program."""
        runs = [{"run": number, "end": words} for number, words in self.runs]
        seals = [{"run": s.run, "state": s.state, "digest": s.digest, "signed": list(s.signed), "why": s.why}
                 for s in self.seals]  # fmt: skip
        said = {"events": self.events, "damage": list(self.damage), "runs": runs, "seals": seals}
        return {**said, **({"compared": self.compared} if self.compared else {})}


def _digest_words(seal: RunSeal) -> str:
    return f", seal as signed {seal.signed[-1]}" if seal.signed else f", seal {seal.digest}" if seal.digest else ""


def check_book(path: Path, digest: str = "") -> Checked:
    """Read everything once, a piece at a time. ``digest`` is one that was printed in a signed report: a forger can make
    a chain anew, but not that. BookError when it is no book at all."""
    damage = list(damage_of(path))
    seals: tuple[RunSeal, ...] = ()
    compared = ""
    count, runs = 0, dict[int, str]()
    try:
        with BookReader(path) as reader:
            before = 0
            for written in reader.events():
                count += 1
                if written.seq != before + 1:
                    damage.append(f"events {before + 1} to {written.seq - 1} are missing")
                before = written.seq
                if written.run is not None:
                    _follow(runs, written.run, written.event)
            known = {row.id for row in reader.runs()}
            if known != set(runs):
                damage.append("the list of runs does not agree with the events")
            seals = tuple(reader.seal(run) for run in sorted(runs))
            damage += [f"run {s.run}: {s.words}" for s in seals if s.state == BROKEN]
            damage += reader.changed_beside()
            if digest:
                compared, wrong = _compare(digest.strip().lower(), seals)
                damage += wrong
    except (sqlite3.DatabaseError, BookError) as error:
        damage.append(str(error))
    _beside(path, runs)
    return Checked(count, tuple(damage), tuple(sorted(runs.items())), seals, compared)


def _compare(digest: str, seals: tuple[RunSeal, ...]) -> tuple[str, list[str]]:
    """What a digest that was kept elsewhere says: unchanged, or that nothing here carries it any more."""
    for seal in seals:
        if seal.state == SEALED and digest in (*seal.signed, seal.digest):
            return f"run {seal.run} is UNCHANGED since that seal was printed", []
    return "", [f"no whole run of this book carries the seal {digest[:80]}: what it was printed for was changed"]


def _follow(runs: dict[int, str], run: int, event: object) -> None:
    match event:
        case RunOpened() | RunResumed():
            runs[run] = "has no end: whoever ran it was interrupted, and nobody is known to have made the bench safe"
        case GuardianSaid(text):
            runs[run] = f"the guardian: {text}"
        case RunClosed(outcome, why, safe, unconfirmed, seen):
            # Only an interrupted run was ended by the guardian: one that was merely replaced has ended nothing.
            by = "switched off by the guardian" if outcome == "interrupted" else "switched off by the program"
            missing = f"NOT confirmed to be off: {'; '.join(unconfirmed) or 'switch everything off'}"
            found = f"{by}: {'; '.join(seen) or 'source and load off'}"
            runs[run] = f"{outcome} ({why}); {found if safe else missing}"
        case BenchSettled(_, by, how):
            runs[run] = f"{runs.get(run, '')}; settled: {by or 'the program'}, {how}"
        case _:
            pass


def _beside(path: Path, runs: dict[int, str]) -> None:
    """What a guardian wrote that nobody has taken into the book yet."""
    found = read_record(record_path(path))
    if found is not None:
        state = "switched the bench off" if found.safe else f"could not confirm: {'; '.join(found.unconfirmed)}"
        runs[found.run] = f"interrupted ({found.why}); the guardian {state}; opening the book for writing takes it in"
