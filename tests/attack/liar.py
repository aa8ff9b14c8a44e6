"""An instrument that lies: stands between the program and an instrument of the stand-in, and bends what is said."""

from __future__ import annotations

import socket
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, field

# Takes (what is said, how often something was said, the honest answer or None); returns what to answer: bytes, None for
# silence, or HANG_UP.
Bend = Callable[[str, int, bytes | None], bytes | None]
HANG_UP = b"\0hang up"
SWALLOW = "swallow"


@dataclass
class Liar:
    """Listens on a port of its own, on loopback. ``swallows``: commands that never reach the instrument."""

    address: str
    bend: Bend
    swallows: tuple[str, ...] = ()
    piece_s: float = 0.0  # pause between single bytes of an answer
    said: int = 0
    _listener: socket.socket = field(default_factory=socket.socket)

    def __post_init__(self) -> None:
        self._listener.bind(("127.0.0.1", 0))
        self._listener.listen(8)
        self._over = False
        self._thread = threading.Thread(target=self._serve, daemon=True)
        self._thread.start()

    @property
    def visa(self) -> str:
        return f"TCPIP::127.0.0.1::{self._listener.getsockname()[1]}::SOCKET"

    def stop(self) -> None:
        self._over = True
        self._listener.close()

    def _serve(self) -> None:
        while not self._over:
            try:
                client, _ = self._listener.accept()
            except OSError:
                return
            with client:
                host, port = self.address.split("::")[1:3]
                try:
                    with socket.create_connection((host, int(port)), 2.0) as honest:
                        self._talk(client, honest)
                except OSError:
                    continue

    def _talk(self, client: socket.socket, honest: socket.socket) -> None:
        heard = b""
        while data := client.recv(65536):
            heard += data
            while b"\n" in heard:
                line, heard = heard.split(b"\n", 1)
                text = line.decode("latin-1").strip()
                self.said += 1
                if text and not any(text.startswith(s) for s in self.swallows):
                    honest.sendall(line + b"\n")
                answer = _line(honest) if text.endswith("?") else None
                bent = self.bend(text, self.said, answer)
                if bent == HANG_UP:
                    return
                if bent is not None:
                    self._send(client, bent)

    def _send(self, client: socket.socket, data: bytes) -> None:
        if not self.piece_s:
            client.sendall(data)
            return
        for at in range(len(data)):
            client.sendall(data[at : at + 1])
            time.sleep(self.piece_s)


def _line(honest: socket.socket) -> bytes:
    honest.settimeout(2.0)
    data = b""
    while not data.endswith(b"\n"):
        more = honest.recv(65536)
        if not more:
            break
        data += more
    return data


def answers(query: str, reply: str | bytes, after: int = 0) -> Bend:
    """Says the same to one question, from the ``after``-th time on that anything is said; is honest otherwise."""
    data = reply if isinstance(reply, bytes) else reply.encode("utf-8")

    def bend(text: str, said: int, honest: bytes | None) -> bytes | None:
        return data + b"\n" if text.startswith(query) and honest is not None and said > after else honest

    return bend


def frozen(query: str, live: float) -> Bend:
    """Repeats, from then on, the first thing it answers to a question that is more than ``live``.

    By what it reads and not by how often it was asked: a machine that is busy asks less often, and a meter that
    freezes once the bench is off again has nothing left to lie about.
    """
    kept: list[bytes] = []

    def bend(text: str, said: int, honest: bytes | None) -> bytes | None:
        if not text.startswith(query) or honest is None:
            return honest
        if not kept and float(honest.split(b",")[0]) > live:
            kept.append(honest)
        return kept[0] if kept else honest

    return bend


def silent(after: int) -> Bend:
    return lambda _text, said, honest: None if said > after else honest


def leaves(after: int) -> Bend:
    """Hangs up at everything, from then on."""
    return lambda _text, said, honest: HANG_UP if said > after else honest
