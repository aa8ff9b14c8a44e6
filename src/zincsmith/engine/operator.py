"""What people do in a run: gates, readings they type, settings they make by hand, and what they may say at any time."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any, TypeVar

from zincsmith.analysis.expectation import Expected, expected
from zincsmith.book.reader import BookReader
from zincsmith.engine.poll_loop import PollLoop, RunEnd, Skip, trip_words
from zincsmith.formats.entry import parse_change, parse_entry
from zincsmith.history.captures import check_cursors
from zincsmith.model.actions import SENSES, Confirm, Observe
from zincsmith.model.address import at_port, name_of, port_of
from zincsmith.model.commands import (
    Abort,
    Command,
    Correct,
    Enter,
    GoDown,
    Gone,
    GoOn,
    MakeSafe,
    Mark,
    Mistyped,
    Note,
    Pass,
    Pause,
    ReadCursors,
    Reject,
    Repeat,
    Resume,
    SkipPart,
    SkipStep,
    answers,
)
from zincsmith.model.errors import InputError
from zincsmith.model.events import (
    CursorsRead,
    EntryAsked,
    EntryCorrected,
    EntryRefused,
    EntryTaken,
    GateOpened,
    GatePassed,
    HandSet,
    HandSetting,
    Marked,
    Noted,
    Overridden,
    PointRejected,
    Remarked,
    SensesAsked,
    SensesTold,
    StopRuleMet,
)
from zincsmith.model.quantities import QUANTITIES, TIMED
from zincsmith.model.reading import Reading
from zincsmith.model.rig import Instrument
from zincsmith.model.roles import HELD, OF_THE_UNIT
from zincsmith.model.states import State, allowed
from zincsmith.model.unit import Nameplate
from zincsmith.planning.readings import EntryError, hand_reading

Told = TypeVar("Told")
LONGEST_EMPTYING_S = 120.0  # beyond that it is the person who took so long
STAYS_SHUT_S = 2.0  # after a pass that came too early
LEAST_EMPTYING_S = 10.0  # hands stay out at least that long after a switch-off; common practice, no source
HANDS_IN = (
    "Only unplugged, and proven dead there and then: try the meter on something live, measure at the terminals and at "
    "the node you go to, try the meter again. A bleeder can fail open."
)


@dataclass
class Operator:
    """``repeats`` collects the points that are to be taken again, with the reason; ``points`` knows those taken."""

    poll_loop: PollLoop
    plate: Nameplate
    ambient_degC: float
    name: str
    takes: dict[int, tuple[int, int]] = field(default_factory=dict)  # point -> (part, take)
    typed: dict[str, Reading] = field(default_factory=dict)
    _first: dict[tuple[object, ...], Reading] = field(default_factory=dict)  # by where: what a change may be from
    _bases: dict[str, str] = field(default_factory=dict)  # typed -> the reading that a change of it would be from
    _set_to: dict[str, str] = field(default_factory=dict)  # meter -> the setting it was last read on
    _joined_to: dict[str, str] = field(default_factory=dict)  # a meter that visits ports -> where it was read last
    repeats: dict[int, str] = field(default_factory=dict)
    unattended: bool = False
    _kept_out_since_s: float | None = None  # the switch-off after which somebody had to wait for a gate
    part: int = 0

    # At any time

    @cached_property
    def _at_any_time(self) -> Mapping[type[Command], Callable[[Any], None]]:
        """What is done about each command; what is not listed is for whoever asked."""
        return {
            Abort: self._abort,
            Gone: self._gone,
            MakeSafe: self._make_safe,
            Note: self._note,
            Mark: self._mark,
            Reject: self._reject,
            Repeat: self._repeat,
            Correct: self._correct,
            ReadCursors: self._cursors,
            Pause: self._pause,
            SkipStep: lambda _: self._skip(False),
            SkipPart: lambda _: self._skip(True),
        }

    def listen(self, commands: list[Command]) -> list[Command]:
        """End, pause, skip, note, mark, reject, correct, repeat; the rest is for whoever asked.

        RunEnd when the run is to end. What makes no sense is refused, and nothing changes.
        """
        rest = []
        for command in commands:
            handle = self._at_any_time.get(type(command))
            if handle is None or (
                isinstance(command, Pause | SkipStep | SkipPart)
                and not allowed(self.poll_loop.event_log.state, command.do)
            ):
                rest.append(command)
                continue
            try:
                handle(command)
            except InputError as error:
                self.poll_loop.operator_interface.refuse(command.do, str(error))
        return rest

    def _abort(self, command: Abort) -> None:
        raise RunEnd("aborted", command.why)

    def _make_safe(self, command: MakeSafe) -> None:
        raise RunEnd("made safe", command.why)

    def _gone(self, command: Gone) -> None:
        """An unattended run goes on without a person, where it waits for none."""
        if not self.unattended or self.poll_loop.event_log.state is not State.RUNNING:
            raise RunEnd("made safe", command.why)

    def _skip(self, part: bool) -> None:
        self.poll_loop.skip = Skip(part)

    def _pause(self, _: Pause) -> None:
        """Stay as it is, live, polled and watched, until resumed."""
        event_log, settings = self.poll_loop.event_log, self.poll_loop.settings
        live = settings.words
        event_log.become("pause", f"{' and '.join(live)} stay on" if live else "nothing is energised")
        while event_log.state is State.PAUSED:
            for command in self.poll_loop.wait_for_person():
                if isinstance(command, Resume) and allowed(event_log.state, command.do):
                    event_log.become("resume", "resumed by the operator")

    def _note(self, command: Note) -> None:
        self.poll_loop.event_log.append(Noted(command.text, dict(self.poll_loop.now), command.photo))

    def _mark(self, command: Mark) -> None:
        self.poll_loop.event_log.append(Marked(command.text, dict(self.poll_loop.now)))

    def _reject(self, command: Reject) -> None:
        number, reason = self._point(command), _reason(command)
        part, take = self.takes[number]
        self.poll_loop.event_log.append(PointRejected(part, number, take, reason, self.name))

    def _repeat(self, command: Repeat) -> None:
        self.repeats[self._point(command)] = _reason(command)

    def _correct(self, command: Correct) -> None:
        key = command.reading
        first = self.typed.get(key)
        if first is None:
            raise InputError("only a reading that was typed in this run can be corrected")
        reason = _reason(command)
        self._retype(key, command.text, reason)
        for other in [k for k, base in self._bases.items() if base == key and self._is_change(k)]:
            self._retype(other, self.typed[other].text, "what it was read against was corrected")

    def _is_change(self, key: str) -> bool:
        one = self.typed[key]
        return parse_change(one.text, one.unit) is not None

    def _retype(self, key: str, text: str, reason: str) -> None:
        """A typed reading as it stands corrected; a change stays one from the reading that it was from."""
        first = self.typed[key]
        meter = self.poll_loop.bench.by_hand()[first.quantity]
        against = self.typed.get(self._bases.get(key, ""))
        corrected = replace(hand_reading(key, first.quantity, text, meter, against), id=key)
        self.poll_loop.event_log.append(EntryCorrected(corrected, first.value, reason, self.name))
        self.typed[key] = corrected
        self._first |= {place: corrected for place, r in self._first.items() if r.id == key}

    def _cursors(self, command: ReadCursors) -> None:
        event_log = self.poll_loop.event_log
        if command.run != event_log.run:
            raise InputError("cursors of another run are read when this one has ended")
        with BookReader(event_log.book.path) as reader:
            check_cursors(reader, command.run, command.cursors)
        event_log.append(CursorsRead(command.cursors, command.by.strip() or self.name))

    def _point(self, command: Reject | Repeat) -> int:
        number = command.point or max(self.takes, default=0)
        if number not in self.takes:
            raise InputError(f"point {number} has not been taken yet" if number else "no point has been taken yet")
        return number

    # When asked

    def gate(self, action: Confirm) -> None:
        """A gate; where hands go in, it stays shut until what was charged has had time to empty."""
        text = action.text
        if action.hands_in:
            nodes = "; ".join(one.words for one in self.plate.nodes)
            text = f"{text} {HANDS_IN}{f' What holds a charge: {nodes}.' if nodes else ''}"
        asked = self.poll_loop.event_log.append(GateOpened(action.title, text, action.cautions, action.record_s))
        self.poll_loop.event_log.become("gate", action.title)
        while True:
            command = self._passed(asked)
            left = self._still_charged_s() if action.hands_in else 0.0
            if left <= 0.0:
                break
            self._kept_out_since_s = self.poll_loop.off_since_s
            long = "that is how long it took to empty before; then say so again"
            why = f"hands stay out for another {math.ceil(left)} s: {long}"
            self.poll_loop.operator_interface.refuse("pass", why)
            # Time goes on, polled and watched; where nobody is there to press again, all of it at once.
            self.poll_loop.slice(left if command.automatic else min(left, STAYS_SHUT_S))
        self.poll_loop.event_log.append(GatePassed(self.name, command.automatic))
        self.poll_loop.event_log.become("pass", action.title)
        since = self.poll_loop.off_since_s
        looked = action.hands_in and not command.automatic and self.poll_loop.bench.seen.fed
        if looked and since is not None and since != self._kept_out_since_s:
            # Proven dead inside by then: so long the bulk capacitor took at most. Of whoever had to wait it was the
            # wait that took so long; were that counted, each wait would be longer than the one before.
            self.poll_loop.emptied("bulk", min(self.poll_loop.bench.clock.now_s - since, LONGEST_EMPTYING_S))

    def _still_charged_s(self) -> float:
        """How long hands have to stay out yet: as long as emptying took at its slowest, counted from the switch-off."""
        if not self.poll_loop.bench.seen.fed:
            return 0.0
        since = self.poll_loop.off_since_s
        longest = max(self.poll_loop.bench.seen.emptied_s or 0.0, LEAST_EMPTYING_S)
        return longest if since is None else longest - (self.poll_loop.bench.clock.now_s - since)

    def senses(self, action: Observe) -> SensesTold:
        """What a person notices at the unit. RunEnd for what nobody goes on with: glow, smell, sound."""
        asked = self.poll_loop.event_log.append(SensesAsked(action.title, action.text, action.of))
        self.poll_loop.event_log.become("gate", action.title)
        said = self._passed(asked).senses
        told = SensesTold(self.name, False)
        if said is not None:
            told = SensesTold(self.name, True, **{name: bool(said.get(name)) for name in action.of or SENSES})
        self.poll_loop.event_log.append(told)
        self.poll_loop.event_log.become("pass", action.title)
        noticed = [name for name in told.noticed if name in SENSES and name != "indicator"]
        if noticed:
            raise RunEnd("stopped", f"{' and '.join(noticed)} noticed at the unit: nobody goes on with that")
        return told

    def set_by_hand(
        self,
        role: str,
        text: str,
        switch_off_at: tuple[str, ...] = (),
        target_V: float | None = None,
        allowed_V: Callable[[float], None] = lambda _volts: None,
    ) -> float | None:
        """Somebody sets or switches what the program cannot, and says so. With ``target_V`` the volts reached are
        typed, and returned; ``allowed_V`` raises InputError for volts that nobody may stay at."""
        asked = self.poll_loop.event_log.append(HandSetting(role, text, switch_off_at, target_V))
        self.poll_loop.event_log.become("gate", text)
        while True:
            command = self._passed(asked)
            try:
                reached = _reached(command.text, target_V)
                if reached is not None:
                    allowed_V(reached)
                break
            except InputError as error:
                self.poll_loop.event_log.append(EntryRefused(command.text[:80], str(error)))
                self.poll_loop.operator_interface.refuse("pass", str(error))
        self.poll_loop.event_log.append(HandSet(role, self.name, command.automatic, reached))
        self.poll_loop.event_log.become("pass", text)
        return reached

    def told_by_hand(self, role: str, text: str, wants: str, read: Callable[[str], Told]) -> Told:
        """Somebody tells what the program cannot see, typed or as a file; ``read`` makes something of it, or raises
        InputError, and then it is asked again."""
        asked = self.poll_loop.event_log.append(HandSetting(role, text, wants=wants))
        self.poll_loop.event_log.become("gate", text)
        while True:
            command = self._passed(asked)
            try:
                told = read(command.text)
                break
            except InputError as error:
                self.poll_loop.event_log.append(EntryRefused(command.text[:80], str(error)))
                self.poll_loop.operator_interface.refuse("pass", str(error))
        self.poll_loop.event_log.append(HandSet(role, self.name, command.automatic))
        self.poll_loop.event_log.become("pass", text)
        return told

    def _passed(self, asked: int) -> Pass:
        while True:
            for command in self.poll_loop.wait_for_person():
                if isinstance(command, Pass) and answers(command, asked):
                    return command

    # What was typed is judged at once

    def heed(self, quantity: str, value: float | None) -> bool:
        """Hold a typed value against the watches and stop rules. False when the person says that it was mistyped.

        RunEnd when they go down and switch off. Beyond a limit of a part or a ceiling nobody goes on.
        """
        trip = self.poll_loop.watches.beyond(quantity, value) if value is not None else None
        if trip is None or value is None:
            return True
        watch, words = trip.watch, trip_words(trip)
        event_log = self.poll_loop.event_log
        may = not watch.hard
        asked = event_log.append(StopRuleMet(quantity, value, watch.low, watch.high, watch.whose, may, words))
        event_log.become("gate", words)
        while True:
            for command in self.poll_loop.wait_for_person():
                if isinstance(command, GoDown):
                    raise RunEnd("tripped", words)
                if isinstance(command, Mistyped):
                    event_log.append(Remarked(f"{words}: mistyped, says {self.name}; read again"))
                    event_log.become("pass", "read again")
                    return False
                if isinstance(command, Pass | Enter | GoOn) and not answers(command, asked):
                    continue
                if not isinstance(command, GoOn):
                    refused = "a stop rule is met: go down and switch off, or say why not"
                elif not may:
                    refused = f"{watch.whose} is a limit that nobody goes beyond"
                elif not command.reason.strip():
                    refused = "say why: going on beyond a stop rule needs a reason"
                else:
                    reason = command.reason.strip()
                    event_log.append(Overridden(quantity, value, watch.whose, reason, self.name, self.part))
                    event_log.become("pass", f"continued beyond a stop rule: {reason}")
                    return True
                self.poll_loop.operator_interface.refuse(command.do, refused)

    def ask(self, key: str, quantity: str, from_zero: bool = False, unforeseen: bool = False) -> Reading:
        """A reading of a meter without a cable, judged as soon as it is typed. Skip when a person goes on without.
        ``unforeseen``: neither unit nor load tells it, so that nothing typed surprises."""
        while True:
            reading = self._ask_once(key, quantity, from_zero, unforeseen)
            if self.heed(quantity, reading.value):
                return reading

    def _ask_once(self, key: str, quantity: str, from_zero: bool, unforeseen: bool) -> Reading:
        event_log, settings = self.poll_loop.event_log, self.poll_loop.settings
        meter: Instrument = self.poll_loop.bench.by_hand()[quantity]
        voltage, drawn = settings.input_V, sum(settings.drawn_A.values())
        span = None if unforeseen else self._span(quantity, meter)
        if span is not None and from_zero:
            span = replace(span, low=min(0.0, span.low), high=max(0.0, span.high))
        info = QUANTITIES[quantity]
        held = name_of(info.role) in HELD  # where it is held the gate before has said
        what = f"{info.words}, where the gate says," if held else f"{info.words} at {voltage:g} V, {drawn:.3g} A"
        setting = self._setting(meter, quantity, max(abs(span.low), abs(span.high))) if span is not None else ""
        setting = TIMED.get(port_of(quantity), setting) if name_of(quantity) == "timed" else setting
        if meter.visits and self._joined_to.get(meter.name) != port_of(quantity):
            setting = "; ".join(x for x in (f"Join it to {port_of(quantity)}, one lead at a time", setting) if x)
            self._joined_to[meter.name] = port_of(quantity)
        place = (self.part, settings.feed.voltage_V, settings.feed.frequency_Hz, quantity)
        against = self._first.get(place) if quantity in CHANGES else None
        from_V = against.value if against is not None else None
        low, high = (span.low, span.high) if span is not None else (None, None)
        asked = event_log.append(EntryAsked(quantity, info.unit, what, meter.spot, low, high, setting, from_V))
        event_log.become("ask", what)
        try:
            while True:
                for command in self.poll_loop.wait_for_person():
                    if not isinstance(command, Enter) or not answers(command, asked):
                        continue
                    try:
                        reading = hand_reading(key, quantity, command.text, meter, against)
                    except EntryError as error:
                        event_log.append(EntryRefused(command.text[:80], str(error)))
                        continue
                    self.typed[key] = reading
                    if against is not None:
                        self._bases[key] = against.id
                    elif reading.value is not None:
                        self._first[place] = reading
                    event_log.append(EntryTaken(reading))
                    return reading
        finally:
            if event_log.state is State.ASKING:
                event_log.become("enter", what)

    def _span(self, quantity: str, meter: Instrument) -> Expected | None:
        """What is to be expected, None where nobody foresees it; across a shunt that of its amps."""
        settings = self.poll_loop.settings
        known = expected(self.plate, settings.input_V, settings.drawn_A, self.ambient_degC, settings.modes)
        if meter.shunt is None or name_of(quantity) != "shunt_voltage":
            return known.get(quantity)
        current, ohm = known[at_port("output_current", port_of(quantity))], meter.shunt.ohm
        return Expected(ohm * current.value, ohm * current.low, ohm * current.high)

    def _setting(self, meter: Instrument, quantity: str, most: float) -> str:
        """On which function, range and jack to read; where the function of one meter changes, that is said first."""
        if meter.role in OF_THE_UNIT:
            return ""  # a display has no function to turn and no range to choose
        name = name_of(quantity)
        row = meter.accuracy_for(name, most)
        function = FUNCTIONS.get(name, QUANTITIES[quantity].words)
        if self.plate.input.type == "dc" and QUANTITIES[name].side == "input":
            function = function.replace(" AC", " DC")
        parts = [function, f"{row.range:g} {_shown(quantity)} range" if row is not None else ""]
        parts.append(f"jack {row.jack}" if row is not None and row.jack else "")
        words = ", ".join(p for p in parts if p)
        if meter.role == "power_meter" and self.poll_loop.bench.rig.multiplies_watts:
            return words  # two meters, each stays as it is
        before = self._set_to.get(meter.name)
        self._set_to[meter.name] = words
        turned = before is not None and before.partition(",")[0] != function
        return f"Turn it from {before.partition(',')[0]} to {words}" if turned and before else words


def _reason(command: Reject | Repeat | Correct) -> str:
    reason = command.reason.strip()
    if not reason:
        raise InputError("say why: a reading is only set aside with a reason")
    return reason


def _shown(quantity: str) -> str:
    unit = QUANTITIES[quantity].unit
    return {"degC": "°C", "1": ""}.get(unit, unit)


CHANGES = ("output_voltage",)  # of which a person may type a change instead of the reading
# How a meter's function is marked, by quantity.
FUNCTIONS = {
    "input_voltage": "V AC", "input_current": "A AC", "input_power": "W", "power_factor": "PF",
    "output_voltage": "V DC", "output_ac_voltage": "V AC",
    "output_current": "A DC", "load_voltage": "V DC", "case_temperature": "°C",
}  # fmt: skip


def _reached(text: str, target_V: float | None) -> float | None:
    """The volts that were typed, the target itself where only a yes was said. InputError for what is no voltage."""
    if target_V is None:
        return None
    value = parse_entry(text, "V") if text.strip() else target_V
    if value is None or value < 0.0:
        raise InputError("type the volts it landed at, as the power meter reads them")
    return value
