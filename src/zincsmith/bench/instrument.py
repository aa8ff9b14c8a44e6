"""An instrument as an operation table over a link: settings are checked for errors and read back."""

from __future__ import annotations

import re

from zincsmith.bench.link import Link
from zincsmith.model.dialect import Dialect
from zincsmith.model.errors import Garbled, LimitError, Refused
from zincsmith.model.rig import Instrument

NOT_A_NUMBER = 9.9e37  # SCPI: 9.91E+37 is not-a-number, 9.9E+37 infinity


class ScpiInstrument:
    """Says operations of its dialect; answers are numbers, or Garbled."""

    def __init__(self, link: Link, dialect: Dialect) -> None:
        self.link, self.dialect = link, dialect

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
        operation, quirks = self.dialect.operation[f"set_{what}"], self.dialect.quirks
        assert operation.command is not None
        low, high = self.dialect.limits.get(what, (float(value), float(value)))
        if not low <= float(value) <= high:
            raise LimitError(f"{self.dialect.words}: {what} takes {low:g} to {high:g}, not {value:g}")
        command = operation.command.format(value=value)
        self.link.write(command)
        if quirks.completion:
            self.link.query("*OPC?")
        self._check_errors(command)
        if not quirks.reads_back:
            return float(value)
        found = self.get(what)
        if abs(found - float(value)) > 1e-3 * max(1.0, abs(float(value))):
            raise Refused(f"was set to {value:g} but reads back {found:g}", **self._where(command))
        return found

    def get(self, what: str) -> float:
        return self._ask(f"get_{what}")[0]

    def choose_ranges(self, declared: Instrument | None) -> None:
        """Set the ranges that the rig's data sheet speaks of, where the dialect can."""
        for row in declared.accuracy if declared is not None else ():
            if f"set_range_{row.quantity}" in self.dialect.operation:
                self.set(f"range_{row.quantity}", row.range)

    def tell(self, name: str, value: float) -> None:
        """A command without read-back."""
        operation = self.dialect.operation[name]
        assert operation.command is not None
        self.link.write(operation.command.format(value=value))

    def read(self) -> dict[str, float]:
        """One reading of every quantity the instrument gives; what it marks as not a number is left out."""
        operation = self.dialect.operation["read"]
        values = self._ask("read")
        if len(values) != len(operation.quantities):
            raise Garbled(
                f"{len(operation.quantities)} numbers were expected, {len(values)} came", **self._where(operation.query)
            )
        return {q: v for q, v in zip(operation.quantities, values, strict=True) if abs(v) < NOT_A_NUMBER}

    def _ask(self, name: str) -> list[float]:
        operation = self.dialect.operation[name]
        assert operation.query is not None
        answer = self.link.query(operation.query)
        try:
            return [float(part) for part in answer.split(",")]
        except ValueError:
            raise Garbled(f"answered {answer[:40]!r}, which is no number", **self._where(operation.query)) from None

    def _check_errors(self, command: str) -> None:
        operation = self.dialect.operation.get("next_error")
        if operation is None or operation.query is None:
            return
        answer = self.link.query(operation.query)
        found = re.match(r"\s*([+-]?\d+)\s*,", answer)
        if found is None:
            raise Garbled(f"answered {answer[:40]!r} to a question for errors", **self._where(operation.query))
        if int(found.group(1)) != 0:
            raise Refused(f"refused it: {answer}", **self._where(command))

    def _where(self, during: str | None) -> dict[str, str]:
        return {"role": self.role, "address": self.link.address, "during": during or ""}
