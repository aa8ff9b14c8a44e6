"""Dialects in use: limits, quirks, a file of a person's own, and trying one safely."""

from __future__ import annotations

import socket
import threading
from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path

import pytest
from tests.conftest import ROOT, Command, bench_log, last_row

from zincsmith.bench.bench import Bench
from zincsmith.bench.dialect import dialect_for
from zincsmith.bench.instrument import ScpiInstrument
from zincsmith.bench.link import Link
from zincsmith.bench.make_safe import make_safe
from zincsmith.bench.standin import RunningStandIn
from zincsmith.bench.trial import try_dialect
from zincsmith.formats.dialect_file import parse_dialect
from zincsmith.formats.rig_file import carry_dialect
from zincsmith.model.errors import InputError, LimitError, Refused
from zincsmith.model.events import Event, SafeStep
from zincsmith.model.rig import Rig

DIALECTS = ROOT / "src" / "zincsmith" / "bench" / "dialects"
LOAD = (DIALECTS / "load.toml").read_text()
OUTLANDISH = """
role = "load"
words = "a load with ways of its own"
limits = { current = [0, 3] }
quirks = { termination = "CR LF", completion = true, reads_back = false }
[operation.set_current]
command = "I={value:.3f}"
[operation.set_input]
command = "ON={value:d}"
[operation.read]
query = "I?"
reply = "numbers"
quantities = ["output_current"]
"""


class Outlandish:
    """An instrument on a socket that ends its lines with CR LF and cannot read back."""

    def __init__(self) -> None:
        self.heard: list[str] = []
        self._socket = socket.create_server(("127.0.0.1", 0))
        self.address = f"TCPIP::127.0.0.1::{self._socket.getsockname()[1]}::SOCKET"
        self._thread = threading.Thread(target=self._serve, daemon=True)
        self._thread.start()

    def _serve(self) -> None:
        answers = {"*IDN?": "Harrowgate,HL-1,7,1.0", "*OPC?": "1", "I?": "0.25"}
        while True:
            try:
                there, _ = self._socket.accept()
            except OSError:
                return
            unread = b""
            with there:
                while data := there.recv(4096):
                    unread += data
                    while b"\r\n" in unread:
                        line, unread = unread.split(b"\r\n", 1)
                        if line:
                            self.heard.append(line.decode())
                        if line.decode() in answers:
                            there.sendall(answers[line.decode()].encode() + b"\r\n")

    def stop(self) -> None:
        self._socket.close()


@pytest.fixture
def outlandish() -> Iterator[Outlandish]:
    one = Outlandish()
    yield one
    one.stop()


def test_an_instrument_with_ways_of_its_own_is_spoken_to_in_them(outlandish: Outlandish) -> None:
    dialect = parse_dialect(OUTLANDISH, "mine.toml")
    load = ScpiInstrument(Link("load", outlandish.address, dialect.quirks.termination), dialect)
    load.link.open()
    assert load.link.identity == "Harrowgate,HL-1,7,1.0"
    assert load.set("current", 2.5) == 2.5
    assert load.read() == {"output_current": 0.25}
    before = len(outlandish.heard)
    with pytest.raises(LimitError, match=r"current takes 0 to 3, not 3\.5"):
        load.set("current", 3.5)
    load.link.close()
    assert outlandish.heard[before:] == [], "nothing is sent beyond its limits"
    assert outlandish.heard[1:] == ["I=2.500", "*OPC?", "I?"], "it is asked whether it is done, not what it was set to"


def test_trying_ends_switched_off_whatever_happens(outlandish: Outlandish) -> None:
    dialect = parse_dialect(OUTLANDISH, "mine.toml")
    said = list(try_dialect(dialect, outlandish.address))
    assert said == [
        "answers as Harrowgate,HL-1,7,1.0",
        "input is off, as far as it can say",
        "reads output_current 0.25",
    ]
    switched = [line for line in outlandish.heard if line.startswith("ON=")]
    assert switched[0] == switched[-1] == "ON=0"
    assert "ON=1" not in switched


def test_a_dialect_of_a_persons_own_plays_in_a_rig(
    rig: Rig, standin: Callable[..., RunningStandIn], tmp_path: Path
) -> None:
    mine = tmp_path / "mine.toml"
    mine.write_text(LOAD.replace('role = "load"', 'role = "load"\nlimits = { current = [0, 1] }'))
    load = rig.instrument("load")
    assert load is not None
    own = carry_dialect(replace(load, dialect="mine.toml"), tmp_path)
    mine.unlink()  # its text goes with the rig from here on
    bench = Bench(
        replace(rig, instruments=tuple(own if i is load else i for i in rig.instruments)), standin().addresses
    )
    bench.open()
    assert bench.instruments["load"].set("current", 0.5) == pytest.approx(0.5)
    with pytest.raises(LimitError):
        bench.instruments["load"].set("current", 2.5)
    bench.close()
    with pytest.raises(InputError, match="is a dialect of the load"):
        dialect_for("voltmeter", own.dialect, own.dialect_text)
    for path in (str(tmp_path / "nowhere.toml"), "../../../../etc/passwd"):
        with pytest.raises(InputError, match="does not carry its text"):
            dialect_for("load", path)


def own_load(rig: Rig, text: str, folder: Path) -> Rig:
    """The rig with a load that is spoken to in a dialect of its own."""
    mine = folder / "mine.toml"
    mine.write_text(text)
    own = [carry_dialect(replace(i, dialect=mine.name), folder) if i.role == "load" else i for i in rig.instruments]
    return replace(rig, instruments=tuple(own))


def test_a_limit_never_keeps_the_bench_from_being_made_safe(
    rig: Rig, standin: Callable[..., RunningStandIn], tmp_path: Path
) -> None:
    """A load that takes no current as small as the bleed: that step fails and is told, source and load go off."""
    text = LOAD.replace('role = "load"', 'role = "load"\nlimits = { current = [1, 20] }')
    bench = Bench(own_load(rig, text, tmp_path), standin().addresses)
    bench.open()
    bench.instruments["ac_source"].set("voltage", 115.0)
    bench.instruments["ac_source"].set("output", True)
    bench.instruments["load"].set("current", 2.5)
    bench.instruments["load"].set("input", True)
    steps: list[Event] = []
    make_safe(bench, steps.append)
    bench.close()
    told = {s.step: s.confirmed for s in steps if isinstance(s, SafeStep)}
    assert told["AC source off"]
    assert told["Load off"]
    assert told["bleed through the load"] is False
    last = last_row(tmp_path / "bench.log")
    assert (last["source_on"], last["load_on"]) == (False, False)


def test_a_load_that_cannot_read_back_is_not_armed(
    rig: Rig, standin: Callable[..., RunningStandIn], tmp_path: Path
) -> None:
    with pytest.raises(InputError, match="cannot say whether it is off"):
        Bench(own_load(rig, OUTLANDISH, tmp_path), standin().addresses)


def test_the_command_line_checks_and_tries(
    command: Command, standin: Callable[..., RunningStandIn], tmp_path: Path
) -> None:
    running = standin()
    for role in ("ac_source", "load", "power_meter", "voltmeter"):
        done = command("dialect", "check", DIALECTS / f"{role}.toml", "--address", running.addresses[role])
        assert done.returncode == 0, done.stderr
        assert "answers as" in done.stdout
    log = bench_log(tmp_path / "bench.log")
    assert not any(line["source_on"] or line["load_on"] for line in log), "outputs stay off"
    wrong = command("dialect", "check", DIALECTS / "voltmeter.toml", "--address", running.addresses["thermometer"])
    assert wrong.returncode == 1, "the commands of a voltmeter mean nothing to a thermometer"
    assert "Traceback" not in wrong.stderr
    broken = tmp_path / "broken.toml"
    broken.write_text(LOAD.replace('reply = "numbers"', ""))
    done = command("dialect", "check", broken)
    assert done.returncode == 2
    assert f"{broken}: line" in done.stderr
    assert "operation.read: the reply format is missing" in done.stderr


def test_a_refusal_is_still_told_from_the_error_queue(standin: Callable[..., RunningStandIn]) -> None:
    dialect = dialect_for("load")
    load = ScpiInstrument(Link("load", standin().addresses["load"]), dialect)
    load.link.open()
    with pytest.raises(Refused, match="Data out of range"):
        load.set("current", 1e6)
    load.link.close()
