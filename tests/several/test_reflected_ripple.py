"""What a buck stage sends back into its source, over sockets, against the closed form of pulses off a capacitor behind
an inductance."""

from __future__ import annotations

from dataclasses import replace

import pytest
from tests.several.conftest import EXAMPLES, Goes

from zincsmith.formats.unit_file import read_unit
from zincsmith.model.claim import StatedClaim
from zincsmith.model.finding import Verdict
from zincsmith.model.plan import Line
from zincsmith.model.rig import Accuracy, Instrument, Probe, Rig, ScopeChannel
from zincsmith.procedures.reflected_ripple.options import ReflectedOptions
from zincsmith.simbench.units.kinds import read_unit as read_physics


def with_scope(rig: Rig) -> Rig:
    channel = ScopeChannel(1, "input_current", probe=Probe(ratio=1.0, coupling="AC"))
    scope = Instrument("scope", "simulated", "Fennhollow", "O2", channels=(channel,), direction_checked=True,
                       accuracy=(Accuracy("input_current", 10.0, 2.0, 0.5),), clock_ppm=50.0)  # fmt: skip
    return replace(rig, instruments=(*rig.instruments, scope))


def test_it_is_that_of_pulses_off_a_capacitor_behind_an_inductance(goes: Goes) -> None:
    """At 10 V the duty of 5 V is a half: I / 2 T / (4 C) of volts from end to end, and T / (8 L) of them in amps."""
    unit = read_unit(EXAMPLES / "units" / "netherby-nb5.toml")
    claim = StatedClaim("reflected_ripple", high=0.05, source="manual")
    stated = replace(unit, nameplate=replace(unit.nameplate, claims=(*unit.nameplate.claims, claim)))
    part = ReflectedOptions(lines=(Line(10.0, 0.0),), loads_percent=(100.0,))
    _, closed, run = goes("netherby-nb5", "simulated-dc", (part,), unit=stated, change=with_scope)
    assert (closed.outcome, closed.safe) == ("complete", True), closed.why
    found = {j.finding.name: j for j in run.judged if j.finding.value is not None}
    drawn = read_physics(EXAMPLES / "standins" / "netherby-nb5.toml")
    period = 1.0 / drawn.ripple.switching_Hz
    in_A = 5.0 * 3.0 / 0.88 / 10.0  # 3 A at 5 V, at about what it does there
    volts = in_A * 0.5 * period / drawn.stage.input_F
    most = volts * period / (8.0 * drawn.stage.source_H)
    one = found["reflected_ripple"]
    assert one.finding.number == pytest.approx(most, rel=0.06)
    assert one.verdict is (Verdict.HOLDS if most < 0.05 else Verdict.FAILS)
    assert found["reflected_frequency"].finding.number == pytest.approx(drawn.ripple.switching_Hz, rel=1e-3)
    parabola = (8.0 / 15.0) ** 0.5 / 2.0  # of its span: what the integral of a triangle has
    assert found["reflected_ripple_rms"].finding.number == pytest.approx(parabola * one.finding.number, rel=0.03)
    assert "harmonics" in ReflectedOptions.suits(read_unit(EXAMPLES / "units" / "tarnbrook-tb2425.toml").nameplate)
