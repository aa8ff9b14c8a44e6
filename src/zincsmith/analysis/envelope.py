"""What may be asked of a unit: what its load at a share of the rating is, and by whose limit an operating point is
beyond what the plate allows.

The one home of *percent of the rated load*. Several outputs whose ratings add to more than the unit's total are derated
by D = rated total / sum of V I, so that 25 % is 25 % of the derated load (10 CFR 430 appendix Z; value from memory). A
limit of some of them together takes back these first (as published loading schemes for multi-rail supplies do; value
from memory).
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from itertools import pairwise

from zincsmith.model.errors import InputError
from zincsmith.model.operating_point import Mode, SetPoint
from zincsmith.model.port import HARD_RESET, UNPLUGGED, PortMode, gives_nothing, of_output, output_ports
from zincsmith.model.unit import Nameplate, OutputRating

NEARLY = 1e-9  # what rounding adds
CLEAR_OF_LIMIT = 0.95  # of the limit that was set: full load of an output whose limit is not to act; house convention


@dataclass(frozen=True)
class Beyond:
    """A limit that an operating point does not keep: what, how much of it there is, how much is allowed, by whom."""

    what: str
    value: float
    limit: float
    unit: str
    whose: str

    @property
    def words(self) -> str:
        return f"{self.what} would be {self.value:.4g} {self.unit}; {self.whose} is {self.limit:.4g} {self.unit}"


@dataclass(frozen=True)
class Envelope:
    """Of one plate. ``port`` names an output; empty is the one there is, or the first. ``modes`` are those asked for,
    by port; one that was asked for none is in the lowest of its modes, as a port is that nobody has spoken to.
    """

    plate: Nameplate
    modes: Mapping[str, Mode] = field(default_factory=dict)

    def output(self, port: str = "") -> OutputRating:
        """InputError for a port that is not there."""
        if not port:
            return self.plate.output
        for one in self.plate.outputs:
            if one.name == port:
                return one
        raise InputError(f"there is no output {port!r}", key="port")

    def mode(self, port: str = "") -> PortMode:
        """The mode a port is in; one that was set has the volts it was set to, and the amps of the range that they lie
        in. InputError for one it has not."""
        modes = of_output(self.output(port)).modes
        wanted = self.modes.get(port, "")
        if isinstance(wanted, SetPoint):
            return self._set_to(wanted, port, modes)
        wanted = "" if wanted in (UNPLUGGED, HARD_RESET) else wanted
        found = next((m for m in modes if m.name == wanted), None)
        if wanted and found is None:
            raise InputError(f"{port or 'the output'} has no mode {wanted!r}; it has: "
                             f"{', '.join(m.name for m in modes)}", key="mode")  # fmt: skip
        fixed = [m for m in modes if m.law == "fixed"]
        return found or min(fixed or modes, key=lambda m: abs(m.voltage_V[1]))

    def _set_to(self, wanted: SetPoint, port: str, modes: Sequence[PortMode]) -> PortMode:
        ranges = [m for m in modes if m.law != "fixed"]
        for one in ranges:
            low, high = one.voltage_V
            if low * (1.0 - NEARLY) <= wanted.voltage_V <= high * (1.0 + NEARLY) or not wanted.on:
                most = min(x for x in (one.current_A, CLEAR_OF_LIMIT * wanted.current_A) if x is not None)
                return replace(one, voltage_V=(wanted.voltage_V, wanted.voltage_V), current_A=most)
        reach = ", ".join(m.name for m in ranges)
        raise InputError(f"{port or 'the output'} cannot be set to {wanted.voltage_V:g} V" + (f"; it reaches {reach}"
                         if reach else ": nobody sets its volts"), key="mode")  # fmt: skip

    def voltage_V(self, port: str = "") -> float:
        """The volts of a port, signed; of one that is adjustable, and was not set, the headline rating."""
        low, high = self.mode(port).voltage_V
        return high if low == high else self.output(port).voltage_V

    def rated_A(self, port: str = "") -> float:
        """The current a port is rated for by itself, in the mode it is in."""
        stated = self.mode(port).current_A
        return self.output(port).current_A if stated is None else stated

    @cached_property
    def factors(self) -> dict[str, float]:
        """By port how much the ratings are taken back so that all outputs together fit into what the plate allows:
        first the limits of some of them, then the total."""
        ports = output_ports(self.plate)
        if len(ports) < 2:
            return dict.fromkeys(ports, 1.0)
        watts = {port: abs(self.voltage_V(port)) * self.rated_A(port) for port in ports}
        found = dict.fromkeys(ports, 1.0)
        in_use = {port for port in ports if not gives_nothing(self.modes.get(port, ""))}
        for sharing in self.plate.sharing:
            if set(sharing.ports) == in_use:
                found |= {p: min(1.0, each / watts[p]) for p, each in zip(sharing.ports, sharing.each_W, strict=False)}

        def take_back(group: Sequence[str], most: float | None, of: Mapping[str, float]) -> None:
            asked = sum(found[p] * of[p] for p in group)
            if most is not None and asked > most:
                found.update({p: found[p] * most / asked for p in group})

        for limit in self.plate.limits:
            group = [p for p in limit.outputs if p in in_use]
            take_back(group, limit.power_W, watts)
            take_back(group, limit.current_A, {p: self.rated_A(p) for p in group})
        take_back(
            [p for p in ports if p in in_use],
            self.plate.total_power_W if self.plate.power_is == "output" else None,
            watts,
        )
        return found

    def full_A(self, port: str = "", alone: bool = False) -> float:
        """The current that 100 % of a port is; ``alone``: with nothing drawn from the others."""
        factor = 1.0 if alone else self.factors.get(port, next(iter(self.factors.values())))
        return factor * self.rated_A(port)

    def load_A(self, percent: float, port: str = "", alone: bool = False) -> float:
        """The current of a share of the rating in percent."""
        return percent / 100.0 * self.full_A(port, alone)

    def loads_A(self, percent: float) -> dict[str, float]:
        """By port the current of every output at a share of its rating."""
        return {port: self.load_A(percent, port) for port in output_ports(self.plate)}

    def percent(self, current_A: float, port: str = "") -> float | None:
        """The share of the rating that a current is; None for a port that is rated for none."""
        full = self.full_A(port)
        return 100.0 * current_A / full if full else None

    def least_percent(self, port: str = "") -> float:
        """The least load that the plate asks for, in percent of the rating; zero where it asks for none."""
        return min(100.0, self.percent(self.output(port).minimum_A or 0.0, port) or 0.0)

    def share_at(self, ambient_degC: float) -> float:
        """What a plate allows of its rating in a room: along its derating curve, the ends held; 1 without one."""
        if not self.plate.derating:
            return 1.0
        points = self.plate.derating
        if ambient_degC <= points[0][0]:
            return points[0][1] / 100.0
        for (cold, more), (hot, less) in pairwise(points):
            if ambient_degC <= hot:
                return (more + (less - more) * (ambient_degC - cold) / (hot - cold)) / 100.0
        return points[-1][1] / 100.0

    def beyond(self, draws_A: Mapping[str, float], ambient_degC: float | None = None) -> list[Beyond]:
        """Every limit that these currents of the named outputs together do not keep, in the order of the plate."""
        draws = {(name or self.plate.output.name): current for name, current in draws_A.items()}
        share = 1.0 if ambient_degC is None else self.share_at(ambient_degC)
        return [*self._each(draws, share, ambient_degC), *self._together(draws, share)]

    def beyond_together(self, draws_A: Mapping[str, float], share: float) -> list[Beyond]:
        """Every limit of several outputs together that these currents do not keep, each limit times ``share``."""
        return list(self._together(draws_A, share)) if len(self.plate.outputs) > 1 else []

    def _each(self, draws: Mapping[str, float], share: float, ambient_degC: float | None) -> Iterator[Beyond]:
        for name, current in draws.items():
            one = self.output(name)
            called = f"the current of {name}" if name else "the output current"
            whose = "its rated current" if share == 1.0 else f"the rated current derated for {ambient_degC:g} °C"
            if current > share * one.current_A * (1.0 + NEARLY):
                yield Beyond(called, current, share * one.current_A, "A", whose)
            if one.minimum_A and 0.0 < current < one.minimum_A * (1.0 - NEARLY):
                yield Beyond(called, current, one.minimum_A, "A", "its minimum load")

    def _together(self, draws: Mapping[str, float], share: float) -> Iterator[Beyond]:
        watts = {name: abs(self.voltage_V(name)) * current for name, current in draws.items()}
        for limit in self.plate.limits:
            named = " and ".join(limit.outputs)
            power = sum(watts.get(name, 0.0) for name in limit.outputs)
            current = sum(draws.get(name, 0.0) for name in limit.outputs)
            if limit.power_W is not None and power > share * limit.power_W * (1.0 + NEARLY):
                yield Beyond(f"{named} together", power, share * limit.power_W, "W", "their combined limit")
            if limit.current_A is not None and current > share * limit.current_A * (1.0 + NEARLY):
                yield Beyond(f"{named} together", current, share * limit.current_A, "A", "their combined limit")
        in_use = {name for name, current in draws.items() if current > 0.0}
        for sharing in self.plate.sharing:
            if set(sharing.ports) == in_use:
                for name, allowed in zip(sharing.ports, sharing.each_W, strict=False):
                    if watts[name] > share * allowed * (1.0 + NEARLY):
                        yield Beyond(f"the power of {name}", watts[name], share * allowed, "W", "its share of what "
                                     f"{' and '.join(sharing.ports)} have together")  # fmt: skip
        total = self.plate.total_power_W
        if total is not None and self.plate.power_is == "output" and sum(watts.values()) > share * total * (1 + NEARLY):
            yield Beyond("all outputs together", sum(watts.values()), share * total, "W", "the unit's total")
