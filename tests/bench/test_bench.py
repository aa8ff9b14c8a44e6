"""Links, dialects and making safe, over real sockets to the stand-in bench."""

import re
import socket
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest
from tests.conftest import bench_log, first, last_row

from zincsmith.bench.bench import Bench
from zincsmith.bench.dialect import dialect_for
from zincsmith.bench.instrument import ScpiInstrument
from zincsmith.bench.link import Link
from zincsmith.bench.make_safe import make_safe
from zincsmith.bench.standin import RunningStandIn
from zincsmith.model.actions import Dip
from zincsmith.model.errors import Garbled, InputError, Late, Lost, Refused
from zincsmith.model.events import Event, Intended, SafeStep
from zincsmith.model.rig import Instrument, Rig

StartStandIn = Callable[..., RunningStandIn]


def inject(addresses: dict[str, str], role: str, fault: str) -> None:
    """Tell the stand-in to misbehave, as its own clock port allows; the port takes one connection at a time."""
    link = Link("clock", addresses["clock"])
    link.open()
    link.write(f"FAUL {role},{fault}")
    link.query("*OPC?")
    link.close()


def powered(rig: Rig, addresses: dict[str, str]) -> Bench:
    bench = Bench(rig, addresses)
    bench.open()
    source, load = bench.instruments["ac_source"], bench.instruments["load"]
    source.set("voltage", 115.0)
    source.set("frequency", 60.0)
    source.set("output", True)
    bench.clock.advance(2.0)
    load.set("current", 2.5)
    load.set("input", True)
    bench.clock.advance(2.0)
    return bench


def test_it_reads_what_it_switched_on(rig: Rig, standin: StartStandIn) -> None:
    bench = powered(rig, standin().addresses)
    values = bench.poll()
    assert values["output_voltage"] == pytest.approx(24.0, abs=0.3)
    assert values["input_power"] == pytest.approx(68.0, abs=2.0)
    assert bench.polled() >= set(values)
    bench.close()


def test_nobody_there_is_lost_with_role_and_address() -> None:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    address = f"TCPIP::127.0.0.1::{port}::SOCKET"
    with pytest.raises(Lost, match=r"voltmeter at .*check that it is switched on") as lost:
        Link("voltmeter", address).open()
    assert (lost.value.role, lost.value.address) == ("voltmeter", address)


@pytest.mark.parametrize(("fault", "error"), first(2, ("DROP", Lost), ("RUBBISH", Garbled), ("SILENT", Late)))
def test_a_failing_meter_is_told_apart(rig: Rig, standin: StartStandIn, fault: str, error: type[Exception]) -> None:
    addresses = standin().addresses
    meter = ScpiInstrument(Link("voltmeter", addresses["voltmeter"]), dialect_for("voltmeter"))
    meter.link.open()
    inject(addresses, "voltmeter", fault)
    with pytest.raises(error, match="voltmeter at"):
        meter.read()
    assert meter.link.is_open is (error is Garbled), "after a late answer nothing on that connection can be trusted"
    inject(addresses, "voltmeter", "NONE")
    meter.reopen()
    assert "output_voltage" in meter.read()
    meter.link.close()


def test_a_refused_setting_is_an_error(standin: StartStandIn) -> None:
    addresses = standin().addresses
    source = ScpiInstrument(Link("ac_source", addresses["ac_source"]), dialect_for("ac_source"))
    source.link.open()
    with pytest.raises(Refused, match="-222"):
        source.set("voltage", 500.0)
    assert source.get("voltage") == 0.0
    source.link.close()


def test_a_dip_has_begun_when_the_source_is_done_with_it(
    standin: StartStandIn, monkeypatch: pytest.MonkeyPatch
) -> None:
    """What is sent only may lie in a queue while the next line is heard somewhere else: the scope would look too early,
    and a source that knows no dip would make a record of an undisturbed output."""
    addresses = standin().addresses
    source = ScpiInstrument(Link("ac_source", addresses["ac_source"]), dialect_for("ac_source"))
    source.link.open()
    said: list[str] = []
    for name in ("write", "query"):
        through = getattr(source.link, name)
        monkeypatch.setattr(source.link, name, lambda line, through=through: said.append(line) or through(line))
    assert source.dip(Dip(92.0, 0.2)) == {"dip_voltage_V": 92.0, "dip_s": 0.2}
    assert all(line.endswith("?") for line in said[said.index("DIP:IMM") + 1 :])
    assert said[-1].endswith("?")
    knows_none = dialect_for("ac_source")
    other = replace(knows_none.operation["dip"], command="DIP:NOW")
    source.dialect = replace(knows_none, operation={**knows_none.operation, "dip": other})
    with pytest.raises(Refused, match="-113"):
        source.dip(Dip(92.0, 0.2))
    source.link.close()


def test_only_this_computer_may_be_armed(rig: Rig) -> None:
    far = Instrument("voltmeter", "connected", address="TCPIP::192.0.2.7::5025::SOCKET")
    others = tuple(i for i in rig.instruments if i.role != "voltmeter")
    addresses = dict.fromkeys(
        ("ac_source", "load", "power_meter", "thermometer", "clock"), "TCPIP::127.0.0.1::9::SOCKET"
    )
    with pytest.raises(InputError, match="guardian"):
        Bench(replace(rig, instruments=(*others, far)), addresses)


@pytest.mark.parametrize("role", ["ac_source", "load"])
def test_a_source_or_load_may_be_a_persons(rig: Rig, role: str) -> None:
    changed = tuple(replace(i, how="by hand") if i.role in (role, "clock") else i for i in rig.instruments)
    addresses = {i.role: "TCPIP::127.0.0.1::9::SOCKET" for i in rig.instruments}
    bench = Bench(replace(rig, instruments=changed), {**addresses, "clock": "TCPIP::127.0.0.1::9::SOCKET"})
    assert role not in bench.instruments, "the program never reaches for it"


def test_a_real_instrument_is_armed_only_when_somebody_guards(rig: Rig) -> None:
    real = tuple(
        replace(i, how="connected", address="TCPIP::192.0.2.7::5025::SOCKET") if i.role == "ac_source" else i
        for i in rig.instruments
    )
    addresses = {i.role: "TCPIP::127.0.0.1::9::SOCKET" for i in rig.instruments}
    addresses["clock"] = "TCPIP::127.0.0.1::9::SOCKET"
    with pytest.raises(InputError, match="only with a guardian and a named operator"):
        Bench(replace(rig, instruments=real), addresses)
    assert "ac_source" in Bench(replace(rig, instruments=real), addresses, guarded=True).instruments


def test_a_missing_role_is_named(rig: Rig) -> None:
    fewer = tuple(i for i in rig.instruments if i.role != "load")
    with pytest.raises(InputError, match="names no load"):
        Bench(replace(rig, instruments=fewer), {})


def test_an_unknown_dialect_is_named() -> None:
    with pytest.raises(InputError, match="no dialect"):
        dialect_for("voltmeter", "klingon")


def test_making_safe_goes_source_bleed_load(rig: Rig, standin: StartStandIn, tmp_path: Path) -> None:
    bench = powered(rig, standin().addresses)
    events: list[Event] = []
    safety = make_safe(bench, events.append)
    bench.close()
    assert safety.confirmed
    steps = [e.step for e in events if isinstance(e, SafeStep)]
    assert steps == ["AC source off", "bleed through the load", "Load off"]
    intended = [e.body["step"] for e in events if isinstance(e, Intended)]
    assert intended == ["AC source off", "bleed through the load", "Load off"]
    told = [row for row in bench_log(tmp_path / "bench.log") if row["what"] == "told"]
    off = next(k for k, row in enumerate(told) if row["role"] == "ac_source" and row["text"] == "OUTP 0")
    bleed = next(k for k, row in enumerate(told) if k > off and row["text"] == "CURR 0.20000")
    assert [row["text"] for row in told[bleed:]] == ["CURR 0.20000", "INP 1", "INP 0"]
    assert told[-1]["output_V"] < 2.0
    assert not told[-1]["source_on"]


@pytest.mark.parametrize(
    ("role", "fault", "unconfirmed"),
    first(
        1,
        ("ac_source", "DROP", "AC source Brackmere A5.* pull its plug"),
        ("ac_source", "RUBBISH", "AC source Brackmere A5"),
        ("load", "SILENT", "Load Osmary L3.* switch its input off"),
    ),
)
def test_what_does_not_answer_is_named_and_the_rest_made_safe(
    rig: Rig, standin: StartStandIn, tmp_path: Path, role: str, fault: str, unconfirmed: str
) -> None:
    addresses = standin().addresses
    bench = powered(rig, addresses)
    bench.close()
    inject(addresses, role, fault)
    again = Bench(rig, addresses)
    again.open_clock()
    safety = make_safe(again, lambda _event: None)
    again.close()
    assert not safety.confirmed
    assert re.match(unconfirmed, safety.unconfirmed[0])
    if fault == "DROP":  # the signs say the same as the silence
        assert "input gone (the power meter (input volts) still reads 11" in safety.unconfirmed[1]
    else:
        assert len(safety.unconfirmed) == 1
    last = last_row(tmp_path / "bench.log")
    assert last["load_on" if role == "ac_source" else "source_on"] is False


def test_an_output_that_does_not_fall_is_not_called_safe(rig: Rig, standin: StartStandIn, tmp_path: Path) -> None:
    """A farad at 48 V outlasts the bleed: source and load read back off, but nobody may touch the output."""
    physics = tmp_path / "farad.toml"
    assert rig.standin is not None
    text = Path(rig.standin.file).read_text()
    for old, new in (("voltage_V = 24.0", "voltage_V = 48.0"), ("capacitor_F = 1.36e-3", "capacitor_F = 1.0")):
        assert old in text
        text = text.replace(old, new)
    physics.write_text(text)
    bench = powered(rig, standin(file=str(physics)).addresses)
    events: list[Event] = []
    safety = make_safe(bench, events.append)
    bench.close()
    assert not safety.confirmed
    assert "output fallen (the voltmeter (output volts) still reads 3" in safety.unconfirmed[0]
    fallen = next(e for e in events if isinstance(e, SafeStep) and e.step == "output fallen")
    assert not fallen.confirmed
    assert not last_row(tmp_path / "bench.log")["load_on"]


def test_without_a_voltmeter_the_load_shows_that_the_output_fell(rig: Rig, standin: StartStandIn) -> None:
    addresses = standin().addresses
    bench = powered(rig, addresses)
    bench.close()
    inject(addresses, "voltmeter", "SILENT")
    again = Bench(rig, addresses, outputs_V={"": 24.0})
    again.open_clock()
    again.seen.feeds(output_due=True)
    again.seen.observe(0.0, {"output_voltage": 24.0, "load_voltage": 23.9, "input_voltage": 115.0}, True)
    safety = make_safe(again, lambda _event: None)
    assert safety.confirmed
    assert [one.partition(":")[0] for one in safety.seen] == [
        "AC source off, read back", "input gone", "output fallen", "Load off, read back",
    ]  # fmt: skip
    again.close()


class Told:
    """A line that answers from a table and takes whatever is written."""

    address = "told"

    def beat(self) -> None:
        pass

    def __init__(self, answers: dict[str, str]) -> None:
        self.answers = {"SYST:ERR?": '0,"No error"', **answers}

    def write(self, command: str) -> None:
        pass

    def query(self, command: str) -> str:
        return self.answers[command]

    def close(self) -> None:
        pass

    open = close


SAMPLES = ",".join(["7"] * 16)
RECORD = {"REC:POIN?": "16", "REC:RATE?": "10000", "REC:VOLT?": SAMPLES, "REC:CURR?": SAMPLES,
          "REC:VOLT:STEP?": "0.01", "REC:CURR:STEP?": "0.001"}  # fmt: skip


def test_a_record_is_volts_and_amps_of_the_same_moments() -> None:
    meter = ScpiInstrument(Told(RECORD), dialect_for("power_meter"))  # type: ignore[arg-type]
    found = meter.record(16, ("input_voltage", "input_current"))
    assert found.step_s == 1e-4
    assert found.channels["input_voltage"] == ([7] * 16, 0.01)
    assert found.channels["input_current"] == ([7] * 16, 0.001)


@pytest.mark.parametrize(
    ("query", "answer", "says"),
    [
        ("REC:VOLT?", "1,2,3", "16 samples were asked for, 3 came"),
        ("REC:CURR?", ",".join(["7.5"] * 16), "no 16-bit integer"),
        ("REC:CURR?", ",".join(["99999"] * 16), "no 16-bit integer"),
        ("REC:RATE?", "0", "above zero"),
        ("REC:VOLT:STEP?", "9.91E37", "above zero"),
        ("REC:VOLT?", "volts", "no number"),
    ],
)
def test_a_record_that_cannot_be_one_is_garbled_and_names_the_question(query: str, answer: str, says: str) -> None:
    meter = ScpiInstrument(Told({**RECORD, query: answer}), dialect_for("power_meter"))  # type: ignore[arg-type]
    with pytest.raises(Garbled, match=says) as refused:
        meter.record(16, ("input_voltage", "input_current"))
    assert refused.value.role == "power_meter"


def test_the_stand_in_records_what_it_reads(rig: Rig, standin: StartStandIn) -> None:
    bench = powered(rig, standin().addresses)
    values = bench.poll()
    record = bench.record(0.1)
    codes, scale = record.channels["input_voltage"]
    assert len(codes) == round(0.1 / record.step_s)
    rms = (sum((c * scale) ** 2 for c in codes) / len(codes)) ** 0.5
    assert rms == pytest.approx(values["input_voltage"], rel=5e-3)
    bench.close()
