"""Figures of ripple and noise, from a record of the volts of an output."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from zincsmith.analysis.ripple import (
    LEAST_CYCLES,
    LIMITED_FROM_HZ,
    Packets,
    Ripple,
    corrected_rms,
    folds_back,
    packets_of,
    ripple_of,
)
from zincsmith.procedures.waveforms.traces import Channel, Choices, Traces, combined, doubt_alike
from zincsmith.recorded.result import Analysed, Figure

PICK_UP = "pick-up"  # a record with tip and ground of the probe at one node
SURE_FROM_HZ = 500e6  # a sample rate at which the limited figure is that of its definition
DOMINATES = 10.0 ** (3.0 / 20.0)  # 3 dB
FEW_CYCLES = 0.006  # over the square of the cycles: how well the frequency is told; by seeded triangles, no source
VOLTS = ("peak_to_peak", "peak_to_peak_limited", "percentile_peak_to_peak", "line_peak_to_peak",
         "switching_peak_to_peak", "spike_peak_to_peak")  # fmt: skip


def ripple_figures(traces: Traces, choices: Choices, backgrounds: Sequence[Traces]) -> Analysed:
    """Peak to peak, rms and their parts. ValueError below 16 samples."""
    channel = traces.channels["output_voltage"]
    ripple = ripple_of(channel.values, traces.step_s, choices.line_Hz, choices.bandwidth_Hz)
    about = channel.values - ripple.dc_level_V
    packets = packets_of(about, traces.step_s, ripple.switching.frequency_Hz if ripple.switching else None)
    figures = _figures(ripple, packets)
    if channel.coupling == "AC":
        figures["dc_level"] = Figure(None, "V")
    out = Analysed("ripple", _with_errors(figures, channel, traces), _facts(ripple, packets, choices))
    doubt_alike(out, traces, choices.nominal_V if channel.coupling != "AC" else None)
    if backgrounds:
        _against_background(out, ripple, channel, backgrounds[0].channels["output_voltage"])
        _doubt_changed(out, [float(np.std(one.values("output_voltage"))) for one in backgrounds])
    _doubts(out, ripple, traces, choices)
    if choices.record != "long" and folds_back(about, traces.step_s, channel.bandwidth_Hz):
        out.doubt(
            "aliasing",
            f"At {1.0 / traces.step_s:.3g} samples a second what is faster than half of that folds back: it may stand "
            "in this record at frequencies that it does not have.",
            "Record faster, or limit the bandwidth to less than half of the sample rate.",
        )
    return out


def _with_errors(figures: dict[str, Figure], channel: Channel, traces: Traces) -> dict[str, Figure]:
    """Gain does to a span what it does to its parts; a span is told by two samples, each known to a step."""
    if not channel.known:
        return figures
    gain, step = channel.gain_u or 0.0, channel.quantum / math.sqrt(6.0)

    def known(name: str, one: Figure) -> Figure:
        if one.value is None:
            return one
        effects = {"output_voltage: gain": gain * one.value}
        if name in VOLTS:
            effects["output_voltage: steps"] = step
        elif name == "dc_level":
            effects["output_voltage: offset"] = channel.offset_u or 0.0
        elif name.endswith(("frequency", "rate")):
            effects = {"time base": traces.timebase_u * one.value}
            if name == "switching_frequency":
                cycles = one.value * traces.count * traces.step_s
                effects["few cycles"] = FEW_CYCLES * one.value / cycles**2
        return Figure(one.value, one.unit, combined(effects), effects=effects)

    return {name: known(name, one) for name, one in figures.items()}


def _figures(ripple: Ripple, packets: Packets | None) -> dict[str, Figure]:
    switching = ripple.switching
    return {
        "peak_to_peak": Figure(ripple.peak_to_peak_V, "V"),
        "peak_to_peak_limited": Figure(ripple.limited_V, "V"),
        "percentile_peak_to_peak": Figure(ripple.percentile_V, "V"),
        "rms": Figure(ripple.rms_V, "V"),
        "rms_corrected": Figure(None, "V"),
        "line_peak_to_peak": Figure(ripple.line.peak_to_peak_V if ripple.line else None, "V"),
        "switching_peak_to_peak": Figure(switching.peak_to_peak_V if switching else None, "V"),
        "switching_frequency": Figure(switching.frequency_Hz if switching else None, "Hz"),
        "spike_peak_to_peak": Figure(ripple.spike_V, "V"),
        "burst_rate": Figure(packets.rate_Hz if packets else None, "Hz"),
        "dc_level": Figure(ripple.dc_level_V, "V"),
    }


def _facts(ripple: Ripple, packets: Packets | None, choices: Choices) -> dict[str, object]:
    facts: dict[str, object] = {
        "burst": packets is not None, "samples": ripple.samples, "sample_rate_Hz": f"{1.0 / ripple.step_s:.6g}",
        "bandwidth_Hz": f"{choices.bandwidth_Hz:g}",
    }  # fmt: skip
    if choices.record:
        facts["record"] = choices.record
    return facts | ({"burst_share": f"{packets.share:.2g}"} if packets else {})


def _against_background(out: Analysed, ripple: Ripple, channel: Channel, quiet: Channel) -> None:
    """Freed of a record with the unit off, in quadrature: rms only, peaks do not subtract. What was sure of either
    weighs more in the difference."""
    background = float(np.std(quiet.values))
    corrected = corrected_rms(ripple.rms_V, background)
    effects = {}
    if corrected and channel.known:
        # One instrument: its gain is shared; what is random differs.
        effects["output_voltage: gain"] = (channel.gain_u or 0.0) * corrected
        random = math.hypot(ripple.rms_V**2, background**2) / corrected
        effects["output_voltage: noise and steps"] = random / math.sqrt(2.0 * max(2, len(quiet.values)))
    out.figures["rms_corrected"] = Figure(corrected, "V", combined(effects) if effects else None, effects=effects)
    out.facts["background_rms_V"] = f"{background:.4g}"
    if ripple.rms_V < DOMINATES * background:
        out.doubt(
            "noise_floor_dominates",
            f"The background has {background:.3g} V rms, the record {ripple.rms_V:.3g} V: within 3 dB of each other.",
            "Shorten the ground of the probe, find what else is on in the room, or use a probe with less noise.",
        )


CHANGED = 1.3  # times: backgrounds of one run that differ by more are not one


def _doubt_changed(out: Analysed, rms_V: Sequence[float]) -> None:
    if min(rms_V) > 0.0 and max(rms_V) > CHANGED * min(rms_V):
        told = " and ".join(f"{v:.3g}" for v in rms_V)
        out.doubt(
            "background_changed", f"The background had {told} V rms: something in the room came on or went off.",
            "Find out what, and take it again; a reading already below its limit holds all the same.",
        )  # fmt: skip


def _doubts(out: Analysed, ripple: Ripple, traces: Traces, choices: Choices) -> None:
    rate = 1.0 / traces.step_s
    _doubt_probe(out, ripple, traces.channels["output_voltage"])
    least = LIMITED_FROM_HZ * choices.bandwidth_Hz / 20e6
    if ripple.limited_V is None and choices.record != "long":
        out.doubt(
            "sampled_too_slowly",
            f"At {rate:.3g} samples a second {choices.bandwidth_Hz:g} Hz is no limit: {least:.3g} are needed.",
            "Record a short stretch at a higher rate.",
        )
    elif ripple.limited_V is not None and rate < SURE_FROM_HZ * choices.bandwidth_Hz / 20e6:
        out.doubt(
            "bandwidth_near_sampling",
            f"At {rate:.3g} samples a second the limit lies a little above {choices.bandwidth_Hz:g} Hz.",
            "Record at five times the rate where it decides.",
        )
    periods = ripple.samples * traces.step_s * (choices.line_Hz or math.inf)
    if choices.record != "short" and periods < LEAST_CYCLES:  # of a short one the long one tells what follows the line
        out.doubt(
            "record_too_short",
            f"The record holds {periods:.2g} periods of the line.",
            f"Record {LEAST_CYCLES:g} or more: a long record for the line, a short one for the switching.",
        )


def _doubt_probe(out: Analysed, ripple: Ripple, channel: Channel) -> None:
    """How the probe was made and what was limited already."""
    if channel.ground == "long lead":
        out.doubt(
            "spikes_from_ground_lead",
            "The ground of the probe was a long lead: it picks up spikes that the output does not have.",
            "Take it with a ground spring or coax at the terminals.",
        )
    elif ripple.limited_V is not None and ripple.peak_to_peak_V > FALLS * ripple.limited_V:
        out.doubt(
            "falls_with_bandwidth",
            f"Limited, the peak to peak is {ripple.limited_V:.3g} V of {ripple.peak_to_peak_V:.3g} V: most of it are "
            "spikes, of the output or of the ground of the probe.",
            "Touch tip and ground of the probe at one node with the unit on: what remains is pick-up.",
        )
    if channel.bandwidth_Hz is not None and channel.bandwidth_Hz <= 25e6 and ripple.limited_V is not None:
        out.doubt(
            "limited_twice",
            f"The record was limited to {channel.bandwidth_Hz / 1e6:g} MHz already: limited once more it lies at "
            f"{12.9 if abs(channel.bandwidth_Hz - 20e6) < 1e5 else channel.bandwidth_Hz / 1.55e6:.3g} MHz.",
            "The peak to peak as recorded is the limited figure here.",
        )


FALLS = 3.0  # times: a peak to peak that falls so much with the limit is one of spikes
