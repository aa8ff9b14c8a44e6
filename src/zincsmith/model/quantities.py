"""The quantities of the bench: one home for their names, words, units and which side they belong to."""

from __future__ import annotations

from dataclasses import dataclass, replace

from zincsmith.model.address import at_port, name_of, port_of


@dataclass(frozen=True)
class Quantity:
    """``kind`` decides the colour, ``side`` the line style (input dashed, output solid)."""

    name: str
    words: str
    unit: str
    kind: str  # voltage, current, power, temperature, efficiency or plain
    side: str  # input, output or none
    role: str  # the role that measures it

    @property
    def inside(self) -> str:
        """The words inside a sentence; an output keeps the case its plate writes it in."""
        return self.words[:1].lower() + self.words[1:]


class Quantities(dict[str, Quantity]):
    """By name, or by address: the quantity at a port is the quantity with the port said. What a damaged book, or one
    of a newer program, calls a quantity is shown as it stands there."""

    def __missing__(self, name: str) -> Quantity:
        base, port = self.get(name_of(name)), port_of(name)
        if base is not None and port:
            return replace(base, name=name, words=f"{base.words}, {port}", role=at_port(base.role, port))
        return Quantity(name, name[:40].replace("_", " "), "", "plain", "none", "")


QUANTITIES = Quantities(
    {
        q.name: q
        for q in (
            Quantity("input_voltage", "Input volts", "V", "voltage", "input", "power_meter"),
            Quantity("input_current", "Input amps", "A", "current", "input", "power_meter"),
            Quantity("input_power", "Input watts", "W", "power", "input", "power_meter"),
            Quantity("power_factor", "Power factor", "1", "plain", "none", "power_meter"),
            Quantity("input_frequency", "Input frequency", "Hz", "plain", "input", "power_meter"),
            Quantity("voltage_thd", "Distortion of the input volts", "1", "plain", "input", "power_meter"),
            Quantity("output_voltage", "Output volts", "V", "voltage", "output", "voltmeter"),
            Quantity("output_current", "Output amps", "A", "current", "output", "load"),
            Quantity("load_set", "Amps the load was set to", "A", "current", "output", ""),
            Quantity("panel_voltage", "Volts on the display", "V", "voltage", "output", "panel_voltmeter"),
            Quantity("panel_current", "Amps on the display", "A", "current", "output", "panel_ammeter"),
            Quantity("panel_power", "Watts on the display", "W", "power", "output", "panel_wattmeter"),
            Quantity("load_voltage", "Volts at the load", "V", "voltage", "output", "load"),
            Quantity("node_voltage", "Volts at a node", "V", "voltage", "none", "node_voltmeter"),
            Quantity("signal_voltage", "Volts of a signal", "V", "voltage", "none", ""),  # a scope alone looks at them
            Quantity("node_current", "Amps at a node", "A", "current", "none", ""),  # a scope alone looks at them
            Quantity(
                "second_input_voltage", "Input volts, second meter", "V", "voltage", "input", "second_power_meter"
            ),
            Quantity("second_input_current", "Input amps, second meter", "A", "current", "input", "second_power_meter"),
            Quantity("second_input_power", "Input watts, second meter", "W", "power", "input", "second_power_meter"),
            Quantity("second_power_factor", "Power factor, second meter", "1", "plain", "none", "second_power_meter"),
            Quantity(
                "second_output_voltage", "Output volts, second meter", "V", "voltage", "output", "second_voltmeter"
            ),
            Quantity("output_ac_voltage", "AC volts of the output", "V", "voltage", "output", "ac_voltmeter"),
            Quantity("shunt_voltage", "Volts across the shunt", "V", "voltage", "output", "ammeter"),
            Quantity("ammeter_current", "Amps by the ammeter", "A", "current", "output", "ammeter"),
            Quantity("case_temperature", "Case temperature", "degC", "temperature", "none", "thermometer"),
            Quantity("spot_temperature", "Temperature", "degC", "temperature", "none", "spot_thermometer"),
            Quantity("offered_power", "Watts on offer", "W", "power", "output", "sink_controller"),
            Quantity("offered_modes", "Modes on offer", "1", "plain", "output", "sink_controller"),
            Quantity("output_real_power", "Output watts, real", "W", "power", "output", "output_power_meter"),
            Quantity("output_frequency", "Output frequency", "Hz", "plain", "output", "output_power_meter"),
            Quantity("output_thd", "Distortion of the output volts", "1", "plain", "output", "output_power_meter"),
            Quantity("output_crest", "Crest factor of the output volts", "1", "plain", "output", "output_power_meter"),
            Quantity("output_dc", "Direct part of the output volts", "V", "voltage", "output", "output_power_meter"),
            Quantity("readback_voltage", "Volts by the unit itself", "V", "voltage", "output", "unit_interface"),
            Quantity("readback_current", "Amps by the unit itself", "A", "current", "output", "unit_interface"),
            Quantity("stage_resistance", "Ohms of a stage", "ohm", "plain", "none", "multimeter"),
            Quantity("stage_voltage", "Volts of a stage", "V", "voltage", "none", "multimeter"),
            Quantity("fed_back_current", "Amps into the output", "A", "current", "none", "multimeter"),
            Quantity("stage_ac_voltage", "AC volts of a stage", "V", "voltage", "none", "multimeter"),
            Quantity("touch_current", "Amps to earth", "A", "current", "none", "multimeter"),
            Quantity("part_capacitance", "Capacitance", "F", "plain", "none", "lcr_meter"),
            Quantity("part_esr", "ESR", "ohm", "plain", "none", "lcr_meter"),
            Quantity("part_leakage", "Leakage", "A", "current", "none", "multimeter"),
            Quantity("timed", "Stopwatch", "s", "plain", "none", ""),
        )
    }
)
# What a stopwatch times, as the port of what it reads, with how.
STARTS, AWAY, STANDS = "start to start", "until it is back", "until the display stands"
TIMED = {
    STARTS: "0 where it does not start again", AWAY: "From the moment that the overload goes",
    STANDS: "From the moment that the load changes",
}  # fmt: skip
NEVER_NEGATIVE = (
    "part_capacitance", "part_esr", "part_leakage", "stage_resistance", "stage_ac_voltage", "touch_current", "timed",
)  # fmt: skip
ROOM = "room"  # a spot of that name is where the unit stands, not a part of it
TOUCH_LIMIT_V = 30.0  # treat anything above about 30 to 40 V as able to hurt (common practice, no source)
# What speaks of the rig itself and enters no figure of a unit.
OF_THE_RIG = ("input_frequency", "voltage_thd", "load_voltage", "shunt_voltage", "offered_power", "offered_modes")
# What a further meter reads of what another one reads already: (the one that counts, the further one).
READ_TWICE = (
    ("input_voltage", "second_input_voltage"),
    ("input_current", "second_input_current"),
    ("input_power", "second_input_power"),
    ("output_voltage", "second_output_voltage"),
    ("output_current", "ammeter_current"),
)
# What no instrument reads but the engine works out; it can be watched.
WATCHABLE = Quantities(
    {
        **QUANTITIES,
        "run_time": Quantity("run_time", "Bench time", "s", "plain", "none", "engine"),
        "output_power": Quantity("output_power", "Output watts", "W", "power", "output", "engine"),
        "input_energy": Quantity("input_energy", "Energy drawn", "Wh", "power", "input", "engine"),
    }
)
