"""Whole runs over real sockets, with a scripted person: order of events, entries, stops, failures."""

from collections.abc import Callable
from dataclasses import replace
from itertools import pairwise, product
from pathlib import Path

import pytest
from tests.conftest import bench_log, last_row, sampled

from zincsmith.analysis.point_doubts import point_doubts
from zincsmith.bench.link import Link
from zincsmith.bench.standin import RunningStandIn
from zincsmith.book.reader import BookReader, Written
from zincsmith.book.writer import BookWriter
from zincsmith.engine.session import Session, Start
from zincsmith.model.commands import Abort, Command, Enter, Gone, MakeSafe, Note, Pass
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


class Person:
    """Passes the gate, types ``entries`` when asked, and does ``then`` once ``when`` is true of (polls, state)."""

    def __init__(self, entries: list[str] | None = None) -> None:
        self.entries = list(entries or [])
        self.state = State.IDLE
        self.calls = 0
        self.when: Callable[[int], bool] = lambda _calls: False
        self.then: Callable[[], list[Command]] = list

    def announce(self, seq: int, state: State) -> None:
        self.state = state

    def refuse(self, do: str, reason: str) -> None:
        raise AssertionError(f"{do}: {reason}")

    def commands(self, wait_s: float) -> list[Command]:
        if self.state is State.RUNNING:
            self.calls += 1
        if self.when(self.calls):
            self.when = lambda _calls: False
            return self.then()
        if self.state is State.GATE:
            return [Pass()]
        if self.state is State.ASKING:
            return [Enter(self.entries.pop(0))] if self.entries else [Gone("nobody answers")]
        return []


class Bench:
    """A book with unit, rig and plan on a stand-in bench, ready to run."""

    def __init__(self, folder: Path, unit: Unit, rig: Rig, plan: Plan, addresses: dict[str, str]) -> None:
        self.path, self.addresses, self.unit = folder / "run.zbook", addresses, unit
        with BookWriter(self.path) as book:
            book.revise("unit", unit.tag, unit, "test")
            book.revise("rig", "bench", rig, "test")
            book.revise("plan", "plan", plan, "test")

    def run(self, person: Person) -> RunClosed:
        with BookWriter(self.path) as book:
            return Session(book, person).run(self.unit.tag, Start("Tester", 23.0), self.addresses)

    def events(self, *kinds: type) -> list[Written]:
        with BookReader(self.path) as reader:
            return list(reader.events(run=1, kinds=kinds))


@pytest.fixture
def bench(tmp_path: Path, unit: Unit, rig: Rig, tiny_plan: Plan, standin: StartStandIn) -> Bench:
    return Bench(tmp_path, unit, rig, tiny_plan, standin().addresses)


def by_hand(rig: Rig) -> Rig:
    return replace(
        rig, instruments=tuple(replace(i, how="by hand") if i.role == "thermometer" else i for i in rig.instruments)
    )


def test_a_run_is_written_intent_first_and_ends_safe(bench: Bench, tmp_path: Path) -> None:
    closed = bench.run(Person())
    assert (closed.outcome, closed.safe, closed.unconfirmed) == ("complete", True, ())
    events = bench.events()
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


def test_bench_time_is_polled_without_gaps(bench: Bench) -> None:
    bench.run(Person())
    times = [w.bench_s for w in bench.events(Polled)]
    assert all(b - a <= 2.0 + 1e-6 for a, b in pairwise(times) if b > a)
    assert times[-1] > 30.0


def test_readings_by_hand_are_asked_for_and_nonsense_refused(
    tmp_path: Path, unit: Unit, rig: Rig, tiny_plan: Plan, standin: StartStandIn
) -> None:
    bench = Bench(tmp_path, unit, by_hand(rig), tiny_plan, standin().addresses)
    closed = bench.run(Person(["hot", "44.3 A", "44.3 C"]))
    assert closed.outcome == "complete"
    refused = [w.event for w in bench.events(EntryRefused)]
    assert [r.text for r in refused] == ["hot", "44.3 A"]
    assert "°C" in refused[1].reason
    taken = bench.events(EntryTaken)[0].event.reading
    assert (taken.value, taken.how, taken.text) == (44.3, "by hand", "44.3 C")
    point = bench.events(PointTaken)[0].event.point
    assert point.get("case_temperature") == taken


def test_a_dash_is_kept_as_not_read(
    tmp_path: Path, unit: Unit, rig: Rig, tiny_plan: Plan, standin: StartStandIn
) -> None:
    bench = Bench(tmp_path, unit, by_hand(rig), tiny_plan, standin().addresses)
    assert bench.run(Person(["-"])).outcome == "complete"
    assert bench.events(EntryTaken)[0].event.reading.value is None


@pytest.mark.parametrize(("do", "outcome"), [(Abort, "aborted"), (MakeSafe, "made safe"), (Gone, "made safe")])
@pytest.mark.parametrize("after", [2, 9, 30])
def test_a_person_can_stop_it_at_any_time(
    bench: Bench, tmp_path: Path, do: type[Abort], outcome: str, after: int
) -> None:
    person = Person()
    person.when = lambda calls: calls >= after
    person.then = lambda: [do("enough")]
    closed = bench.run(person)
    assert (closed.outcome, closed.why, closed.safe) == (outcome, "enough", True)
    assert last_row(tmp_path / "bench.log")["source_on"] is False
    assert last_row(tmp_path / "bench.log")["load_on"] is False


def test_stopping_at_the_gate_switches_nothing_on(bench: Bench, tmp_path: Path) -> None:
    class Careful(Person):
        def commands(self, wait_s: float) -> list[Command]:
            return [Abort("not today")] if self.state is State.GATE else []

    assert bench.run(Careful()).outcome == "aborted"
    assert not any(row["source_on"] for row in bench_log(tmp_path / "bench.log"))


def test_notes_are_kept_with_their_moment(bench: Bench) -> None:
    person = Person()
    person.when = lambda calls: calls >= 5
    person.then = lambda: [Note("smells of nothing")]
    bench.run(person)
    note = bench.events(Noted)[0]
    assert note.event.text == "smells of nothing"
    assert note.bench_s is not None
    assert note.bench_s > 0.0


# When: during the settings of the ramp, and while a point settles and is averaged.
MOMENTS = (8, 60)


# Each role, each fault and each moment in the short run.
FAULTS = {("power_meter", "LATE", 60), ("load", "SILENT", 8), ("load", "OTHER", 60), ("power_meter", "SILENT", 60)}


@pytest.mark.parametrize(
    ("role", "fault", "moment"),
    sampled(product(("power_meter", "load"), ("LATE", "OTHER", "SILENT"), MOMENTS), FAULTS),
)
def test_a_fault_during_any_kind_of_action_ends_safe(
    bench: Bench, tmp_path: Path, role: str, fault: str, moment: int
) -> None:
    person = Person()
    person.when = lambda calls: calls >= moment
    person.then = lambda: person.inject(f"FAUL {role},{fault}") or []  # type: ignore[func-returns-value]
    closed = run_with_access(bench, person)
    assert closed.outcome == "failed"
    log = bench_log(tmp_path / "bench.log")
    assert log[-1]["source_on"] is False
    missing = {
        "load": ("Load Osmary L3: switch its input off", "not seen: output fallen (the voltmeter (output volts) still"),
        "power_meter": ("not seen: input gone (the power meter",),
    }
    assert closed.safe or all(line.startswith(missing[role]) for line in closed.unconfirmed)
    with BookReader(bench.path) as reader:
        kept = [w.seq for w in reader.events(run=1)]
    assert kept == list(range(kept[0], kept[0] + len(kept))), "nothing that was written is lost"


@pytest.mark.parametrize(
    ("mishap", "outcome"), [("MAINS", "tripped"), ("TRIP", "tripped"), ("DRIFT", "complete"), ("LOADTRIP", "complete")]
)
def test_a_mishap_of_the_bench_is_noticed(bench: Bench, mishap: str, outcome: str) -> None:
    """Lost mains or a source that trips stop the unit; a source that drifts and a load that trips are doubted."""
    person = Person()
    person.when = lambda calls: calls >= 50
    person.then = lambda: person.inject(f"FAUL bench,{mishap}") or []  # type: ignore[func-returns-value]
    closed = run_with_access(bench, person)
    assert (closed.outcome, closed.safe) == (outcome, True)
    if outcome == "tripped":
        assert "Output volts" in closed.why
        return
    points = [w.event.point for w in bench.events(PointTaken)]
    codes = {d.code for p in points for d in point_doubts(p, ("output_voltage",))}
    assert {"DRIFT": "source_out_of_tolerance", "LOADTRIP": "load_not_reached"}[mishap] in codes


ROLES = ("power_meter", "voltmeter", "load", "ac_source")
# Each role and each kind of failure in the short run.
FAILING = {("power_meter", "SILENT"), ("voltmeter", "DROP"), ("load", "RUBBISH"), ("ac_source", "SILENT")}


@pytest.mark.parametrize(("role", "fault"), sampled(product(ROLES, ("SILENT", "DROP", "RUBBISH")), FAILING))
def test_a_failing_instrument_ends_the_run_safe_as_far_as_it_answers(
    bench: Bench, tmp_path: Path, role: str, fault: str
) -> None:
    person = Person()
    person.when = lambda calls: calls >= 20

    def fail() -> list[Command]:
        # The clock port takes one connection; the run holds it, so the fault goes in over the run's own link.
        person.inject(f"FAUL {role},{fault}")
        return []

    person.then = fail
    closed = run_with_access(bench, person)
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
    with BookReader(bench.path) as reader:
        polls = list(reader.events(run=1, kinds=(Polled,)))
    assert len(polls) >= 5, "what was read before the failure is kept"


def run_with_access(bench: Bench, person: Person) -> RunClosed:
    """Run with a way to the clock's own link, over which the stand-in is told to misbehave."""
    from zincsmith.bench import bench as module

    opened: list[Link] = []
    original = module.Link

    class Remembered(Link):
        def open(self) -> None:
            super().open()
            opened.append(self)

    module.Link = Remembered  # type: ignore[misc]
    person.inject = lambda text: next(x for x in opened if x.role == "clock").write(text)  # type: ignore[attr-defined]
    try:
        return bench.run(person)
    finally:
        module.Link = original  # type: ignore[misc]


def test_nobody_at_the_address_is_said_and_nothing_is_switched_on(
    tmp_path: Path, unit: Unit, rig: Rig, tiny_plan: Plan, standin: StartStandIn
) -> None:
    addresses = {**standin().addresses, "voltmeter": "TCPIP::127.0.0.1::9::SOCKET"}
    bench = Bench(tmp_path, unit, rig, tiny_plan, addresses)
    closed = bench.run(Person())
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
    bench = Bench(tmp_path, lower, rig, tiny_plan, standin().addresses)
    closed = bench.run(Person())
    assert closed.outcome == "tripped"
    tripped = bench.events(Tripped)[0].event
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
    bench = Bench(tmp_path, unit, rig, Plan("cold", (cold,)), standin().addresses)
    bench.run(Person())
    assert bench.events(PointTaken)[0].event.point.settled is False


def test_a_run_that_cannot_be_armed_leaves_no_trace(tmp_path: Path, unit: Unit, rig: Rig, tiny_plan: Plan) -> None:
    too_high = replace(tiny_plan, parts=(replace(grid_of(tiny_plan.parts), lines=(Line(400.0, 50.0),)),))
    bench = Bench(tmp_path, unit, rig, too_high, {})
    with pytest.raises(InputError, match="400 V"):
        bench.run(Person())
    with BookReader(bench.path) as reader:
        assert reader.runs() == []


def test_the_same_seed_gives_the_same_readings(
    tmp_path: Path, unit: Unit, rig: Rig, tiny_plan: Plan, standin: StartStandIn
) -> None:
    def values(folder: str, seed: int) -> list[float]:
        place = tmp_path / folder
        place.mkdir()
        bench = Bench(place, unit, rig, tiny_plan, standin(seed=seed).addresses)
        bench.run(Person())
        return [r.value for w in bench.events(PointTaken) for r in w.event.point.readings]

    first = values("a", 7)
    assert values("b", 7) == first
    assert values("c", 8) != first
