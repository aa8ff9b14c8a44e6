"""Units of each kind drawn anew, over sockets: what each has is known beforehand, and told by nobody wrongly.

Drawn are what a port offers, how ports share, how rails pull on each other and in which order they come, what a supply
makes of what it is set to. Benches err within their data sheets (stand-in seeds). `make test-seeds` takes more of them.
"""

from __future__ import annotations

import os
import random
import re
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest
from scipy.stats import binom
from tests.engine.scripted import Actor, Scene, telling_the_standin
from tests.several.conftest import EXAMPLES
from tests.several.hands import Fitter

from zincsmith.bench.standin import RunningStandIn, probes_of
from zincsmith.book.reader import BookReader
from zincsmith.engine.known_bench import pick_file
from zincsmith.formats.rig_file import read_rig
from zincsmith.formats.unit_file import read_unit
from zincsmith.judge.judging import JudgedRun, judge_run
from zincsmith.model.finding import Finding, Verdict
from zincsmith.model.plan import Line, Options, Plan
from zincsmith.procedures.cross_regulation.options import ENDS, CrossOptions
from zincsmith.procedures.cv_cc.options import SetOptions
from zincsmith.procedures.port_sharing.options import SharingOptions
from zincsmith.procedures.turn_on.options import TurnOnOptions
from zincsmith.procedures.usb_modes.options import ModesOptions

pytestmark = pytest.mark.usefixtures("unhurried")

SEEDS = int(os.environ.get("ZINCSMITH_KINDS", "5"))
LINE = Line(230.0, 50.0)
StartStandIn = Callable[..., RunningStandIn]


def drawn_run(
    folder: Path, standin: StartStandIn, name: str, bench: str, seed: int, parts: tuple[Options, ...],
    change: Callable[[str], str], does: dict[str, str] | None = None,
) -> JudgedRun:  # fmt: skip
    """The parts on a unit of the examples whose physics was changed so, on a bench that errs by this seed; ``does``:
    what somebody does at gates of these titles."""
    folder.mkdir()
    physics = folder / "physics.toml"
    physics.write_text(change((EXAMPLES / "standins" / f"{name}.toml").read_text("utf-8")))
    pick_file(str(physics))
    unit = read_unit(EXAMPLES / "units" / f"{name}.toml")
    rig = replace(read_rig(EXAMPLES / "rigs" / f"{bench}.toml"), leads=())
    running = standin(file=str(physics), seed=seed, lead_ohm=0.0, input_lead_ohm=0.0, probes=probes_of(rig))
    scene = Scene.set_up(folder, unit, rig, Plan("Part", parts), running.addresses)
    if does is None:
        closed = scene.run(Actor())
    else:
        with telling_the_standin() as tell:
            closed = scene.run(Actor(Fitter(scene, tell, does)))
    running.stop()
    assert (closed.outcome, closed.safe) == ("complete", True), (seed, closed.why)
    with BookReader(scene.path) as book:
        return judge_run(book)


def of(run: JudgedRun, name: str, output: str = "") -> list[Finding]:
    return [j.finding for j in run.judged if j.finding.name == name and output in ("", j.finding.output)]


def inside(seed: int, missed: list[str], total: int) -> None:
    """No more outside the interval than chance makes of so many."""
    most = int(binom.ppf(0.999, total, 0.0455))
    assert len(missed) <= most, (seed, missed)


@pytest.mark.long
def test_ports_offer_and_share_what_was_drawn(tmp_path: Path, standin: StartStandIn) -> None:
    for seed in range(1, SEEDS + 1):
        dice = random.Random(seed)
        lacks = [v for v in (9.0, 15.0, 20.0) if dice.random() < 0.3]
        second_W = dice.choice((30.0, 30.0, 18.0, 22.0))  # the label says 30 beside two others
        tells = round(dice.uniform(0.3, 1.5), 2)

        def change(text: str, lacks=lacks, second_W=second_W, tells=tells) -> str:  # type: ignore[no-untyped-def]
            kept = [(v, a) for v, a in zip((5.0, 9.0, 15.0, 20.0), (3.0, 3.0, 3.0, 4.5), strict=True) if v not in lacks]
            head, tail = text.split('name = "C1"\n')
            tail = re.sub(r"modes_V = \[[^\]]*\]", f"modes_V = {[v for v, _ in kept]}", tail, count=1)
            tail = re.sub(r"modes_A = \[[^\]]*\]", f"modes_A = {[a for _, a in kept]}", tail, count=1)
            head = re.sub(r"tells_s = [\d.]+", f"tells_s = {tells}", head)
            head, count = re.subn(r'(\["C1", "C2", "A"\], each_W = \[[\d.]+, )[\d.]+', rf"\g<1>{second_W}", head)
            assert count == 1
            return f'{head}name = "C1"\n{tail}'

        parts = (ModesOptions(line=LINE, settle_s=1.0, average_s=1.0, loaded=False),
                 SharingOptions(line=LINE, settle_s=3.0, average_s=1.0))  # fmt: skip
        run = drawn_run(tmp_path / f"p{seed}", standin, "hartsop-u90", "simulated-usb", seed, parts, change)
        (modes,) = of(run, "modes_seen", "C1")
        text = " ".join(d.text for d in modes.doubts)
        assert modes.value == 4.0 - len(lacks), (seed, lacks)
        assert all(f"{v:g} V" in text for v in lacks), (seed, text)
        judged = {j.finding.output: j.verdict for j in run.judged if j.claim is not None
                  and j.claim.figure == "shared_power" and "A + C1 + C2" in j.claim.condition_text}  # fmt: skip
        if 20.0 not in lacks:
            assert (judged["C2"] is Verdict.FAILS) == (second_W < 27.0), (seed, second_W, judged)
        for one in of(run, "neighbour_away", "C2"):
            assert one.value == pytest.approx(tells, abs=0.2), seed


@pytest.mark.long
def test_rails_pull_and_come_as_was_drawn(tmp_path: Path, standin: StartStandIn) -> None:
    missed: list[str] = []
    total = 0
    for seed in range(1, SEEDS + 1):
        dice = random.Random(1000 + seed)
        pulled, late = dice.uniform(-0.15, 0.15), {"+12 V": dice.uniform(1e-3, 2e-2), "-12 V": dice.uniform(1e-3, 2e-2)}

        def change(text: str, pulled=pulled, late=late) -> str:  # type: ignore[no-untyped-def]
            head, twelve, minus = re.split(r'(?=name = "[+-]12 V")', text)
            twelve = re.sub(r"pulled_V_per_A = \S+", f"pulled_V_per_A = {pulled:.5f}", twelve)
            twelve = re.sub(r"comes_after_s = \S+", f"comes_after_s = {late['+12 V']:.6f}", twelve)
            minus = re.sub(r"comes_after_s = \S+", f"comes_after_s = {late['-12 V']:.6f}", minus)
            return head + twelve + minus

        parts = (CrossOptions(line=LINE, levels_percent=ENDS, least_load=False, warm_up_s=20.0, settle_s=2.0,
                              average_s=1.0), TurnOnOptions(lines=(LINE,), repeats=1, off_s=3.0))  # fmt: skip
        run = drawn_run(tmp_path / f"r{seed}", standin, "brindlow-of45", "simulated-three-rails", seed, parts, change)
        order = sorted(late, key=lambda port: late[port])
        comes = {f.output: f for f in of(run, "comes_after")}
        assert sorted(comes, key=lambda port: comes[port].number) == order, seed
        for port, one in comes.items():
            total += 1
            if abs(one.number - late[port]) > 2.0 * (one.u or 0.0):
                missed.append(f"{seed} {port}")
        (cross,) = [f for f in of(run, "cross_regulation", "+12 V") if f.value is not None][:1]
        assert abs(cross.number) > 0.0
        if abs(pulled) > 0.04:  # far beyond what its own resistance and the bus do
            assert (cross.number > 0.0) == (pulled > 0.0), (seed, pulled, cross.number)
    inside(SEEDS, missed, total)


@pytest.mark.long
def test_a_supply_is_off_by_what_was_drawn(tmp_path: Path, standin: StartStandIn) -> None:
    missed: list[str] = []
    total = 0
    for seed in range(1, SEEDS + 1):
        dice = random.Random(2000 + seed)
        volts, amps = dice.uniform(-2e-3, 2e-3), dice.uniform(-1e-2, 1e-2)

        def change(text: str, volts=volts, amps=amps) -> str:  # type: ignore[no-untyped-def]
            text = re.sub(r"volts_share = \S+", f"volts_share = {volts:.6f}", text, count=1)
            text = re.sub(r"amps_share = \S+", f"amps_share = {amps:.6f}", text, count=1)
            return re.sub(r"drift_uV_per_K = \S+", "drift_uV_per_K = 0.0", text)

        part = SetOptions(lines=(LINE,), warm_up_s=0.0, settle_s=1.0, average_s=1.0, crossover=False)
        run = drawn_run(tmp_path / f"s{seed}", standin, "lathom-lb303", "simulated-supply", seed, (part,), change)
        for one in of(run, "set_voltage_error"):
            to = one.at.set_point("")
            assert to is not None
            total += 1
            if abs(one.number - (volts * to.voltage_V + 0.003)) > 2.0 * (one.u or 0.0):
                missed.append(f"{seed} {to}")
        for one in of(run, "set_current_error"):
            to = one.at.set_point("")
            assert to is not None
            total += 1
            if abs(one.number - (amps * to.current_A + 0.001 - 60e-6 * 15.0)) > 2.0 * (one.u or 0.0):
                missed.append(f"{seed} {to}")
    inside(SEEDS, missed, total)
