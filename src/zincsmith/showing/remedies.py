"""What a remedy would leave of a ripple, in words and as JSON."""

from __future__ import annotations

from typing import Any

from zincsmith.analysis.envelope import Envelope
from zincsmith.analysis.remedy import AMPLIFIES, SATURATED, Capacitor, Choke, Prediction, Remedy, predicted
from zincsmith.formats.remedy_text import parse_remedy
from zincsmith.model.errors import InputError
from zincsmith.model.operating_point import OperatingPoint
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.waveforms.traces import Array

TITLES = {
    "peak_to_peak": "peak to peak", "peak_to_peak_limited": "peak to peak, 20 MHz", "rms": "rms",
    "line_peak_to_peak": "following the line", "switching_peak_to_peak": "following the switching",
}  # fmt: skip
NOT_IN_IT = "The fastest edges pass through the winding of a choke and the leads of a capacitor: they are not in it."


def remedy_of(text: str, tolerance_percent: float = 20.0, source_ohm: float | None = None) -> Remedy:
    """InputError for what is no remedy, and for a capacitor alone without what it works against."""
    said = parse_remedy(text)
    choke = Choke(**said["choke"]) if "choke" in said else None
    capacitor = Capacitor(**said["capacitor"]) if "capacitor" in said else None
    if choke is None and not source_ohm:
        raise InputError(
            "a capacitor alone works against the series resistance of the one that is there: say that too, in ohm",
            key="source-ohm",
        )
    if not 0.0 <= tolerance_percent < 100.0:
        raise InputError("a tolerance lies between 0 and 100 percent", key="tolerance")
    return Remedy(choke, capacitor, tolerance_percent / 100.0, source_ohm or 0.0)


def prediction(
    volts: Array, step_s: float, remedy: Remedy, nominal_V: float, current_A: float, line_Hz: float | None
) -> Prediction:
    """InputError where the record is too short, or the load no load."""
    if current_A <= 0.0:
        raise InputError("say the amps that are drawn: the load is part of the filter", key="load")
    if len(volts) < 64:
        raise InputError(f"{len(volts)} samples are too few: 64 at least")
    return predicted(volts, step_s, remedy, nominal_V, current_A, line_Hz)


def lines_of(found: Prediction, remedy: Remedy, current_A: float) -> list[str]:
    """A line for each figure, then what the parts cost and what is doubted."""
    out = [
        f"{TITLES[name]}: {_mV(one.was_V)} → {_mV(one.expected_V)} ({_mV(one.low_V)} to {_mV(one.high_V)})"
        for name, one in found.left.items()
    ]
    if remedy.choke is not None:
        out.append(f"the choke drops {found.drop_V:.3g} V, which nothing regulates; it takes {found.heat_W:.3g} W")
    return [*out, *doubts_of(found, remedy, current_A)]


def doubts_of(found: Prediction, remedy: Remedy, current_A: float) -> list[str]:
    out = []
    choke = remedy.choke
    if choke is not None and choke.saturation_A is None:
        out.append("At which current the choke saturates is not said: its inductance is taken as marked.")
    elif choke is not None and choke.saturation_A is not None and current_A > choke.saturation_A:
        out.append(
            f"The choke saturates: {current_A:.3g} A flow, at {choke.saturation_A:.3g} A there is left "
            f"{100.0 * SATURATED:.0f} % of its inductance."
        )
    if found.resonance_Hz is not None and found.rise > AMPLIFIES:
        out.append(
            f"Choke and capacitor ring at {found.resonance_Hz / 1e3:.3g} kHz and raise what is there {found.rise:.2g} "
            "times: load steps and packets too. More series resistance tames it."
        )
    return [*out, NOT_IN_IT]


def as_json(found: Prediction, remedy: Remedy, current_A: float) -> dict[str, Any]:
    """The published form, V, W, H and Hz."""
    return {
        "figures": {
            name: {"was": one.was_V, "expected": one.expected_V, "low": one.low_V, "high": one.high_V}
            for name, one in found.left.items()
        },
        "choke_drop_V": found.drop_V,
        "choke_heat_W": found.heat_W,
        "inductance_H": found.inductance_H,
        "resonance_Hz": found.resonance_Hz,
        "rise": found.rise,
        "doubts": doubts_of(found, remedy, current_A),
    }


def drawn_A(at: OperatingPoint, plate: Nameplate, port: str) -> float | None:
    """The amps that were drawn from an output, by the share of its rating; None where that is not said."""
    draw = next((d for d in at.draws if d.port == port), None)
    if draw is None or draw.share_percent is None:
        return None
    return Envelope(plate, dict(at.modes)).load_A(draw.share_percent, port)


def _mV(volts: float) -> str:
    return f"{1e3 * volts:.3g} mV"
