"""An instrument as an operation table over a link: settings are checked for errors and read back."""

from __future__ import annotations

import re
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import TypeVar

from zincsmith.bench.link import Link
from zincsmith.model.actions import Dip
from zincsmith.model.dialect import Dialect
from zincsmith.model.errors import Garbled, InstrumentError, Late, LimitError, Lost, Refused

T = TypeVar("T")

LARGEST_CODE = 32768
PARSED_AT_ONCE = 50_000  # numbers between two signs of life
NOT_A_NUMBER = 9.9e37  # SCPI: 9.91E+37 is not-a-number, 9.9E+37 infinity


@dataclass(frozen=True)
class Record:
    """Samples ``step_s`` apart; by quantity the codes and what one of them is worth."""

    step_s: float
    channels: dict[str, tuple[list[int], float]]


def _short(word: str) -> tuple[str, str]:
    """What tells one word from another: four letters, by which long and short forms agree, and all its digits."""
    return re.sub(r"[^A-Z]", "", word.upper())[:4], re.sub(r"\D", "", word)


class ScpiInstrument:
    """Says operations of its dialect; answers are numbers, or Garbled."""

    def __init__(self, link: Link, dialect: Dialect) -> None:
        self.link, self.dialect = link, dialect
        self.holder: ScpiInstrument | None = None  # the one whose link it shares
        self.retried: Callable[[str, str, int], object] = lambda _why, _role, _times: None

    @property
    def role(self) -> str:
        return self.dialect.role

    def reopen(self) -> None:
        self.link.close()
        self.link.open()

    def set(self, what: str, value: float | bool) -> float:
        """``set_WHAT``, then the error queue, then ``get_WHAT``; returns the read-back, Refused if it differs.

        LimitError, with nothing sent, beyond what the dialect says the instrument takes.
        """
        operation = self.dialect.operation[f"set_{what}"]
        low, high = self.dialect.limits.get(what, (float(value), float(value)))
        if not low <= float(value) <= high:
            raise LimitError(f"{self.dialect.words}: {what} takes {low:g} to {high:g}, not {value:g}")
        command = operation.to_say.format(value=value)
        return self._trying(lambda: self._set(command, operation.settle_s, what, value))

    def _tell(self, command: str, settle_s: float) -> None:
        """A command, its time to settle, whether it is done and whether it was taken."""
        self.link.write(command)
        if settle_s:
            time.sleep(settle_s)
        if self.dialect.quirks.completion:
            self.link.query("*OPC?")
        self._check_errors(command)

    def _set(self, command: str, settle_s: float, what: str, value: float | bool) -> float:
        self._tell(command, settle_s)
        if not self.dialect.quirks.reads_back:
            return float(value)
        found = self._ask(f"get_{what}")[0]
        if not abs(found - float(value)) <= 1e-3 * max(1.0, abs(float(value))):  # what is no number agrees with nothing
            raise Refused(f"was set to {value:g} but reads back {found:g}", **self._where(command))
        return found

    def get(self, what: str) -> float:
        return self._trying(lambda: self._ask(f"get_{what}")[0])

    def word(self, what: str) -> str:
        """A reading-back that is a word, such as the mode of a load."""
        operation = self.dialect.operation[f"get_{what}"]
        return self.link.query(operation.to_ask)

    def is_at(self, what: str, word: str) -> bool:
        """Whether something that is a word stands so; long and short forms are one."""
        return _short(self.word(what)) == _short(word)

    def choose(self, what: str, word: str) -> None:
        """Set something that is a word. Refused when it reads back otherwise."""
        operation = self.dialect.operation[f"set_{what}"]
        command = operation.to_say.format(value=word)
        self._tell(command, operation.settle_s)
        if self.dialect.quirks.reads_back and not self.is_at(what, word):
            raise Refused(f"was set to {word} but reads back {self.word(what)}", **self._where(command))

    def can_choose(self, what: str) -> bool:
        """Whether something that is a word can be set."""
        return f"set_{what}" in self.dialect.operation

    def can_range(self, quantity: str) -> bool:
        return f"set_range_{quantity}" in self.dialect.operation

    def choose_range(self, quantity: str, upper: float) -> None:
        self.set(f"range_{quantity}", upper)

    def _trying(self, action: Callable[[], T]) -> T:
        """As often as the dialect says, over a fresh connection each time; each is told to ``retried``."""
        left = self.dialect.quirks.retries
        while True:
            try:
                return action()
            except (Lost, Late, Garbled) as failure:
                error = failure
                if left <= 0:
                    raise
                self.retried(str(error), self.role, self.dialect.quirks.retries - left + 1)
                left -= 1
                try:
                    self.reopen()
                except InstrumentError:
                    raise error from None  # the first failure says more than that nobody answers since

    def dip(self, dip: Dip) -> dict[str, float | str | bool | None]:
        """Of a source: its volts go away for a while, now; they have begun to when this returns."""
        volts, seconds = self.set("dip_voltage", dip.voltage_V), self.set("dip_time", dip.seconds)
        self.do("dip")
        if self.dialect.quirks.reads_back:
            self._ask("get_dip_time")  # whoever answers has got to it
        return {"dip_voltage_V": volts, "dip_s": seconds}

    def do(self, name: str) -> None:
        """Something that is done rather than set. Refused where it was not taken. A line that is sent only may still be
        under way while the next one reaches another instrument."""
        operation = self.dialect.operation[name]
        self._tell(operation.to_say.format(value=0.0), operation.settle_s)

    def tell(self, name: str, value: float) -> None:
        """A command nobody waits for: the next one goes to the same instrument, or the stand-in sees to the order."""
        operation = self.dialect.operation[name]
        self.link.write(operation.to_say.format(value=value))

    def hold(self) -> None:
        """Hold every channel of an analyzer at one moment; nothing on any other instrument."""
        holds = self.holder or self
        if "latch" in holds.dialect.operation:
            holds.tell("latch", 1.0)

    def ask_ahead(self) -> None:
        """Ask for a reading that ``read`` with ``held`` will hear: instruments work on theirs side by side."""
        self.link.ask(self.dialect.operation["read"].to_ask)

    def read(self, held: bool = False) -> dict[str, float]:
        """One reading of every quantity the instrument gives; what it marks as not a number is left out. ``held``: its
        channels are held already; else they are now, so that nothing of an earlier moment is read."""
        return self._trying(lambda: self._hold_and_read(held))

    def _hold_and_read(self, held: bool) -> dict[str, float]:
        if not held:
            self.hold()
        return self._read()

    def record(self, samples: int, quantities: Sequence[str]) -> Record:
        """Record these quantities together, as integers. InstrumentError when fewer come than were asked for."""
        return self._trying(lambda: self._record(samples, quantities))

    def _record(self, samples: int, quantities: Sequence[str]) -> Record:
        operation = self.dialect.operation["set_record"]
        self._set(operation.to_say.format(value=samples), operation.settle_s, "record", samples)
        rate = self._positive("get_record_rate")
        channels = {}
        for quantity in quantities:
            during = f"record_{quantity}"
            codes = self._ask(during)
            if len(codes) != samples:
                raise Garbled(f"{samples} samples were asked for, {len(codes)} came", **self._where(during))
            if any(not abs(c) <= LARGEST_CODE or c != int(c) for c in codes):
                raise Garbled("a record holds what is no 16-bit integer", **self._where(during))
            channels[quantity] = ([int(c) for c in codes], self._positive(f"get_step_{quantity}"))
        return Record(1.0 / rate, channels)

    def _positive(self, name: str) -> float:
        found = self._ask(name)[0]
        if not 0.0 < found < NOT_A_NUMBER:
            raise Garbled(f"answered {found:g} where a number above zero is needed", **self._where(name))
        return found

    def _read(self) -> dict[str, float]:
        operation = self.dialect.operation["read"]
        values = self._ask("read")
        if len(values) != len(operation.quantities):
            raise Garbled(
                f"{len(operation.quantities)} numbers were expected, {len(values)} came", **self._where(operation.query)
            )
        return {q: v for q, v in zip(operation.quantities, values, strict=True) if abs(v) < NOT_A_NUMBER}

    def _ask(self, name: str, channel: int | None = None) -> list[float]:
        """The numbers of a reply, or the one of them that is meant: words may stand beside that one."""
        operation = self.dialect.operation[name]
        query = operation.to_ask if channel is None else operation.to_ask.format(channel=channel)
        answer = self.link.query(query)
        parts = re.split("[,;]", answer)
        if operation.place is not None:
            parts = parts[operation.place - 1 : operation.place]
            if not parts:
                raise Garbled(f"answered {answer[:40]!r}, without a part {operation.place}", **self._where(query))
        found: list[float] = []
        try:
            for start in range(0, len(parts), PARSED_AT_ONCE):
                self.link.beat()
                found += [float(part) for part in parts[start : start + PARSED_AT_ONCE]]
        except ValueError:
            raise Garbled(f"answered {answer[:40]!r}, which is no number", **self._where(query)) from None
        return found

    def _check_errors(self, command: str) -> None:
        operation = self.dialect.operation.get("next_error")
        if operation is None or operation.query is None:
            return
        answer = self.link.query(operation.to_ask)
        found = re.match(r"\s*([+-]?\d+)\s*,", answer)
        if found is None:
            raise Garbled(f"answered {answer[:40]!r} to a question for errors", **self._where(operation.query))
        if int(found.group(1)) != 0:
            raise Refused(f"refused it: {answer}", **self._where(command))

    def _where(self, during: str | None) -> dict[str, str]:
        return {"role": self.role, "address": self.link.address, "during": during or ""}
