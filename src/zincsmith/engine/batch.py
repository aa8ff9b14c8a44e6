"""A run without a window: gates, readings by hand and interruption at a terminal."""

from __future__ import annotations

import os
import select
import signal
import sys
from collections.abc import Callable, Mapping
from contextlib import suppress
from pathlib import Path
from types import FrameType

from rich.console import Console
from rich.progress import BarColumn, Progress, TaskProgressColumn, TextColumn, TimeRemainingColumn

from zincsmith.bench.standin import start_standin
from zincsmith.book.reader import BookReader
from zincsmith.book.writer import BookWriter
from zincsmith.engine.desk import Command
from zincsmith.engine.rehearsal import Itinerary, rehearse
from zincsmith.engine.session import Session, Start, check_start
from zincsmith.engine.states import State
from zincsmith.engine.watch_over import Guardian
from zincsmith.model.events import EntryAsked, EntryRefused, GateOpened, HandSetting, RunClosed, StageBegan
from zincsmith.model.plan import Plan
from zincsmith.model.rig import Rig
from zincsmith.model.unit import Unit

SHOWN = (StageBegan, GateOpened, HandSetting, EntryAsked, EntryRefused)


class TerminalDesk:
    """Shows progress; asks at standard input when it is a person's turn. Ctrl+C and the end of input make safe."""

    def __init__(self, book_path: Path, itinerary: Itinerary, auto_gates: bool, console: Console) -> None:
        self._reader = BookReader(book_path)
        self._seq = self._reader.last_seq()
        self._auto = auto_gates
        self._console = console
        self._state = State.IDLE
        self._unread = b""
        self._ended = False
        self._stopped = ""
        self._progress = Progress(
            TextColumn("{task.description}"), BarColumn(), TaskProgressColumn(), TimeRemainingColumn(), console=console
        )
        self._task = self._progress.add_task("starting", total=itinerary.likely_s)

    def __enter__(self) -> TerminalDesk:
        self._before = {s: signal.signal(s, self._interrupt) for s in (signal.SIGINT, signal.SIGTERM)}
        self._progress.start()
        return self

    def __exit__(self, *_: object) -> None:
        self._progress.stop()
        for number, handler in self._before.items():
            signal.signal(number, handler)
        self._reader.close()

    def _interrupt(self, number: int, frame: FrameType | None) -> None:
        self._stopped = "Ctrl+C" if number == signal.SIGINT else "the program was told to end"

    def announce(self, seq: int, state: State) -> None:
        self._state = state
        for written in self._reader.events(after=self._seq, kinds=SHOWN):
            self._tell(written.event)
        self._seq = seq
        if written_s := self._bench_s(seq):
            self._progress.update(self._task, completed=written_s)

    def _bench_s(self, seq: int) -> float | None:
        return next((w.bench_s for w in self._reader.events(after=seq - 1)), None)

    def _tell(self, event: object) -> None:
        match event:
            case StageBegan(title, detail):
                self._progress.update(self._task, description=f"{title}, {detail}")
            case GateOpened(title, text, cautions):
                self._console.print(f"[bold]{title}[/]: {text}", highlight=False)
                for caution in cautions:
                    self._console.print(f"  • {caution}", highlight=False)
                how = "Gates are passed by --yes." if self._auto else "Type yes to go on, no to stop:"
                self._console.print(how, highlight=False)
            case EntryAsked(_, unit, what, spot, low, high):
                hint = f", expected {low:.4g} to {high:.4g}" if low is not None and high is not None else ""
                self._console.print(f"[bold]{what}[/] in {unit}, {spot or 'as read'}{hint}:", highlight=False)
            case HandSetting(_, text):
                self._console.print(f"[bold]By hand:[/] {text} Type yes when it is done:", highlight=False)
            case EntryRefused(text, reason):
                self._console.print(f"[red]{text!r} is refused: {reason}[/]", highlight=False)

    def commands(self, wait_s: float) -> list[Command]:
        if self._stopped:
            return [Command("make safe", self._stopped)]
        if self._state is State.GATE and self._auto:
            return [Command("pass", body={"automatic": True})]
        if self._state in (State.GATE, State.MAKING_SAFE):
            return self._gate_answers(self._lines(wait_s))
        if self._state is State.ASKING:
            return [Command("enter", line) for line in self._lines(wait_s)[:1]] or self._input_gone()
        if wait_s > 0.0:
            with suppress(InterruptedError):
                select.select([], [], [], wait_s)
        return []

    def refuse(self, do: str, reason: str) -> None:
        self._console.print(f"[red]{do}: {reason}[/]", highlight=False)

    def _gate_answers(self, lines: list[str]) -> list[Command]:
        for line in lines:
            word = line.strip().lower()
            if word in {"yes", "y"}:
                return [Command("pass")]
            if word in {"no", "n"}:
                return [Command("abort", "the gate was not passed")]
            self._console.print("Type yes or no:")
        return self._input_gone()

    def _input_gone(self) -> list[Command]:
        return [Command("make safe", "standard input ended while a person was awaited")] if self._ended else []

    def _lines(self, wait_s: float) -> list[str]:
        """One line, if there is one; what follows it waits for the next question."""
        if b"\n" not in self._unread and not self._ended:
            try:
                ready, _, _ = select.select([sys.stdin.fileno()], [], [], wait_s)
                data = os.read(sys.stdin.fileno(), 65536) if ready else None
            except (OSError, ValueError):
                data = b""
            if data == b"":
                self._ended = True
                self._unread += b"\n" if self._unread else b""
            elif data:
                self._unread += data
        if b"\n" not in self._unread:
            return []
        line, self._unread = self._unread.split(b"\n", 1)
        return [line.decode("utf-8", errors="replace")]


def run_batch(
    unit: Unit,
    rig: Rig,
    plan: Plan,
    book_path: Path,
    operator: str,
    ambient_degC: float,
    auto_gates: bool,
    log: Path | None = None,
) -> RunClosed:
    """Run once and return how it ended. InputError before anything is switched on when it cannot be armed."""
    start = Start(operator, ambient_degC, auto_gates)
    check_start(start)
    itinerary = rehearse(unit, rig, plan, ambient_degC)

    def documents(book: BookWriter) -> None:
        book.revise("unit", unit.tag, unit, "from a unit file")
        book.revise("rig", "bench", rig, "from a rig file")
        book.revise("plan", "plan", plan, "from the command line")

    return _at_terminal(
        book_path, rig, itinerary, start, log, documents, lambda session, at: session.run(unit.tag, start, at)
    )


def resume_batch(
    book_path: Path, operator: str, ambient_degC: float, auto_gates: bool, log: Path | None = None
) -> RunClosed:
    """Go on with the latest run of a book. InputError before anything is switched on when it cannot be resumed."""
    start = Start(operator, ambient_degC, auto_gates)
    check_start(start)
    with BookReader(book_path) as reader:
        row = reader.run()
        unit, rig, plan = reader.unit(row.unit, row.unit_n), reader.rig(row.rig_n), reader.plan(row.plan_n)
    itinerary = rehearse(unit, rig, plan, ambient_degC)
    return _at_terminal(
        book_path, rig, itinerary, start, log, lambda book: None, lambda session, at: session.resume(None, start, at)
    )


def _at_terminal(
    book_path: Path,
    rig: Rig,
    itinerary: Itinerary,
    start: Start,
    log: Path | None,
    documents: Callable[[BookWriter], None],
    go: Callable[[Session, Mapping[str, str]], RunClosed],
) -> RunClosed:
    running = start_standin(rig.standin, log) if rig.standin is not None else None
    try:
        addresses = running.addresses if running else {}
        console = Console(stderr=True)
        with BookWriter(book_path) as book:
            documents(book)
            with TerminalDesk(book_path, itinerary, start.auto_gates, console) as desk:
                session = Session(book, desk, Guardian(running.keep_fd if running else None))
                for lost in session.interrupted:
                    by = session.journal.state
                    safe = (
                        "; the guardian made the bench safe"
                        if by is State.TAKEN_OVER
                        else ("; the bench was not confirmed safe")
                    )
                    console.print(f"[bold red]Run {lost} of this book was interrupted{safe}.[/]")
                session.after_interruption(addresses)
                return go(session, addresses)
    finally:
        if running is not None:
            running.stop()
