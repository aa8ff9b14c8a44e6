"""What shows, apart from the source's own word, that a bench is off: volts at the output, volts and watts at the input.

A sign counts only from a channel that read live in this run: a lead that fell off reads 0 V for ever. And it counts
only once it has been low for longer than the longest pause that was seen in this run: a unit that restarts by itself
reads 0 V between its attempts.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping
from dataclasses import asdict, dataclass, field
from typing import Any

from zincsmith.model.address import name_of, port_of
from zincsmith.model.quantities import TOUCH_LIMIT_V
from zincsmith.model.rig import Accuracy, Instrument, Rig

FALLEN_SHARE = 0.1  # of the port's volts: a running 12 or 24 V output is never below the touch limit's 30 V by much
UNPLUGGED_V = 5.0  # what a meter may pick up on an input that was unplugged; common practice, no source
ZERO_W = 0.5  # less than this says nothing beside volts that are gone: what a wide range may show of nothing
OPENED_V, OPENED_W = 0.5, 0.01  # the same of an input of direct current whose lead is open
HOLD_S = 0.5  # the least time a sign has to stay low
MARGIN = 1.25  # of the longest pause between two restarts
WAIT_S, WAIT_MOST_S = 60.0, 120.0  # for an output that nobody has seen empty itself yet; ever
INSIDE = "the inside of the unit may be charged"
OUTPUT, INPUT, NODE = "output fallen", "input gone", "node fallen"
CLAIM_OF = {
    "output_voltage": OUTPUT, "load_voltage": OUTPUT, "input_voltage": INPUT, "input_power": INPUT,
    "node_voltage": NODE,
}  # fmt: skip
EMPTIES = ("output_voltage", "node_voltage")  # what is timed, so that hands stay out for so long


ORDER = list(CLAIM_OF)


def claim_of(channel: str) -> str:
    """What a channel is a sign of."""
    return CLAIM_OF[name_of(channel)]


@dataclass
class Channel:
    """``low``: below this the quantity counts as gone. ``gap_s`` is the longest it was gone and came back by itself."""

    low: float
    lived: bool = False
    gap_s: float = 0.0
    gone_since_s: float | None = None

    def observe(self, now_s: float, value: float, fed: bool) -> None:
        if abs(value) >= self.low:
            if self.lived and self.gone_since_s is not None:
                self.gap_s = max(self.gap_s, now_s - self.gone_since_s)
            self.lived, self.gone_since_s = True, None
        elif not fed:  # gone because it was switched off: no restart
            self.gone_since_s = None
        elif self.gone_since_s is None:
            self.gone_since_s = now_s


@dataclass
class Seen:
    """What a run has seen of its signs. ``fed``: something was switched on; ``output_due``: the input was high enough
    for an output. ``emptied_s`` is the longest an output took to fall after a switch-off of this run.

    ``looked``: a poll was taken while it was on; before that no sign can have lived, and none is asked for.

    ``tell`` is called when something changed that whoever takes over has to know.
    """

    channels: dict[str, Channel] = field(default_factory=dict)
    fed: bool = False
    output_due: bool = False
    emptied_s: float | None = None
    looked: bool = False
    tell: Callable[[Seen], None] = field(default=lambda _seen: None, compare=False)

    def feeds(self, output_due: bool) -> None:
        """Something that energises is about to be switched on."""
        if not self.fed or (output_due and not self.output_due):
            self.fed, self.output_due = True, self.output_due or output_due
            self.tell(self)

    def observe(self, now_s: float, values: Mapping[str, float], fed: bool, bare: Collection[str] = ()) -> None:
        """One poll: what it shows of every sign; what is gone from a ``bare`` port was taken off it: no pause."""
        before = self._facts()
        self.looked = self.looked or (fed and self.fed)
        for name, channel in self.channels.items():
            if name in values:
                channel.observe(now_s, values[name], fed and port_of(name) not in bare)
        if self._facts() != before:
            self.tell(self)

    def _facts(self) -> list[object]:
        return [self.looked, *((c.lived, c.gap_s) for c in self.channels.values())]

    @property
    def hold_s(self) -> float:
        """How long a sign has to stay low before it counts."""
        return max(HOLD_S, MARGIN * max((c.gap_s for c in self.channels.values()), default=0.0))

    @property
    def wait_s(self) -> float:
        """How long the signs are waited for."""
        longest = WAIT_S if self.emptied_s is None else MARGIN * self.emptied_s
        return min(max(longest, 5.0) + self.hold_s, WAIT_MOST_S)

    def due(self, claim: str) -> bool:
        """Whether a claim has to be seen before the bench counts as off."""
        if claim == NODE:
            return self.looked and self._lived(NODE)
        return self.looked and (claim == INPUT or self.output_due or self._lived(OUTPUT))

    def _lived(self, claim: str) -> bool:
        return any(c.lived for name, c in self.channels.items() if claim_of(name) == claim)

    def as_told(self) -> dict[str, Any]:
        """For the guardian: plain data."""
        return {
            "channels": {name: asdict(c) for name, c in self.channels.items()},
            "fed": self.fed,
            "output_due": self.output_due,
            "emptied_s": self.emptied_s,
            "looked": self.looked,
        }

    @classmethod
    def from_told(cls, told: Mapping[str, Any]) -> Seen:
        channels = {name: Channel(**one) for name, one in told.get("channels", {}).items() if name_of(name) in CLAIM_OF}
        facts = (bool(told.get("fed")), bool(told.get("output_due")), told.get("emptied_s"), bool(told.get("looked")))
        return cls(channels, *facts)


def seen_of(rig: Rig, outputs_V: Mapping[str, float]) -> Seen:
    """The signs that a rig has by wire, none of them seen yet, for a unit with these outputs, V by port."""
    found: dict[str, Channel] = {}
    channels = rig.channels
    for name in sorted((n for n in channels if name_of(n) in CLAIM_OF), key=lambda n: ORDER.index(name_of(n))):
        if channels[name].how != "by hand":
            low = _low(name_of(name), channels[name], outputs_V.get(port_of(name), 0.0), rig.source("ac") is None)
            found[name] = Channel(low)
    return Seen(found)


def fallen_below_V(output_V: float) -> float:
    """Below this an output rated ``output_V`` counts as fallen; the touch limit where its rating is not known."""
    return min(TOUCH_LIMIT_V, FALLEN_SHARE * abs(output_V)) if output_V else TOUCH_LIMIT_V


def _low(name: str, one: Instrument, output_V: float, direct: bool) -> float:
    if CLAIM_OF[name] in (OUTPUT, NODE):  # of a node no output's volts are known: the touch limit
        return fallen_below_V(output_V)
    spans = [zero_span(row) for row in one.accuracy if row.quantity == name]
    nothing = (OPENED_V, OPENED_W) if direct else (UNPLUGGED_V, ZERO_W)
    return max(nothing[name == "input_power"], *(spans[:1] if direct else spans))


def zero_span(row: Accuracy) -> float:
    """What a meter may still show of nothing on a range, in its unit: twice its limit at zero."""
    return 2.0 * (row.offset + row.range_percent / 100.0 * row.range + row.resolution + 2.0 * row.noise)
