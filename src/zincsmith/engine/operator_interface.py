"""Between the engine and the person: what is announced, what is asked, what was commanded meanwhile."""

from __future__ import annotations

from typing import Protocol

from zincsmith.model.commands import Command
from zincsmith.model.states import State


class OperatorInterface(Protocol):
    def announce(self, seq: int, state: State) -> None:
        """The book holds everything up to ``seq``; called after each commit."""

    def commands(self, wait_s: float) -> list[Command]:
        """Wait at most ``wait_s`` and return what was commanded; at once when something was."""

    def refuse(self, do: str, reason: str) -> None:
        """Say why a command was not obeyed."""
