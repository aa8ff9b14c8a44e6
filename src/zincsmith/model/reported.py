"""What somebody reported of a unit: a record, no claim."""

from __future__ import annotations

from dataclasses import dataclass

from zincsmith.model.record import Record


@dataclass(frozen=True)
class Reported(Record):
    """``what`` in the words of ``source``; ``figure`` (see figures.py) would show it, reported from ``low`` to ``high``
    in its unit, an end left out being open; at ``line_V`` and ``load_percent`` where they were told, on a unit that ran
    ``firmware``."""

    what: str
    source: str = ""
    figure: str = ""
    low: float | None = None
    high: float | None = None
    line_V: float | None = None
    load_percent: float | None = None
    firmware: str = ""
    note: str = ""
