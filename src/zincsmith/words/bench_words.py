"""What may be said of a bench that was switched off: what was seen, and what was not. Never that a unit is safe."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass
from typing import Literal

from zincsmith.bench.signs import INSIDE, UNPLUGGED_V
from zincsmith.model.events import BenchSettled, RunClosed, SafeStep

NOT_CONFIRMED = "NOT CONFIRMED TO BE OFF"
BY_A_PERSON = "confirmed by"


def end_words(closed: RunClosed) -> str:
    """How a run left the bench: what was seen, or what is not confirmed."""
    if not closed.safe:
        return f"{NOT_CONFIRMED}: {'; '.join(closed.unconfirmed) or 'switch everything off'}"
    seen = "; ".join(closed.seen) if closed.seen else "source and load off"  # books from before kept no more
    return f"{seen}; {INSIDE}"


def step_words(step: SafeStep) -> tuple[str, str]:
    """(what was found, how that is known) of a step of switching off: read back, seen, or confirmed by a person."""
    if BY_A_PERSON in step.readback:
        return "off", step.readback
    found = {"0": "off", "1": "on"}.get(step.readback, step.readback)
    if not step.confirmed:
        return found, "NOT CONFIRMED"
    return found, "read back" if step.readback in {"0", "1"} else "seen"


@dataclass(frozen=True)
class Live:
    """What is on: the one source of what footer, gate and head say. ``state`` is *live*, *off* (as read), *said off*
    (by a person, nobody reads it) or *not known*."""

    state: Literal["live", "off", "said off", "not known"]
    load_on: bool
    words: str

    @property
    def headline(self) -> str:
        """In a few words, for the strip."""
        if self.state == "live":
            return "Input and output are live" if self.load_on else "Input is live, load off"
        return {"off": "Input is off", "said off": "Off, as somebody said", "not known": "Not read yet"}[self.state]


def live_of(values: Mapping[str, float] | None, source_on: bool, load_on: bool, typed: Collection[str] = ()) -> Live:
    """As it was last read, or as it was set where nobody reads it by wire; ``values`` is None before the first poll."""
    volts = values.get("input_voltage") if values and "input_voltage" not in typed else None
    tail = ", load on" if load_on else ""
    if volts is not None and abs(volts) >= UNPLUGGED_V:
        return Live("live", load_on, f"the input is live, {volts:.0f} V read{tail}")
    if source_on:
        words = "the input counts as live" if volts is None else "the source is on"
        return Live("live", load_on, f"{words}{tail}")
    if volts is not None:
        return Live("off", load_on, f"the input is off, {abs(volts):.1f} V read")
    if values is None:
        return Live("not known", load_on, "the bench has not been read yet")
    return Live("said off", load_on, "nothing is switched on, as far as anybody has said")


def settled_words(event: BenchSettled) -> str:
    """Who settled what an earlier run had left open, and how."""
    return f"{event.by or 'the program'}: {event.how}"
