"""Power from a file of voltage and current."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from zincsmith.analysis.harmonic_limits import judge_orders
from zincsmith.analysis.power import ORDERS, Power, power_of, window_words
from zincsmith.analysis.waves import Recorded, shown_by
from zincsmith.formats.columns import Columns
from zincsmith.model.errors import InputError
from zincsmith.recorded.even import Even, evenly, rising_times
from zincsmith.recorded.result import Analysed, Figure
from zincsmith.rules.harmonics import Draw, load_harmonics

Array = NDArray[np.float64]


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
    shown = shown_by(even.columns[0], even.columns[1], even.step_s, power)
    out.doubts += shown.doubts
    _against_limits(out, power, shown)
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
    """Phase of an order of the current against the fundamental of the volts, which stands at zero; degrees."""
    assert p.current is not None
    assert p.voltage is not None
    if abs(p.current[order]) < 1e-6 * max(1e-12, float(np.max(np.abs(p.current[1:])))):
        return None
    angle = np.angle(p.current[order]) - order * np.angle(p.voltage[1])
    return round(float(np.degrees(np.angle(np.exp(1j * angle)))), 3)


def _against_limits(out: Analysed, p: Power, shown: Recorded) -> None:
    """Class A and D: a look before compliance work, not a test house's verdict."""
    average = shown.average_A
    if average is None:
        return
    limits = load_harmonics()
    draw = Draw(abs(p.real_power), float(average[1]), p.power_factor or 0.0)
    for name in ("A", "D"):
        by_order = limits.limits_A(name, draw)
        judged = judge_orders(average, shown.windows_A, by_order, p.current_rms, shown.window_s, name == "A")
        words = "within" if judged.holds else f"exceeded at order {', '.join(map(str, judged.exceeded))}"
        share = f"; nearest: order {judged.worst}, {100.0 * judged.share:.0f} % of its limit" if judged.worst else ""
        relief = f"; by a relief: {', '.join(judged.reliefs)}" if judged.reliefs else ""
        out.facts[f"class_{name}"] = f"{words}{share}{relief}"
    least = limits.least_W["A"]
    applies = "" if draw.power_W > least else f"; not applicable at {draw.power_W:.3g} W"
    out.facts["harmonic_limits"] = (
        f"{limits.edition}; applies above {least:g} W of active input power{applies}; {limits.provenance}"
    )
