"""Meters that a person holds at places of the unit: capacitors against their markings, touch current against the
reactance of what bridges the barrier, a regulator against the closed forms of a capacitor that feeds it."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace
from typing import Any

import pytest
from tests.engine.scripted import Actor, Scene, telling_the_standin
from tests.several.conftest import EXAMPLES, Goes
from tests.several.hands import Fitter

from zincsmith.analysis.capacitors import esr_limit_ohm, leakage_limit_A, life_h, loss_tangent
from zincsmith.bench.link import Link
from zincsmith.formats.rig_file import read_rig
from zincsmith.formats.unit_file import read_unit
from zincsmith.model.claim import StatedClaim
from zincsmith.model.commands import Command, Enter
from zincsmith.model.events import EntryAsked, GateOpened
from zincsmith.model.finding import Finding, Verdict
from zincsmith.model.intake import Part
from zincsmith.model.plan import Line, Options
from zincsmith.model.rig import Accuracy, Instrument
from zincsmith.model.states import State
from zincsmith.procedures.parts_check.options import PartsOptions
from zincsmith.procedures.regulator_inside.options import RegulatorOptions
from zincsmith.procedures.touch_current.options import TouchOptions

NAME, LINE = "tarnbrook-tb2425", Line(230.0, 50.0)
UNIT = read_unit(EXAMPLES / "units" / f"{NAME}.toml")
PARTS = (
    Part("C5", "bulk capacitor", "120 µF 400 V", rated_V=400.0, capacitance_F=120e-6),
    Part("C12", "output capacitor", "1500 µF 35 V", rated_V=35.0, capacitance_F=1.5e-3),
    Part("CY1", "Y capacitor", "2.2 nF", rated_V=250.0, capacitance_F=2.2e-9),
)
METER = Instrument("multimeter", "by hand", kind="hand-held", accuracy=(Accuracy("touch_current", 0.01, 1.0, 0.2),))
LCR = Instrument("lcr_meter", "simulated",
                 accuracy=(Accuracy("part_capacitance", 1.0, 0.5), Accuracy("part_esr", 1.0, 0.5)))  # fmt: skip


class Holds(Fitter):
    """Who also types what ``reads`` says of a quantity at the gate before."""

    def __init__(self, *rest: Any, reads: Callable[[str, str, Scene], str]) -> None:
        super().__init__(*rest)
        self.reads = reads

    def __call__(self, state: State, calls: int) -> list[Command]:
        if state is not State.ASKING:
            return super().__call__(state, calls)
        asked = self.scene.events(EntryAsked)[-1].event.quantity
        return [Enter(self.reads(asked, self.scene.events(GateOpened)[-1].event.title, self.scene))]


@pytest.fixture
def held(goes: Goes) -> Callable[..., dict[str, tuple[Finding, Verdict]]]:
    def go(
        part: Options, reads: Callable[[str, str, Scene], str] = lambda *_: "-", does: dict[str, str] | None = None,
        **claims: float,
    ) -> dict[str, tuple[Finding, Verdict]]:  # fmt: skip
        stated = tuple(StatedClaim(name, high=high, source="manual") for name, high in claims.items())
        plate = replace(UNIT.nameplate, claims=(*UNIT.nameplate.claims, *stated))
        unit = replace(UNIT, nameplate=plate, look=replace(UNIT.look, parts=PARTS))
        actor = Actor()
        with telling_the_standin() as tell:

            def there(scene: Scene) -> None:
                actor.says = Holds(scene, tell, does or {}, reads=reads)

            bench = (*read_rig(EXAMPLES / "rigs" / "simulated.toml").instruments, METER, LCR)
            _, closed, run = goes(NAME, "simulated", (part,), actor=actor, unit=unit, before=there,
                                  change=lambda rig: replace(rig, instruments=bench))  # fmt: skip
        assert (closed.outcome, closed.safe) == ("complete", True), closed.why
        by_part = ((j.finding.title if "capacitor" in j.finding.title else j.finding.name, j) for j in run.judged)
        return {key: (j.finding, j.verdict) for key, j in by_part}

    return go


def codes(found: tuple[Finding, Verdict]) -> set[str]:
    return {d.code for d in found[0].doubts}


@pytest.mark.parametrize("aged", [False, True])
def test_capacitors_are_read_by_wire_one_by_one(
    held: Callable[..., dict[str, tuple[Finding, Verdict]]], aged: bool
) -> None:
    """What the stand-in holds: 120 µF of bulk, 1.36 mF at the output; aged 0.7 mF and 0.4 ohm there."""
    bulk, output = "C5: capacitance and ESR", "C12: capacitance and ESR"
    does = {bulk: "bench,CLIPS bulk", output: "bench,CLIPS output", "CY1: capacitance and ESR": "bench,CLIPS none"}
    found = held(PartsOptions(), does=does | ({bulk: "unit,CAPACITOR 700 400"} if aged else {}))
    assert found["Output capacitor 2, capacitance"][0].value == pytest.approx(0.7e-3 if aged else 1.36e-3, rel=0.005)
    assert codes(found["Output capacitor 2, capacitance"]) == ({"capacitance_lost"} if aged else set())
    assert codes(found["Output capacitor 2, ESR"]) == ({"esr_worn"} if aged else set())
    if not aged:
        assert found["Bulk capacitor 1, capacitance"][0].value == pytest.approx(120e-6, rel=0.005)
        assert not codes(found["Bulk capacitor 1, ESR"])


def test_markings_give_the_figures_of_printed_series() -> None:
    """1000 µF 35 V: tan d 0.12, 159 mohm at 120 Hz; 1 % of C V; 105 °C for 2000 h is 32000 h at 65 °C. Closed forms."""
    assert loss_tangent(35.0, 1e-3) == pytest.approx(0.12)
    assert loss_tangent(35.0, 4.7e-3) == pytest.approx(0.20)
    assert esr_limit_ohm(35.0, 1e-3, 120.0) == pytest.approx(0.12 / (2.0 * math.pi * 120.0 * 1e-3))
    assert leakage_limit_A(35.0, 1e-3) == pytest.approx(350e-6)
    assert life_h(2000.0, 105.0, 65.0) == pytest.approx(32000.0)


@pytest.mark.parametrize(("floats", "told"), [(False, set()), (True, {"flows_to_nowhere"})])
def test_touch_current_is_that_of_what_bridges_the_barrier(
    held: Callable[..., dict[str, tuple[Finding, Verdict]]], floats: bool, told: set[str]
) -> None:
    def reads(_quantity: str, _gate: str, scene: Scene) -> str:
        meter = Link("multimeter", scene.addresses["multimeter"])
        meter.open()
        try:
            return f"{float(meter.query('MEAS:TOUC?')):.5g}"
        finally:
            meter.close()

    does = {"plug as it was": "bench,FLOATS"} if floats else {}
    found = held(TouchOptions(line=LINE), reads, does, touch_current=0.25e-3)
    one, verdict = found["touch_current"]
    assert one.number == pytest.approx(0.0 if floats else 2.0 * math.pi * 50.0 * 2.2e-9 * 230.0, rel=0.01)
    assert codes(found["touch_current"]) == told
    assert floats or verdict is Verdict.HOLDS


def test_a_regulator_is_told_by_what_is_before_and_behind_it(
    held: Callable[..., dict[str, tuple[Finding, Verdict]]],
) -> None:
    """1 A off 2200 µF at 100 Hz: I / (f C) from valley to crest, a sawtooth of that over sqrt 12; 60 dB less behind."""
    swing = 1.0 / (100.0 * 2200e-6)
    rms = swing / math.sqrt(12.0)

    def reads(quantity: str, gate: str, _scene: Scene) -> str:
        before = "before" in gate
        if quantity == "stage_voltage":
            return "9.5" if before else "5.002"
        return f"{rms:.5g}" if before else f"{rms * 1e-3:.5g}"

    found = held(RegulatorOptions(line=LINE, regulator="IC2", dropout_V=2.0), reads)
    assert found["ripple_rejection"][0].number == pytest.approx(60.0, abs=0.01)
    room = 9.5 - swing / 2.0 - 5.002 - 2.0
    assert room > 0.0
    assert found["regulator_headroom"][0].number == pytest.approx(room, abs=2e-3)
    found = held(RegulatorOptions(line=LINE, regulator="IC2", dropout_V=4.0), reads)
    assert codes(found["regulator_headroom"]) >= {"drops_out_in_valleys"}
