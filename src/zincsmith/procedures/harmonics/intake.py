"""Records of volts and amps of the input out of files, as the power meter would have recorded them."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from typing import ClassVar

import numpy as np
from numpy.typing import NDArray

from zincsmith.analysis.harmonic_limits import judge_orders
from zincsmith.analysis.power import ORDERS, Power, window_words
from zincsmith.analysis.waves import Recorded, shown_by
from zincsmith.formats.columns import Columns
from zincsmith.model.commands import FileRequest
from zincsmith.model.errors import InputError
from zincsmith.model.plan import Line
from zincsmith.model.reading import Wave
from zincsmith.procedures.harmonics.options import HarmonicOptions
from zincsmith.procedures.intake import FigureRequest, Intake, Taken, TakenAt, line_of
from zincsmith.recorded.even import Even
from zincsmith.recorded.file_point import SAME_INPUT, FilePoint, Value, at_line
from zincsmith.recorded.result import Analysed, Figure
from zincsmith.recorded.waveforms import pair_of_records
from zincsmith.rules.harmonics import Draw, load_harmonics

Array = NDArray[np.float64]
Orders = NDArray[np.complex128]

MOST_SAMPLES = 2_000_000


class VoltsAndAmps(Intake):
    """Waveforms of the input; volts and amps may stand in a file each."""

    kind = "power"
    words = "volts and amps over time: harmonics"
    wanted: ClassVar[Mapping[str, str]] = {"time_s": "time", "voltage_V": "input volts", "current_A": "input amps"}
    tells = ("time_s", "voltage_V", "current_A")
    files = 2
    asks_load = True

    def points(self, found: Columns, asked: FileRequest, at: TakenAt) -> Taken:
        """One point with its waveforms."""
        line = line_of(asked)
        point, notes = point_of_waves(
            found, asked.time, asked.voltage, asked.current, line, asked.load_percent, at.recorded_by
        )
        return Taken([point], HarmonicOptions(lines=(line,), loads_percent=(asked.load_percent,)), notes)

    def figures(self, found: Columns, asked: FigureRequest) -> Analysed:
        """Power, power factor, distortion, orders."""
        return analyse_power(found, asked.time, asked.voltage, asked.current)


def point_of_waves(
    found: Columns, time: str, voltage: str, current: str, line: Line, load_percent: float, source: str
) -> tuple[FilePoint, tuple[str, ...]]:
    """A record of volts and amps, and notes about it. InputError for one that does not show order 40, or is no record
    of the mains."""
    even, power = pair_of_records(found, time, voltage, current)
    volts, amps = even.columns
    if len(volts) > MOST_SAMPLES:
        raise InputError(f"{len(volts)} samples are more than {MOST_SAMPLES}: two seconds do", file=str(found.file))
    if power.is_dc or power.current is None or len(power.current) <= ORDERS:
        why = "its volts do not alternate" if power.is_dc else f"it does not show order {ORDERS}"
        raise InputError(f"{why}: harmonics need volts and amps of the mains, 5000 samples a second or more",
                         file=str(found.file))  # fmt: skip
    if power.frequency is not None and abs(power.frequency / line.frequency_Hz - 1.0) > SAME_INPUT:
        raise InputError(f"it shows {power.frequency:.2f} Hz, not {line.frequency_Hz:g}", file=str(found.file))
    waves, samples = [], {}
    for quantity, unit, record in (("input_voltage", "V", volts), ("input_current", "A", amps)):
        data = np.ascontiguousarray(record, dtype="<f8").tobytes()
        sha256 = hashlib.sha256(data).hexdigest()
        samples[sha256] = data
        waves.append(Wave(quantity, unit, even.step_s, len(record), 1.0, sha256, "power_meter", source, "f8"))
    place = f"{found.file.name}, {power.periods} periods"
    values = {
        "input_voltage": power.voltage_rms,
        "input_current": power.current_rms,
        "input_power": power.real_power,
        "power_factor": power.power_factor or 0.0,
    }
    point = FilePoint(
        at_line(line, load_percent),
        {name: Value(value, place) for name, value in values.items()},
        tuple(waves),
        samples,
    )
    return point, even.notes


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
            angles = [_degrees(p.current, p.voltage, k) for k in range(1, min(ORDERS, len(p.current) - 1) + 1)]
            facts["current_phase_deg"] = angles
    return facts


def _degrees(current: Orders, voltage: Orders, order: int) -> float | None:
    """Phase of an order of the current against the fundamental of the volts, which stands at zero; degrees."""
    if abs(current[order]) < 1e-6 * max(1e-12, float(np.max(np.abs(current[1:])))):
        return None
    angle = np.angle(current[order]) - order * np.angle(voltage[1])
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
