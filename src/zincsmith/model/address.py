"""Addresses on the bench: a quantity or a role, and the port of the unit that it is at.

``output_voltage`` is that of the one output there is, ``output_voltage@+5 V`` that of one of several; likewise the
load that is joined to it is ``load`` or ``load@+5 V``. In the book and in the log they stand as this text.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping

SEPARATOR = "@"


def at_port(name: str, port: str = "") -> str:
    """The address of a quantity or role at a port; the bare name where nobody had to name the port."""
    return f"{name}{SEPARATOR}{port}" if port else name


def name_of(address: str) -> str:
    """Quantity or role, without its port."""
    return address.partition(SEPARATOR)[0]


def ports_in(addresses: Iterable[str], name: str) -> tuple[str, ...]:
    """The ports that a quantity stands at, in their order."""
    return tuple(dict.fromkeys(port_of(one) for one in addresses if name_of(one) == name))


def seen_from(values: Mapping[str, float], port: str) -> dict[str, float]:
    """Values by address as one port sees them: its own and those of no port, both without one."""
    return {name_of(address): value for address, value in values.items() if port_of(address) in ("", port)}


def port_of(address: str) -> str:
    """The port; empty for the only one."""
    return address.partition(SEPARATOR)[2]
