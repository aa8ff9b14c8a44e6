"""Hidden faults found by the worksheet alone: a person goes where the gate says and types what the meter shows."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.engine.scripted import Actor, Scene
from tests.several.conftest import EXAMPLES

from zincsmith.analysis.worksheet import (
    OPEN,
    SYMPTOMS,
    Stage,
    beside_good,
    fault_of,
    next_of,
    out_of_span,
    read_good,
    sheet_of,
)
from zincsmith.bench.link import Link
from zincsmith.bench.standin import RunningStandIn
from zincsmith.book.reader import BookReader
from zincsmith.engine.known_bench import pick_file
from zincsmith.formats.rig_file import read_rig
from zincsmith.formats.unit_file import read_unit
from zincsmith.judge.judging import judge_run
from zincsmith.model.commands import Command, Enter, Pass
from zincsmith.model.errors import InputError
from zincsmith.model.events import GateOpened, Remarked
from zincsmith.model.plan import Line, Plan
from zincsmith.model.rig import Instrument
from zincsmith.model.states import State
from zincsmith.procedures.fault_finding.options import REPORTED, FaultOptions

UNIT = read_unit(EXAMPLES / "units" / "tarnbrook-tb2425.toml")
SHEET = sheet_of(UNIT.nameplate, 230.0)


class Repairer:
    """Holds the meter where the last gate said, and types what it shows."""

    def __init__(self, scene: Scene, meter: Link) -> None:
        self.scene, self.meter = scene, meter
        self.went: list[tuple[str, str]] = []

    def __call__(self, state: State, _calls: int) -> list[Command]:
        if state is State.GATE:
            return [Pass()]
        if state is not State.ASKING:
            return []
        title = self.scene.events(GateOpened)[-1].event.title
        stage, _, how = title.partition(": ")
        live = how.endswith("live")
        self.went.append((stage.lower(), "live" if live else "unplugged"))
        self.meter.write(f"PROB {stage.lower()}")
        text = self.meter.query("MEAS:VOLT?" if live else "MEAS:OHM?")
        value = float(text)
        assert value == value, "an ohmmeter on a live or charged unit"
        return [Enter("-" if value > 1e9 else f"{value:.6g}")]


@pytest.fixture
def searched(tmp_path: Path, standin: Callable[..., RunningStandIn]) -> Callable[..., Any]:
    def go(fault: str, symptom: str = "dead", known_good: str = "", shows_when: str = "") -> Any:
        file = EXAMPLES / "standins" / "tarnbrook-tb2425.toml"
        pick_file(str(file))
        rig = replace(read_rig(EXAMPLES / "rigs" / "simulated.toml"), leads=())
        rig = replace(rig, instruments=(*rig.instruments, Instrument("multimeter", "by hand", kind="hand-held")))
        part = FaultOptions(line=Line(230.0, 50.0), symptom=symptom, known_good=known_good,  # type: ignore[arg-type]
                            shows_when=shows_when)  # fmt: skip
        faults = (f"unit,{fault}",) if fault else ()
        addresses = standin(file=str(file), lead_ohm=0.0, input_lead_ohm=0.0, faults=faults).addresses
        scene = Scene.set_up(tmp_path, UNIT, rig, Plan("Repair", (part,)), addresses)
        meter = Link("multimeter", addresses["multimeter"])
        meter.open()
        try:
            repairer = Repairer(scene, meter)
            closed = scene.run(Actor(repairer))
        finally:
            meter.close()
        # What never gave volts in this run proves nothing by giving none: a dead output is to be measured dead.
        assert {"AC source off, read back"} <= set(closed.seen)
        assert all("output fallen" in one for one in closed.unconfirmed)
        with BookReader(scene.path) as book:
            run = judge_run(book)
        told = [d.text for j in run.judged for d in j.finding.doubts if d.code == "stage_out"]
        said = [w.event.text for w in scene.events(Remarked)] or [closed.why]
        return repairer.went, [text for text in told if "It decides" in text], said, run

    return go


HIDDEN = {
    "short input": ("bulk, unplugged", "switch, bridge or bulk capacitor shorted"),
    "leaky bulk": ("bulk, unplugged", "leaking"),
    "short output": ("output, unplugged", "output rectifier, output capacitor"),
    "open divider": ("reference, unplugged", "open"),
    "open fuse": ("fuse, unplugged", "what blew it is looked for"),
    "open bridge": ("bulk, live", "bridge, thermistor or track open"),
    "dry bulk": ("bulk, live", "dried out"),
    "open start": ("controller supply, live", "start resistor open"),
    "dead controller": ("output, live", "controller"),
    "drifted reference": ("reference, live", "reference"),
}


@pytest.mark.parametrize("fault", sorted(HIDDEN))
def test_a_hidden_fault_is_found_by_its_stage(searched: Callable[..., Any], fault: str) -> None:
    """Nobody tells which it is; nothing is fed where a reading without power decides."""
    went, decides, said, run = searched(fault)
    where, points_to = HIDDEN[fault]
    assert len(decides) == 1, decides
    assert decides[0].startswith(where), decides
    assert points_to in decides[0]
    assert any(where in text for text in said)
    if where.endswith("unplugged"):
        assert {way for _, way in went} == {"unplugged"}, "no live reading where an unplugged one decides"
    assert len(went) == len(set(went)), "no reading is asked twice"
    assert len(went) <= len(SHEET) + len([s for s in SHEET if s.volts])
    first_live = next((n for n, (_, way) in enumerate(went) if way == "live"), len(went))
    assert all(way == "live" for _, way in went[first_live:])
    section = next(s for s in run_sections(run) if s.title == "Worksheet of fault finding")
    assert len(section.rows) == len(went)


def run_sections(run: Any) -> list[Any]:
    from zincsmith.procedures.catalogue import procedure

    found = [procedure(n).section([j.finding for j in run.judged]) for n in run.evidence.procedures]
    return [s for s in found if s is not None]


def test_volts_that_run_away_end_it_before_a_part_stands_them(searched: Callable[..., Any]) -> None:
    """What decides is then the watch of the output: it is off before anybody has read a stage."""
    went, decides, said, _ = searched("open feedback", "volts too high")
    assert decides == []
    assert "C6 is marked for is 25 V" in said[-1]
    assert went[0] == ("reference", "unplugged"), "the divider first, for volts that are too high"


def test_a_sound_unit_is_not_repaired(searched: Callable[..., Any]) -> None:
    went, decides, said, _ = searched("")
    assert decides == []
    assert any("not reproduced under these conditions" in text for text in said)
    assert len(went) == 9


def test_what_was_reported_orders_what_is_looked_at(searched: Callable[..., Any]) -> None:
    went, _, _, _ = searched("short output", "tries again and again")
    assert went == [("output", "unplugged")]


def test_a_known_good_one_tells_more_than_the_usual_spans(searched: Callable[..., Any]) -> None:
    """4.7 kohm across an output is sound by itself, and not beside one of the model that reads 47 kohm there."""
    went, decides, said, run = searched("", "volts too low", "output 47k, bulk 322 V", "warm")
    assert went[-1] == ("output", "unplugged")
    assert len(decides) == 1
    assert "15.7 kohm to 141 kohm are sound" in decides[0]
    assert any("output, unplugged" in text for text in said)
    assert all("read warm" in j.finding.working.formula for j in run.judged if j.finding.name.startswith("stage_"))


def test_what_a_known_good_one_reads_is_typed_in_words() -> None:
    good = read_good("Bulk 412k, controller supply 15.2 V, fuse open,", SHEET)
    assert good == {("bulk", "unplugged"): 412e3, ("controller supply", "live"): 15.2, ("fuse", "unplugged"): OPEN}
    for nonsense in ("bulk", "bulk twelve", "nose 12k", "bulk 12 V 3"):
        with pytest.raises(ValueError, match=r"wanted|names no stage"):
            read_good(nonsense, SHEET)
    stage = next(s for s in beside_good(SHEET, good) if s.name == "bulk")
    assert out_of_span(stage, "unplugged", 60e3) is not None
    assert out_of_span(next(s for s in SHEET if s.name == "bulk"), "unplugged", 60e3) is None


def test_nothing_is_fed_without_what_limits_and_nobody_is_missing() -> None:
    with pytest.raises(InputError, match="series lamp"):
        FaultOptions(limited=False).check()
    assert "nobody" not in FaultOptions.suits(UNIT.nameplate)
    assert set(REPORTED) == set(SYMPTOMS)


@given(st.data())
def test_whatever_is_read_the_sheet_ends_and_feeds_nothing_that_is_short(data: st.DataObject) -> None:
    """Any readings at all, any symptom: it ends, asks nothing twice, goes live only while all ohms are sound."""
    symptom = data.draw(st.sampled_from(sorted(SYMPTOMS)))
    read: dict[Any, float] = {}
    while (wanted := next_of(SHEET, read, symptom)) is not None:
        stage, way = wanted
        assert (stage.name, way) not in read
        if way == "live":
            ohms = [(s, v) for s in SHEET for (n, w), v in read.items() if n == s.name and w == "unplugged"]
            assert all(out_of_span(s, "unplugged", v) is None for s, v in ohms)
            assert len(ohms) == len([s for s in SHEET if s.ohms is not None])
        read[stage.name, way] = data.draw(st.sampled_from([0.0, 0.5, 3.0, 2.5, 15.0, 24.0, 320.0, 5e3, 330e3, OPEN]))
    found = fault_of(SHEET, read)
    outs = [1 for (n, w), v in read.items() if out_of_span(stage_named(n), w, v) is not None]
    assert (found is None) == (not outs)


def stage_named(name: str) -> Stage:
    return next(s for s in SHEET if s.name == name)
