"""One plan, two configurations: the unit is changed at a gate in between, and the same figures are told of both."""

from __future__ import annotations

import math
import tomllib
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from tests.conftest import ROOT, run_command
from tests.engine.scripted import Actor, Scene, telling_the_standin

from zincsmith.bench.standin import RunningStandIn
from zincsmith.book.reader import BookReader
from zincsmith.formats.rig_file import read_rig
from zincsmith.judge.against import between_configurations
from zincsmith.judge.judging import JudgedRun, judge_run
from zincsmith.model.commands import Abort, Command, Pass
from zincsmith.model.errors import InputError
from zincsmith.model.events import GateOpened, Intended, RunClosed
from zincsmith.model.plan import LINES, Plan
from zincsmith.model.rig import Rig
from zincsmith.model.states import State
from zincsmith.model.unit import Unit
from zincsmith.planning.composer import both_ways, compose, order_problem
from zincsmith.procedures.another_configuration.options import ConfigurationOptions
from zincsmith.procedures.plan_file import check_plan, read_plan, write_plan
from zincsmith.procedures.ripple.options import RippleOptions
from zincsmith.report.html import render
from zincsmith.showing.curves import all_curves
from zincsmith.words.log_words import LogBook

StartStandIn = Callable[..., RunningStandIn]
AT_FIRST = "as received, case closed"
ADDED_OHM = 0.2
CHANGE = ConfigurationOptions(
    configuration="resistor added", changes="put 0.2 ohm in series with the output", restore="take the resistor out"
)


class Solders:
    """Whoever stands at the bench: at the gate of the change a resistor goes in, or what else was said."""

    def __init__(
        self, scene: Scene, tell: Callable[[str], None], then: Command | None = None, change: str = ""
    ) -> None:
        self.scene, self.tell, self.then, self.done = scene, tell, then, False
        self.change = change or f"SERIES {ADDED_OHM}"

    def __call__(self, state: State, calls: int) -> list[Command]:
        gates = [w.event for w in self.scene.events(GateOpened) if isinstance(w.event, GateOpened)]
        if state is State.GATE and not self.done and gates and CHANGE.configuration in gates[-1].title:
            self.done = True
            self.tell(f"FAUL unit,{self.change}")
            return [Pass()]
        return [self.then] if self.done and self.then is not None and state is State.RUNNING else []


@pytest.fixture
def changing(tmp_path: Path, unit: Unit, rig: Rig, tiny_plan: Plan, standin: StartStandIn) -> Scene:
    return Scene.set_up(tmp_path, unit, rig, both_ways(tiny_plan, CHANGE), standin().addresses)


def done(scene: Scene, then: Command | None = None, change: str = "") -> RunClosed:
    with telling_the_standin() as tell:
        return scene.run(Actor(Solders(scene, tell, then, change)))


def judged(scene: Scene) -> JudgedRun:
    with BookReader(scene.path) as book:
        return judge_run(book)


def test_the_same_figures_of_both_and_what_the_change_did(changing: Scene, unit: Unit) -> None:
    """What stands between the volts is the drop across what was soldered in, I R, and nothing else; the claims of the
    plate are judged for both, curves and report tell them apart, and the unit's document says what it is now."""
    assert done(changing).outcome == "complete"
    with BookReader(changing.path) as book:
        run, now = judge_run(book), book.unit(unit.tag)
        log = LogBook()
        log.take(book.events(run=1))
    assert (now.configuration, now.to_restore[-1].what) == ("resistor added", "take the resistor out")
    assert [c.name for c in now.configurations][-1] == "resistor added"
    assert run.unit.configuration == AT_FIRST
    points = {(p.at.configuration, p.at.load_percent): p for p in run.evidence.points}
    assert set(points) == {(state, load) for state in (AT_FIRST, "resistor added") for load in (100.0, 0.0)}
    amps = points["resistor added", 100.0].need("output_current").number
    volts = [points[state, 100.0].need("output_voltage").number for state in (AT_FIRST, "resistor added")]
    drift = 0.02  # V: the hot part is a little warmer, and its volts go with that
    assert volts[0] - volts[1] == pytest.approx(ADDED_OHM * amps, abs=drift)
    changes = between_configurations(run)
    told = {run.judged[at].finding.name: one for at, one in changes.items()}
    assert told["load_regulation"].difference == pytest.approx(ADDED_OHM * amps / 24.0, abs=0.001)
    efficiency = told["efficiency"]
    lost = (volts[0] - volts[1]) / volts[0]  # of the power that had come out, as in a divider
    assert efficiency.difference == pytest.approx(-0.87 * lost, abs=0.002)
    assert efficiency.words.startswith(f"{AT_FIRST}: ")
    assert "resistor added" in run.judged[next(iter(changes))].finding.at.words
    by_state = {j.finding.at.configuration for j in run.judged if j.claim is not None and j.finding.value is not None}
    assert by_state == {AT_FIRST, "resistor added"}
    names = [name for one in all_curves(run.evidence) for name, _, _ in one.lines]
    assert any(AT_FIRST in n for n in names)
    assert any("resistor added" in n for n in names)
    page = render(run)
    assert "What the change of configuration did" in page
    assert "0.2 ohm in series" in page
    assert any("resistor added" in e.text for one in log.entries for e in (one, *one.under))


@pytest.mark.long
def test_what_another_capacitor_did_to_the_ripple_is_told_in_decibel(
    tmp_path: Path, unit: Unit, standin: StartStandIn
) -> None:
    """Twice the capacity at a third of the resistance: the switching part falls as the closed form of both says, a
    triangular current through a resistance and a capacitor on a million places of a period."""
    rig = read_rig(ROOT / "examples" / "rigs" / "simulated-scope.toml")
    physics = tomllib.loads((ROOT / "examples" / "standins" / "tarnbrook-tb2425.toml").read_text())
    r, farad = physics["ripple"], physics["output"]["capacitor_F"]
    part = RippleOptions(lines=(LINES[0],), loads_percent=(100.0,), settle_s=1.0, long_s=0.0)
    plan = both_ways(Plan("Ripple", (part,)), CHANGE)
    scene = Scene.set_up(tmp_path, unit, rig, plan, standin().addresses)
    ended = done(scene, change=f"CAPACITOR {2e6 * farad} {1e3 * r['esr_ohm'] / 3.0}")
    assert (ended.outcome, ended.safe) == ("complete", True), ended.why
    run = judged(scene)
    changes = between_configurations(run)
    (told,) = (one for at, one in changes.items() if run.judged[at].finding.name == "ripple_switching")

    def span(ohm: float, farads: float) -> float:
        turn = (np.arange(1_000_000) + 0.5) / 1e6
        swing = np.where(turn < 0.5, 4.0 * turn - 1.0, 3.0 - 4.0 * turn)
        return float(np.ptp(ohm * swing + np.cumsum(swing) / 1e6 / r["switching_Hz"] / farads))

    expected = 20.0 * math.log10(span(r["esr_ohm"] / 3.0, 2.0 * farad) / span(r["esr_ohm"], farad))
    assert told.decibel is not None
    assert told.decibel == pytest.approx(expected, abs=0.4)
    assert " dB" in told.words


def test_it_is_off_and_empty_before_hands_go_in(changing: Scene) -> None:
    """Off, let fall, the gate, and only then is anything of the changed unit done."""
    done(changing)
    did = [w.event for w in changing.events(Intended) if isinstance(w.event, Intended)]
    at = next(n for n, one in enumerate(did) if one.action == "Reconfigure")
    gate = did[at - 1]
    assert gate.action == "Confirm"
    assert gate.body["hands_in"]
    source = [one.body for one in did[:at] if one.action == "SetSource"][-1]
    assert source["on"] is False
    assert all(one.body["at"]["configuration"] == AT_FIRST for one in did[:at] if one.action == "Measure")


def test_a_run_that_ended_on_the_changed_unit_goes_on_there(changing: Scene, unit: Unit) -> None:
    """The document was changed by the run itself, which is no edit; what somebody edits besides is one."""
    assert done(changing, Abort("enough")).outcome == "aborted"
    with BookReader(changing.path) as book:
        assert book.unit(unit.tag).configuration == "resistor added"
    assert changing.resume(Actor()).outcome == "complete"
    run = judged(changing)
    assert run.evidence.configurations == (AT_FIRST, "resistor added")
    assert between_configurations(run)


def test_an_edited_unit_is_not_taken_for_one_that_the_run_changed(changing: Scene, unit: Unit) -> None:
    from zincsmith.book.writer import BookWriter

    done(changing, Abort("enough"))
    with BookWriter(changing.path) as book:
        book.revise("unit", unit.tag, replace(book.unit(unit.tag), serial="another"), "edited")
    with pytest.raises(InputError, match="the unit was edited since"):
        changing.resume(Actor())


def test_a_composed_plan_is_done_once_more(unit: Unit, rig: Rig, tmp_path: Path) -> None:
    """The changed unit is raised from zero, gates and rig check are not repeated, restoring stays last; the plan file
    reads as the plan."""
    full, _ = compose(unit, rig)
    plan = both_ways(full, CHANGE)
    names = [p.procedure for p in plan.parts]
    at = names.index("another_configuration")
    assert names[at + 1] == "bring_up"
    assert plan.parts[at + 1].school == "from zero"  # type: ignore[attr-defined]
    assert "safety_checks" not in names[at:-1]
    assert plan.parts[-1] == full.parts[-1]
    assert [n for n in names[at + 1 :] if n in ("static_grid", "standby")] == ["static_grid", "standby"]
    assert order_problem(plan.parts) == ""
    file = tmp_path / "both.toml"
    file.write_text(write_plan(plan))
    assert read_plan(file) == plan
    with pytest.raises(InputError, match="already"):
        both_ways(plan, CHANGE)


@pytest.mark.parametrize("name", ["", " ", "x" * 300, "two\nlines"])
def test_nonsense_is_no_configuration(name: str, tiny_plan: Plan) -> None:
    with pytest.raises(InputError):
        check_plan(replace(tiny_plan, parts=(ConfigurationOptions(configuration=name), *tiny_plan.parts)))


def test_the_command_line_changes_the_unit_and_tells_what_that_did(tmp_path: Path, short_plan: Path) -> None:
    """By ``--then-changed``; nobody changes the stand-in here, so nothing may have changed by more than is seen."""
    from tests.conftest import RIG, UNIT

    text = short_plan.read_text().replace(
        "[options]", "[options]\nlines = [[115.0, 60.0]]\nloads_percent = [100.0, 0.0]"
    )
    short_plan.write_text(text)
    book = tmp_path / "both.zbook"
    done = run_command(
        "run", "--unit", UNIT, "--rig", RIG, "--plan", short_plan, "--book", book, "--yes",
        "--then-changed", "shielded: foil around the transformer",
    )  # fmt: skip
    assert done.returncode == 0, done.stderr
    import json

    found = json.loads(run_command("findings", book, "--json").stdout)
    changes = {one["name"]: one for one in found["between_configurations"]}
    assert {"efficiency", "load_regulation"} <= set(changes)
    for one in (changes["efficiency"], changes["load_regulation"]):
        assert one["configuration"] == "shielded"
        assert one["configuration_before"] == AT_FIRST
        assert abs(one["difference"]) < 4.0 * one["u"] + 0.02
    assert "what the change did" in run_command("findings", book).stdout
