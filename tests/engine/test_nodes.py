"""A place inside the unit: read like a port, waited for when the bench is made safe, and never forgotten when nobody
reads it."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest
from tests.engine.scripted import Actor, Scene, by_hand, telling_the_standin

from zincsmith.bench.standin import RunningStandIn
from zincsmith.book.reader import BookReader
from zincsmith.formats.unit_file import read_unit, unit_text
from zincsmith.history.run_view import RunView
from zincsmith.judge.judging import judge_run
from zincsmith.model.commands import Command
from zincsmith.model.errors import InputError
from zincsmith.model.events import GateOpened, PointTaken, SafeStep
from zincsmith.model.plan import Plan
from zincsmith.model.rig import Accuracy, Instrument, Rig
from zincsmith.model.states import State
from zincsmith.model.unit import Node, Unit
from zincsmith.procedures.hands_in.options import HandsInOptions
from zincsmith.words.bench_words import end_words
from zincsmith.words.live import live_of

StartStandIn = Callable[..., RunningStandIn]
METER = Instrument(
    "node_voltmeter", "simulated", "Fennhollow", "M7", port="bulk", most={"voltage_V": 1000.0},
    accuracy=(Accuracy("node_voltage", 600.0, 0.05, 0.02),),
)  # fmt: skip
BULK = "node_voltage@bulk"


def with_meter(rig: Rig, meter: Instrument = METER) -> Rig:
    return replace(rig, instruments=(*rig.instruments, meter))


def with_bulk(unit: Unit, **values: object) -> Unit:
    node = replace(unit.nameplate.nodes[0], **values)  # type: ignore[arg-type]
    return replace(unit, nameplate=replace(unit.nameplate, nodes=(node,)))


def test_a_node_is_read_with_every_point_and_seen_to_fall(
    tmp_path: Path, unit: Unit, rig: Rig, tiny_plan: Plan, standin: StartStandIn
) -> None:
    """Its volts at no load are the crest of the mains, closed form; under load the ripple takes some. Hands stay out
    for as long as it took to fall, and what was seen to fall is not called charged."""
    line = replace(tiny_plan.parts[0].lines_used[0])
    plan = replace(tiny_plan, parts=(*tiny_plan.parts, HandsInOptions(line=line, warm_up_s=0.0)))
    scene = Scene.set_up(tmp_path, with_bulk(unit, rated_V=170.0), with_meter(rig), plan, standin().addresses)
    closed = scene.run(Actor())
    assert (closed.outcome, closed.safe, closed.inside) == ("complete", True, ()), closed.why
    assert any(one.startswith("node fallen, bulk: ") for one in closed.seen), closed.seen
    points = [w.event.point for w in scene.events(PointTaken) if isinstance(w.event, PointTaken)]
    at = {p.at.load_percent: p.need(BULK).number for p in points}
    crest = math.sqrt(2.0) * line.voltage_V
    assert at[0.0] == pytest.approx(crest, rel=0.01)
    assert 0.75 * crest < at[100.0] < at[0.0]
    with BookReader(scene.path) as book:
        found = {j.finding.name: j.finding for j in judge_run(book).judged}
        gate = next(w.event for w in book.events(run=1, kinds=(GateOpened,)) if "Turn the board" in w.event.title)
        view, stood = RunView(plate=None), []
        for written in book.events(run=1):
            view.fold(written)
            view.plate = unit.nameplate
            place = next(p for p in view.live.places if p.what == "node")
            if not stood or stood[-1] != place.state:
                stood.append(place.state)
                assert place.since or place.state == "not known"
    assert found["node_voltage_max"].value == pytest.approx(at[0.0])
    assert [d.code for d in found["node_voltage_max"].doubts] == ["node_near_its_rating"]
    assert "What holds a charge: bulk (against bulk minus, rated 170 V)" in gate.text
    assert {"live", "charged", "low"} <= set(stood)


def test_what_nobody_reads_may_be_charged(scene: Scene) -> None:
    closed = scene.run(Actor())
    assert closed.safe
    assert closed.inside == ("bulk (against bulk minus, rated 400 V)",)
    assert "may be charged inside: bulk (against bulk minus, rated 400 V)" in end_words(closed)


def test_a_meter_that_fails_proves_nothing(
    tmp_path: Path, unit: Unit, rig: Rig, tiny_plan: Plan, standin: StartStandIn
) -> None:
    """It read the node live and does not answer any more: nobody has seen the node fall, and the bench is not called
    off."""
    scene = Scene.set_up(tmp_path, unit, with_meter(rig), tiny_plan, standin().addresses)
    said: list[str] = []

    def fails(state: State, calls: int) -> list[Command]:
        if state is State.RUNNING and calls > 40 and not said:
            said.append("FAUL node_voltmeter@bulk,SILENT")
            tell(said[0])
        return []

    with telling_the_standin() as tell:
        closed = scene.run(Actor(fails))
    assert closed.outcome == "failed"
    assert "node voltmeter@bulk" in closed.why
    assert not closed.safe
    assert any("node fallen, bulk" in one for one in closed.unconfirmed)
    assert closed.inside == ("bulk (against bulk minus, rated 400 V)",)
    steps = [w.event for w in scene.events(SafeStep) if isinstance(w.event, SafeStep)]
    assert not any(s.step == "node fallen, bulk" and s.confirmed for s in steps)


def test_a_person_reads_a_node(tmp_path: Path, unit: Unit, rig: Rig, tiny_plan: Plan, standin: StartStandIn) -> None:
    """Asked for with every point, with what is to be expected of the line."""
    hand = replace(METER, how="by hand", spot="across C1")
    scene = Scene.set_up(tmp_path, unit, by_hand(with_meter(rig, hand)), tiny_plan, standin().addresses)
    closed = scene.run(Actor(entries=["148.5", "162.1"]))
    assert closed.outcome == "complete", closed.why
    points = [w.event.point for w in scene.events(PointTaken) if isinstance(w.event, PointTaken)]
    assert [p.need(BULK).value for p in points] == [148.5, 162.1]
    assert closed.inside, "what was typed earlier says nothing of now"


def test_between_ports_nothing_is_gone_before_both_are(unit: Unit) -> None:
    """An idle stage passes its input on; a capacitor behind a diode stays charged: one port that reads low is not
    enough. What only a standby rail keeps alive is alive."""
    plate = unit.nameplate
    states = {
        name: {p.what: p.state for p in live_of(read, on, False, (), {"": 24.0}, plate).places}
        for name, read, on in (
            ("fed", {"input_voltage": 230.0, "output_voltage": 0.1}, True),
            ("output holds", {"input_voltage": 0.1, "output_voltage": 23.0}, False),
            ("both low", {"input_voltage": 0.1, "output_voltage": 0.1}, False),
            ("nobody reads the input", {"output_voltage": 0.1}, False),
            ("read low, input on", {"input_voltage": 230.0, "output_voltage": 0.1, BULK: 2.0}, True),
            ("read high", {"input_voltage": 0.1, "output_voltage": 0.1, BULK: 320.0}, False),
            ("all low", {"input_voltage": 0.1, "output_voltage": 0.1, BULK: 2.0}, False),
        )
    }
    assert {name: one["node"] for name, one in states.items()} == {
        "fed": "live", "output holds": "live", "both low": "may be charged", "nobody reads the input": "not known",
        "read low, input on": "may be live", "read high": "charged", "all low": "low",
    }  # fmt: skip
    charged = live_of({"input_voltage": 0.1, "output_voltage": 0.1, BULK: 320.0}, False, False, (), {"": 24.0}, plate)
    assert (charged.state, charged.headline) == ("charged", "Input off, the inside still live")
    assert "bulk still reads 320.0 V" in charged.told
    rails = read_unit(Path(__file__).parents[2] / "examples" / "units" / "ferrowby-px350.toml").nameplate
    fed = live_of({"input_voltage": 230.0, "output_voltage@+12 V": 0.0}, True, False, (), {"+12 V": 12.0}, rails)
    standby = next(o.name for o in rails.outputs if o.standby)
    assert next(p for p in fed.places if p.name == standby).state == "live"


@pytest.mark.parametrize(
    ("values", "key"),
    [({"name": ""}, "name"), ({"reference": " "}, "reference"), ({"rated_V": -1.0}, "rated_V"),
     ({"rated_V": 1e6}, "rated_V"), ({"between": ("nowhere",)}, "between")],
)  # fmt: skip
def test_a_node_that_cannot_be_is_refused(unit: Unit, tmp_path: Path, values: dict[str, object], key: str) -> None:
    file = tmp_path / "unit.toml"
    file.write_text(unit_text(with_bulk(unit, **values)))
    with pytest.raises(InputError) as error:
        read_unit(file)
    assert key in str(error.value)
    good = with_bulk(unit, loop="C1 and the bridge", between=("input",))
    file.write_text(unit_text(good))
    assert read_unit(file).nameplate.nodes == (
        Node("bulk", "primary", "bulk minus", 400.0, ("input",), "C1 and the bridge"),
    )
