"""One connection to one instrument, through PyVISA with the pure-Python backend.

After a timeout a late answer would shift every later one, so a link that failed is closed; whoever needs it
again opens it anew. Nothing blocks longer than TIMEOUT_MS.
"""

from __future__ import annotations

import logging
import re
import socket
from functools import cache
from typing import Any

from zincsmith.model.errors import InputError, InstrumentError, Late, Lost

TIMEOUT_MS = 900
_LOOPBACK = re.compile(r"TCPIP\d*::(?:127(?:\.\d{1,3}){3}|localhost|\[?::1\]?)::\d+::SOCKET", re.IGNORECASE)


@cache
def _manager() -> Any:
    logging.getLogger("pyvisa").setLevel(logging.CRITICAL)  # its errors reach the person through ours
    import pyvisa

    return pyvisa.ResourceManager("@py")


def refuse_real_address(role: str, address: str) -> None:
    """InputError unless the address is on this computer.

    Without a second process that switches off when the engine dies, no real mains source may be armed.
    """
    if not _LOOPBACK.fullmatch(address):
        raise InputError(
            f"{role.replace('_', ' ')} at {address}: only instruments on this computer (127.0.0.1) can be armed; "
            "a real bench needs the guardian, which this version does not have yet",
            key=f"instrument.{role}.address",
        )


ENDS = {"LF": "\n", "CR LF": "\r\n", "CR": "\r"}


class Link:
    """Writes lines and reads answers; every failure is Lost or Late with role, address and command."""

    def __init__(self, role: str, address: str, termination: str = "LF") -> None:
        self.role, self.address, self._ends = role, address, ENDS[termination]
        self.identity = ""
        self._resource: Any = None

    @property
    def is_open(self) -> bool:
        return self._resource is not None

    def open(self) -> None:
        """Connect and hear who is there. A refused port only shows itself at the first answer."""
        refuse_real_address(self.role, self.address)
        try:
            self._resource = _manager().open_resource(
                self.address, open_timeout=TIMEOUT_MS, read_termination=self._ends, write_termination=self._ends
            )
            self._resource.timeout = TIMEOUT_MS
        except Exception as error:  # noqa: BLE001 - the backend leaks errors of many kinds
            self._resource = None
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

    def write(self, command: str) -> None:
        self._guarded(command, lambda resource: resource.write(command))

    def query(self, command: str) -> str:
        answer: str = self._guarded(command, lambda resource: resource.query(command))
        return answer.strip()

    def _guarded(self, command: str, action: Any) -> Any:
        if self._resource is None:
            raise Lost("the connection is closed", role=self.role, address=self.address, during=command)
        import pyvisa

        try:
            return action(self._resource)
        except pyvisa.VisaIOError as error:
            late = error.error_code == pyvisa.constants.StatusCode.error_timeout and not self._has_left()
            self.close()
            if late:
                message = f"no answer within {TIMEOUT_MS / 1000:g} s; check that it is not busy, locked or switched off"
                raise Late(message, role=self.role, address=self.address, during=command) from None
            raise Lost("the connection broke", role=self.role, address=self.address, during=command) from None
        except (OSError, UnicodeDecodeError) as error:
            self.close()
            raise Lost(
                f"the connection broke ({error})", role=self.role, address=self.address, during=command
            ) from None

    def _has_left(self) -> bool:
        """Whether the other end closed the connection: the backend reports that as a time-out too."""
        session = self._resource.visalib.sessions.get(self._resource.session)
        interface = getattr(session, "interface", None)
        if not isinstance(interface, socket.socket):
            return False
        try:
            return interface.recv(1, socket.MSG_PEEK | socket.MSG_DONTWAIT) == b""
        except BlockingIOError:
            return False
        except OSError:
            return True

    def close(self) -> None:
        if self._resource is not None:
            try:
                self._resource.close()
            except Exception:  # noqa: BLE001 - it is being given up, whatever it says
                pass
            self._resource = None


def _unreachable(error: Exception) -> str:
    return f"cannot be reached ({type(error).__name__}); check that it is switched on and its address"
