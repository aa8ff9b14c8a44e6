"""The states of the engine and what may be asked of it in each: one table for engine and buttons."""

from __future__ import annotations

from enum import StrEnum


class State(StrEnum):
    IDLE = "idle"
    STARTING = "starting"
    GATE = "at a gate"
    RUNNING = "running"
    ASKING = "waiting for a reading"
    MAKING_SAFE = "making safe"
    SAFE = "safe"
    NOT_CONFIRMED = "not confirmed safe"


REST = (State.IDLE, State.SAFE, State.NOT_CONFIRMED)
LIVE = (State.STARTING, State.GATE, State.RUNNING, State.ASKING)

# (state, command) -> state that follows when the command is obeyed
TABLE: dict[tuple[State, str], State] = {
    (State.IDLE, "start"): State.STARTING,
    (State.SAFE, "start"): State.STARTING,
    (State.IDLE, "try"): State.IDLE,
    (State.SAFE, "try"): State.SAFE,
    (State.STARTING, "gate"): State.GATE,
    (State.STARTING, "go on"): State.RUNNING,
    (State.GATE, "pass"): State.RUNNING,
    (State.RUNNING, "gate"): State.GATE,
    (State.RUNNING, "ask"): State.ASKING,
    (State.ASKING, "enter"): State.RUNNING,
    (State.MAKING_SAFE, "confirmed"): State.SAFE,
    (State.MAKING_SAFE, "unconfirmed"): State.NOT_CONFIRMED,
    **{(state, "make safe"): State.MAKING_SAFE for state in State if state is not State.MAKING_SAFE},
    **{(state, "abort"): State.MAKING_SAFE for state in LIVE},
}


def allowed(state: State, command: str) -> bool:
    """Whether a button may be pressed, a command obeyed."""
    return (state, command) in TABLE


def follow(state: State, command: str) -> State:
    """The next state; ValueError for a command that has no place there: a bug in the caller."""
    try:
        return TABLE[state, command]
    except KeyError:
        raise ValueError(f"{command!r} has no place in state {state.value!r}") from None
