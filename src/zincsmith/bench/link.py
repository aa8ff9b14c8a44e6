"""One connection to one instrument, through PyVISA with the pure-Python backend.

After a timeout a late answer would shift every later one, so a link that failed is closed; whoever needs it
again opens it anew. Nothing blocks longer than TIMEOUT_MS.
"""

from __future__ import annotations

import ctypes.util
import logging
import re
import select
import socket
import time
from collections.abc import Callable, Iterator
from contextlib import ExitStack, contextmanager
from functools import cache
from pathlib import Path
from typing import Any

from zincsmith.model.errors import Garbled, InputError, InstrumentError, Late, Lost

TIMEOUT_MS = 900
BLOCK_MS = 15_000  # for the first byte of a block
WAIT_S = 0.25  # the longest wait for an answer without a sign of life
PIECE = 1 << 16  # bytes read between two signs of life
LONGEST_BLOCK = 64_000_000  # bytes of one channel
LONGEST_ANSWER = 16_000_000  # bytes: nothing that is asked for here is longer
USB_BUS = Path("/dev/bus/usb")
_LOOPBACK = re.compile(
    r"TCPIP\d*::(?:127(?:\.\d{1,3}){3}|localhost|\[?::1\]?)"
    r"(?:::\d+::SOCKET|(?:,\d+)?(?:::[a-z]+\d*(?:,\d+)?)?::INSTR)",
    re.IGNORECASE,
)


@contextmanager
def _libraries_by_name() -> Iterator[None]:
    """The backend looks for drivers of USB as it is read, whatever link is wanted. Where the system's own list of
    libraries does not name them, the standard library goes on to ask compiler and linker, a dozen processes of
    them: that is left out, here only; on a computer without such a bus all of it is."""
    by_list = getattr(ctypes.util, "_findSoname_ldconfig", None)
    whole = ctypes.util.find_library
    if not USB_BUS.exists():
        ctypes.util.find_library = lambda name: None  # noqa: ARG005 - as it is called
    elif by_list is not None:
        ctypes.util.find_library = by_list
    try:
        yield
    finally:
        ctypes.util.find_library = whole


@cache
def _visa() -> Any:
    """The library, read when the first link is opened."""
    import pyvisa

    with _libraries_by_name():
        import pyvisa_py  # noqa: F401

    return pyvisa


@cache
def _more() -> Any:
    """What a read says when there is more to come."""
    return _visa().constants.StatusCode.success_max_count_read


@cache
def _manager() -> Any:
    logging.getLogger("pyvisa").setLevel(logging.CRITICAL)  # its errors reach the person through ours
    return _visa().ResourceManager("@py")


def resources() -> tuple[str, ...]:
    """What is plugged into this computer, serial and USB, by VISA name; nothing on a network is looked for.

    The backend's own list asks the network too, so its kinds of link are asked one by one.
    """
    _manager()
    from pyvisa.constants import InterfaceType
    from pyvisa_py.sessions import Session

    found: list[str] = []
    for (interface, _), kind in Session.iter_valid_session_classes():
        if interface in (InterfaceType.asrl, InterfaceType.usb):
            try:
                found += kind.list_resources()
            except Exception:  # noqa: BLE001 - a driver that is missing leaks errors of many kinds; then it has none
                continue
    return tuple(dict.fromkeys(found))


def warm_up() -> None:
    """Read what opening a link needs, before there is a hurry."""
    _manager()
    import pyvisa_py.tcpip  # noqa: F401


def refuse_real_address(role: str, address: str) -> None:
    """InputError unless the address is on this computer.

    Without a second process that switches off when the engine dies, no real mains source may be armed.
    """
    if not on_this_computer(address):
        raise InputError(
            f"{role.replace('_', ' ')} at {address}: instruments beyond this computer are armed only with a guardian "
            "and a named operator",
            key=f"instrument.{role}.address",
        )


def on_this_computer(address: str) -> bool:
    return _LOOPBACK.fullmatch(address) is not None


ENDS = {"LF": "\n", "CR LF": "\r\n", "CR": "\r"}


class Link:
    """Writes lines and reads answers; every failure is Lost or Late with role, address and command."""

    def __init__(self, role: str, address: str, termination: str = "LF") -> None:
        self.role, self.address, self._ends = role, address, ENDS[termination]
        self.identity = ""
        self.expected = ""  # a serial number that has to stand in its identity
        self.beat: Callable[[], None] = lambda: None
        self.resource: Any = None
        self._quiet = ExitStack()
        self._asked: str | None = None  # what was asked ahead and is not heard yet
        self._unheard = False  # somebody else failed meanwhile: nobody will hear it
        self._broke: InstrumentError | None = None  # how asking ahead failed

    @property
    def is_open(self) -> bool:
        return self.resource is not None

    def open(self) -> None:
        """Connect and hear who is there. A refused port only shows itself at the first answer."""
        self.beat()
        try:
            self.resource = _manager().open_resource(
                self.address, open_timeout=TIMEOUT_MS, read_termination=self._ends, write_termination=self._ends
            )
            self.resource.timeout = TIMEOUT_MS
            self._quiet = ExitStack()  # a piece that is not the last is nothing to warn of, as long as it is open
            self._quiet.enter_context(self.resource.ignore_warning(_more()))
            if (interface := self._socket()) is not None:
                # A setting and the question for errors after it are two small segments: with Nagle's algorithm the
                # second waits for the delayed acknowledgement of the first, 40 ms a setting (RFC 896, RFC 1122).
                interface.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        except Exception as error:  # noqa: BLE001 - the backend leaks errors of many kinds
            self.resource = None
            raise Lost(_unreachable(error), role=self.role, address=self.address) from None
        try:
            self.write("")
            self.identity = self.query("*IDN?")
        except InstrumentError as error:
            self.close()
            raise Lost(
                "nobody answers there; check that it is switched on, its address, its cable, and that no other "
                "program holds it",
                role=self.role,
                address=self.address,
                during="*IDN?",
            ) from error
        if self.expected and self.expected.casefold() not in self.identity.casefold():
            self.close()
            raise Lost(
                f"answers as {self.identity[:80]!r}, but the rig says serial {self.expected[:40]!r}: another "
                "instrument is at this address. Nothing was set",
                role=self.role,
                address=self.address,
                during="*IDN?",
            )

    def write(self, command: str) -> None:
        self._let_go()
        self._guarded(command, lambda resource: resource.write(command))

    def ask(self, command: str) -> None:
        """Ask ahead: the next ``query`` of the same words hears the answer, while other instruments are at work on
        theirs. It raises what goes wrong here."""
        try:
            self.write(command)
            self._asked = command
        except InstrumentError as error:
            self._broke = error

    def leave_unheard(self) -> None:
        """Nobody comes for what was asked ahead: whatever is asked next, its answer is heard first and thrown away."""
        self._unheard, self._broke = self._asked is not None, None

    def _let_go(self) -> None:
        """An answer that was never heard would be taken for the next one. Late when it does not come."""
        if self._asked is not None and self.is_open:
            self._hear(self._asked)
        self._asked, self._unheard, self._broke = None, False, None

    def query(self, command: str) -> str:
        """Ask and hear the whole answer, in pieces, with signs of life in between. Garbled beyond LONGEST_ANSWER."""
        if self._broke is not None:
            broke, self._broke = self._broke, None
            raise broke
        if self._asked != command or self._unheard:
            self.write(command)
        self._asked = None
        return self._hear(command)

    def _hear(self, command: str) -> str:
        self._await(command)
        heard = bytearray()
        while True:
            piece, whole = self._guarded(command, self._piece)
            heard += piece
            if whole:
                return heard.decode("latin-1").strip()
            if len(heard) > LONGEST_ANSWER:
                self.close()
                message = (
                    f"goes on sending after {LONGEST_ANSWER / 1e6:.0f} million bytes; nothing asked for is as long"
                )
                raise Garbled(message, role=self.role, address=self.address, during=command)

    def query_block(self, command: str) -> bytearray:
        """Ask and hear a block of bytes of stated length (``#``, how many digits, the length, the bytes), in pieces,
        with signs of life in between. Garbled for what is no such block, or longer than LONGEST_BLOCK."""
        self.write(command)
        self._await(command, BLOCK_MS)  # a scope takes its time to bring a record together
        heard = bytearray()

        def take(count: int) -> bytes:
            """So many bytes: what ends a line may stand among them."""
            data = self._guarded(command, lambda resource: self._bytes(resource, count))
            return bytes(data)

        head = take(2)
        if head[:1] != b"#" or not head[1:2].isdigit() or head == b"#0":
            self.close()
            raise Garbled(f"answered {head!r}… where a block of bytes was asked for", **self._told(command))
        digits = take(int(head[1:2]))
        length = int(digits) if digits.isdigit() else -1
        if not 0 <= length <= LONGEST_BLOCK:
            self.close()
            raise Garbled(f"announces {digits!r} bytes; {LONGEST_BLOCK} are the most", **self._told(command))
        while len(heard) < length:
            heard += take(min(PIECE, length - len(heard)))
        take(len(self._ends))
        return heard

    @staticmethod
    def _bytes(resource: Any, count: int) -> bytes:
        got = bytearray()
        with resource.read_termination_context(None):
            while len(got) < count:
                piece, _ = resource.visalib.read(resource.session, count - len(got))
                got += piece
        return bytes(got)

    def _told(self, command: str) -> dict[str, str]:
        return {"role": self.role, "address": self.address, "during": command}

    @staticmethod
    def _piece(resource: Any) -> tuple[bytes, bool]:
        piece, status = resource.visalib.read(resource.session, PIECE)
        return piece, status != _more()

    def _session(self) -> Any:
        return self.resource.visalib.sessions.get(self.resource.session)

    def _socket(self) -> socket.socket | None:
        """What carries the bytes, where it is a socket."""
        interface = getattr(self._session(), "interface", None)
        return interface if isinstance(interface, socket.socket) else None

    def _await(self, command: str, at_most_ms: int = 0) -> None:
        """Until something can be read, where that can be told, with signs of life. Late after that time, TIMEOUT_MS
        where none is given."""
        at_most_ms = at_most_ms or TIMEOUT_MS
        interface = self._socket()
        if interface is None or getattr(self._session(), "_pending_buffer", None):
            return
        until = time.monotonic() + at_most_ms / 1000.0
        while not select.select([interface], [], [], WAIT_S)[0]:
            self.beat()
            if time.monotonic() >= until:
                self.close()
                raise self._late(command, at_most_ms)

    def _late(self, command: str, after_ms: int = 0) -> Late:
        after_ms = after_ms or TIMEOUT_MS
        message = f"no answer within {after_ms / 1000:g} s; check that it is not busy, locked or switched off"
        return Late(message, role=self.role, address=self.address, during=command)

    def _guarded(self, command: str, action: Any) -> Any:
        if self.resource is None:
            raise Lost("the connection is closed", role=self.role, address=self.address, during=command)
        self.beat()
        try:
            return action(self.resource)
        except Exception as error:  # noqa: BLE001 - each protocol of the backend leaks errors of its own kinds
            known = isinstance(error, _visa().VisaIOError)
            code = getattr(error, "error_code", None)
            late = code == _visa().constants.StatusCode.error_timeout and not self._has_left()
            self.close()
            if late:
                raise self._late(command) from None
            if known:
                raise Lost("the connection broke", role=self.role, address=self.address, during=command) from None
            raise Lost(
                f"the connection broke ({error})", role=self.role, address=self.address, during=command
            ) from None

    def _has_left(self) -> bool:
        """Whether the other end closed the connection: the backend reports that as a time-out too."""
        interface = self._socket()
        if interface is None:
            return False
        try:
            return interface.recv(1, socket.MSG_PEEK | socket.MSG_DONTWAIT) == b""
        except BlockingIOError:
            return False
        except OSError:
            return True

    def close(self) -> None:
        if self.resource is not None:
            try:
                self._quiet.close()
                self.resource.close()
            except Exception:  # noqa: BLE001 - it is being given up, whatever it says
                pass
            self.resource = None
        self._asked, self._unheard = None, False  # with the connection goes what was on its way


def _unreachable(error: Exception) -> str:
    return f"cannot be reached ({type(error).__name__}); check that it is switched on and its address"
