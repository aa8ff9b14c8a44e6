"""Units of several outputs, by wire: the composed plan, its findings against the physics, and making safe."""

from __future__ import annotations

import json
import shutil
from collections.abc import Iterator
from dataclasses import replace
from datetime import date
from pathlib import Path

import pytest
from tests.engine.scripted import Actor, Once, Scene
from tests.several.benches import EXAMPLES, bench_of, briefly

from zincsmith.analysis.envelope import Envelope
from zincsmith.bench.bench import Bench
from zincsmith.bench.standin import start_standin
from zincsmith.book.reader import BookReader
from zincsmith.book.writer import BookWriter
from zincsmith.engine.taking_in import take_in
from zincsmith.formats.rig_file import read_rig, rig_text
from zincsmith.history.run_view import RunView
from zincsmith.judge.judging import JudgedRun, judge_run
from zincsmith.model.address import at_port
from zincsmith.model.commands import FileRequest, MakeSafe
from zincsmith.model.errors import InputError
from zincsmith.model.events import Effected, EntryAsked, PointTaken, Polled, RunClosed, SafeStep
from zincsmith.model.finding import Finding, Verdict
from zincsmith.model.plan import Plan
from zincsmith.model.reading import Point
from zincsmith.model.rig import Rig
from zincsmith.planning.composer import compose
from zincsmith.procedures.static_grid.options import GridOptions
from zincsmith.report.html import render
from zincsmith.showing.findings_json import as_json
from zincsmith.simbench.units.adapter import Adapter
from zincsmith.simbench.world import World
from zincsmith.suitability.check import check
from zincsmith.words.live import live_of
from zincsmith.words.log_words import LogBook

TODAY = date(2026, 11, 28)


def run_of(name: str, folder: Path) -> tuple[Scene, RunClosed, JudgedRun, Rig]:
    unit, rig, _ = bench_of(name, folder)
    plan, left = compose(unit, rig)
    assert left == []
    assert rig.standin is not None
    running = start_standin(rig.standin)
    try:
        scene = Scene.set_up(folder, unit, rig, briefly(plan), running.addresses)
        closed = scene.run(Actor())
    finally:
        running.stop()
    with BookReader(scene.path) as book:
        return scene, closed, judge_run(book), rig


@pytest.fixture(scope="module")
def rails(tmp_path_factory: pytest.TempPathFactory) -> Iterator[tuple[Scene, RunClosed, JudgedRun, Rig]]:
    return run_of("two_rails", tmp_path_factory.mktemp("rails"))


@pytest.fixture(scope="module")
def ports(tmp_path_factory: pytest.TempPathFactory) -> Iterator[tuple[Scene, RunClosed, JudgedRun, Rig]]:
    return run_of("two_ports", tmp_path_factory.mktemp("ports"))


def truth(rig: Rig, draws: dict[str, float], volts: float, asked: dict[str, int] | None = None) -> World:
    """The unit as it stands after a while at a line, with these loads."""
    assert rig.standin is not None
    world = World(Adapter.read(Path(rig.standin.file)), seed=1)
    world.source.voltage_V, world.source.frequency_Hz, world.source.on = volts, 60.0 if volts < 150.0 else 50.0, True
    world.advance(5.0)
    assert world.unit.rails is not None
    world.unit.rails.asked |= asked or {}
    for port, amps in draws.items():
        world.loads[port].current_A, world.loads[port].on = amps, amps > 0.0
    world.advance(1800.0)
    return world


def found(run: JudgedRun, name: str, output: str = "", **at: object) -> Finding:
    """The one finding of a figure at a line, a load and in a mode."""
    fits = [
        j.finding for j in run.judged
        if j.finding.name == name and j.finding.output == output and j.finding.value is not None
        and at.get("volts") in (None, j.finding.at.feed.voltage_V)
        and at.get("load") in (None, j.finding.at.draw.share_percent)
        and at.get("mode") in (None, j.finding.at.mode())
    ]  # fmt: skip
    assert len({f.at for f in fits}) == 1, [f.at.words for f in fits]
    return fits[0]


def within(finding: Finding, true: float, more: float = 0.0) -> None:
    assert finding.value is not None
    assert finding.u is not None
    assert abs(finding.value - true) <= 3.0 * finding.u + more, (finding.title, finding.value, true, finding.u)


@pytest.mark.long
def test_a_unit_of_three_rails_goes_its_whole_way(rails: tuple[Scene, RunClosed, JudgedRun, Rig]) -> None:
    scene, closed, run, rig = rails
    assert (closed.outcome, closed.unconfirmed) == ("complete", ()), closed.why
    for port in ("+12 V", "+5 V", "-12 V"):
        assert any(seen.startswith(f"output fallen, {port}: 0.0") for seen in closed.seen), closed.seen
        assert f"Load, {port} off, read back" in closed.seen
    envelope = Envelope(scene.unit.nameplate)
    for volts in (100.0, 240.0):
        full = truth(rig, envelope.loads_A(100.0), volts)
        given = sum(abs(v) * a for v, a in (full.output_of(port) for port in full.ports))
        taken = full.true_value("input_power")
        within(found(run, "full_load_input_power", volts=volts), taken, 0.01 * taken)
        within(found(run, "full_load_output_power", volts=volts), given, 0.002 * given)
        within(found(run, "efficiency", volts=volts, load=100.0), given / taken, 0.008)
    assert given == pytest.approx(60.0, rel=0.02), "derated: the ratings of the rails add to more than the total"


def test_a_rail_is_varied_while_the_others_keep_their_load(rails: tuple[Scene, RunClosed, JudgedRun, Rig]) -> None:
    scene, _, run, rig = rails
    envelope = Envelope(scene.unit.nameplate)
    others = envelope.loads_A(50.0)
    for port in ("+12 V", "+5 V", "-12 V"):
        volts = [truth(rig, {**others, port: envelope.load_A(p, port)}, 100.0).output_of(port)[0] for p in (100.0, 0.0)]
        nominal = envelope.voltage_V(port)
        within(found(run, "load_regulation", port), (volts[1] - volts[0]) / nominal, 5e-4)
        ohm = (abs(volts[1]) - abs(volts[0])) / envelope.full_A(port)
        within(found(run, "output_resistance", port), ohm, 0.15 * ohm)
    with BookReader(scene.path) as book:
        set_to = [w.event.body for w in book.events(run=1, kinds=(Effected,)) if isinstance(w.event, Effected)
                  and w.event.action == "SetLoad"]  # fmt: skip
    assert {b.get("port") for b in set_to} == {"+12 V", "+5 V", "-12 V"}


@pytest.mark.long  # modes by hand are in the short run
def test_a_port_is_asked_for_each_of_its_modes(ports: tuple[Scene, RunClosed, JudgedRun, Rig]) -> None:
    scene, closed, run, rig = ports
    assert (closed.outcome, closed.unconfirmed) == ("complete", ()), closed.why
    for number, (mode, amps) in enumerate((("5 V", 3.0), ("9 V", 3.0), ("20 V", 1.5)), 1):
        true = truth(rig, {"C1": amps}, 100.0, {"C1": number})
        within(found(run, "full_load_output_current", "C1", volts=100.0, mode=mode), amps, 0.02)
        low = found(run, "load_regulation", "C1", volts=100.0, mode=mode)
        open_V = truth(rig, {}, 100.0, {"C1": number}).output_of("C1")[0]
        within(low, (open_V - true.output_of("C1")[0]) / float(mode.removesuffix(" V")), 5e-4)
    claims = [j for j in run.judged if j.claim is not None and j.claim.figure == "output_voltage"]
    assert {(j.claim.output, j.claim.scope.mode) for j in claims if j.claim} == {
        ("C1", "5 V"), ("C1", "9 V"), ("C1", "20 V"), ("A1", "5 V"),
    }  # fmt: skip
    assert {j.verdict for j in claims} == {Verdict.HOLDS}
    modes = [w.event.body for w in scene.events(Effected) if isinstance(w.event, Effected)
             and w.event.action == "ChooseMode"]  # fmt: skip
    asked = [b["mode"] for b in modes]
    assert asked[:6] == ["5 V", "5 V", "9 V", "5 V", "20 V", "5 V"], "and back, when its part is over"
    assert asked[-1] == "5 V"
    assert all("hand" not in b for b in modes)


def test_readings_and_findings_say_which_port(rails: tuple[Scene, RunClosed, JudgedRun, Rig]) -> None:
    scene, _, run, _ = rails
    polled = next(w.event for w in scene.events(Polled) if isinstance(w.event, Polled))
    assert {"output_voltage@+5 V", "output_current@+5 V", "load_voltage@-12 V", "input_power"} <= set(polled.values)
    told = json.loads(json.dumps(as_json(run)))["findings"]
    assert {"+12 V", "+5 V", "-12 V", None} == {f["output"] for f in told}
    text = render(run)
    assert "Load regulation, +5 V" in text
    point = next(p for p in run.evidence.points if p.at.about == "+5 V")
    assert {r.port for r in point.readings if r.quantity == "output_voltage"} == {"+12 V", "+5 V", "-12 V"}
    assert point.at.words.startswith("100 V 60 Hz, +5 V 100 % load, +12 V 50 % load")


def test_a_run_of_several_outputs_goes_on_where_it_ended(tmp_path: Path) -> None:
    """Made safe in the grid of a rail: the loads of all rails stand again before it goes on."""
    unit, rig, _ = bench_of("two_rails", tmp_path)
    plan, _ = compose(unit, rig)
    grid = next(p for p in briefly(plan).parts if isinstance(p, GridOptions) and p.port == "+5 V")
    assert rig.standin is not None
    running = start_standin(rig.standin)
    scene = Scene.set_up(tmp_path, unit, rig, replace(plan, parts=(grid,)), running.addresses)
    try:
        enough = Once(lambda _state, _calls: len(scene.events(PointTaken)) == 2, MakeSafe("enough"))
        assert scene.run(Actor(enough)).outcome == "made safe"
        step = len(scene.events(Effected))
        assert scene.resume(Actor()).outcome == "complete"
    finally:
        running.stop()
    again = [w.event.body for w in scene.events(Effected)[step:] if isinstance(w.event, Effected)]
    assert {b.get("port") for b in again if "current_A" in b} == {"+12 V", "+5 V", "-12 V"}
    points = [w.event.point for w in scene.events(PointTaken) if isinstance(w.event, PointTaken)]
    assert [p.at.draw.share_percent for p in points] == [100.0, 75.0, 50.0, 25.0, 10.0, 0.0]
    amps = [r.value for p in points for r in p.readings if r.address == "output_current@+12 V"]
    assert amps == pytest.approx([Envelope(unit.nameplate).load_A(50.0, "+12 V")] * 6, rel=0.01)


def test_a_rig_that_does_not_reach_an_output_is_told_so(tmp_path: Path) -> None:
    unit, rig, _ = bench_of("two_rails", tmp_path)
    fewer = replace(rig, instruments=tuple(i for i in rig.instruments if i.place != "load@+5 V"))
    with pytest.raises(InputError, match=r"the rig has no load, \+5 V"):
        compose(unit, fewer)
    plan, _ = compose(unit, rig)
    (fault,) = [f for f in check(unit, fewer, plan, TODAY) if f.code == "output_not_reached"]
    assert "no load is at +5 V" in fault.text
    assert [f.code for f in check(unit, rig, plan, TODAY) if f.code == "output_not_reached"] == []


def test_a_rig_file_lists_instruments_with_role_and_port(tmp_path: Path) -> None:
    """What is written is read back; a second instrument at one port is refused; a file by role stays one by role."""
    _, rig, _ = bench_of("two_rails", tmp_path)
    text = rig_text(rig)
    assert 'port = "+5 V"' in text
    file = tmp_path / "rig.toml"
    file.write_text(text, "utf-8")
    assert read_rig(file) == rig
    file.write_text(text.replace('port = "+5 V"', 'port = "+12 V"'), "utf-8")
    with pytest.raises(InputError, match="another load is at this port already"):
        read_rig(file)
    plain = read_rig(EXAMPLES / "rigs" / "simulated.toml")
    assert "[instrument.load]" in rig_text(plain)


def test_what_is_live_is_told_of_each_output_until_it_has_fallen(
    rails: tuple[Scene, RunClosed, JudgedRun, Rig],
) -> None:
    scene, _, _, _ = rails
    rated = {"+12 V": 12.0, "+5 V": 5.0, "-12 V": 12.0}
    view, states, told, together = RunView(), set(), 0, 0
    stood: tuple[str, str] = ("", "")  # how it stood at the poll before, and since when
    with BookReader(scene.path) as book:
        for written in book.events():
            view.fold(written)
            if isinstance(written.event, Effected | SafeStep):
                stood = ("", "")
            if not isinstance(written.event, Polled):
                continue
            live, values = view.live, written.event.values
            assert live.since, "since when is always told"
            assert live.state != stood[0] or live.since == stood[1], "and does not move while it stands so"
            stood = live.state, live.since
            states.add(live.state)
            high = {
                p for p, volts in rated.items() if abs(values.get(f"output_voltage@{p}", 0.0)) >= 0.12 * volts
            }  # 10 % of what it rose to
            assert high <= set(live.outputs), "an output that has not fallen is named"
            assert not (high and live.state in {"off", "said off"}), "off is not said beside an output that holds volts"
            assert all(f"{port} " in live.words for port in live.outputs)
            told += live.state == "charged"
            together += len(live.outputs) == 3
    assert {"live", "charged", "off"} <= states
    assert told
    assert together
    reads = {"input_voltage": 0.2, "output_voltage@+12 V": 8.31, "output_voltage@+5 V": 0.02}
    live = live_of(reads, False, False, (), {"+12 V": 12.1, "+5 V": 5.02})
    assert live.words == "the input is off, 0.2 V read; +12 V still reads 8.3 V"
    assert live.sign == "read"
    assert (live.headline, live.detail) == ("Input off, output still live", "+12 V still reads 8.3 V")
    off = live_of({"input_voltage": 0.2}, False, False)
    assert (off.headline, off.detail) == ("Input is off", "0.2 V read at the input"), "nothing of it twice"
    assert live.levels == "8 V at +12 V"
    assert live_of(reads, False, False, set(reads)).state == "said off", "what was typed earlier says nothing of now"


@pytest.mark.long
def test_the_log_says_which_mode_was_chosen(ports: tuple[Scene, RunClosed, JudgedRun, Rig]) -> None:
    scene, _, _, _ = ports
    with BookReader(scene.path) as book:
        told = [entry for _, entry in LogBook().take(book.events(run=1))]
    assert {entry.detail for entry in told if entry.text == "Mode"} >= {"9 V", "20 V"}


def visiting(rig: Rig, **values: object) -> Rig:
    """One voltmeter that goes to every output in turn, in the place of one at each."""
    at = [i for i in rig.instruments if i.role == "voltmeter"]
    one = replace(at[0], port="", visits=tuple(i.port for i in at), dialect="voltmeter_relay", **values)  # type: ignore[arg-type]
    return replace(rig, instruments=(*(i for i in rig.instruments if i.role != "voltmeter"), one))


@pytest.mark.parametrize("how", ["simulated", "by hand"])
def test_one_voltmeter_visits_the_outputs_in_turn(tmp_path: Path, how: str) -> None:
    """By a relay that the program switches, or by a person who is told where to join it; what is read at each output is
    that output's, and every output is seen to fall."""
    unit, rig, _ = bench_of("two_rails", tmp_path)
    grid = next(p for p in compose(unit, rig)[0].parts if isinstance(p, GridOptions) and not p.port)
    grid = replace(grid, lines=grid.lines[:1], loads_percent=(100.0, 50.0), warm_up_s=10.0, settle_at_most_s=20.0,
                   settled_percent=5.0, average_s=2.0, refine_points=0, again=False)  # fmt: skip
    made = visiting(rig, how=how)
    file = tmp_path / "visiting.toml"
    file.write_text(rig_text(made))
    assert read_rig(file) == made
    assert rig.standin is not None
    running = start_standin(rig.standin)
    typed = [text for _ in range(4) for text in ("12.05", "5.03", "-12.1")]
    try:
        scene = Scene.set_up(tmp_path, unit, made, Plan("Visiting", (grid,)), running.addresses)
        closed = scene.run(Actor(entries=typed))
    finally:
        running.stop()
    assert closed.outcome == "complete", closed.why
    points = [w.event.point for w in scene.events(PointTaken) if isinstance(w.event, PointTaken)]
    ports = ("+12 V", "+5 V", "-12 V")
    volts = {port: points[0].need(f"output_voltage@{port}").number for port in ports}
    assert volts == pytest.approx({"+12 V": 12.0, "+5 V": 5.0, "-12 V": -12.0}, rel=0.05)
    asked = [w.event for w in scene.events(EntryAsked) if isinstance(w.event, EntryAsked)]
    if how == "by hand":
        assert [a.setting.partition(",")[0] for a in asked[:3]] == [f"Join it to {port}" for port in ports]
    else:
        assert not asked
        for port in ports:
            assert any(seen.startswith(f"output fallen, {port}: ") for seen in closed.seen), closed.seen


def test_a_voltmeter_without_a_relay_visits_nobody(tmp_path: Path) -> None:
    _, rig, _ = bench_of("two_rails", tmp_path)
    made = visiting(rig)
    plain = replace(made, instruments=tuple(replace(i, dialect="") if i.visits else i for i in made.instruments))
    with pytest.raises(InputError, match="knows no relay"):
        Bench(plain, {i.place: "TCPIP::127.0.0.1::9::SOCKET" for i in plain.instruments} | {"clock": "x"})


def test_a_table_of_several_outputs_is_taken_in(rails: tuple[Scene, RunClosed, JudgedRun, Rig], tmp_path: Path) -> None:
    """What a run read, as somebody else would have written it down: a column for each output. The same figures come of
    it; a column that is missing, and rows whose outputs are loaded unlike, are refused with what is wrong."""
    scene, _, run, _ = rails
    book = tmp_path / "table.zbook"
    shutil.copy(scene.path, book)
    at_full = {"volts": 100.0, "load": 100.0}
    first = found(run, "efficiency", **at_full)
    points = [p for p in run.evidence.points if p.at.alike is not None and p.at.graded and p.get("input_power")]
    of_the_grid = next(p.part for p in points if p.number == first.working.rows[0]["point"])
    points = [p for p in points if p.at.line_V == 100.0 and p.at.load_percent > 0.0 and p.part == of_the_grid]
    ports = ("+12 V", "+5 V", "-12 V")
    heads = ["input_voltage_V", "input_power_W"]
    heads += [f"{name}@{port}" for port in ports for name in ("output_voltage_V", "output_current_A")]

    def cell(point: Point, head: str) -> str:
        name, _, port = head.partition("@")
        reading = point.need(at_port(name.rpartition("_")[0], port))
        return f"{reading.number if reading.as_read is None else reading.as_read:.7g}"

    rows = [",".join(cell(p, head) for head in heads) for p in points]
    table = tmp_path / "rails.csv"
    table.write_text("\n".join([",".join(heads), *rows]))
    asked = FileRequest("points", (table,), operator="Tester")
    with BookWriter(book) as writer:
        number = take_in(writer, scene.unit.tag, asked)
    with BookReader(book) as reader:
        taken = judge_run(reader, number)
    assert found(taken, "efficiency", **at_full).number == pytest.approx(first.number, rel=1e-4)
    assert {f.output for f in (j.finding for j in taken.judged) if f.name == "output_voltage_max"} >= set(ports)
    for wrong, why in (
        (table.read_text().replace("output_current_A@+5 V", "amps"), "output_current_A@\\+5 V"),
        ("\n".join([",".join(heads), rows[0].rpartition(",")[0] + ",0.01"]), "loaded alike"),
    ):
        table.write_text(wrong)
        with BookWriter(book) as writer, pytest.raises(InputError, match=why):
            take_in(writer, scene.unit.tag, asked)
