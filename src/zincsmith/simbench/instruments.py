"""The stand-in instruments: invented makers, data-sheet errors, and the commands each understands."""

from __future__ import annotations

from collections.abc import Callable

from zincsmith.simbench.meter import Function, Meter
from zincsmith.simbench.scpi import Interpreter, ScpiError, boolean, number, render
from zincsmith.simbench.world import World

VOLTAGE_RANGES = (150.0, 300.0)
METERS = {
    "power_meter": (
        Function("input_voltage", 0.05, 0.05, 0.002, VOLTAGE_RANGES),
        Function("input_current", 0.1, 0.05, 0.004, (0.2, 0.5, 2.0, 5.0)),
        Function("input_power", 0.1, 0.04, 0.004, (15.0, 75.0, 150.0, 600.0)),
    ),
    "load": (Function("output_current", 0.05, 0.025, 0.001, (1.0, 5.0, 20.0)),),
    "voltmeter": (Function("output_voltage", 0.02, 0.005, 0.0004, (6.0, 60.0, 600.0)),),
    "thermometer": (Function("case_temperature", 0.0, 0.5, 0.005, (200.0,)),),
}
IDENTITIES = {
    "ac_source": "BRACKMERE,A5,SIM001,1.0",
    "power_meter": "CALDERWICK,P2,SIM002,1.0",
    "load": "OSMARY,L3,SIM003,1.0",
    "voltmeter": "FENNHOLLOW,M6,SIM004,1.0",
    "thermometer": "PELLMOOR,T2,SIM005,1.0",
    "clock": "ZINCSMITH,STANDIN CLOCK,SIM006,1.0",
}


def ac_source(world: World) -> Interpreter:
    box, source = Interpreter(IDENTITIES["ac_source"]), world.source

    def setter(name: str, low: float, high: float) -> Callable[[str], None]:
        def apply(text: str) -> None:
            setattr(source, name, number(text, low, high))
            world.changed()

        return apply

    def output(text: str) -> None:
        source.on = boolean(text)
        world.changed()

    box.on("[SOURce]:VOLTage[:LEVel]", setter("voltage_V", 0.0, 300.0))
    box.on("[SOURce]:VOLTage[:LEVel]?", lambda _: render(source.voltage_V))
    box.on("[SOURce]:FREQuency", setter("frequency_Hz", 45.0, 65.0))
    box.on("[SOURce]:FREQuency?", lambda _: render(source.frequency_Hz))
    box.on("OUTPut[:STATe]", output)
    box.on("OUTPut[:STATe]?", lambda _: str(int(source.on)))
    box.on("*RST", lambda _: output("0"))
    return box


def power_meter(world: World) -> Interpreter:
    box = Interpreter(IDENTITIES["power_meter"])
    volts, amps, watts = (Meter("power_meter", f, world) for f in METERS["power_meter"])

    def fetch(_: str) -> str:
        u, i, p = volts.read(), amps.read(), watts.read()
        factor = p / (u * i) if u * i > 0.0 else float("nan")
        return ",".join(render(x) for x in (u, i, p, factor))

    for name, meter in (("VOLTage", volts), ("CURRent", amps), ("POWer", watts)):
        _ranged(box, f"{name}:RANGe", meter)
    box.on("FETCh[:ALL]?", fetch)
    return box


def load(world: World) -> Interpreter:
    box, state = Interpreter(IDENTITIES["load"]), world.load
    meter = Meter("load", METERS["load"][0], world)

    def current(text: str) -> None:
        state.current_A = number(text, 0.0, 20.0)
        world.changed()

    def switch(text: str) -> None:
        state.on = boolean(text)
        world.changed()

    def mode(text: str) -> None:
        if text.upper() not in {"CURR", "CURRENT"}:
            raise ScpiError(-224, "Illegal parameter value")

    _ranged(box, "CURRent:RANGe", meter)
    box.on("FUNCtion", mode)
    box.on("FUNCtion?", lambda _: "CURR")
    box.on("CURRent[:LEVel]", current)
    box.on("CURRent[:LEVel]?", lambda _: render(state.current_A))
    box.on("INPut[:STATe]", switch)
    box.on("INPut[:STATe]?", lambda _: str(int(state.on)))
    box.on("MEASure:CURRent?", lambda _: render(meter.read()))
    box.on("MEASure:VOLTage?", lambda _: render(round(world.unit.output_V, 2)))
    box.on("*RST", lambda _: switch("0"))
    return box


def voltmeter(world: World) -> Interpreter:
    box = Interpreter(IDENTITIES["voltmeter"])
    meter = Meter("voltmeter", METERS["voltmeter"][0], world)
    _ranged(box, "VOLTage:RANGe", meter)
    box.on("MEASure:VOLTage[:DC]?", lambda _: render(meter.read()))
    return box


def thermometer(world: World) -> Interpreter:
    box = Interpreter(IDENTITIES["thermometer"])
    meter = Meter("thermometer", METERS["thermometer"][0], world)
    box.on("MEASure:TEMPerature?", lambda _: render(meter.read()))
    return box


def clock(world: World) -> Interpreter:
    box = Interpreter(IDENTITIES["clock"])
    box.on("CLOCk:ADVance", lambda text: world.advance(number(text, 0.0, 3600.0)))
    box.on("CLOCk:TIME?", lambda _: f"{world.time_s:.6f}")
    return box


def _ranged(box: Interpreter, header: str, meter: Meter) -> None:
    def choose(text: str) -> None:
        if not meter.set_range(number(text, 0.0, 1e6)):
            raise ScpiError(-222, "Data out of range")

    box.on(header, choose)
    box.on(f"{header}?", lambda _: render(meter.range))


MAKERS: dict[str, Callable[[World], Interpreter]] = {
    "ac_source": ac_source,
    "power_meter": power_meter,
    "load": load,
    "voltmeter": voltmeter,
    "thermometer": thermometer,
    "clock": clock,
}
