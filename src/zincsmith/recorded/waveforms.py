"""Volts and amps out of a file, at even times."""

from __future__ import annotations

from zincsmith.analysis.power import Power, power_of
from zincsmith.formats.columns import Columns
from zincsmith.model.errors import InputError
from zincsmith.recorded.even import Even, evenly, rising_times


def pair_of_records(found: Columns, time: str, voltage: str, current: str) -> tuple[Even, Power]:
    """Volts and amps at even times, and what they show together. InputError for what is no such record."""
    times = rising_times(found, time)
    columns = found.need(voltage, "V", "--voltage"), found.need(current, "A", "--current")
    even = evenly(found, times, columns, time)
    try:
        return even, power_of(even.columns[0], even.columns[1], even.step_s)
    except ValueError as error:
        raise InputError(f"{error}: record more, or check the columns", file=str(found.file)) from None
