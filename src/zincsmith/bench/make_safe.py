"""The one way a bench is made safe: what feeds off and read back, output bled through the load, load off.

What it claims is what was seen, each by itself: *source off*, *output fallen*, *input gone*. It never claims that the
unit is safe: capacitors inside it may still hold a dangerous charge.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, field

from zincsmith.bench.bench import Bench
from zincsmith.bench.clock import let_pass
from zincsmith.bench.instrument import ScpiInstrument
from zincsmith.bench.roles import Switched, off_words, switched_of
from zincsmith.bench.signs import EMPTIES, INPUT, NODE, OUTPUT, Channel, claim_of, zero_span
from zincsmith.model.address import at_port, name_of, port_of
from zincsmith.model.errors import InstrumentError, LimitError
from zincsmith.model.events import Emptied, Event, Intended, SafeStep
from zincsmith.model.quantities import QUANTITIES, TOUCH_LIMIT_V
from zincsmith.model.rig import Instrument
from zincsmith.model.roles import ROLES

BLEED_A = 0.2
SLICE_S = 0.25
RETRY_PAUSE_S = 0.1
SOURCE_HEAD_START_S = 1.5  # how long the load waits for a source that does not answer at once
MOST_MISSES = 2  # of a meter in a row, before it is left alone: each may cost a second
BLEED = "bleed through the load"


@dataclass(frozen=True)
class Safety:
    """``seen`` tells what was seen, a claim each; ``unconfirmed`` what a person has to switch off or measure by hand,
    empty when nothing is missing and nothing contradicts."""

    unconfirmed: tuple[str, ...]
    seen: tuple[str, ...] = ()
    inside: tuple[str, ...] = ()  # the nodes that nobody has seen fall

    @property
    def confirmed(self) -> bool:
        return not self.unconfirmed


def make_safe(
    bench: Bench,
    record: Callable[[Event], object],
    by_hand: Callable[[str, str], str] = lambda _role, _words: "",
    patience_s: float = 0.0,
) -> Safety:
    """Make the bench safe, whatever state it is in; instruments that fail do not stop it.

    ``record`` writes events and must not raise. ``by_hand`` has a person switch off or measure what the program
    cannot, and returns how that was confirmed, or nothing. Instruments that do not answer are tried once more, then
    for ``patience_s``; one dead source does not delay the load. ``bench.seen`` says which signs have been seen live.
    """
    return _Way(bench, record, by_hand, patience_s).go()


@dataclass
class _Way:
    bench: Bench
    record: Callable[[Event], object]
    by_hand: Callable[[str, str], str]
    patience_s: float
    unconfirmed: list[str] = field(default_factory=list)
    seen: list[str] = field(default_factory=list)

    def go(self) -> Safety:
        switched = switched_of(self.bench.rig)
        feeding = [(s, one) for s, one in switched if s.feeds]
        threads = [threading.Thread(target=self._off, args=(s, one), daemon=True) for s, one in feeding]
        if self.patience_s > 0.0:
            for thread in threads:
                thread.start()
            until = time.monotonic() + SOURCE_HEAD_START_S
            for thread in threads:
                thread.join(max(0.0, until - time.monotonic()))
        else:
            for s, one in feeding:
                self._off(s, one)
        self._output_down()
        for s, one in switched:
            if not s.feeds:
                self._off(s, one)
        if self.patience_s > 0.0:
            for thread in threads:
                thread.join()
        return Safety(tuple(self.unconfirmed), tuple(self.seen), self._inside())

    def _off(self, switched: Switched, one: Instrument) -> None:
        place, step = one.place, switched.step(one.port)
        if place in self.bench.instruments:
            if self._step(step, place, lambda x: x.set(switched.switch, False)):
                self.seen.append(f"{step}, read back")
            else:
                words = off_words(one, switched)
                self.unconfirmed.append(f"{words} (at {self.bench.instruments[place].link.address})")
        else:
            how = self._ask(place, off_words(one, switched))
            self.record(SafeStep(step, place, how or "nobody confirmed it", bool(how)))
            if how:
                self.seen.append(f"{step}, {how}")
            else:
                self.unconfirmed.append(off_words(one, switched))

    def _ask(self, role: str, words: str) -> str:
        try:
            return self.by_hand(role, words)
        except Exception:  # noqa: BLE001 - whoever cannot be asked has not confirmed; the next step matters more
            return ""

    def _step(self, words: str, role: str, action: Callable[[ScpiInstrument], float]) -> bool:
        instrument = self.bench.instruments[role]
        self.record(Intended("make_safe", {"step": words, "role": role}))
        until = time.monotonic() + self.patience_s
        tries = 0
        while True:
            tries += 1
            self.bench.beat()
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

    # Signs

    def _output_down(self) -> None:
        """Bleed the output, if something can, and wait for every sign the rig has."""
        for place in self.bench.instruments:
            if name_of(place) == "load":
                self._step(BLEED, place, _bleed)
        signs = _Signs(self.bench, self.record)
        try:
            signs.wait()
        except InstrumentError as error:  # the clock of the bench: no time can pass any more
            self.record(SafeStep("waiting for the signs", error.role, str(error), False))
        self._claim(INPUT, "", signs)
        for port in self._outputs():
            self._claim(OUTPUT, port, signs)
        for name in self.bench.seen.channels:
            if claim_of(name) == NODE:
                self._claim(NODE, port_of(name), signs)
        if signs.emptied_s is not None:
            seen = self.bench.seen
            seen.emptied_s = max(seen.emptied_s or 0.0, signs.emptied_s)
            self.record(Emptied("output", signs.emptied_s))

    def _inside(self) -> tuple[str, ...]:
        """The nodes of the unit that were not seen to have fallen: they may be charged."""
        fallen = [claim.partition(":")[0] for claim in self.seen]
        return tuple(one.words for one in self.bench.nodes if f"{NODE}, {one.name}" not in fallen)

    def _outputs(self) -> list[str]:
        """The ports whose fall is looked for: those of the unit, and what else a sign is read at."""
        read = [port_of(name) for name in self.bench.seen.channels if claim_of(name) == OUTPUT]
        return list(dict.fromkeys([*self.bench.fallen_V, *read])) or [""]

    def _claim(self, claim: str, port: str, signs: _Signs) -> None:
        """A claim is made when a sign of it counts and none contradicts; what contradicts or is missing is said."""
        due, seen = self.bench.seen.due(claim), self.bench.seen.channels
        mine = [name for name in seen if claim_of(name) == claim and port_of(name) in ("", port)]
        fallback = at_port("voltmeter", port) if claim == OUTPUT else "power_meter"
        called = f"{claim}, {port}" if port else claim
        against = [words for name in mine if (words := signs.against(name))]
        counting = [name for name in mine if signs.counts(name)]
        role = QUANTITIES[mine[0]].role if mine else fallback
        if against:
            self._missing(called, role, against)
        elif due and counting:
            words = ", ".join(signs.words(name) for name in counting)
            role = QUANTITIES[counting[0]].role
            self.record(SafeStep(called, role, words, True))
            self.seen.append(f"{called}: {words}")
        elif mine and due:
            self._missing(called, role, [signs.why_not(name) for name in mine])
        elif not mine and due and claim == OUTPUT:
            self._by_eye(called, role, port)

    def _missing(self, claim: str, role: str, why: list[str]) -> None:
        self.record(SafeStep(claim, role, "; ".join(why), False))
        self.unconfirmed.append(f"not seen: {claim} ({'; '.join(why)}). Do not touch it; measure it dead")

    def _by_eye(self, called: str, role: str, port: str) -> None:
        """Nobody but a person can read the output."""
        low, output = self.bench.fallen_V.get(port, TOUCH_LIMIT_V), f"output {port}".strip()
        words = f"measure the {output}: it has to read below {low:g} V, with a meter that was tried on something live"
        how = self._ask(role, words)
        self.record(SafeStep(called, role, how or "nobody confirmed it", bool(how)))
        if how:
            self.seen.append(f"{called}, {how}")
        else:
            self.unconfirmed.append(words)


@dataclass
class _Signs:
    """Reads the signs after the switch-off until all of them have stayed low, or the time for it is over."""

    bench: Bench
    record: Callable[[Event], object]
    waited_s: float = 0.0
    emptied_s: float | None = None
    last: dict[str, float] = field(default_factory=dict)
    _low_from: dict[str, float] = field(default_factory=dict)
    _misses: dict[str, int] = field(default_factory=dict)
    _back: dict[str, float] = field(default_factory=dict)  # what came back after it had been low

    def wait(self) -> None:
        seen = self.bench.seen
        while self.waited_s < seen.wait_s:
            let_pass(self.bench.clock, SLICE_S, self.bench.beat)
            self.waited_s += SLICE_S
            self._read()
            if not self._answering() or all(self._steady(name) for name in self._answering()):
                break
        fell = [since for name, since in self._low_from.items()
                if name_of(name) in EMPTIES and seen.channels[name].lived]  # fmt: skip
        if fell:
            self.emptied_s = max(fell)

    def _answering(self) -> list[str]:
        return [n for n in self.bench.seen.channels if self._misses.get(QUANTITIES[n].role, 0) < MOST_MISSES]

    def _read(self) -> None:
        channels = self.bench.seen.channels
        values: dict[str, float] = {}
        for role in dict.fromkeys(QUANTITIES[name].role for name in channels):
            if self._misses.get(role, 0) >= MOST_MISSES:
                continue
            try:
                values.update(self.bench.read_at(role))
                self._misses[role] = 0
            except InstrumentError as error:
                self._misses[role] = self._misses.get(role, 0) + 1
                if self._misses[role] >= MOST_MISSES:
                    self.record(SafeStep("reading the signs", role, str(error), False))
        self.last = {**{n: v for n, v in self.last.items() if n in self._low_from}, **values}
        for name in channels:
            if name not in values:
                self._low_from.pop(name, None)
                self.last.pop(name, None)
            elif abs(values[name]) < self._low(name):
                self._low_from.setdefault(name, self.waited_s)
            elif self._low_from.pop(name, None) is not None:
                self._back[name] = values[name]

    def _steady(self, name: str) -> bool:
        since = self._low_from.get(name)
        return since is not None and self.waited_s - since >= self.bench.seen.hold_s

    def _low(self, name: str) -> float:
        """On a wide range a meter may show more of nothing."""
        row = self.bench.in_use.get(name)
        span = zero_span(row) if row is not None and claim_of(name) == INPUT else 0.0
        return max(self._channel(name).low, span)

    def _channel(self, name: str) -> Channel:
        return self.bench.seen.channels[name]

    def counts(self, name: str) -> bool:
        return self._channel(name).lived and self._steady(name)

    def against(self, name: str) -> str:
        """What contradicts, in words; empty when nothing does."""
        if name in self._back:
            return f"{self._who(name)} came back to {_figure(name, self._back[name])} after the switch-off"
        value = self.last.get(name)
        if value is None or abs(value) < self._low(name):
            return ""
        return f"{self._who(name)} still reads {_figure(name, value)}"

    def why_not(self, name: str) -> str:
        """Why a sign that does not contradict does not count either."""
        if name not in self.last:
            return f"{self._who(name)} does not answer"
        if not self._channel(name).lived:
            return f"{self._who(name)} never read anything live in this run, so its {_figure(name, 0.0)} proves nothing"
        return f"{self._who(name)} did not stay low for {self.bench.seen.hold_s:.3g} s, as long as the unit pauses"

    def words(self, name: str) -> str:
        return _figure(name, self.last[name])

    def _who(self, name: str) -> str:
        info = QUANTITIES[name]
        return f"the {ROLES[name_of(info.role)].lower()} ({info.inside})"


def _figure(name: str, value: float) -> str:
    return f"{round(value, 2) + 0.0:.2f} {QUANTITIES[name].unit}"


def _bleed(load: ScpiInstrument) -> float:
    if load.can_choose("mode") and not load.is_at("mode", "CURR"):  # whatever it was left at, a short among it
        load.set("input", False)
        load.choose("mode", "CURR")
    load.set("current", BLEED_A)
    return load.set("input", True)
