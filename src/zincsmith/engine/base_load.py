"""The base loads of a bench: resistors or lamps beside a load that can be set, switched by wire or by a person."""

from __future__ import annotations

from dataclasses import dataclass, field

from zincsmith.analysis.parallel_loads import Sharing, highest_A, share, switching_order
from zincsmith.analysis.resistor_load import base_steps_ohm
from zincsmith.bench.bench import Bench
from zincsmith.engine.operator import Operator
from zincsmith.model.address import at_port
from zincsmith.model.errors import LimitError
from zincsmith.model.rig import Instrument
from zincsmith.planning.rig_facts import step_words


@dataclass
class BaseLoads:
    """``on`` holds by port the steps that are on, by place in the list; None of a port where nobody has asked yet."""

    bench: Bench
    operator: Operator
    on: dict[str, tuple[int, ...]] = field(default_factory=dict)

    def at(self, port: str) -> Instrument | None:
        return self.bench.rig.instrument(at_port("base_load", port))

    def shared(self, base: Instrument, wanted_A: float, voltage: float, most_A: float) -> Sharing:
        """How base and load share a current. LimitError where they cannot."""
        steps_A = [abs(voltage) / ohm for ohm in base_steps_ohm(base)]
        found = share(wanted_A, steps_A, most_A, self._now(base))
        if found is None:
            most = highest_A(steps_A, most_A)
            raise LimitError(f"{base.name} and the load together reach {most:.4g} A; {wanted_A:.4g} A are wanted")
        return found

    def switch(self, base: Instrument, steps: tuple[int, ...], voltage: float) -> None:
        """From the steps that are on to these; by wire one at a time, so that the total neither drops nor doubles."""
        now = self._now(base)
        if now != steps:
            if base.place in self.bench.instruments:
                self._by_wire(base, now, steps, voltage)
            else:
                self.operator.set_by_hand(base.place, base_words(base, steps))
        self.on[base.port] = steps
        ohms = base_steps_ohm(base)
        self.bench.base_ohm[base.port] = 1.0 / sum(1.0 / ohms[k] for k in steps) if steps else 0.0

    def _by_wire(self, base: Instrument, now: tuple[int, ...], steps: tuple[int, ...], voltage: float) -> None:
        bank, on = self.bench.instruments[base.place], set(now)
        for k in switching_order(now, steps, [abs(voltage) / ohm for ohm in base_steps_ohm(base)]):
            on ^= {k}
            bank.set("pattern", float(pattern_of(on)))

    def _now(self, base: Instrument) -> tuple[int, ...]:
        """What is on; a bank by wire is asked once, whatever somebody left it at."""
        if base.port not in self.on:
            asked = self.bench.instruments.get(base.place)
            pattern = round(asked.get("pattern")) if asked is not None else 0
            count = len(base_steps_ohm(base))
            self.on[base.port] = tuple(k for k in range(count) if pattern >> k & 1)
        return self.on[base.port]


def pattern_of(steps: set[int]) -> int:
    """The steps as one number: 1 for the first, 2 for the second, 4 for the third, added up."""
    return sum(1 << k for k in steps)


def base_words(base: Instrument, steps: tuple[int, ...]) -> str:
    """What a person switches of a base load."""
    if not steps:
        return f"Take the {base.name} off, or switch every step of it off."
    made = base.dummy
    if made is not None and made.steps_W:
        return f"Switch on {step_words([made.steps_W[k] for k in steps])} of the {base.name}, nothing else of it."
    return f"Connect the {base.name} beside the load. It gets hot, and its ends are live."
