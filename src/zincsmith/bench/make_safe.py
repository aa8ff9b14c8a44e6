"""The one way a bench is made safe: source off and read back, output bled through the load, load off.

It claims that the *output* is safe. Capacitors inside the unit may still hold a dangerous charge.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, field

from zincsmith.bench.bench import Bench
from zincsmith.bench.clock import let_pass
from zincsmith.bench.instrument import ScpiInstrument
from zincsmith.model.errors import InstrumentError, LimitError
from zincsmith.model.events import Event, Intended, SafeStep

TOUCH_LIMIT_V = 30.0  # treat anything above about 30 to 40 V as able to hurt (common practice, no source)
BLEED_TO_V = 2.0
BLEED_A = 0.2
BLEED_AT_MOST_S = 5.0
SLICE_S = 0.25
FALLEN = "output below the touch limit"
OFF = {"ac_source": "switch it off, or pull its plug", "load": "switch its input off"}
RETRY_PAUSE_S = 0.1
SOURCE_HEAD_START_S = 1.5  # how long the load waits for a source that does not answer at once


@dataclass(frozen=True)
class Safety:
    """``unconfirmed`` says what a person has to switch off by hand; empty when everything was read back."""

    unconfirmed: tuple[str, ...]

    @property
    def confirmed(self) -> bool:
        return not self.unconfirmed


def make_safe(
    bench: Bench,
    record: Callable[[Event], None],
    by_hand: Callable[[str, str], str] = lambda role, words: "",
    patience_s: float = 0.0,
) -> Safety:
    """Make the bench safe, whatever state it is in; instruments that fail do not stop it.

    ``record`` writes events and must not raise. ``by_hand`` has a person switch a role off that the program cannot,
    and returns how that was confirmed, or nothing. Instruments that do not answer are tried once more, then for
    ``patience_s``; one dead source does not delay the load.
    """
    return _Way(bench, record, by_hand, patience_s).go()


@dataclass
class _Way:
    bench: Bench
    record: Callable[[Event], None]
    by_hand: Callable[[str, str], str]
    patience_s: float
    unconfirmed: list[str] = field(default_factory=list)

    def go(self) -> Safety:
        source = threading.Thread(target=self._source_off, daemon=True)
        if self.patience_s > 0.0:
            source.start()
            source.join(SOURCE_HEAD_START_S)
        else:
            self._source_off()
        self._output_down()
        if source.is_alive():
            source.join()
        return Safety(tuple(self.unconfirmed))

    def _source_off(self) -> None:
        self._off("ac_source", "source output off", lambda x: x.set("output", False))

    def _output_down(self) -> None:
        voltmeter = self.bench.instruments.get("voltmeter")
        volts: float | None = None
        if "load" in self.bench.instruments and self._step("bleed through the load", "load", _bleed):
            volts = self._let_fall()
        elif voltmeter is not None:  # nothing empties it: what it holds now has to be told
            volts = self._volts(voltmeter)
        if volts is not None and abs(volts) >= TOUCH_LIMIT_V:
            self.unconfirmed.append(f"output still at {volts:.1f} V: do not touch it, wait and measure again")
        self._off("load", "load off", lambda x: x.set("input", False))

    def _off(self, role: str, words: str, action: Callable[[ScpiInstrument], float]) -> None:
        one = self.bench.rig.instrument(role)
        if role in self.bench.instruments:
            if not self._step(words, role, action):
                address = self.bench.instruments[role].link.address
                self.unconfirmed.append(f"{_named(role, one)} at {address}: {OFF[role]}")
        elif one is not None:
            how = self.by_hand(role, f"{_named(role, one)}: {OFF[role]}")
            self.record(SafeStep(words, role, how or "nobody confirmed it", bool(how)))
            if not how:
                self.unconfirmed.append(f"{_named(role, one)}: {OFF[role]}")

    def _step(self, words: str, role: str, action: Callable[[ScpiInstrument], float]) -> bool:
        instrument = self.bench.instruments[role]
        self.record(Intended("make_safe", {"step": words, "role": role}))
        until = time.monotonic() + self.patience_s
        tries = 0
        while True:
            tries += 1
            try:
                if tries > 1:  # over a fresh connection: a late answer may have shifted the old one
                    instrument.reopen()
                elif not instrument.link.is_open:
                    instrument.link.open()
                found = action(instrument)
            except LimitError as error:  # its dialect does not take the value: the steps after it matter more
                self.record(SafeStep(words, role, str(error), False))
                return False
            except InstrumentError as error:
                if tries < 2 or time.monotonic() < until:
                    time.sleep(RETRY_PAUSE_S if self.patience_s > 0.0 else 0.0)
                    continue
                self.record(SafeStep(words, role, str(error), False))
                return False
            self.record(SafeStep(words, role, f"{found:g}", True))
            return True

    def _let_fall(self) -> float | None:
        """Bleed until the output is low or the time is over; the last volts read, None when nobody can read them."""
        voltmeter = self.bench.instruments.get("voltmeter")
        volts: float | None = None
        waited = 0.0
        try:
            while waited < BLEED_AT_MOST_S:
                let_pass(self.bench.clock, SLICE_S)
                waited += SLICE_S
                if voltmeter is not None:
                    volts = self._volts(voltmeter)
                    if volts is None:
                        voltmeter = None  # it does not answer: bleed for the whole time instead
                    elif abs(volts) < BLEED_TO_V:
                        break
        except InstrumentError as error:  # the clock of the bench: no time can pass any more
            self.record(SafeStep(FALLEN, error.role, str(error), False))
            return volts
        if volts is not None:
            self.record(SafeStep(FALLEN, "voltmeter", f"{round(volts, 2) + 0.0:.2f} V", abs(volts) < TOUCH_LIMIT_V))
        return volts

    def _volts(self, voltmeter: ScpiInstrument) -> float | None:
        try:
            if not voltmeter.link.is_open:
                voltmeter.reopen()
            return voltmeter.read().get("output_voltage")
        except InstrumentError as error:
            self.record(SafeStep(FALLEN, "voltmeter", str(error), False))
            return None


def _bleed(load: ScpiInstrument) -> float:
    load.set("current", BLEED_A)
    return load.set("input", True)


def _named(role: str, one: object) -> str:
    return f"{role.replace('_', ' ')} {getattr(one, 'name', role)}"
