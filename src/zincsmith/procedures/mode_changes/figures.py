"""What a record of a port says that changes its mode, is emptied, starts anew, or stands beside one that does."""

from __future__ import annotations

from collections.abc import Callable

from zincsmith.analysis.mode_change import beside, emptied, mode_change, restart
from zincsmith.model.errors import InputError
from zincsmith.procedures.usb_modes.figures import FIXED, SAFE_0_V, SAFE_5_V
from zincsmith.procedures.waveforms.traces import Array, Choices, Traces, errors_of, figure_of
from zincsmith.recorded.result import Analysed, Mark

CHANGE, DETACH, RESET, BESIDE = "", "detach", "hard reset", "beside"  # what a record is of
Values = dict[str, float | None]
UNITS = {
    "mode_change_time": "s", "mode_change_past": "V", "mode_change_slew": "V/s", "discharge_time": "s",
    "hard_reset_time": "s", "neighbour_dip": "V", "neighbour_out_time": "s",
}  # fmt: skip
# USB Power Delivery 3.1, values from memory: a change settles within 275 ms; its volts stay within half a volt of what
# is allowed once there; no slope is steeper than 30 mV/us; taken off, a port is below 0.8 V within 650 ms; a hard reset
# is over after 650 ms of emptying, at most 1 s without volts and 275 ms of coming back.
MOST = {
    "mode_change_time": 0.275, "mode_change_slew": 30e3, "discharge_time": 0.65, "hard_reset_time": 0.65 + 1.0 + 0.275,
}  # fmt: skip
VALID_V = 0.5


def limits_of(nominal: float) -> tuple[float, float]:
    """What a fixed mode has to keep, V."""
    five = abs(nominal - 5.0) < FIVE_WITHIN
    return SAFE_5_V if five else ((1.0 - FIXED) * nominal, (1.0 + FIXED) * nominal)


FIVE_WITHIN = 0.15  # V: what is called 5 V


def past_allowed_V(nominal: float) -> float:
    """How far beyond its nominal volts a port may go while it changes."""
    return limits_of(nominal)[1] + VALID_V - nominal


def changes_of(traces: Traces, choices: Choices) -> Analysed:
    """InputError for no nominal volts."""
    kind, nominal = choices.record, choices.nominal()
    if kind not in WORK:
        raise InputError(f"{kind!r} is no record of a change of mode", key="record")
    values, marks = WORK[kind](traces.values("output_voltage"), traces.step_s, nominal)
    effects = None
    if traces.known:
        effects = errors_of(
            lambda moved: WORK[kind](moved.values("output_voltage"), moved.step_s, nominal)[0], traces, values
        )
    out = Analysed(
        "change of mode",
        {name: figure_of(name, v, UNITS[name], effects) for name, v in values.items()},
        {"sample_rate_Hz": f"{1.0 / traces.step_s:.6g}"},
    )
    out.marks += [
        Mark(name, traces.begin_s + at, "first, or last, sample beyond its level") for name, at in marks.items()
    ]
    for note in traces.notes:
        out.doubt("read_with_a_note", f"{note[:1].upper()}{note[1:]}.")
    if any(v is None for name, v in values.items() if name.endswith("_time")):
        out.doubt(
            "not_there_in_time",
            "The port is not where it is to be before the record ends, or nothing of it moves.",
            "Look at the record: ask once more, with another cable; record longer.",
        )
    return out


def _seen(**at: float | None) -> dict[str, float]:
    return {name.replace("_", " "): s for name, s in at.items() if s is not None}


def _change(volts: Array, step_s: float, nominal: float) -> tuple[Values, dict[str, float]]:
    one = mode_change(volts, step_s, limits_of(nominal))
    values: Values = {
        "mode_change_time": one.time_s, "mode_change_past": one.past_V, "mode_change_slew": one.slew,
    }  # fmt: skip
    return values, _seen(leaves=one.left_s, is_there=one.settled_s)


def _detach(volts: Array, step_s: float, _: float) -> tuple[Values, dict[str, float]]:
    one = emptied(volts, step_s, SAFE_0_V)
    return {"discharge_time": one.time_s}, _seen(leaves=one.left_s, is_empty=one.settled_s)


def _reset(volts: Array, step_s: float, nominal: float) -> tuple[Values, dict[str, float]]:
    one = restart(volts, step_s, SAFE_0_V, limits_of(nominal))
    return {"hard_reset_time": one.time_s}, _seen(leaves=one.left_s, is_empty=one.gone_s, is_back=one.back_s)


def _beside(volts: Array, step_s: float, nominal: float) -> tuple[Values, dict[str, float]]:
    one = beside(volts, step_s, limits_of(nominal))
    return {"neighbour_dip": max(0.0, nominal - one.lowest_V), "neighbour_out_time": one.out_s}, {}


WORK: dict[str, Callable[[Array, float, float], tuple[Values, dict[str, float]]]] = {
    CHANGE: _change, DETACH: _detach, RESET: _reset, BESIDE: _beside,
}  # fmt: skip
