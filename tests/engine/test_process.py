"""Window and engine as two processes: kills, a window that vanishes, one that does not listen."""

import os
import signal
import time
from collections.abc import Callable, Iterator
from contextlib import suppress
from dataclasses import replace
from pathlib import Path
from statistics import fmean

import pytest
from tests.conftest import bench_log, last_row
from tests.engine.windowless import HANG_GUARD_S, Window, children_of, polls

from zincsmith.before_power.zero import at_zero
from zincsmith.book.codec import dump
from zincsmith.book.reader import BookReader
from zincsmith.book.writer import BookWriter
from zincsmith.engine.client import EngineClient
from zincsmith.engine.session import Session
from zincsmith.guard.record import record_path
from zincsmith.judge.judging import judge_run
from zincsmith.judge.snapshot import snapshot
from zincsmith.model.answers import Answer, DocumentsChanged, Ready, Refused, Tried
from zincsmith.model.commands import (
    Abort,
    Amend,
    Command,
    FileRequest,
    MakeSafe,
    Pass,
    Redo,
    Sign,
    StartRun,
    TakeIn,
    TryInstrument,
    Undo,
)
from zincsmith.model.events import Amended, GuardianSaid, PointTaken, RunClosed, SafeStep, Signed
from zincsmith.model.plan import Plan
from zincsmith.model.rig import Rig
from zincsmith.model.states import State
from zincsmith.model.unit import Unit
from zincsmith.procedures.static_grid.options import grid_of


@pytest.fixture
def window(tmp_path: Path, unit: Unit, rig: Rig, tiny_plan: Plan) -> Iterator[Window]:
    """The plan warms up long enough that it is still under way when a test does what it does."""
    book, plan = tmp_path / "run.zbook", replace(tiny_plan, parts=(replace(grid_of(tiny_plan.parts), warm_up_s=900.0),))
    with BookWriter(book) as writer:
        writer.revise("unit", unit.tag, unit, "test")
        writer.revise("rig", "bench", rig, "test")
        writer.revise("plan", "plan", plan, "test")
    one = Window(book, rig, tmp_path / "bench.log")
    one.start_engine()
    yield one
    one.client.stop(HANG_GUARD_S)


def test_killing_the_engine_loses_no_reading_that_was_shown(window: Window, unit: Unit, tmp_path: Path) -> None:
    window.start_run(unit)
    window.until(lambda: len(polls(window.client.book, window.seq)) >= 12)
    shown = window.seq
    before = polls(window.client.book, shown)
    assert window.client.process is not None
    os.kill(window.client.process.pid, signal.SIGKILL)
    window.until(lambda: window.client.fileno < 0)
    assert polls(window.client.book, shown) == before

    window.said.clear()
    window.start_engine()
    ready = window.told(Ready)[0]
    assert ready.interrupted == (1,)
    assert ready.state is State.TAKEN_OVER
    with BookReader(window.client.book) as reader:
        closed = reader.closed(1)
        said = [w.event.text for w in reader.events(run=1, kinds=(GuardianSaid,))]
        steps = [w.event for w in reader.events(run=1, kinds=(SafeStep,))]
    assert closed is not None
    assert (closed.outcome, closed.safe, closed.unconfirmed) == ("interrupted", True, ())
    assert said == ["the engine ended"]
    assert next(s.step for s in steps) == "AC source off"
    assert all(s.confirmed for s in steps)
    assert not record_path(window.client.book).exists(), "taken into the book"
    log = bench_log(tmp_path / "bench.log")
    assert (log[-1]["source_on"], log[-1]["load_on"]) == (False, False)
    off = next(n for n, line in enumerate(log) if n and log[n - 1]["source_on"] and not line["source_on"])
    assert log[off]["text"] == "OUTP 0"
    assert any(line["text"] == "INP 0" for line in log[off:]), "the load goes off after it has bled the output"


def test_an_engine_that_hangs_is_ended_and_the_bench_made_safe(window: Window, unit: Unit, tmp_path: Path) -> None:
    window.start_run(unit)
    window.until(lambda: len(polls(window.client.book, window.seq)) >= 12)
    before = polls(window.client.book, window.seq)
    assert window.client.process is not None
    os.kill(window.client.process.pid, signal.SIGSTOP)
    window.until(lambda: window.client.fileno < 0)
    assert window.client.process.returncode == -signal.SIGKILL
    with BookWriter(window.client.book) as book:
        session = Session(book, Silent())
    assert session.interrupted == [1]
    assert session.event_log.state is State.TAKEN_OVER
    assert polls(window.client.book, before[-1][0]) == before
    assert last_row(tmp_path / "bench.log")["source_on"] is False
    with BookReader(window.client.book) as reader:
        assert "did not move" in next(w.event.text for w in reader.events(run=1, kinds=(GuardianSaid,)))


def test_a_guardian_that_dies_is_replaced(window: Window, unit: Unit) -> None:
    window.start_run(unit)
    window.until(lambda: len(polls(window.client.book, window.seq)) >= 5)
    assert window.client.process is not None
    guardian = children_of(window.client.process.pid)
    assert len(guardian) == 1
    os.kill(guardian[0], signal.SIGKILL)
    window.until(lambda: window.state == "safe")
    with BookReader(window.client.book) as reader:
        closed = reader.closed(1)
        said = [w.event.text for w in reader.events(run=1, kinds=(GuardianSaid,))]
    assert closed is not None
    assert (closed.outcome, closed.safe) == ("complete", True)
    assert said == ["the guardian died and another was started"]


def test_a_guardian_that_hangs_is_replaced(window: Window, unit: Unit, rig: Rig) -> None:
    slow = replace(rig, standin=replace(rig.standin, pace=8.0))  # type: ignore[type-var]
    window.client.revise("rig", "bench", slow, "slow enough to notice")
    window.start_run(unit)
    window.until(lambda: len(polls(window.client.book, window.seq)) >= 3)
    assert window.client.process is not None
    os.kill(children_of(window.client.process.pid)[0], signal.SIGSTOP)
    window.until(
        lambda: said_by_guardian(window.client.book) == ["the guardian did not answer and another was started"]
    )
    window.client.send(Abort())
    window.until(lambda: window.state == "safe")


def test_a_guardian_that_hangs_at_the_end_holds_nobody_up(window: Window, unit: Unit) -> None:
    """The run is over before anybody misses the guardian."""
    window.start_run(unit)
    assert window.client.process is not None
    guardian = children_of(window.client.process.pid)[0]
    os.kill(guardian, signal.SIGSTOP)
    window.client.send(Abort())
    window.until(lambda: window.state == "safe")
    window.client.send(MakeSafe())  # the engine is there for the next command
    window.until(lambda: guardian not in children_of(window.client.process.pid))  # type: ignore[union-attr]


def said_by_guardian(book: Path) -> list[str]:
    with BookReader(book) as reader:
        return [w.event.text for w in reader.events(run=1, kinds=(GuardianSaid,))]


def test_without_a_guardian_to_replace_it_the_run_ends_safe(window: Window, unit: Unit) -> None:
    window.start_run(unit)
    assert window.client.process is not None
    while window.state not in ("safe", "not confirmed safe"):
        for guardian in children_of(window.client.process.pid):
            with suppress(ProcessLookupError):
                os.kill(guardian, signal.SIGKILL)
        window.until(lambda seq=window.seq: window.seq > seq or window.state == "safe")  # type: ignore[misc]
    with BookReader(window.client.book) as reader:
        closed = reader.closed(1)
    assert closed is not None
    assert (closed.outcome, closed.safe) == ("failed", True)
    assert "guardian" in closed.why


class Silent:
    """An operator interface with nobody at it."""

    def announce(self, seq: int, state: State) -> None:
        """Nobody hears it."""

    def refuse(self, do: str, reason: str) -> None:
        """Nobody is refused."""

    def commands(self, wait_s: float) -> list[Command]:
        return []


def test_when_the_window_dies_the_engine_makes_safe(window: Window, unit: Unit, tmp_path: Path) -> None:
    window.start_run(unit)
    window.until(lambda: len(polls(window.client.book, window.seq)) >= 5)
    engine = window.client.process
    assert engine is not None
    window.client.stop(HANG_GUARD_S)  # closes the socket as a dying window does, then waits for the engine
    assert engine.returncode == 0
    with BookReader(window.client.book) as reader:
        closed = reader.closed(1)
    assert closed is not None
    assert (closed.outcome, closed.safe) == ("made safe", True)
    assert last_row(tmp_path / "bench.log")["source_on"] is False
    assert [f.suffix for f in tmp_path.glob("run.zbook*")] == [".zbook"], "closed cleanly into one file"


def test_a_run_started_unattended_goes_on_without_its_window(window: Window, unit: Unit, tmp_path: Path) -> None:
    window.client.send(StartRun(unit.tag, "Tester", 23.0, unattended=True))
    window.until(lambda: window.state == "at a gate")
    window.client.send(Pass())
    window.until(lambda: len(polls(window.client.book, window.seq)) >= 5)
    window.client.stop(HANG_GUARD_S)
    with BookReader(window.client.book) as reader:
        closed = reader.closed(1)
    assert closed is not None
    assert (closed.outcome, closed.safe) == ("complete", True)
    assert last_row(tmp_path / "bench.log")["source_on"] is False


def test_the_engine_told_to_end_makes_safe_first(window: Window, unit: Unit) -> None:
    window.start_run(unit)
    window.until(lambda: len(polls(window.client.book, window.seq)) >= 5)
    assert window.client.process is not None
    os.kill(window.client.process.pid, signal.SIGTERM)
    window.until(lambda: window.client.fileno < 0)
    with BookReader(window.client.book) as reader:
        closed = reader.closed(1)
    assert closed is not None
    assert (closed.outcome, closed.safe) == ("made safe", True)


def test_a_window_that_does_not_listen_does_not_hold_the_engine(window: Window, unit: Unit) -> None:
    window.start_run(unit)
    guard = time.monotonic() + HANG_GUARD_S
    closed: RunClosed | None = None
    while closed is None:
        assert time.monotonic() < guard
        with BookReader(window.client.book) as reader:
            closed = reader.closed(1)
        time.sleep(0)
    assert closed.outcome == "complete"
    window.until(lambda: window.state == "safe")
    with BookReader(window.client.book) as reader:
        assert len(list(reader.events(kinds=(PointTaken,)))) == 2


def test_documents_can_be_edited_undone_and_redone_through_the_engine(window: Window, unit: Unit) -> None:
    def maker() -> str:
        with BookReader(window.client.book) as reader:
            return reader.unit().maker

    def change(do: Callable[[], object]) -> None:
        window.said.clear()
        do()
        window.until(lambda: bool(window.told(DocumentsChanged)))

    change(lambda: window.client.revise("unit", unit.tag, replace(unit, maker="Other"), "edited"))
    assert maker() == "Other"
    change(lambda: window.client.send(Undo("unit", unit.tag)))
    assert maker() == "Tarnbrook"
    change(lambda: window.client.send(Redo("unit", unit.tag)))
    assert maker() == "Other"


def test_a_second_engine_is_refused_with_the_reason(window: Window, rig: Rig, tmp_path: Path) -> None:
    second = EngineClient(window.client.book)
    second.start(None)
    guard = time.monotonic() + HANG_GUARD_S
    said: list[Answer] = []
    while time.monotonic() < guard:
        messages = second.receive()
        if messages is None:
            break
        said += messages
        time.sleep(0)
    assert isinstance(said[0], Refused)
    assert "open for writing" in said[0].reason
    second.stop(HANG_GUARD_S)


def test_an_instrument_is_tried_with_nothing_energised(window: Window, tmp_path: Path, rig: Rig) -> None:
    """Identity and twenty readings; nothing is switched, nothing is written, and not while a run goes on."""
    with BookReader(window.client.book) as reader:
        before = reader.last_seq()
    for role, quantity in (("power_meter", "input_power"), ("voltmeter", "output_voltage"), ("ac_source", "")):
        window.client.send(TryInstrument(role))
        window.until(lambda r=role: any(t.role == r for t in window.told(Tried)))  # type: ignore[misc]
        answer = next(t for t in window.told(Tried) if t.role == role)
        assert answer.identity.count(",") == 3, "maker, model, serial, version"
        assert len(answer.readings.get(quantity, ())) == (20 if quantity else 0)
        one = rig.instrument(role)
        assert one is not None
        for row in at_zero(one, answer.readings):  # a data sheet's limit leaves the noise of one reading out
            assert row.span is None or abs(fmean(row.readings)) <= 1.05 * row.span, (row.quantity, row.readings)
    window.client.send(TryInstrument("scope"))
    window.until(lambda: any("not reached" in r.reason for r in window.told(Refused) if r.do == "try"))
    with BookReader(window.client.book) as reader:
        assert reader.last_seq() == before
    log = bench_log(tmp_path / "bench.log")
    assert [line for line in log if line["role"] == "power_meter" and line["what"] == "told"]
    assert not [line for line in log if line["source_on"] or line["load_on"]], "nothing was switched"
    assert not [line for line in log if line["role"] in ("ac_source", "load") and "OUTP" in str(line["text"])]


def test_nothing_is_tried_while_a_run_goes_on(window: Window, unit: Unit) -> None:
    window.client.send(StartRun(unit.tag, "Tester", 23.0))
    window.until(lambda: window.state == "at a gate")
    window.client.send(TryInstrument("voltmeter"))
    window.client.send(Abort())
    window.until(lambda: window.state == "safe")
    assert not window.told(Tried)


def test_a_run_is_signed_and_amended_only_where_somebody_can_answer_for_it(window: Window, unit: Unit) -> None:
    """Refused, with the reason and nothing written: without a name, an amendment before any signature, a file that is
    not there."""

    def said_after(command: Command) -> str:
        window.said.clear()
        window.client.send(command)
        window.until(lambda: bool(window.told(Refused)))
        return window.told(Refused)[0].reason

    window.start_run(unit)
    window.until(lambda: len(polls(window.client.book, window.seq)) >= 2)
    window.client.send(MakeSafe())
    window.until(lambda: window.state == "safe")
    with BookReader(window.client.book) as reader:
        kept = dump(snapshot(judge_run(reader)))
        before = reader.last_seq()
    assert "carries a name" in said_after(Sign(1, "  ", kept))
    assert "is not signed" in said_after(Amend(1, "Elin Ward", "the meter was recalibrated"))
    missing = FileRequest("points", (Path("none.csv"),), "Elin Ward")
    assert "no such file" in said_after(TakeIn(unit.tag, missing))
    with BookReader(window.client.book) as reader:
        assert reader.last_seq() == before
        assert len(reader.runs()) == 1
    window.client.send(Sign(1, "Elin Ward", kept))
    window.client.send(Amend(1, "Elin Ward", "the meter was recalibrated"))

    def amended() -> bool:
        with BookReader(window.client.book) as reader:
            return bool(list(reader.events(kinds=(Amended,))))

    window.until(amended)
    with BookReader(window.client.book) as reader:
        assert len(list(reader.events(run=1, kinds=(Signed,)))) == 1
