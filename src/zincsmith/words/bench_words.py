"""What may be said of a bench that was switched off: what was seen, and what was not. Never that a unit is safe."""

from __future__ import annotations

from typing import TYPE_CHECKING

from zincsmith.bench.signs import INSIDE

if TYPE_CHECKING:
    from zincsmith.model.events import BenchSettled, RunClosed, SafeStep

NOT_CONFIRMED = "NOT CONFIRMED TO BE OFF"
BY_A_PERSON = "confirmed by"


def end_words(closed: RunClosed) -> str:
    """How a run left the bench: what was seen, or what is not confirmed."""
    if not closed.safe:
        return f"{NOT_CONFIRMED}: {'; '.join(closed.unconfirmed) or 'switch everything off'}"
    seen = "; ".join(closed.seen) if closed.seen else "source and load off"  # books from before kept no more
    inside = f"may be charged inside: {', '.join(closed.inside)}" if closed.inside else INSIDE
    return f"{seen}; {inside}"


def step_words(step: SafeStep) -> tuple[str, str]:
    """(what was found, how that is known) of a step of switching off: read back, seen, or confirmed by a person."""
    if BY_A_PERSON in step.readback:
        return "off", step.readback
    found = {"0": "off", "1": "on"}.get(step.readback, step.readback)
    if not step.confirmed:
        return found, "NOT CONFIRMED"
    return found, "read back" if step.readback in {"0", "1"} else "seen"


def settled_words(event: BenchSettled) -> str:
    """Who settled what an earlier run had left open, and how."""
    return f"{event.by or 'the program'}: {event.how}"
