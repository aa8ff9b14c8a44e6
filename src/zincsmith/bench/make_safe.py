"""The one way a bench is made safe: source off and read back, output bled through the load, load off.

It claims that the *output* is safe. Capacitors inside the unit may still hold a dangerous charge.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

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


@dataclass(frozen=True)
class Safety:
    """``unconfirmed`` says what a person has to switch off by hand; empty when everything was read back."""

    unconfirmed: tuple[str, ...]

    @property
    def confirmed(self) -> bool:
        return not self.unconfirmed


def make_safe(bench: Bench, record: Callable[[Event], None]) -> Safety:
    """Make the bench safe, whatever state it is in; instruments that fail do not stop it.

    ``record`` writes events and must not raise.
    """
    unconfirmed: list[str] = []

    def step(words: str, role: str, action: Callable[[ScpiInstrument], float]) -> bool:
        instrument = bench.instruments[role]
        record(Intended("make_safe", {"step": words, "role": role}))
        try:
            if not instrument.link.is_open:
                instrument.link.open()
            found = action(instrument)
        except LimitError as error:  # its dialect does not take the value: the steps after it matter more
            record(SafeStep(words, role, str(error), False))
            return False
        except InstrumentError:
            try:  # once more over a fresh connection: a late answer may have shifted the old one
                instrument.reopen()
                found = action(instrument)
            except InstrumentError as error:
                record(SafeStep(words, role, str(error), False))
                return False
        record(SafeStep(words, role, f"{found:g}", True))
        return True

    if not step("source output off", "ac_source", lambda x: x.set("output", False)):
        unconfirmed.append(_by_hand(bench, "ac_source", "switch it off, or pull its plug"))
    voltmeter = bench.instruments.get("voltmeter")
    if step("bleed through the load", "load", _bleed):
        volts = _let_fall(bench, record)
    else:  # nothing empties it: what it holds now has to be told
        volts = _volts(voltmeter, record) if voltmeter is not None else None
    if volts is not None and abs(volts) >= TOUCH_LIMIT_V:
        unconfirmed.append(f"output still at {volts:.1f} V: do not touch it, wait and measure again")
    if not step("load off", "load", lambda x: x.set("input", False)):
        unconfirmed.append(_by_hand(bench, "load", "switch its input off"))
    return Safety(tuple(unconfirmed))


def _bleed(load: ScpiInstrument) -> float:
    load.set("current", BLEED_A)
    return load.set("input", True)


def _let_fall(bench: Bench, record: Callable[[Event], None]) -> float | None:
    """Bleed until the output is low or the time is over; the last volts read, None when nobody can read them."""
    voltmeter = bench.instruments.get("voltmeter")
    volts: float | None = None
    waited = 0.0
    try:
        while waited < BLEED_AT_MOST_S:
            let_pass(bench.clock, SLICE_S)
            waited += SLICE_S
            if voltmeter is not None:
                volts = _volts(voltmeter, record)
                if volts is None:
                    voltmeter = None  # it does not answer: bleed for the whole time instead
                elif abs(volts) < BLEED_TO_V:
                    break
    except InstrumentError as error:  # the clock of the bench: no time can pass any more
        record(SafeStep(FALLEN, error.role, str(error), False))
        return volts
    if volts is not None:
        record(SafeStep(FALLEN, "voltmeter", f"{volts:.2f} V", abs(volts) < TOUCH_LIMIT_V))
    return volts


def _volts(voltmeter: ScpiInstrument, record: Callable[[Event], None]) -> float | None:
    try:
        if not voltmeter.link.is_open:
            voltmeter.reopen()
        return voltmeter.read().get("output_voltage")
    except InstrumentError as error:
        record(SafeStep(FALLEN, "voltmeter", str(error), False))
        return None


def _by_hand(bench: Bench, role: str, what: str) -> str:
    one, instrument = bench.rig.instrument(role), bench.instruments[role]
    name = one.name if one else role
    return f"{role.replace('_', ' ')} {name} at {instrument.link.address}: {what}"
