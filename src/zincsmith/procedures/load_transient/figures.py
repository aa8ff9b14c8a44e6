"""Dip, rise and recovery at steps of the load, from a record of the volts and, where there is one, of the amps."""

from __future__ import annotations

from typing import Any

from zincsmith.analysis.levels import noise_of
from zincsmith.analysis.load_step import Edge, edges_of, ringing_of
from zincsmith.model.errors import InputError
from zincsmith.procedures.waveforms.traces import (
    AC_LEFT,
    Choices,
    Traces,
    doubt_alike,
    doubt_few_steps,
    errors_of,
    extreme_of,
    figure_of,
)
from zincsmith.recorded.result import Analysed, Mark

ABOUT = ("nominal", "final")
UNITS = {
    "time": "s", "overshoot": "V", "undershoot": "V", "recovery_time": "s", "level_before": "V", "level_after": "V",
}  # fmt: skip
SLOW = 0.2  # of the time to the greatest excursion: a step that takes longer shapes the answer itself
SAMPLES_A_RING = 10.0


def edges_in(traces: Traces, choices: Choices) -> list[Edge]:
    """InputError for a band around what there is not."""
    if choices.about not in ABOUT:
        raise InputError(f"{choices.about!r} is none of {', '.join(ABOUT)}", key="about")
    return edges_of(
        traces.values("output_voltage"), traces.step_s, traces.maybe("output_current"), choices.nominal(),
        choices.band_V(), "final" if choices.about == "final" else "nominal",
    )  # fmt: skip


def _values(traces: Traces, choices: Choices) -> dict[str, float | None]:
    found: dict[str, float | None] = {}
    for n, edge in enumerate(edges_in(traces, choices), 1):
        found |= {
            f"edge{n}_time": traces.begin_s + edge.time_s,
            f"edge{n}_overshoot": edge.over_V,
            f"edge{n}_undershoot": edge.under_V,
            f"edge{n}_recovery_time": edge.recovery_s,
            f"edge{n}_level_before": edge.before_V,
            f"edge{n}_level_after": edge.after_V,
        }
    return found


def load_step(traces: Traces, choices: Choices) -> Analysed:
    """Every edge of the record by its number. InputError for no nominal volts."""
    traces = traces.upright
    value = _values(traces, choices)
    edges = edges_in(traces, choices)
    effects = errors_of(lambda moved: _values(moved, choices), traces, value) if traces.known else None
    figures = {name: figure_of(name, number, UNITS[name.partition("_")[2]], effects) for name, number in value.items()}
    out = Analysed("load-step", figures, _facts(traces, choices, edges))
    out.marks = _marks(traces, choices, edges)
    doubt_alike(out, traces, choices.nominal())
    _doubts(out, traces, choices, edges)
    return out


def with_lowest(out: Analysed, traces: Traces) -> Analysed:
    """With the lowest volts at any instant of the record: the valley of the ripple under the dip, at the terminals the
    probe stands on. What is fed has to live with it."""
    channel = traces.upright.channels["output_voltage"]
    lowest = float(channel.values.min())
    effects = None
    if channel.known:
        effects = {"lowest": {
            "output_voltage: gain": lowest * (channel.gain_u or 0.0), "output_voltage: offset": channel.offset_u or 0.0,
            "output_voltage: noise at an extreme": extreme_of(channel),
        }}  # fmt: skip
    out.figures["lowest"] = figure_of("lowest", lowest, "V", effects)
    return out


def _marks(traces: Traces, choices: Choices, edges: list[Edge]) -> list[Mark]:
    by = "half the step of the current" if "output_current" in traces.channels else "where the volts begin to change"
    found = []
    for n, edge in enumerate(edges, 1):
        at = traces.begin_s + edge.time_s
        found.append(Mark(f"edge {n}", at, by))
        if edge.recovery_s:
            found.append(
                Mark(f"recovered {n}", at + edge.recovery_s, f"last entry into {choices.band} about {choices.about}")
            )
    return found


def _facts(traces: Traces, choices: Choices, edges: list[Edge]) -> dict[str, Any]:
    facts: dict[str, Any] = {
        "edges": len(edges),
        "recovered": [edge.recovery_s is not None for edge in edges],
        "band_V": f"{choices.band_V():.4g}",
        "about": choices.about,
        "sample_rate_Hz": f"{1.0 / traces.step_s:.6g}",
    }
    slews = [edge.slew_A_per_s for edge in edges if edge.slew_A_per_s is not None]
    if slews:
        facts["slew_A_per_us"] = [f"{slew / 1e6:.3g}" for slew in slews]
    rises, falls = ([e.time_s for e in edges if _rises(e) is up] for up in (True, False))
    if len(rises) > 1 and falls:
        period = (rises[-1] - rises[0]) / (len(rises) - 1)
        on = next((f for f in falls if f > rises[0]), None)
        facts["steps_Hz"] = f"{1.0 / period:.6g}"
        if on is not None:
            facts["steps_duty"] = f"{(on - rises[0]) / period:.3g}"
    rings = []
    for k, edge in enumerate(edges):
        end = edges[k + 1].time_s if k + 1 < len(edges) else traces.count * traces.step_s
        after = traces.values("output_voltage")[round(edge.time_s / traces.step_s) : int(end / traces.step_s)]
        ring = ringing_of(after, traces.step_s, edge.after_V) if len(after) > 8 else None
        rings.append(f"{ring.frequency_Hz:.4g} Hz, damping {ring.damping:.2g}" if ring is not None else "none")
    if any(ring != "none" for ring in rings):
        facts["ringing"] = rings
    return facts


def _rises(edge: Edge) -> bool:
    """Of the load; where no current tells, by the volts, which fall as it rises."""
    return edge.after_V < edge.before_V if edge.rises is None else edge.rises


def _doubts(out: Analysed, traces: Traces, choices: Choices, edges: list[Edge]) -> None:
    channel = traces.channels["output_voltage"]
    noise, nominal = noise_of(channel.values), choices.nominal()
    if not edges:
        out.doubt(
            "no_step", "No step stands clear of the noise in this record.",
            "Record the current of the load too, with both edges of the step in the record.",
        )  # fmt: skip
        return
    if channel.coupling == "AC" or all(max(abs(e.before_V), abs(e.after_V)) < AC_LEFT * nominal for e in edges):
        out.doubt(
            "ac_coupled_step",
            "The levels on either side of the step are gone: it was taken with AC coupling, which makes a level "
            "change fade like a recovery.",
            "Take it DC coupled, with an offset.",
        )
    if any(edge.recovery_s is None for edge in edges):
        out.doubt(
            "ends_before_recovery",
            "The output does not stay inside the band before the next edge, or before the record ends.",
            "Record longer, or leave more time between the edges.",
        )
    for n, edge in enumerate(edges, 1):
        doubt_few_steps(out, channel, edge.after_V - edge.before_V, f"Edge {n}: what the level changes by")
        largest = max(edge.over_V, edge.under_V)
        if traces.channels.get("output_current") is None or edge.slew_A_per_s is None or largest < 6.0 * noise:
            continue
        _doubt_slew(out, traces, edges, n)


def _doubt_slew(out: Analysed, traces: Traces, edges: list[Edge], n: int) -> None:
    """A step that takes a good part of the time to the greatest excursion shapes the answer itself."""
    edge, volts, amps = edges[n - 1], traces.values("output_voltage"), traces.values("output_current")
    first = round(edge.time_s / traces.step_s)
    last = round(edges[n].time_s / traces.step_s) if n < len(edges) else traces.count
    after = volts[first:last]
    if len(after) < 3 or edge.slew_A_per_s is None:
        return
    to_peak = float(abs(after - edge.after_V).argmax()) * traces.step_s
    change = abs(float(amps[min(last, traces.count) - 1]) - float(amps[max(0, first - max(4, traces.count // 50))]))
    took = change / edge.slew_A_per_s
    if took > max(SLOW * to_peak, 2.0 * traces.step_s):
        out.doubt(
            "slow_step",
            f"Edge {n}: the current takes {took:.3g} s for its step, the output {to_peak:.3g} s to its furthest point: "
            "the step shapes the answer. The load, or the inductance of its leads, allows no more.",
            "Short, twisted leads and a faster load; or state the slew with the figure.",
        )
