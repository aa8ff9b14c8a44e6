"""Plan, procedures, resume, book check, the stand-in on its own, scan: what a person types at a terminal."""

from __future__ import annotations

import json
import os
import pty
import signal
import socket
import sqlite3
import subprocess
import sys
import threading
from contextlib import suppress
from pathlib import Path

from tests.cli.test_cli import TINY
from tests.conftest import RIG, ROOT, UNIT, Command

from zincsmith.book.reader import BookReader

STANDIN = ROOT / "examples" / "standins" / "tarnbrook-tb2425.toml"


def test_a_plan_is_printed_for_people_and_programs(command: Command, tmp_path: Path) -> None:
    told = command("plan", "--unit", UNIT, "--rig", RIG)
    assert told.returncode == 0
    for words in ("Safety gates", "Raised from zero", "Warm-up", "Discharge and restore"):
        assert words in told.stdout
    found = json.loads(command("plan", "--unit", UNIT, "--rig", RIG, "--json").stdout)
    assert found["parts"][0] == "safety_checks"
    assert found["stages"][0]["energised"] == "nothing"
    assert found["least_s"] < found["likely_s"] < found["most_s"]
    assert any(w["whose"] == "what C5, C6 is marked for" for w in found["watches"])
    file = tmp_path / "mine.toml"
    file.write_text(command("plan", "--unit", UNIT, "--rig", RIG, "--toml").stdout)
    again = json.loads(command("plan", "--unit", UNIT, "--rig", RIG, "--plan", file, "--json").stdout)
    assert again["stages"] == found["stages"]


def test_procedures_say_what_they_need(command: Command) -> None:
    found = json.loads(command("procedures", "--json").stdout)["procedures"]
    assert [p["name"] for p in found] == [
        "safety_checks", "rig_check", "fault_finding", "parts_check", "bring_up", "static_grid", "cross_regulation",
        "usb_modes", "port_sharing", "cv_cc", "inverter_output", "output_wave", "power_factor_regimes",
        "display_accuracy", "harmonics", "standby", "control_signals", "touch_current", "regulator_inside",
        "hands_in", "another_configuration", "ripple", "reflected_ripple", "load_transient", "mode_changes",
        "programming_speed", "held_noise", "crossover", "turn_on", "hold_up", "inrush", "plug_volts", "line_dips",
        "short_circuit", "switching_node", "ripple_by_voltmeter", "overcurrent", "overload_endurance", "overvoltage",
        "surge_load", "charging", "dropout", "soft_leads", "starts", "power_envelope", "thermal_soak", "drift",
    ]  # fmt: skip
    assert "load" in found[4]["needs"]
    assert "bring_up" in command("procedures").stdout


def test_what_goes_beyond_is_put_in_by_name_in_a_safe_order(command: Command) -> None:
    """Heat before violence; without its name a part is left out with what it would take."""
    of = ("plan", "--unit", UNIT, "--rig", RIG, "--json")
    plain = json.loads(command(*of).stdout)
    left = {one["procedure"]: one["why"] for one in plain["left_out"]}
    assert "choose it" in left["thermal_soak"]
    chosen = json.loads(command(*of, "--with", "overcurrent", "--with", "thermal-soak").stdout)
    assert chosen["left_out"] == []
    titles = [stage["title"] for stage in chosen["stages"]]
    assert titles.index("Thermal soak") < titles.index("Overcurrent") < len(titles) - 1
    refused = command(*of, "--with", "static-grid")
    assert refused.returncode == 2
    assert "there are: short_circuit, overcurrent" in refused.stderr


def test_rules_are_listed_and_a_file_of_ones_own_is_checked(command: Command, tmp_path: Path) -> None:
    """Harmonics among them: a unit can be held to a class of them like to a class of supplies."""
    found = {r["name"]: r for r in json.loads(command("rules", "--json").stdout)["rules"]}
    assert {"us-doe-level-vi", "eu-2019-1782", "eu-coc-tier-2", "iec-61000-3-2"} <= found.keys()
    assert found["iec-61000-3-2"]["classes"] == ["A", "D", "B", "C"]
    assert not found["iec-61000-3-2"]["own"]
    assert "memory" in found["iec-61000-3-2"]["provenance"]
    shipped = ROOT / "src" / "zincsmith" / "rules" / "limits" / "iec-61000-3-2.toml"
    mine = tmp_path / shipped.name
    mine.write_text(shipped.read_text())
    checked = json.loads(command("rules", mine, "--json").stdout)["rules"]
    assert [(r["name"], r["own"]) for r in checked] == [("iec-61000-3-2", True)]
    mine.write_text(shipped.read_text().replace("class.D", "class.E"))
    refused = command("rules", mine)
    assert (refused.returncode, "has no class D" in refused.stderr) == (2, True)


def test_a_run_that_was_stopped_is_checked_and_resumed(command: Command, tmp_path: Path) -> None:
    plan, book = tmp_path / "tiny.toml", tmp_path / "a.zbook"
    plan.write_text(TINY)
    stopped = command(
        "run", "--unit", UNIT, "--rig", RIG, "--plan", plan, "--book", book, "--operator", "T", typed="no\n"
    )
    assert stopped.returncode == 3
    checked = command("book", "check", book)
    assert checked.returncode == 0
    assert "aborted (the gate was not passed); switched off by the program: AC source off, read back" in checked.stdout
    resumed = command("resume", "--book", book, "--operator", "T", "--yes")
    assert resumed.returncode in (0, 1), resumed.stderr
    with BookReader(book) as reader:
        assert [r.outcome for r in reader.runs()] == ["complete"]


def test_a_killed_run_is_told_with_who_made_the_bench_safe(command: Command, tmp_path: Path) -> None:
    plan, book, log = tmp_path / "slow.toml", tmp_path / "a.zbook", tmp_path / "bench.log"
    plan.write_text(TINY.replace("warm_up_s = 60", "warm_up_s = 80000"))
    child = subprocess.Popen(
        [sys.executable, "-m", "zincsmith.cli", "run", "--unit", str(UNIT), "--rig", str(RIG), "--plan", str(plan),
         "--book", str(book), "--operator", "T", "--yes", "--log", str(log)],
        stderr=subprocess.DEVNULL,
    )  # fmt: skip
    while not log.exists() or '"load_on": true' not in log.read_text():
        assert child.poll() is None
    os.kill(child.pid, signal.SIGKILL)
    child.wait()
    found = json.loads(command("book", "check", book, "--json").stdout)
    assert found["damage"] == []
    assert found["runs"][0]["end"].startswith("interrupted (the engine ended); the guardian switched the bench off")
    last = json.loads(log.read_text().rpartition("\n")[0].splitlines()[-1])
    assert (last["source_on"], last["load_on"]) == (False, False)


def test_a_run_that_loses_its_terminal_is_made_safe(command: Command, tmp_path: Path) -> None:
    """The terminal is closed in the middle of a warm-up, as when a connection breaks or a window is shut."""
    plan, book, log = tmp_path / "slow.toml", tmp_path / "a.zbook", tmp_path / "bench.log"
    plan.write_text(TINY.replace("warm_up_s = 60", "warm_up_s = 80000"))
    arguments = ["run", "--unit", UNIT, "--rig", RIG, "--plan", plan, "--book", book, "--operator", "T", "--yes"]
    terminal, its_end = pty.openpty()
    before = signal.signal(signal.SIGHUP, signal.SIG_DFL)  # children of a shell under nohup would not hear it
    child = subprocess.Popen(
        [sys.executable, "-m", "zincsmith.cli", *map(str, arguments), "--log", str(log)],
        stdin=its_end,
        stdout=its_end,
        stderr=its_end,
        start_new_session=True,
    )
    signal.signal(signal.SIGHUP, before)
    os.close(its_end)
    threading.Thread(target=drain, args=(terminal,), daemon=True).start()
    while not log.exists() or '"load_on": true' not in log.read_text():
        assert child.poll() is None
    child.send_signal(signal.SIGHUP)  # what the system sends when the terminal goes
    os.close(terminal)
    child.wait()
    found = json.loads(command("book", "check", book, "--json").stdout)
    assert child.returncode == 3
    assert "the terminal was closed); switched off by the program: AC source off" in found["runs"][0]["end"]
    last = json.loads(log.read_text().rpartition("\n")[0].splitlines()[-1])
    assert (last["source_on"], last["load_on"]) == (False, False)


def drain(terminal: int) -> None:
    """Read what a terminal shows, so that nobody waits for it."""
    with suppress(OSError):
        while os.read(terminal, 65536):
            pass


def test_a_damaged_book_is_said_and_is_1(command: Command, finished_book: Path, tmp_path: Path) -> None:
    book = tmp_path / "torn.zbook"
    book.write_bytes(finished_book.read_bytes())
    db = sqlite3.connect(book)
    db.execute("DELETE FROM event WHERE seq BETWEEN 20 AND 29")
    db.commit()
    db.close()
    told = command("book", "check", book)
    assert told.returncode == 1
    assert "events 20 to 29 are missing" in told.stdout
    data = bytearray(finished_book.read_bytes())
    data[8192:12288] = b"\xa5" * 4096
    book.write_bytes(data)
    told = command("book", "check", book)
    assert told.returncode in (1, 2)
    assert "DAMAGED" in told.stdout or "zincsmith:" in told.stderr


def test_any_socket_can_talk_to_the_stand_in(tmp_path: Path) -> None:
    """The contract: one line of JSON, then it serves until its standard input closes."""
    command = [sys.executable, "-m", "zincsmith.cli", "simbench", "--unit", str(STANDIN), "--seed", "3", "--json"]
    with subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True) as child:
        assert child.stdout is not None
        assert child.stdin is not None
        said = json.loads(child.stdout.readline())["instruments"]
        assert {one["role"] for one in said} == {
            "ac_source", "dc_source", "power_meter", "load", "voltmeter", "scope", "thermometer", "sink_controller",
            "lcr_meter", "clock", "second_power_meter", "second_voltmeter", "ammeter", "base_load",
            "ac_voltmeter", "load_switch", "contactor", "multimeter",
            "node_voltmeter@bulk", "spot_thermometer@D5", "spot_thermometer@transformer", "spot_thermometer@room",
        }  # fmt: skip
        for one in said:
            assert one["visa"] == f"TCPIP::{one['host']}::{one['port']}::SOCKET"
            with socket.create_connection((one["host"], one["port"]), timeout=20.0) as line:
                line.sendall(b"*IDN?;*ESR?\n")
                assert line.recv(200).count(b",") == 3
        source = next(one for one in said if one["role"] == "ac_source")
        with socket.create_connection((source["host"], source["port"]), timeout=20.0) as line:
            line.sendall(b"volt 1e9;:outp?;:syst:err?\n")
            assert line.recv(200) == b'0;-222,"Data out of range"\n'
        child.stdin.close()
        assert child.wait(20.0) == 0


def test_a_wrong_fault_or_pace_of_the_stand_in_is_refused(command: Command) -> None:
    for more in (("--fault", "unit,haunted"), ("--pace", "brisk")):
        done = command("simbench", "--unit", STANDIN, *more)
        assert done.returncode == 2
        assert "see --help" in done.stderr


def test_a_scan_lists_who_answers(command: Command, standin: object) -> None:
    running = standin()  # type: ignore[operator]
    port = running.addresses["voltmeter"].split("::")[2]
    found = command("scan", "--host", "127.0.0.1", "--port", port)
    assert found.returncode == 0
    assert "FENNHOLLOW,M6" in found.stdout


def test_a_real_address_wants_an_operator(command: Command, tmp_path: Path) -> None:
    rig = tmp_path / "real.toml"
    text = RIG.read_text().replace("../standins", str(ROOT / "examples" / "standins"))
    old = '[instrument.voltmeter]\nhow = "simulated"'
    assert old in text
    rig.write_text(
        text.replace(old, '[instrument.voltmeter]\nhow = "connected"\naddress = "TCPIP::192.0.2.7::5025::SOCKET"')
    )
    done = command(
        "run", "--unit", UNIT, "--rig", rig, "--plan", "static-grid", "--book", tmp_path / "a.zbook", "--yes"
    )
    assert done.returncode == 2
    assert "TCPIP::192.0.2.7::5025::SOCKET. Confirm that they are yours" in done.stderr
