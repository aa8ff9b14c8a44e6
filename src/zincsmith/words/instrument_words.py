"""Accuracies in words, and as a limit of error at the point that matters."""

from __future__ import annotations

from datetime import date

from zincsmith.analysis.accuracy import limit_of_error
from zincsmith.analysis.envelope import Envelope
from zincsmith.analysis.expectation import expected
from zincsmith.formats.accuracy_text import beside_words
from zincsmith.formats.words import counted
from zincsmith.model.address import at_port, name_of
from zincsmith.model.errors import InputError
from zincsmith.model.plan import Line
from zincsmith.model.quantities import QUANTITIES
from zincsmith.model.reading import Reading
from zincsmith.model.rig import Accuracy, Instrument
from zincsmith.model.unit import Unit
from zincsmith.suitability.connecting import DAYS_A_MONTH

UNITS = {"degC": "°C", "1": ""}


def accuracy_words(row: Accuracy) -> str:
    """``0.1 % of reading + 0.04 % of 75 W``, and what the data sheet says beside it."""
    unit = UNITS.get(QUANTITIES[row.quantity].unit, QUANTITIES[row.quantity].unit)
    parts = []
    if row.reading_percent:
        parts.append(f"{row.reading_percent:g} % of reading")
    if row.range_percent:
        parts.append(f"{row.range_percent:g} % of {row.range:g} {unit}".rstrip())
    if row.offset:
        parts.append(f"{row.offset:g} {unit}".rstrip())
    return "; ".join([" + ".join(parts) or "not stated", *beside_words(row)])


def draws_words(one: Instrument, unit: Unit | None) -> str:
    """What a load of resistors draws at the rated output, as soon as its ohms are typed: a slip of a thousand shows."""
    made = one.dummy
    if made is None or unit is None or not unit.nameplate.outputs:
        return ""
    out = next((o for o in unit.nameplate.outputs if one.port and o.name == one.port), unit.nameplate.output)
    ohm = made.measured_ohm or made.nominal_ohm
    if not ohm or not out.voltage_V or not out.current_A:
        return ""
    current = abs(out.voltage_V) / ohm
    percent = Envelope(unit.nameplate).percent(current, one.port)
    return f"At {abs(out.voltage_V):g} V it draws {current:.3g} A, {percent:.3g} % of the rating."


def age_words(one: Instrument, today: date) -> str:
    """``calibrated 4 March 2026, 266 days ago, due in 99 days``."""
    if not one.calibrated:
        return "No calibration date stated."
    on = date.fromisoformat(one.calibrated)
    days = (today - on).days
    left = one.calibration_months * DAYS_A_MONTH - days
    due = f"due in {counted(round(left), 'day')}" if left >= 0.0 else f"overdue for {counted(round(-left), 'day')}"
    return f"Calibrated {on.day} {on:%B %Y}, {counted(days, 'day')} ago, {due}."


def limit_words(row: Accuracy, unit: Unit | None, line: Line, port: str = "") -> str:
    """``±0.11 W at 68.6 W``: the limit of error at rated load on a line, of what is read at an output at that one."""
    if unit is None:
        return ""
    info = QUANTITIES[row.quantity]
    try:
        values = expected(unit.nameplate, line.voltage_V, Envelope(unit.nameplate).loads_A(100.0), 23.0)
    except InputError:  # the nameplate does not say enough yet
        return ""
    first = next((name for name in values if name_of(name) == row.quantity), row.quantity)
    known = values.get(at_port(row.quantity, port), values.get(first))
    value = known.value if known is not None else row.range  # of what no nameplate says anything: its full range
    reading = Reading(
        "",
        row.quantity,
        value,
        info.unit,
        info.role,
        "",
        "",
        row.range,
        row.reading_percent,
        row.range_percent,
        row.offset,
    )
    shown = UNITS.get(info.unit, info.unit)
    return f"±{limit_of_error(reading):.2g} {shown} at {value:.4g} {shown}".replace("  ", " ").rstrip()
