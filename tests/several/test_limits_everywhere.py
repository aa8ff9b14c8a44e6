"""Every procedure of the limits on every unit that has its physics: by wire, and by hand by a person who turns the
stand-in's knobs as the gates say and types what its meters show."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path

import pytest
from tests.conftest import ROOT
from tests.engine.scripted import Actor, Scene, by_hand
from tests.engine.test_soak import probe
from tests.several.conftest import EXAMPLES, Goes

from zincsmith.bench.link import Link
from zincsmith.bench.standin import RunningStandIn
from zincsmith.book.reader import BookReader
from zincsmith.formats.rig_file import read_rig
from zincsmith.formats.unit_file import read_unit
from zincsmith.judge.judging import JudgedRun, judge_run
from zincsmith.model.address import name_of
from zincsmith.model.commands import Command, Enter, Pass
from zincsmith.model.events import EntryAsked, HandSetting, Intended
from zincsmith.model.intake import Part
from zincsmith.model.plan import Line, Options, Plan
from zincsmith.model.rig import Accuracy, Instrument, Rig
from zincsmith.model.states import State
from zincsmith.model.unit import Unit
from zincsmith.procedures.dropout.options import DropoutOptions
from zincsmith.procedures.overcurrent.options import OvercurrentOptions
from zincsmith.procedures.overload_endurance.options import EnduranceOptions
from zincsmith.procedures.power_envelope.options import EnvelopeOptions
from zincsmith.procedures.short_circuit.options import ShortCircuitOptions
from zincsmith.procedures.thermal_soak.options import ThermalSoakOptions
from zincsmith.showing.board import ceilings_of, section_of
from zincsmith.showing.borders import borders
from zincsmith.simbench.units.adapter import Adapter

UNITS = ("tarnbrook-tb2425", "ossel-od60", "dunmarrow-dm120")
LINE = Line(115.0, 60.0)
MAINS = Line(230.0, 50.0)
GENTLE: tuple[Options, ...] = (
    ThermalSoakOptions(lines=(LINE,), loads_percent=(50.0,), until="fitted", every_s=60.0),
    DropoutOptions(line=LINE, loads_percent=(50.0,), settle_s=2.0),
    EnvelopeOptions(lines=(Line(100.0, 60.0), LINE), from_percent=80.0),
)
VIOLENT: tuple[Options, ...] = (
    OvercurrentOptions(lines=(LINE,), step_percent=10.0, resolution_percent=5.0, repeats=2, rest_s=1.0),
    EnduranceOptions(lines=(LINE,), loads_percent=(105.0, 110.0), minutes=2.0, cools_min=2.0),
    ShortCircuitOptions(lines=(LINE,), repeats=1, hold_s=4.0),
)
FIGURES = {
    "thermal_soak": "hot_spot", "dropout": "dropout_input", "power_envelope": "greatest_power",
    "overcurrent": "overcurrent", "short_circuit": "short_circuit_residual",
}  # fmt: skip


def unit_and_rig(name: str) -> tuple[Unit, Rig, Path]:
    physics = ROOT / "examples" / "standins" / f"{name}.toml"
    unit = read_unit(ROOT / "examples" / "units" / f"{name}.toml")
    rig = read_rig(ROOT / "examples" / "rigs" / "simulated.toml")
    spots = [probe(spot) for spot in Adapter.read(physics).spots]
    wider = {
        "power_meter": (Accuracy("input_power", 600.0, 0.1, 0.04), Accuracy("input_current", 5.0, 0.1, 0.05)),
        "load": (Accuracy("output_current", 20.0, 0.05, 0.025),),
    }
    kept = tuple(replace(i, accuracy=(*i.accuracy, *wider.get(i.role, ()))) for i in rig.instruments)
    # The largest of them gives 25 A for a moment, more than the load reads: a contactor carries that.
    contactor = Instrument("contactor", "simulated", "Osmary", "K1", short_ohm=0.03, most={"current_A": 60.0})
    gear = tuple(replace(g, rated_A=6.3) if g.what == "fuse" else g for g in rig.gear)
    return unit, replace(rig, instruments=(*kept, contactor, *spots), gear=gear), physics


def found_in(scene: Scene, parts: tuple[Options, ...]) -> JudgedRun:
    with BookReader(scene.path) as book:
        run = judge_run(book)
    names = {j.finding.name for j in run.judged if j.finding.value is not None}
    for part in parts:
        if part.procedure in FIGURES:
            assert FIGURES[part.procedure] in names, part.procedure
    return run


@pytest.mark.long
@pytest.mark.parametrize("name", UNITS)
def test_by_wire_every_one_ends_with_its_figures(
    tmp_path: Path, standin: Callable[..., RunningStandIn], name: str
) -> None:
    unit, rig, physics = unit_and_rig(name)
    parts = GENTLE + VIOLENT
    scene = Scene.set_up(tmp_path, unit, rig, Plan("Limits", parts), standin(file=str(physics)).addresses)
    closed = scene.run(Actor())
    assert (closed.outcome, closed.safe) == ("complete", True), closed.why
    run = found_in(scene, parts)
    names = {name for name, _, _ in borders(run)[0].lines}
    assert {"limit", "gives way", "rated input"} <= names
    limit = Adapter.read(physics).output.limit_A
    found = next(j.finding for j in run.judged if j.finding.name == "overcurrent" and j.finding.value is not None)
    assert found.u is not None
    assert abs(found.number - limit) <= 2.0 * found.u + 0.01 * limit


@contextmanager
def hands_on(scene: Scene, addresses: dict[str, str]) -> Iterator[Callable[[State, int], list[Command]]]:
    """Turns load and source of the stand-in to what was asked for last, and types its meters."""
    links: dict[str, Link] = {}

    def link(role: str) -> Link:
        if role not in links:
            links[role] = Link(role, addresses[role])
            links[role].open()
        return links[role]

    def turn(role: str) -> None:
        action = "SetLoad" if name_of(role) == "load" else "SetSource"
        body = [w.event.body for w in scene.events(Intended) if w.event.action == action]
        last = body[-1] if body else {"on": False}
        if action == "SetLoad":
            amps = float(last["current_A"]) if last["on"] else 0.0
            link(role).query(f"CURR {amps:.4f};:INP {int(bool(last['on']))};:INP?")
        else:
            volts, hertz = float(last["voltage_V"]), float(last["frequency_Hz"])
            link(role).query(f"VOLT {volts:.2f};:FREQ {hertz:g};:OUTP {int(bool(last['on']))};:OUTP?")

    def says(state: State, _calls: int) -> list[Command]:
        if state is State.MAKING_SAFE:
            for role in ("ac_source", "load"):
                link(role).query("OUTP 0;:OUTP?" if role == "ac_source" else "INP 0;:INP?")
            return [Pass()]
        if state is State.ASKING:
            asked = scene.events(EntryAsked)[-1].event.quantity
            if asked.startswith("timed"):
                return [Enter("0")]
            role = {"output_voltage": "voltmeter", "case_temperature": "thermometer"}.get(asked, "load")
            if role == "load":
                return [Enter(link("load").query("MEAS:CURR?"))]
            return [Enter(link(role).query("TYP?"))]
        if state is State.GATE:
            last = scene.events(HandSetting)
            if last and last[-1].event.role in ("load", "ac_source"):
                turn(last[-1].event.role)
            return [Pass()]
        return []

    try:
        yield says
    finally:
        for one in links.values():
            one.close()


@pytest.mark.long
@pytest.mark.parametrize("name", UNITS)
def test_by_hand_a_person_turns_the_load_and_types_the_meters(
    tmp_path: Path, standin: Callable[..., RunningStandIn], name: str
) -> None:
    unit, rig, physics = unit_and_rig(name)
    kept = tuple(i for i in rig.instruments if i.role not in ("spot_thermometer", "contactor"))
    hands = by_hand(replace(rig, instruments=kept), "voltmeter", "load", "thermometer")
    soak = replace(GENTLE[0], every_s=300.0, hours=2.0)  # type: ignore[type-var]
    over = replace(VIOLENT[0], observe_s=4.0)  # type: ignore[type-var]
    sweep = replace(GENTLE[1], rising=False)  # type: ignore[type-var]
    parts: tuple[Options, ...] = (soak, sweep, GENTLE[2], over, VIOLENT[1])  # all but the short, which no hand makes
    running = standin(file=str(physics))
    scene = Scene.set_up(tmp_path, unit, hands, Plan("By hand", parts), running.addresses)
    with hands_on(scene, running.addresses) as says:
        closed = scene.run(Actor(says))
    assert closed.outcome == "complete", closed.why
    run = found_in(scene, parts)
    assert {"overload_endurance", "overload_held"} & {j.finding.name for j in run.judged}
    limit = Adapter.read(physics).output.limit_A
    found = next(j.finding for j in run.judged if j.finding.name == "overcurrent" and j.finding.value is not None)
    assert found.u is not None
    assert found.number <= limit * 1.01 <= found.number + 3.0 * found.u + 0.02 * limit


def test_all_rails_together_go_until_the_converter_they_share_lets_go(goes: Goes) -> None:
    """The converter of the open frame holds 11.5 A at its 5 V bus: what the rails take of it is their watts over their
    efficiencies. Each alone is far from that; together they let go where the sum says, to the step."""
    part = OvercurrentOptions(lines=(MAINS,), step_percent=10.0, resolution_percent=5.0, repeats=1, rest_s=0.5,
                              observe_s=2.0, recover_s=3.0)  # fmt: skip
    _, closed, run = goes("brindlow-of45", "simulated-three-rails", (part,))
    assert closed.safe, closed.unconfirmed
    (one,) = [j.finding for j in run.judged if j.finding.name == "combined_overload"]
    watts = {"+5 V": 0.9615 * 20.0 / 0.985, "+12 V": 0.9615 * 18.0 / 0.955, "-12 V": 0.9615 * 3.6 / 0.95}
    share = 11.5 * 5.0 / sum(watts.values())
    assert one.u is not None
    assert one.number / 40.0 < share + 0.02, one.working.formula
    assert abs(one.number / 40.0 - share) < 0.1
    assert "let go" in one.working.formula


@pytest.mark.long
def test_a_port_is_driven_beyond_each_of_its_modes_and_asked_again(goes: Goes) -> None:
    """Drawn: a port goes off at 1.18 times what its mode has, and comes back at the volts that nobody asks for."""
    part = OvercurrentOptions(lines=(MAINS,), step_percent=10.0, resolution_percent=5.0, repeats=1, rest_s=0.5,
                              observe_s=1.5, recover_s=2.0, together=False)  # fmt: skip
    unit = read_unit(EXAMPLES / "units" / "quillfen-q65.toml")
    board = (Part("U1", "controller", output="C1"), Part("L2", "inductor", output="C2, A"),
             Part("C7", "output capacitor", rated_V=21.0, output="C1"))  # fmt: skip
    unit = replace(unit, look=replace(unit.look, parts=board))
    _, closed, run = goes("quillfen-q65", "simulated-usb", (part,), unit=unit)
    assert (closed.outcome, closed.safe) == ("complete", True), closed.why
    one, both = ceilings_of(run)  # what the board map makes of it: 21 V are asked of capacitors for 21 V
    assert (one.outputs, both.outputs) == (("C1",), ("C2", "A"))
    assert one.watts == pytest.approx(20.0 * 1.18 * 3.25, rel=0.06)
    assert both.watts == pytest.approx(12.0 * 1.18 * 1.67, rel=0.06)
    assert (one.beyond_capacitors, both.beyond_capacitors) == (True, False)
    section = section_of(run)
    assert section is not None
    assert "not less than the 65 W that the plate claims in all" in section.paragraphs[1]
    assert "asked 21 V" in section.rows[0][-1]
    found = {(f.output, f.at.mode()): f for f in (j.finding for j in run.judged)
             if f.name == "overcurrent" and f.value is not None}  # fmt: skip
    drawn = {"5 V": 3.0, "9 V": 2.22, "12 V": 1.67}
    for mode, amps in drawn.items():
        one = found["C2", mode]
        assert one.u is not None
        assert one.number < 1.18 * amps < one.number + 2.5 * one.u, mode
    assert {mode for port, mode in found if port == "C1"} == {"5 V", "9 V", "15 V", "20 V"}


def test_rails_are_soaked_each_alone_and_together_at_the_same_input(goes: Goes) -> None:
    part = ThermalSoakOptions(lines=(MAINS,), loads_percent=(100.0,), until="fitted", every_s=60.0, limit_degC=90.0,
                              rails="each and together")  # fmt: skip
    _, closed, run = goes("brindlow-of45", "simulated-three-rails", (part,))
    assert closed.safe, closed.why
    largest = {f.at.about: f for f in (j.finding for j in run.judged) if f.name == "largest_continuous_load"}
    assert set(largest) == {"", "+5 V", "+12 V", "-12 V"}
    assert {f.at.line_V for f in largest.values()} == {230.0}
    assert largest["+12 V"].title == "Largest load for good, +12 V alone"
    hot = [f.number for f in (j.finding for j in run.judged) if f.name == "hot_spot" and f.value is not None]
    assert len(hot) == 4
    assert max(hot) == hot[-1], "all together it is the hottest"
