"""How a node switches: frequency, evenness, duty, and the highest volts against what its parts stand."""

from __future__ import annotations

from zincsmith.analysis.inductor_ramp import ramp_of
from zincsmith.analysis.switching import Switching, cycles_of, switching_of
from zincsmith.model.rig import NO_CONTACT
from zincsmith.procedures.waveforms.traces import Traces, doubt_alike, extreme_of, figure_of
from zincsmith.recorded.result import Analysed, Figure

UNITS = {"frequency": "Hz", "jitter": "s", "duty": "", "period_spread": "", "peak": "V", "current_peak": "A",
         "ramp_bend": ""}  # fmt: skip
BENDS = 1.2  # times as steep at its end: a core that saturates; common practice, no source
FEW_A_CYCLE = 20.0  # samples: fewer tell nothing of its evenness


def switching_node_of(traces: Traces, record: str = "") -> Analysed:
    """Without contact there are no volts: peak, edges and ringing are withheld, and so is the duty."""
    channel = traces.channels["node_voltage"]
    contact = channel.ground != NO_CONTACT
    one = switching_of(channel.values, traces.step_s, contact)
    out = Analysed("switching-node")
    out.figures = _figures(traces, one, contact)
    if record:
        out.facts["record"] = record
    out.facts["sample_rate_Hz"] = f"{1.0 / traces.step_s:.6g}"
    if not contact:
        out.facts["volts"] = "none: the probe does not touch the node"
    else:
        doubt_alike(out, traces, None)
    bend = out.figures["ramp_bend"]
    if bend.value is not None and bend.value > BENDS + 2.0 * (bend.u or 0.0):
        out.doubt(
            "core_saturates",
            f"At the end of its ramp the current climbs {bend.value:.3g} times as fast as before: the core saturates.",
            "Do not go on to more load or a lower line; look for a shorted turn, a wrong core or a slow limit.",
        )
    if one is None:
        out.doubt(
            "does_not_switch", "Fewer than eight cycles stand clear of the noise in this record.",
            "Record longer, or hold the probe nearer.",
        )  # fmt: skip
        return out
    out.facts["cycles"] = one.cycles
    out.facts["stability"] = one.stability
    if one.missing:
        out.facts["cycles_skipped"] = one.missing
    if one.stability == "alternating":
        out.facts["alternates_by_percent"] = f"{100.0 * one.alternates:.2g}"
    if one.frequency_Hz * traces.step_s * FEW_A_CYCLE > 1.0:
        out.doubt(
            "sampled_too_slowly", "A cycle holds fewer than twenty samples: its evenness is that of the sampling.",
            "Record faster.",
        )  # fmt: skip
    return out


def _figures(traces: Traces, one: Switching | None, contact: bool) -> dict[str, Figure]:
    value: dict[str, float | None] = dict.fromkeys(UNITS)
    effects: dict[str, dict[str, float]] = {name: {} for name in UNITS}
    if one is not None:
        value |= {"frequency": one.frequency_Hz, "jitter": one.jitter_s, "period_spread": one.spread, "duty": one.duty}
        effects["frequency"] = {
            "edges as sampled": one.frequency_u_Hz, "time base": one.frequency_Hz * traces.timebase_u,
        }  # fmt: skip
        sampled = traces.step_s * (2.0 / 12.0) ** 0.5
        effects["jitter"] = {"edges as sampled": sampled}
        effects["period_spread"] = {"edges as sampled": sampled * one.frequency_Hz}
        effects["duty"] = {"edges as sampled": sampled * one.frequency_Hz}
    channel = traces.channels["node_voltage"]
    if contact:
        peak = value["peak"] = float(channel.values.max())
        effects["peak"] = {
            "node_voltage: gain": peak * (channel.gain_u or 0.0), "node_voltage: offset": channel.offset_u or 0.0,
            "node_voltage: noise at an extreme": extreme_of(channel),
        }  # fmt: skip
    amps = traces.channels.get("node_current")
    if amps is not None:
        top = value["current_peak"] = float(amps.values.max())
        effects["current_peak"] = {
            "node_current: gain": top * (amps.gain_u or 0.0), "node_current: offset": amps.offset_u or 0.0,
            "node_current: noise at an extreme": extreme_of(amps),
        }  # fmt: skip
        ramp = ramp_of(amps.values, *cycles_of(channel.values)) if contact and one is not None else None
        if ramp is not None:
            value["ramp_bend"] = ramp.bend
            effects["ramp_bend"] = {"spread of the ramps": ramp.bend_u}
    of_time = ("frequency", "jitter", "period_spread", "duty", "ramp_bend")
    return {
        name: figure_of(name, value[name], UNITS[name], effects if traces.known or name in of_time else None)
        for name in UNITS
    }
