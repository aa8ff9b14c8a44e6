"""Which instruments answer: this computer's own links, and hosts a person names. Nothing else is looked at."""

from __future__ import annotations

from dataclasses import dataclass

from zincsmith.bench.link import Link, resources
from zincsmith.model.errors import InstrumentError

PORTS = (5025,)  # where LAN instruments commonly listen for SCPI over a plain socket; common practice, no source


@dataclass(frozen=True)
class Answer:
    address: str
    identity: str


def scan(hosts: tuple[str, ...] = (), ports: tuple[int, ...] = ()) -> list[Answer]:
    """Whoever answers ``*IDN?``: USB and serial of this computer; or each named host by socket, HiSLIP and VXI-11,
    or at the ports that are named."""
    addresses = [] if hosts else list(resources())
    for host in hosts:
        addresses += [f"TCPIP::{host}::{port}::SOCKET" for port in ports or PORTS]
        if not ports:
            addresses += [f"TCPIP::{host}::hislip0::INSTR", f"TCPIP::{host}::inst0::INSTR"]
    found = []
    for address in addresses:
        link = Link("instrument", address)
        try:
            link.open()
        except InstrumentError:
            continue
        found.append(Answer(address, link.identity))
        link.close()
    return found
