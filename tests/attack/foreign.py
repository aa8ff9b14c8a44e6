"""A book from somewhere else, and whatever listens on this computer."""

from __future__ import annotations

import socket
import threading
from dataclasses import replace
from pathlib import Path

from zincsmith.book.writer import BookWriter
from zincsmith.model.events import RunOpened
from zincsmith.model.plan import Plan
from zincsmith.model.rig import Rig
from zincsmith.model.unit import Unit


class Service:
    """Whatever listens on this computer: it counts what it is told."""

    def __init__(self) -> None:
        self.heard = b""
        self.calls = 0
        self.listener = socket.socket()
        self.listener.bind(("127.0.0.1", 0))
        self.listener.listen(8)
        threading.Thread(target=self._serve, daemon=True).start()

    @property
    def visa(self) -> str:
        return f"TCPIP::127.0.0.1::{self.listener.getsockname()[1]}::SOCKET"

    def _serve(self) -> None:
        while True:
            try:
                client, _ = self.listener.accept()
            except OSError:
                return
            self.calls += 1
            with client:
                client.settimeout(1.0)
                try:
                    self.heard += client.recv(65536)
                except OSError:
                    continue


def foreign_book(folder: Path, unit: Unit, rig: Rig, plan: Plan, service: Service) -> Path:
    """A book with an interrupted run, whose rig names addresses on this computer and files anywhere."""
    far = tuple(replace(i, how="connected", address=service.visa) for i in rig.instruments)
    assert rig.standin is not None
    trap = replace(rig.standin, file=str(folder / "trap.toml"))
    (folder / "trap.toml").mkdir()  # opening it would be seen
    path = folder / "foreign.zbook"
    with BookWriter(path) as book:
        book.revise("unit", unit.tag, unit, "x")
        book.revise("rig", "bench", replace(rig, clock="wall", instruments=far, standin=trap), "x")
        book.revise("plan", "plan", plan, "x")
        book.open_run(RunOpened(unit.tag, 1, 1, 1, (("static_grid", 5),), "Somebody", 23.0, False, "x"))
    return path
