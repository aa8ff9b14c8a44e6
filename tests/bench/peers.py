"""Small instruments of our own at the other end of HiSLIP and VXI-11, each serving one connection on loopback.

Message layouts from memory: IVI-6.1 (HiSLIP), VXI-11 rev. 1.0 with RFC 5531 (RPC) and RFC 4506 (XDR)."""

from __future__ import annotations

import socket
import struct
import threading
from collections.abc import Callable
from contextlib import suppress

Answer = Callable[[bytes], bytes | None]
HEADER = struct.Struct("!2sBBIQ")
INIT, INIT_ANSWER, DATA, DATA_END, SIZE, SIZE_ANSWER, ASYNC, ASYNC_ANSWER = 0, 1, 6, 7, 15, 16, 17, 18
CREATE, WRITE, READ, DESTROY = 10, 11, 12, 23
TIMED_OUT, ENDED = 15, 4


def _exactly(line: socket.socket, count: int) -> bytes:
    data = b""
    while len(data) < count:
        more = line.recv(count - len(data))
        if not more:
            raise ConnectionError
        data += more
    return data


class Peer:
    """Listens until closed; ``serve`` deals with one connection in a thread of its own."""

    def __init__(self, answer: Answer) -> None:
        self.answer = answer
        self._listener = socket.create_server(("127.0.0.1", 0))
        self.port = self._listener.getsockname()[1]
        self._lines: list[socket.socket] = []
        threading.Thread(target=self._accept, daemon=True).start()

    def _accept(self) -> None:
        while True:
            try:
                line, _ = self._listener.accept()
            except OSError:
                return
            self._lines.append(line)
            threading.Thread(target=self._quietly, args=(line,), daemon=True).start()

    def _quietly(self, line: socket.socket) -> None:
        try:
            self.serve(line)
        except OSError:
            line.close()

    def serve(self, line: socket.socket) -> None:
        raise NotImplementedError

    def hang_up(self) -> None:
        """As if the cable had been pulled."""
        for line in self._lines:
            with suppress(OSError):  # one that was hung up from the other side already
                line.shutdown(socket.SHUT_RDWR)
            line.close()
        self._lines.clear()

    def close(self) -> None:
        self._listener.close()
        for line in self._lines:
            line.close()


class HislipPeer(Peer):
    @property
    def address(self) -> str:
        return f"TCPIP::127.0.0.1::hislip0,{self.port}::INSTR"

    def serve(self, line: socket.socket) -> None:
        unread = b""
        while True:
            _, kind, _, parameter, length = HEADER.unpack(_exactly(line, HEADER.size))
            payload = _exactly(line, length)
            if kind == INIT:
                self._say(line, INIT_ANSWER, 0x0100_0001)
            elif kind == ASYNC:
                self._say(line, ASYNC_ANSWER, 0)
            elif kind == SIZE:
                self._say(line, SIZE_ANSWER, 0, struct.pack("!Q", 65536))
            elif kind in (DATA, DATA_END):
                unread += payload
                if kind == DATA_END:
                    message, unread = unread.strip(), b""
                    reply = self.answer(message)
                    if reply is not None:
                        self._say(line, DATA_END, parameter, reply + b"\n")

    @staticmethod
    def _say(line: socket.socket, kind: int, parameter: int, payload: bytes = b"") -> None:
        line.sendall(HEADER.pack(b"HS", kind, 0, parameter, len(payload)) + payload)


class Vxi11Peer(Peer):
    @property
    def address(self) -> str:
        return f"TCPIP::127.0.0.1,{self.port}::inst0::INSTR"

    def serve(self, line: socket.socket) -> None:
        waiting = b""
        while True:
            mark = struct.unpack("!I", _exactly(line, 4))[0]
            call = _exactly(line, mark & 0x7FFF_FFFF)
            xid, _, _, _, _, procedure = struct.unpack("!6I", call[:24])
            at = 24
            for _ in range(2):  # credentials and verifier, both empty or skipped
                size = struct.unpack("!I", call[at + 4 : at + 8])[0]
                at += 8 + size
            body = call[at:]
            if procedure == CREATE:
                result = struct.pack("!iiII", 0, 1, 0, 65536)
            elif procedure == WRITE:
                size = struct.unpack("!I", body[16:20])[0]
                waiting = self.answer(body[20 : 20 + size].strip()) or b""
                result = struct.pack("!iI", 0, size)
            elif procedure == READ and waiting:
                data, waiting = waiting + b"\n", b""
                result = struct.pack("!iiI", 0, ENDED, len(data)) + data + b"\0" * (-len(data) % 4)
            elif procedure == READ:
                result = struct.pack("!iiI", TIMED_OUT, 0, 0)
            else:
                result = struct.pack("!i", 0)
            reply = struct.pack("!6I", xid, 1, 0, 0, 0, 0) + result
            line.sendall(struct.pack("!I", 0x8000_0000 | len(reply)) + reply)
