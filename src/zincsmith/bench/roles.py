"""The roles that are switched: which feed the unit, in which order they are switched off, how each is read back.

Arming, making safe, the guardian and the gates for what a person switches all go by this one table: a role that is
added here is switched off, read back and named to a person without a line anywhere else.
"""

from __future__ import annotations

from dataclasses import dataclass

from zincsmith.model.address import at_port
from zincsmith.model.rig import Instrument, Rig
from zincsmith.model.roles import IN_ORDER_OFF, ROLES, SWITCHES


@dataclass(frozen=True)
class Switched:
    """``feeds``: it energises the unit, so it goes off before anything else; what does not feed takes energy out.

    ``by_hand`` tells a person how to switch it off. Off is read back through ``switch`` (an operation of its dialect).
    """

    role: str
    feeds: bool
    by_hand: str

    @property
    def switch(self) -> str:
        return SWITCHES[self.role]

    def step(self, port: str = "") -> str:
        """What switching it off is called in the book."""
        return f"{ROLES[at_port(self.role, port)]} off"


SWITCHED = tuple(Switched(role.name, role.feeds, role.off) for role in IN_ORDER_OFF)
FEEDING = tuple(s.role for s in SWITCHED if s.feeds)
ANOTHER_SUPPLY = "disconnect it from the unit: a source behind an output cannot be switched off from here"


def off_words(one: Instrument, switched: Switched) -> str:
    """What a person has to do: the instrument by name, then how; a load that is a source itself is disconnected."""
    how = ANOTHER_SUPPLY if is_a_source(one) else switched.by_hand
    return f"{ROLES[one.place]} {one.name}: {how}"


def switched_of(rig: Rig) -> list[tuple[Switched, Instrument]]:
    """Everything of a rig that is switched, each instrument by itself, in the order in which they go off."""
    return [(switched, one) for switched in SWITCHED for one in rig.of(switched.role)]


def is_a_source(one: Instrument | None) -> bool:
    """Whether a load can feed back: a battery or another supply is disconnected, never called off."""
    return one is not None and one.dummy is not None and one.dummy.kind == "another supply"


def to_switch_off(rig: Rig) -> tuple[str, ...]:
    """Everything of a rig that a person has to switch off where nobody has read back that it is."""
    return tuple(off_words(one, s) for s, one in switched_of(rig))
