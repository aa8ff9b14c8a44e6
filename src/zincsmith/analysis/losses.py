"""Where the watts of a unit go, estimated part by part from what its parts are marked for, beside what was measured.

Ideal stages, their ripple left out, volts in balance over the coil (closed form). What a part switches away, cores and
whatever else nobody marked is in the rest that stays unexplained.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from zincsmith.analysis.parts import line_peak_V
from zincsmith.model.intake import Part

BRIDGE = 2  # diodes that the current goes through, one after the other
RECTIFIED = 2.0 * math.sqrt(2.0) / math.pi  # mean of a rectified sine over its rms value


@dataclass(frozen=True)
class Stands:
    """Where a unit stood: what went in, and by output volts and amps. ``hertz`` is 0 for direct current."""

    input_V: float
    input_W: float
    hertz: float
    outputs: Mapping[str, tuple[float, float]]
    input_A: float | None = None

    @property
    def lost_W(self) -> float:
        """Measured: what went in and did not come out."""
        return self.input_W - sum(abs(v * a) for v, a in self.outputs.values())


@dataclass(frozen=True)
class PartLoss:
    """``watts`` is None where nothing can be worked out; ``how`` says from what, or why not."""

    part: Part
    watts: float | None
    how: str


def losses_by_part(parts: Sequence[Part], at: Stands) -> list[PartLoss]:
    """Of every part that says what drops across it or what its resistance is."""
    corrected = any(part.behind_corrector for part in parts)
    return [_of(part, at, corrected) for part in parts if part.drop_V is not None or part.ohm is not None]


def _of(part: Part, at: Stands, corrected: bool) -> PartLoss:
    flows = _flows(part, at, corrected)
    if isinstance(flows, str):
        return PartLoss(part, None, flows)
    mean, rms, how = flows
    diodes = BRIDGE if part.what == "rectifier" and at.hertz else 1
    count = part.count if part.what != "rectifier" else 1  # pieces in parallel share; a bridge may be four of them
    watts = diodes * ((part.drop_V or 0.0) * mean + (part.ohm or 0.0) / count * rms**2)
    return PartLoss(part, watts, how)


def _flows(part: Part, at: Stands, corrected: bool) -> tuple[float, float, str] | str:
    """(mean, rms) of the amps through a part, in words; or why nobody knows."""
    if part.what == "rectifier" and not part.stage:
        return _into(at, corrected)
    served = [one for name, one in at.outputs.items() if not part.serves or name in part.serves]
    if not served:
        return f"there is no output {part.output!r}"
    if len(served) > 1 and part.stage:
        return "which output it serves is not said"
    volts, amps = abs(served[0][0]), sum(a for _, a in served)
    if part.what == "sense resistor" and not part.stage:
        return (amps, amps, "amps of the output") if len(served) == 1 else "which output it serves is not said"
    if not part.stage:
        mean_known = part.what == "output rectifier" and part.ohm is None
        return (amps, amps, "mean amps are those of the output") if mean_known and len(served) == 1 else (
            "how its current runs is not known without the kind of its stage"
        )  # fmt: skip
    return _in_stage(part, at.input_V, volts, amps)


def _into(at: Stands, corrected: bool) -> tuple[float, float, str] | str:
    if not at.hertz:
        amps = at.input_W / at.input_V
        return amps, amps, "amps that go in"
    if corrected and at.input_A is not None:
        return RECTIFIED * at.input_A, at.input_A, "a rectified sine of the amps that go in"
    mean = at.input_W / line_peak_V(at.input_V)
    if at.input_A is None:
        return "the amps that go in were not read"
    return mean, at.input_A, "watts over the crest of the line"


def _in_stage(part: Part, fed: float, volts: float, amps: float) -> tuple[float, float, str] | str:
    if (part.stage == "step-down" and volts >= fed) or (part.stage == "step-up" and volts <= fed):
        return f"no {part.stage} stage makes {volts:.4g} V of {fed:.4g} V"
    duty = {
        "step-down": volts / fed, "step-up": max(0.0, 1.0 - fed / volts), "inverting": volts / (fed + volts),
    }[part.stage]  # fmt: skip
    coil = amps if part.stage == "step-down" else amps / (1.0 - duty)
    share = {"switch": duty, "sense resistor": duty, "inductor": 1.0}.get(part.what, 1.0 - duty)
    words = f"{coil:.3g} A through the coil, {100.0 * share:.0f} % of the time"
    return coil * share, coil * math.sqrt(share), words
