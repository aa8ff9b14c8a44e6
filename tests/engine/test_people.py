"""What a person may do in a run: pause, skip, repeat, reject, correct, mark; and settings made by hand."""

import socket
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest
from tests.conftest import bench_log, last_row
from tests.engine.scripted import Actor, Once, Scene, by_hand, first_of, running

from zincsmith.bench.link import Link
from zincsmith.bench.standin import RunningStandIn
from zincsmith.book.reader import BookReader
from zincsmith.book.writer import BookWriter
from zincsmith.engine.session import Session, Start
from zincsmith.guard.watch_over import GuardLost, NoGuard
from zincsmith.judge.evidence import evidence_of
from zincsmith.judge.judging import judge_run
from zincsmith.model.commands import (
    Command,
    Correct,
    Enter,
    Gone,
    GoOn,
    Mark,
    Note,
    Pass,
    Pause,
    Reject,
    Repeat,
    Resume,
    SkipPart,
    SkipStep,
)
from zincsmith.model.errors import InputError
from zincsmith.model.events import (
    EntryAsked,
    EntryCorrected,
    EntryRefused,
    EntryTaken,
    GateOpened,
    HandSet,
    HandSetting,
    Marked,
    PartEnded,
    Passed,
    PointRejected,
    PointTaken,
    Polled,
    Remarked,
    RunOpened,
    SafeStep,
    StateChanged,
    StopRuleMet,
)
from zincsmith.model.plan import Plan
from zincsmith.model.rig import Accuracy, Dummy, Rig
from zincsmith.model.states import State
from zincsmith.model.unit import Unit
from zincsmith.showing.reading_words import reading_words

StartStandIn = Callable[..., RunningStandIn]


def test_a_pause_stays_live_and_watched_and_says_what_stays_on(scene: Scene) -> None:
    paused: list[int] = []

    def resume_later(state: State, calls: int) -> list[Command]:
        if state is State.PAUSED:
            paused.append(calls)
            return [Resume()] if len(paused) > 3 else []
        return []

    actor = Actor(first_of(Once(running(12), Pause()), resume_later))
    assert scene.run(actor).outcome == "complete"
    changes = [w for w in scene.events(StateChanged) if w.event.state == "paused"]
    assert len(changes) == 1
    assert "115 V at the input" in changes[0].event.why
    assert "of load stay on" in changes[0].event.why
    resumed = next(w for w in scene.events(StateChanged) if w.seq > changes[0].seq)
    between = [w for w in scene.events(Polled) if changes[0].seq < w.seq < resumed.seq]
    assert len(between) >= 3, "a pause goes on polling"
    assert all(w.event.source_on for w in between)
    assert len(scene.events(PointTaken)) == 2


def test_a_skipped_wait_skips_its_point_and_no_more(scene: Scene) -> None:
    with_points = Actor(
        first_of(Once(lambda state, calls: len(scene.events(PointTaken)) == 1 and running(0)(state, calls),
                      SkipStep()))
    )  # fmt: skip
    closed = scene.run(with_points)
    assert closed.outcome == "complete"
    assert [w.event.point.number for w in scene.events(PointTaken)] == [1]
    assert len(scene.events(Passed)) == 2, "the wait and the measuring of the second point"
    assert scene.events(PartEnded)[0].event.outcome == "complete"


def test_the_rest_of_a_part_can_be_skipped_and_is_tidied_up(scene: Scene, tmp_path: Path) -> None:
    actor = Actor(Once(lambda state, calls: running(0)(state, calls) and len(scene.events(PointTaken)) == 1,
                       SkipPart()))  # fmt: skip
    assert scene.run(actor).outcome == "complete"
    assert scene.events(PartEnded)[0].event.outcome == "skipped"
    with BookReader(scene.path) as reader:
        assert not evidence_of(reader, 1).of_part(0).points[1:]


def test_nothing_is_skipped_at_a_gate(scene: Scene) -> None:
    actor = Actor(Once(lambda state, _: state is State.GATE, SkipStep(), Pause()))
    assert scene.run(actor).outcome == "complete"
    assert scene.events(Passed) == []
    assert State.PAUSED not in actor.states


def test_a_point_is_taken_again_at_its_own_settings(scene: Scene) -> None:
    again = Repeat("the lead had come loose", 1)
    actor = Actor(Once(lambda state, calls: running(0)(state, calls) and len(scene.events(PointTaken)) == 1, again))
    assert scene.run(actor).outcome == "complete"
    taken = [w.event.point for w in scene.events(PointTaken)]
    assert [(p.number, p.take) for p in taken] == [(1, 1), (1, 2), (2, 1)]
    assert taken[1].at.conditions == taken[0].at.conditions
    loads = [p.get("output_current").value for p in taken]  # type: ignore[union-attr]
    assert loads[1] == pytest.approx(loads[0], abs=0.01)
    assert taken[1].settled is not None
    ids = [r.id for p in taken for r in p.readings]
    assert len(set(ids)) == len(ids)
    with BookReader(scene.path) as reader:
        points = evidence_of(reader, 1).points
    assert [(p.number, p.take) for p in points] == [(1, 2), (2, 1)], "the last take counts"


def test_a_rejected_point_stays_in_the_book_and_out_of_the_findings(scene: Scene) -> None:
    once = lambda state, calls: running(0)(state, calls) and len(scene.events(PointTaken)) == 1  # noqa: E731
    actor = Actor(
        first_of(
            Once(once, Reject("x", 9)),
            Once(once, Reject(" ", 1)),
            Once(once, Reject("mains dip", 1)),
        )
    )
    assert scene.run(actor).outcome == "complete"
    assert [do for do, _ in actor.refused] == ["reject", "reject"]
    assert "point 9 has not been taken" in actor.refused[0][1]
    assert "say why" in actor.refused[1][1]
    rejected = scene.events(PointRejected)[0].event
    assert (rejected.number, rejected.reason, rejected.by) == (1, "mains dip", "Tester")
    assert len(scene.events(PointTaken)) == 2
    with BookReader(scene.path) as reader:
        assert [p.number for p in evidence_of(reader, 1).points] == [2]


def test_a_typed_reading_is_corrected_and_the_first_value_kept(
    tmp_path: Path, unit: Unit, rig: Rig, tiny_plan: Plan, standin: StartStandIn
) -> None:
    scene = Scene.set_up(tmp_path, unit, by_hand(rig, "thermometer"), tiny_plan, standin().addresses)
    key = "1/1/case_temperature"
    wrong = Correct(key, "hot", "typo")
    right = Correct(key, "45.1", "digits swapped")
    ready = lambda state, calls: running(0)(state, calls) and len(scene.events(PointTaken)) == 1  # noqa: E731
    actor = Actor(first_of(Once(ready, wrong), Once(ready, right)), entries=["54.1"])
    assert scene.run(actor).outcome == "complete"
    assert actor.refused[0][0] == "correct"
    corrected = scene.events(EntryCorrected)[0].event
    assert (corrected.first, corrected.reading.value, corrected.reason) == (54.1, 45.1, "digits swapped")
    with BookReader(scene.path) as reader:
        assert evidence_of(reader, 1).points[0].get("case_temperature").value == 45.1  # type: ignore[union-attr]
    assert scene.events(PointTaken)[0].event.point.get("case_temperature").value == 54.1


@pytest.mark.parametrize("typed", ["rel +6m", "null +6m"])
def test_a_typed_change_is_a_reading_and_a_null_errs_by_its_own_range(
    typed: str, tmp_path: Path, unit: Unit, rig: Rig, tiny_plan: Plan, standin: StartStandIn
) -> None:
    """24.030 V at full load, 6 mV more at none: with its zero set there the meter errs as in two readings, 30 mV of
    which nobody knows the split; the null was read on 600 mV, 60 uV of limit."""
    rows = tuple(
        Accuracy("output_voltage", span, reading_percent=0.0, range_percent=share)
        for span, share in ((0.6, 0.01), (60.0, 0.05))
    )
    hand = by_hand(rig, "voltmeter", accuracy=rows)
    scene = Scene.set_up(tmp_path, unit, hand, tiny_plan, standin().addresses)
    assert scene.run(Actor(entries=[typed, "24.030", typed])).outcome == "complete"
    (refused,) = (w.event for w in scene.events(EntryRefused))
    assert "no reading here yet" in refused.reason
    asked = [w.event for w in scene.events(EntryAsked) if w.event.quantity == "output_voltage"]
    assert [a.against for a in asked] == [None, 24.030]
    with BookReader(scene.path) as reader:
        run = judge_run(reader)
    second = run.evidence.points[1].get("output_voltage")
    assert second is not None
    assert (second.text, second.value) == (typed, pytest.approx(24.036, abs=5e-4))
    found = next(j.finding for j in run.judged if j.finding.name == "load_regulation")
    assert found.value == pytest.approx(0.006 / 24.0, abs=2e-5)
    assert found.u is not None
    if typed.startswith("rel"):
        assert found.u == pytest.approx(0.030 * (2.0 / 3.0) ** 0.5 / 24.0, rel=0.05)
    else:
        assert found.u < 0.0003 / 24.0
        alone = next(j.finding for j in run.judged if j.finding.name == "output_voltage_max")
        assert alone.u is not None
        assert alone.u > 0.030 / 3.0**0.5, "as volts it errs as what it was read against"


def test_a_change_goes_along_when_what_it_was_read_against_is_corrected(
    tmp_path: Path, unit: Unit, rig: Rig, tiny_plan: Plan, standin: StartStandIn
) -> None:
    scene = Scene.set_up(tmp_path, unit, by_hand(rig, "voltmeter"), tiny_plan, standin().addresses)

    def hands(state: State, calls: int) -> list[Command]:
        if state is State.RUNNING and len(scene.events(PointTaken)) == 2 and not scene.events(EntryCorrected):
            return [Correct("1/1/output_voltage", "23.94", "digits swapped")]
        return []

    assert scene.run(Actor(hands, entries=["23.49", "rel +6m"])).outcome == "complete"
    corrected = [w.event for w in scene.events(EntryCorrected)]
    assert [(e.reading.id, e.reading.value) for e in corrected] == [
        ("1/1/output_voltage", 23.94),
        ("1/2/output_voltage", pytest.approx(23.946)),
    ]
    assert corrected[1].reason == "what it was read against was corrected"
    with BookReader(scene.path) as reader:
        volts = [p.get("output_voltage") for p in evidence_of(reader, 1).points]
    assert volts[1] is not None
    assert volts[0] is not None
    assert (volts[1].value or 0.0) - (volts[0].value or 0.0) == pytest.approx(0.006, abs=1e-4)


def test_a_slip_of_the_typing_hand_is_kept_and_mended(
    tmp_path: Path, unit: Unit, rig: Rig, tiny_plan: Plan, standin: StartStandIn
) -> None:
    """The stand-in plays the person too: what is typed comes off the face of its thermometer, once with a slip."""
    addresses = standin().addresses
    clock = Link("clock", addresses["clock"])
    clock.open()
    clock.write("FAUL thermometer,TYPO")
    clock.query("*OPC?")
    clock.close()
    person = Link("thermometer", addresses["thermometer"])
    person.open()
    scene = Scene.set_up(tmp_path, unit, by_hand(rig, "thermometer"), tiny_plan, addresses)

    def hands(state: State, calls: int) -> list[Command]:
        if state is State.ASKING:
            return [Enter(person.query("TYP?"))]
        if state is State.GATE and scene.events(StopRuleMet):  # ten times as hot is beyond what a case may reach
            return [GoOn("a slip, corrected in a moment")]
        if state is State.RUNNING and scene.events(PointTaken) and not scene.events(EntryCorrected):
            return [Correct("1/1/case_temperature", person.query("TYP?"), "slipped")]
        return []

    assert scene.run(Actor(hands)).outcome == "complete"
    person.close()
    corrected = scene.events(EntryCorrected)[0].event
    first, right = corrected.first, corrected.reading.value
    assert 23.0 < right < 60.0
    digits = [sorted(f"{value:.1f}".replace(".", "").strip("0")) for value in (first, right)]
    assert abs(first - right) > 0.5, "a slip, no rounding"
    assert first > 4.0 * right or digits[0] == digits[1]
    with BookReader(scene.path) as reader:
        point = evidence_of(reader, 1).points[0]
    assert point.get("case_temperature").value == right  # type: ignore[union-attr]


def test_a_resistor_as_load_gives_the_current_from_the_volts_across_it(
    tmp_path: Path, unit: Unit, rig: Rig, tiny_plan: Plan, standin: StartStandIn
) -> None:
    """Trade notes, section 3 (common practice, no source): 12.45 V into a resistor marked 44 ohm says 283 mA, 3.52 W
    and 80 % of 4.4 W; it measured 45.7 ohm: 272 mA, 3.39 W, 77 %."""
    plate = unit.nameplate
    twelve = replace(
        plate, outputs=(replace(plate.outputs[0], voltage_V=12.0, current_A=0.28, power_W=None),), rules=()
    )
    small = replace(unit, nameplate=replace(twelve, claims=(), total_power_W=None))
    one_point = replace(tiny_plan, parts=(replace(tiny_plan.parts[0], loads_percent=(100.0,)),))  # type: ignore[arg-type]
    typed = {"input_power": "4.4", "output_voltage": "12.45"}
    for dummy, amps, percent, limit in (
        (Dummy("resistor", 44.0, 45.7), 0.2724, 77.1, 1.0),
        (Dummy("resistor", 44.0), 0.2830, 80.1, 5.0),
        # 0.28 A at 12 V are 13.44 W at 24 V: 8 + 4 + 1 W of the bank, 44.31 ohm.
        (Dummy("binary bank", steps_W=(1, 2, 4, 8, 16, 32), at_V=24.0), 0.2810, 79.5, 5.0),
        # Measured all on: 9.326 ohm instead of 9.143, so every step is 2 % higher.
        (Dummy("binary bank", measured_ohm=9.326, steps_W=(1, 2, 4, 8, 16, 32), at_V=24.0), 0.2755, 77.95, 1.0),
    ):
        bench = by_hand(by_hand(rig, "power_meter", "voltmeter"), "load", dummy=dummy)
        folder = tmp_path / f"{amps}"
        folder.mkdir()
        scene = Scene.set_up(folder, small, bench, one_point, standin().addresses)
        asked: list[str] = []

        def hands(state: State, calls: int, scene: Scene = scene, asked: list[str] = asked) -> list[Command]:
            if state is State.MAKING_SAFE:
                return [Pass()]  # the load is off: a person says so
            if state is not State.ASKING:
                return []
            asked.append(scene.events(EntryAsked)[-1].event.quantity)
            return [Enter(typed.get(asked[-1], "-"))]

        assert scene.run(Actor(hands)).outcome == "complete"
        assert "output_current" not in asked, "nobody reads it"
        told_how = {w.event.quantity: w.event.setting for w in scene.events(EntryAsked)}
        assert told_how["output_voltage"] == "V DC, 60 V range"
        turned = [words for words in told_how.values() if words.startswith("Turn it from")]
        assert any("to A AC" in words or "to W" in words for words in turned), "the meter's function has to change"
        point = scene.events(PointTaken)[0].event.point
        current = point.get("output_current")
        assert current.value == pytest.approx(amps, abs=1e-4)
        assert limit < current.reading_percent < limit + 0.1, "of the resistance, and the voltmeter's own"
        with BookReader(scene.path) as reader:
            run = judge_run(reader)
            eta = next(j.finding for j in run.judged if j.finding.name == "efficiency")
            assert "across 4" in reading_words(run)[current.id][2]
        if dummy.kind == "binary bank":
            told = [w.event.text for w in scene.events(HandSetting)]
            assert any("Switch on 8 W + 4 W + 1 W" in text for text in told)
        assert 100.0 * eta.value == pytest.approx(percent, abs=0.06)


@pytest.mark.parametrize(("kind", "told"), [("lamp", "warmed up"), ("another supply", "can take current")])
def test_lamps_and_another_supply_are_told_apart_and_their_current_is_read(
    tmp_path: Path, unit: Unit, rig: Rig, tiny_plan: Plan, standin: StartStandIn, kind: str, told: str
) -> None:
    bench = by_hand(rig, "load", dummy=Dummy(kind))  # type: ignore[arg-type]
    scene = Scene.set_up(tmp_path, unit, bench, tiny_plan, standin().addresses)
    asked: list[str] = []

    def hands(state: State, calls: int) -> list[Command]:
        if state is State.MAKING_SAFE:
            return [Pass()]
        if state is not State.ASKING:
            return []
        asked.append(scene.events(EntryAsked)[-1].event.quantity)
        return [Enter("1.31")]

    assert scene.run(Actor(hands)).outcome == "complete"
    assert "output_current" in asked
    assert any(told in w.event.text for w in scene.events(HandSetting))


def test_a_disk_without_room_or_too_slow_is_told_before_anything_is_armed(
    scene: Scene, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(BookWriter, "free_bytes", lambda _self: 3_000_000)
    with pytest.raises(InputError, match="3 MB are left on the disk of the book"):
        scene.run(Actor())
    monkeypatch.setattr(BookWriter, "free_bytes", lambda _self: 10**12)
    monkeypatch.setattr(BookWriter, "commit_s", lambda _self: 3.0)
    with pytest.raises(InputError, match=r"one commit takes 3\.0 s"):
        scene.run(Actor())
    assert not scene.events(RunOpened)
    monkeypatch.setattr(BookWriter, "commit_s", lambda _self: 0.3)
    assert scene.run(Actor()).outcome == "complete"
    assert "0.30 s on the disk" in scene.events(Remarked)[0].event.text


def test_one_commit_is_timed_and_changes_nothing(scene: Scene) -> None:
    with BookWriter(scene.path) as book:
        before = scene.events()
        assert 0.0 < book.commit_s() < 60.0
        assert book.free_bytes() > 0
        assert scene.events() == before


def test_a_mark_keeps_the_conditions_of_its_moment(scene: Scene) -> None:
    assert scene.run(Actor(Once(running(10), Mark("whistles")))).outcome == "complete"
    mark = scene.events(Marked)[0].event
    assert mark.text == "whistles"
    assert mark.values["input_voltage"] == pytest.approx(115.0, abs=1.0)


class Plug:
    """Speaks to the stand-in's source past the program, as the world does."""

    def __init__(self, visa: str) -> None:
        _, host, port, _ = visa.split("::")
        self.line = socket.create_connection((host, int(port)), timeout=10.0)

    def say(self, text: str) -> None:
        self.line.sendall(text.encode() + b"\n")
        assert self.line.recv(64).strip() in (b"0", b"1")


def test_a_wall_outlet_is_used_as_it_is_and_unplugged_by_a_person(
    tmp_path: Path, unit: Unit, rig: Rig, tiny_plan: Plan, standin: StartStandIn
) -> None:
    """The stand-in's source plays the outlet: it is plugged in and pulled by the test, not by the program."""
    addresses = standin().addresses
    outlet = by_hand(rig, "ac_source", maker="", model="", kind="wall outlet", outlet=(118.0, 60.0), most={})
    scene = Scene.set_up(tmp_path, unit, outlet, tiny_plan, addresses)
    plug = Plug(addresses["ac_source"])

    def hands(state: State, calls: int) -> list[Command]:
        asked = scene.events(HandSetting)
        if state is State.GATE and asked and len(scene.events(HandSet)) < len(asked):
            plug.say("VOLT 118;FREQ 60;:OUTP 1;:OUTP?")
        if state is State.MAKING_SAFE:
            plug.say("OUTP 0;:OUTP?")
            return [Note("nobody says a word: the power meter has to notice")]
        return []

    actor = Actor(hands)
    closed = scene.run(actor)
    plug.line.close()
    assert (closed.outcome, closed.safe) == ("complete", True)
    said = [w.event.text for w in scene.events(HandSetting)]
    assert said[0].startswith("Plug the unit in at the wall outlet")
    assert "pull its plug" in said[-1]
    off = next(w.event for w in scene.events(SafeStep) if w.event.role == "ac_source")
    assert off.readback == "the power meter reads no input any more"
    assert {p.at.line_V for p in (w.event.point for w in scene.events(PointTaken))} == {118.0}


def test_what_nobody_confirmed_is_not_called_safe(
    tmp_path: Path, unit: Unit, rig: Rig, tiny_plan: Plan, standin: StartStandIn
) -> None:
    outlet = by_hand(rig, "ac_source", maker="", model="", kind="wall outlet", outlet=(118.0, 60.0), most={})
    scene = Scene.set_up(tmp_path, unit, by_hand(outlet, "power_meter"), tiny_plan, standin().addresses)
    gone = lambda state, _calls: [Gone("nobody is there")] if state is not State.GATE else []  # noqa: E731
    closed = scene.run(Actor(gone))
    assert (closed.outcome, closed.why) == ("made safe", "nobody is there")
    assert not closed.safe
    assert "wall outlet: switch it off, or pull its plug" in closed.unconfirmed[0]


def test_an_answer_to_what_was_asked_before_is_none(
    tmp_path: Path, unit: Unit, rig: Rig, tiny_plan: Plan, standin: StartStandIn
) -> None:
    """A key that was pressed twice passes no later gate, is no later reading, and says of no source that it is off."""
    addresses = standin().addresses
    by = by_hand(rig, "ac_source", "thermometer", maker="", model="", kind="wall outlet", outlet=(118.0, 60.0), most={})
    scene = Scene.set_up(tmp_path, unit, by, tiny_plan, addresses)
    plug = Plug(addresses["ac_source"])
    stale = {State.GATE: 0, State.ASKING: 0, State.MAKING_SAFE: 0}

    def hands(state: State, calls: int) -> list[Command]:
        asked = scene.events(GateOpened, HandSetting, EntryAsked)
        if state not in stale or not asked:
            return []
        last, before = asked[-1], [w.seq for w in asked[:-1]]
        stale[state] += bool(before)
        again: list[Command] = [Pass(of=n) for n in before] + [Enter("99.9", n) for n in before]
        if state is State.MAKING_SAFE:
            return again if stale[state] < 8 else [Gone("nobody is there")]
        if isinstance(last.event, HandSetting):
            plug.say("VOLT 118;FREQ 60;:OUTP 1;:OUTP?")
        return [*again, Enter("41.5", last.seq) if state is State.ASKING else Pass(of=last.seq)]

    closed = scene.run(Actor(hands))
    plug.line.close()
    assert all(stale.values())
    assert [w.event.reading.value for w in scene.events(EntryTaken)] == [41.5] * len(scene.events(EntryAsked))
    assert "the source" not in closed.seen
    assert not closed.safe
    assert "pull its plug" in closed.unconfirmed[0]


def test_the_states_of_a_run_are_those_of_the_table(scene: Scene, tmp_path: Path) -> None:
    actor = Actor()
    assert scene.run(actor).why == "every step was carried out"
    assert actor.states == [
        State.STARTING, State.RUNNING, State.GATE, State.RUNNING, State.MAKING_SAFE, State.SAFE,
    ]  # fmt: skip
    assert last_row(tmp_path / "bench.log")["source_on"] is False


def test_without_a_guardian_nothing_is_switched_on(scene: Scene, tmp_path: Path) -> None:
    class NoneComes(NoGuard):
        def begin(self, *_: object) -> None:
            raise GuardLost("did not start; nothing was switched on", role="guardian", address="this computer")

    with BookWriter(scene.path) as book:
        closed = Session(book, Actor(), NoneComes()).run(scene.unit.tag, Start("Tester", 23.0), scene.addresses)
    assert (closed.outcome, closed.safe) == ("failed", True)
    assert "guardian" in closed.why
    assert not any(row["source_on"] for row in bench_log(tmp_path / "bench.log"))
    with BookReader(scene.path) as reader:
        assert reader.run().outcome == "failed", "the run has an end in the book"


def test_nobody_vouches_for_a_plug_after_an_interrupted_run(
    tmp_path: Path, unit: Unit, rig: Rig, tiny_plan: Plan, standin: StartStandIn
) -> None:
    """Going on by itself, the program has nobody who pulled the plug; pressing Make safe says that somebody did."""
    outlet = by_hand(rig, "ac_source", maker="", model="", kind="wall outlet", outlet=(118.0, 60.0), most={})
    scene = Scene.set_up(tmp_path, unit, outlet, tiny_plan, standin().addresses)
    with BookWriter(scene.path) as book:
        book.open_run(RunOpened(unit.tag, 1, 1, 1, (("static_grid", 1),), "Tester", 23.0, False, "test"))
    with BookWriter(scene.path) as book:
        session = Session(book, Actor())
        with pytest.raises(InputError, match="could not be confirmed to be off"):
            session.after_interruption(scene.addresses)
        assert session.make_safe(scene.addresses), "somebody pressed Make safe"
