"""The command line as scripts see it: exit codes, JSON, refusals without a traceback."""

import json
import os
import re
import signal
import sqlite3
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path

import pytest
from tests.conftest import ROOT, SHORT_PLAN, Command, bench_log, last_row, sampled

from zincsmith.book.reader import BookReader
from zincsmith.book.writer import BookWriter
from zincsmith.model.events import EntryTaken, GatePassed, RunOpened
from zincsmith.model.rig import Rig
from zincsmith.model.unit import Unit

UNIT = ROOT / "examples" / "units" / "tarnbrook-tb2425.toml"
RIG = ROOT / "examples" / "rigs" / "simulated.toml"
BY_HAND = ROOT / "examples" / "rigs" / "thermometer-by-hand.toml"

TINY = SHORT_PLAN + "loads_percent = [100, 0]\nlines = [[115.0, 60.0]]\n"


@pytest.fixture
def tiny(tmp_path: Path) -> Path:
    file = tmp_path / "tiny.toml"
    file.write_text(TINY.replace("warm_up_s = 60", "warm_up_s = 10"))
    return file


@pytest.fixture
def fast_by_hand(tmp_path: Path) -> Path:
    """The rig with the thermometer by hand, at full speed."""
    file = tmp_path / "by-hand.toml"
    text = BY_HAND.read_text().replace("pace = 60", "pace = 0")
    file.write_text(text.replace("../standins", str(ROOT / "examples" / "standins")))
    return file


def run(command: Command, tiny: Path, book: Path, *more: object, unit: Path = UNIT, rig: Path = RIG, typed: str = ""):  # type: ignore[no-untyped-def]
    return command("run", "--unit", unit, "--rig", rig, "--plan", tiny, "--book", book, *more, typed=typed)


def test_complete_is_0_and_a_book_that_exists_gets_a_new_run(command: Command, tiny: Path, tmp_path: Path) -> None:
    book = tmp_path / "a.zbook"
    first = run(command, tiny, book, "--yes", "--operator", "Ann", "--ambient", "21.5")
    assert first.returncode == 0, first.stderr
    assert "Load regulation" in first.stdout
    assert run(command, tiny, book, "--yes", "--seed", "5").returncode == 0
    with BookReader(book) as reader:
        assert [r.outcome for r in reader.runs()] == ["complete", "complete"]
        opened = reader.opened(1)
        assert (opened.operator, opened.ambient_degC, opened.auto_gates) == ("Ann", 21.5, True)
        assert all(w.event.automatic for w in reader.events(kinds=(GatePassed,)))
        assert reader.rig(reader.run(2).rig_n).standin.seed == 5
        assert reader.rig(reader.run(1).rig_n).standin.seed == 1
    by_number = json.loads(command("findings", book, "--json", "--run", "1").stdout)
    latest = json.loads(command("findings", book, "--json").stdout)
    assert (by_number["run"], latest["run"]) == (1, 2)
    assert by_number["findings"] != latest["findings"]


def test_a_claim_that_fails_is_1(command: Command, short_plan: Path, tmp_path: Path) -> None:
    worse = ROOT / "examples" / "units" / "ossel-od60.toml"
    physics = ROOT / "examples" / "standins" / "ossel-od60.toml"
    book = tmp_path / "a.zbook"
    done = run(command, short_plan, book, "--yes", "--standin", physics, unit=worse)
    assert done.returncode == 1, done.stderr
    data = json.loads(command("findings", book, "--json").stdout)
    failed = {f["name"] for f in data["findings"] if f["verdict"] == "fails"}
    assert failed == {"load_regulation", "average_active_efficiency"}


def test_readings_by_hand_come_from_standard_input(
    command: Command, tiny: Path, fast_by_hand: Path, tmp_path: Path
) -> None:
    book = tmp_path / "a.zbook"
    done = run(command, tiny, book, "--yes", rig=fast_by_hand, typed="warm\n31.4 C\n")
    assert done.returncode == 0, done.stderr
    assert "'warm' is refused" in done.stderr
    with BookReader(book) as reader:
        assert [w.event.reading.value for w in reader.events(kinds=(EntryTaken,))] == [31.4]


def test_a_reading_that_the_unit_does_not_explain_is_asked_again_once(
    command: Command, tiny: Path, fast_by_hand: Path, tmp_path: Path
) -> None:
    for typed, taken in (("314 C\n31.4 C\n", 31.4), ("314 C\n314 C\n", 314.0)):
        book = tmp_path / f"{taken}.zbook"
        done = run(command, tiny, book, "--yes", rig=fast_by_hand, typed=typed)
        assert done.returncode in (0, 3), done.stderr
        assert "times what is expected. A decimal point, a prefix? Type it again" in " ".join(done.stderr.split())
        with BookReader(book) as reader:
            assert [w.event.reading.value for w in reader.events(kinds=(EntryTaken,))] == [taken]


def test_gates_are_asked_without_yes(command: Command, tiny: Path, tmp_path: Path) -> None:
    book = tmp_path / "a.zbook"
    assert run(command, tiny, book, typed="perhaps\nyes\n").returncode == 0
    with BookReader(book) as reader:
        assert [w.event.automatic for w in reader.events(kinds=(GatePassed,))] == [False]
    assert run(command, tiny, tmp_path / "b.zbook", typed="no\n").returncode == 3


@pytest.mark.parametrize("typed", ["", "warm\n"])
def test_the_end_of_standard_input_makes_safe_and_is_3(
    command: Command, tiny: Path, fast_by_hand: Path, tmp_path: Path, typed: str
) -> None:
    book, log = tmp_path / "a.zbook", tmp_path / "log"
    done = run(command, tiny, book, "--yes", "--log", log, rig=fast_by_hand, typed=typed)
    assert done.returncode == 3
    assert "standard input ended" in done.stderr
    assert last_row(log)["source_on"] is False
    with BookReader(book) as reader:
        closed = reader.closed(1)
    assert closed is not None
    assert (closed.outcome, closed.safe) == ("made safe", True)


@pytest.mark.parametrize("number", sampled([signal.SIGINT, signal.SIGTERM], [signal.SIGINT]))
def test_ctrl_c_makes_safe_and_is_3(short_plan: Path, tmp_path: Path, number: signal.Signals) -> None:
    book, log = tmp_path / "a.zbook", tmp_path / "log"
    slow = tmp_path / "slow.toml"
    slow.write_text(short_plan.read_text().replace("warm_up_s = 60", "warm_up_s = 80000"))
    call = [sys.executable, "-m", "zincsmith.cli", "run", "--unit", UNIT, "--rig", RIG, "--plan", slow]
    call += ["--book", book, "--yes", "--log", log]
    with subprocess.Popen(list(map(str, call)), stderr=subprocess.PIPE, stdin=subprocess.DEVNULL, text=True) as child:
        try:
            while not log.exists() or not any(row["source_on"] and row["load_on"] for row in bench_log(log)):
                assert child.poll() is None
                time.sleep(0)
            os.kill(child.pid, number)
            _, said = child.communicate(timeout=300)
        finally:
            child.kill()  # a run of a day must not outlive a failed test
    assert child.returncode == 3, said
    assert "Traceback" not in said
    last = last_row(log)
    assert (last["source_on"], last["load_on"]) == (False, False)


def test_a_source_that_cannot_be_confirmed_off_is_4(
    command: Command, tiny: Path, tmp_path: Path, standin: Callable[..., object]
) -> None:
    """A connected source that never answers: the rig points at a port where somebody listens and says nothing."""
    import socket

    addresses = standin().addresses  # type: ignore[attr-defined]
    with socket.socket() as silent:
        silent.bind(("127.0.0.1", 0))
        silent.listen()
        addresses = {**addresses, "ac_source": f"TCPIP::127.0.0.1::{silent.getsockname()[1]}::SOCKET"}
        text = RIG.read_text().replace("../standins", str(ROOT / "examples" / "standins"))
        for role, address in addresses.items():
            old = f'[instrument.{role}]\nhow = "simulated"'
            text = text.replace(old, f'[instrument.{role}]\nhow = "connected"\naddress = "{address}"')
        rig = tmp_path / "silent.toml"
        rig.write_text(text)
        done = run(command, tiny, tmp_path / "a.zbook", "--yes", "--operator", "Tester", rig=rig, typed="yes\n")
    assert done.returncode == 4
    assert "NOT CONFIRMED TO BE OFF" in done.stderr
    assert "AC source Brackmere A5" in done.stderr
    assert "pull its plug" in done.stderr


REFUSED = {
    "no unit": (["run", "--unit", "nowhere.toml"], "nowhere.toml"),
    "no such plan": (["run", "--plan", "tea-time"], "there is no plan"),
    "no physics": (["run", "--standin", "nowhere.toml"], "physics of the simulated unit is not there"),
    "not physics": (["run", "--standin", str(UNIT)], "tarnbrook-tb2425.toml"),
    "ambient": (["run", "--ambient", "900"], "no room"),
    "no number": (["run", "--ambient", "warm"], "--ambient"),
    "no option": (["run", "--colour", "blue"], "colour"),
    "no command": (["dance"], "dance"),
    "no book": (["findings", "nowhere.zbook"], "no such book"),
    "no folder": (["run", "--book", "/nonexistent/x.zbook"], "cannot be opened for writing"),
}


@pytest.mark.parametrize("case", REFUSED)
def test_refused_input_is_2_and_one_line(command: Command, tiny: Path, tmp_path: Path, case: str) -> None:
    arguments, reason = REFUSED[case]
    if arguments[0] == "run":
        given = {"--unit": UNIT, "--rig": RIG, "--plan": tiny, "--book": tmp_path / "a.zbook"}
        extra = dict(zip(arguments[1::2], arguments[2::2], strict=True))
        arguments = ["run", "--yes", *(str(x) for pair in {**given, **extra}.items() for x in pair)]
    done = command(*arguments)
    assert done.returncode == 2
    assert reason in done.stderr
    assert len(done.stderr.strip().splitlines()) == 1
    assert "Traceback" not in done.stderr
    assert done.stdout == ""


def test_a_rating_that_makes_no_sense_is_refused_with_its_place(command: Command, tiny: Path, tmp_path: Path) -> None:
    wrong = tmp_path / "wrong.toml"
    wrong.write_text(UNIT.read_text().replace("[100, 240]", "[240, 100]"))
    done = run(command, tiny, tmp_path / "a.zbook", "--yes", unit=wrong)
    assert done.returncode == 2
    line = next(n for n, text in enumerate(wrong.read_text().splitlines(), 1) if "[240, 100]" in text)
    assert f"wrong.toml: line {line}: input.voltage_V" in done.stderr
    assert not (tmp_path / "a.zbook").exists(), "nothing is begun"


def test_who_asks_for_nothing_is_told_what_there_is(command: Command, tmp_path: Path) -> None:
    book = tmp_path / "new.zbook"
    with BookWriter(book):
        pass
    (form,) = sqlite3.connect(book).execute("PRAGMA user_version").fetchone()
    said = command("--version")
    assert (said.returncode, said.stderr) == (0, "")
    assert re.fullmatch(rf"zincsmith \d+\.\d+\.\d+, books of format {form}\n", said.stdout)
    assert f"`user_version` {form}." in (ROOT / "docs" / "book-format.md").read_text()
    said = command()
    assert (said.returncode, said.stderr) == (2, "")
    assert "findings" in said.stdout


def test_a_book_that_is_none_is_refused(command: Command, tmp_path: Path) -> None:
    fake = tmp_path / "fake.zbook"
    fake.write_bytes(os.urandom(5000))
    for arguments in (["findings", fake, "--json"], ["report", fake, "-o", tmp_path / "x.html"]):
        done = command(*arguments)
        assert done.returncode == 2
        assert "not a Zincsmith book" in done.stderr


def test_a_run_on_a_book_that_is_open_elsewhere_is_refused(command: Command, tiny: Path, tmp_path: Path) -> None:
    book = tmp_path / "a.zbook"
    with BookWriter(book):
        done = run(command, tiny, book, "--yes")
    assert done.returncode == 2
    assert "open for writing" in done.stderr


def test_a_book_with_an_interrupted_run_is_made_safe_first(
    command: Command, tiny: Path, tmp_path: Path, unit: Unit, rig: Rig
) -> None:
    book = tmp_path / "a.zbook"
    with BookWriter(book) as writer:
        writer.revise("unit", unit.tag, unit, "test")
        writer.revise("rig", "bench", rig, "test")
        writer.open_run(RunOpened(unit.tag, 1, 1, 1, (("static_grid", 1),), "Tester", 23.0, True, "test"))
    done = run(command, tiny, book, "--yes")
    assert done.returncode == 0, done.stderr
    assert "Run 1 of this book was interrupted" in " ".join(done.stderr.split())
    with BookReader(book) as reader:
        assert [r.outcome for r in reader.runs()] == ["interrupted", "complete"]


def test_the_report_command_writes_one_file(command: Command, finished_book: Path, tmp_path: Path) -> None:
    out = tmp_path / "out.html"
    assert command("report", finished_book, "-o", out).returncode == 0
    assert out.read_text().startswith("<!DOCTYPE html>")
    assert [f.name for f in tmp_path.iterdir()] == ["out.html"]
    assert command("report", finished_book, "-o", tmp_path / "no" / "out.html").returncode == 2


def test_a_file_is_taken_in_judged_signed_and_judged_again(command: Command, tmp_path: Path) -> None:
    """From nothing but a unit, a rig and a table of points: 60 W out for 68 W in are 88.2 %."""
    file = tmp_path / "sweep.csv"
    file.write_text(
        "load_percent;input_voltage_V;input_power_W;output_voltage_V;output_current_A\n"
        "100;230,1;68;24,0;2,5\n75;230,1;51;24,0;1,875\n50;230,1;34,2;24,0;1,25\n25;230,1;17,4;24,0;0,625\n"
    )
    book = tmp_path / "files.zbook"
    refused = command("take-in", book, "points", file, "--operator", "M. Hale")
    assert (refused.returncode, "a new one needs --unit and --rig" in refused.stderr) == (2, True)
    bad = command("take-in", book, "power", file, "--operator", "M. Hale", "--unit", UNIT, "--rig", RIG)
    assert (bad.returncode, book.exists()) == (2, False), "nothing is left of what was refused"
    done = command("take-in", book, "points", file, "--operator", "M. Hale", "--unit", UNIT, "--rig", RIG)
    assert done.returncode == 0, done.stderr
    found = json.loads(command("findings", book, "--json").stdout)["findings"]
    full = next(f for f in found if f["name"] == "efficiency" and f["conditions"]["load_percent"] == 100.0)
    assert full["value"] == pytest.approx(60.0 / 68.0)
    assert full["u"] > 0.0, "the accuracy is that of the rig's instruments"
    again = json.loads(command("findings", book, "--recompute", "--json").stdout)
    assert again["same"] is True
    assert command("sign", book, "--by", "M. Hale").returncode == 0
    wrong = command("take-in", book, "standby", file, "--operator", "M. Hale", "--line", "230;50")
    assert wrong.returncode == 2
    assert "is no line" in wrong.stderr
    assert "Traceback" not in wrong.stderr
