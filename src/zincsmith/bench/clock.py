"""Bench time. Whoever owns the instruments advances it, in slices."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import Protocol

from zincsmith.bench.instrument import ScpiInstrument

SLEEP_S = 0.25  # the longest stretch without a sign of life


class Clock(Protocol):
    """``advance`` moves bench time on by a slice; ``wall_s`` says how long a person waits for it."""

    @property
    def now_s(self) -> float: ...

    def wall_s(self, seconds: float) -> float: ...

    def advance(self, seconds: float) -> None: ...


def let_pass(clock: Clock, seconds: float, beat: Callable[[], None]) -> None:
    """Let bench time pass with nobody to ask meanwhile: for making safe. ``beat`` is called in between, so that whoever
    watches over this process sees it work."""
    left = clock.wall_s(seconds)
    while True:
        beat()
        time.sleep(min(left, SLEEP_S))
        left -= SLEEP_S
        if left <= 0.0:
            break
    clock.advance(seconds)


class WallClock:
    """Bench time is real time: it has passed while the engine waited."""

    def __init__(self) -> None:
        self._began = time.monotonic()

    @property
    def now_s(self) -> float:
        return time.monotonic() - self._began

    def wall_s(self, seconds: float) -> float:
        return seconds

    def advance(self, seconds: float) -> None:
        """Nothing to do."""


class SimulatedClock:
    """Bench time of the stand-in bench, advanced by its own command; ``pace`` 0 waits for nothing."""

    def __init__(self, instrument: ScpiInstrument, pace: float) -> None:
        self._instrument, self._pace = instrument, pace
        self._now = instrument.get("time")

    @property
    def now_s(self) -> float:
        return self._now

    def wall_s(self, seconds: float) -> float:
        return seconds / self._pace if self._pace else 0.0

    def advance(self, seconds: float) -> None:
        self._instrument.tell("advance", seconds)
        self._now += seconds
