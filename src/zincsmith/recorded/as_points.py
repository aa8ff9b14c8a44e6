"""Points out of recorded files: what a file holds, as a run would have taken it."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from zincsmith.analysis.power import ORDERS
from zincsmith.formats.columns import Columns
from zincsmith.model.errors import InputError
from zincsmith.model.operating_point import Draw, Feed, OperatingPoint
from zincsmith.model.plan import Line
from zincsmith.model.reading import Wave
from zincsmith.recorded.even import LONG_GAP, longest_gap_s
from zincsmith.recorded.points import BASES, NEAR_PERCENT, SAME_INPUT
from zincsmith.recorded.standby_record import watts_over_time
from zincsmith.recorded.waveforms import pair_of_records

Array = NDArray[np.float64]

QUANTITY = {name: name.rpartition("_")[0] for name in BASES if name not in ("load_percent", "power_factor")} | {
    "power_factor": "power_factor"
}
OF_A_SWEEP = ("input_voltage_V", "input_power_W", "output_voltage_V", "output_current_A")
USUAL_LOADS = (110.0, 100.0, 75.0, 50.0, 25.0, 10.0, 0.0)
BLOCK_S = 60.0
MOST_ROWS = 2000  # of a table of points
MOST_SAMPLES = 2_000_000


@dataclass(frozen=True)
class Value:
    """What a file says of one quantity: a number, or the mean of ``count`` with their standard deviation."""

    value: float
    text: str
    spread: float | None = None
    count: int = 1
    row: int | None = None


@dataclass(frozen=True)
class FilePoint:
    """One point; ``waves`` are named by the hash of their ``samples``."""

    at: OperatingPoint
    values: dict[str, Value]
    waves: tuple[Wave, ...] = ()
    samples: dict[str, bytes] = field(default_factory=dict)


def points_of_table(
    found: Columns,
    lines: Sequence[Line],
    frequency_Hz: float | None,
    rated_A: float,
    rated_W: float,
    needed: Sequence[str] = OF_A_SWEEP,
) -> list[FilePoint]:
    """One point a row, with at least the columns ``needed``. ``lines`` are the inputs that the unit is tested at: rows
    near one belong to it; for others the frequency has to be known. InputError for what is no such table."""
    columns: Mapping[str, Array] = {n: c for n, base in BASES.items() if (c := found.find(n, base)) is not None}
    missing = [n for n in needed if n not in columns]
    if missing:
        heads = ", ".join(list(found.values)[:12])
        raise InputError(f"there is no column {' and no '.join(missing)}; there are: {heads}", file=str(found.file))
    count = len(columns["input_voltage_V"])
    if count > MOST_ROWS:
        raise InputError(
            f"{count} rows are more than {MOST_ROWS}: a record over time is taken in as standby or power",
            file=str(found.file),
        )
    out = []
    for row in range(count):
        place = f"{found.file.name}, row {row + 1}"
        values = {
            QUANTITY[n]: Value(float(c[row]), place, row=row)
            for n, c in columns.items()
            if n in QUANTITY and c[row] == c[row]
        }
        if "input_voltage" not in values:
            raise InputError("a row says nothing of the input volts", file=str(found.file), line=_line(found, row))
        line = _line_near(values["input_voltage"].value, lines, frequency_Hz, found, row)
        load = _load(columns, row, values, rated_A, rated_W)
        if load is None:
            raise InputError("a row says nothing of its load", file=str(found.file), line=_line(found, row))
        out.append(FilePoint(_at(line, load), values))
    if not out:
        raise InputError("it holds no row", file=str(found.file))
    return out


def points_of_standby(found: Columns, time: str, power: str, line: Line) -> tuple[list[FilePoint], tuple[str, ...]]:
    """A record of watts as means of about a minute, whole bursts each, and notes about it. InputError for what is no
    such record."""
    t, p, seen = watts_over_time(found, time, power)
    block = seen.burst_s * max(1, round(BLOCK_S / seen.burst_s)) if seen.bursts and seen.burst_s else BLOCK_S
    out = []
    step = float(np.median(np.diff(t)))
    count = int((float(t[-1] - t[0]) + 1.5 * step) / block)
    # Each sample stands until the next one comes, but not for a gap.
    stand = np.minimum(np.diff(t, append=float(t[-1]) + step), LONG_GAP * step)
    edges = np.searchsorted(t, float(t[0]) + block * np.arange(count + 1) - 0.25 * step)
    for n, (first, last) in enumerate(pairwise(edges)):
        if last - first < 2:
            continue
        begin = float(t[0]) + n * block
        part, stands = p[first:last], stand[first:last]
        place = f"{found.file.name}, {begin:g} to {begin + block:g} s"
        mean = Value(float(np.dot(stands, part) / np.sum(stands)), place, float(np.std(part, ddof=1)), len(part))
        out.append(
            FilePoint(
                replace(_at(line, 0.0), elapsed_s=begin - float(t[0]) + block),
                {"input_power": mean},
            )
        )  # fmt: skip
    if not out:
        raise InputError(f"it is shorter than a mean of {block:g} s: record for 15 min", file=str(found.file))
    gap = longest_gap_s(t)
    return out, () if gap is None else (f"nothing was recorded for {gap:.3g} s; a burst may lie there",)


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
        _at(line, load_percent),
        {name: Value(value, place) for name, value in values.items()},
        tuple(waves),
        samples,
    )
    return point, even.notes


def _at(line: Line, load_percent: float) -> OperatingPoint:
    return OperatingPoint((Feed(line.voltage_V, line.frequency_Hz),), (Draw(load_percent),))


def _line(found: Columns, row: int) -> int | None:
    return found.line + row if found.line is not None else None


def _line_near(volts: float, lines: Sequence[Line], frequency_Hz: float | None, found: Columns, row: int) -> Line:
    near = [x for x in lines if abs(volts - x.voltage_V) <= SAME_INPUT * x.voltage_V]
    if near:
        return min(near, key=lambda x: abs(volts - x.voltage_V))
    if frequency_Hz is None:
        known = ", ".join(x.words for x in lines)
        raise InputError(
            f"{volts:g} V is none of the lines of this unit ({known}): say its frequency", file=str(found.file),
            line=_line(found, row),
        )  # fmt: skip
    return Line(round(volts), frequency_Hz)


def _load(
    columns: Mapping[str, Array], row: int, values: Mapping[str, Value], rated_A: float, rated_W: float
) -> float | None:
    """The load in percent as it stands, else by amps; near a usual one it is that."""
    percent: float | None = None
    if "load_percent" in columns and columns["load_percent"][row] == columns["load_percent"][row]:
        percent = float(columns["load_percent"][row])
    elif "output_current" in values and rated_A > 0.0:
        percent = 100.0 * values["output_current"].value / rated_A
    elif {"output_current", "output_voltage"} <= values.keys() and rated_W > 0.0:
        percent = 100.0 * values["output_current"].value * values["output_voltage"].value / rated_W
    if percent is None:
        return None
    usual = min(USUAL_LOADS, key=lambda x: abs(x - percent))
    return usual if abs(usual - percent) <= NEAR_PERCENT else round(percent, 1)
