"""Serving the stand-in instruments: one loopback port each, one connection at a time, one thread for all."""

from __future__ import annotations

import json
import os
import random
import selectors
import socket
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path
from typing import IO

from zincsmith.simbench.asking import can_be_set
from zincsmith.simbench.hand import FRONT_PANELS, shown, typed
from zincsmith.simbench.instruments import (
    AT_NODES,
    AT_PORTS,
    AT_SPOTS,
    IDENTITIES,
    MAKERS,
    OF_THE_UNIT,
    visiting_voltmeter,
)
from zincsmith.simbench.motor import Motor
from zincsmith.simbench.scpi import Interpreter, ScpiError
from zincsmith.simbench.units.adapter import Adapter
from zincsmith.simbench.units.battery import read_battery
from zincsmith.simbench.units.defect import HIDDEN
from zincsmith.simbench.units.defect import KINDS as DEFECTS
from zincsmith.simbench.units.inverter import Inverter
from zincsmith.simbench.units.parameters import Ageing
from zincsmith.simbench.units.wired import MOST_TRIM, SENSES
from zincsmith.simbench.world import World

FAULTS = {"NONE", "SILENT", "DROP", "RUBBISH", "LATE", "OTHER"}
TYPO = "TYPO"  # not of a line: the next text that is typed off this meter has a slip in it
LATE_S = 2.0
DRIFT = 0.03
# What can go wrong with the world rather than with a line: FAULt bench,NAME.
MISHAPS = {
    "TRIP", "MAINS", "DRIFT", "LOADTRIP", "BOUNCE", "NOPHASE", "TIP", "TIPBACK", "OUTLET", "OUTLETBACK", "FAN", "WELD",
    "FLOATS",
}  # fmt: skip
HELD = {"HELD OFF": True, "LET ON": False}  # at a terminal of the unit
SERIES, CAPACITOR, SOFT, FALLEN = "SERIES ", "CAPACITOR ", "SOFT ", "FALLEN "
TRIM, SENSE, BATTERY = "TRIM ", "SENSE ", "BATTERY "
ACROSS, BEHIND, CLIPS = "ACROSS ", "BEHIND ", "CLIPS "
SUPPLY, MOTOR, MOST_SUPPLY_W = "SUPPLY ", "MOTOR ", 2000.0
MOST_ACROSS_UF, MOST_BEHIND = 1e6, 400.0
MOST_ADDED_OHM, MOST_SOFT_OHM = 10.0, 200.0


def added_ohm(text: str, most_ohm: float = MOST_ADDED_OHM) -> float:
    """ScpiError for what nobody would put in series with an output, or an input."""
    try:
        ohm = float(text)
    except ValueError:
        raise ScpiError(-104, "Data type error") from None
    if not 0.0 <= ohm <= most_ohm:
        raise ScpiError(-222, "Data out of range")
    return ohm


def a_motor(text: str) -> Motor | None:
    """Of so many watts, none of 0. ScpiError for what is no motor."""
    watts, _, how = text.partition(" ")
    found = added_ohm(watts, MOST_SUPPLY_W)
    return Motor(found, how.strip().upper() == "STUCK") if found else None


def trimmed(text: str) -> float:
    """A share of the volts. ScpiError for what no trim does."""
    try:
        share = float(text)
    except ValueError:
        raise ScpiError(-104, "Data type error") from None
    if not abs(share) <= MOST_TRIM:
        raise ScpiError(-222, "Data out of range")
    return share


def replaced_by(unit: Adapter, text: str) -> Ageing:
    """Another output capacitor, in uF and mohm, as shares of the one it had. ScpiError for what is none."""
    try:
        micro_F, milli_ohm = (float(one) for one in text.split())
    except ValueError:
        raise ScpiError(-104, "Data type error") from None
    if not (1.0 <= micro_F <= 1e5 and 0.1 <= milli_ohm <= 1e4):
        raise ScpiError(-222, "Data out of range")
    return Ageing(1e-6 * micro_F / unit.output.capacitor_F, 1e-3 * milli_ohm / unit.ripple.esr_ohm)


@dataclass
class Seat:
    """One instrument at its port. ``fault`` is what is wrong with its answers at present."""

    role: str
    box: Interpreter
    listener: socket.socket
    fault: str = "NONE"
    connection: socket.socket | None = None
    unread: bytes = b""
    before: str = ""  # the last answer, for the fault of answering another question
    late: list[tuple[float, bytes]] = field(default_factory=list)


@dataclass
class Bench:
    """All seats, the world they share and the time-stamped log of what was said and what it switched."""

    world: World
    log_file: Path | None = None
    pace: float = 0.0  # bench seconds a second that pass by themselves; 0: only the clock's own command moves time
    latency_s: float = 0.0
    seats: dict[str, Seat] = field(default_factory=dict)
    _slips: set[str] = field(default_factory=set)
    _paced: float = 0.0
    _damage: int = 0
    _selector: selectors.BaseSelector = field(default_factory=selectors.DefaultSelector)
    _log: IO[str] | None = None

    def __post_init__(self) -> None:
        self._hand = random.Random(f"hand {self.world.seed}")

    def open(self) -> None:
        """Bind every instrument to a free loopback port."""
        if self.log_file is not None:
            private = os.open(self.log_file, os.O_WRONLY | os.O_APPEND | os.O_CREAT, 0o600)
            self._log = os.fdopen(private, "a", encoding="utf-8")
        places = dict.fromkeys(AT_PORTS, self.world.ports) | dict.fromkeys(AT_NODES, self.world.nodes)
        places |= dict.fromkeys(AT_SPOTS, self.world.spots)
        absent = set(OF_THE_UNIT) if self.world.unit.display is None else set()
        absent |= set() if isinstance(self.world.unit, Inverter) else {"output_power_meter"}
        for role, make in ((r, m) for r, m in MAKERS.items() if r not in absent):
            for place in places.get(role, ()):
                if role == "unit_interface" and not can_be_set(self.world, place):
                    continue
                self._seat(f"{role}@{place}" if place else role, make(self.world, place))
            if role not in places:
                self._seat(role, make(self.world))
        if len(self.world.ports) > 1:
            self._seat("voltmeter", visiting_voltmeter(self.world))
        self.seats["clock"].box.on("FAULt", self.inject)
        for place in self.seats:
            if place.partition("@")[0] in FRONT_PANELS:
                self.seats[place].box.on("TYPed?", partial(self.typed, place))

    def _seat(self, place: str, box: Interpreter) -> None:
        listener = socket.socket()
        listener.bind(("127.0.0.1", 0))
        listener.listen(4)
        self.seats[place] = Seat(place, box, listener)
        self._selector.register(listener, selectors.EVENT_READ, self.seats[place])

    def addresses(self) -> list[dict[str, str | int]]:
        out: list[dict[str, str | int]] = []
        for seat in self.seats.values():
            host, port = seat.listener.getsockname()
            out.append({"role": seat.role, "host": host, "port": port, "visa": f"TCPIP::{host}::{port}::SOCKET"})
        return out

    def serve(self, keep_open: int | None) -> None:
        """Answer until the descriptor ``keep_open`` reports that its last other end was closed."""
        if keep_open is not None:
            self._selector.register(keep_open, selectors.EVENT_READ, None)
        self._paced = time.monotonic()
        while True:
            ready = self._selector.select(self._wait_s())
            self._on_time()
            clock = self.seats["clock"].connection  # time moves before anybody reads what that made of the unit
            for key, _ in sorted(ready, key=lambda one: one[0].fileobj is not clock):
                if key.data is None:
                    self._note("bench", "closed", "")
                    return
                seat: Seat = key.data
                if key.fileobj is seat.listener:
                    self._accept(seat)
                else:
                    self._hear(seat)

    def _wait_s(self) -> float | None:
        if self.pace or any(seat.late for seat in self.seats.values()):
            return 0.05
        return None

    def _on_time(self) -> None:
        """Bench time that passes by itself, and answers whose time has come."""
        now = time.monotonic()
        if self.pace:
            self.world.advance((now - self._paced) * self.pace)
        self._paced = now
        for seat in self.seats.values():
            while seat.late and seat.late[0][0] <= now:
                self._send(seat, seat.late.pop(0)[1])
        for what in self.world.unit.defect.damage[self._damage :]:
            self._damage += 1
            self._note("unit", "damaged", what)

    def _accept(self, seat: Seat) -> None:
        connection, _ = seat.listener.accept()
        if seat.connection is not None and self._has_left(seat.connection):
            self._hang_up(seat)
        if seat.connection is not None:  # one at a time, as many real instruments have it
            connection.close()
            return
        connection.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        seat.connection, seat.unread = connection, b""
        self._selector.register(connection, selectors.EVENT_READ, seat)
        self._note(seat.role, "connected", "")

    @staticmethod
    def _has_left(connection: socket.socket) -> bool:
        try:
            return connection.recv(1, socket.MSG_PEEK | socket.MSG_DONTWAIT) == b""
        except BlockingIOError:
            return False
        except OSError:
            return True

    def _hear(self, seat: Seat) -> None:
        if seat.connection is None:
            return
        try:
            data = seat.connection.recv(65536)
        except OSError:
            data = b""
        if not data:
            self._hang_up(seat)
            return
        seat.unread += data
        while b"\n" in seat.unread and seat.connection is not None:
            line, seat.unread = seat.unread.split(b"\n", 1)
            self._answer(seat, line.decode("latin-1").strip())

    def _answer(self, seat: Seat, line: str) -> None:
        if seat.fault == "DROP":
            self._hang_up(seat)
            return
        reply = seat.box.answer(line)
        if not line.endswith("?"):
            self._note(seat.role, "told", line)
        if seat.fault == "SILENT" or reply is None or seat.connection is None:
            return
        if seat.fault == "RUBBISH":
            reply = "#?~ 12,,x"
        if seat.fault == "OTHER":
            reply, seat.before = seat.before or IDENTITIES[seat.role.partition("@")[0]], reply
        data = reply.encode("latin-1") + b"\n"
        if seat.fault == "LATE" or self.latency_s:
            seat.late.append((time.monotonic() + (LATE_S if seat.fault == "LATE" else self.latency_s), data))
        else:
            self._send(seat, data)

    def _send(self, seat: Seat, data: bytes) -> None:
        if seat.connection is None:
            return
        try:
            seat.connection.sendall(data)
        except OSError:
            self._hang_up(seat)

    def _hang_up(self, seat: Seat) -> None:
        if seat.connection is not None:
            self._selector.unregister(seat.connection)
            seat.connection.close()
            seat.connection = None
            seat.late.clear()
            self._note(seat.role, "hung up", "")

    def typed(self, place: str, _parameter: str = "") -> str:
        """What a person would type now who reads the meter at this place off its face."""
        role = place.partition("@")[0]
        answer = self.seats[place].box.answer(FRONT_PANELS[role][0]) or "nan"
        slip = role in self._slips
        self._slips.discard(role)
        text = typed(shown(role, float(answer)), self._hand, slip)
        self._note(place, "typed", text)
        return text

    @property
    def _told(self) -> dict[str, Callable[[str], None]]:
        """By the word it begins with, what is done with what follows it: what a person does at the bench."""
        world = self.world

        def puts(name: str, most: float) -> Callable[[str], None]:
            return lambda text: setattr(world, name, added_ohm(text, most))

        return {
            FALLEN: lambda text: setattr(world, "fallen_probe", text),
            BATTERY: lambda text: self._joins(text.upper()),
            SOFT: puts("source_ohm", MOST_SOFT_OHM),
            CLIPS: lambda text: setattr(world, "clips_on", text.lower()),
            SUPPLY: puts("rectifier_W", MOST_SUPPLY_W),
            BEHIND: lambda text: self._holds(text.upper()),
            MOTOR: lambda text: setattr(world, "motor", a_motor(text)),
        }

    def inject(self, text: str) -> None:
        """``ROLE,FAULT`` for a line, ``ROLE,TYPO`` for who types it off, ``bench,MISHAP`` for the world, ``unit,KIND``
        for the inside of the unit; ``unit,SERIES OHM`` and ``unit,CAPACITOR UF MOHM`` are no faults but what a person
        has soldered in, ``unit,HELD OFF`` and ``unit,LET ON`` what they switch at a terminal of it,
        ``unit,TRIM SHARE`` and ``unit,SENSE LOAD`` what they do at its trim and its sense leads;
        ``bench,BATTERY CELLS AH CHARGE OHM``, ``bench,BATTERY LINK`` and ``OFF`` what is joined to the output,
        ``unit,ACROSS UF`` a capacitor across it, ``bench,BEHIND VOLTS AMPS`` and ``OFF`` a source that holds it from
        behind; ``bench,CLIPS PLACE`` where an LCR meter is held; ``bench,SUPPLY WATTS`` a supply
        as load of an output that alternates, ``bench,MOTOR WATTS [STUCK]`` a motor there;
        ``bench,SOFT OHM`` is a source, or leads, that give
        way under load, ``bench,FALLEN SPOT`` a probe that came off."""
        role, _, fault = text.partition(",")
        role, fault = role.strip().lower(), fault.strip()
        word = fault.upper()
        if role in self.seats and word in FAULTS:
            self.seats[role].fault = word
        elif role in FRONT_PANELS and role in self.seats and word == TYPO:
            self._slips.add(role)
        elif role == "unit":
            self._inside(fault)
        elif role == "bench" and (said := next((x for x in self._told if word.startswith(x)), None)) is not None:
            self._told[said](fault[len(said) :].strip())
        elif role == "bench" and word in MISHAPS:
            self._befalls(word)
        else:
            raise ScpiError(-224, "Illegal parameter value")
        self._note("bench", "fault", text)

    def _inside(self, what: str) -> None:
        """A defect of the unit, or what a person has soldered in."""
        unit, word = self.world.unit, what.upper()
        if what.lower() in (*DEFECTS, *HIDDEN):
            unit.defect.kind = what.lower()
        elif word.startswith(SERIES):
            unit.added_ohm = added_ohm(word.removeprefix(SERIES))
        elif word.startswith(CAPACITOR):
            unit.ageing = replaced_by(unit, word.removeprefix(CAPACITOR))
        elif word.startswith(ACROSS):
            unit.across_F = 1e-6 * added_ohm(word.removeprefix(ACROSS), MOST_ACROSS_UF)
        elif word.startswith(TRIM):
            unit.wired.trim = trimmed(word.removeprefix(TRIM))
            self.world.changed()
        elif word.startswith(SENSE) and word.removeprefix(SENSE).lower() in SENSES:
            unit.wired.sense = word.removeprefix(SENSE).lower()
            self.world.changed()
        elif word in HELD:
            unit.held_off = HELD[word]
            self.world.changed()
        else:
            raise ScpiError(-224, "Illegal parameter value")

    def _joins(self, text: str) -> None:
        """What a person joins to the only output: a battery, a link, or nothing."""
        world = self.world
        world.load.contact_closed, world.battery = text == "LINK", None
        if text not in ("LINK", "OFF"):
            try:
                world.battery = read_battery(text)
            except ValueError:
                raise ScpiError(-104, "Data type error") from None
        world.changed()

    def _holds(self, text: str) -> None:
        """``VOLTS AMPS`` of a source at the only output, or OFF."""
        volts, _, amps = text.partition(" ")
        self.world.behind = None
        if text != "OFF":
            self.world.behind = added_ohm(volts, MOST_BEHIND), added_ohm(amps, 10.0)
        self.world.changed()

    def _befalls(self, mishap: str) -> None:
        world = self.world
        if mishap == "TRIP":
            world.feeding.on, world.feeding.tripped = False, True
        elif mishap == "LOADTRIP":
            world.load.on = False
        elif mishap == "MAINS":
            world.mains_on = False
        elif mishap == "DRIFT":
            world.feeding.drift = DRIFT
        world.phase_ignored = world.phase_ignored or mishap == "NOPHASE"
        world.bounces = world.bounces or mishap == "BOUNCE"
        world.floats = world.floats or mishap == "FLOATS"
        world.welded = world.welded or mishap == "WELD"
        world.unit.fan_stopped = world.unit.fan_stopped or mishap == "FAN"
        if mishap in ("OUTLET", "OUTLETBACK"):
            world.at_outlet = mishap == "OUTLET"
        if mishap in ("TIP", "TIPBACK"):
            world.tip_at_ground = mishap == "TIP"
        world.changed()

    def _note(self, role: str, what: str, text: str) -> None:
        if self._log is None or (role == "clock" and what == "told"):
            return
        world = self.world
        entry = {
            "wall_s": time.monotonic(),
            "bench_s": round(world.time_s, 6),
            "role": role,
            "what": what,
            "text": text,
            "source_on": world.feeding.on,
            "source_V": world.feeding.voltage_V,
            "load_on": any(one.on for one in world.loads.values()),
            "load_A": world.load.current_A,
            "output_V": round(world.unit.output_V, 6),
            "damage": list(world.unit.defect.damage),
        }
        self._log.write(json.dumps(entry) + "\n")
        self._log.flush()
