"""What asks a unit for what it gives: a sink controller at a port, the unit's own interface."""

from __future__ import annotations

from zincsmith.simbench.scpi import Interpreter, boolean, number, render
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

    box.on("PORT:MODes?", lambda _: ",".join(f"{volts:g}" for volts in offered))
    box.on("PORT:MODE", request)
    box.on("PORT:MODE?", lambda _: str(rails.asked[port] if rails is not None else 1))
    box.on("PORT:ATTach", attach)
    box.on("PORT:ATTach?", lambda _: str(int(rails.attached[port] if rails is not None else 1)))
    box.on("PORT:OFFer:POWer?", lambda _: render(rails.offered_W(port) if isinstance(rails, Ports) else _all_W(world)))
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


def _all_W(world: World) -> float:
    """What a unit says that shares nothing: all it has, while it runs."""
    output = world.unit.output
    return output.voltage_V * output.limit_A if abs(world.unit.output_V) > 0.5 * output.voltage_V else 0.0
