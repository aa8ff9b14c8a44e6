"""Ripple and noise: worked out of records of the volts of an output."""

from __future__ import annotations

from collections.abc import Sequence

from zincsmith.procedures.intake import Intake
from zincsmith.procedures.ripple.figures import ripple_figures
from zincsmith.procedures.ripple.intake import RippleRecord
from zincsmith.procedures.ripple.options import RippleOptions
from zincsmith.procedures.traces import Choices, Traces
from zincsmith.procedures.waveform_findings import Named, OfCaptures
from zincsmith.recorded.result import Analysed

NAME = "ripple"


class RippleAndNoise(OfCaptures):
    """Worked out of records."""

    name = NAME
    title = "Ripple and noise"
    version = 1
    needs: tuple[str, ...] = ("scope",)
    serves = "peak to peak and rms, line and switching parts, spikes"
    options = RippleOptions
    intakes: tuple[Intake, ...] = (RippleRecord(),)

    def work_out(self, traces: Traces, choices: Choices, background: Traces | None) -> Analysed:
        return ripple_figures(traces, choices, background)

    def named(self, found: Analysed) -> Sequence[Named]:
        """What judges a claim is the peak to peak behind the usual limit of the bandwidth, where the record has it."""
        f = found.figures
        limited = f["peak_to_peak_limited"].value is not None
        judging = f["peak_to_peak_limited"] if limited else f["peak_to_peak"]
        corrected = f["rms_corrected"].value is not None
        rms = f["rms_corrected"] if corrected else f["rms"]
        note = f"limited to {float(found.facts['bandwidth_Hz']) / 1e6:g} MHz" if limited else "bandwidth as recorded"
        return (
            Named("ripple", "Ripple and noise, peak to peak", "V", judging, note),
            Named("ripple_rms", "Ripple and noise, rms", "V", rms, "background taken off" if corrected else "as read"),
            Named("ripple_full", "Ripple and noise, bandwidth as recorded", "V", f["peak_to_peak"]),
            Named("ripple_percentile", "Span of the 0.05 to 99.95 % quantiles", "V", f["percentile_peak_to_peak"],
                  "a figure of the house: it judges no claim"),
            *(
                Named(name, title, unit, f[key])
                for key, name, title, unit in PARTS
                if f[key].value is not None
            ),
        )  # fmt: skip


PARTS = (
    ("line_peak_to_peak", "ripple_line", "Ripple that follows the line", "V"),
    ("switching_peak_to_peak", "ripple_switching", "Ripple that follows the switching", "V"),
    ("spike_peak_to_peak", "ripple_spikes", "Spikes at the edges", "V"),
    ("switching_frequency", "switching_frequency", "Switching frequency", "Hz"),
    ("burst_rate", "burst_rate", "Packets", "Hz"),
    ("dc_level", "dc_level", "DC level", "V"),
)
SPEC = RippleAndNoise()
