"""Losses by part against waves of ideal stages, drawn point by point and averaged by NumPy."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from zincsmith.analysis.losses import Stands, losses_by_part
from zincsmith.model.intake import Part, StageKind


def drawn(stage: StageKind, fed: float, out: float, amps: float) -> dict[str, float]:
    """Watts of 40 mohm in switch, coil and sense resistor and of 0.45 V in a rectifier, over one period of 200 000
    moments. The duty is the one at which the volts of the coil average nothing; the coil is so large that nothing
    ripples."""
    at = (np.arange(200_000) + 0.5) / 200_000
    on_V = {"step-down": fed - out, "step-up": fed, "inverting": fed}[stage]
    off_V = {"step-down": -out, "step-up": fed - out, "inverting": -out}[stage]
    duty = -off_V / (on_V - off_V)
    on = at < duty
    assert float(np.mean(np.where(on, on_V, off_V))) == pytest.approx(0.0, abs=2e-5 * (on_V - off_V))
    share_out = np.ones_like(at) if stage == "step-down" else (~on).astype(float)
    coil = amps / float(np.mean(share_out))
    return {
        "switch": float(np.mean(0.04 * (coil * on) ** 2)), "inductor": 0.04 * coil**2,
        "sense resistor": float(np.mean(0.04 * (coil * on) ** 2)),
        "output rectifier": float(np.mean(0.45 * coil * ~on)),
    }  # fmt: skip


@given(
    st.sampled_from(["step-down", "step-up", "inverting"]), st.floats(4.0, 40.0), st.floats(1.2, 6.0),
    st.floats(0.05, 5.0),
)  # fmt: skip
def test_of_a_stage_they_are_those_of_its_waves(stage: StageKind, fed: float, ratio: float, amps: float) -> None:
    out = {"step-down": fed / ratio, "step-up": fed * ratio, "inverting": fed * ratio / 3.0}[stage]
    parts = [Part(w, w, stage=stage, ohm=0.04) for w in ("switch", "inductor", "sense resistor")]
    parts.append(Part("D1", "output rectifier", stage=stage, drop_V=0.45))
    sign = -1.0 if stage == "inverting" else 1.0
    at = Stands(fed, 2.0 * out * amps, 0.0, {"": (sign * out, amps)})
    found = {one.part.what: one.watts for one in losses_by_part(parts, at)}
    assert found == pytest.approx(drawn(stage, fed, out, amps), rel=1e-4)


def test_of_a_bridge_they_are_two_drops_at_a_time() -> None:
    """A capacitor that is charged in short pulses at the crest: as NumPy averages them; a corrector takes a sine."""
    bridge = Part("BD1", "rectifier", drop_V=0.9)
    at = np.linspace(0.0, 1.0, 100_000, endpoint=False)
    sine = np.sin(2.0 * np.pi * at)
    amps = np.where(np.abs(sine) > 0.95, 3.0 * np.sign(sine), 0.0)
    watts = 2.0 * 0.9 * float(np.mean(np.abs(amps)))
    real = float(np.mean(math.sqrt(2.0) * 230.0 * sine * amps))
    stands = Stands(230.0, real, 50.0, {"": (24.0, 2.5)}, float(np.sqrt(np.mean(amps**2))))
    assert losses_by_part([bridge], stands)[0].watts == pytest.approx(watts, rel=0.02), "the pulse is not all crest"
    corrected = losses_by_part([bridge, Part("C1", "bulk capacitor", behind_corrector=True)],
                               Stands(230.0, 230.0, 50.0, {"": (24.0, 9.0)}, 1.0))  # fmt: skip
    wave = math.sqrt(2.0) * np.abs(sine)
    assert corrected[0].watts == pytest.approx(2.0 * 0.9 * float(np.mean(wave)), rel=1e-6)
    ohm = losses_by_part([Part("BD1", "rectifier", ohm=0.1, count=4)], stands)[0].watts
    assert ohm == pytest.approx(2.0 * 0.1 * float(np.mean(amps**2))), "two of the four at a time"


def test_what_nobody_can_know_is_said() -> None:
    at = Stands(24.0, 20.0, 0.0, {"+15 V": (15.0, 0.3), "-15 V": (-15.0, 0.3)})
    for part, why in (
        (Part("Q1", "switch", ohm=0.05), "without the kind of its stage"),
        (Part("L1", "inductor", ohm=0.05, stage="step-down"), "which output"),
        (Part("L1", "inductor", ohm=0.05, stage="step-up", output="+15 V"), "no step-up stage makes 15 V of 24 V"),
        (Part("R1", "sense resistor", ohm=0.05, output="+5 V"), "no output '+5 V'"),
    ):
        (one,) = losses_by_part([part], at)
        assert one.watts is None
        assert why in one.how
    assert losses_by_part([Part("C1", "output capacitor", rated_V=25.0)], at) == []
