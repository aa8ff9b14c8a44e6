"""The states of the engine and what may be asked of it in each: one table for engine and buttons."""

from __future__ import annotations

from enum import StrEnum


class State(StrEnum):
    IDLE = "idle"
    STARTING = "starting"
    GATE = "at a gate"
    RUNNING = "running"
    ASKING = "waiting for a reading"
    PAUSED = "paused"
    MAKING_SAFE = "making safe"
    SAFE = "safe"
    NOT_CONFIRMED = "not confirmed safe"
    INTERRUPTED = "interrupted"
    TAKEN_OVER = "taken over by the guardian"


REST = (State.IDLE, State.SAFE, State.NOT_CONFIRMED, State.INTERRUPTED, State.TAKEN_OVER)
LIVE = (State.STARTING, State.GATE, State.RUNNING, State.ASKING, State.PAUSED)
UNSAFE = (State.NOT_CONFIRMED, State.INTERRUPTED)  # nobody has read back that the bench is off
# Nothing is energised, as far as anybody has read back: here a run may begin.
READY = (State.IDLE, State.SAFE, State.TAKEN_OVER)

# How a run may have ended that can go on where it stopped.
RESUMABLE = ("interrupted", "made safe", "tripped", "stopped", "failed", "aborted")
AT_WORK = (State.RUNNING, State.ASKING, State.PAUSED)

# (state, command) -> state that follows when the command is obeyed
TABLE: dict[tuple[State, str], State] = {
    **{(state, "start"): State.STARTING for state in READY},
    **{(state, "resume run"): State.STARTING for state in READY},
    **{
        (state, do): state
        for state in READY
        for do in ("try", "scan", "sign", "amend", "end doubt", "read cursors", "take in")
    },
    (State.IDLE, "found interrupted"): State.INTERRUPTED,
    (State.IDLE, "found taken over"): State.TAKEN_OVER,
    (State.IDLE, "found unconfirmed"): State.NOT_CONFIRMED,
    (State.STARTING, "gate"): State.GATE,
    (State.STARTING, "go on"): State.RUNNING,
    (State.GATE, "pass"): State.RUNNING,
    (State.RUNNING, "gate"): State.GATE,
    (State.RUNNING, "ask"): State.ASKING,
    (State.ASKING, "enter"): State.RUNNING,
    **{(State.GATE, do): State.GATE for do in ("continue", "mistyped", "go down")},
    (State.RUNNING, "pause"): State.PAUSED,
    (State.PAUSED, "resume"): State.RUNNING,
    **{(state, do): state for state in (State.RUNNING, State.ASKING) for do in ("skip", "skip part")},
    **{(state, do): state for state in AT_WORK for do in ("repeat", "reject", "correct")},
    **{(state, do): state for state in LIVE for do in ("note", "mark", "read cursors")},
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
