"""How fast an output collapses when it is shorted."""

from __future__ import annotations

from zincsmith.analysis.turn_on_off import Collapse, collapse
from zincsmith.procedures.waveforms.traces import Choices, Traces, doubt_alike, errors_of, figure_of
from zincsmith.recorded.result import Analysed, Mark

THRESHOLD = "10%"
FEW = 10.0  # samples over a collapse


def _found(traces: Traces, choices: Choices) -> Collapse:
    return collapse(
        traces.values("output_voltage"), traces.step_s, choices.nominal(), choices.threshold_V(THRESHOLD),
        traces.maybe("output_current"),
    )  # fmt: skip


def collapse_of(traces: Traces, choices: Choices) -> Analysed:
    """InputError for no nominal volts."""
    traces = traces.upright
    one = _found(traces, choices)
    value = {"collapse_time": one.time_s}
    effects = (
        errors_of(lambda moved: {"collapse_time": _found(moved, choices).time_s}, traces, value)
        if traces.known else None
    )  # fmt: skip
    out = Analysed(
        "short",
        {"collapse_time": figure_of("collapse_time", one.time_s, "s", effects)},
        {
            "threshold": choices.threshold or THRESHOLD,
            "start": "half the step of the current" if "output_current" in traces.channels else "90 % of nominal",
            "sample_rate_Hz": f"{1.0 / traces.step_s:.6g}",
        },
    )
    doubt_alike(out, traces, choices.nominal())
    gone = f"below {out.facts['threshold']} for 1 ms"
    for name, at, rule in (("short", one.start_s, str(out.facts["start"])), ("collapsed", one.below_s, gone)):
        if at is not None:
            out.marks.append(Mark(name, traces.begin_s + at, rule))
    if one.start_s is None:
        out.doubt("no_short", "The record does not show the short begin.", "Record some time before it.")
    if one.below_s is None:
        out.doubt(
            "no_collapse", "The output does not stay below its threshold in this record.",
            "The cable may keep the unit in its current limit: look at the current.",
        )  # fmt: skip
    elif one.time_s is not None and one.time_s < FEW * traces.step_s:
        out.doubt(
            "sampled_too_slowly",
            f"The collapse of {one.time_s:.3g} s holds {one.time_s / traces.step_s:.0f} samples.",
            "Record a shorter stretch at a higher rate.",
        )
    return out
