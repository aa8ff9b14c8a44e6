"""The operator interface of a window: commands and answers as lines over a socket."""

from __future__ import annotations

import select
import socket
import time
from collections.abc import Callable

from zincsmith.engine.messages import command_of, line_of
from zincsmith.model.answers import Answer, News, Refused
from zincsmith.model.commands import Command, DocumentCommand, Gone, Here
from zincsmith.model.errors import BookError
from zincsmith.model.states import LIVE, State

FROZEN_S = 20.0  # a window that beat once and says nothing for so long in a run is frozen; far longer than it may block


class WindowInterface:
    """Documents are handled as they come, in a run too; everything else is handed to who asks for commands.

    A window says from its event loop that it is ``here``, so that one that froze is noticed.
    """

    def __init__(self, control: socket.socket) -> None:
        self._socket = control
        control.setblocking(False)
        self._unread = b""
        self._unsaid = bytearray()
        self._news: bytes | None = None
        self._gone = ""
        self._told_gone = False
        self._beats, self._state = False, State.IDLE
        self._silent_s, self._heard = 0.0, time.monotonic()
        self.documents: Callable[[DocumentCommand], None] = lambda _command: None

    def leave(self, why: str) -> None:
        """Make the next call for commands report that nobody is there any more."""
        self._gone = why

    def say(self, answer: Answer) -> None:
        self._take_news()
        self._unsaid += line_of(answer)
        self._flush()

    def refuse(self, do: str, reason: str) -> None:
        self.say(Refused(do, reason))

    def announce(self, seq: int, state: State) -> None:
        """Only the latest announcement matters: a window that does not listen keeps one waiting, no more."""
        self._state = state
        self._news = line_of(News(seq, state))
        self._flush()

    def _take_news(self) -> None:
        if self._news is not None:
            self._unsaid += self._news
            self._news = None

    def _flush(self) -> None:
        """Say as much as the other end takes now; never wait for it."""
        try:
            if not self._unsaid:
                self._take_news()
            while self._unsaid:
                sent = self._socket.send(self._unsaid)
                del self._unsaid[:sent]
                if not self._unsaid:
                    self._take_news()
        except BlockingIOError:
            pass
        except OSError:
            self._gone = self._gone or "the window is gone"

    def commands(self, wait_s: float) -> list[Command]:
        """At once when something was said, else after ``wait_s``."""
        until = time.monotonic() + wait_s
        if self._told_gone:  # whoever goes on without a window still keeps time
            time.sleep(min(wait_s, 1.0))
            return [Gone(self._gone)]
        while True:
            left = max(0.0, until - time.monotonic())
            found = self._hear(min(left, 1.0))
            if self._beats and self._state in LIVE and self._silent_s > FROZEN_S:
                self.leave("the window does not answer")
            if self._gone:
                self._told_gone = True
                return [Gone(self._gone)]
            if found or left <= 0.0:
                return found

    def _hear(self, wait_s: float) -> list[Command]:
        talk = [self._socket] if self._unsaid or self._news else []
        ready, free, _ = select.select([self._socket], talk, [], wait_s)
        now = time.monotonic()
        # In ticks of our own of a second at most: on a computer that stood still, both stood still.
        self._silent_s = 0.0 if ready else self._silent_s + min(now - self._heard, 1.0)
        self._heard = now
        if free:
            self._flush()
        if ready:
            try:
                data = self._socket.recv(1 << 20)
            except BlockingIOError:
                return []
            except OSError:
                data = b""
            if not data:
                self.leave("the window is gone")
            self._unread += data
        out = []
        while b"\n" in self._unread:
            line, self._unread = self._unread.split(b"\n", 1)
            try:
                command = command_of(line)
            except BookError as error:
                self.refuse("", str(error))
                continue
            if isinstance(command, Here):
                self._beats = True
            elif isinstance(command, DocumentCommand):
                self.documents(command)
            else:
                out.append(command)
        return out
