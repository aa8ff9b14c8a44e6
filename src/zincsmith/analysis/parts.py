"""What the parts of a unit see, worked out from its ratings; touch current from Y capacitors."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from zincsmith.analysis.expectation import expected_input_A
from zincsmith.model.intake import Part
from zincsmith.model.unit import Nameplate, OutputRating, mode_power_W

# Shares of its rating beyond which a part is doubtful: derating schools differ. Common practice, no source.
DOUBTFUL = {
    "bulk capacitor": 0.95, "output capacitor": 0.90, "input capacitor": 0.90, "fuse": 0.90, "X capacitor": 1.0,
    "Y capacitor": 1.0, "rectifier": 0.80, "output rectifier": 0.90, "switch": 0.80, "inductor": 0.90,
    "sense resistor": 0.90,
}  # fmt: skip
BY_AMPS = ("inductor", "sense resistor")  # amps alone tell whether they fit
CORRECTED_BULK_V = 400.0  # behind a boost corrector, at any mains; common practice, no source


@dataclass(frozen=True)
class Stress:
    """What a part sees in ``unit`` against its rating; ``share`` is None where nothing can be worked out.

    ``verdict`` is fits, doubtful, too small or empty.
    """

    part: Part
    sees: float | None
    unit: str
    share: float | None
    verdict: str
    how: str


def stress_of(part: Part, plate: Nameplate) -> Stress:
    """One part against what it sees, as far as the nameplate lets it be worked out."""
    sees, unit, how = _sees(part, plate)
    rated = part.rated_A if unit == "A" else part.rated_V
    if sees is None or rated is None:
        state = "doubtful" if part.state != "sound" else ""
        return Stress(part, sees, unit, None, state, how if sees is not None else "not worked out")
    share = sees / rated
    verdict = "too small" if share > 1.0 else "doubtful" if share > DOUBTFUL.get(part.what, 1.0) else "fits"
    if part.state != "sound" and verdict == "fits":
        verdict = "doubtful"
    return Stress(part, sees, unit, share, verdict, how)


def line_peak_V(rms_V: float) -> float:
    """Peak of a sine; a bulk capacitor behind a bridge sits near it."""
    return math.sqrt(2.0) * rms_V


def _sees(part: Part, plate: Nameplate) -> tuple[float | None, str, str]:
    mains = [i for i in plate.inputs if i.type == "ac"]
    top = max((i.voltage_max_V for i in plate.inputs), default=None)
    if part.stage:
        return _in_a_stage(part, plate)
    match part.what:
        case "bulk capacitor" if part.behind_corrector:
            return CORRECTED_BULK_V, "V", "behind a corrector, at any mains"
        case "bulk capacitor" | "rectifier" if mains:
            voltage = max(i.voltage_max_V for i in mains)
            if part.doubler:
                low = min((min(i.selector_V) for i in mains if i.selector_V), default=voltage / 2.0)
                return line_peak_V(low), "V", f"half of the doubled peak at {low:g} V"
            return line_peak_V(voltage), "V", f"peak of {voltage:g} V"
        case "X capacitor" | "Y capacitor" if mains:
            return max(i.voltage_max_V for i in mains), "V", "line voltage, rms"
        case "input capacitor" if top is not None:
            return top, "V", "highest rated input"
        case "output capacitor" | "output rectifier":
            outputs = [o for o in plate.outputs if not part.serves or o.name in part.serves]
            if outputs and part.what == "output capacitor":
                return max(highest_V(o) for o in outputs), "V", "highest output and tolerance"
            return None, "V", ""
        case "fuse" if plate.inputs:
            current = expected_input_A(plate)
            return current, "A", "input at full load, lowest line"
        case _:
            return None, "V", ""


def _in_a_stage(part: Part, plate: Nameplate) -> tuple[float | None, str, str]:
    """What switch, rectifier and inductor of a converter see, its ripple left out: of volts and amps that which takes
    the greater share of what the part is marked for. Volt-second balance of an ideal stage, closed form: the switch of
    an inverting one blocks Vin + Vout, and carries I (Vin + Vout) / Vin, the most at the lowest input."""
    outputs = [o for o in plate.outputs if not part.serves or o.name in part.serves]
    if not plate.inputs or not outputs:
        return None, "V", ""
    out = max(outputs, key=lambda o: abs(o.voltage_V) * o.current_A)
    low, high = plate.input.voltage_V
    given, amps = highest_V(out), out.current_A
    volts, factor, how = {
        "step-down": (high, 1.0, "highest input"),
        "step-up": (given, given / low, "the output"),
        "inverting": (high + given, (low + given) / low, "highest input and the output"),
    }[part.stage]
    carried = amps * max(1.0, factor)
    by_volts = volts / part.rated_V if part.rated_V and part.what not in BY_AMPS else -1.0
    by_amps = carried / part.rated_A if part.rated_A else -1.0
    if by_amps > by_volts or part.what in BY_AMPS:
        return carried, "A", f"full load at {low:g} V, ripple left out"
    return volts, "V", how


def highest_input_V(part: Part, plate: Nameplate) -> float | None:
    """The most volts at the input that a part of a stage stands; None where none follow from it."""
    if part.rated_V is None or part.what in BY_AMPS or part.stage not in ("step-down", "inverting"):
        return None
    outputs = [o for o in plate.outputs if not part.serves or o.name in part.serves]
    given = max((highest_V(o) for o in outputs), default=0.0) if part.stage == "inverting" else 0.0
    return part.rated_V - given


def highest_V(out: OutputRating) -> float:
    """The most an output may rise to by its own claims: highest mode or range, its tolerance, half the ripple."""
    voltage = [abs(out.voltage_V), *(abs(m.voltage_V) for m in out.modes), *(p.voltage_V[1] for p in out.programmable)]
    return max(voltage) * (1.0 + (out.tolerance_percent or 0.0) / 100.0) + (out.ripple_V or 0.0) / 2.0


def touch_current_A(parts: Sequence[Part], voltage_V: float, frequency_Hz: float) -> float:
    """Expected touch current: 2 pi f C V over the sum of the Y capacitors.

    Source: IEC 60990 describes the measurement; the sum is the reactance of a capacitor, closed form.
    """
    total = sum((p.capacitance_F or 0.0) * p.count for p in parts if p.what == "Y capacitor")
    return 2.0 * math.pi * frequency_Hz * total * voltage_V


def strongest_W(out: OutputRating) -> float:
    """The greatest power among the modes and ranges of an output."""
    modes = [w for m in out.modes if (w := mode_power_W(m)) is not None]
    ranges = [p.voltage_V[1] * p.current_A for p in out.programmable if p.current_A is not None]
    return max([*modes, *ranges], default=out.rated_power_W)
