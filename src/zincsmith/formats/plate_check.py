"""Whether ratings make sense, field by field: the one place for files and for the Nameplate station."""

from __future__ import annotations

import math
from dataclasses import dataclass

from zincsmith.model.unit import Nameplate


@dataclass(frozen=True)
class Problem:
    """``field`` is the path of the value in a unit file, such as ``output.voltage_V``."""

    field: str
    message: str


# (path, words, least, most): a rating outside is no rating of a supply this bench could hold.
SPANS = (
    ("input.voltage_V", "input voltage", 1.0, 1000.0),
    ("input.current_A", "input current", 0.001, 100.0),
    ("output.voltage_V", "output voltage", 0.1, 1000.0),
    ("output.current_A", "output current", 0.001, 500.0),
    ("output.power_W", "output power", 0.01, 20000.0),
    ("output.tolerance_percent", "tolerance", 0.01, 50.0),
    ("output.load_regulation_percent", "load regulation", 0.001, 50.0),
    ("output.line_regulation_percent", "line regulation", 0.001, 50.0),
    ("claims.average_efficiency_percent", "average efficiency", 1.0, 100.0),
    ("claims.no_load_power_W", "no-load power", 0.001, 1000.0),
)
UNITS = {"V": "V", "A": "A", "W": "W", "percent": "%", "Hz": "Hz"}


def check_nameplate(plate: Nameplate) -> list[Problem]:
    """All problems, in the order of the fields; empty when the ratings can be used."""
    values: dict[str, list[float | None]] = {
        "input.voltage_V": [plate.input.voltage_min_V, plate.input.voltage_max_V],
        "input.current_A": [plate.input.current_A],
        "output.voltage_V": [plate.output.voltage_V],
        "output.current_A": [plate.output.current_A],
        "output.power_W": [plate.output.power_W],
        "output.tolerance_percent": [plate.output.tolerance_percent],
        "output.load_regulation_percent": [plate.output.load_regulation_percent],
        "output.line_regulation_percent": [plate.output.line_regulation_percent],
        "claims.average_efficiency_percent": [plate.average_efficiency_percent],
        "claims.no_load_power_W": [plate.no_load_power_W],
    }
    problems = []
    for path, words, least, most in SPANS:
        unit = UNITS[path.rsplit("_", 1)[1]]
        for value in values[path]:
            if value is not None and not (math.isfinite(value) and least <= value <= most):
                problems.append(
                    Problem(
                        path, f"{words} must lie between {least:g} and {most:g} {unit}; {value:g} cannot be a rating"
                    )
                )
    if plate.input.voltage_min_V > plate.input.voltage_max_V:
        problems.append(
            Problem(
                "input.voltage_V",
                f"the lower end, {plate.input.voltage_min_V:g} V, is above the upper end, "
                f"{plate.input.voltage_max_V:g} V",
            )
        )
    frequencies = plate.input.frequencies_Hz
    if not frequencies or any(not 40.0 <= f <= 440.0 for f in frequencies):
        problems.append(Problem("input.frequency_Hz", "name at least one frequency between 40 and 440 Hz"))
    return problems
