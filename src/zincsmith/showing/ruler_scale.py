"""The scale of a claim ruler, shared by window and report."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from zincsmith.formats.words import shown
from zincsmith.model.finding import Judged


@dataclass(frozen=True)
class Scale:
    """The stretch of values a ruler shows, with round ticks."""

    low: float
    high: float
    ticks: tuple[float, ...]
    decimals: int

    def share(self, value: float) -> float:
        """Where a value lies along the ruler, from 0 to 1; beyond the ends it stays at the end."""
        return min(1.0, max(0.0, (value - self.low) / (self.high - self.low)))


def scale_for(judged: Judged) -> Scale | None:
    """Round ends and about four ticks that show limits, needle and whisker; None without a claim."""
    claim, finding = judged.claim, judged.finding
    if claim is None:
        return None
    factor, _ = shown(finding)
    marks = [x * factor for x in (claim.low, claim.high) if x is not None]
    if finding.value is not None:
        expanded = (finding.u or 0.0) * (finding.k or 0.0)
        marks += [(finding.value - expanded) * factor, (finding.value + expanded) * factor]
    if claim.low is None or finding.name == "load_regulation":
        marks.append(0.0)
    return scale_over(marks)


def scale_over(marks: Sequence[float]) -> Scale:
    """Round ends and about four ticks that show all of these."""
    low, high = min(marks), max(marks)
    room = (high - low or abs(high) or 1.0) * 0.3
    low = 0.0 if low == 0.0 else low - room
    high += room
    step = _round_step((high - low) / 3.5)
    first = math.floor(low / step) if low else 0
    last = math.ceil(high / step)
    return Scale(first * step, last * step, tuple(k * step for k in range(first, last + 1)), _decimals(step))


def scale_within(low: float, high: float, about: float) -> Scale:
    """These ends, with ``about`` so many round ticks between them."""
    step = _round_step((high - low) / about)
    first, last = math.ceil(low / step - 1e-9), math.floor(high / step + 1e-9)
    return Scale(low, high, tuple(k * step for k in range(first, last + 1)), _decimals(step))


def _decimals(step: float) -> int:
    """That tell one tick from the next."""
    decimals = max(0, -math.floor(math.log10(step) + 1e-9))
    if abs(step * 10**decimals - round(step * 10**decimals)) > 1e-6:
        decimals += 1
    return decimals


def _round_step(raw: float) -> float:
    power = 10.0 ** math.floor(math.log10(raw))
    return next(m * power for m in (1.0, 2.0, 2.5, 5.0, 10.0) if m * power >= raw * 0.999)
