"""What flows into a short, and what the unit does, from the log of a trial."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from zincsmith.analysis.leads import PVC_DEGC, adiabatic_degC
from zincsmith.model.finding import Finding
from zincsmith.procedures.base import Section
from zincsmith.procedures.overcurrent.figures import protection_figures
from zincsmith.procedures.waveforms.traces import Choices, Traces, combined
from zincsmith.recorded.result import Analysed, Figure

LOG, BY_CONTACTOR = "log", "log, contactor"  # a load tells what flows through it, a contactor does not
AMMETER = "ammeter_current"
BELOW = 0.5  # of nominal: shorted
SETTLES = 0.25  # of the stretch that is shorted: before what flows is taken
INTO_LEADS = 0.01  # of nominal: more is no short at its terminals; common practice, no source
ROOM_DEGC = 25.0
FEEDS = 0.05  # of the rated current: less is nothing


def _tell_leads(out: Analysed, squares_A2s: float, area_mm2: float) -> None:
    """How hot the leads got at most, if they gave no heat away: from a warm room on."""
    hot = adiabatic_degC(squares_A2s**0.5, area_mm2, 1.0, ROOM_DEGC)
    out.facts["leads_at_most_degC"] = f"{hot:.3g}"
    if hot > PVC_DEGC:
        out.doubt(
            "leads_get_hot",
            f"{area_mm2:g} mm² of copper may have come to {hot:.0f} °C in this trial: common insulation stands "
            f"{PVC_DEGC:g} °C for good.",
            "Thicker leads, or a shorter hold; let them cool between trials.",
        )


def over_the_short(findings: Sequence[Finding]) -> Section | None:
    """By volts as set, load before and what it was shorted with: what flowed, what was left, what it did."""
    left = {_place(one): one for one in findings if one.name == "short_circuit_residual"}
    rows = []
    for one in findings:
        beside = left.get(_place(one))
        if one.name != "short_circuit_current" or beside is None:
            continue
        draw, mode = one.at.draw, one.at.mode()
        by = f"{draw.level:g} Ω" if draw.law == "CR" and draw.level is not None else "the short"
        before = f"{draw.share_percent:g} %" if draw.share_percent is not None else "–"
        where = (one.output, one.at.at_line.words, str(mode) if mode else "")
        rows.append((
            ", ".join(x for x in where if x), before, by,
            _shown(one), _shown(beside), one.working.formula,
        ))  # fmt: skip
    if len(rows) < 2:  # one is no map: it stands among the findings
        return None
    columns = ("where", "load before", "shorted with", "amps", "volts left", "what it did")
    return Section("Short circuit", (
        "What flows into a short and what is left at it, over what it was shorted with.",
    ), columns, tuple(rows))  # fmt: skip


def _place(one: Finding) -> tuple[object, ...]:
    return one.output, one.at


def _shown(one: Finding) -> str:
    return f"{one.value:.3g} {one.unit}" if one.value is not None else "not read"


def shorted_figures(traces: Traces, choices: Choices) -> Analysed:
    """Middle amps, volts and input watts while it is shorted, the greatest amps, and how it came back."""
    beside = choices.record == BY_CONTACTOR
    if beside and AMMETER in traces.channels:
        traces = replace(traces, channels={**traces.channels, "output_current": traces.channels[AMMETER]})
    unread = beside and AMMETER not in traces.channels
    out = protection_figures(traces, choices)
    volts, amps = np.abs(traces.values("output_voltage")), np.abs(traces.values("output_current"))
    asked = traces.maybe("load_set")
    over = asked > 1.02 * choices.rated() if asked is not None else volts < BELOW * choices.nominal()
    places = np.flatnonzero(over)
    inside = places[int(SETTLES * len(places)) :] if len(places) else places
    step = traces.step_s

    def middle(values: np.ndarray | None, unit: str, quantity: str) -> Figure:
        if values is None or not len(inside):
            return Figure(None, unit)
        value, of = float(np.mean(values[inside])), traces.channels[quantity]
        if not of.known:
            return Figure(value, unit)
        effects = {f"{quantity}: gain": (of.gain_u or 0.0) * abs(value), f"{quantity}: offset": of.offset_u or 0.0}
        return Figure(value, unit, combined(effects), effects=effects)

    out.figures["short_current"] = middle(amps, "A", "output_current") if not unread else Figure(None, "A")
    out.figures["residual_voltage"] = middle(volts, "V", "output_voltage")
    watts = traces.maybe("input_power")
    if watts is not None:
        out.figures["short_input_power"] = middle(watts, "W", "input_power")
    current = out.figures["short_current"].value
    feeds = current is not None and current > FEEDS * choices.rated()
    if unread:
        out.facts["protection"] = "not-seen"
        out.doubt(
            "amps_not_read", "The contactor carries what flows, and nothing reads it: what it does is not told.",
            "An ammeter, or a shunt, in the lead to the contactor.",
        )  # fmt: skip
    out.facts["keeps_feeding_the_short"] = feeds
    left = out.figures["residual_voltage"].value
    if choices.short_ohm:
        out.facts["short_ohm"] = choices.short_ohm
    elif feeds and current and left is not None and left > INTO_LEADS * choices.nominal():
        out.doubt(
            "limits_into_leads",
            f"{left:.3g} V are left at {current:.3g} A: {1e3 * left / current:.3g} mΩ of short, contact and leads. "
            "It limits into them; a shorter way may trip it.",
            "Short it at its terminals, and say the ohm that the rest has.",
        )  # fmt: skip
    out.facts["held_s"] = f"{len(places) * step:.3g}"
    if choices.lead_mm2 and not unread:
        _tell_leads(out, float(np.sum(amps[places] ** 2)) * step, choices.lead_mm2)
    return out
