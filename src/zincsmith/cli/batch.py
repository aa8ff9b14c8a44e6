"""A run without a window, from the documents to how it ended; the terminal is its operator interface."""

from __future__ import annotations

import sys
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path

from zincsmith.bench.standin import probes_of, start_standin
from zincsmith.book.reader import BookReader
from zincsmith.book.writer import BookWriter
from zincsmith.cli.terminal import TerminalDesk, typed_line
from zincsmith.engine.known_bench import confirm, pick_file, refuse_unknown, unknown_of
from zincsmith.engine.session import NOBODY, NotSettled, Session, Start, check_start
from zincsmith.formats.answers_file import Answers
from zincsmith.formats.plain_text import shown
from zincsmith.guard.watch_over import Guardian
from zincsmith.model.errors import InputError
from zincsmith.model.events import RunClosed
from zincsmith.model.plan import Plan
from zincsmith.model.rig import Rig
from zincsmith.model.states import State
from zincsmith.model.unit import Unit
from zincsmith.planning.rehearsal import rehearse
from zincsmith.planning.rig_facts import source_kind


def no_price(_unit: Unit, _rig: Rig, _plan: Plan) -> str:
    return ""


@dataclass(frozen=True)
class Sitting:
    """What is said at the terminal before a run.

    ``log`` is where the stand-in bench writes. ``settled_by`` says by name that the bench of an earlier, interrupted
    run is off. ``price`` gives what a gate costs that cannot be taken back, in words.
    """

    start: Start
    log: Path | None = None
    settled_by: str = ""
    answers: Answers = field(default_factory=Answers)
    price: Callable[[Unit, Rig, Plan], str] = no_price


@dataclass(frozen=True)
class _Work:
    unit: Unit
    rig: Rig
    plan: Plan


def run_batch(
    unit: Unit, rig: Rig, plan: Plan, book_path: Path, sitting: Sitting, further: Sequence[Unit] = ()
) -> RunClosed:
    """Run, with the further units of a queue too, and return how the last run ended. InputError before anything is
    switched on when it cannot be armed."""
    answers = sitting.answers
    named = f"{answers.name}, SHA-256 {answers.sha256}" if answers.name else ""
    start = replace(sitting.start, answers=named)

    def documents(book: BookWriter) -> None:
        book.revise("unit", unit.tag, unit, "from a unit file")
        for one in further:
            book.revise("unit", one.tag, one, "from a unit file")
        book.revise("rig", "bench", rig, "from a rig file")
        book.revise("plan", "plan", plan, "from the command line")

    def go(session: Session, at: Mapping[str, str]) -> RunClosed:
        return session.run(unit.tag, start, at)

    if rig.standin is not None:
        pick_file(rig.standin.file)  # named by a rig file that a person picked
    return _at_terminal(book_path, _Work(unit, rig, plan), sitting, documents, go)


def resume_batch(book_path: Path, sitting: Sitting) -> RunClosed:
    """Go on with the latest run of a book. InputError before anything is switched on when it cannot be resumed."""
    with BookReader(book_path) as reader:
        row = reader.run()
        work = _Work(reader.unit(row.unit, row.unit_n), reader.rig(row.rig_n), reader.plan(row.plan_n))
    return _at_terminal(
        book_path, work, sitting, lambda _book: None, lambda session, at: session.resume(None, sitting.start, at)
    )


def _at_terminal(
    book_path: Path,
    work: _Work,
    sitting: Sitting,
    documents: Callable[[BookWriter], None],
    go: Callable[[Session, Mapping[str, str]], RunClosed],
) -> RunClosed:
    start, rig = sitting.start, work.rig
    check_start(start)
    itinerary = rehearse(work.unit, rig, work.plan, start.ambient_degC)
    _confirm_addresses(rig, start, left_rig(book_path))
    running = start_standin(rig.standin, sitting.log, probes=probes_of(rig)) if rig.standin is not None else None
    try:
        addresses = running.addresses if running else {}
        by_hand = source_kind(rig) != "settable" or rig.by_hand("load")
        with BookWriter(book_path) as book:
            documents(book)

            def price() -> str:
                return sitting.price(work.unit, rig, work.plan)

            with TerminalDesk(
                book_path, itinerary, start.auto_gates, by_hand, sitting.answers, price
            ) as operator_interface:
                session = Session(book, operator_interface, Guardian(running.keep_fd if running else None))
                _settle(session, operator_interface, addresses, sitting.settled_by)
                return go(session, addresses)
    finally:
        if running is not None:
            running.stop()


def _settle(session: Session, operator_interface: TerminalDesk, addresses: Mapping[str, str], settled_by: str) -> None:
    """See to the bench that an interrupted run of this book left. NotSettled when nothing and nobody says it is off."""
    for lost in session.interrupted:
        taken = session.event_log.state is State.TAKEN_OVER
        safe = "the guardian switched the bench off" if taken else "the bench was not confirmed to be off"
        operator_interface.say(f"Run {lost} of this book was interrupted; {safe}.", style="bold red")
    try:
        session.after_interruption(addresses)
    except NotSettled:
        if not settled_by:
            raise
        session.settle(settled_by)


def left_rig(book_path: Path) -> Rig | None:
    """The rig of a run that may have left its bench behind: it is spoken to before anything else is."""
    if not book_path.is_file():
        return None
    with BookReader(book_path) as reader:
        runs = reader.runs()
        closed = reader.closed(runs[-1].id) if runs else None
        return reader.rig(runs[-1].rig_n) if runs and (closed is None or not closed.safe) else None


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
    if typed_line().strip().lower() not in {"yes", "y"}:
        refuse_unknown(*rigs)
        raise InputError("the addresses were not confirmed", key="addresses")
    for one in rigs:
        confirm(one, start.operator)
