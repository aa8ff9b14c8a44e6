"""Power from a file of voltage and current."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from zincsmith.analysis.harmonic_limits import judge_orders
from zincsmith.analysis.power import ORDERS, Power, power_of, smoothed_orders, window_words
from zincsmith.analysis.record_quality import clipped_share, coarse_steps
from zincsmith.formats.columns import Columns
from zincsmith.model.errors import InputError
from zincsmith.recorded.even import Even, evenly, rising_times
from zincsmith.recorded.result import Analysed, Figure
from zincsmith.rules.harmonics import load_harmonics

Array = NDArray[np.float64]

FEW_PERIODS = 5
FEW_SAMPLES = 10  # a period
DISTORTED, OFF = 0.02, 0.01  # a source beyond these does not serve compliance work (IEC 62301, from memory)
UNLIKE_ONE = 1.0005


def pair_of_records(found: Columns, time: str, voltage: str, current: str) -> tuple[Even, Power]:
    """Volts and amps at even times, and what they show together. InputError for what is no such record."""
    times = rising_times(found, time)
    columns = found.need(voltage, "V", "--voltage"), found.need(current, "A", "--current")
    even = evenly(found, times, columns, time)
    try:
        return even, power_of(even.columns[0], even.columns[1], even.step_s)
    except ValueError as error:
        raise InputError(f"{error}: record more, or check the columns", file=str(found.file)) from None


def analyse_power(found: Columns, time: str, voltage: str, current: str) -> Analysed:
    """Everything about one pair of records. InputError for what is no such record."""
    even, power = pair_of_records(found, time, voltage, current)
    out = Analysed("power", _figures(power), _facts(power, even))
    for note in (*found.notes, *even.notes):
        out.doubt("read_with_a_note", f"{note[:1].upper()}{note[1:]}.")
    _doubts(out, power, even)
    _against_limits(out, power, even)
    return out


def _figures(p: Power) -> dict[str, Figure]:
    figures = {
        "voltage_rms": Figure(p.voltage_rms, "V"),
        "current_rms": Figure(p.current_rms, "A"),
        "real_power": Figure(p.real_power, "W"),
        "apparent_power": Figure(p.apparent_power, "VA"),
        "power_factor": Figure(p.power_factor),
        "displacement_factor": Figure(p.displacement_factor),
        "frequency": Figure(p.frequency, "Hz"),
        "current_thd": Figure(p.current_thd),
        "voltage_thd": Figure(p.voltage_thd),
        "current_crest_factor": Figure(p.current_crest),
    }
    return figures | {f"current_h{k}": Figure(p.current_order(k), "A") for k in range(1, ORDERS + 1)}


def _facts(p: Power, even: Even) -> dict[str, object]:
    facts: dict[str, object] = {"supply": "DC" if p.is_dc else "AC", "sample_rate_Hz": f"{1.0 / even.step_s:.6g}"}
    if not p.is_dc:
        facts["periods"] = str(p.periods)
        facts["window"] = window_words(p)
        facts["voltage_crest_factor"] = f"{p.voltage_crest:.4g}"
        if p.current is not None and p.voltage is not None:
            angles = [_degrees(p, k) for k in range(1, min(ORDERS, len(p.current) - 1) + 1)]
            facts["current_phase_deg"] = angles
    return facts


def _degrees(p: Power, order: int) -> float | None:
    """Phase of an order of the current against the fundamental of the volts, which stands at nought; degrees."""
    assert p.current is not None
    assert p.voltage is not None
    if abs(p.current[order]) < 1e-6 * max(1e-12, float(np.max(np.abs(p.current[1:])))):
        return None
    angle = np.angle(p.current[order]) - order * np.angle(p.voltage[1])
    return round(float(np.degrees(np.angle(np.exp(1j * angle)))), 3)


def _doubts(out: Analysed, p: Power, even: Even) -> None:
    volts, amps = even.columns
    if p.reversed:
        out.doubt("power_negative", "The power is negative.", "Turn the current probe round, or check the direction.")
    for name, record in (("volts", volts), ("amps", amps)):
        _quantized(out, name, record)
    if p.is_dc:
        return
    assert p.frequency is not None
    if (p.periods or 0) < FEW_PERIODS:
        out.doubt("record_short", f"The record holds {p.periods} whole periods only.", "Record ten or more.")
    per_period = 1.0 / (p.frequency * even.step_s)
    if p.current_thd is None:
        out.doubt(
            "rate_low",
            f"{per_period:.0f} samples a period do not show order {ORDERS}: no THD, and no orders from "
            f"{min(ORDERS, int(0.5 * per_period)) + (0.5 * per_period > int(0.5 * per_period))} on.",
            f"Sample at {2.5 * ORDERS * p.frequency:.0f} Hz or more.",
        )
    if p.voltage_thd is not None and p.voltage_thd > DISTORTED:
        words = f"The volts are distorted by {100.0 * p.voltage_thd:.1f} %, more than 2 %."
        out.doubt("source_out_of_tolerance", words, "Use a cleaner source for figures that are to be judged.")
    if p.power_factor is not None and p.power_factor > UNLIKE_ONE:
        out.doubt("power_factor_above_one", "The power factor is above one.", "Volts and amps are not of one moment.")


def _quantized(out: Analysed, name: str, record: Array) -> None:
    """Steps of the converter that are too few, and a record that stands at its end."""
    steps, clipped = coarse_steps(record), clipped_share(record)
    if steps is not None:
        out.doubt("coarse", f"The {name} fill {steps} steps of the converter.", "Choose a more sensitive range.")
    if clipped:
        words = f"The {name} stand at their greatest value for {100.0 * clipped:.1f} % of the record."
        out.doubt("clipped", words, "Check the range: a clipped record loses its peaks.")


def _against_limits(out: Analysed, p: Power, even: Even) -> None:
    """Class A and D: a look before compliance work, not a test house's verdict."""
    if p.current is None or len(p.current) <= ORDERS or p.frequency is None:
        return
    rows = smoothed_orders(even.columns[0], even.columns[1], even.step_s, p)
    limits = load_harmonics()
    for name in ("A", "D"):
        judged = judge_orders(np.abs(p.current), rows, limits.limits_A(name, abs(p.real_power)), p.current_rms)
        words = "within" if judged.holds else f"exceeded at order {', '.join(map(str, judged.exceeded))}"
        share = f"; nearest: order {judged.worst}, {100.0 * judged.share:.0f} % of its limit" if judged.worst else ""
        out.facts[f"class_{name}"] = f"{words}{share}"
    out.facts["harmonic_limits"] = f"{limits.edition}; applies from 75 W of rated input; {limits.provenance}"
