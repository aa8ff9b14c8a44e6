"""Loads by constant resistance and constant power: set, read back, planned, refused, and asked of a person."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.conftest import told
from tests.engine.scripted import Actor, Scene, by_hand

from zincsmith.analysis.load_laws import current_of, level_of
from zincsmith.bench.link import Link
from zincsmith.bench.standin import RunningStandIn
from zincsmith.book.reader import BookReader
from zincsmith.judge.judging import judge_run
from zincsmith.model.errors import InputError, LimitError
from zincsmith.model.events import Effected, HandSetting, PointTaken
from zincsmith.model.operating_point import LoadLaw, OperatingPoint, operating_point
from zincsmith.model.plan import Plan
from zincsmith.model.rig import Dummy, Rig
from zincsmith.model.unit import Unit
from zincsmith.planning.rehearsal import rehearse
from zincsmith.procedures.plan_file import check_plan, read_plan, write_plan
from zincsmith.words.log_words import Entry, LogBook

StartStandIn = Callable[..., RunningStandIn]


def by(plan: Plan, law: LoadLaw) -> Plan:
    return replace(plan, parts=(replace(plan.parts[0], law=law),))  # type: ignore[call-arg]


@given(st.sampled_from(["CC", "CR", "CP"]), st.floats(0.5, 400.0), st.floats(0.001, 100.0), st.floats(0.5, 1.5))
def test_what_a_load_is_set_to_takes_the_current_it_was_set_for(
    law: LoadLaw, volts: float, amps: float, sag: float
) -> None:
    """Ohm's law and P = V I; when the volts sag, a resistance takes less and a power takes more."""
    level = level_of(law, -volts, amps)
    assert level is not None
    assert current_of(law, level, volts) == pytest.approx(amps, rel=1e-12)
    power = {"CC": 0, "CR": 1, "CP": -1}[law]
    assert current_of(law, level, sag * volts) == pytest.approx(amps * sag**power, rel=1e-9)


@pytest.mark.parametrize(("law", "command", "level"), [("CR", "RES", 24.0 / 2.5), ("CP", "POW", 60.0)])
def test_a_grid_is_taken_by_a_law(
    tmp_path: Path,
    unit: Unit,
    rig: Rig,
    tiny_plan: Plan,
    standin: StartStandIn,
    law: LoadLaw,
    command: str,
    level: float,
) -> None:
    """Over sockets: the law is chosen with the input off, the level set, and what is drawn follows the volts there."""
    scene = Scene.set_up(tmp_path, unit, rig, by(tiny_plan, law), standin().addresses)
    assert scene.run(Actor()).outcome == "complete"
    said = [str(text) for role, text in told(tmp_path / "bench.log") if role == "load"]
    assert f"FUNC {command}" in said
    last = max(n for n, text in enumerate(said) if text.startswith(f"{command} "))
    assert float(said[last].split()[1]) == pytest.approx(level, rel=1e-4)
    chosen = said.index(f"FUNC {command}")
    assert "INP 1" not in said[:chosen] or said[:chosen][::-1].index("INP 0") < said[:chosen][::-1].index("INP 1")
    point = next(w.event.point for w in scene.events(PointTaken) if w.event.point.at.load_percent == 100.0)
    volts, amps = (point.need(q).number for q in ("output_voltage", "output_current"))
    assert rig.standin is not None
    volts -= amps * rig.standin.lead_ohm  # the load works at its own end of the leads
    its_meter = 0.012  # 0.05 % and 0.05 % of 20 A
    assert amps == pytest.approx(volts / level if law == "CR" else level / volts, abs=its_meter)
    assert point.at.conditions["load_ohm" if law == "CR" else "load_W"] == pytest.approx(level)
    assert "constant" in point.at.words
    with BookReader(scene.path) as book:
        judged = judge_run(book)
        said_in_log = [
            entry.detail for one in LogBook().take(book.events(run=1)) for entry in one if isinstance(entry, Entry)
        ]
    assert any(
        f"constant {'resistance, 9.6 ohm' if law == 'CR' else 'power, 60 W'}, on" in text for text in said_in_log
    )
    assert not [text for text in said_in_log if " 0 ohm" in text], "no load is no short"
    assert not [d for j in judged.judged for d in j.finding.doubts if d.code == "load_not_reached"]
    effected = [w.event.body for w in scene.events(Effected) if w.event.action == "SetLoad" and w.event.body["on"]]
    assert {body["law"] for body in effected} == {law}


def test_a_load_that_somebody_left_in_another_mode_draws_constant_current(
    tmp_path: Path, unit: Unit, rig: Rig, tiny_plan: Plan, standin: StartStandIn
) -> None:
    """Nobody knows how the front panel was left: the law is said once before the load is first switched on."""
    addresses = standin().addresses
    person = Link("load", addresses["load"])
    person.open()
    person.write("RES 3")
    person.write("FUNC RES")
    assert person.query("FUNC?") == "RES"
    person.close()
    scene = Scene.set_up(tmp_path, unit, rig, tiny_plan, addresses)
    assert scene.run(Actor()).outcome == "complete"
    point = next(w.event.point for w in scene.events(PointTaken) if w.event.point.at.load_percent == 100.0)
    assert point.need("output_current").number == pytest.approx(2.5, rel=0.003)


def test_what_a_load_cannot_do_is_refused_before_anything_is_sent(unit: Unit, rig: Rig, tiny_plan: Plan) -> None:
    load = rig.need("load")
    plain = replace(load, how="by hand", dummy=None)
    few = replace(load, dialect_text=NO_MODES, dialect="")
    with pytest.raises(LimitError, match="constant power; it can only do: constant current"):
        rehearse(unit, with_load(rig, few), by(tiny_plan, "CP"))
    rehearse(unit, with_load(rig, plain), by(tiny_plan, "CP"))
    rehearse(unit, with_load(rig, replace(plain, dummy=Dummy("resistor", 9.6))), by(tiny_plan, "CR"))
    with pytest.raises(LimitError, match="constant resistance; it can only do: constant current"):
        rehearse(unit, with_load(rig, replace(plain, dummy=Dummy("transistor"))), by(tiny_plan, "CR"))
    small = replace(load, most={"current_A": 20.0, "power_W": 40.0})
    with pytest.raises(LimitError, match="load at 45 W; the most Osmary L3 can do is 40 W"):
        rehearse(unit, with_load(rig, small), tiny_plan)
    with pytest.raises(InputError, match="holds its volts"):
        check_plan(by(tiny_plan, "CV"))


def test_a_person_is_told_law_and_level(
    tmp_path: Path, unit: Unit, rig: Rig, tiny_plan: Plan, standin: StartStandIn
) -> None:
    hand = by_hand(rig, "load")
    scene = Scene.set_up(tmp_path, unit, hand, by(tiny_plan, "CR"), standin().addresses)
    scene.run(Actor(entries=["2.49", "0.0"]))
    asked = [w.event.text for w in scene.events(HandSetting) if w.event.role == "load"]
    assert any("constant resistance, 9.6 Ω" in text and "about 2.5 A" in text for text in asked), asked


def test_plans_and_published_conditions_keep_the_law(tmp_path: Path, tiny_plan: Plan) -> None:
    file = tmp_path / "plan.toml"
    file.write_text(write_plan(by(tiny_plan, "CP")), "utf-8")
    assert read_plan(file) == by(tiny_plan, "CP")
    for conditions in ({"input_voltage_V": 115.0, "frequency_Hz": 60.0, "load_percent": 50.0, "load_ohm": 19.2},
                       {"load_percent": 50.0, "load_W": 30.0}, {"load_percent": 50.0, "load_A": 1.25}):  # fmt: skip
        found: OperatingPoint = operating_point(conditions)
        assert found.conditions == conditions


def with_load(rig: Rig, load: object) -> Rig:
    return replace(rig, instruments=tuple(load if i.role == "load" else i for i in rig.instruments))  # type: ignore[misc]


NO_MODES = """
role = "load"
words = "load that knows nothing but amps"
[operation.set_current]
command = "CURR {value:.5f}"
[operation.get_current]
query = "CURR?"
reply = "number"
[operation.set_input]
command = "INP {value:d}"
[operation.get_input]
query = "INP?"
reply = "boolean"
[operation.read]
query = "MEAS:CURR?;VOLT?"
reply = "numbers"
quantities = ["output_current", "load_voltage"]
[operation.next_error]
query = "SYST:ERR?"
reply = "error"
"""
