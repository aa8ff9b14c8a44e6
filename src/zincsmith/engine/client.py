"""The window's end: starts stand-in bench and engine, sends commands, hears what was written."""

from __future__ import annotations

import json
import os
import signal
import socket
import subprocess
import sys
from contextlib import suppress
from pathlib import Path

from zincsmith.bench.standin import RunningStandIn, launch_standin, probes_of
from zincsmith.book.codec import dump
from zincsmith.engine.crash_report import report_folder
from zincsmith.engine.known_bench import is_known_file
from zincsmith.engine.messages import answer_of, line_of
from zincsmith.model.answers import Answer
from zincsmith.model.commands import Command, Revise
from zincsmith.model.rig import Rig

# Meters whose face the stand-in shows when a person reads them.
WITH_A_FRONT_PANEL = ("thermometer", "voltmeter", "panel_voltmeter", "panel_ammeter", "panel_wattmeter",
                      "spot_thermometer")  # fmt: skip


class EngineClient:
    """One engine for one book. ``fileno`` can be watched; ``receive`` then returns what was said."""

    def __init__(self, book: Path, log: Path | None = None) -> None:
        self.book, self.log = book, log
        self.process: subprocess.Popen[bytes] | None = None
        self._socket: socket.socket | None = None
        self._standin: RunningStandIn | None = None
        self._unread = b""
        self._coming = False
        self._early = bytearray()  # said between launch and start: the engine hears it first

    def expect(self) -> None:
        """From here on what is sent waits for ``start``."""
        self._coming = True

    @property
    def said(self) -> bool:
        """Whether something waits for ``start``."""
        return bool(self._early)

    def launch(self, rig: Rig | None) -> None:
        """Start the stand-in bench of a simulated rig without waiting for it. InputError when it has no physics.

        Physics that nobody has picked on this computer is not opened: a book may name any path.
        """
        self.expect()
        if self._standin is None and rig is not None and rig.standin is not None and is_known_file(rig.standin.file):
            self._standin = launch_standin(rig.standin, self.log, self._faces(rig), probes_of(rig))

    def start(self, rig: Rig | None) -> None:
        """Start the stand-in bench, if the rig is simulated, and the engine. InputError when the physics is wrong."""
        self.launch(rig)
        standin = self._standin
        if standin is not None:
            self._standin = None  # one that cannot say its addresses has ended
            addresses = standin.addresses
            self._standin = standin
        ours, theirs = socket.socketpair()
        command = [sys.executable, "-m", "zincsmith.engine", "--book", str(self.book)]
        command += ["--control", str(theirs.fileno())]
        keep = [theirs.fileno()]
        if standin is not None:
            command += ["--addresses", json.dumps(addresses)]
            command += ["--keep", str(standin.keep_fd)]
            keep.append(standin.keep_fd)
        self.process = subprocess.Popen(command, pass_fds=keep, stdin=subprocess.DEVNULL, start_new_session=True)
        theirs.close()
        self._socket, self._unread, self._coming = ours, b"", False
        early, self._early = bytes(self._early), bytearray()
        with suppress(OSError):  # heard as the end of the engine
            ours.sendall(early)
        ours.setblocking(False)

    @staticmethod
    def _faces(rig: Rig) -> tuple[str, ...]:
        """Meters without a cable are shown where there is a screen to show them on."""
        screen = os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY")
        if not screen or os.environ.get("QT_QPA_PLATFORM") in ("offscreen", "minimal"):
            return ()
        return tuple(i.place for i in rig.instruments if i.how == "by hand" and i.role in WITH_A_FRONT_PANEL)

    @property
    def standin_output(self) -> int:
        """Becomes readable when the launched stand-in bench has said its addresses, or has ended; -1 without one."""
        said = self._standin.process.stdout if self._standin is not None else None
        return said.fileno() if said is not None and not said.closed else -1

    @property
    def fileno(self) -> int:
        return self._socket.fileno() if self._socket is not None else -1

    def send(self, command: Command) -> bool:
        """False when nobody hears it any more."""
        line = line_of(command)
        if self._socket is None:
            self._early += line if self._coming else b""
            return self._coming
        try:
            self._socket.setblocking(True)
            self._socket.sendall(line)
            self._socket.setblocking(False)
        except OSError:
            return False
        return True

    def revise(self, kind: str, key: str, record: object, why: str) -> bool:
        return self.send(Revise(kind, key, dump(record), why))

    def receive(self) -> list[Answer] | None:
        """Messages since the last call; None when the engine is gone."""
        if self._socket is None:
            return None
        gone = False
        while True:
            try:
                data = self._socket.recv(1 << 16)
            except BlockingIOError:
                break
            except OSError:
                data = b""
            if not data:
                gone = True
                break
            self._unread += data
        *lines, self._unread = self._unread.split(b"\n")
        messages = [answer_of(line) for line in lines]
        if gone:
            self._drop()
        return None if gone and not messages else messages

    @property
    def how_it_ended(self) -> str:
        """Of an engine that is gone, in words; empty while it is there."""
        code = self.process.poll() if self.process is not None else None
        if code is None:
            return ""
        if code < 0:
            return f"it was ended by {signal.Signals(-code).name}"
        return "it took this window for gone" if code == 0 else f"a fault in the program; see {report_folder()}"

    def _drop(self) -> None:
        if self._socket is not None:
            self._socket.close()
            self._socket = None
        if self.process is not None:
            self.process.wait()

    def stop(self, wait_s: float = 15.0) -> None:
        """Hang up: the engine makes safe what it runs, closes the book and ends; then the stand-in ends."""
        if self._socket is not None:
            self._socket.close()
            self._socket = None
        if self.process is not None:
            self.process.wait(wait_s)
            self.process = None
        self.stop_standin()

    def stop_standin(self) -> None:
        if self._standin is not None:
            self._standin.stop()
            self._standin = None
