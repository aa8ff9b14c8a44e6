"""A run without a window: gates, readings by hand and interruption at a terminal."""

from __future__ import annotations

import os
import select
import signal
import sys
from collections.abc import Callable, Mapping
from contextlib import suppress
from dataclasses import dataclass, replace
from pathlib import Path
from types import FrameType

from rich.console import Console
from rich.progress import BarColumn, Progress, TaskProgressColumn, TextColumn, TimeRemainingColumn
from rich.text import Text

from zincsmith.bench.standin import start_standin
from zincsmith.book.reader import BookReader
from zincsmith.book.writer import BookWriter
from zincsmith.engine.desk import Command
from zincsmith.engine.known_bench import confirm, pick_file, refuse_unknown, unknown_of
from zincsmith.engine.people import SENSES as SENSES_NAMES
from zincsmith.engine.rehearsal import Itinerary, rehearse
from zincsmith.engine.rig_facts import source_kind
from zincsmith.engine.session import NOBODY, NotSettled, Session, Start, check_start
from zincsmith.engine.states import State
from zincsmith.engine.watch_over import Guardian
from zincsmith.formats.answers_file import GATE, LOAD, SENSES, SOURCE, Answers
from zincsmith.formats.plain_text import shown
from zincsmith.model.errors import InputError
from zincsmith.model.events import (
    EntryAsked,
    EntryRefused,
    EntryTaken,
    GateOpened,
    HandSetting,
    RunClosed,
    SensesAsked,
    StageBegan,
    StopRuleMet,
)
from zincsmith.model.plan import Plan
from zincsmith.model.rig import Rig
from zincsmith.model.unit import Unit
from zincsmith.procedures.hands_in import OPEN_CASE

ENDING = {
    signal.SIGINT: "Ctrl+C",
    signal.SIGTERM: "the program was told to end",
    signal.SIGHUP: "the terminal was closed",
}
LONGEST_LINE = 2000
STOP_RULE = "stop rule"
SHOWN = (
    StageBegan,
    GateOpened,
    HandSetting,
    SensesAsked,
    StopRuleMet,
    EntryAsked,
    EntryTaken,
    EntryRefused,
)


class TerminalDesk:
    """Shows progress; asks at standard input when it is a person's turn. Ctrl+C, the end of input and a terminal that
    was closed make safe. What is shown comes from outside too: nothing of it is markup, nothing of it steers."""

    def __init__(
        self, book_path: Path, itinerary: Itinerary, auto_gates: bool, console: Console, answers: Answers, by_hand: bool
    ) -> None:
        self._reader = BookReader(book_path)
        self._seq = self._reader.last_seq()
        self._auto, self._answers, self._by_hand = auto_gates, answers, by_hand
        self._question: Question = Question()
        self._entries_left = itinerary.typed
        self.price: Callable[[], str] = lambda: ""
        self._console = console
        self._state = State.IDLE
        self._unread = b""
        self._ended = False
        self._stopped = ""
        self._progress = Progress(
            TextColumn("{task.description}", markup=False),
            BarColumn(),
            TaskProgressColumn(),
            TimeRemainingColumn(),
            console=console,
        )
        self._task = self._progress.add_task("starting", total=itinerary.likely_s)

    def __enter__(self) -> TerminalDesk:
        self._before = {s: signal.signal(s, self._interrupt) for s in ENDING}
        self._progress.start()
        return self

    def __exit__(self, *_: object) -> None:
        with suppress(OSError):  # a terminal that was closed shows nothing any more
            self._progress.stop()
        for number, handler in self._before.items():
            signal.signal(number, handler)
        self._reader.close()

    def _interrupt(self, number: int, frame: FrameType | None) -> None:
        self._stopped = ENDING[signal.Signals(number)]

    def announce(self, seq: int, state: State) -> None:
        self._state = state
        for written in self._reader.events(after=self._seq, kinds=SHOWN):
            self._tell(written.event)
        self._seq = seq
        if written_s := self._bench_s(seq):
            self._progress.update(self._task, completed=written_s)

    def _bench_s(self, seq: int) -> float | None:
        return next((w.bench_s for w in self._reader.events(after=seq - 1)), None)

    def _print(self, head: str, text: str = "", style: str = "bold") -> None:
        """A line: ``head`` set off, then ``text``. A terminal that was closed hears nothing and stops nothing."""
        with suppress(OSError):
            self._console.print(Text.assemble((shown(head), style), shown(text, LONGEST_LINE)), highlight=False)

    def _tell(self, event: object) -> None:
        match event:
            case StageBegan(title, detail):
                self._progress.update(self._task, description=shown(f"{title}, {detail}"))
            case GateOpened(title, text, cautions):
                # Switching by hand is about power: nobody but the person at the bench answers for that.
                automatic = self._auto and not (self._by_hand and cautions)
                self._question = Question(GATE, automatic=automatic)
                self._print(title, f": {text}")
                for caution in cautions:
                    self._print("", f"  • {caution}")
                if title.lower() == OPEN_CASE and (price := self.price()):
                    self._print("COSTS", f" {price}", "bold red")
                self._print("", "The gate is passed by --yes." if automatic else "Type yes to go on, no to stop:")
            case HandSetting(role, text, first, target):
                self._question = Question(LOAD if role == "load" else SOURCE, volts=target is not None)
                if first:
                    self._print("SWITCH OFF FIRST, TYPE LATER", f" at {', '.join(first)}.", "bold red")
                self._print("By hand:", f" {text}")
                lands = target is not None
                self._print("", "Type the volts it landed at, or no to stop:" if lands else "Type yes when it is done:")
            case SensesAsked(title, text):
                self._question = Question(SENSES, automatic=self._auto)
                self._print(title, f": {text}")
                self._print("", "Type none, not (nobody looked), or any of: glow smell sound indicator")
            case StopRuleMet(words=words, may_continue=may):
                self._question = Question(STOP_RULE, may_continue=may)
                self._print("STOP:", f" {words}. Nothing is raised any further.", "bold red")
                ways = "down to go down and switch off, again if it was mistyped"
                self._print("", f"Type {ways}{', or because REASON to go on' if may else ''}:")
            case EntryAsked(quantity, unit, what, spot, low, high):
                self._question = Question(quantity)
                hint = f", expected {low:.4g} to {high:.4g}" if low is not None and high is not None else ""
                left = f"  ({self._entries_left} left)" if self._entries_left > 1 else ""
                self._print(what, f" in {unit}, {spot or 'as read'}{hint}:{left}")
            case EntryTaken():
                self._entries_left -= 1
            case EntryRefused(text, reason):
                self._print(f"{text!r} is refused: {reason}", style="red")

    def commands(self, wait_s: float) -> list[Command]:
        if self._stopped:
            return [Command("make safe", self._stopped)]
        if self._state is State.GATE and self._question.automatic:
            return [Command("pass", body={"automatic": True})]
        if self._state in (State.GATE, State.MAKING_SAFE):
            return self._gate_answers(self._said(wait_s))
        if self._state is State.ASKING:
            return [Command("enter", line) for line in self._said(wait_s)[:1]] or self._input_gone()
        if wait_s > 0.0:
            with suppress(InterruptedError):
                select.select([], [], [], wait_s)
        return []

    def refuse(self, do: str, reason: str) -> None:
        self._print(f"{do}: {reason}", style="red")

    def _said(self, wait_s: float) -> list[str]:
        """What answers the question: the file, where it may and does, else the person."""
        one = self._question
        if self._state is not State.MAKING_SAFE and not one.asked and one.kind != STOP_RULE:
            self._question = replace(one, asked=True)
            answer = self._answers.take(one.kind)
            if answer is not None:
                self._print("", f"  {answer}   (from {self._answers.name})")
                return [answer]
        return self._lines(wait_s)

    def _gate_answers(self, lines: list[str]) -> list[Command]:
        for line in lines:
            found = _answer(self._question, line.strip())
            if isinstance(found, Command):
                return [found]
            self._print("", found)
        return self._input_gone()

    def _input_gone(self) -> list[Command]:
        if self._ended and self._state is State.MAKING_SAFE:
            return [Command("gone", "standard input ended")]
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


@dataclass(frozen=True)
class Question:
    """What the person is asked: ``kind`` is that of a table of answers, or STOP_RULE. ``volts``: where a source landed.
    ``asked``: the table of answers was looked at."""

    kind: str = GATE
    automatic: bool = False
    volts: bool = False
    may_continue: bool = False
    asked: bool = False


def _answer(question: Question, text: str) -> Command | str:
    """The command that a line means, or what to type instead."""
    word = text.lower()
    if question.kind == STOP_RULE:
        reason = text[len("because") :].strip() if word.startswith("because") else ""
        if word in {"down", "no", "n"}:
            return Command("go down")
        if word == "again":
            return Command("mistyped")
        if reason and question.may_continue:
            return Command("continue", reason)
        return "Type down, again" + (", or because and the reason." if question.may_continue else ".")
    if word in {"no", "n"}:
        return Command("abort", "the gate was not passed")
    if question.kind == SENSES:
        told = set(word.replace(",", " ").split())
        if word in {"not", "not observed"}:
            return Command("pass")
        if told == {"none"} or (told and told <= set(SENSES_NAMES)):
            return Command("pass", body={"senses": {name: name in told for name in SENSES_NAMES}})
        return f"Type none, not, or any of: {' '.join(SENSES_NAMES)}"
    if word in {"yes", "y"}:
        return Command("pass")
    if question.volts and word[:1].isdigit():
        return Command("pass", text)
    return "Type the volts, yes or no:" if question.volts else "Type yes or no:"


def run_batch(
    unit: Unit,
    rig: Rig,
    plan: Plan,
    book_path: Path,
    operator: str,
    ambient_degC: float,
    auto_gates: bool,
    log: Path | None = None,
    settled_by: str = "",
    answers: Answers | None = None,
    price: Callable[[], str] = lambda: "",
) -> RunClosed:
    """Run once and return how it ended. InputError before anything is switched on when it cannot be armed.

    ``settled_by`` says by name that the bench of an earlier, interrupted run is off.
    """
    answers = answers or Answers()
    named = f"{answers.name}, SHA-256 {answers.sha256}" if answers.name else ""
    start = Start(operator, ambient_degC, auto_gates, answers=named)
    check_start(start)
    itinerary = rehearse(unit, rig, plan, ambient_degC)

    def documents(book: BookWriter) -> None:
        book.revise("unit", unit.tag, unit, "from a unit file")
        book.revise("rig", "bench", rig, "from a rig file")
        book.revise("plan", "plan", plan, "from the command line")

    if rig.standin is not None:
        pick_file(rig.standin.file)  # named by a rig file that a person picked
    return _at_terminal(
        book_path,
        rig,
        itinerary,
        start,
        log,
        documents,
        lambda session, at: session.run(unit.tag, start, at),
        settled_by,
        answers,
        price,
    )


def resume_batch(
    book_path: Path,
    operator: str,
    ambient_degC: float,
    auto_gates: bool,
    log: Path | None = None,
    settled_by: str = "",
) -> RunClosed:
    """Go on with the latest run of a book. InputError before anything is switched on when it cannot be resumed."""
    start = Start(operator, ambient_degC, auto_gates)
    check_start(start)
    with BookReader(book_path) as reader:
        row = reader.run()
        unit, rig, plan = reader.unit(row.unit, row.unit_n), reader.rig(row.rig_n), reader.plan(row.plan_n)
    itinerary = rehearse(unit, rig, plan, ambient_degC)
    return _at_terminal(
        book_path,
        rig,
        itinerary,
        start,
        log,
        lambda book: None,
        lambda session, at: session.resume(None, start, at),
        settled_by,
    )


def _at_terminal(
    book_path: Path,
    rig: Rig,
    itinerary: Itinerary,
    start: Start,
    log: Path | None,
    documents: Callable[[BookWriter], None],
    go: Callable[[Session, Mapping[str, str]], RunClosed],
    settled_by: str,
    answers: Answers | None = None,
    price: Callable[[], str] = lambda: "",
) -> RunClosed:
    _confirm_addresses(rig, start, left_rig(book_path))
    running = start_standin(rig.standin, log) if rig.standin is not None else None
    try:
        addresses = running.addresses if running else {}
        console = Console(stderr=True)
        with BookWriter(book_path) as book:
            documents(book)
            by_hand = source_kind(rig) != "settable" or rig.by_hand("load")
            wanted = answers or Answers()
            with TerminalDesk(book_path, itinerary, start.auto_gates, console, wanted, by_hand) as desk:
                desk.price = price
                session = Session(book, desk, Guardian(running.keep_fd if running else None))
                for lost in session.interrupted:
                    by = session.journal.state
                    safe = (
                        "; the guardian switched the bench off"
                        if by is State.TAKEN_OVER
                        else ("; the bench was not confirmed to be off")
                    )
                    console.print(f"Run {lost} of this book was interrupted{safe}.", style="bold red", markup=False)
                try:
                    session.after_interruption(addresses)
                except NotSettled:
                    if not settled_by:
                        raise
                    session.settle(settled_by)
                return go(session, addresses)
    finally:
        if running is not None:
            running.stop()


def left_rig(book_path: Path) -> Rig | None:
    """The rig of a run that may have left its bench behind: it is spoken to before anything else is."""
    if not book_path.is_file():
        return None
    with BookReader(book_path) as reader:
        runs = reader.runs()
        closed = reader.closed(runs[-1].id) if runs else None
        return reader.rig(runs[-1].rig_n) if runs and (closed is None or not closed.safe) else None


def _typed_line() -> str:
    """One line of standard input and no byte more: what follows answers other questions."""
    line = b""
    while not line.endswith(b"\n"):
        byte = os.read(sys.stdin.fileno(), 1)
        if not byte:
            break
        line += byte
    return line.decode("utf-8", errors="replace")


def _confirm_addresses(rig: Rig, start: Start, left: Rig | None) -> None:
    """Have a person confirm every address that this computer has not used before, by name; --yes does not answer.

    InputError, with nothing sent, without a name or a yes.
    """
    rigs = [one for one in (left, rig) if one is not None]
    found = list(dict.fromkeys(u for one in rigs for u in unknown_of(one)))
    if not found:
        return
    if start.operator == NOBODY:
        refuse_unknown(*rigs)
    lines = ["This computer has not used these before:", *(f"  {shown(u.what)} at {shown(u.where)}" for u in found)]
    lines.append(f"Type yes if they are yours, {shown(start.operator)}: only then is anything sent.")
    sys.stderr.write("\n".join(lines) + "\n")
    if _typed_line().strip().lower() not in {"yes", "y"}:
        refuse_unknown(*rigs)
        raise InputError("the addresses were not confirmed", key="addresses")
    for one in rigs:
        confirm(one, start.operator)
