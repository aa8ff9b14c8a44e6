"""Several meters in one circuit: what each reads, which counts, and what their disagreement says."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest
from tests.conftest import told
from tests.engine.scripted import Actor, Scene

from zincsmith.analysis.shunt import drop_V, heating_percent, power_W
from zincsmith.bench.standin import RunningStandIn
from zincsmith.book.reader import BookReader
from zincsmith.formats.rig_file import read_rig, rig_text
from zincsmith.judge.judging import JudgedRun, judge_run
from zincsmith.model.errors import InputError
from zincsmith.model.plan import Plan
from zincsmith.model.rig import Accuracy, Instrument, Rig, Shunt
from zincsmith.model.unit import Unit

StartStandIn = Callable[..., RunningStandIn]
SHUNT = Shunt(0.01, percent=0.5, ppm_per_W=100.0, most_W=5.0)
ACROSS = Instrument("ammeter", "simulated", "Pellmoor", "A2", dialect="ammeter_shunt", shunt=SHUNT,
                    accuracy=(Accuracy("shunt_voltage", 0.1, 0.02, 0.005),))  # fmt: skip
BESIDE = (
    ACROSS,
    Instrument("second_voltmeter", "simulated", "Fennhollow", "M4",
               accuracy=(Accuracy("second_output_voltage", 60.0, 0.05, 0.02),)),
    Instrument("second_power_meter", "simulated", "Calderwick", "P1", accuracy=(
        Accuracy("second_input_voltage", 300.0, 0.1, 0.1), Accuracy("second_input_current", 2.0, 0.2, 0.1),
        Accuracy("second_input_power", 75.0, 0.2, 0.1))),
)  # fmt: skip
FURTHER = {"second_input_voltage", "second_input_current", "second_input_power", "second_output_voltage",
           "shunt_voltage", "ammeter_current"}  # fmt: skip


def with_meters(rig: Rig, *meters: Instrument, **more: object) -> Rig:
    return replace(rig, instruments=(*rig.instruments, *meters), **more)  # type: ignore[arg-type]


@pytest.fixture
def run(tmp_path: Path, unit: Unit, tiny_plan: Plan, standin: StartStandIn) -> Callable[..., JudgedRun]:
    def go(rig: Rig, entries: tuple[str, ...] = ()) -> JudgedRun:
        scene = Scene.set_up(tmp_path, unit, rig, tiny_plan, standin().addresses)
        closed = scene.run(Actor(entries=list(entries)))
        assert (closed.outcome, closed.safe) == ("complete", True), closed.why
        with BookReader(scene.path) as book:
            return judge_run(book)

    return go


def doubts(run: JudgedRun, code: str) -> set[str]:
    return {j.finding.name for j in run.judged for d in j.finding.doubts if d.code == code}


def test_what_several_meters_read_of_one_thing_stands_side_by_side(rig: Rig, run: Callable[..., JudgedRun]) -> None:
    """Each with its own limit; where they agree within these nothing is said. The amps of the shunt follow from its
    volts, V / R, with limits of shunt, self-heating and voltmeter."""
    judged = run(with_meters(rig, *BESIDE))
    full = next(p for p in judged.evidence.points if p.at.load_percent == 100.0)
    assert {r.quantity for r in full.readings} >= FURTHER
    volts, amps = full.need("shunt_voltage"), full.need("ammeter_current")
    assert amps.number == pytest.approx(volts.number / 0.01)
    assert amps.number == pytest.approx(full.need("output_current").number, rel=0.006)
    assert amps.reading_percent == pytest.approx(0.5 + 100.0 * 2.5**2 * 0.01 / 1e4, rel=0.01)
    assert not doubts(judged, "meters_disagree")
    assert {j.finding.working.rows[0]["readings"][-1] for j in judged.judged if j.finding.name == "efficiency"} == {
        "1/1/output_current"
    }


def test_a_shunt_that_is_not_what_it_says_is_found_by_the_other_meter(rig: Rig, run: Callable[..., JudgedRun]) -> None:
    """The stand-in's shunt is 0.2 % off; one that claims a hundredth of that contradicts the load, and the doubt goes
    with the figures behind which either stands."""
    tight = replace(ACROSS, shunt=replace(SHUNT, percent=0.002, ppm_per_W=0.0))
    found = run(with_meters(rig, tight))
    assert "efficiency" in doubts(found, "meters_disagree")
    assert not {"output_voltage_max", "input_current"} & doubts(found, "meters_disagree")


def test_the_rig_says_whose_amps_count(rig: Rig, run: Callable[..., JudgedRun]) -> None:
    judged = run(with_meters(rig, ACROSS, amps_by="ammeter"))
    full = next(p for p in judged.evidence.points if p.at.load_percent == 100.0)
    assert full.need("output_current").source == "Pellmoor A2"
    assert full.need("ammeter_current").source.startswith("Osmary")


def test_a_person_types_the_volts_across_the_shunt(rig: Rig, run: Callable[..., JudgedRun]) -> None:
    hand = replace(ACROSS, how="by hand", dialect="", kind="handheld", spot="across the shunt")
    judged = run(with_meters(rig, hand), ("25.02 m", "0"))
    full = next(p for p in judged.evidence.points if p.at.load_percent == 100.0)
    assert full.need("ammeter_current").number == pytest.approx(2.502)
    assert full.need("ammeter_current").text == "0.02502 V across 0.01 ohm"


def test_a_rig_file_holds_them(rig: Rig, tmp_path: Path) -> None:
    file = tmp_path / "rig.toml"
    made = with_meters(rig, *BESIDE, amps_by="ammeter")
    file.write_text(rig_text(made))
    assert read_rig(file) == made


def test_what_a_shunt_takes() -> None:
    """Joule and Ohm: 10 A through 10 mohm are 1 W and 0.1 V; 100 ppm a watt are 0.01 %."""
    assert (power_W(SHUNT, 10.0), drop_V(SHUNT, 10.0)) == (pytest.approx(1.0), pytest.approx(0.1))
    assert heating_percent(SHUNT, 10.0) == pytest.approx(0.01)


def test_an_analyzer_plays_two_roles_over_one_link(
    tmp_path: Path, unit: Unit, rig: Rig, tiny_plan: Plan, standin: StartStandIn
) -> None:
    """Input and output of one window: held once a poll, then both channels are read; the second role has no address of
    its own, and its errors are its own."""
    changed = {"power_meter": {"dialect": "power_meter_analyzer"}, "voltmeter": {
        "dialect": "voltmeter_analyzer", "shares": "power_meter",
        "accuracy": (Accuracy("output_voltage", 60.0, 0.05, 0.02),)}}  # fmt: skip
    made = replace(
        rig,
        instruments=tuple(replace(i, **changed.get(i.role, {})) for i in rig.instruments),  # type: ignore[arg-type]
    )
    addresses = {k: v for k, v in standin().addresses.items() if k != "voltmeter"}
    scene = Scene.set_up(tmp_path, unit, made, tiny_plan, addresses)
    closed = scene.run(Actor())
    assert (closed.outcome, closed.safe) == ("complete", True), (closed.why, closed.unconfirmed, closed.seen)
    assert any(one.startswith("output fallen: ") for one in closed.seen)
    with BookReader(scene.path) as book:
        full = next(p for p in judge_run(book).evidence.points if p.at.load_percent == 100.0)
    assert full.need("output_voltage").number == pytest.approx(24.0, rel=0.005)
    said = [str(text) for role, text in told(tmp_path / "bench.log") if role == "power_meter"]
    assert any(text.startswith("HOLD") for text in said)


def test_a_source_reads_itself_poorly(rig: Rig, run: Callable[..., JudgedRun]) -> None:
    """Nobody has a power meter: what the source says of itself stands in, and its limit rules the efficiency."""
    own = Instrument("power_meter", "simulated", "Brackmere", "A5", dialect="power_meter_of_source", shares="ac_source",
                     tap="source", accuracy=(
                         Accuracy("input_voltage", 300.0, 0.5, 0.3), Accuracy("input_current", 5.0, 1.0, 0.5),
                         Accuracy("input_power", 600.0, 1.5, 0.5)))  # fmt: skip
    good = next(j.finding for j in run(rig).judged if j.finding.name == "efficiency")
    made = replace(rig, instruments=(*(i for i in rig.instruments if i.role != "power_meter"), own))
    poor = next(j.finding for j in run(made).judged if j.finding.name == "efficiency")
    assert good.u is not None
    assert poor.u is not None
    assert poor.u > 10.0 * good.u
    assert abs(poor.number - good.number) < 3.0 * poor.u


def test_what_shares_names_what_there_is(rig: Rig, tmp_path: Path) -> None:
    file = tmp_path / "rig.toml"
    wrong = tuple(replace(i, shares="nobody") if i.role == "voltmeter" else i for i in rig.instruments)
    file.write_text(rig_text(replace(rig, instruments=wrong)))
    with pytest.raises(InputError, match="shares"):
        read_rig(file)
