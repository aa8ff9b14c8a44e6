"""A person at a stand-in bench, for whole plans: turns what a gate asks for, types what a meter shows, switches off
what only hands can. Knows what was asked for by the events of the run, as a person does by reading the screen."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from typing import Any

from tests.engine.scripted import Scene

from zincsmith.bench.dialect import dialect_for
from zincsmith.bench.instrument import ScpiInstrument
from zincsmith.bench.link import Link
from zincsmith.bench.roles import FEEDING
from zincsmith.model.actions import SENSES
from zincsmith.model.address import at_port, name_of, port_of
from zincsmith.model.commands import Command, Enter, GoDown, Pass
from zincsmith.model.errors import Refused
from zincsmith.model.events import EntryAsked, GateOpened, HandSetting, Intended, StopRuleMet
from zincsmith.model.port import UNPLUGGED, of_output
from zincsmith.model.quantities import QUANTITIES
from zincsmith.model.rig import Rig
from zincsmith.model.states import State

ACTIONS = {"load": "SetLoad", "sink_controller": "ChooseMode", "unit_interface": "ChooseMode"}
LAWS = {"CC": ("CURR", "CURR"), "CR": ("RES", "RES"), "CV": ("VOLT", "VOLT"), "CP": ("POW", "POW")}


class Fitter:
    """Who does at each gate what its title says, as far as it is among ``does``."""

    def __init__(self, scene: Scene, tell: Callable[[str], object], does: dict[str, str]) -> None:
        self.scene, self.tell, self.does = scene, tell, does
        self.gates: list[str] = []

    def __call__(self, state: State, _calls: int) -> list[Command]:
        if state is not State.GATE:
            return []
        opened = self.scene.events(GateOpened)
        if len(opened) > len(self.gates):
            self.gates.append(opened[-1].event.title)
            for words, does in self.does.items():
                if self.gates[-1].endswith(words):
                    self.tell(f"FAUL {does}")
        return [Pass()]


class Person:
    """``says`` of an Actor. What the rig leaves to hands is spoken to over the ports that the stand-in has for it."""

    def __init__(self, scene: Scene, rig: Rig, addresses: dict[str, str]) -> None:
        self.scene, self.rig, self.addresses = scene, rig, addresses
        self.reached: dict[str, ScpiInstrument] = {}
        self.typed = 0

    def at(self, place: str) -> ScpiInstrument:
        if place not in self.reached:
            made = ScpiInstrument(Link(place, self.addresses[place]), dialect_for(name_of(place)))
            made.link.open()
            self.reached[place] = made
        return self.reached[place]

    def close(self) -> None:
        for one in self.reached.values():
            one.link.close()

    def __call__(self, state: State, _calls: int) -> list[Command]:
        if state is State.MAKING_SAFE:
            self.all_off()
            return [Pass()]
        if state is State.ASKING:
            return [Enter(self.reading(self.scene.events(EntryAsked)[-1].event))]
        if state is State.GATE:
            last = self.scene.events(HandSetting, StopRuleMet)
            if last and isinstance(last[-1].event, StopRuleMet):
                return [GoDown()]
            if last:
                self.turn(last[-1].event)
            return [Pass(senses=dict.fromkeys(SENSES, False))]
        return []

    def reading(self, asked: EntryAsked) -> str:
        """As the meter shows it on the range that it is to be read on, to six figures; zero where it shows nothing."""
        self.typed += 1
        name, port = name_of(asked.quantity), port_of(asked.quantity)
        if name == "timed":
            return "0.8"
        role = QUANTITIES[name].role
        place = next(p for p in (at_port(role, port), role) if p in self.addresses)
        meter, upper = self.at(place), re.search(r"([\d.]+) (m?)\w+ range", asked.setting)
        if upper and role == "power_meter":  # the one that reads a thousandth of what it reads at its most
            meter.choose_range(name, float(upper[1]) * (1e-3 if upper[2] else 1.0))
        return f"{meter.read().get(name, 0.0):.6g}"

    def turn(self, gate: HandSetting) -> None:
        """A source as the gate's words say, else to what was asked for last at this place."""
        place, role, port = gate.role, name_of(gate.role), port_of(gate.role)
        if place not in self.addresses:
            return
        if role in FEEDING:
            self.source(place, gate.text)
        if role not in ACTIONS:
            return
        asked = [w.event.body for w in self.scene.events(Intended) if w.event.action == ACTIONS[role]]
        wanted = next((b for b in reversed(asked) if b.get("port", "") in (port, "")), None)
        if wanted is not None:
            {"SetLoad": self.load, "ChooseMode": self.mode}[ACTIONS[role]](place, wanted)

    def load(self, place: str, wanted: dict[str, Any]) -> None:
        law, on = wanted.get("law") or "CC", bool(wanted["on"])
        level = wanted["current_A"] if wanted.get("level") is None else wanted["level"]
        if on:
            word, mode = LAWS[law]
            self.at(place).link.query(f"MODE {mode};:{word} {float(level):.6g};:INP?")
        self.at(place).link.query(f"INP {int(on)};:INP?")

    def source(self, place: str, words: str) -> None:
        volts, hertz = re.search(r"to ([\d.]+) V", words), re.search(r"([\d.]+) Hz", words)
        if volts is None:
            assert " off" in words, words
            self.at(place).link.query("OUTP 0;:OUTP?")
            return
        hertz_too = f";:FREQ {hertz[1]}" if hertz else ""
        self.at(place).link.query(f"VOLT {volts[1]}{hertz_too};:OUTP 1;:OUTP?")

    def mode(self, place: str, wanted: dict[str, Any]) -> None:
        """Of a port what its sink asks for, of an output that is set its volts and amps at the unit's own interface."""
        one, to = self.at(place), wanted["mode"]
        if isinstance(to, dict):
            if name_of(place) == "sink_controller":
                one.set("attached", True)
            if to["on"]:
                one.set("current", float(to["current_A"]))
                one.set("voltage", float(to["voltage_V"]))
            if one.can_choose("output"):
                one.set("output", bool(to["on"]))
            return
        one.set("attached", to != UNPLUGGED)
        if to != UNPLUGGED:
            output = next(o for o in self.scene.unit.nameplate.outputs if o.name == port_of(place))
            volts = next(m.voltage_V[1] for m in of_output(output).modes if m.name == to)
            offered = [float(x) for x in one.word("modes").replace(";", ",").split(",")]
            there = [n for n, has in enumerate(offered, 1) if abs(has - volts) <= 0.03 * volts]
            with suppress(Refused):  # a port that shares its watts may refuse: what it then gives is what is read
                if there:
                    one.set("mode", float(there[0]))

    def all_off(self) -> None:
        for one in self.rig.instruments:
            if one.how == "by hand" and one.place in self.addresses:
                if one.role in FEEDING:
                    self.at(one.place).link.query("OUTP 0;:OUTP?")
                elif one.role == "load":
                    self.at(one.place).link.query("INP 0;:INP?")


@contextmanager
def person(scene: Scene, rig: Rig, addresses: dict[str, str]) -> Iterator[Person]:
    one = Person(scene, rig, addresses)
    try:
        yield one
    finally:
        one.close()
