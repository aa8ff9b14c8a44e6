"""Which ports and nodes of a unit are live, since when, by which sign: the one record that footer, gate, title and head
read. What nobody reads counts as live while anything it lies beside is."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Literal

from zincsmith.bench.signs import CLAIM_OF, OUTPUT, UNPLUGGED_V, fallen_below_V
from zincsmith.model.address import at_port, name_of, port_of
from zincsmith.model.unit import INPUT_SIDE, Nameplate, Node

LEAST_V = 0.5  # less than this at an output is what leads and meters pick up; common practice, no source
What = Literal["input", "output", "node"]
Standing = Literal["live", "charged", "low", "may be live", "may be charged", "not known"]
Sign = Literal["read", "as set", "as fed", "as said", "nobody reads it", ""]
HOLDS = ("live", "charged")


@dataclass(frozen=True)
class Place:
    """A port or a node: how it stands, by which sign, with the volts where they are read. ``since`` as the time on the
    wall, empty where that is not known.

    What lies between ports is *low* only where they read low too: an idle stage passes its input on, and a capacitor
    behind a diode stays charged. What nobody reads *may be charged* once they do.
    """

    what: What
    name: str
    state: Standing
    sign: Sign
    volts: float | None = None
    since: str = ""

    @property
    def called(self) -> str:
        return self.name or f"the {self.what}"

    @property
    def words(self) -> str:
        """``bulk reads 385 V``, ``bulk may be charged``."""
        if self.volts is not None and self.state in HOLDS:
            still = "still " if self.state == "charged" else ""
            return f"{self.called} {still}reads {self.volts:.1f} V"
        return f"{self.called} {'counts as live' if self.state == 'live' else self.state.replace('not ', 'is not ')}"


@dataclass(frozen=True)
class Live:
    """What is on, and what still holds volts. ``state`` is *live*, *charged* (the input is off, an output or a node is
    not), *off* (as read), *said off* (by a person, nobody reads it) or *not known*. ``outputs`` are the volts read at
    each output that has not fallen; ``sign`` is how the whole is known; ``places`` are ports and nodes each."""

    state: Literal["live", "charged", "off", "said off", "not known"]
    load_on: bool
    words: str
    outputs: Mapping[str, float] = field(default_factory=dict)
    sign: Sign = ""
    since: str = ""
    input_V: float | None = None  # as read, None where nobody reads it by wire
    places: tuple[Place, ...] = ()

    @property
    def inside(self) -> tuple[Place, ...]:
        """The nodes that are not known to be low."""
        return tuple(p for p in self.places if p.what == "node" and p.state != "low")

    @property
    def detail(self) -> str:
        """What stands under the headline: nothing of it twice."""
        if self.state == "live":
            said = [self.levels, "" if self.since else "mains at the source"]
        elif self.state == "charged":
            said = [_with(self.outputs, "still ")[2:], *(p.words for p in self.inside if p.state == "charged")]
        elif self.state == "off":
            said = [f"{abs(self.input_V or 0.0):.1f} V read at the input", *(p.words for p in self.inside)]
        else:
            said = ["nobody reads it by wire" if self.state == "said off" else ""]
        dated = f"since {self.since}" if self.since and self.state in ("live", "charged") else ""
        return ", ".join(x for x in (*said, dated) if x)

    @property
    def told(self) -> str:
        """The words, with since when where something is live, and what is not known to be low inside."""
        nodes = "; ".join(p.words for p in self.inside)
        since = f"since {self.since}" if self.since and self.state in ("live", "charged") else ""
        return "; ".join(x for x in (self.words, nodes, since) if x)

    @property
    def headline(self) -> str:
        """In a few words, for the strip."""
        if self.state == "live":
            return "Input and output are live" if self.load_on else "Input is live, load off"
        inside = not self.outputs and any(p.state == "charged" for p in self.inside)
        return {
            "charged": "Input off, the inside still live" if inside else "Input off, output still live",
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
    plate: Nameplate | None = None,
) -> Live:
    """As it was last read, or as it was set where nobody reads it by wire; ``values`` is None before the first poll.
    ``highest`` is the most each output was read at in this run, V by port: what it has to have fallen from. ``plate``
    states which outputs and nodes there are besides those that are read."""
    read = {name: v for name, v in (values or {}).items() if name not in typed}
    places = places_of(read, source_on, highest or {}, plate)
    found = _whole(read.get("input_voltage"), values is not None, source_on, load_on, _held(read, highest or {}))
    if found.state == "off" and any(p.state == "charged" for p in places):
        found = replace(found, state="charged")
    return replace(found, places=places)


def _whole(volts: float | None, polled: bool, source_on: bool, load_on: bool, held: dict[str, float]) -> Live:
    """The unit as a whole, as its ports tell."""
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
        return Live("charged", load_on, f"{off}{_with(held, 'still ')}", held, "read", input_V=volts)
    if volts is not None:
        return Live("off", load_on, off, sign="read", input_V=volts)
    if not polled:
        return Live("not known", load_on, "the bench has not been read yet")
    return Live("said off", load_on, "nothing is switched on, as far as anybody has said", sign="as said")


def places_of(
    read: Mapping[str, float], source_on: bool, highest: Mapping[str, float], plate: Nameplate | None
) -> tuple[Place, ...]:
    """Input, outputs and nodes, each as it stands; ``read`` is what the last poll read of them, by address."""
    volts = read.get("input_voltage")
    fed = (volts is not None and abs(volts) >= UNPLUGGED_V) or source_on
    by: Sign = "read" if volts is not None and (abs(volts) >= UNPLUGGED_V or not source_on) else "as set"
    state: Standing = "live" if fed else "low" if volts is not None else "not known"
    ports = [Place("input", "", state, by if state != "not known" else "nobody reads it", volts)]
    ports += [_output(name, read, fed, highest) for name in _outputs(read, plate)]
    nodes = plate.nodes if plate is not None else ()
    return (*ports, *(_node(one, read, fed, ports) for one in nodes))


def _outputs(read: Mapping[str, float], plate: Nameplate | None) -> Sequence[str]:
    stated = [one.name for one in plate.outputs] if plate is not None and len(plate.outputs) > 1 else []
    seen = [port_of(name) for name in read if CLAIM_OF.get(name_of(name)) == OUTPUT]
    return list(dict.fromkeys([*stated, *seen])) or [""]


def _output(port: str, read: Mapping[str, float], fed: bool, highest: Mapping[str, float]) -> Place:
    """One that nobody reads counts as live while the input is: a standby rail is, whatever the others do."""
    values = [read[at] for name in ("output_voltage", "load_voltage") if (at := at_port(name, port)) in read]
    if not values:
        return Place("output", port, "live" if fed else "not known", "as fed" if fed else "nobody reads it")
    value = max(values, key=abs)
    holds = abs(value) >= max(LEAST_V, fallen_below_V(highest.get(port, 0.0)))
    return Place("output", port, ("live" if fed else "charged") if holds else "low", "read", value)


def _node(one: Node, read: Mapping[str, float], fed: bool, ports: Sequence[Place]) -> Place:
    beside = [p for p in ports if not one.between or _is_at(p, one.between)]
    value = read.get(at_port("node_voltage", one.name))
    low = all(p.state == "low" for p in beside)
    if value is not None:
        if abs(value) >= fallen_below_V(0.0):
            return Place("node", one.name, "live" if fed else "charged", "read", value)
        return Place("node", one.name, "low" if low else "may be live", "read", value)
    if any(p.state in HOLDS for p in beside):
        return Place("node", one.name, "live", "as fed")
    return Place("node", one.name, "may be charged" if low else "not known", "nobody reads it")


def _is_at(port: Place, between: Sequence[str]) -> bool:
    """The only output goes by no name here, whatever its plate calls it."""
    if port.what == "input":
        return INPUT_SIDE in between
    return port.name in between or (not port.name and any(side != INPUT_SIDE for side in between))


def _held(read: Mapping[str, float], highest: Mapping[str, float]) -> dict[str, float]:
    """By port the volts of the outputs that have not fallen."""
    found: dict[str, float] = {}
    for address, value in read.items():
        port = port_of(address)
        if CLAIM_OF.get(name_of(address)) == OUTPUT:
            fallen = max(LEAST_V, fallen_below_V(highest.get(port, 0.0)))
            if abs(value) >= fallen and abs(value) > abs(found.get(port, 0.0)):
                found[port] = value
    return found


def _with(held: Mapping[str, float], still: str = "") -> str:
    each = [f"{port or 'the output'} {still}reads {value:.1f} V" for port, value in held.items()]
    return f"; {', '.join(each)}" if each else ""
