"""Peak and heating of the current that rushes in."""

from __future__ import annotations

import math

from zincsmith.analysis.inrush import Inrush, inrush_of
from zincsmith.analysis.turn_on_off import phase_at
from zincsmith.procedures.waveforms.traces import Choices, Traces, errors_of, figure_of
from zincsmith.recorded.result import Analysed, Mark

UNITS = {"peak": "A", "i2t": "A2s", "time": "s"}
NEAR_LIMIT = 0.95  # of the limit of the source: a peak beyond that may be the source's own
FEW = 10.0  # samples over the pulse
CREST_DEG = 15.0  # from the crest of the mains: so near counts as switched there


def _found(traces: Traces) -> Inrush | None:
    return inrush_of(traces.values("input_current"), traces.step_s)


def _values(traces: Traces) -> dict[str, float | None]:
    one = _found(traces)
    if one is None:
        return dict.fromkeys(UNITS)
    return {"peak": one.peak_A, "i2t": one.squares_A2s, "time": one.time_s}


def inrush_figures(traces: Traces, choices: Choices) -> Analysed:
    """The first pulse, and at which phase of the mains it began where its volts were recorded."""
    one, value = _found(traces), _values(traces)
    effects = errors_of(_values, traces, value) if traces.known else None
    out = Analysed("inrush", {name: figure_of(name, v, UNITS[name], effects) for name, v in value.items()})
    if choices.record:
        out.facts["record"] = choices.record
    out.facts["sample_rate_Hz"] = f"{1.0 / traces.step_s:.6g}"
    if one is None:
        out.doubt(
            "no_inrush", "No current stands clear of the noise in this record.", "Look at the trigger and the probe."
        )
        return out
    out.marks = [
        Mark("rushes in", traces.begin_s + one.begin_s, "a tenth of the largest current"),
        Mark("has died down", traces.begin_s + one.begin_s + one.time_s, "a tenth of the peak"),
    ]
    if one.spike_A is not None:
        out.facts["x_capacitor_spike_A"] = f"{one.spike_A:.3g}"
    if one.time_s < FEW * traces.step_s:
        out.doubt("sampled_too_slowly", "The pulse holds fewer than ten samples.", "Record a shorter stretch.")
    _doubt_phase(out, traces, choices, one)
    _doubt_source(out, choices, one)
    return out


def _doubt_source(out: Analysed, choices: Choices, one: Inrush) -> None:
    """The peak is that of this unit on this source: what stands in the way of it, and whether the source limits."""
    if choices.source_ohm is not None:
        out.facts["source_ohm"] = f"{choices.source_ohm:g} ohm"
    else:
        out.doubt(
            "source_impedance_unknown",
            "Nobody stated what stands between source and unit: on stiffer mains more rushes in than here.",
            "State the ohm of the source with its leads at Rig; leave out a variable or isolating transformer.",
        )
    limit = choices.source_limit_A
    if limit is not None and one.peak_A > NEAR_LIMIT * limit:
        out.doubt(
            "source_limits_inrush",
            f"The peak of {one.peak_A:.3g} A comes up to where the source limits by itself, {limit:g} A.",
            "Raise its limit, or use mains with a fuse that stands it.",
        )


def _doubt_phase(out: Analysed, traces: Traces, choices: Choices, one: Inrush) -> None:
    volts = traces.maybe("input_voltage")
    if volts is None or choices.line_Hz is None:
        return
    phase = phase_at(volts, traces.step_s, choices.line_Hz, one.begin_s)
    if phase is None:
        return
    out.facts["phase_deg"] = round(phase, 1)
    off = min(abs((phase - crest + 180.0) % 360.0 - 180.0) for crest in (90.0, 270.0))
    if off > CREST_DEG:
        share = 100.0 * abs(math.sin(math.radians(phase)))
        out.doubt(
            "not_at_the_crest",
            f"The input came {off:.0f} degrees from the crest of the mains, at {share:.0f} % of it: at the crest more "
            "rushes in.",
            "Switch it on again and again until it comes at the crest, or with a source that can be told the phase.",
        )
