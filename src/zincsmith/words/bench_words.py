"""What may be said of a bench that was switched off: what was seen, and what was not. Never that a unit is safe."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass, field
from typing import Literal

from zincsmith.bench.signs import CLAIM_OF, INSIDE, OUTPUT, UNPLUGGED_V, fallen_below_V
from zincsmith.model.address import name_of, port_of
from zincsmith.model.events import BenchSettled, RunClosed, SafeStep

NOT_CONFIRMED = "NOT CONFIRMED TO BE OFF"
BY_A_PERSON = "confirmed by"
LEAST_V = 0.5  # less than this at an output is what leads and meters pick up; common practice, no source


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
    """What is on, and what still holds volts: the one source of what footer, gate and head say. ``state`` is *live*,
    *charged* (the input is off, an output is not), *off* (as read), *said off* (by a person, nobody reads it) or *not
    known*. ``outputs`` are the volts read at each output that has not fallen; ``sign`` is how it is known: *read*, *as
    set* or *as said*; ``since`` when it became so, as the time on the wall, empty where that is not known."""

    state: Literal["live", "charged", "off", "said off", "not known"]
    load_on: bool
    words: str
    outputs: Mapping[str, float] = field(default_factory=dict)
    sign: Literal["read", "as set", "as said", ""] = ""
    since: str = ""
    input_V: float | None = None  # as read, None where nobody reads it by wire

    @property
    def detail(self) -> str:
        """What stands under the headline: nothing of it twice."""
        if self.state == "live":
            said = [self.levels, "" if self.since else "mains at the source"]
        elif self.state == "charged":
            said = [_with(self.outputs, "still ")[2:]]
        elif self.state == "off":
            said = [f"{abs(self.input_V or 0.0):.1f} V read at the input"]
        else:
            said = ["nobody reads it by wire" if self.state == "said off" else ""]
        dated = f"since {self.since}" if self.since and self.state in ("live", "charged") else ""
        return ", ".join(x for x in (*said, dated) if x)

    @property
    def told(self) -> str:
        """The words, with since when where something is live."""
        return f"{self.words}; since {self.since}" if self.since and self.state in ("live", "charged") else self.words

    @property
    def headline(self) -> str:
        """In a few words, for the strip."""
        if self.state == "live":
            return "Input and output are live" if self.load_on else "Input is live, load off"
        return {
            "charged": "Input off, output still live",
            "off": "Input is off",
            "said off": "Off, as somebody said",
            "not known": "Not read yet",
        }[self.state]

    @property
    def levels(self) -> str:
        """The outputs that hold volts, each with what was read: *12 V at the output*, *+12 V and +5 V live*."""
        each = [f"{abs(v):.0f} V at {port or 'the output'}" for port, v in self.outputs.items()]
        return each[0] if len(each) == 1 else f"{' and '.join(self.outputs)} live" if each else ""


def live_of(
    values: Mapping[str, float] | None,
    source_on: bool,
    load_on: bool,
    typed: Collection[str] = (),
    highest: Mapping[str, float] | None = None,
) -> Live:
    """As it was last read, or as it was set where nobody reads it by wire; ``values`` is None before the first poll.
    ``highest`` is the most each output was read at in this run, V by port: what it has to have fallen from."""
    volts = values.get("input_voltage") if values and "input_voltage" not in typed else None
    held = _held(values or {}, typed, highest or {})
    tail = ", load on" if load_on else ""
    if volts is not None and abs(volts) >= UNPLUGGED_V:
        return Live(
            "live", load_on, f"the input is live, {volts:.0f} V read{tail}{_with(held)}", held, "read", input_V=volts
        )
    if source_on:
        words = "the input counts as live" if volts is None else "the source is on"
        return Live("live", load_on, f"{words}{tail}{_with(held)}", held, "as set")
    off = f"the input is off, {abs(volts):.1f} V read" if volts is not None else "the input is switched off"
    if held:
        return Live("charged", load_on, f"{off}{_with(held, 'still ')}", held, "read")
    if volts is not None:
        return Live("off", load_on, off, sign="read", input_V=volts)
    if values is None:
        return Live("not known", load_on, "the bench has not been read yet")
    return Live("said off", load_on, "nothing is switched on, as far as anybody has said", sign="as said")


def _held(values: Mapping[str, float], typed: Collection[str], highest: Mapping[str, float]) -> dict[str, float]:
    """By port the volts of the outputs that have not fallen; what somebody typed earlier says nothing of now."""
    found: dict[str, float] = {}
    for address, value in values.items():
        port = port_of(address)
        if address not in typed and CLAIM_OF.get(name_of(address)) == OUTPUT:
            fallen = max(LEAST_V, fallen_below_V(highest.get(port, 0.0)))
            if abs(value) >= fallen and abs(value) > abs(found.get(port, 0.0)):
                found[port] = value
    return found


def _with(held: Mapping[str, float], still: str = "") -> str:
    each = [f"{port or 'the output'} {still}reads {value:.1f} V" for port, value in held.items()]
    return f"; {', '.join(each)}" if each else ""


def settled_words(event: BenchSettled) -> str:
    """Who settled what an earlier run had left open, and how."""
    return f"{event.by or 'the program'}: {event.how}"
