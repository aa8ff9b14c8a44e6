"""Doubts that a record of the mains raises, wherever it comes from: taken in a run, or out of a file."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from zincsmith.analysis.power import ORDERS, Power
from zincsmith.analysis.record_quality import change_within, clipped_share, coarse_steps
from zincsmith.model.finding import Doubt

Array = NDArray[np.float64]

FEW_PERIODS = 5
DISTORTED = 0.02  # a source beyond it does not serve compliance work (IEC 62301, from memory)
UNLIKE_ONE = 1.0005
DC_PART = 0.02  # of the rms amps
CHANGES = 0.05  # of the rms, from the first third to the last


def wave_doubts(voltage: Array, amps: Array, step_s: float, power: Power) -> list[Doubt]:
    """``volts`` and ``amps`` (n,), V and A, ``step_s`` apart; ``power`` is what they show together."""
    found = []
    if power.reversed:
        found.append(
            Doubt("power_negative", "The power is negative.", "Turn the current probe round, or check the direction.")
        )
    for name, record in (("volts", voltage), ("amps", amps)):
        found += _quantized(name, record)
    if power.is_dc or power.frequency is None:
        return found
    per_period = 1.0 / (power.frequency * step_s)
    if (power.periods or 0) < FEW_PERIODS:
        words = f"The record holds {power.periods} whole periods only."
        found.append(Doubt("record_short", words, "Record ten or more."))
    if power.current_thd is None:
        found.append(
            Doubt(
                "rate_low",
                f"{per_period:.0f} samples a period do not show order {ORDERS}: no THD, and no orders from "
                f"{min(ORDERS, int(0.5 * per_period)) + (0.5 * per_period > int(0.5 * per_period))} on.",
                f"Sample at {2.5 * ORDERS * power.frequency:.0f} Hz or more.",
            )
        )
    if power.voltage_thd is not None and power.voltage_thd > DISTORTED:
        words = f"The volts are distorted by {100.0 * power.voltage_thd:.1f} %, more than 2 %."
        remedy = "Use a cleaner source for figures that are to be judged: what it is distorted by draws current."
        found.append(Doubt("source_out_of_tolerance", words, remedy))
    if power.power_factor is not None and power.power_factor > UNLIKE_ONE:
        words = "The power factor is above one."
        found.append(Doubt("power_factor_above_one", words, "Volts and amps are not of one moment."))
    return found + _of_the_amps(amps, per_period, power)


def _of_the_amps(amps: Array, per_period: float, power: Power) -> list[Doubt]:
    """A mean that should not be there, and amps that are not those of one state."""
    found = []
    mean = float(np.real(power.current[0])) if power.current is not None else 0.0
    if power.current_rms > 0.0 and abs(mean) > DC_PART * power.current_rms:
        found.append(
            Doubt(
                "dc_part",
                f"The amps have a DC part of {mean:.3g} A, {100.0 * abs(mean) / power.current_rms:.1f} % of their rms.",
                "Zero the current probe with nothing in it and record again; a DC part that stays is the unit's own.",
            )
        )
    change = change_within(amps, per_period)
    if abs(change) > CHANGES:
        found.append(
            Doubt(
                "record_changes",
                f"The rms amps change by {100.0 * change:+.1f} % from the first third of the record to the last: it "
                "shows no one state.",
                "Wait until it is settled, or record over whole cycles of what comes and goes.",
            )
        )
    return found


def _quantized(name: str, record: Array) -> list[Doubt]:
    """Steps of the converter that are too few, and a record that stands at its end."""
    found = []
    steps, clipped = coarse_steps(record), clipped_share(record)
    if steps is not None:
        words = f"The {name} fill {steps} steps of the converter."
        found.append(Doubt("coarse", words, "Choose a more sensitive range."))
    if clipped:
        words = f"The {name} stand at their greatest value for {100.0 * clipped:.1f} % of the record."
        found.append(Doubt("clipped", words, "Take the next range: a clipped record loses its peaks."))
    return found
