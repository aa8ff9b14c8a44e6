"""What asks a unit for what it gives: a sink controller at a port, the unit's own interface."""

from __future__ import annotations

from collections.abc import Callable

from zincsmith.simbench.scpi import Interpreter, boolean, number, render
from zincsmith.simbench.units.bench_supply import BenchSupply
from zincsmith.simbench.units.rails import Ports, Rails
from zincsmith.simbench.world import World


def sink_controller(box: Interpreter, world: World, port: str = "") -> Interpreter:
    """Asks a port for a mode by its place in what the port offers; one fixed output offers nothing to choose from."""
    rails = world.unit.rails
    offered = rails.modes_of(port) if rails is not None else (world.unit.output.voltage_V,)

    def request(text: str) -> None:
        wanted = int(number(text, 1.0, float(len(offered))))
        if rails is not None:
            rails.asked[port] = wanted
            rails.set_to.pop(port, None)
            world.changed()

    def attach(text: str) -> None:
        on = boolean(text)
        if rails is not None:
            if not on:
                rails.set_to.pop(port, None)
            rails.attached[port] = on
            rails.asked[port] = rails.asked[port] if on else 1
            world.changed()

    def reset(_: str) -> None:
        if isinstance(rails, Ports):
            rails.hard_reset(port)
            world.changed()
            rails.reset = ""

    box.on("PORT:RESet", reset)
    box.on("PORT:MODes?", lambda _: ",".join(f"{volts:g}" for volts in offered))
    box.on("PORT:MODE", request)
    box.on("PORT:MODE?", lambda _: str(rails.asked[port] if rails is not None else 1))
    box.on("PORT:ATTach", attach)
    box.on("PORT:ATTach?", lambda _: str(int(rails.attached[port] if rails is not None else 1)))
    box.on("PORT:OFFer:POWer?", lambda _: render(rails.offered_W(port) if isinstance(rails, Ports) else _all_W(world)))
    box.on("PORT:OFFer:COUNt?", lambda _: str(len(offered)))
    _range(box, world, rails, port)
    return box


def _range(box: Interpreter, world: World, rails: Rails | None, port: str) -> None:
    """A programmable range, where the port has one: what is out of it is refused, as anything is without one."""
    rail = next((r for r in rails.rails if r.name == port), None) if rails is not None else None
    low, high = rail.range_V if rail is not None and rail.range_V else (1.0, 0.0)
    kept = {"amps": rail.range_A if rail is not None else 0.0}
    set_to = rails.set_to if rails is not None else {}

    def program(text: str) -> None:
        set_to[port] = number(text, low, high), kept["amps"]
        world.changed()

    def limit(text: str) -> None:
        kept["amps"] = number(text, 0.0, rail.range_A if rail is not None else 0.0)
        if port in set_to:
            set_to[port] = set_to[port][0], kept["amps"]
            world.changed()

    box.on("PORT:PROGram:VOLTage", program)
    box.on("PORT:PROGram:VOLTage?", lambda _: render(set_to.get(port, (0.0, 0.0))[0]))
    box.on("PORT:PROGram:CURRent", limit)
    box.on("PORT:PROGram:CURRent?", lambda _: render(kept["amps"]))


def can_be_set(world: World, port: str = "") -> bool:
    """Whether the user of the unit sets an output of it, at the unit itself."""
    rails = world.unit.rails
    if rails is None:
        return isinstance(world.unit, BenchSupply)
    return any(r.name == port and r.range_V and not r.modes_V for r in rails.rails)


class UnitInterface(Interpreter):
    """The unit's own, of one of its outputs: it speaks while the unit is fed."""

    def __init__(self, identity: str, world: World, port: str = "") -> None:
        super().__init__(identity)
        self.world = world
        if isinstance(world.unit, BenchSupply):
            self._of_a_supply(world, world.unit)
        elif world.unit.rails is not None:
            self._of_a_rail(world, world.unit.rails, port)

    def _of_a_rail(self, world: World, rails: Rails, port: str) -> None:
        rail = next(r for r in rails.rails if r.name == port)
        kept = {"volts": 0.0, "amps": rail.range_A, "on": 0.0}

        def told(name: str, low: float, high: float) -> Callable[[str], None]:
            def tell(text: str) -> None:
                kept[name] = float(boolean(text)) if name == "on" else number(text, low, high)
                rails.set_to.pop(port, None)
                if kept["on"]:
                    rails.set_to[port] = kept["volts"], kept["amps"]
                world.changed()

            return tell

        self.on("SOURce:VOLTage", told("volts", *rail.range_V))
        self.on("SOURce:VOLTage?", lambda _: render(kept["volts"]))
        self.on("SOURce:CURRent", told("amps", 0.0, rail.range_A))
        self.on("SOURce:CURRent?", lambda _: render(kept["amps"]))
        self.on("OUTPut", told("on", 0.0, 1.0))
        self.on("OUTPut?", lambda _: f"{kept['on']:.0f}")
        self.on("MEASure:ALL?", lambda _: f"{render(rails.volts[port])},{render(rails.amps[port])}")

    def _of_a_supply(self, world: World, unit: BenchSupply) -> None:
        s = unit.supply

        def told(name: str, most: float) -> Callable[[str], None]:
            def tell(text: str) -> None:
                setattr(unit, name, number(text, 0.0, most))
                world.changed()

            return tell

        def switch(text: str) -> None:
            unit.on = boolean(text)
            unit.tripped = False
            world.changed()

        self.on("SOURce:VOLTage", told("set_V", s.most_V))
        self.on("SOURce:VOLTage?", lambda _: render(unit.set_V))
        self.on("SOURce:CURRent", told("set_A", s.most_A))
        self.on("SOURce:CURRent?", lambda _: render(unit.set_A))
        self.on("SOURce:VOLTage:PROTection", told("trip_V", 1.25 * s.most_V))
        self.on("SOURce:VOLTage:PROTection?", lambda _: render(unit.trip_V))
        self.on("OUTPut", switch)
        self.on("OUTPut?", lambda _: str(int(unit.on)))
        self.on("MEASure:VOLTage?", lambda _: render(unit.shown_V))
        self.on("MEASure:CURRent?", lambda _: render(unit.shown_A))
        self.on("MEASure:ALL?", lambda _: f"{render(unit.shown_V)},{render(unit.shown_A)}")

    def answer(self, line: str) -> str | None:
        return super().answer(line) if self.world.unit.state == "running" else None


def _all_W(world: World) -> float:
    """What a unit says that shares nothing: all it has, while it runs."""
    output = world.unit.output
    return output.voltage_V * output.limit_A if abs(world.unit.output_V) > 0.5 * output.voltage_V else 0.0
