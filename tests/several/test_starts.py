"""What a unit starts into: against C = I T / V of what its limit leaves for as long as its protection waits."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import pytest
from tests.engine.scripted import Actor, Scene, telling_the_standin
from tests.several.conftest import EXAMPLES, Goes
from tests.several.hands import Fitter

from zincsmith.bench.link import Link
from zincsmith.formats.unit_file import read_unit
from zincsmith.model.claim import StatedClaim
from zincsmith.model.commands import Command, Enter
from zincsmith.model.finding import Finding, Verdict
from zincsmith.model.plan import Line
from zincsmith.model.rig import Instrument
from zincsmith.model.states import State
from zincsmith.procedures.starts.options import StartOptions

NAME, LINE = "tarnbrook-tb2425", Line(230.0, 50.0)
UNIT = read_unit(EXAMPLES / "units" / f"{NAME}.toml")
LIMIT_A, DELAY_S, VOLTS = 3.4, 0.1, 24.0
MOST_F = (LIMIT_A - 2.5) * DELAY_S / VOLTS  # 3750 µF under its full load, which draws from about a volt up
CAPACITORS = (1500.0, 3000.0, 6000.0, 12000.0)
DOES = {
    **{f"{uF:g} µF across the output": f"unit,ACROSS {uF:g}" for uF in CAPACITORS},
    "Capacitors off the output": "unit,ACROSS 0", "all of its volts": "bench,BEHIND 24 0.1",
    "a share of its volts": "bench,BEHIND 14.4 0.1", "Nothing holds the output": "bench,BEHIND OFF",
}  # fmt: skip


class Wires(Fitter):
    """Who also types the amps that a meter shows in the lead of what holds the output."""

    def __call__(self, state: State, calls: int) -> list[Command]:
        if state is not State.ASKING:
            return super().__call__(state, calls)
        meter = Link("multimeter", self.scene.addresses["multimeter"])
        meter.open()
        try:
            return [Enter(f"{float(meter.query('MEAS:CURR?')):.5g}")]
        finally:
            meter.close()


@pytest.fixture
def started(goes: Goes) -> Callable[..., dict[str, tuple[Finding, Verdict]]]:
    def go(part: StartOptions, does: dict[str, str] = DOES) -> dict[str, tuple[Finding, Verdict]]:
        claim = StatedClaim("starts_into_capacitance", low=2.2e-3, source="manual")
        unit = replace(UNIT, nameplate=replace(UNIT.nameplate, claims=(*UNIT.nameplate.claims, claim)))
        meter = Instrument("multimeter", "by hand", kind="hand-held")
        actor = Actor()
        with telling_the_standin() as tell:

            def there(scene: Scene) -> None:
                actor.says = Wires(scene, tell, does)

            _, closed, run = goes(NAME, "simulated", (part,), actor=actor, unit=unit, before=there,
                                  change=lambda rig: replace(rig, instruments=(*rig.instruments, meter)))  # fmt: skip
        assert (closed.outcome, closed.safe) == ("complete", True), closed.why
        return {j.finding.name: (j.finding, j.verdict) for j in run.judged}

    return go


def test_the_largest_capacitor_is_what_its_limit_charges_in_time(
    started: Callable[..., dict[str, tuple[Finding, Verdict]]],
) -> None:
    part = StartOptions(line=LINE, capacitors_uF=CAPACITORS, loads_percent=(100.0, 50.0))
    found = started(part)
    assert found["starts_into_cc"][0].value == 1.0
    assert found["starts_into_cr"][0].value == 1.0
    largest, verdict = found["starts_into_capacitance"]
    assert largest.value == pytest.approx(max(uF for uF in CAPACITORS if 1e-6 * uF < MOST_F) * 1e-6)
    assert largest.u is not None
    assert largest.u == pytest.approx(0.2 * largest.number / 3.0**0.5)
    assert verdict is Verdict.HOLDS
    back, _ = found["fed_back_current"]
    assert back.value == pytest.approx(24.0 / 4700.0, rel=0.01)
    assert found["biased_start"][0].value == pytest.approx(24.0, rel=0.01)
    assert not found["biased_start"][0].doubts


def test_what_nobody_put_across_it_starts_into_all(
    started: Callable[..., dict[str, tuple[Finding, Verdict]]],
) -> None:
    """A person who passes the gates without a capacitor, and holds nothing: told as far as readings can tell."""
    part = StartOptions(line=LINE, laws=(), capacitors_uF=(6000.0,), loads_percent=(100.0,))
    found = started(part, {})
    assert {d.code for d in found["starts_into_capacitance"][0].doubts} == {"started_into_all"}
    assert {d.code for d in found["fed_back_current"][0].doubts} >= {"takes_all_that_is_given"}
