"""A short by the load's short input over sockets: the collapse against exp(-t / R C), what flows into it and how the
unit comes back against the physics file, which shares no code with the application."""

from __future__ import annotations

import math
import socket
import tomllib
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from tests.conftest import ROOT, bench_log, last_row, sampled
from tests.engine.scripted import Actor, Scene, telling_the_standin

from zincsmith.bench.standin import RunningStandIn
from zincsmith.book.reader import BookReader
from zincsmith.engine.session import NotSettled
from zincsmith.formats.rig_file import check_rig, read_rig
from zincsmith.formats.unit_file import read_unit
from zincsmith.judge.judging import JudgedRun, judge_run
from zincsmith.model.claim import StatedClaim
from zincsmith.model.commands import Command, MakeSafe
from zincsmith.model.errors import LimitError
from zincsmith.model.events import Effected, Remarked
from zincsmith.model.finding import Finding, Verdict
from zincsmith.model.intake import Part
from zincsmith.model.plan import Line, Plan
from zincsmith.model.rig import Accuracy, Instrument, Rig
from zincsmith.model.states import State
from zincsmith.model.unit import Unit
from zincsmith.planning.rehearsal import rehearse
from zincsmith.procedures.planning import Facts
from zincsmith.procedures.short_circuit.options import ShortCircuitOptions
from zincsmith.procedures.short_circuit.shorted import LOG, shorted_figures
from zincsmith.procedures.short_circuit.steps import ShortCircuit
from zincsmith.procedures.waveforms.traces import Channel, Choices, Traces
from zincsmith.report.html import sections_of

TEXT = (ROOT / "examples" / "standins" / "tarnbrook-tb2425.toml").read_text()
PHYSICS = tomllib.loads(TEXT)
Start = Callable[..., RunningStandIn]
PART = ShortCircuitOptions(lines=(Line(115.0, 60.0),), hold_s=8.0, recover_s=4.0, rest_s=1.0, repeats=2)


@pytest.fixture(scope="module")
def rig() -> Rig:
    """With a scope, and a load that states its short input."""
    one = read_rig(ROOT / "examples" / "rigs" / "simulated-scope.toml")
    wide = Accuracy("output_current", 20.0, 0.05, 0.025)
    return replace(one, instruments=tuple(
        replace(i, short_ohm=0.02, accuracy=(*i.accuracy, wide)) if i.role == "load" else i for i in one.instruments
    ))  # fmt: skip


def written(folder: Path, kind: str) -> Path:
    file = folder / "unit.toml"
    slow = f'kind = "{kind}"\noff_s = 2.0'  # an attempt of half a second in each two and a half
    file.write_text(TEXT.replace('kind = "shutdown"', slow).replace("delay_s = 0.1", "delay_s = 0.5"))
    return file


def judged(folder: Path, unit: Unit, rig: Rig, running: RunningStandIn, part: ShortCircuitOptions = PART) -> JudgedRun:
    claims = (*unit.nameplate.claims, StatedClaim("short_circuit_time", high=1e-3, source="manual"))
    stated = replace(unit, nameplate=replace(unit.nameplate, claims=claims))
    scene = Scene.set_up(folder, stated, rig, Plan("Short", (part,)), running.addresses)
    closed = scene.run(Actor())
    assert (closed.outcome, closed.safe) == ("complete", True), closed.why
    with BookReader(scene.path) as book:
        return judge_run(book)


def of(run: JudgedRun, name: str) -> Finding:
    return next(j.finding for j in run.judged if j.finding.name == name and j.finding.value is not None)


KINDS = (
    ("hiccup", "hiccup", None), ("constant current", "constant-current", True), ("foldback", "foldback", True),
    ("latching", "latching", False),
)  # fmt: skip


@pytest.mark.parametrize(("kind", "told", "feeds"), sampled(KINDS, {KINDS[2]}))
def test_what_flows_into_a_short_and_what_comes_back(
    tmp_path: Path,
    unit: Unit,
    rig: Rig,
    standin: Callable[..., RunningStandIn],
    kind: str,
    told: str,
    feeds: bool | None,
) -> None:
    """A constant-current unit gives its limit, one that folds back its share of it; a latch gives nothing and wants its
    input cycled; each of two trials comes back."""
    run = judged(tmp_path, unit, rig, standin(file=str(written(tmp_path, kind))))
    current = of(run, "short_circuit_current")
    assert told in current.working.formula
    if feeds is not None:
        assert ("keeps feeding the short" in current.working.formula) is feeds
    limit = PHYSICS["output"]["limit_A"]
    if kind == "constant current":
        assert current.number == pytest.approx(limit, rel=0.01)
        assert of(run, "short_circuit_residual").number < 0.5
        assert of(run, "short_circuit_power").number > 1.0
    if kind == "foldback":
        assert current.number == pytest.approx(0.3 * limit, rel=0.05)
    if kind == "latching":
        assert abs(current.number) < 0.05
        assert "recovery input-cycle" in current.working.note
    with BookReader(tmp_path / "run.zbook") as book:
        shorts = [w.event for w in book.events(kinds=(Effected,)) if w.event.body.get("shorted")]
    assert len(shorts) >= 2
    assert last_row(tmp_path / "bench.log")["load_on"] is False


def test_the_collapse_is_that_of_its_capacitor(
    tmp_path: Path, unit: Unit, rig: Rig, standin: Callable[..., RunningStandIn]
) -> None:
    """2.3026 R C to a tenth: the short input and the series resistance of the capacitor, no leads between."""
    bench = standin(file=str(written(tmp_path, "latching")), lead_ohm=0.0)
    run = judged(tmp_path, unit, rig, bench, replace(PART, repeats=1))
    ohm = 0.02 + PHYSICS["ripple"]["esr_ohm"]
    collapse = of(run, "short_circuit_time")
    assert collapse.number == pytest.approx(math.log(10.0) * ohm * PHYSICS["output"]["capacitor_F"], rel=0.08)
    claim = next(j for j in run.judged if j.claim is not None and j.claim.figure == "short_circuit_time")
    assert claim.verdict is Verdict.HOLDS


def test_nothing_else_shorts_an_output(unit: Unit, rig: Rig) -> None:
    none = replace(rig, instruments=tuple(
        replace(i, short_ohm=None) if i.role == "load" else i for i in rig.instruments
    ))  # fmt: skip
    assert "never made by hand" in PART.unmet(Facts(unit, none, (), ()))
    with pytest.raises(LimitError, match="no short input"):
        rehearse(unit, none, Plan("Short", (PART,)))
    rehearse(unit, rig, Plan("Short", (PART,)))


def test_a_stage_that_passes_its_input_is_shorted_only_behind_a_source_that_limits() -> None:
    """An idle step-up stage: input, inductor, rectifier, short, and nothing that switches off."""
    unit = read_unit(ROOT / "examples" / "units" / "netherby-boost-cable.toml")
    rig = read_rig(ROOT / "examples" / "rigs" / "simulated-boost.toml")
    rig = replace(rig, instruments=tuple(replace(i, short_ohm=0.02) if i.role == "load" else i
                                         for i in rig.instruments))  # fmt: skip
    plan = Plan("Short", (replace(PART, lines=(Line(5.0, 0.0),)),))
    coil, diode = (Part(n, w, stage="step-up", rated_A=a) for n, w, a in (
        ("L1", "inductor", 4.0), ("D1", "output rectifier", 3.0)))  # fmt: skip

    def with_parts(limit_A: float | None, *parts: Part) -> None:
        bounded = tuple(replace(i, limit_A=limit_A) if i.role == "dc_source" else i for i in rig.instruments)
        rehearse(replace(unit, look=replace(unit.look, parts=parts)), replace(rig, instruments=bounded), plan)

    for limit_A, parts, why in (
        (3.5, (coil, diode), "3.5 A, D1 stands 3 A"), (None, (coil, diode), "no current limit"),
        (1.0, (coil, replace(diode, rated_A=None)), "not among its parts"), (1.0, (coil,), "not among its parts"),
    ):  # fmt: skip
        with pytest.raises(LimitError, match=why):
            with_parts(limit_A, *parts)
    with_parts(2.5, coil, diode)


def test_made_safe_in_the_middle_of_a_short(
    tmp_path: Path, unit: Unit, rig: Rig, standin: Callable[..., RunningStandIn]
) -> None:
    """The load is taken out of its short before it bleeds the output, and everything is off at the end."""
    scene = Scene.set_up(tmp_path, unit, rig, Plan("Short", (PART,)), standin().addresses)
    with telling_the_standin():

        def says(state: State, _calls: int) -> list[Command]:
            shorted = any(w.event.body.get("shorted") for w in scene.events(Effected))
            return [MakeSafe()] if shorted and state is State.RUNNING else []

        closed = scene.run(Actor(says))
    assert closed.safe
    assert closed.outcome != "complete"
    last = last_row(tmp_path / "bench.log")
    assert (last["source_on"], last["load_on"]) == (False, False)


def shorts_of(run: JudgedRun) -> list[Finding]:
    return [j.finding for j in run.judged if j.finding.name == "short_circuit_residual" and j.finding.value is not None]


def with_contactor(rig: Rig, **more: object) -> Rig:
    """A contactor across the output, a shunt in its lead; the load has no short input of its own."""
    kept = tuple(replace(i, short_ohm=None) if i.role == "load" else i for i in rig.instruments)
    contactor = Instrument("contactor", "simulated", "Osmary", "K1", short_ohm=0.03, most={"current_A": 40.0}, **more)  # type: ignore[arg-type]
    ammeter = Instrument("ammeter", "simulated", "Pellmoor", "A2",
                         accuracy=(Accuracy("ammeter_current", 20.0, 0.1, 0.05),))  # fmt: skip
    return replace(rig, instruments=(*kept, contactor, ammeter))


def test_a_contactor_shorts_and_an_ammeter_tells_what_flows(
    tmp_path: Path, unit: Unit, rig: Rig, standin: Start
) -> None:
    """Its limit flows into 30 mohm: 0.1 V are left; the load beside it stays what it was set to."""
    by_contactor = with_contactor(rig)
    physics = written(tmp_path, "constant current")
    part = replace(PART, repeats=1, more_preloads_percent=(10.0,))
    run = judged(tmp_path, unit, by_contactor, standin(file=str(physics)), part)
    limit = PHYSICS["output"]["limit_A"]
    current, left = of(run, "short_circuit_current"), of(run, "short_circuit_residual")
    assert current.number == pytest.approx(limit, rel=0.01)
    assert "keeps feeding the short" in current.working.formula
    assert left.number == pytest.approx(limit * 0.03, abs=0.05)
    with BookReader(tmp_path / "run.zbook") as book:
        did = [w.event.body for w in book.events(kinds=(Effected,)) if w.event.body.get("shorted")]
    assert len(did) >= 2
    assert all(body.get("contactor") for body in did)
    assert "limits_into_leads" not in {d.code for d in left.doubts}, "0.1 V of 24 V"
    assert {f.at.load_percent for f in shorts_of(run)} == {50.0, 10.0}, "from each load"
    blind = replace(by_contactor, instruments=tuple(i for i in by_contactor.instruments if i.role != "ammeter"))
    second = tmp_path / "blind"
    second.mkdir()
    run = judged(second, unit, blind, standin(file=str(physics)), replace(PART, repeats=1))
    assert "amps_not_read" in {d.code for d in of(run, "short_circuit_residual").doubts}
    assert not [j for j in run.judged if j.finding.name == "short_circuit_current" and j.finding.value is not None]


def test_a_welded_contactor_ends_it_with_the_source_off_and_nothing_is_fed_into_it(
    tmp_path: Path, unit: Unit, rig: Rig, standin: Start
) -> None:
    """Told to open it stays closed: the source goes off, the bench is not confirmed; resumed, nothing is energised."""
    scene = Scene.set_up(tmp_path, unit, with_contactor(rig), Plan("Short", (PART,)), standin().addresses)
    told: list[str] = []
    with telling_the_standin() as tell:

        def says(state: State, _calls: int) -> list[Command]:
            shorted = [w for w in scene.events(Effected) if w.event.body.get("shorted")]
            if not told and state is State.RUNNING and shorted:
                told.append("weld")
                tell("FAUL bench,WELD")
            return []

        closed = scene.run(Actor(says))
    assert told
    assert (closed.outcome, closed.safe) == ("failed", False)
    assert "welded" in closed.why
    assert any("Contactor" in words for words in closed.unconfirmed)
    row = last_row(tmp_path / "bench.log")
    assert row["source_on"] is False
    with pytest.raises(NotSettled, match="Contactor"):
        scene.resume(Actor())


def test_nothing_is_energised_into_a_contact_that_is_closed(
    tmp_path: Path, unit: Unit, rig: Rig, standin: Start
) -> None:
    """Somebody left it closed, and it is welded: its contact is asked before the source comes on."""
    running = standin(faults=("bench,WELD",))
    address = running.addresses["contactor"].split("::")
    with socket.create_connection((address[1], int(address[2])), timeout=10.0) as line:
        line.sendall(b"ROUT:CLOS 1;:ROUT:CLOS?\n")
        assert line.recv(100).strip() == b"1"
    scene = Scene.set_up(tmp_path, unit, with_contactor(rig), Plan("Short", (PART,)), running.addresses)
    closed = scene.run(Actor())
    assert (closed.outcome, closed.safe) == ("failed", False)
    assert "welded" in closed.why
    last_row(tmp_path / "bench.log")
    assert not [r for r in bench_log(tmp_path / "bench.log") if r["source_on"]]


def test_a_contactor_has_to_stand_it_and_hands_make_no_short(unit: Unit, rig: Rig) -> None:
    small = with_contactor(rig)
    small = replace(small, instruments=tuple(
        replace(i, most={"current_A": 3.0}) if i.role == "contactor" else i for i in small.instruments
    ))  # fmt: skip
    with pytest.raises(LimitError, match="Osmary K1"):
        rehearse(unit, small, Plan("Short", (PART,)))
    rehearse(unit, with_contactor(rig), Plan("Short", (PART,)))
    hand = with_contactor(rig, kind="knife switch")
    hand = replace(hand, instruments=tuple(
        replace(i, how="by hand") if i.role == "contactor" else i for i in hand.instruments
    ))  # fmt: skip
    assert any("no short is made by hand" in p.message for p in check_rig(hand))


def test_what_limits_into_its_leads_is_told(tmp_path: Path, unit: Unit, rig: Rig, standin: Start) -> None:
    """3.4 A through 0.1 ohm of leads and the short: 0.4 V stay, no short at its terminals."""
    physics = written(tmp_path, "constant current")
    run = judged(tmp_path, unit, rig, standin(file=str(physics), lead_ohm=0.1), replace(PART, repeats=1))
    found = of(run, "short_circuit_residual")
    assert found.number == pytest.approx(PHYSICS["output"]["limit_A"] * 0.12, rel=0.05)
    assert "limits_into_leads" in {d.code for d in found.doubts}


def test_a_short_is_a_map_over_its_resistance(
    tmp_path: Path, unit: Unit, rig: Rig, standin: Callable[..., RunningStandIn]
) -> None:
    """A unit that limits gives its limit into every resistance, and I x R is left at it; one that would draw no more
    than the rating is left out. The report has the table; a table of one row is none."""
    bench = standin(file=str(written(tmp_path, "constant current")), lead_ohm=0.0)
    part = replace(PART, repeats=1, resistances_ohm=(0.5, 2.0, 50.0))
    run = judged(tmp_path, unit, rig, bench, part)
    limit = PHYSICS["output"]["limit_A"]
    currents = {j.finding.at.draw.level: j.finding for j in run.judged if j.finding.name == "short_circuit_current"}
    left = {j.finding.at.draw.level: j.finding for j in run.judged if j.finding.name == "short_circuit_residual"}
    assert set(currents) == {None, 0.5, 2.0}, "the short itself by the load before it"
    for ohm in (0.5, 2.0):
        assert currents[ohm].number == pytest.approx(limit, rel=0.01)
        assert left[ohm].number == pytest.approx(limit * ohm, rel=0.02)
        assert "limits_into_leads" not in {d.code for d in left[ohm].doubts}, "that resistance is meant"
    section = next(s for s in sections_of(run) if s.title == "Short circuit")
    assert [row[2] for row in section.rows] == ["the short", "0.5 Ω", "2 Ω"]
    assert all("constant-current" in row[5] for row in section.rows)
    with BookReader(tmp_path / "run.zbook") as book:
        notes = [w.event.text for w in book.events(kinds=(Remarked,))]
    assert any("50 ohm would draw" in text for text in notes)
    findings = [j.finding for j in run.judged]
    alone = [f for f in findings if f.at.draw.law != "CR"]
    assert ShortCircuit().section(alone) is None


@pytest.mark.parametrize(("amps", "hot"), [(20.0, False), (30.0, True)])
def test_what_a_unit_keeps_feeding_heats_the_leads_and_that_is_doubted(amps: float, hot: bool) -> None:
    """Ten seconds through 0.75 mm2 from 25 degC: 20 A come to 64, 30 A to 120 degC by the closed form."""
    t = np.arange(-2.0, 12.0, 0.1)
    during = (t > 0.0) & (t <= 10.0)
    seen = {
        "output_voltage": np.where(during, 0.4, 12.0), "output_current": np.where(during, amps, 1.0),
        "load_set": np.where(during, 2.0 * amps, 1.0),
    }  # fmt: skip
    log = Traces(0.1, -2.0, {name: Channel(name, values) for name, values in seen.items()})
    found = shorted_figures(log, Choices(12.0, rated_A=15.0, record=LOG, lead_mm2=0.75))
    assert float(str(found.facts["leads_at_most_degC"])) == pytest.approx(120.0 if hot else 63.7, abs=0.6)
    assert ("leads_get_hot" in {d.code for d in found.doubts}) is hot


def test_an_output_that_is_set_is_shorted_from_several_of_its_volts(
    tmp_path: Path, standin: Callable[..., RunningStandIn]
) -> None:
    """A bench supply gives its limit into the short whatever volts it was set to, and is left at its upper ends."""
    unit = read_unit(ROOT / "examples" / "units" / "lathom-lb303.toml")
    one = read_rig(ROOT / "examples" / "rigs" / "simulated-supply.toml")
    shorts = tuple(replace(i, short_ohm=0.02) if i.role == "load" else i for i in one.instruments)
    line = Line(230.0, 50.0)
    part = replace(PART, lines=(line,), repeats=1, hold_s=3.0, set_percent=(20.0, 100.0))
    bench = standin(file=str(ROOT / "examples" / "standins" / "lathom-lb303.toml"))
    run = judged(tmp_path, unit, replace(one, instruments=shorts), bench, part)
    found = [j.finding for j in run.judged if j.finding.name == "short_circuit_current"]
    assert sorted(to.voltage_V for one in found if (to := one.at.set_point())) == pytest.approx([6.0, 30.0])
    for one_of in found:
        assert "leads at most 25" in one_of.working.note, "three seconds of 3 A are nothing to these"
        assert "leads_get_hot" not in {d.code for d in one_of.doubts}
        assert one_of.number == pytest.approx(3.0, rel=0.02), "its upper end of amps"
        assert "constant-current" in one_of.working.formula
