"""The stand-in instruments: invented makers, data-sheet errors, and the commands each understands."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import TYPE_CHECKING

from zincsmith.simbench import asking
from zincsmith.simbench.held import LCR, MULTIMETER, lcr_meter, multimeter
from zincsmith.simbench.meter import Function, Meter
from zincsmith.simbench.scpi import Interpreter, Later, ScpiError, boolean, number, render
from zincsmith.simbench.world import BANK_OHM, MOST_A, ROOM, World

if TYPE_CHECKING:
    from zincsmith.simbench.ac_volts import AcVolts

VOLTAGE_RANGES = (150.0, 300.0)
RECORD_HZ = 10_000.0
METERS = {
    "power_meter": (
        Function("input_voltage", 0.05, 0.05, 0.002, VOLTAGE_RANGES),
        Function("input_current", 0.1, 0.05, 0.004, (0.05, 0.2, 0.5, 2.0, 5.0)),
        Function("input_power", 0.1, 0.04, 0.004, (1.0, 5.0, 15.0, 75.0, 150.0, 600.0)),
        Function("input_frequency", 0.0, 0.02, 0.001, (70.0,)),
        Function("voltage_thd", 0.0, 0.1, 0.01, (1.0,)),
    ),
    "load": (
        Function("output_current", 0.05, 0.025, 0.001, (1.0, 5.0, 20.0)),
        Function("load_voltage", 0.05, 0.05, 0.004, (60.0,)),
    ),
    "voltmeter": (Function("output_voltage", 0.02, 0.005, 0.0004, (6.0, 60.0, 600.0)),),
    "node_voltmeter": (Function("node_voltage", 0.05, 0.02, 0.001, (60.0, 600.0)),),
    "second_power_meter": (
        Function("second_input_voltage", 0.1, 0.1, 0.002, VOLTAGE_RANGES),
        Function("second_input_current", 0.2, 0.1, 0.004, (0.2, 2.0, 5.0)),
        Function("second_input_power", 0.2, 0.1, 0.004, (15.0, 75.0, 600.0)),
    ),
    "output_power_meter": (
        Function("output_real_power", 0.1, 0.05, 0.004, (600.0,)),
        Function("output_frequency", 0.0, 0.02, 0.001, (100.0,)),
        Function("output_thd", 0.0, 0.1, 0.01, (1.0,)),
        Function("output_crest", 0.0, 0.2, 0.01, (3.0,)),
        Function("output_dc", 0.0, 0.1, 0.01, (10.0,)),
    ),
    "second_voltmeter": (Function("second_output_voltage", 0.05, 0.02, 0.001, (6.0, 60.0, 600.0)),),
    "ammeter": (
        Function("ammeter_current", 0.1, 0.05, 0.001, (5.0, 20.0)),
        Function("shunt_voltage", 0.02, 0.005, 0.0005, (0.1, 1.0)),
    ),
    "panel_voltmeter": (Function("panel_voltage", 0.0, 0.0, 0.0, (1000.0,)),),
    "panel_ammeter": (Function("panel_current", 0.0, 0.0, 0.0, (1000.0,)),),
    "panel_wattmeter": (Function("panel_power", 0.0, 0.0, 0.0, (10000.0,)),),
    "ac_voltmeter": (Function("output_ac_voltage", 1.0, 0.2, 0.01, (0.02, 0.2, 2.0, 20.0)),),
    "thermometer": (Function("case_temperature", 0.0, 0.5, 0.005, (200.0,)),),
    "spot_thermometer": (Function("spot_temperature", 0.0, 0.5, 0.005, (200.0,)),),
}
DIRECT = (  # the same meter at an input of direct current
    Function("input_voltage", 0.03, 0.02, 0.002, (6.0, 15.0, 60.0, 150.0)),
    Function("input_current", 0.05, 0.03, 0.002, (0.01, 0.1, 1.0, 5.0, 20.0, 60.0, 120.0)),
    Function("input_power", 0.08, 0.04, 0.002, (0.1, 1.0, 5.0, 15.0, 75.0, 300.0, 1200.0)),
    *METERS["power_meter"][3:],
)
HIGH_V = 60.0  # of the unit's output: above it the load is one for mains
STRONGEST_A = 80.0  # of the source of direct current
GREAT = Function("output_current", 0.05, 0.025, 0.001, (1.0, 5.0, 20.0, 60.0))
HIGH = Function("load_voltage", 0.05, 0.05, 0.004, (600.0,))
OF_ITSELF = (  # what the source reads of what it gives: a poor meter
    Function("input_voltage", 0.5, 0.3, 0.01, (300.0,)),
    Function("input_current", 1.0, 0.5, 0.02, (5.0,)),
    Function("input_power", 1.5, 0.5, 0.02, (600.0,)),
)
OF_THE_UNIT = ("panel_voltmeter", "panel_ammeter", "panel_wattmeter")  # there is one where the unit has a display
IDENTITIES = {
    "ac_source": "BRACKMERE,A5,SIM001,1.0",
    "power_meter": "CALDERWICK,P2,SIM002,1.0",
    "load": "OSMARY,L3,SIM003,1.0",
    "voltmeter": "FENNHOLLOW,M6,SIM004,1.0",
    "thermometer": "PELLMOOR,T2,SIM005,1.0",
    "node_voltmeter": "FENNHOLLOW,M7,SIM011,1.0",
    "second_power_meter": "CALDERWICK,P1,SIM012,1.0",
    "output_power_meter": "CALDERWICK,P3,SIM013,1.0",
    "second_voltmeter": "FENNHOLLOW,M4,SIM013,1.0",
    "ammeter": "PELLMOOR,A2,SIM014,1.0",
    "base_load": "OSMARY,B4,SIM015,1.0",
    "ac_voltmeter": "PELLMOOR,V3,SIM016,1.0",
    "spot_thermometer": "PELLMOOR,T4,SIM018,1.0",
    "load_switch": "OSMARY,G2,SIM017,1.0",
    "contactor": "OSMARY,K1,SIM019,1.0",
    "panel_voltmeter": "UNIT,DISPLAY,VOLTS,1.0",
    "panel_ammeter": "UNIT,DISPLAY,AMPS,1.0",
    "panel_wattmeter": "UNIT,DISPLAY,WATTS,1.0",
    "dc_source": "BRACKMERE,D4,SIM007,1.0",
    "scope": "FENNHOLLOW,O2,SIM008,1.0",
    "sink_controller": "OSMARY,U1,SIM009,1.0",
    "unit_interface": "LATHOM,LB-303,0417,2.1",
    "lcr_meter": LCR,
    "multimeter": MULTIMETER,
    "clock": "ZINCSMITH,STANDIN CLOCK,SIM006,1.0",
}
VOLTS, AMPS = "MEASure:VOLTage[:DC]?", "MEASure:CURRent[:DC]?"


def ac_source(world: World) -> Interpreter:
    box, source = Interpreter(IDENTITIES["ac_source"]), world.source

    def setter(name: str, low: float, high: float) -> Callable[[str], None]:
        def apply(text: str) -> None:
            setattr(source, name, number(text, low, high))
            world.changed()

        return apply

    def output(text: str) -> None:
        source.on, source.tripped = boolean(text), False
        world.changed()

    box.on("[SOURce]:VOLTage[:LEVel]", setter("voltage_V", 0.0, 300.0))
    box.on("[SOURce]:VOLTage[:LEVel]?", lambda _: render(source.voltage_V))
    box.on("[SOURce]:FREQuency", setter("frequency_Hz", 45.0, 65.0))
    box.on("[SOURce]:FREQuency?", lambda _: render(source.frequency_Hz))

    def phase(text: str) -> None:
        source.phase_deg = None if text.upper() == "ANY" else number(text, 0.0, 360.0)

    box.on("OUTPut[:STATe]", output)
    box.on("OUTPut[:STATe]?", lambda _: str(int(source.on)))
    for name, of, most in (("VOLTage", "dip_V", 300.0), ("TIME", "dip_s", 60.0)):
        box.on(f"DIP:{name}", lambda text, of=of, most=most: setattr(source, of, number(text, 0.0, most)))  # type: ignore[misc]
        box.on(f"DIP:{name}?", lambda _, of=of: render(getattr(source, of)))  # type: ignore[misc]
    box.on("DIP:IMMediate", lambda _: world.dip())
    box.on("OUTPut:PHASe", phase)
    box.on("OUTPut:PHASe?", lambda _: render(source.phase_deg if source.phase_deg is not None else math.nan))
    for header, function in zip(("VOLTage", "CURRent", "POWer"), OF_ITSELF, strict=True):
        meter = Meter("ac_source", function, world)
        box.on(f"MEASure:{header}?", lambda _, m=meter: render(m.read()))  # type: ignore[misc]
    box.on("*RST", lambda _: output("0"))
    return box


def _with_factor(u: float, i: float, p: float) -> str:
    return ",".join(render(x) for x in (u, i, p, p / (u * i) if u * i > 0.0 else float("nan")))


def power_meter(world: World) -> Interpreter:
    box = Interpreter(IDENTITIES["power_meter"])
    functions = DIRECT if world.unit.direct else METERS["power_meter"]
    volts, amps, watts, hertz, thd = (Meter("power_meter", f, world) for f in functions)

    dc = Meter("power_meter", Function("output_voltage", 0.05, 0.02, 0.001, (60.0,)).at(world.ports[0]), world)
    held: dict[str, float] = {}  # of one moment, from HOLD to HOLD; without it everything is read when it is asked for

    def of(name: str, meter: Meter) -> float:
        return held[name] if name in held else meter.read()

    def hold(_: str) -> None:
        held.update({name: meter.read() for name, meter in channels.items()})

    channels = {"u": volts, "i": amps, "p": watts, "hertz": hertz, "thd": thd, "dc": dc}

    def fetch(_: str) -> str:
        return _with_factor(of("u", volts), of("i", amps), of("p", watts))

    def extended(_: str) -> str:
        return ",".join((fetch(""), render(of("hertz", hertz)), render(of("thd", thd))))

    kept: dict[str, tuple[list[int], float]] = {"V": ([], 1.0), "A": ([], 1.0)}

    def record(text: str) -> None:
        """Volts and amps of the same moments."""
        times = [world.time_s + n / RECORD_HZ for n in range(int(number(text, 16.0, 100_000.0)))]
        kept["V"], kept["A"] = (m.record(w) for m, w in zip((volts, amps), world.input_waves(times), strict=True))

    box.on("RECord:POINts", record)
    box.on("RECord:POINts?", lambda _: str(len(kept["V"][0])))
    box.on("RECord:RATE?", lambda _: render(RECORD_HZ))
    for header, name in (("VOLTage", "V"), ("CURRent", "A")):
        box.on(f"RECord:{header}?", lambda _, n=name: ",".join(map(str, kept[n][0])))  # type: ignore[misc]
        box.on(f"RECord:{header}:STEP?", lambda _, n=name: f"{kept[n][1]:.9g}")  # type: ignore[misc]
    box.on("HOLD", hold)
    box.on("FETCh:DC?", lambda _: render(of("dc", dc)))
    box.on("FETCh:EXTended?", extended)
    for name, meter in (("VOLTage", volts), ("CURRent", amps), ("POWer", watts)):
        _ranged(box, f"{name}:RANGe", meter)
    box.on("FETCh[:ALL]?", fetch)
    return box


def load(world: World, port: str = "") -> Interpreter:
    box, state = Interpreter(IDENTITIES["load"]), world.loads[port]
    great = world.unit.output.limit_A > MOST_A  # then there is one of the greater kind
    amps, across = METERS["load"]
    meter = Meter("load", (GREAT if great else amps).at(port), world)
    volts = Meter("load", (HIGH if world.unit.output.voltage_V > HIGH_V else across).at(port), world)

    def current(text: str) -> None:
        state.current_A = number(text, 0.0, 3.0 * MOST_A if great else MOST_A)
        world.changed()

    def switch(text: str) -> None:
        state.on = boolean(text)
        world.changed()

    def mode(text: str) -> None:
        short = {"CURRENT": "CURR", "RESISTANCE": "RES", "VOLTAGE": "VOLT", "POWER": "POW", "SHORT": "SHOR"}
        word = short.get(text.upper(), text.upper())
        if word not in short.values():
            raise ScpiError(-224, "Illegal parameter value")
        state.mode = word
        world.changed()

    def level(name: str, low: float, high: float) -> Callable[[str], None]:
        def apply(text: str) -> None:
            setattr(state, name, number(text, low, high))
            world.changed()

        return apply

    for header, name, low, high in (
        ("RESistance", "resistance_ohm", 0.05, 1e5),
        ("VOLTage", "voltage_V", 0.0, 150.0),
        ("POWer", "power_W", 0.0, 900.0),
    ):
        box.on(f"{header}[:LEVel]", level(name, low, high))
        box.on(f"{header}[:LEVel]?", lambda _, n=name: render(getattr(state, n)))  # type: ignore[misc]

    _ranged(box, "CURRent:RANGe", meter)
    box.on("FUNCtion", mode)
    box.on("FUNCtion?", lambda _: state.mode)
    box.on("CURRent[:LEVel]", current)
    box.on("CURRent[:LEVel]?", lambda _: render(state.current_A))
    box.on("INPut[:STATe]", switch)
    box.on("INPut[:STATe]?", lambda _: str(int(state.on)))
    box.on("MEASure:CURRent?", lambda _: render(meter.read()))
    box.on("MEASure:VOLTage?", lambda _: render(volts.read()))
    box.on("*RST", lambda _: switch("0"))
    return box


def _one_reading(role: str, header: str, world: World, place: str | None = None, ranges: str = "") -> Interpreter:
    """An instrument that is asked for one thing, at a place where there are several."""
    box, function = Interpreter(IDENTITIES[role]), METERS[role][0]
    meter = Meter(role, function if place is None else function.at(place), world)
    if ranges:
        _ranged(box, ranges, meter)
    box.on(header, lambda _: render(meter.read()))
    return box


def voltmeter(world: World, port: str = "") -> Interpreter:
    return _one_reading("voltmeter", VOLTS, world, port, "VOLTage:RANGe")


def visiting_voltmeter(world: World) -> Interpreter:
    """One meter behind a relay that joins it to one output after the other."""
    box, at = Interpreter(IDENTITIES["voltmeter"]), [1]
    meters = [Meter("voltmeter", METERS["voltmeter"][0].at(port), world) for port in world.ports]

    def channel(text: str) -> None:
        at[0] = int(number(text, 1.0, float(len(meters))))

    box.on("ROUTe:CHANnel", channel)
    box.on("ROUTe:CHANnel?", lambda _: str(at[0]))
    box.on(VOLTS, lambda _: render(meters[at[0] - 1].read()))
    return box


def node_voltmeter(world: World, node: str = "bulk") -> Interpreter:
    return _one_reading("node_voltmeter", VOLTS, world, node, "VOLTage:RANGe")


def base_load(world: World, port: str = "") -> Interpreter:
    """A bank of resistors beside the load, each step on a relay of its own."""
    box, state = Interpreter(IDENTITIES["base_load"]), world.loads[port]

    def pattern(text: str) -> None:
        state.bank = int(number(text, 0.0, float(2 ** len(BANK_OHM) - 1)))
        world.changed()

    box.on("BANK:PATTern", pattern)
    box.on("BANK:PATTern?", lambda _: str(state.bank))
    box.on("*RST", lambda _: pattern("0"))
    return box


def load_switch(world: World, port: str = "") -> Interpreter:
    """A generator whose output drives a transistor with a resistor across the output of the unit."""
    box, state = Interpreter(IDENTITIES["load_switch"]), world.loads[port]

    def setter(name: str, low: float, high: float) -> Callable[[str], None]:
        def apply(text: str) -> None:
            setattr(state, name, number(text, low, high))
            world.changed()

        return apply

    def output(text: str) -> None:
        state.pulsed = boolean(text)
        world.changed()

    box.on("[SOURce]:FREQuency", setter("pulses_Hz", 0.1, 1e5))
    box.on("[SOURce]:FREQuency?", lambda _: render(state.pulses_Hz))
    box.on("[SOURce]:PULSe:DCYCle", setter("pulses_duty", 0.01, 0.99))
    box.on("[SOURce]:PULSe:DCYCle?", lambda _: render(state.pulses_duty))
    box.on("OUTPut[:STATe]", output)
    box.on("OUTPut[:STATe]?", lambda _: str(int(state.pulsed)))
    box.on("*RST", lambda _: output("0"))
    return box


def contactor(world: World, port: str = "") -> Interpreter:
    """Across an output; its mirror contact says what the contact does, not what the coil was told."""
    box, state = Interpreter(IDENTITIES["contactor"]), world.loads[port]

    def close(text: str) -> None:
        state.contact_closed = boolean(text) or (world.welded and state.contact_closed)
        world.changed()

    box.on("ROUTe:CLOSe", close)
    box.on("ROUTe:CLOSe?", lambda _: str(int(state.contact_closed)))
    box.on("*RST", lambda _: close("0"))
    return box


def second_power_meter(world: World) -> Interpreter:
    """One behind the first, next to the unit."""
    box = Interpreter(IDENTITIES["second_power_meter"])
    volts, amps, watts = (Meter("second_power_meter", f, world) for f in METERS["second_power_meter"])

    for name, meter in (("VOLTage", volts), ("CURRent", amps), ("POWer", watts)):
        _ranged(box, f"{name}:RANGe", meter)
    box.on("FETCh[:ALL]?", lambda _: _with_factor(volts.read(), amps.read(), watts.read()))
    return box


def output_power_meter(world: World) -> Interpreter:
    """At an output that alternates."""
    box = Interpreter(IDENTITIES["output_power_meter"])
    meters = [Meter("output_power_meter", f, world) for f in METERS["output_power_meter"]]
    box.on("FETCh[:ALL]?", lambda _: ",".join(render(one.read()) for one in meters))
    return box


def second_voltmeter(world: World, port: str = "") -> Interpreter:
    return _one_reading("second_voltmeter", VOLTS, world, port, "VOLTage:RANGe")


def ammeter(world: World, port: str = "") -> Interpreter:
    """Reads amps, or the volts across a shunt in the same place."""
    box = Interpreter(IDENTITIES["ammeter"])
    amps, volts = (Meter("ammeter", f.at(port), world) for f in METERS["ammeter"])
    box.on(AMPS, lambda _: render(amps.read()))
    box.on(VOLTS, lambda _: render(volts.read()))
    return box


def ac_voltmeter(world: World, port: str = "") -> Interpreter:
    """The AC range of a voltmeter: it keeps the DC volts out, and takes the mean for the rms of a sine."""
    box = Interpreter(IDENTITIES["ac_voltmeter"])

    def read() -> float:
        from zincsmith.simbench.ac_volts import AcVolts  # a bench that nobody asks for waves starts without NumPy

        return made.setdefault("", AcVolts(world)).read()

    made: dict[str, AcVolts] = {}
    meter = Meter("ac_voltmeter", METERS["ac_voltmeter"][0].at(port), world, read)
    _ranged(box, "VOLTage:AC:RANGe", meter)
    box.on("MEASure:VOLTage:AC?", lambda _: render(meter.read()))
    return box


def thermometer(world: World) -> Interpreter:
    return _one_reading("thermometer", "MEASure:TEMPerature?", world)


def spot_thermometer(world: World, spot: str = ROOM) -> Interpreter:
    return _one_reading("spot_thermometer", "MEASure:TEMPerature?", world, spot)


def panel_voltmeter(world: World) -> Interpreter:
    """The volts that the unit itself shows; only a person reads them."""
    return _one_reading("panel_voltmeter", VOLTS, world)


def panel_ammeter(world: World) -> Interpreter:
    """The amps that the unit itself shows."""
    return _one_reading("panel_ammeter", AMPS, world)


def panel_wattmeter(world: World) -> Interpreter:
    """The watts that the unit itself shows."""
    return _one_reading("panel_wattmeter", "MEASure:POWer?", world)


def dc_source(world: World) -> Interpreter:
    box, source = Interpreter(IDENTITIES["dc_source"]), world.dc_source

    def volts(text: str) -> None:
        source.voltage_V = number(text, 0.0, 400.0)
        world.changed()

    def amps(text: str) -> None:
        source.limit_A = number(text, 0.0, STRONGEST_A)
        world.changed()

    def output(text: str) -> None:
        source.on = boolean(text)
        world.changed()

    box.on("[SOURce]:VOLTage[:LEVel]", volts)
    box.on("[SOURce]:VOLTage[:LEVel]?", lambda _: render(source.voltage_V))
    box.on("[SOURce]:CURRent[:LEVel]", amps)
    box.on("[SOURce]:CURRent[:LEVel]?", lambda _: render(source.limit_A))
    box.on("OUTPut[:STATe]", output)
    box.on("OUTPut[:STATe]?", lambda _: str(int(source.on)))
    box.on("*RST", lambda _: output("0"))
    return box


def scope(world: World) -> Interpreter:
    return Later(IDENTITIES["scope"], lambda: _scope(world))


def _scope(world: World) -> Interpreter:
    from zincsmith.simbench.oscilloscope import Oscilloscope

    return Oscilloscope(world, IDENTITIES["scope"]).box


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


AT_NODES = ("node_voltmeter",)  # there is one at every node
AT_SPOTS = ("spot_thermometer",)  # there is one at every spot of the physics, and one in the room
AT_PORTS = (
    "load",
    "base_load",
    "load_switch",
    "contactor",
    "voltmeter",
    "second_voltmeter",
    "ammeter",
    "ac_voltmeter",
    "sink_controller",
    "unit_interface",
)  # there is one at every output
MAKERS: dict[str, Callable[..., Interpreter]] = {
    "ac_source": ac_source,
    "power_meter": power_meter,
    "load": load,
    "voltmeter": voltmeter,
    "node_voltmeter": node_voltmeter,
    "base_load": base_load,
    "load_switch": load_switch,
    "contactor": contactor,
    "second_power_meter": second_power_meter,
    "output_power_meter": output_power_meter,
    "second_voltmeter": second_voltmeter,
    "ammeter": ammeter,
    "ac_voltmeter": ac_voltmeter,
    "thermometer": thermometer,
    "spot_thermometer": spot_thermometer,
    "panel_voltmeter": panel_voltmeter,
    "panel_ammeter": panel_ammeter,
    "panel_wattmeter": panel_wattmeter,
    "dc_source": dc_source,
    "scope": scope,
    "sink_controller": lambda world, port="": asking.sink_controller(
        Interpreter(IDENTITIES["sink_controller"]), world, port
    ),
    "unit_interface": lambda world, port="": asking.UnitInterface(IDENTITIES["unit_interface"], world, port),
    "lcr_meter": lcr_meter,
    "multimeter": multimeter,
    "clock": clock,
}
