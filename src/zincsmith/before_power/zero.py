"""What an instrument reads while nothing is energised, against what its data sheet lets it show then."""

from __future__ import annotations

import statistics
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from zincsmith.model.quantities import QUANTITIES
from zincsmith.model.rig import Accuracy, Instrument

AT_ZERO = ("voltage", "current", "power")  # kinds of quantity that are zero when nothing is energised


@dataclass(frozen=True)
class AtZero:
    """Readings of one quantity with nothing energised; ``span`` is the most it may show, None where that is unknown.

    Unit of all figures: that of the quantity.
    """

    quantity: str
    readings: tuple[float, ...]
    span: float | None

    @property
    def outside(self) -> int:
        """How many readings lie beyond the span."""
        return sum(abs(r) > self.span for r in self.readings) if self.span is not None else 0


def at_zero(one: Instrument, readings: Mapping[str, Sequence[float]]) -> list[AtZero]:
    """One row a quantity that the instrument read."""
    return [AtZero(q, tuple(r), zero_span(one.accuracy_of(q))) for q, r in readings.items() if r]


def zero_span(row: Accuracy | None) -> float | None:
    """Half-width of what may be shown at zero: range % x range + offset, and one step of the display."""
    if row is None or QUANTITIES[row.quantity].kind not in AT_ZERO:
        return None
    return row.range_percent / 100.0 * row.range + row.offset + row.resolution


def zero_words(row: AtZero) -> str:
    """``Input watts: mean 0.0021 W, all inside ±0.03 W``."""
    info = QUANTITIES[row.quantity]
    unit = {"degC": "°C", "1": ""}.get(info.unit, info.unit)
    words = f"{info.words}: mean {statistics.fmean(row.readings):.3g} {unit}".rstrip()
    if row.span is None:
        return words
    if row.outside:
        return f"{words}; {row.outside} outside ±{row.span:.2g} {unit}"
    return f"{words}, all inside ±{row.span:.2g} {unit}"
