"""A book can come from anywhere: it commands nothing, opens no path, and what is in it is checked before it counts."""

from __future__ import annotations

import sqlite3
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from random import Random

import pytest
from tests.attack.foreign import Service, foreign_book
from tests.conftest import bench_log, run_command
from tests.engine.scripted import Actor

from zincsmith.bench.standin import RunningStandIn
from zincsmith.book.reader import BookReader
from zincsmith.book.writer import BookWriter
from zincsmith.engine.book_check import check_book
from zincsmith.engine.session import Session
from zincsmith.guard.record import record_path
from zincsmith.judge.judging import judge_run
from zincsmith.judge.snapshot import signature
from zincsmith.model.events import BenchSettled, RunClosed, RunOpened
from zincsmith.model.plan import Plan
from zincsmith.model.rig import Rig
from zincsmith.model.states import State
from zincsmith.model.unit import Unit


def test_a_foreign_book_commands_nothing(tmp_path: Path, unit: Unit, rig: Rig, tiny_plan: Plan) -> None:
    service = Service()
    foreign = foreign_book(tmp_path, unit, rig, tiny_plan, service)
    for arguments in (
        ["resume", "--book", foreign, "--yes"],
        ["resume", "--book", foreign, "--yes", "--operator", "A"],
    ):
        done = run_command(*arguments, typed="no\n")
        assert done.returncode == 2, done.stderr
        assert "Confirm that they are yours" in done.stderr
        assert service.visa in done.stderr
    for arguments in (["book", "check", foreign], ["findings", foreign], ["report", foreign, "-o", f"{foreign}.html"]):
        assert "Traceback" not in run_command(*arguments).stderr
    service.listener.close()
    assert (service.calls, service.heard) == (0, b"")


def test_the_bench_of_the_interrupted_run_is_made_safe_not_another(
    tmp_path: Path, unit: Unit, rig: Rig, tiny_plan: Plan, standin: Callable[..., RunningStandIn]
) -> None:
    """Killed on one rig, begun again on another: the first stays the one that has to be off."""
    path = tmp_path / "two.zbook"
    addresses = standin().addresses
    gone = replace(rig, clock="wall", standin=None, instruments=tuple(
        replace(i, how="connected", address="TCPIP::127.0.0.1::9::SOCKET") for i in rig.instruments))  # fmt: skip
    from zincsmith.engine.known_bench import confirm

    confirm(gone, "Tester")
    with BookWriter(path) as book:
        book.revise("unit", unit.tag, unit, "x")
        book.revise("rig", "bench", gone, "the first bench")
        book.revise("plan", "plan", tiny_plan, "x")
        book.open_run(RunOpened(unit.tag, 1, 1, 1, (("static_grid", 5),), "Tester", 23.0, False, "x"))
        book.revise("rig", "bench", rig, "another bench")
    for _ in range(2):  # closing and opening the book again settles nothing
        with BookWriter(path) as book:
            session = Session(book, Actor())
            assert session.event_log.state in (State.INTERRUPTED, State.NOT_CONFIRMED)
            assert session.make_safe(addresses, said="") is False
            assert not any(row["what"] == "connected" for row in bench_log(tmp_path / "bench.log")), "the other bench"
    with BookWriter(path) as book:
        session = Session(book, Actor())
        with pytest.raises(Exception, match="gives a name"):
            session.settle("  ")
        session.settle("Elin Ward")
        assert session.event_log.state is State.SAFE
    with BookReader(path) as reader:
        settled = [w.event for w in reader.events(run=1, kinds=(BenchSettled,))]
        assert [s.by for s in settled] == ["Elin Ward"]
    with BookWriter(path) as book:
        assert Session(book, Actor()).event_log.state is State.IDLE


# Seals


def _signed(finished_book: Path, to: Path) -> Path:
    to.write_bytes(finished_book.read_bytes())
    with BookReader(to) as reader:
        events = signature(judge_run(reader), "Elin Ward")
    with BookWriter(to) as book:
        book.append(*events, run=1)
    return to


PLACES = (
    ("event", "body", "run = 1 AND kind NOT IN ('StateChanged')"),
    ("document", "body", "1"),
    ("reading", "value", "value IS NOT NULL"),
)


def change_a_digit(path: Path, dice: Random) -> str:
    """One digit of one stored value is another now; says which."""
    db = sqlite3.connect(path)
    while True:
        table, column, where = dice.choice(PLACES)
        rows = db.execute(f"SELECT rowid, {column} FROM {table} WHERE {where}").fetchall()
        row, value = dice.choice(rows)
        text = repr(value) if isinstance(value, float) else str(value)
        digits = [n for n, c in enumerate(text) if c.isdigit()]
        if not digits:
            continue
        at = dice.choice(digits)
        new = text[:at] + str((int(text[at]) + dice.randint(1, 8)) % 10) + text[at + 1 :]
        if isinstance(value, float) and float(new) == value:
            continue
        db.execute(f"UPDATE {table} SET {column} = ? WHERE rowid = ?", (float(new) if isinstance(value, float) else new,
                                                                         row))  # fmt: skip
        db.commit()
        db.close()
        return f"{table} {row}: {text[max(0, at - 20) : at + 5]}"


def test_a_changed_digit_is_found_every_time(finished_book: Path, tmp_path: Path) -> None:
    assert check_book(finished_book).damage == ()
    for seed in range(12):
        copy = tmp_path / f"{seed}.zbook"
        copy.write_bytes(finished_book.read_bytes())
        what = change_a_digit(copy, Random(seed))
        assert check_book(copy).damage, what


def test_what_is_taken_out_put_in_or_cut_off_is_found(finished_book: Path, tmp_path: Path) -> None:
    for n, sql in enumerate((
        "DELETE FROM event WHERE seq = (SELECT max(seq) FROM event)",
        "DELETE FROM event WHERE kind = 'RunClosed'",
        "DELETE FROM event WHERE seq = (SELECT min(seq) FROM event WHERE kind = 'Polled')",
        "INSERT INTO event SELECT 999999, run, step, at, bench_s, kind, v, body, digest FROM event WHERE kind = 'Noted' "  # noqa: E501
        "OR seq = 30",
        "UPDATE event SET digest = NULL WHERE run = 1 AND kind = 'PointTaken'",
        "UPDATE event SET bench_s = bench_s + 1 WHERE kind = 'PointTaken'",
        "UPDATE document SET body = replace(body, '24', '25') WHERE kind = 'unit'",
    )):  # fmt: skip
        copy = tmp_path / f"{n}.zbook"
        copy.write_bytes(finished_book.read_bytes())
        db = sqlite3.connect(copy)
        db.execute(sql)
        db.commit()
        db.close()
        assert check_book(copy).damage, sql


def test_a_changed_signed_run_says_so_everywhere(finished_book: Path, tmp_path: Path) -> None:
    book = _signed(finished_book, tmp_path / "signed.zbook")
    with BookReader(book) as reader:
        seal = reader.seal(1).signed[-1]
    assert "UNCHANGED" in run_command("book", "check", book, "--digest", seal).stdout
    report = tmp_path / "r.html"
    assert run_command("report", book, "-o", report).returncode == 0
    assert seal in report.read_text("utf-8")
    db = sqlite3.connect(book)
    db.execute("UPDATE event SET body = replace(body, '\"value\":2', '\"value\":3') WHERE kind = 'PointTaken'")
    db.commit()
    db.close()
    checked = run_command("book", "check", book)
    assert checked.returncode == 1
    assert "THE EVIDENCE WAS CHANGED" in checked.stdout
    assert "no whole run of this book carries the seal" in run_command("book", "check", book, "--digest", seal).stdout
    recomputed = run_command("findings", book, "--recompute")
    assert recomputed.returncode == 1
    assert "SIGNED BY Elin Ward, BUT THE EVIDENCE WAS CHANGED" in recomputed.stdout
    assert "BUT THE EVIDENCE WAS CHANGED" in run_command("findings", book).stderr
    assert run_command("report", book, "-o", report).returncode == 0
    assert "BUT THE EVIDENCE WAS CHANGED" in report.read_text("utf-8").partition("<h1>")[0]
    refused = run_command("sign", book, "--by", "Another")
    assert refused.returncode == 2
    assert "Nobody can answer for it" in refused.stderr


# The guardian's record


@pytest.mark.parametrize("kind", ["link", "rubbish", "no events", "nested", "huge", "folder"])
def test_a_forged_record_of_a_guardian_confirms_nothing(
    tmp_path: Path, unit: Unit, rig: Rig, tiny_plan: Plan, kind: str
) -> None:
    path = tmp_path / "a.zbook"
    with BookWriter(path) as book:
        book.revise("unit", unit.tag, unit, "x")
        book.revise("rig", "bench", rig, "x")
        book.revise("plan", "plan", tiny_plan, "x")
        book.open_run(RunOpened(unit.tag, 1, 1, 1, (("static_grid", 5),), "T", 23.0, False, "x"))
    beside = record_path(path)
    if kind == "link":
        beside.symlink_to(tmp_path / "elsewhere")
        (tmp_path / "elsewhere").write_text('{"run": 1, "at": "", "why": "x"}\n{"safe": true, "unconfirmed": []}\n')
    elif kind == "folder":
        beside.mkdir()
    else:
        beside.write_text(
            {
                "rubbish": "\x00\xff no json\n",
                "no events": '{"run":1,"at":"","why":"x"}\n{"kind":"No","body":"{}"}\n{"safe":true,"unconfirmed":[]}\n',
                "nested": "[" * 100_000 + "\n",
                "huge": "x" * 5_000_000,
            }[kind]
        )
    with BookWriter(path) as book:
        session = Session(book, Actor())
        assert session.event_log.state in (State.NOT_CONFIRMED, State.INTERRUPTED)
    with BookReader(path) as reader:
        closed = reader.closed(1)
        assert isinstance(closed, RunClosed)
        assert closed.safe is False
    assert check_book(path).damage == ()
