"""The desk of a window: commands and announcements as JSON lines over a socket."""

from __future__ import annotations

import json
import select
import socket
import time
from collections.abc import Callable
from typing import Any

from zincsmith.engine.desk import Command
from zincsmith.engine.states import State

DOCUMENT_COMMANDS = {"revise", "undo", "redo"}


class ControlDesk:
    """Documents are handled as they come, in a run too; everything else is handed to who asks for commands."""

    def __init__(self, control: socket.socket) -> None:
        self._socket = control
        self._unread = b""
        self._gone = ""
        self.documents: Callable[[dict[str, Any]], None] = lambda command: None

    def leave(self, why: str) -> None:
        """Make the next call for commands report that nobody is there any more."""
        self._gone = why

    def say(self, **message: Any) -> None:
        try:
            self._socket.sendall(json.dumps(message).encode() + b"\n")
        except OSError:
            self._gone = self._gone or "the window is gone"

    def announce(self, seq: int, state: State) -> None:
        self.say(seq=seq, state=state.value)

    def commands(self, wait_s: float) -> list[Command]:
        """At once when something was said, else after ``wait_s``."""
        until = time.monotonic() + wait_s
        while True:
            left = max(0.0, until - time.monotonic())
            found = self._hear(min(left, 1.0))
            if self._gone:
                return [Command("gone", self._gone)]
            if found or left <= 0.0:
                return found

    def _hear(self, wait_s: float) -> list[Command]:
        ready, _, _ = select.select([self._socket], [], [], wait_s)
        if ready:
            try:
                data = self._socket.recv(1 << 20)
            except OSError:
                data = b""
            if not data:
                self.leave("the window is gone")
            self._unread += data
        out = []
        while b"\n" in self._unread:
            line, self._unread = self._unread.split(b"\n", 1)
            message = json.loads(line)
            if message["do"] in DOCUMENT_COMMANDS:
                self.documents(message)
            else:
                out.append(Command(message["do"], message.get("text", ""), message))
        return out
