"""A unit that is switched at a terminal of its own: against closed forms of what it takes at rest, and a person who
forgets."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import pytest
from tests.engine.scripted import Actor, Scene, telling_the_standin
from tests.several.conftest import EXAMPLES, Goes

from zincsmith.formats.rig_file import read_rig
from zincsmith.formats.unit_file import read_unit
from zincsmith.model.commands import Command, Pass
from zincsmith.model.events import GateOpened, SensesAsked
from zincsmith.model.finding import Finding
from zincsmith.model.plan import Line
from zincsmith.model.states import State
from zincsmith.model.unit import Signal
from zincsmith.planning.composer import compose
from zincsmith.procedures.control_signals.options import ControlOptions
from zincsmith.simbench.units.parameters import read_sections

DUAL = ("skerrow-sd15", "simulated-dual", Line(24.0, 0.0))
SEVERAL = ("ferrowby-px350", "simulated-five-rails", Line(230.0, 50.0))


class Switches:
    """Who does at the gates what they ask for: ``says`` of an Actor."""

    def __init__(self, scene: Scene, tell: Callable[[str], object], does: tuple[str, ...]) -> None:
        self.scene, self.tell, self.does = scene, tell, does
        self.gates: list[str] = []

    def __call__(self, state: State, _calls: int) -> list[Command]:
        if state is not State.GATE:
            return []
        opened = self.scene.events(GateOpened)
        if len(opened) > len(self.gates):
            title = opened[-1].event.title
            self.gates.append(title)
            for word, fault in (("off", "HELD OFF"), ("on", "LET ON")):
                if word in self.does and title.startswith(f"Switch it {word} at"):
                    self.tell(f"FAUL unit,{fault}")
        return [Pass()]


def switched(
    goes: Goes, name: str, bench: str, line: Line, does: tuple[str, ...] = ("off", "on")
) -> tuple[dict[tuple[str, str], Finding], list[str]]:
    actor = Actor()
    with telling_the_standin() as tell:

        def there(scene: Scene) -> None:
            actor.says = Switches(scene, tell, does)

        _, closed, run = goes(name, bench, (ControlOptions(line=line),), actor=actor, before=there)
    assert (closed.outcome, closed.safe) == ("complete", True), closed.why
    assert isinstance(actor.says, Switches)
    return {(f.finding.name, f.finding.output): f.finding for f in run.judged}, actor.says.gates


def test_a_dual_module_is_off_and_takes_what_its_start_resistor_does(goes: Goes) -> None:
    found, gates = switched(goes, *DUAL)
    physics = read_sections(EXAMPLES / "standins" / f"{DUAL[0]}.toml")
    amps = found["shutdown_current", ""]
    assert abs(amps.number - 24.0 / physics["start"].start_ohm) < 2.0 * (amps.u or 0.0), "Ohm's law"
    assert ("shutdown_power", "") in found
    for port in ("+15 V", "-15 V"):
        assert found["switched_off_voltage", port].number < 0.1
        assert not found["switched_off_voltage", port].doubts
    assert [g for g in gates if "CTRL" in g] == [
        "A switch at CTRL", "Switch it off at CTRL", "Switch it on at CTRL",
    ]  # fmt: skip


def test_a_standby_rail_stays_while_the_others_go(goes: Goes) -> None:
    found, _ = switched(goes, *SEVERAL)
    for port in ("+12 V", "+5 V", "+3.3 V", "-12 V"):
        assert found["switched_off_voltage", port].number < 0.05
    stays = found["switched_off_voltage", "+5 V SB"]
    loaded = 5.0 * 1.01 - 0.02 * 1.25  # set-point error and its own resistance under half its load
    assert abs(stays.number - loaded) < 3.0 * (stays.u or 0.0)
    assert not any(f.doubts for (name, _), f in found.items() if name == "switched_off_voltage")
    watts = found["shutdown_power", ""]
    assert abs(watts.number - 230.0**2 / 330e3) < 2.0 * (watts.u or 0.0), "its start resistor; the rail is unloaded"
    assert ("shutdown_current", "") not in found, "of mains amps at rest are those of a capacitor"


@pytest.mark.parametrize(("does", "doubt"), [((), "not_switched_off"), (("off",), "not_back")])
def test_a_person_who_forgets_the_switch_is_told(goes: Goes, does: tuple[str, ...], doubt: str) -> None:
    found, _ = switched(goes, *DUAL, does=does)
    codes = {d.code for d in found["switched_off_voltage", "+15 V"].doubts}
    assert codes == {doubt}


def test_it_is_in_the_plan_of_units_that_say_they_have_one() -> None:
    for name, bench in (DUAL[:2], SEVERAL[:2]):
        unit, rig = read_unit(EXAMPLES / "units" / f"{name}.toml"), read_rig(EXAMPLES / "rigs" / f"{bench}.toml")
        assert "control_signals" in {p.procedure for p in compose(unit, rig)[0].parts}
    plain = read_unit(EXAMPLES / "units" / "tarnbrook-tb2425.toml").nameplate
    assert "no terminal" in ControlOptions.suits(plain)


class Looks:
    """Who looks at what is asked for and ticks what is true there: ``says`` of an Actor."""

    def __init__(self, scene: Scene, sees: Callable[[str], bool]) -> None:
        self.scene, self.sees = scene, sees

    def __call__(self, state: State, _calls: int) -> list[Command]:
        if state is not State.GATE:
            return []
        last = self.scene.events(GateOpened, SensesAsked)[-1].event
        if not isinstance(last, SensesAsked):
            return [Pass()]
        return [Pass(senses={last.of[0]: self.sees(last.title)})]


@pytest.mark.parametrize(
    ("sees", "right", "runs_from", "doubts"),
    [
        (lambda t: "gone" not in t and ("LED" in t or "100 %" in t), 1.0, 1.0, set()),
        (lambda t: "LED" in t and ("gone" in t or "50 %" in t), 0.25, None,
         {"indicator_dark", "indicator_lit_without_input", "fan_stands"}),
    ],
)  # fmt: skip
def test_what_it_shows_is_looked_at_in_each_state(
    goes: Goes, sees: Callable[[str], bool], right: float, runs_from: float | None, doubts: set[str]
) -> None:
    """The second is lit at half load and with its input gone: one look of four is right."""
    unit = read_unit(EXAMPLES / "units" / "netherby-nb5.toml")
    signals = (Signal("LED", "indicator"), Signal("fan", "fan"))
    unit = replace(unit, nameplate=replace(unit.nameplate, signals=signals))
    actor = Actor()

    def there(scene: Scene) -> None:
        actor.says = Looks(scene, sees)

    part = ControlOptions(line=Line(12.0, 0.0))
    _, closed, run = goes("netherby-nb5", "simulated-dc", (part,), actor=actor, unit=unit, before=there)
    assert (closed.outcome, closed.safe) == ("complete", True), closed.why
    found = {j.finding.name: j.finding for j in run.judged}
    assert found["indicator_right"].value == right
    assert found["fan_runs_from"].value == runs_from
    assert {d.code for f in found.values() for d in f.doubts} & {"indicator_dark", "indicator_lit_without_input",
                                                                 "fan_stands"} == doubts  # fmt: skip
