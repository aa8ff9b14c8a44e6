"""Records of the volts at an output, as a scope saved them."""

from __future__ import annotations

from collections.abc import Mapping
from typing import ClassVar

import numpy as np

from zincsmith.analysis.ripple import (
    LEAST_CYCLES,
    LIMITED_FROM_HZ,
    Packets,
    Ripple,
    clipped_share,
    corrected_rms,
    packets_of,
    ripple_of,
)
from zincsmith.formats.columns import Columns
from zincsmith.model.errors import InputError
from zincsmith.procedures.intake import FigureRequest, Intake
from zincsmith.recorded.even import Even, evenly, rising_times
from zincsmith.recorded.joined import columns_of
from zincsmith.recorded.result import Analysed, Figure

SURE_FROM_HZ = 500e6  # a sample rate at which the limited figure is that of its definition
DOMINATES = 10.0 ** (3.0 / 20.0)  # 3 dB
CLIPPED = 1e-4  # of the samples


class RippleRecord(Intake):
    """Volts over time; a second record of the background may be named."""

    kind = "ripple"
    words = "volts of an output over time: ripple and noise"
    wanted: ClassVar[Mapping[str, str]] = {"time_s": "time", "voltage_V": "output volts"}
    evidence = False

    def figures(self, found: Columns, asked: FigureRequest) -> Analysed:
        """Peak to peak, rms and their parts."""
        even = volts_of(found, asked)
        try:
            ripple = ripple_of(even.columns[0], even.step_s, asked.line_Hz, asked.bandwidth_Hz)
        except ValueError as error:
            raise InputError(f"{error}: record more", file=str(found.file)) from None
        about = even.columns[0] - ripple.dc_level_V
        packets = packets_of(about, even.step_s, ripple.switching.frequency_Hz if ripple.switching else None)
        out = Analysed("ripple", _figures(ripple, packets), _facts(ripple, packets, asked))
        for note in (*found.notes, *even.notes):
            out.doubt("read_with_a_note", f"{note[:1].upper()}{note[1:]}.")
        _against_background(out, ripple, asked)
        _doubts(out, ripple, even, asked)
        return out


def volts_of(found: Columns, asked: FigureRequest) -> Even:
    """The volts at even times. InputError for what is no such record."""
    times = rising_times(found, asked.time)
    return evenly(found, times, (found.need(asked.voltage, "V", "--voltage"),), asked.time)


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


def _facts(ripple: Ripple, packets: Packets | None, asked: FigureRequest) -> dict[str, object]:
    facts: dict[str, object] = {
        "burst": packets is not None, "samples": ripple.samples, "sample_rate_Hz": f"{1.0 / ripple.step_s:.6g}",
        "bandwidth_Hz": f"{asked.bandwidth_Hz:g}",
    }  # fmt: skip
    return facts | ({"burst_share": f"{packets.share:.2g}"} if packets else {})


def _against_background(out: Analysed, ripple: Ripple, asked: FigureRequest) -> None:
    """Freed of a record with the unit off, in quadrature: rms only, peaks do not subtract."""
    if asked.background is None:
        return
    apart = volts_of(columns_of([asked.background], asked.time), asked)
    background = float(np.std(apart.columns[0]))
    corrected = corrected_rms(ripple.rms_V, background)
    out.figures["rms_corrected"] = Figure(corrected, "V")
    out.facts["background_rms_V"] = f"{background:.4g}"
    if ripple.rms_V < DOMINATES * background:
        out.doubt(
            "noise_floor_dominates",
            f"The background has {background:.3g} V rms, the record {ripple.rms_V:.3g} V: within 3 dB of each other.",
            "Shorten the ground of the probe, find what else is on in the room, or use a probe with less noise.",
        )


def _doubts(out: Analysed, ripple: Ripple, even: Even, asked: FigureRequest) -> None:
    rate = 1.0 / even.step_s
    share = clipped_share(even.columns[0])
    if share > CLIPPED:
        out.doubt(
            "clipped", f"{100.0 * share:.2g} % of the samples stand at the end of the range, several in a row.",
            "Take it once more with more volts of span.",
        )  # fmt: skip
    least = LIMITED_FROM_HZ * asked.bandwidth_Hz / 20e6
    if ripple.limited_V is None:
        out.doubt(
            "sampled_too_slowly",
            f"At {rate:.3g} samples a second nothing is limited to {asked.bandwidth_Hz:g} Hz: {least:.3g} are needed.",
            "Record a short stretch at a higher rate.",
        )
    elif rate < SURE_FROM_HZ * asked.bandwidth_Hz / 20e6:
        out.doubt(
            "bandwidth_near_sampling",
            f"At {rate:.3g} samples a second the limit lies a little above {asked.bandwidth_Hz:g} Hz.",
            "Record at five times the rate where it decides.",
        )
    if asked.line_Hz is not None and ripple.samples * even.step_s * asked.line_Hz < LEAST_CYCLES:
        out.doubt(
            "record_too_short",
            f"The record holds {ripple.samples * even.step_s * asked.line_Hz:.2g} periods of the line.",
            f"Record {LEAST_CYCLES:g} or more: a long record for the line, a short one for the switching.",
        )
