"""A battery charged by a supply: against the same battery integrated by SciPy, and everything that ends a charge."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import replace
from typing import Any

import pytest
from scipy.integrate import solve_ivp
from tests.engine.scripted import Actor, Scene, by_hand, first_of, telling_the_standin
from tests.several.conftest import EXAMPLES, Went

from zincsmith.formats.unit_file import read_unit
from zincsmith.model.commands import Abort, Command, Enter, Pass
from zincsmith.model.errors import InputError
from zincsmith.model.events import EntryAsked, GateOpened, Noted, PointTaken, Remarked
from zincsmith.model.finding import Finding
from zincsmith.model.plan import Line
from zincsmith.model.rig import Rig
from zincsmith.model.states import State
from zincsmith.procedures.charging.options import ChargingOptions
from zincsmith.simbench.units.parameters import read_sections

SUPPLY = ("lathom-lb303", "simulated-charging")
THREE = ChargingOptions(
    line=Line(230.0, 50.0), chemistry="Li-ion", cells=3, capacity_Ah=2.0, charge_V=12.6, charge_A=1.0, end_A=0.1,
    fuse_A=2.0, protected=True, most_hours=6.0,
)  # fmt: skip
OHM, BEGINS = 0.25, 0.2
BATTERY = f"3 2 {BEGINS} {OHM}"


class Somebody:
    """Joins what the gates ask for: a link, then a battery."""

    def __init__(self, scene: Scene, tell: Callable[[str], object], battery: str, link: str) -> None:
        self.scene, self.tell, self.battery, self.link = scene, tell, battery, link
        self.gates: list[str] = []

    def __call__(self, state: State, _calls: int) -> list[Command]:
        if state is not State.GATE:
            return []
        opened = self.scene.events(GateOpened)
        if len(opened) > len(self.gates):
            title = opened[-1].event.title
            self.gates.append(title)
            does = {"A link instead of the battery": self.link, "The battery instead of the link": self.battery,
                    "Take the battery off": "OFF"}  # fmt: skip
            if title in does:
                self.tell(f"FAUL bench,BATTERY {does[title]}")
        return [Pass()]


@contextmanager
def charges(
    goes: Callable[..., Went], part: ChargingOptions, battery: str = BATTERY, link: str = "LINK"
) -> Iterator[Went]:
    actor = Actor()
    with telling_the_standin() as tell:
        yield goes(*SUPPLY, (part,), actor=actor,
                   before=lambda scene: setattr(actor, "says", Somebody(scene, tell, battery, link)))  # fmt: skip


def integrated(end_A: float, begins: float) -> tuple[float, float, float]:
    """(Ah, s in all, s at constant current) of the same battery at the same supply by SciPy; the physics of both
    written out anew here, with the numbers of the supply's file."""
    file = read_sections(EXAMPLES / "standins" / "lathom-lb303.toml")
    supply, own = file["supply"], file["output"].resistance_ohm
    volts = 12.6 * (1.0 + supply.volts_share) + supply.volts_offset_V
    amps = 1.0 * (1.0 + supply.amps_share) + supply.amps_offset_A

    def taken(q: float) -> float:
        return float((volts - 3.0 * (3.3 + 0.9 * min(1.0, q) ** 0.6)) / (OHM + own))

    full: Any = lambda _t, y: min(amps, taken(y[0])) - end_A  # noqa: E731
    full.terminal = True
    corner: Any = lambda _t, y: taken(y[0]) - amps  # noqa: E731
    found = solve_ivp(lambda _t, y: [min(amps, taken(y[0])) / 3600.0 / 2.0], (0.0, 8 * 3600.0), [begins],
                      events=(full, corner), max_step=20.0)  # fmt: skip
    return 2.0 * (found.y[0][-1] - begins), found.t_events[0][0], found.t_events[1][0]


def of(run: Any) -> dict[str, Finding]:
    return {j.finding.name: j.finding for j in run.judged}


@pytest.mark.long
def test_a_charge_goes_as_the_battery_integrated_goes(goes: Callable[..., Went]) -> None:
    with charges(goes, THREE) as (scene, closed, run):
        assert (closed.outcome, closed.safe) == ("complete", True), closed.why
        found = of(run)
    held_A, held_V = found["charge_current"].number, found["charge_voltage"].number
    assert held_A == pytest.approx(1.0, rel=0.02)
    assert held_V == pytest.approx(12.6, rel=2e-3)
    amp_hours, seconds, corner = integrated(0.1, BEGINS)
    assert found["charge_Ah"].number == pytest.approx(amp_hours, rel=0.01)
    assert found["charge_time"].number == pytest.approx(seconds, abs=2 * 60.0 + 0.02 * seconds)
    words = found["charge_time"].working
    assert words is not None
    assert float(words.formula.split()[0]) == pytest.approx(corner, abs=2 * 60.0)
    assert "at most 12.66 V" in found["charge_highest"].working.note
    assert not found["charge_Ah"].doubts
    assert any(w.event.text.startswith("it ends: 0.1") or w.event.text.startswith("it ends: 0.09")
               for w in scene.events(Remarked, Noted))  # fmt: skip
    curves = [c for name in run.evidence.procedures for c in run_plots(run, name)]
    assert [c.title for c in curves] == ["Charge, volts", "Charge, amps"]


def run_plots(run: Any, name: str) -> list[Any]:
    from zincsmith.procedures.catalogue import procedure

    return procedure(name).plots(run.evidence)


@pytest.mark.parametrize(
    ("battery", "link", "why"),
    [
        (f"{BATTERY} REVERSED", "LINK", "the wrong way round"),
        ("2 2 0.2 0.2", "LINK", "were to be there"),  # a cell too few, and empty
        ("OFF", "LINK", "were to be there"),
    ],
)
def test_what_is_not_the_battery_is_not_charged(goes: Callable[..., Went], battery: str, link: str, why: str) -> None:
    """The output never came on with it there."""
    with charges(goes, THREE, battery, link) as (_, closed, run):
        assert closed.outcome == "stopped"
        assert why in closed.why
    assert "charge_Ah" not in of(run)


def test_a_run_that_ends_with_the_battery_there_is_not_called_safe(goes: Callable[..., Went]) -> None:
    """Its volts stay at the output whatever is switched off: that is said, and what to do about it."""
    actor = Actor()
    with telling_the_standin() as tell:

        def there(scene: Scene) -> None:
            somebody = Somebody(scene, tell, BATTERY, "LINK")
            stops = lambda state, calls: (  # noqa: E731
                [Abort("smells")] if state is State.RUNNING and len(scene.events(PointTaken)) > 5 else []
            )
            actor.says = first_of(stops, somebody)

        _, closed, _ = goes(*SUPPLY, (THREE,), actor=actor, before=there)
    assert (closed.outcome, closed.safe) == ("aborted", False)
    assert any("output" in words for words in closed.unconfirmed), closed.unconfirmed


def test_amps_that_somebody_types_surprise_nobody(goes: Callable[..., Went]) -> None:
    """Neither unit nor load tells what a battery takes: no span is put beside the line that asks for it."""
    actor = Actor()
    with telling_the_standin() as tell:

        def there(scene: Scene) -> None:
            somebody = Somebody(scene, tell, BATTERY, "LINK")

            def says(state: State, calls: int) -> list[Command]:
                asked = len(scene.events(EntryAsked))
                return [Enter("1.0" if asked < 3 else "0.05")] if state is State.ASKING else somebody(state, calls)

            actor.says = says

        scene, closed, run = goes(*SUPPLY, (THREE,), actor=actor, before=there,
                                  change=lambda rig: by_hand(rig, "ammeter"))  # fmt: skip
    assert closed.outcome == "complete", closed.why
    asked = [w.event for w in scene.events(EntryAsked)]
    assert len(asked) == 3
    assert all((one.expected_low, one.expected_high) == (None, None) for one in asked)
    assert {d.code for d in of(run)["charge_Ah"].doubts} == {"not_joined"}, "few amps below its volts: no full battery"


@pytest.mark.long
def test_it_ends_unfinished_when_the_hours_are_over(goes: Callable[..., Went]) -> None:
    with charges(goes, replace(THREE, most_hours=0.5)) as (_, closed, run):
        assert closed.outcome == "complete"
    found = of(run)
    assert found["charge_time"].number == pytest.approx(1800.0, abs=70.0)
    assert {d.code for d in found["charge_Ah"].doubts} == {"charge_unfinished"}
    assert "charge_voltage" not in found


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"chemistry": ""}, "what chemistry"),
        ({"cells": 0}, "how many cells"),
        ({"charge_V": 12.8}, "4.2 V a cell are the most"),
        ({"charge_A": 2.5}, "most amps"),
        ({"end_A": 0.8}, "is full"),
        ({"fuse_A": 0.5}, "blows"),
        ({"fuse_A": 9.0}, "fuse"),
        ({"protected": False}, "protection of its own"),
        ({"capacity_Ah": 0.0}, "capacity"),
    ],
)
def test_nothing_is_charged_that_nobody_has_described(change: dict[str, Any], words: str) -> None:
    with pytest.raises(InputError, match=words):
        replace(THREE, **change).check()


def test_it_is_for_outputs_that_are_set_and_read(goes: Callable[..., Went]) -> None:
    fixed = read_unit(EXAMPLES / "units" / "tarnbrook-tb2425.toml")
    assert "nobody sets" in ChargingOptions.suits(fixed.nameplate)
    with pytest.raises(InputError, match="the output goes to 30 V and 3 A"):
        goes(*SUPPLY, (replace(THREE, cells=8, charge_V=33.6),))
    with pytest.raises(InputError, match="put an ammeter there"):
        goes("lathom-lb303", "simulated-supply", (THREE,), change=without_readback)


def without_readback(rig: Rig) -> Rig:
    return replace(rig, instruments=tuple(i for i in rig.instruments if i.role != "unit_interface"))
