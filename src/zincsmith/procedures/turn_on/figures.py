"""Delay, rise, overshoot and glitches when the input comes."""

from __future__ import annotations

from zincsmith.analysis.turn_on_off import TurnOn, makes_of, signal_rises, turn_on
from zincsmith.model.errors import InputError
from zincsmith.procedures.waveforms.traces import Choices, Traces, doubt_alike, errors_of, figure_of
from zincsmith.recorded.result import Analysed, Mark

THRESHOLD = "90%"
UNITS = {
    "power_good_delay": "s",
    "power_good_level": "V",
    "delay": "s",
    "rise_time": "s",
    "overshoot": "",
    "overshoot_V": "V",
    "minimum": "V",
    "level": "V",
}
FEW = 10.0  # samples over a rise
SHORT = 0.9  # of nominal: an output that ends below has not come up in the record


def _found(traces: Traces, choices: Choices) -> TurnOn:
    start = choices.start_s - traces.begin_s if choices.start_s is not None else None
    if start is not None and not 0.0 <= start < traces.count * traces.step_s:
        raise InputError(f"{choices.start_s:g} s lies outside the record", key="start")
    return turn_on(
        traces.values("output_voltage"), traces.step_s, choices.threshold_V(THRESHOLD), traces.maybe("input_voltage"),
        start,
    )  # fmt: skip


def _values(traces: Traces, choices: Choices) -> dict[str, float | None]:
    one = _found(traces, choices)
    return {
        **_power_good(traces, one),
        "delay": one.delay_s,
        "rise_time": one.rise_s,
        "overshoot": one.overshoot,
        "overshoot_V": one.overshoot * one.level_V if one.overshoot is not None else None,
        "minimum": one.minimum_V,
        "level": one.level_V,
    }


def _power_good(traces: Traces, one: TurnOn) -> dict[str, float | None]:
    """How long after this output the signal says so, and its level; nothing where no channel is joined to it."""
    signal = traces.maybe("signal_voltage")
    if signal is None:
        return {}
    edge = signal_rises(signal, traces.step_s, one.start_s or 0.0)
    there = None if one.start_s is None or one.delay_s is None else one.start_s + one.delay_s
    after = edge.at_s - there if edge is not None and there is not None else None
    return {"power_good_delay": after, "power_good_level": edge.level_V if edge is not None else None}


def turn_on_of(traces: Traces, choices: Choices) -> Analysed:
    """InputError for no nominal volts, or a start that lies outside the record."""
    traces = traces.upright
    one, value = _found(traces, choices), _values(traces, choices)
    effects = errors_of(lambda moved: _values(moved, choices), traces, value) if traces.known else None
    out = Analysed(
        "turn-on",
        {name: figure_of(name, v, UNITS[name], effects) for name, v in value.items()},
        {
            "monotonic": one.monotonic,
            "threshold": choices.threshold or THRESHOLD,
            "sample_rate_Hz": f"{1.0 / traces.step_s:.6g}",
        },
    )
    if one.start_s is not None:
        out.marks.append(Mark("input comes", traces.begin_s + one.start_s, "where the input leaves its background"))
        if one.delay_s is not None:
            at = traces.begin_s + one.start_s + one.delay_s
            out.marks.append(Mark("output is there", at, f"first crossing of {out.facts['threshold']} that stays"))
        out.facts["start_s"] = f"{round(traces.begin_s + one.start_s, 12):.6g}"
    source = traces.maybe("input_voltage")
    makes = makes_of(source, traces.step_s, one.start_s) if source is not None and one.start_s is not None else None
    if makes is not None and one.start_s is not None:
        later = makes.stays_s - one.start_s
        out.facts["input_came"] = f"{makes.count} times, the first counts"
        out.facts["stays_after_s"] = f"{later:.3g}"
        out.marks.append(Mark("input stays", traces.begin_s + makes.stays_s, "the last make of a contact that bounced"))
        shorter = f": from the last it is {1e3 * (one.delay_s - later):.4g} ms" if one.delay_s is not None else ""
        out.doubt(
            "switch_bounces",
            f"The input came {makes.count} times within {1e3 * later:.3g} ms before it stayed. The delay counts from "
            f"the first{shorter}.",
            "Switch with a contact that does not bounce, or by the source, where that decides.",
        )
    if one.glitch_s is not None:
        out.facts["glitch_width_s"] = f"{one.glitch_s:.3g}"
    doubt_alike(out, traces, choices.nominal())
    after = value.get("power_good_delay")
    if after is not None and one.start_s is not None and one.delay_s is not None:
        at = traces.begin_s + one.start_s + one.delay_s + after
        out.marks.append(Mark("power-good", at, "half of its own level, for good"))
    elif "power_good_delay" in value:
        out.doubt(
            "no_power_good", "The signal that says whether the outputs are good does not come in this record.",
            "See where its probe is; record longer; a terminal without a pull-up stays low.",
        )  # fmt: skip
    if after is not None and after < 0.0:
        out.doubt(
            "good_too_early", f"Power-good comes {-1e3 * after:.3g} ms before this output is at its threshold.",
            "What starts by it starts on an output that is not there yet.",
        )  # fmt: skip
    _doubts(out, traces, choices, one)
    return out


def _doubts(out: Analysed, traces: Traces, choices: Choices, one: TurnOn) -> None:
    if one.start_s is None:
        out.doubt(
            "no_start",
            "The record does not show when the input came: there is no channel of it, or it stands from the beginning.",
            "Record the input too, with some time before it comes; or say when it came (--start).",
        )
    if one.level_V < SHORT * choices.nominal():
        out.doubt(
            "not_up",
            f"The record ends with the output at {one.level_V:.3g} V of {choices.nominal():g} V.",
            "Record longer.",
        )
    if one.rise_s is not None and one.rise_s < FEW * traces.step_s:
        out.doubt(
            "sampled_too_slowly",
            f"The rise of {one.rise_s:.3g} s holds {one.rise_s / traces.step_s:.0f} samples.",
            "Record a shorter stretch at a higher rate.",
        )
    if one.monotonic is False:
        out.doubt("not_monotonic", "The output falls back on its way up.", "Fast logic may start twice: look at it.")
