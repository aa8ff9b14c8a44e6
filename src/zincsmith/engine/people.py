"""What people do in a run: gates, readings they type, settings they make by hand, and what they may say at any time."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace

from zincsmith.analysis.expectation import expected
from zincsmith.engine.desk import Command
from zincsmith.engine.entries import EntryError, hand_reading
from zincsmith.engine.pulse import Pulse, RunEnd, Skip
from zincsmith.engine.states import State, allowed
from zincsmith.model.actions import Confirm
from zincsmith.model.errors import InputError
from zincsmith.model.events import (
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
    PointRejected,
)
from zincsmith.model.quantities import QUANTITIES
from zincsmith.model.reading import Reading
from zincsmith.model.rig import Instrument
from zincsmith.model.unit import Nameplate


@dataclass
class People:
    """``repeats`` collects the points that are to be taken again, with the reason; ``points`` knows those taken."""

    pulse: Pulse
    plate: Nameplate
    ambient_degC: float
    operator: str
    takes: dict[int, tuple[int, int]] = field(default_factory=dict)  # point -> (part, take)
    typed: dict[str, Reading] = field(default_factory=dict)
    repeats: dict[int, str] = field(default_factory=dict)
    unattended: bool = False

    # At any time

    def listen(self, commands: list[Command]) -> list[Command]:
        """End, pause, skip, note, mark, reject, correct, repeat; the rest is for whoever asked.

        RunEnd when the run is to end. What makes no sense is refused to the desk, and nothing changes.
        """
        journal = self.pulse.journal
        rest = []
        for command in commands:
            try:
                if command.do == "abort":
                    raise RunEnd("aborted", command.text or "aborted by the operator")
                if command.do == "gone" and self.unattended and journal.state is State.RUNNING:
                    continue
                if command.do in {"make safe", "gone"}:
                    raise RunEnd("made safe", command.text or "the operator pressed Make safe")
                if command.do in AT_ANY_TIME:
                    AT_ANY_TIME[command.do](self, command)
                elif command.do == "pause" and allowed(journal.state, "pause"):
                    self._pause()
                elif command.do in {"skip", "skip part"} and allowed(journal.state, "skip"):
                    self.pulse.skip = Skip(command.do == "skip part")
                else:
                    rest.append(command)
            except InputError as error:
                self.pulse.desk.refuse(command.do, str(error))
        return rest

    def _pause(self) -> None:
        """Stay as it is, live, polled and watched, until resumed."""
        journal, settings = self.pulse.journal, self.pulse.settings
        live = [f"{settings.source_V:g} V at the input"] if settings.source_on else []
        live += [f"{settings.load_A:.3g} A of load"] if settings.load_on else []
        journal.become("pause", f"{' and '.join(live)} stay on" if live else "nothing is energised")
        while journal.state is State.PAUSED:
            for command in self.pulse.wait_for_person():
                if command.do == "resume" and allowed(journal.state, "resume"):
                    journal.become("resume", "resumed by the operator")

    def _note(self, command: Command) -> None:
        self.pulse.journal.append(Noted(command.text, dict(self.pulse.now), str(command.body.get("photo", ""))))

    def _mark(self, command: Command) -> None:
        self.pulse.journal.append(Marked(command.text, dict(self.pulse.now)))

    def _reject(self, command: Command) -> None:
        number, reason = self._point(command), self._reason(command)
        part, take = self.takes[number]
        self.pulse.journal.append(PointRejected(part, number, take, reason, self.operator))

    def _repeat(self, command: Command) -> None:
        self.repeats[self._point(command)] = self._reason(command)

    def _correct(self, command: Command) -> None:
        key = str(command.body.get("reading", ""))
        first = self.typed.get(key)
        if first is None:
            raise InputError("only a reading that was typed in this run can be corrected")
        reason = self._reason(command)
        meter = self.pulse.bench.by_hand()[first.quantity]
        corrected = replace(hand_reading(key, first.quantity, command.text, meter), id=key)
        self.pulse.journal.append(EntryCorrected(corrected, first.value, reason, self.operator))
        self.typed[key] = corrected

    def _point(self, command: Command) -> int:
        number = int(command.body.get("point", 0) or max(self.takes, default=0))
        if number not in self.takes:
            raise InputError(f"point {number} has not been taken yet" if number else "no point has been taken yet")
        return number

    @staticmethod
    def _reason(command: Command) -> str:
        reason = str(command.body.get("reason", "")).strip()
        if not reason:
            raise InputError("say why: a reading is only set aside with a reason")
        return reason

    # When asked

    def gate(self, action: Confirm) -> None:
        self.pulse.journal.append(GateOpened(action.title, action.text, action.cautions))
        automatic = self._await_pass(action.title)
        self.pulse.journal.append(GatePassed(self.operator, automatic))
        self.pulse.journal.become("pass", action.title)

    def set_by_hand(self, role: str, text: str) -> None:
        """Somebody sets or switches what the program cannot, and says so."""
        self.pulse.journal.append(HandSetting(role, text))
        automatic = self._await_pass(text)
        self.pulse.journal.append(HandSet(role, self.operator, automatic))
        self.pulse.journal.become("pass", text)

    def _await_pass(self, why: str) -> bool:
        self.pulse.journal.become("gate", why)
        while True:
            for command in self.pulse.wait_for_person():
                if command.do == "pass":
                    return bool(command.body.get("automatic"))

    def ask(self, key: str, quantity: str) -> Reading:
        """A reading of a meter without a cable. Skip when a person goes on without it."""
        journal, settings = self.pulse.journal, self.pulse.settings
        meter: Instrument = self.pulse.bench.by_hand()[quantity]
        span = expected(self.plate, settings.source_V, settings.drawn_A, self.ambient_degC)[quantity]
        info = QUANTITIES[quantity]
        what = f"{info.words} at {settings.source_V:g} V, {settings.drawn_A:.3g} A"
        journal.append(EntryAsked(quantity, info.unit, what, meter.spot, span.low, span.high))
        journal.become("ask", what)
        try:
            while True:
                for command in self.pulse.wait_for_person():
                    if command.do != "enter":
                        continue
                    try:
                        reading = hand_reading(key, quantity, command.text, meter)
                    except EntryError as error:
                        journal.append(EntryRefused(command.text[:80], str(error)))
                        continue
                    self.typed[key] = reading
                    journal.append(EntryTaken(reading))
                    return reading
        finally:
            if journal.state is State.ASKING:
                journal.become("enter", what)


AT_ANY_TIME: dict[str, Callable[[People, Command], None]] = {
    "note": People._note,
    "mark": People._mark,
    "reject": People._reject,
    "repeat": People._repeat,
    "correct": People._correct,
}
