"""The roles of the bench, one table: what each is called, what an instrument in it can say, how it is switched off.

Dialects, arming, polling, making safe, the guardian, by-hand gates and the Rig station derive from it.
"""

from __future__ import annotations

from dataclasses import dataclass

from zincsmith.model.address import name_of, port_of

RECORDED = ("input_voltage", "input_current")  # what a power meter records together
RECORDING = ("set_record", "get_record", "get_record_rate",
             *(f"{do}_{q}" for q in RECORDED for do in ("record", "get_step")))  # fmt: skip


@dataclass(frozen=True)
class Role:
    """``needed`` is what every dialect of it must be able to say (whatever is set is also asked for), ``further`` what
    not every instrument can. ``switch`` is the operation that makes it harmless, ``feeds`` whether it energises the
    unit, ``off`` what a person is told to do, in the order of ``off_order``. ``polled`` is its place among what is read
    in every slice, 0 for what is not. ``at_outputs``: every output needs one. ``optional``: nobody takes its place, and
    nobody asks for it. ``of_the_unit``: a part of the unit that a person reads; nothing reaches it by wire. ``wakes``:
    it answers while the unit is fed and not before: it is reached when it is first told something.
    """

    name: str
    words: str
    needed: tuple[str, ...] = ()
    further: tuple[str, ...] = ()
    switch: str = ""
    feeds: bool = False
    off: str = ""
    off_order: int = 0
    polled: int = 0
    reached: bool = False
    at_outputs: bool = False
    optional: bool = False
    of_the_unit: bool = False
    wakes: bool = False


@dataclass(frozen=True)
class LawOfLoad:
    """How a dialect speaks of a law: the word of its mode, and what is set in it."""

    mode: str
    quantity: str


BY_LAW: dict[str, LawOfLoad] = {
    "CC": LawOfLoad("CURR", "current"), "CR": LawOfLoad("RES", "resistance"),
    "CV": LawOfLoad("VOLT", "voltage"), "CP": LawOfLoad("POW", "power"),
}  # fmt: skip


def _both(*what: str) -> tuple[str, ...]:
    return tuple(f"{do}_{one}" for one in what for do in ("set", "get"))


TABLE = (
    Role("ac_source", "AC source", _both("voltage", "frequency", "output"),
         (*_both("phase", "dip_voltage", "dip_time"), "dip"), switch="output", feeds=True,
         off="switch it off, or pull its plug", off_order=1, reached=True),
    Role("dc_source", "DC source", _both("voltage", "current", "output"), switch="output", feeds=True,
         off="switch its output off, then open its plus lead", off_order=2, reached=True),
    Role("power_meter", "Power meter", ("read",),
         ("latch", *RECORDING), polled=1, reached=True),
    Role("load", "Load", (*_both("current", "input"), "read"), _both("mode", "resistance", "voltage", "power"),
         switch="input", off="switch its input off", off_order=3, polled=3, reached=True, at_outputs=True),
    Role("base_load", "Base load", _both("pattern"), switch="pattern",
         off="take it off, or switch every step of it off", off_order=4, reached=True, optional=True),
    Role("load_switch", "Load switch", _both("rate", "duty", "output"), switch="output",
         off="switch its generator off, or take its resistor off", off_order=5, reached=True, optional=True),
    Role("contactor", "Contactor", _both("output"), switch="output",
         off="open it, and see that its contacts are apart", off_order=6, reached=True, optional=True),
    Role("voltmeter", "Voltmeter", ("read",), _both("channel"), polled=2, reached=True, at_outputs=True),
    Role("thermometer", "Thermometer", ("read",), polled=4, reached=True, optional=True),
    Role("node_voltmeter", "Voltmeter at a node", ("read",), polled=5, reached=True, optional=True),
    Role("second_power_meter", "Second power meter", ("read",), polled=6, reached=True, optional=True),
    Role("second_voltmeter", "Second voltmeter", ("read",), polled=7, reached=True, optional=True),
    Role("ammeter", "Ammeter", ("read",), polled=8, reached=True, optional=True),
    Role("ac_voltmeter", "AC voltmeter", ("read",), polled=9, reached=True, optional=True),
    Role("spot_thermometer", "Thermometer at a spot", ("read",), polled=10, reached=True, optional=True),
    Role("panel_voltmeter", "Volts display of the unit", optional=True, of_the_unit=True),
    Role("panel_ammeter", "Amps display of the unit", optional=True, of_the_unit=True),
    Role("panel_wattmeter", "Watts display of the unit", optional=True, of_the_unit=True),
    Role("scope", "Scope",
         (*_both("span", "offset", "rate", "depth", "before", "trigger_source", "trigger_level", "trigger_slope"),
          "arm", "force", "get_state", "capture", "get_step", "get_origin"),
         (*_both("coupling", "bandwidth"), "get_reference"), reached=True, optional=True),
    Role("sink_controller", "Sink controller", ("get_modes", *_both("mode"), "read"),
         (*_both("attached", "voltage", "current"), "reset"), polled=11, reached=True, optional=True),
    Role("output_power_meter", "Power meter at the output", ("read",), polled=13, reached=True, optional=True),
    Role("unit_interface", "Interface of the unit", (*_both("voltage", "current"), "read"),
         _both("output", "protection"), polled=12, reached=True, optional=True, wakes=True),
    Role("multimeter", "Multimeter", optional=True, of_the_unit=False),
    Role("lcr_meter", "LCR meter", ("read",), polled=14, reached=True, optional=True),
    Role("clock", "Clock", ("advance", "get_time")),
)  # fmt: skip


class RoleWords(dict[str, str]):
    """What a role is called, by its name or by its address."""

    def __missing__(self, address: str) -> str:
        name, port = name_of(address), port_of(address)
        return f"{self.get(name, name[:40])}, {port}" if port else name[:40].replace("_", " ")


# What feeds a unit, by the kind of its input; where it does not matter which, "source" stands for either.
SOURCE = "source"
SOURCES = {"ac": "ac_source", "dc": "dc_source"}


def source_role(frequency_Hz: float) -> str:
    """The role of what feeds with this frequency; 0 Hz is direct current."""
    return SOURCES["ac" if frequency_Hz else "dc"]


ROLES = RoleWords({role.name: role.words for role in TABLE})
WAKES = tuple(role.name for role in TABLE if role.wakes)
NOT_NEEDED = tuple(role.name for role in TABLE if role.optional)
OF_THE_UNIT = tuple(role.name for role in TABLE if role.of_the_unit)
AT_OUTPUTS = tuple(role.name for role in TABLE if role.at_outputs)
NEEDED = {role.name: role.needed for role in TABLE if role.needed}
FURTHER = {role.name: role.further for role in TABLE if role.further}
HELD = ("multimeter", "lcr_meter")  # where a person holds it, a gate has said
SWITCHES = {role.name: role.switch for role in TABLE if role.switch}
IN_ORDER_OFF = tuple(sorted((r for r in TABLE if r.switch), key=lambda r: r.off_order))
MEASURING = tuple(r.name for r in sorted(TABLE, key=lambda r: r.polled) if r.polled)
REACHED = tuple(role.name for role in TABLE if role.reached)  # what a run speaks to
