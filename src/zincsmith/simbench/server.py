"""Serving the stand-in instruments: one loopback port each, one connection at a time, one thread for all."""

from __future__ import annotations

import json
import selectors
import socket
import time
from dataclasses import dataclass, field
from pathlib import Path
from typing import IO

from zincsmith.simbench.instruments import MAKERS
from zincsmith.simbench.scpi import Interpreter
from zincsmith.simbench.world import World

FAULTS = {"NONE", "SILENT", "DROP", "RUBBISH"}


@dataclass
class Seat:
    """One instrument at its port. ``fault`` is what is wrong with its answers at present."""

    role: str
    box: Interpreter
    listener: socket.socket
    fault: str = "NONE"
    connection: socket.socket | None = None
    unread: bytes = b""


@dataclass
class Bench:
    """All seats, the world they share and the time-stamped log of what was said and what it switched."""

    world: World
    log_file: Path | None = None
    seats: dict[str, Seat] = field(default_factory=dict)
    _selector: selectors.BaseSelector = field(default_factory=selectors.DefaultSelector)
    _log: IO[str] | None = None

    def open(self) -> None:
        """Bind every instrument to a free loopback port."""
        if self.log_file is not None:
            self._log = self.log_file.open("a", encoding="utf-8")
        for role, make in MAKERS.items():
            listener = socket.socket()
            listener.bind(("127.0.0.1", 0))
            listener.listen(4)
            seat = Seat(role, make(self.world), listener)
            self.seats[role] = seat
            self._selector.register(listener, selectors.EVENT_READ, seat)
        self.seats["clock"].box.on("FAULt", self._inject)

    def addresses(self) -> list[dict[str, str | int]]:
        out: list[dict[str, str | int]] = []
        for seat in self.seats.values():
            host, port = seat.listener.getsockname()
            out.append({"role": seat.role, "host": host, "port": port, "visa": f"TCPIP::{host}::{port}::SOCKET"})
        return out

    def serve(self, keep_open: int | None) -> None:
        """Answer until the descriptor ``keep_open`` reports that its last other end was closed."""
        if keep_open is not None:
            self._selector.register(keep_open, selectors.EVENT_READ, None)
        while True:
            for key, _ in self._selector.select():
                if key.data is None:
                    self._note("bench", "closed", "")
                    return
                seat: Seat = key.data
                if key.fileobj is seat.listener:
                    self._accept(seat)
                else:
                    self._hear(seat)

    def _accept(self, seat: Seat) -> None:
        connection, _ = seat.listener.accept()
        if seat.connection is not None and self._has_left(seat.connection):
            self._hang_up(seat)
        if seat.connection is not None:  # one at a time, as many real instruments have it
            connection.close()
            return
        connection.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        seat.connection, seat.unread = connection, b""
        self._selector.register(connection, selectors.EVENT_READ, seat)
        self._note(seat.role, "connected", "")

    @staticmethod
    def _has_left(connection: socket.socket) -> bool:
        try:
            return connection.recv(1, socket.MSG_PEEK | socket.MSG_DONTWAIT) == b""
        except BlockingIOError:
            return False
        except OSError:
            return True

    def _hear(self, seat: Seat) -> None:
        assert seat.connection is not None
        try:
            data = seat.connection.recv(65536)
        except OSError:
            data = b""
        if not data:
            self._hang_up(seat)
            return
        seat.unread += data
        while b"\n" in seat.unread and seat.connection is not None:
            line, seat.unread = seat.unread.split(b"\n", 1)
            self._answer(seat, line.decode("latin-1").strip())

    def _answer(self, seat: Seat, line: str) -> None:
        if seat.fault == "DROP":
            self._hang_up(seat)
            return
        reply = seat.box.answer(line)
        if not line.endswith("?"):
            self._note(seat.role, "told", line)
        if seat.fault == "SILENT" or reply is None or seat.connection is None:
            return
        if seat.fault == "RUBBISH":
            reply = "#?~ 12,,x"
        try:
            seat.connection.sendall(reply.encode("latin-1") + b"\n")
        except OSError:
            self._hang_up(seat)

    def _hang_up(self, seat: Seat) -> None:
        if seat.connection is not None:
            self._selector.unregister(seat.connection)
            seat.connection.close()
            seat.connection = None
            self._note(seat.role, "hung up", "")

    def _inject(self, text: str) -> None:
        role, _, fault = text.partition(",")
        role, fault = role.strip().lower(), fault.strip().upper()
        if role in self.seats and fault in FAULTS:
            self.seats[role].fault = fault

    def _note(self, role: str, what: str, text: str) -> None:
        if self._log is None or (role == "clock" and what == "told"):
            return
        world = self.world
        entry = {
            "wall_s": time.monotonic(),
            "bench_s": round(world.time_s, 6),
            "role": role,
            "what": what,
            "text": text,
            "source_on": world.source.on,
            "source_V": world.source.voltage_V,
            "load_on": world.load.on,
            "load_A": world.load.current_A,
            "output_V": round(world.unit.output_V, 6),
        }
        self._log.write(json.dumps(entry) + "\n")
        self._log.flush()
