"""A scripted person, and a bench in a book, for tests of whole runs over real sockets."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from pathlib import Path

from zincsmith.bench import bench as bench_module
from zincsmith.bench.link import Link
from zincsmith.book.reader import BookReader, Written
from zincsmith.book.writer import BookWriter
from zincsmith.engine.session import Session, Start
from zincsmith.model.commands import Command, Enter, Gone, Pass
from zincsmith.model.events import Effected, RunClosed
from zincsmith.model.plan import Plan
from zincsmith.model.rig import Rig
from zincsmith.model.states import State
from zincsmith.model.unit import Unit

TESTER = Start("Tester", 23.0)
Says = Callable[[State, int], list[Command]]


@dataclass
class Actor:
    """Passes gates, confirms what only hands can switch off,
    and types ``entries``; before that, ``says`` is asked with the state and how often it was asked.

    ``states`` keeps every state that was announced, ``refused`` what was refused.
    """

    says: Says = lambda _state, _calls: []
    entries: list[str] = field(default_factory=list)
    state: State = State.IDLE
    states: list[State] = field(default_factory=list)
    refused: list[tuple[str, str]] = field(default_factory=list)
    calls: int = 0
    seq: int = 0

    def announce(self, seq: int, state: State) -> None:
        self.seq = seq
        if state is not self.state:
            self.states.append(state)
        self.state = state

    def refuse(self, do: str, reason: str) -> None:
        self.refused.append((do, reason))

    def commands(self, wait_s: float) -> list[Command]:
        self.calls += 1
        said = self.says(self.state, self.calls)
        if said:
            return said
        if self.state in (State.GATE, State.MAKING_SAFE):
            return [Pass()]
        if self.state is State.ASKING:
            return [Enter(self.entries.pop(0))] if self.entries else [Gone("nobody answers")]
        return []


@dataclass
class Scene:
    """A book with unit, rig and plan, and the addresses of a stand-in bench."""

    path: Path
    unit: Unit
    addresses: dict[str, str]

    @classmethod
    def set_up(cls, folder: Path, unit: Unit, rig: Rig, plan: Plan, addresses: dict[str, str]) -> Scene:
        one = cls(folder / "run.zbook", unit, addresses)
        with BookWriter(one.path) as book:
            book.revise("unit", unit.tag, unit, "test")
            book.revise("rig", "bench", rig, "test")
            book.revise("plan", "plan", plan, "test")
        return one

    def run(self, actor: Actor, start: Start = TESTER) -> RunClosed:
        with BookWriter(self.path) as book:
            return Session(book, actor).run(self.unit.tag, start, self.addresses)

    def resume(self, actor: Actor, start: Start = TESTER) -> RunClosed:
        with BookWriter(self.path) as book:
            session = Session(book, actor)
            session.after_interruption(self.addresses)
            return session.resume(None, start, self.addresses)

    def events(self, *kinds: type) -> list[Written]:
        with BookReader(self.path) as reader:
            return list(reader.events(run=1, kinds=kinds))


@contextmanager
def telling_the_standin() -> Iterator[Callable[[str], None]]:
    """How the stand-in is told something while a run goes on: its clock takes one connection, which the run holds, so
    it is said over the run's own link."""
    opened: list[Link] = []
    original = bench_module.Link

    class Remembered(Link):
        def open(self) -> None:
            super().open()
            opened.append(self)

    bench_module.Link = Remembered  # type: ignore[misc]
    try:
        yield lambda text: next(x for x in reversed(opened) if x.role == "clock").write(text)
    finally:
        bench_module.Link = original  # type: ignore[misc]


def by_hand(rig: Rig, *roles: str, **more: object) -> Rig:
    """The rig with a person at these roles."""
    return replace(
        rig,
        instruments=tuple(replace(i, how="by hand", **more) if i.role in roles else i for i in rig.instruments),  # type: ignore[arg-type]
    )


def running(after: int) -> Callable[[State, int], bool]:
    """While the run goes on by itself, once it has asked so often."""
    return lambda state, calls: state is State.RUNNING and calls >= after


class Breaks:
    """Breaks something of the stand-in, in its words, once a setting of the run fits; ``says`` of an Actor. ``broken``
    tells whether it did."""

    def __init__(
        self, scene: Scene, tell: Callable[[str], object], what: str, when: Callable[[Effected], bool]
    ) -> None:
        self.scene, self.tell, self.what, self.when, self.broken = scene, tell, what, when, False

    def __call__(self, state: State, _calls: int) -> list[Command]:
        if not self.broken and state is State.RUNNING and any(self.when(w.event) for w in self.scene.events(Effected)):
            self.broken = True
            self.tell(f"FAUL {self.what}")
        return []


def below_V(volts: float) -> Callable[[Effected], bool]:
    """A source that was set below so many volts."""
    return lambda one: one.action == "SetSource" and float(one.body["voltage_V"] or 0.0) < volts


class Once:
    """Says something the first time a condition holds."""

    def __init__(self, when: Callable[[State, int], bool], *commands: Command) -> None:
        self.when, self.what, self.done = when, list(commands), False

    def __call__(self, state: State, calls: int) -> list[Command]:
        if not self.done and self.when(state, calls):
            self.done = True
            return self.what
        return []


def first_of(*says: Says) -> Says:
    """The first that has something to say."""

    def all_of(state: State, calls: int) -> list[Command]:
        for one in says:
            found = one(state, calls)
            if found:
                return found
        return []

    return all_of
