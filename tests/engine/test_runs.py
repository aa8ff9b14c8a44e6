"""Whole runs over real sockets, with a scripted person: order of events, entries, stops, failures."""

from collections.abc import Callable
from dataclasses import replace
from itertools import pairwise, product
from pathlib import Path

import pytest
from tests.conftest import bench_log, last_row, sampled
from tests.engine.scripted import Actor, Once, Scene, by_hand, running, telling_the_standin

from zincsmith.analysis.point_doubts import point_doubts
from zincsmith.bench.standin import RunningStandIn
from zincsmith.book.reader import BookReader
from zincsmith.model.commands import Abort, Command, Gone, MakeSafe, Note
from zincsmith.model.errors import InputError
from zincsmith.model.events import (
    Effected,
    EntryRefused,
    EntryTaken,
    GatePassed,
    Intended,
    Noted,
    PointTaken,
    Polled,
    RunClosed,
    SafeStep,
    StateChanged,
    Tripped,
)
from zincsmith.model.plan import Line, Plan
from zincsmith.model.rig import Rig
from zincsmith.model.states import State
from zincsmith.model.unit import Unit
from zincsmith.procedures.static_grid.options import GridOptions, grid_of

StartStandIn = Callable[..., RunningStandIn]
ADDRESSES: dict[str, str] = {}


def test_a_run_is_written_intent_first_and_ends_safe(scene: Scene, tmp_path: Path) -> None:
    closed = scene.run(Actor())
    assert (closed.outcome, closed.safe, closed.unconfirmed) == ("complete", True, ())
    events = scene.events()
    settings = ("SetSource", "SetLoad")
    switches = [w.event for w in events if isinstance(w.event, Intended | Effected) and w.event.action in settings]
    for intended, effected in zip(switches[::2], switches[1::2], strict=True):
        assert isinstance(intended, Intended)
        assert isinstance(effected, Effected)
        assert intended.action == effected.action
    gate = next(w.seq for w in events if isinstance(w.event, GatePassed))
    first_on = next(w.seq for w in events if isinstance(w.event, Intended) and w.event.body.get("on"))
    assert gate < first_on, "nothing is switched on before the gate is passed"
    assert isinstance(events[-1].event, StateChanged)
    assert events[-1].event.state == "safe"
    assert next(w.event.step for w in events if isinstance(w.event, SafeStep)) == "AC source off"
    points = [w.event.point for w in events if isinstance(w.event, PointTaken)]
    assert [point.at.load_percent for point in points] == [100.0, 0.0]
    assert last_row(tmp_path / "bench.log")["source_on"] is False


def test_bench_time_is_polled_without_gaps(scene: Scene) -> None:
    scene.run(Actor())
    times = [w.bench_s for w in scene.events(Polled)]
    assert all(b - a <= 2.0 + 1e-6 for a, b in pairwise(times) if b > a)
    assert times[-1] > 30.0


def test_readings_by_hand_are_asked_for_and_nonsense_refused(
    tmp_path: Path, unit: Unit, rig: Rig, tiny_plan: Plan, standin: StartStandIn
) -> None:
    scene = Scene.set_up(tmp_path, unit, by_hand(rig, "thermometer"), tiny_plan, standin().addresses)
    closed = scene.run(Actor(entries=["hot", "44.3 A", "44.3 C"]))
    assert closed.outcome == "complete"
    refused = [w.event for w in scene.events(EntryRefused)]
    assert [r.text for r in refused] == ["hot", "44.3 A"]
    assert "°C" in refused[1].reason
    taken = scene.events(EntryTaken)[0].event.reading
    assert (taken.value, taken.how, taken.text) == (44.3, "by hand", "44.3 C")
    point = scene.events(PointTaken)[0].event.point
    assert point.get("case_temperature") == taken


def test_a_dash_is_kept_as_not_read(
    tmp_path: Path, unit: Unit, rig: Rig, tiny_plan: Plan, standin: StartStandIn
) -> None:
    scene = Scene.set_up(tmp_path, unit, by_hand(rig, "thermometer"), tiny_plan, standin().addresses)
    assert scene.run(Actor(entries=["-"])).outcome == "complete"
    assert scene.events(EntryTaken)[0].event.reading.value is None


@pytest.mark.parametrize(("do", "outcome"), [(Abort, "aborted"), (MakeSafe, "made safe"), (Gone, "made safe")])
@pytest.mark.parametrize("after", [2, 9, 30])
def test_a_person_can_stop_it_at_any_time(
    scene: Scene, tmp_path: Path, do: type[Abort], outcome: str, after: int
) -> None:
    person = Actor(Once(running(after), do("enough")))
    closed = scene.run(person)
    assert (closed.outcome, closed.why, closed.safe) == (outcome, "enough", True)
    assert last_row(tmp_path / "bench.log")["source_on"] is False
    assert last_row(tmp_path / "bench.log")["load_on"] is False


def test_stopping_at_the_gate_switches_nothing_on(scene: Scene, tmp_path: Path) -> None:
    careful = Actor(lambda state, calls: [Abort("not today")] if state is State.GATE else [])
    assert scene.run(careful).outcome == "aborted"
    assert not any(row["source_on"] for row in bench_log(tmp_path / "bench.log"))


def test_notes_are_kept_with_their_moment(scene: Scene) -> None:
    person = Actor(Once(running(5), Note("smells of nothing")))
    scene.run(person)
    note = scene.events(Noted)[0]
    assert note.event.text == "smells of nothing"
    assert note.bench_s is not None
    assert note.bench_s > 0.0


# When: during the settings of the ramp, and while a point settles and is averaged.
MOMENTS = (8, 60)


# Each role and each moment in the short run.
FAULTS = {("power_meter", "LATE", 60), ("load", "SILENT", 8)}


@pytest.mark.parametrize(
    ("role", "fault", "moment"),
    sampled(product(("power_meter", "load"), ("LATE", "OTHER", "SILENT"), MOMENTS), FAULTS),
)
def test_a_fault_during_any_kind_of_action_ends_safe(
    scene: Scene, tmp_path: Path, role: str, fault: str, moment: int
) -> None:
    closed = run_and_inject(scene, moment, f"FAUL {role},{fault}")
    assert closed.outcome == "failed"
    log = bench_log(tmp_path / "bench.log")
    assert log[-1]["source_on"] is False
    missing = {
        "load": ("Load Osmary L3: switch its input off", "not seen: output fallen (the voltmeter (output volts) still"),
        "power_meter": ("not seen: input gone (the power meter",),
    }
    assert closed.safe or all(line.startswith(missing[role]) for line in closed.unconfirmed)
    with BookReader(scene.path) as reader:
        kept = [w.seq for w in reader.events(run=1)]
    assert kept == list(range(kept[0], kept[0] + len(kept))), "nothing that was written is lost"


@pytest.mark.parametrize(
    ("mishap", "outcome"), [("MAINS", "tripped"), ("TRIP", "tripped"), ("DRIFT", "complete"), ("LOADTRIP", "complete")]
)
def test_a_mishap_of_the_bench_is_noticed(scene: Scene, mishap: str, outcome: str) -> None:
    """Lost mains or a source that trips stop the unit; a source that drifts and a load that trips are doubted."""
    closed = run_and_inject(scene, 50, f"FAUL bench,{mishap}")
    assert (closed.outcome, closed.safe) == (outcome, True)
    if outcome == "tripped":
        assert "Output volts" in closed.why
        return
    points = [w.event.point for w in scene.events(PointTaken)]
    codes = {d.code for p in points for d in point_doubts(p, ("output_voltage",))}
    assert {"DRIFT": "source_out_of_tolerance", "LOADTRIP": "load_not_reached"}[mishap] in codes


ROLES = ("power_meter", "voltmeter", "load", "ac_source")
# Each kind of failure in the short run.
FAILING = {("voltmeter", "DROP"), ("load", "RUBBISH"), ("ac_source", "SILENT")}


@pytest.mark.parametrize(("role", "fault"), sampled(product(ROLES, ("SILENT", "DROP", "RUBBISH")), FAILING))
def test_a_failing_instrument_ends_the_run_safe_as_far_as_it_answers(
    scene: Scene, tmp_path: Path, role: str, fault: str
) -> None:
    closed = run_and_inject(scene, 20, f"FAUL {role},{fault}")
    if role == "ac_source":
        # Nobody polls the source: the run only meets the fault when it next sets or switches it.
        assert closed.outcome in ("failed", "complete")
    else:
        assert closed.outcome == "failed"
        assert role.replace("_", " ") in closed.why
    assert closed.safe is (role == "voltmeter"), "the load shows too that the output fell"
    if not closed.safe:
        named = {"ac_source": "AC source", "load": "Load", "power_meter": "not seen: input gone (the power meter"}
        assert closed.unconfirmed[0].startswith(named[role])
        signs = [line for line in closed.unconfirmed[1:] if line.startswith("not seen: ")]
        assert len(closed.unconfirmed) == 1 + len(signs)
        if role == "ac_source" and bench_log(tmp_path / "bench.log")[-1]["source_on"]:
            assert "input gone (the power meter (input volts) still reads 11" in signs[0], (
                "it stayed on, and that shows"
            )
    last = last_row(tmp_path / "bench.log")
    if role != "ac_source":
        assert last["source_on"] is False
    with BookReader(scene.path) as reader:
        polls = list(reader.events(run=1, kinds=(Polled,)))
    assert len(polls) >= 5, "what was read before the failure is kept"


def run_and_inject(scene: Scene, moment: int, fault: str) -> RunClosed:
    """Run, and tell the stand-in to misbehave while it goes on."""
    once = running(moment)
    told: list[str] = []

    def misbehave(state: State, calls: int) -> list[Command]:
        if not told and once(state, calls):
            told.append(fault)
            tell(fault)
        return []

    with telling_the_standin() as tell:
        return scene.run(Actor(misbehave))


def test_nobody_at_the_address_is_said_and_nothing_is_switched_on(
    tmp_path: Path, unit: Unit, rig: Rig, tiny_plan: Plan, standin: StartStandIn
) -> None:
    addresses = {**standin().addresses, "voltmeter": "TCPIP::127.0.0.1::9::SOCKET"}
    scene = Scene.set_up(tmp_path, unit, rig, tiny_plan, addresses)
    closed = scene.run(Actor())
    assert closed.outcome == "failed"
    assert "voltmeter at TCPIP::127.0.0.1::9::SOCKET" in closed.why
    assert "check" in closed.why
    assert closed.safe, "source and load did answer"
    assert not any(row["source_on"] for row in bench_log(tmp_path / "bench.log"))


def test_an_output_above_what_the_plate_explains_trips(
    tmp_path: Path, unit: Unit, rig: Rig, tiny_plan: Plan, standin: StartStandIn
) -> None:
    plate = unit.nameplate
    lower = replace(unit, nameplate=replace(plate, outputs=(replace(plate.output, voltage_V=19.0, power_W=47.5),)))
    scene = Scene.set_up(tmp_path, lower, rig, tiny_plan, standin().addresses)
    closed = scene.run(Actor())
    assert closed.outcome == "tripped"
    tripped = scene.events(Tripped)[0].event
    assert tripped.quantity == "output_voltage"
    assert tripped.value == pytest.approx(24.0, abs=0.3)
    assert "115 % of the nameplate's output voltage" in closed.why
    assert closed.safe


def test_a_point_that_does_not_settle_says_so(tmp_path: Path, unit: Unit, rig: Rig, standin: StartStandIn) -> None:
    cold = GridOptions(
        lines=(Line(115.0, 60.0),),
        loads_percent=(100.0,),
        warm_up_s=0.0,
        settle_at_most_s=12.0,
        settled_percent=1e-4,
        settled_window_s=8.0,
        average_s=2.0,
    )
    scene = Scene.set_up(tmp_path, unit, rig, Plan("cold", (cold,)), standin().addresses)
    scene.run(Actor())
    assert scene.events(PointTaken)[0].event.point.settled is False


def test_a_run_that_cannot_be_armed_leaves_no_trace(tmp_path: Path, unit: Unit, rig: Rig, tiny_plan: Plan) -> None:
    too_high = replace(tiny_plan, parts=(replace(grid_of(tiny_plan.parts), lines=(Line(400.0, 50.0),)),))
    scene = Scene.set_up(tmp_path, unit, rig, too_high, {})
    with pytest.raises(InputError, match="400 V"):
        scene.run(Actor())
    with BookReader(scene.path) as reader:
        assert reader.runs() == []


def test_the_same_seed_gives_the_same_readings(
    tmp_path: Path, unit: Unit, rig: Rig, tiny_plan: Plan, standin: StartStandIn
) -> None:
    def values(folder: str, seed: int) -> list[float]:
        place = tmp_path / folder
        place.mkdir()
        scene = Scene.set_up(place, unit, rig, tiny_plan, standin(seed=seed).addresses)
        scene.run(Actor())
        return [r.value for w in scene.events(PointTaken) for r in w.event.point.readings]

    first = values("a", 7)
    assert values("b", 7) == first
    assert values("c", 8) != first
