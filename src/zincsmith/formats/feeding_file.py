"""What a supply must feed, as TOML."""

from __future__ import annotations

from pathlib import Path

from zincsmith.formats.record_file import bind, raw_of
from zincsmith.model.errors import InputError
from zincsmith.model.feeding import Feeding

DAY_H = 24.0


def read_feeding(file: Path) -> Feeding:
    """InputError, with file, key and line, for what nothing could be fed by."""
    raw, text = raw_of(file)
    found = bind(Feeding, raw, str(file), text)
    check_feeding(found, str(file))
    return found


def check_feeding(one: Feeding, file: str = "") -> None:
    """InputError for a day that is none, and for less than nothing."""
    wrong = (
        (not one.voltage_V > 0.0, "volts are above zero", "voltage_V"),
        (not one.current_A > 0.0, "amps are above zero", "current_A"),
        (any(d.hours < 0.0 or d.current_A < 0.0 for d in one.duty), "hours and amps are nothing or more", "duty"),
        (sum(d.hours for d in one.duty) > DAY_H + 1e-9, "a day has 24 hours", "duty.hours"),
        (any(d.current_A > one.current_A * (1.0 + 1e-9) for d in one.duty), "its duty asks for more amps than it may "
         "at most", "duty.current_A"),
        (not one.tariff >= 0.0 or not one.years > 0.0, "a tariff is nothing or more, years are above zero", "tariff"),
        (one.lowest_V is not None and one.highest_V is not None and one.lowest_V >= one.highest_V,
         "its lowest volts lie below its highest", "lowest_V"),
    )  # fmt: skip
    for is_wrong, words, key in wrong:
        if is_wrong:
            raise InputError(words, file=file or None, key=key)
