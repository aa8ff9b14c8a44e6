"""What the data sheets of a rig say of readings beyond a single limit: who read, in which room, how long since.

It is put into the points when they are judged, from the revision of the rig that the run cites; the book holds what was
read.
"""

from __future__ import annotations

import math
from dataclasses import replace
from datetime import date

from zincsmith.model.reading import Point, Reading
from zincsmith.model.rig import Accuracy, Instrument, Rig

REFERENCE_DEGC, REFERENCE_SPAN_K = 23.0, 5.0  # what data sheets call reference conditions; common practice, no source


def with_data_sheets(point: Point, rig: Rig, run: int, ambient_degC: float | None, on: str) -> Point:
    """The point with, for each reading of an instrument of the rig: serial and calibration, the row of its data sheet
    for the days since then, what the room adds, transfer accuracy, and what a phase error does to watts.

    ``run`` tells instruments without a serial apart from those of other runs; ``on`` is the date of the run (ISO).
    """
    return replace(point, readings=tuple(_known(r, point, rig, run, ambient_degC, on) for r in point.readings))


def _known(reading: Reading, point: Point, rig: Rig, run: int, ambient_degC: float | None, on: str) -> Reading:
    one = rig.instrument(reading.place)
    if one is None or one.name != reading.source:
        return replace(reading, identity=f"of run {run}")
    identity = f"no. {one.serial} cal. {one.calibrated or 'unknown'}" if one.serial else f"of run {run}"
    row = row_for(one, reading, on)
    if row is not None:
        reading = _by_row(reading, row, ambient_degC)
    if reading.quantity == "input_power" and one.phase_error_deg:
        reading = replace(reading, phase_limit=math.radians(one.phase_error_deg) * reactive_at_most(point))
    return replace(reading, identity=identity, ac=one.ac)


def row_for(one: Instrument, reading: Reading, on: str) -> Accuracy | None:
    """The row of the data sheet for this reading: of its range, and the shortest time since calibration that covers
    the days until ``on``; the longest, where more have passed."""
    rows = [a for a in one.accuracy if a.quantity == reading.quantity and a.range == reading.range]
    dated = sorted((a for a in rows if a.valid_days is not None), key=lambda a: a.valid_days or 0.0)
    if not dated:
        return rows[0] if rows else None
    days = _days_since(one.calibrated, on)
    if days is None:
        return dated[-1]
    return next((a for a in dated if (a.valid_days or 0.0) >= days), dated[-1])


def _days_since(calibrated: str, on: str) -> float | None:
    try:
        return float((date.fromisoformat(on[:10]) - date.fromisoformat(calibrated)).days)
    except ValueError:
        return None


def _by_row(reading: Reading, row: Accuracy, ambient_degC: float | None) -> Reading:
    value = abs((reading.value if reading.change is None else reading.change) or 0.0)
    span = reading.range or 0.0
    beyond = max(0.0, abs((ambient_degC if ambient_degC is not None else REFERENCE_DEGC) - REFERENCE_DEGC)
                 - REFERENCE_SPAN_K)  # fmt: skip
    warm = beyond * (row.per_K_reading_percent * value + row.per_K_range_percent * span) / 100.0
    transfer = (row.transfer_reading_percent * value + row.transfer_range_percent * span) / 100.0
    reading = replace(
        reading, offset=reading.offset + warm, transfer=transfer, transfer_min=row.transfer_min if transfer else 0.0
    )
    if row.valid_days is None:
        return reading
    return replace(
        reading, reading_percent=row.reading_percent, range_percent=row.range_percent, offset=row.offset + warm,
        resolution=row.resolution, noise=row.noise, nonlinearity_percent=row.nonlinearity_percent,
    )  # fmt: skip


def reactive_at_most(point: Point) -> float:
    """sqrt(S^2 - P^2) in var: with a distorted current more than V1 I1 sin phi1, which is what a phase error acts on;
    an upper bound, as the fundamental is not known. Nought where volts or amps are missing."""
    voltage, current, power = (
        r.value if (r := point.get(q)) is not None else None for q in ("input_voltage", "input_current", "input_power")
    )
    if voltage is None or current is None or power is None:
        return 0.0
    return math.sqrt(max(0.0, (voltage * current) ** 2 - power**2))
