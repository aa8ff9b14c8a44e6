"""How long an output lasts when its input goes."""

from __future__ import annotations

import math

from zincsmith.analysis.turn_on_off import Departure, HoldUp, departure_from_course, hold_up, signal_falls
from zincsmith.procedures.waveforms.traces import Channel, Choices, Traces, doubt_alike, errors_of, figure_of
from zincsmith.recorded.result import Analysed, Mark

THRESHOLD = "90%"


def _found(traces: Traces, choices: Choices, known: tuple[Channel, Departure | None]) -> HoldUp:
    """``known``: a channel of the input, and where it left its course; another channel is looked at anew."""
    one = traces.channels["input_voltage"]
    left = known[1] if one is known[0] else None
    return hold_up(traces.values("output_voltage"), one.values, traces.step_s, choices.threshold_V(THRESHOLD), left)


def _values(traces: Traces, one: HoldUp) -> dict[str, float | None]:
    """With how long before this output is gone the signal says so, where a channel is joined to it."""
    signal = traces.maybe("signal_voltage")
    if signal is None:
        return {"hold_up_time": one.time_s}
    edge = signal_falls(signal, traces.step_s)
    warned = one.below_s - edge.at_s if edge is not None and one.below_s is not None else None
    return {"hold_up_time": one.time_s, "power_good_warning": warned}


def hold_up_of(traces: Traces, choices: Choices) -> Analysed:
    """InputError for no nominal volts."""
    traces = traces.upright
    source = traces.channels["input_voltage"]
    known = source, departure_from_course(source.values, traces.step_s)
    one = _found(traces, choices, known)
    value = _values(traces, one)
    effects = None
    if traces.known and one.time_s is not None:
        # What the errors of the input do is told by how well the moment of its removal is known.
        effects = errors_of(
            lambda moved: _values(moved, _found(moved, choices, known)), traces, value, ("input_voltage",)
        )
        effects["hold_up_time"]["moment of removal"] = one.removed_u_s
    out = Analysed(
        "hold-up",
        {name: figure_of(name, v, "s", effects) for name, v in value.items()},
        {"threshold": choices.threshold or THRESHOLD, "sample_rate_Hz": f"{1.0 / traces.step_s:.6g}"},
    )
    if one.below_s is not None:
        rule = f"first crossing of {out.facts['threshold']} that stays"
        out.marks.append(Mark("output is gone", traces.begin_s + one.below_s, rule))
    if one.removed_s is not None:
        out.marks.append(
            Mark("input goes", traces.begin_s + one.removed_s, "where the input leaves its continued course")
        )
        out.facts["removed_s"] = f"{round(traces.begin_s + one.removed_s, 12):.6g}"
    if one.phase_deg is not None:
        out.facts["phase_deg"] = round(one.phase_deg, 1) % 360.0
    warned = value.get("power_good_warning")
    if warned is not None and one.below_s is not None:
        at = traces.begin_s + one.below_s - warned
        out.marks.append(Mark("power-good goes", at, "half of its own level, for good"))
    elif "power_good_warning" in value:
        out.doubt(
            "no_power_good", "The signal that says whether the outputs are good was not high, or does not go, here.",
            "See where its probe is; a terminal without a pull-up stays low.",
        )  # fmt: skip
    if warned is not None and warned < 0.0:
        out.doubt(
            "warned_too_late", f"Power-good goes {-1e3 * warned:.3g} ms after this output.",
            "What is to save its data by it has lost its supply before.",
        )  # fmt: skip
    doubt_alike(out, traces, choices.nominal())
    _doubts(out, traces, one)
    return out


def _doubts(out: Analysed, traces: Traces, one: HoldUp) -> None:
    if one.removed_s is None:
        out.doubt(
            "input_stays",
            "The input does not leave its course in this record, or too little of it stands before to know its course.",
            "Record a period or more before the input goes.",
        )
    if one.below_s is None:
        out.doubt(
            "ends_before_fall",
            "The output does not fall below its threshold, or not for good, before the record ends.",
            "Record longer.",
        )
    elif one.removed_s is not None and math.isclose(one.below_s, one.removed_s, abs_tol=traces.step_s):
        out.doubt(
            "falls_with_input", "The output stands below its threshold from the moment the input goes.",
            "Look whether the unit was running.",
        )  # fmt: skip
