"""Links that are no socket: a serial line over a pseudo-terminal; and what is looked for without being asked."""

from __future__ import annotations

import os
import pty
import socket
import threading
import tty
from collections.abc import Iterator

import pytest

from zincsmith.bench.dialect import dialect_for
from zincsmith.bench.instrument import ScpiInstrument
from zincsmith.bench.link import Link, resources
from zincsmith.bench.scan import scan

ANSWERS = {b"*IDN?": b"HARROWGATE,SL-1,7,1.0", b"MEAS:VOLT?": b"2.4012E+01"}


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
