"""A base of resistors beside a load that can be set: shared, switched, read together, taken off at the end."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import replace
from itertools import pairwise, permutations
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.conftest import told
from tests.engine.scripted import Actor, Scene

from zincsmith.analysis.parallel_loads import highest_A, share, switching_order
from zincsmith.bench.standin import RunningStandIn
from zincsmith.model.errors import InputError, LimitError
from zincsmith.model.events import HandSetting, PointTaken
from zincsmith.model.plan import Plan
from zincsmith.model.rig import Dummy, Instrument, Rig
from zincsmith.model.unit import Unit
from zincsmith.planning.rehearsal import rehearse
from zincsmith.suitability.check import refuse_stops

StartStandIn = Callable[..., RunningStandIn]
BANK = Instrument("base_load", "simulated", "Osmary", "B4", dummy=Dummy(
    "binary bank", steps_W=(15.0, 30.0, 60.0, 120.0), at_V=24.0, tolerance_percent=0.5))  # fmt: skip
STEPS = st.lists(st.floats(0.05, 5.0), min_size=1, max_size=7)


def with_base(rig: Rig, most_A: float, base: Instrument = BANK) -> Rig:
    """A load that alone takes so little that it needs the base."""
    made = (replace(i, most={"current_A": most_A}) if i.role == "load" else i for i in rig.instruments)
    return replace(rig, instruments=(*made, base))


@given(STEPS, st.floats(0.0, 12.0), st.floats(0.1, 6.0), st.integers(0, 127))
def test_a_current_is_shared_or_out_of_reach(steps: list[float], wanted: float, most: float, on: int) -> None:
    """Brute force beside it: whatever is found adds up and is within what the load takes, and where nothing is found no
    combination does."""
    lit = [k for k in range(len(steps)) if on >> k & 1]
    found = share(wanted, steps, most, lit)
    sums = [sum(a for k, a in enumerate(steps) if m >> k & 1) for m in range(1 << len(steps))]
    if found is None:
        assert not any(-1e-12 <= wanted - base <= most for base in sums)
        assert wanted > highest_A(steps, most) or min(abs(wanted - b) for b in sums) > 0.0
        return
    assert found.base_A + found.left_A == pytest.approx(wanted, abs=1e-9)
    assert 0.0 <= found.left_A <= most + 1e-6
    assert found.base_A == pytest.approx(sum(steps[k] for k in found.steps))


@given(STEPS, st.integers(0, 127), st.integers(0, 127))
def test_steps_are_switched_so_that_the_total_neither_drops_nor_doubles(steps: list[float], a: int, b: int) -> None:
    """One at a time, each once; and no order of them keeps nearer to the span between both ends."""
    now = {k for k in range(len(steps)) if a >> k & 1}
    then = {k for k in range(len(steps)) if b >> k & 1}
    order = switching_order(now, then, steps)
    assert sorted(order) == sorted(now ^ then)

    def strays(way: tuple[int, ...]) -> float:
        on, worst = set(now), 0.0
        ends = [sum(steps[k] for k in now), sum(steps[k] for k in then)]
        for k in way:
            on ^= {k}
            total = sum(steps[j] for j in on)
            worst = max(worst, total - max(ends), min(ends) - total)
        return worst

    if len(order) <= 5:
        assert strays(tuple(order)) <= min(strays(way) for way in permutations(order)) + 1e-9


def test_a_bank_by_wire_takes_its_share(
    tmp_path: Path, unit: Unit, rig: Rig, tiny_plan: Plan, standin: StartStandIn
) -> None:
    """The load takes an ampere, the plan wants two and a half: relays and load together draw it, the figures count
    both, and in the end every step is off and read back."""
    scene = Scene.set_up(tmp_path, unit, with_base(rig, 1.0), tiny_plan, standin().addresses)
    closed = scene.run(Actor())
    assert (closed.outcome, closed.safe) == ("complete", True), closed.why
    assert any(one.startswith("Base load off, read back") for one in closed.seen)
    points = [w.event.point for w in scene.events(PointTaken) if isinstance(w.event, PointTaken)]
    full = next(p for p in points if p.at.load_percent == 100.0)
    amps, volts = (full.need(q) for q in ("output_current", "output_voltage"))
    assert amps.number == pytest.approx(2.5, rel=0.01)
    assert "of the Osmary B4" in amps.text
    through = next(k for k in range(16) if f"through {ohms(k):.4g} ohm" in amps.text)
    share_A = volts.number / ohms(through)
    assert amps.offset >= 0.9 * 0.004 * share_A, "the limit of the resistors is part of that of the amps"
    said = [str(text) for role, text in told(tmp_path / "bench.log") if role == "base_load"]
    assert "BANK:PATT 0" in said[-1]
    assert any(f"BANK:PATT {through}" in text for text in said)
    rows = [json.loads(line) for line in (tmp_path / "bench.log").read_text().splitlines()]
    assert max(row["load_A"] for row in rows) <= 1.0 + 1e-6, "the load was never asked for more than it takes"


def ohms(pattern: int) -> float:
    on = [24.0**2 / w for k, w in enumerate((15.0, 30.0, 60.0, 120.0)) if pattern >> k & 1]
    return 1.0 / sum(1.0 / r for r in on) if on else float("inf")


def test_a_person_switches_the_base_when_it_has_to_change(
    tmp_path: Path, unit: Unit, rig: Rig, tiny_plan: Plan, standin: StartStandIn
) -> None:
    """Asked in words only where its steps change; nobody connects anything to the stand-in here, so the load alone
    draws, and the figures say what was read beside what the base would have drawn."""
    base = replace(BANK, how="by hand", kind="lamp board", maker="", model="")
    scene = Scene.set_up(tmp_path, unit, with_base(rig, 1.0, base), tiny_plan, standin().addresses)
    assert scene.run(Actor()).outcome == "complete"
    asked = [w.event.text for w in scene.events(HandSetting) if isinstance(w.event, HandSetting)]
    assert any(text.startswith("Switch on ") and "lamp board, nothing else of it" in text for text in asked)
    assert any("switch every step of it off" in text for text in asked)
    switched = [text for text in asked if text.startswith("Switch on")]
    assert all(a != b for a, b in pairwise(switched))


def test_what_base_and_load_do_not_reach_is_refused_before_anything_is_sent(
    unit: Unit, rig: Rig, tiny_plan: Plan
) -> None:
    small = replace(BANK, dummy=Dummy("resistor", measured_ohm=24.0))  # 1 A
    with pytest.raises(LimitError, match="load"):
        rehearse(unit, with_base(rig, 1.0, small), tiny_plan)
    with pytest.raises(InputError, match="made of"):
        refuse_stops(unit, with_base(rig, 3.5, replace(BANK, dummy=None)), tiny_plan)
