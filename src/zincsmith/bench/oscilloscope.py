"""A scope by wire: set up, armed, asked whether it has triggered, its samples fetched as blocks of bytes."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from zincsmith.bench.instrument import ScpiInstrument
from zincsmith.model.capture import Trigger
from zincsmith.model.errors import Garbled, LimitError

Codes = NDArray[Any]  # whole numbers of one or two bytes

SLOPES = {"rising": "POS", "falling": "NEG", "either": "EITH"}
WAITING, DONE = 0.0, 1.0  # what the state says: armed and nothing came, or a record is there


@dataclass(frozen=True)
class Fetched:
    """One channel: a sample is ``origin`` plus its code times ``step``. ``clipped`` is the share of codes at either end
    of what the converter can say."""

    codes: Codes
    step: float
    origin: float
    clipped: float


class Oscilloscope(ScpiInstrument):
    """Channels are numbered from 1."""

    def set_up(self, channel: int, span: float, centre: float, coupling: str, bandwidth_Hz: float | None) -> None:
        """The range of a channel; coupling and limit of the bandwidth where the instrument can be told."""
        self._set_at(channel, "span", span)
        self._set_at(channel, "offset", centre)
        if self.can_choose("coupling"):
            self._say("set_coupling", value=coupling, channel=channel)
        if bandwidth_Hz is not None and self.can_choose("bandwidth"):
            self._set_at(channel, "bandwidth", bandwidth_Hz)

    @property
    def spans(self) -> tuple[float, float]:
        """The smallest and the largest range of a channel, before any probe."""
        return self.dialect.limits.get("span", (0.0, float("inf")))

    def set_time(self, rate_Hz: float, samples: int, before: int) -> tuple[float, int]:
        """(rate, samples) as they are then: what the instrument has, at most what was asked for."""
        low, high = self.dialect.limits.get("rate", (rate_Hz, rate_Hz))
        rate_Hz = min(max(rate_Hz, low), high)
        most = self.dialect.limits.get("depth", (0.0, float(samples)))[1]
        samples = min(samples, int(most))
        self.set("rate", rate_Hz)
        self.set("depth", float(samples))
        self.set("before", float(min(before, samples - 1)))
        return self.get("rate"), samples

    def arm(self, trigger: Trigger | None, channel: int) -> None:
        """Single: with a trigger it waits, without one it records at once."""
        if trigger is not None:
            self.choose("trigger_source", f"CHAN{channel}")
            self.set("trigger_level", trigger.level)
            self.choose("trigger_slope", SLOPES[trigger.slope])
        self._say("arm")
        if trigger is None:
            self._say("force")

    def force(self) -> None:
        """Record now, whatever the trigger waits for."""
        self._say("force")

    def has_triggered(self) -> bool:
        return self.get("state") == DONE

    def fetch(self, channel: int, samples: int) -> Fetched:
        """The samples of a channel. Garbled where they are not as many as were asked for."""
        quirks = self.dialect.quirks
        command = self.dialect.operation["capture"].to_ask.format(channel=channel)
        kind = np.dtype(quirks.code).newbyteorder(">" if quirks.big_endian else "<")
        data = self.link.query_block(command)
        if len(data) != samples * kind.itemsize:
            raise Garbled(
                f"{samples} samples were asked for, {len(data) / kind.itemsize:g} came", **self._where(command)
            )
        raw = np.frombuffer(data, dtype=kind)
        most = np.iinfo(kind)
        clipped = float(np.count_nonzero((raw == most.max) | (raw == most.min))) / max(1, samples)
        step, origin = self._number("get_step", channel), self._number("get_origin", channel)
        if not 0.0 < step < math.inf:
            raise Garbled(f"says that a step is {step:g}", **self._where("get_step"))
        if not math.isfinite(origin):
            raise Garbled(f"says that its samples begin at {origin:g}", **self._where("get_origin"))
        if "get_reference" in self.dialect.operation:  # the code that stands for the origin, where that is not zero
            origin -= step * self._number("get_reference", channel)
        if kind.kind == "i":
            return Fetched(raw.astype(kind.newbyteorder("<"), copy=False), step, origin, clipped)
        middle = (int(most.max) + 1) // 2  # what has no sign is counted from its middle
        signed = (raw.astype(np.int32) - middle).astype(f"i{kind.itemsize}")
        return Fetched(signed, step, origin + middle * step, clipped)

    def _say(self, name: str, **fields: object) -> str:
        """A command, and whether it was taken; returns it as it was sent."""
        operation = self.dialect.operation[name]
        command = operation.to_say.format(**fields)
        self._tell(command, operation.settle_s)
        return command

    def _number(self, name: str, channel: int) -> float:
        return self._ask(name, channel)[0]

    def _set_at(self, channel: int, what: str, value: float) -> None:
        """A setting of a channel, and its read-back. LimitError beyond what the instrument takes."""
        low, high = self.dialect.limits.get(what, (value, value))
        if not low <= value <= high:
            raise LimitError(f"{self.dialect.words}: {what} takes {low:g} to {high:g}, not {value:g}")
        command = self._say(f"set_{what}", value=value, channel=channel)
        if not self.dialect.quirks.reads_back:
            return
        found = self._number(f"get_{what}", channel)
        if not abs(found - value) <= 1e-3 * max(abs(value), 1e-3):
            raise Garbled(f"was set to {value:g} but reads back {found:g}", **self._where(command))
