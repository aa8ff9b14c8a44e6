"""How a motor starts at an output that alternates: from a record within which a person switched it on."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zincsmith.analysis.periodic import fundamental
from zincsmith.analysis.wave_shape import A_HALF, half_periods
from zincsmith.procedures.waveforms.findings import Named
from zincsmith.procedures.waveforms.traces import Choices, Traces, doubt_alike, errors_of, figure_of
from zincsmith.recorded.result import Analysed, Mark

Array = NDArray[np.float64]

MOTOR = "motor"
VOLTS, AMPS = "output_voltage", "output_current"
BEGUN, LEAST_BEFORE = 0.1, 5  # of its greatest amps; half periods in which nothing has begun
END = 0.1  # of the record, at its end: what it came to
RAN_UP = 0.6  # of its greatest amps: at most so many are left once it runs. Common practice, no source
FALLEN = 0.1  # of the way from the greatest amps to the last: there its run-up is over
GONE = 0.5  # of the volts before: an output that went away
LEAST = 0.05  # of the rated amps: less than that is nothing switched on
ROWS = (
    ("motor_va", "motor_start_va", "Volt-amperes of a motor's start", "VA", "greatest half period: rms times rms"),
    ("motor_amps", "motor_start_amps", "Amps of a motor's start, rms", "A", "greatest half period"),
    (
        "motor_times",
        "motor_start_times",
        "Amps of a motor's start, times those it runs at",
        "1",
        "period by period, without the direct part of the first ones",
    ),
    ("motor_runs", "motor_running_amps", "Amps of a motor that runs, rms", "A", "end of the record"),
    ("motor_dip", "motor_dip", "Dip of the rms as a motor starts", "1", "of the rms before, half period by half"),
    ("motor_up", "motor_run_up_time", "A motor's run-up", "s", "until its amps have fallen nine tenths of their way"),
)
UNITS = {key: unit for key, _, _, unit, _ in ROWS}


@dataclass(frozen=True)
class _Start:
    """What a record shows; ``why`` of one that shows no start."""

    values: dict[str, float | None]
    begins_s: float | None = None
    up_s: float | None = None
    why: tuple[str, str, str] | None = None


def motor_of(traces: Traces, choices: Choices) -> Analysed:
    """Figures of a start; where it did not come about, the doubt tells what happened instead."""
    one = _start(traces, choices.rated_A)
    effects = errors_of(lambda m: _start(m, choices.rated_A).values, traces, one.values) if traces.known else None
    figures = {key: figure_of(key, value, UNITS[key], effects) for key, value in one.values.items()}
    out = Analysed("start of a motor", figures, {"record": MOTOR, "motor_started": one.why is None})
    doubt_alike(out, traces, None)
    if one.why is not None:
        out.doubt(*one.why)
    for name, at, rule in (
        ("switched on", one.begins_s, "amps beyond a tenth of their greatest"),
        ("runs", one.up_s, "amps have fallen nine tenths of their way"),
    ):
        if at is not None:
            out.marks.append(Mark(name, traces.begin_s + at, rule))
    return out


def _start(traces: Traces, rated_A: float | None) -> _Start:
    volts, amps = traces.values(VOLTS), traces.maybe(AMPS)
    values: dict[str, float | None] = dict.fromkeys(UNITS)
    hertz = _hertz(volts, traces.step_s)
    if amps is None or hertz is None:
        text = "Volts that repeat and amps beside them are needed for the start of a motor."
        return _Start(values, why=("no_start", text, "Record both, from before it is switched on."))
    taken, times = half_periods(amps, traces.step_s, hertz)
    stood, _ = half_periods(volts, traces.step_s, hertz)
    most = float(np.max(taken))
    begun = int(np.argmax(taken > BEGUN * most))
    before = times <= times[begun] - 0.5 / hertz
    if most < LEAST * (rated_A or 0.0) or times[begun] < 0.5 * LEAST_BEFORE / hertz:
        text = "No motor is switched on within this record, or it was on before the record began."
        return _Start(values, why=("no_start", text, "Record once more, from a second before it is switched on."))
    level = float(np.median(stood[before]))
    begins = float(times[begun]) + 0.5 / hertz  # the end of the half period that sees it first
    # The first periods may carry a direct part as large as the crest: it says nothing of whether the shaft turns.
    turning, when = _periods(amps, traces.step_s, hertz)
    at_rest, ends = float(np.max(turning)), float(np.median(turning[when >= (1.0 - END) * when[-1]]))
    left = float(np.median(stood[times >= (1.0 - END) * times[-1]]))
    lowest = float(np.min(stood[begun:]))
    values |= {"motor_va": float(np.max(stood * taken)), "motor_amps": most, "motor_dip": 1.0 - lowest / level}
    if left < GONE * level:
        text = f"The output went away {_when(times, stood < GONE * level, begins)} after the motor was switched on."
        return _Start(values, begins, why=("motor_output_gone", text, "It does not start this motor."))
    if ends > RAN_UP * at_rest:
        text = f"At the end of the record the motor still takes {ends:.3g} A of {at_rest:.3g} A: it has not run up."
        told = "Switch a motor that stands still off at once; record longer where it does turn."
        return _Start(values, begins, why=("motor_not_up", text, told))
    above = np.flatnonzero(turning > ends + FALLEN * (at_rest - ends))
    up = float(when[above[-1]]) + 0.5 / hertz  # the middle of the last period above
    values |= {"motor_times": most / ends if ends > 0.0 else None, "motor_runs": ends, "motor_up": up - begins}
    return _Start(values, begins, up)


def _hertz(volts: Array, step_s: float) -> float | None:
    """Of the beginning: it may not be there any more at the end."""
    return fundamental(volts[: max(16, round(0.5 / step_s))], step_s)


def _periods(amps: Array, step_s: float, hertz: float) -> tuple[Array, Array]:
    """(rms without the mean, the moment it begins in s) of whole periods that overlap, a twentieth apart."""
    length = round(1.0 / (hertz * step_s))
    squares, sums = (np.concatenate([[0.0], np.cumsum(x)]) for x in (amps**2, amps))
    begins = np.arange(0, len(amps) - length + 1, max(1, length // A_HALF))
    mean = (sums[begins + length] - sums[begins]) / length
    left = np.maximum(0.0, (squares[begins + length] - squares[begins]) / length - mean**2)
    return np.asarray(np.sqrt(left), dtype=np.float64), np.asarray(begins * step_s, dtype=np.float64)


def _when(times: Array, gone: NDArray[np.bool_], begins: float) -> str:
    return f"{1e3 * max(0.0, float(times[int(np.argmax(gone & (times > begins)))]) - begins):.0f} ms"


def named(found: Analysed) -> Sequence[Named]:
    """Those that there are."""
    return tuple(Named(name, title, unit, found.figures[key], note) for key, name, title, unit, note in ROWS)
