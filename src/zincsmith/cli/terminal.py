"""The terminal as the operator interface of a run: what is told, what is asked, what a typed line means."""

from __future__ import annotations

import os
import select
import signal
import sys
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass, replace
from pathlib import Path
from types import FrameType

from rich.console import Console
from rich.progress import BarColumn, Progress, TaskProgressColumn, TextColumn, TimeRemainingColumn
from rich.text import Text

from zincsmith.analysis.expectation import far_off
from zincsmith.book.reader import BookReader
from zincsmith.formats.answers_file import GATE, LOAD, RECORD, SENSES, SOURCE, Answers
from zincsmith.formats.entry import parse_entry
from zincsmith.formats.plain_text import shown
from zincsmith.model.actions import SENSES as SENSES_NAMES
from zincsmith.model.commands import Abort, Command, Enter, GoDown, Gone, GoOn, MakeSafe, Mistyped, Pass
from zincsmith.model.errors import InputError
from zincsmith.model.events import (
    EntryAsked,
    EntryRefused,
    EntryTaken,
    GateOpened,
    HandSetting,
    Remarked,
    SensesAsked,
    StageBegan,
    StopRuleMet,
)
from zincsmith.model.states import State
from zincsmith.planning.rehearsal import Itinerary
from zincsmith.procedures.hands_in.steps import OPEN_CASE

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
    Remarked,
)


@dataclass(frozen=True)
class Question:
    """What the person is asked: ``kind`` is that of a table of answers, or STOP_RULE. ``volts``: where a source landed.
    ``asked``: the table of answers was looked at. ``unit`` and ``span``: of a reading, and what is expected of it."""

    kind: str = GATE
    automatic: bool = False
    volts: bool = False
    may_continue: bool = False
    asked: bool = False
    unit: str = ""
    span: tuple[float, float] | None = None
    from_file: bool = False
    of: tuple[str, ...] = ()  # what somebody may have noticed


class TerminalDesk:
    """Shows progress; asks at standard input when it is a person's turn. Ctrl+C, the end of input and a terminal that
    was closed make safe. What is shown comes from outside too: nothing of it is markup, nothing of it steers."""

    def __init__(
        self,
        book_path: Path,
        itinerary: Itinerary,
        auto_gates: bool,
        by_hand: bool,
        answers: Answers,
        price: Callable[[], str],
    ) -> None:
        self._reader = BookReader(book_path)
        self._seq = self._reader.last_seq()
        self._auto, self._by_hand, self._answers, self._price = auto_gates, by_hand, answers, price
        self._question = Question()
        self._entries_left = itinerary.typed
        self._console = Console(stderr=True)
        self._state = State.IDLE
        self._unread = b""
        self._ended = False
        self._stopped = ""
        self._odd = ""  # a reading that was asked again
        self._progress = Progress(
            TextColumn("{task.description}", markup=False),
            BarColumn(),
            TaskProgressColumn(),
            TimeRemainingColumn(),
            console=self._console,
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

    def _interrupt(self, number: int, _frame: FrameType | None) -> None:
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

    def say(self, head: str, text: str = "", style: str = "bold") -> None:
        """A line: ``head`` set off, then ``text``. A terminal that was closed hears nothing and stops nothing."""
        with suppress(OSError):
            self._console.print(Text.assemble((shown(head), style), shown(text, LONGEST_LINE)), highlight=False)

    def _tell(self, event: object) -> None:
        match event:
            case StageBegan(title, detail):
                self._progress.update(self._task, description=shown(f"{title}, {detail}"))
            case GateOpened():
                self._ask_at_gate(event)
            case HandSetting():
                self._ask_for_hands(event)
            case SensesAsked(title, text, of):
                self._question = Question(SENSES, automatic=self._auto, of=of or SENSES_NAMES)
                self.say(title, f": {text}")
                self.say("", f"Type none, not (nobody looked), or any of: {' '.join(of or SENSES_NAMES)}")
            case StopRuleMet(words=words, may_continue=may):
                self._question = Question(STOP_RULE, may_continue=may)
                self.say("STOP:", f" {words}. Nothing is raised any further.", "bold red")
                ways = "down to go down and switch off, again if it was mistyped"
                self.say("", f"Type {ways}{', or because REASON to go on' if may else ''}:")
            case EntryAsked():
                self._ask_reading(event)
            case EntryTaken():
                self._entries_left -= 1
            case Remarked(text):
                self.say("Note", f": {text}")
            case EntryRefused(text, reason):
                self.say(f"{text!r} is refused: {reason}", style="red")

    def _ask_at_gate(self, gate: GateOpened) -> None:
        # Switching by hand is about power: nobody but the person at the bench answers for that.
        automatic = self._auto and not (self._by_hand and gate.cautions)
        self._question = Question(GATE, automatic=automatic)
        self.say(gate.title, f": {gate.text}")
        for caution in gate.cautions:
            self.say("", f"  • {caution}")
        if gate.title.lower() == OPEN_CASE and (price := self._price()):
            self.say("COSTS", f" {price}", "bold red")
        self.say("", "The gate is passed by --yes." if automatic else "Type yes to go on, no to stop:")

    def _ask_for_hands(self, asked: HandSetting) -> None:
        lands = asked.target_V is not None
        self._question = Question(RECORD if asked.wants else LOAD if asked.role == "load" else SOURCE, volts=lands)
        if asked.switch_off_at:
            self.say("SWITCH OFF FIRST, TYPE LATER", f" at {', '.join(asked.switch_off_at)}.", "bold red")
        what, *steps = asked.text.split("\n")
        self.say("By hand:", f" {what}")
        for step in steps:
            self.say("", f"  • {step}")
        usual = "Type the volts it landed at" if lands else "Type yes when it is done:"
        self.say("", f"{asked.wants or usual}, or no to stop:" if asked.wants or lands else usual)

    def _ask_reading(self, asked: EntryAsked) -> None:
        low, high, against = asked.expected_low, asked.expected_high, asked.against
        span = (low, high) if low is not None and high is not None else None
        self._question = Question(asked.quantity, unit=asked.unit, span=span)
        hint = f", expected {span[0]:.4g} to {span[1]:.4g}" if span is not None else ""
        hint += f", or the change from {against:g}: rel -12m, null -12m" if against is not None else ""
        left = f"  ({self._entries_left} left)" if self._entries_left > 1 else ""
        where = "; ".join(x for x in (asked.setting, asked.spot) if x) or "as read"
        self.say(asked.what, f" in {asked.unit}, {where}{hint}:{left}")

    def commands(self, wait_s: float) -> list[Command]:
        if self._stopped:
            return [MakeSafe(self._stopped)]
        if self._state is State.GATE and self._question.automatic:
            return [Pass(automatic=True)]
        if self._state in (State.GATE, State.MAKING_SAFE):
            return self._gate_answers(self._said(wait_s))
        if self._state is State.ASKING:
            return self._readings(self._said(wait_s)[:1]) or self._input_gone()
        if wait_s > 0.0:
            with suppress(InterruptedError):
                select.select([], [], [], wait_s)
        return []

    def refuse(self, do: str, reason: str) -> None:
        self.say(f"{do}: {reason}", style="red")

    def _readings(self, lines: list[str]) -> list[Command]:
        """What was typed as a reading; one that the state of the unit does not explain is asked again, once. Nobody is
        there to ask where it comes from a file: it is told and taken."""
        one = self._question
        for line in lines:
            words = _odd(one, line)
            if words and not one.from_file and line != self._odd:
                self._odd = line
                self.say("", f"{words} Type it again to take it all the same:")
                return []
            if words:
                self.say("", f"{words} Taken all the same.")
            self._odd = ""
            return [Enter(line)]
        return []

    def _said(self, wait_s: float) -> list[str]:
        """What answers the question: the file, where it may and does, else the person."""
        one = self._question
        if self._state is not State.MAKING_SAFE and not one.asked and one.kind != STOP_RULE:
            self._question = replace(one, asked=True)
            answer = self._answers.take(one.kind)
            if answer is not None:
                self._question = replace(self._question, from_file=True)
                self.say("", f"  {answer}   (from {self._answers.name})")
                return [answer]
        return self._lines(wait_s)

    def _gate_answers(self, lines: list[str]) -> list[Command]:
        for line in lines:
            found = answered(self._question, line.strip())
            if isinstance(found, Command):
                return [found]
            self.say("", found)
        return self._input_gone()

    def _input_gone(self) -> list[Command]:
        if self._ended and self._state is State.MAKING_SAFE:
            return [Gone("standard input ended")]
        return [MakeSafe("standard input ended while a person was awaited")] if self._ended else []

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


def _odd(question: Question, text: str) -> str:
    """What is odd about a reading; empty for one that is expected, or that the engine refuses with its reason."""
    try:
        value = parse_entry(text, question.unit)
    except InputError:
        return ""
    return far_off(question.kind, value, *question.span) if value is not None and question.span else ""


def answered(question: Question, text: str) -> Command | str:
    """The command that a line means, or what to type instead."""
    word = text.lower()
    if question.kind == STOP_RULE:
        return _at_stop_rule(question, text, word)
    if word in {"no", "n"}:
        return Abort("the gate was not passed")
    if question.kind == SENSES:
        return _noticed(word, question.of)
    if question.kind == RECORD:
        return Pass(text) if text else "A file, or what was read off, or no:"
    if word in {"yes", "y"}:
        return Pass()
    if question.volts and word[:1].isdigit():
        return Pass(text)
    return "Type the volts, yes or no:" if question.volts else "Type yes or no:"


def _at_stop_rule(question: Question, text: str, word: str) -> Command | str:
    reason = text[len("because") :].strip() if word.startswith("because") else ""
    if word in {"down", "no", "n"}:
        return GoDown()
    if word == "again":
        return Mistyped()
    if reason and question.may_continue:
        return GoOn(reason)
    return "Type down, again" + (", or because and the reason." if question.may_continue else ".")


def _noticed(word: str, of: tuple[str, ...]) -> Command | str:
    told = set(word.replace(",", " ").split())
    if word in {"not", "not observed"}:
        return Pass()
    if told == {"none"} or (told and told <= set(of)):
        return Pass(senses={name: name in told for name in of})
    return f"Type none, not, or any of: {' '.join(of)}"


def typed_line() -> str:
    """One line of standard input and no byte more: what follows answers other questions."""
    line = b""
    while not line.endswith(b"\n"):
        byte = os.read(sys.stdin.fileno(), 1)
        if not byte:
            break
        line += byte
    return line.decode("utf-8", errors="replace")
