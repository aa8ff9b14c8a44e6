"""Links that are no bare socket: a serial line, HiSLIP, VXI-11. And what is looked for without being asked."""

from __future__ import annotations

import itertools
import os
import pty
import socket
import threading
import tty
from collections.abc import Callable, Iterator
from dataclasses import replace

import pytest
from tests.bench.peers import HislipPeer, Peer, Vxi11Peer

from zincsmith.bench.bench import Bench
from zincsmith.bench.dialect import dialect_for
from zincsmith.bench.instrument import ScpiInstrument
from zincsmith.bench.link import Link, on_this_computer, resources
from zincsmith.bench.scan import scan
from zincsmith.bench.standin import RunningStandIn
from zincsmith.model.errors import Garbled, InstrumentError, Late
from zincsmith.model.rig import Accuracy, Rig

ANSWERS = {
    b"*IDN?": b"HARROWGATE,SL-1,7,1.0",
    b"MEAS:VOLT?": b"2.4012E+01",
    b"SYST:ERR?": b'0,"No error"',
    b"VOLT:RANG?": b"100",
}
ONE_RANGE = {"voltmeter": (Accuracy("output_voltage", 100.0, 0.1),)}


@pytest.fixture
def serial_line() -> Iterator[str]:
    """The VISA name of a line with a voltmeter at its other end."""
    master, slave = pty.openpty()
    tty.setraw(slave)

    def serve() -> None:
        unread = b""
        while True:
            try:
                unread += os.read(master, 256)
            except OSError:
                return
            while b"\n" in unread:
                line, unread = unread.split(b"\n", 1)
                if line.strip() in ANSWERS:
                    os.write(master, ANSWERS[line.strip()] + b"\n")

    thread = threading.Thread(target=serve, daemon=True)
    thread.start()
    yield f"ASRL{os.ttyname(slave)}::INSTR"
    os.close(slave)
    os.close(master)
    thread.join(10.0)


def test_an_instrument_on_a_serial_line_is_read(serial_line: str) -> None:
    meter = ScpiInstrument(Link("voltmeter", serial_line), dialect_for("voltmeter"))
    meter.link.open()
    assert meter.link.identity == "HARROWGATE,SL-1,7,1.0"
    assert meter.read() == {"output_voltage": 24.012}
    meter.link.close()


def test_a_line_never_waits_for_the_acknowledgement_of_the_line_before(standin: Callable[..., RunningStandIn]) -> None:
    """RFC 896 holds a second small segment back until the first is acknowledged, RFC 1122 lets that take 40 ms."""
    link = Link("voltmeter", standin().addresses["voltmeter"])
    link.open()
    carrier = link._socket()
    assert carrier is not None
    assert carrier.getsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY)
    link.close()


def test_nothing_on_a_network_is_looked_for_unless_it_is_named(monkeypatch: pytest.MonkeyPatch) -> None:
    """Every way out of this computer is closed and counted: a scan without hosts does not try one."""
    tried: list[object] = []

    def refuse(self: socket.socket, *to: object) -> None:
        tried.append(to)
        raise OSError("closed for this test")

    for way in ("connect", "sendto", "connect_ex"):
        monkeypatch.setattr(socket.socket, way, refuse, raising=False)
    assert all(name.startswith(("ASRL", "USB")) for name in resources())
    assert all(one.address.startswith(("ASRL", "USB")) for one in scan())
    assert tried == []
    with pytest.raises(OSError, match="closed for this test"):
        socket.create_connection(("127.0.0.1", 9))
    assert tried, "what would have been tried would have been seen"


@pytest.mark.parametrize("kind", [HislipPeer, Vxi11Peer])
def test_an_instrument_on_the_network_protocols_is_read_and_its_failures_told(kind: type[Peer]) -> None:
    mute: list[bytes] = []
    peer = kind(lambda message: None if message in mute else ANSWERS.get(message))
    try:
        assert on_this_computer(peer.address)
        meter = ScpiInstrument(Link("voltmeter", peer.address), dialect_for("voltmeter"))
        meter.link.open()
        assert meter.link.identity == "HARROWGATE,SL-1,7,1.0"
        assert meter.read() == {"output_voltage": 24.012}
        mute.append(b"MEAS:VOLT?")
        with pytest.raises(Late, match="no answer within"):
            meter.link.query("MEAS:VOLT?")
        meter.link.open()  # a link that was late is opened anew, so that no late answer is taken for another
        mute.clear()
        assert meter.read() == {"output_voltage": 24.012}
        peer.hang_up()
        with pytest.raises(InstrumentError):
            meter.link.query("MEAS:VOLT?")
        assert not meter.link.is_open
    finally:
        peer.close()


@pytest.mark.parametrize(
    ("address", "here"),
    [
        ("TCPIP::127.0.0.1::5025::SOCKET", True),
        ("TCPIP0::localhost::inst0::INSTR", True),
        ("TCPIP::127.0.0.1::hislip0,4880::INSTR", True),
        ("TCPIP::192.0.2.7::5025::SOCKET", False),
        ("TCPIP::192.0.2.7::hislip0::INSTR", False),
        ("TCPIP::127.0.0.1.example.org::inst0::INSTR", False),
        ("USB0::0x1234::0x5678::SN1::INSTR", False),
        ("ASRL/dev/ttyS0::INSTR", False),
    ],
)
def test_what_is_beyond_this_computer_counts_as_real(address: str, here: bool) -> None:
    assert on_this_computer(address) is here


def test_instruments_of_a_bench_work_on_their_readings_side_by_side(
    rig: Rig, standin: Callable[..., RunningStandIn]
) -> None:
    """Each of two peers answers once the other was asked too: a bench that hears one before it asks the next gets
    nothing. After one of them fails, what the other said meanwhile is not taken for its next answer."""
    together, said, nonsense = threading.Barrier(2), itertools.count(1), list[bytes]()

    def voltmeter(message: bytes) -> bytes | None:
        if message == b"MEAS:VOLT?" and len(nonsense) != 1:  # asked once more, it is asked alone
            together.wait(5.0)
        return nonsense.pop() if message == b"MEAS:VOLT?" and nonsense else ANSWERS.get(message)

    def thermometer(message: bytes) -> bytes | None:
        if message == b"MEAS:TEMP?":
            together.wait(5.0)
            return b"%d.0" % next(said)
        return b"HARROWGATE,TH-1,8,1.0" if message == b"*IDN?" else ANSWERS.get(message)

    peers = {"voltmeter": HislipPeer(voltmeter), "thermometer": HislipPeer(thermometer)}
    instruments = tuple(
        replace(one, how="connected", address=peers[one.role].address, serial="", accuracy=ONE_RANGE.get(one.role, ()))
        if one.role in peers
        else one
        for one in rig.instruments
    )
    bench = Bench(replace(rig, instruments=instruments), standin().addresses)
    try:
        bench.open()
        seen = bench.poll()
        assert (seen["output_voltage"], seen["case_temperature"]) == (24.012, 1.0)
        nonsense += [b"?", b"?"]
        with pytest.raises(Garbled, match="voltmeter"):
            bench.poll()
        assert bench.poll()["case_temperature"] == 3.0, "2.0 was of the poll that failed"
        nonsense += [b"?", b"?"]
        with pytest.raises(Garbled):
            bench.poll()
        threading.Thread(target=lambda: together.wait(5.0), daemon=True).start()
        assert bench.instruments["thermometer"].read() == {"case_temperature": 5.0}
    finally:
        bench.close()
        for peer in peers.values():
            peer.close()
