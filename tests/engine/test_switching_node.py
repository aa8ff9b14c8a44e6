"""The switching node over sockets, touched by a differential probe or looked at from beside it, against the closed form
of the stand-in's switch; and the arithmetic against records with known cycles."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from scipy.signal import butter, lfilter
from tests.conftest import ROOT
from tests.engine.scripted import Actor, Scene

from zincsmith.analysis.switching import switching_of
from zincsmith.bench.standin import RunningStandIn, probes_of, start_standin
from zincsmith.book.reader import BookReader
from zincsmith.formats.rig_file import read_rig
from zincsmith.judge.judging import JudgedRun, judge_run
from zincsmith.model.claim import StatedClaim
from zincsmith.model.events import GateOpened, RunClosed
from zincsmith.model.finding import Finding, Verdict
from zincsmith.model.plan import Line, Options, Plan
from zincsmith.model.rig import Accuracy, Probe, Rig, ScopeChannel
from zincsmith.model.unit import Node, Unit
from zincsmith.procedures.bring_up.options import BringUpOptions
from zincsmith.procedures.switching_node.options import SwitchingNodeOptions

HERTZ, BULK_V = 65e3, math.sqrt(2.0) * 230.0
DRAIN = Node("drain", "primary", "bulk minus", rated_V=600.0)
TOUCHED = Probe(100.0, "DC", compensated=True, differential=True, on="primary", rated_V=1500.0, category="III")
BESIDE = Probe(1.0, "DC", "no contact", differential=True, on="primary", rated_V=1500.0, category="III")
Start = Callable[[Rig, str], RunningStandIn]


def rig_with(probe: Probe) -> Rig:
    """The scope's third channel on the node instead of the mains."""
    rig = read_rig(ROOT / "examples" / "rigs" / "simulated-scope.toml")
    scope = rig.instrument("scope")
    assert scope is not None
    others = tuple(c for c in scope.channels if c.number != 3)
    joined = replace(scope, channels=(*others, ScopeChannel(3, "node_voltage", "drain", probe, "bulk minus")))
    return replace(rig, instruments=tuple(joined if i.role == "scope" else i for i in rig.instruments))


def with_amps(rig: Rig) -> Rig:
    """The fourth channel around the loop of the node, instead of the input."""
    scope = rig.need("scope")
    channels = (
        *(c for c in scope.channels if c.number != 4),
        ScopeChannel(4, "node_current", "drain", Probe(1.0, "DC")),
    )
    joined = replace(
        scope, channels=channels,
        accuracy=(
            *scope.accuracy, Accuracy("node_current", 20.0, 2.0, 0.5), Accuracy("node_voltage", 800.0, 2.0, 0.5),
        ),
    )  # fmt: skip
    return replace(rig, instruments=tuple(joined if i.role == "scope" else i for i in rig.instruments))


def ended(
    tmp_path: Path, unit: Unit, rig: Rig, part: Options, switch: str = 'pattern = "even"', node: Node = DRAIN
) -> RunClosed:
    """A run of one part, of a unit whose switch is as it is said."""
    assert rig.standin is not None
    physics = tmp_path / "unit.toml"
    physics.write_text(Path(rig.standin.file).read_text() + f"\n[switch]\n{switch}\n")
    claims = (*unit.nameplate.claims, StatedClaim("switching_frequency", low=60e3, high=70e3, source="manual"))
    stated = replace(unit, nameplate=replace(unit.nameplate, nodes=(node,), claims=claims))
    running = start_standin(replace(rig.standin, file=str(physics)), probes=probes_of(rig))
    try:
        return Scene.set_up(tmp_path, stated, rig, Plan("Node", (part,)), running.addresses).run(Actor())
    finally:
        running.stop()


AT_FULL = SwitchingNodeOptions(lines=(Line(230.0, 50.0),), loads_percent=(100.0,), settle_s=1.0)


def judged(
    tmp_path: Path, unit: Unit, probe: Probe, pattern: str = "even", amps: bool = False, more: str = ""
) -> JudgedRun:
    rig = with_amps(rig_with(probe)) if amps else rig_with(probe)
    closed = ended(tmp_path, unit, rig, AT_FULL, f'pattern = "{pattern}"\n{more}')
    assert (closed.outcome, closed.safe) == ("complete", True), closed.why
    with BookReader(tmp_path / "run.zbook") as book:
        return judge_run(book)


def of(run: JudgedRun, name: str) -> Finding:
    return next(j.finding for j in run.judged if j.finding.name == name and j.finding.value is not None)


def within(finding: Finding, true: float, room: float = 0.0) -> bool:
    assert finding.u is not None
    assert finding.k is not None
    return abs(finding.number - true) <= finding.k * finding.u + room


def test_a_touched_node_tells_frequency_duty_and_volts(tmp_path: Path, unit: Unit) -> None:
    run = judged(tmp_path, unit, TOUCHED)
    assert within(of(run, "switching_frequency"), HERTZ, 5.0)
    assert "stable" in of(run, "switching_frequency").working.formula
    # Closed form: volt-seconds of a flyback balance; the ring adds half of the reflected 90 V, less what has died by
    # its first crest and what the bulk ripples.
    assert of(run, "switching_duty").number == pytest.approx(90.0 / (90.0 + BULK_V), rel=0.06)
    peak = of(run, "node_peak")
    assert peak.number == pytest.approx(BULK_V + 90.0 + 45.0 * math.exp(-0.05 / 0.6), rel=0.05)
    assert f"{100.0 * (1.0 - peak.number / 600.0):.0f} % below the 600 V" in peak.working.formula
    claim = next(j for j in run.judged if j.claim is not None and j.claim.figure == "switching_frequency")
    assert claim.verdict is Verdict.HOLDS


def test_a_ramp_that_bends_is_a_core_that_saturates(tmp_path: Path, unit: Unit) -> None:
    """Closed form: with the mean that the power asks for, from I0 = P / (1.5 D Vbulk) to twice that. A core that has a
    fifth of its inductance left from five thirds of I0 on ends at 5/3 + 5 (2 - 5/3) times I0, five times as steep."""
    duty = 90.0 / (90.0 + BULK_V)
    first = 24.0 * 2.5 / (1.5 * duty * BULK_V)
    straight = judged(tmp_path, unit, TOUCHED, amps=True)
    assert of(straight, "ramp_bend").number == pytest.approx(1.0, abs=0.03)
    assert of(straight, "node_current_peak").number == pytest.approx(2.0 * first, rel=0.08)
    saturates = "core_saturates"
    assert saturates not in {d.code for d in of(straight, "ramp_bend").doubts}
    (tmp_path / "bent").mkdir()
    bent = judged(tmp_path / "bent", unit, TOUCHED, amps=True, more=f"saturates_A = {first * 5.0 / 3.0}")
    assert of(bent, "ramp_bend").number == pytest.approx(5.0, rel=0.05)
    assert of(bent, "node_current_peak").number == pytest.approx((5.0 / 3.0 + 5.0 / 3.0) * first, rel=0.08)
    assert saturates in {d.code for d in of(bent, "ramp_bend").doubts}


def test_a_node_swings_furthest_as_it_starts(tmp_path: Path, unit: Unit) -> None:
    """The stand-in's ring is 1.8 times as high while the current is at its limit."""
    closed = ended(tmp_path, unit, rig_with(TOUCHED), replace(AT_FULL, at_start=True))
    assert (closed.outcome, closed.safe) == ("complete", True), closed.why
    with BookReader(tmp_path / "run.zbook") as book:
        run = judge_run(book)
    steady, start = of(run, "node_peak"), of(run, "node_peak_at_start")
    assert start.number - steady.number == pytest.approx(0.8 * 45.0 * math.exp(-0.05 / 0.6), abs=8.0)
    assert "below the 600 V" in start.working.formula
    assert "no_trigger" not in {d.code for d in start.doubts}


@pytest.mark.long
def test_first_power_goes_on_where_a_person_accepts_what_the_node_shows(tmp_path: Path, unit: Unit) -> None:
    """Raised from zero, a record at each raise once it runs; each is a gate with what to look for and what the program
    makes of it. What a captured node shows is a finding of the switching node."""
    closed = ended(tmp_path, unit, with_amps(rig_with(TOUCHED)), BringUpOptions(school="from zero"))
    assert (closed.outcome, closed.safe) == ("complete", True), closed.why
    with BookReader(tmp_path / "run.zbook") as book:
        gates = [e for w in book.events() if isinstance(e := w.event, GateOpened)]
        run = judge_run(book)
    looks = [g for g in gates if g.title == "Look at the record of drain"]
    assert len(looks) > 6
    assert all("ramp straight" in g.text and "of 600 V that its parts stand" in g.text for g in looks)
    assert all("kHz" in g.text for g in looks if "10 % load" not in g.text)
    assert looks[-1].text.startswith("115 V, 100 % load")
    assert within(of(run, "node_peak"), math.sqrt(2.0) * 115.0 + 135.0, 30.0)


def test_first_power_ends_where_a_node_gets_more_than_its_parts_stand(tmp_path: Path, unit: Unit) -> None:
    closed = ended(tmp_path, unit, rig_with(TOUCHED), BringUpOptions(school="rated input"),
                   node=replace(DRAIN, rated_V=250.0))  # fmt: skip
    assert (closed.outcome, closed.safe) == ("stopped", True), closed.why
    assert "its parts stand 250 V" in closed.why


def test_beside_it_there_are_no_volts_and_the_evenness_is_told(tmp_path: Path, unit: Unit) -> None:
    run = judged(tmp_path, unit, BESIDE, "alternating")
    frequency = of(run, "switching_frequency")
    assert within(frequency, HERTZ, 5.0)
    assert "alternating" in frequency.working.formula
    told = {j.finding.name for j in run.judged if j.finding.value is not None}
    assert not told & {"node_peak", "switching_duty"}, "without contact there is nothing to tell of volts"
    assert "does not touch the node" in frequency.working.note


def test_cycles_that_are_left_out_are_counted(tmp_path: Path, unit: Unit) -> None:
    run = judged(tmp_path, unit, TOUCHED, "skipping")
    frequency = of(run, "switching_frequency")
    assert within(frequency, HERTZ, 5.0), "that of the cycles that are there"
    assert "skipping" in frequency.working.formula
    assert "cycles skipped" in frequency.working.note


def record(
    sway: float = 0.0, left_out: float = 0.0, jitter: float = 0.0, duty: float = 0.3
) -> tuple[np.ndarray, float]:
    """(samples, the mean period of its whole cycles): 2 ms at 50 MS/s, a ring after each edge."""
    dice = np.random.default_rng(5)
    count = 160
    lengths = (1.0 + jitter * dice.standard_normal(count) + sway * (-1.0) ** np.arange(count)) / HERTZ
    begins = np.concatenate([[0.0], np.cumsum(lengths)])
    kept = begins[(dice.random(len(begins)) >= left_out) | (begins == 0.0)]
    t = np.arange(100_000) * 2e-8
    since = t - kept[np.searchsorted(kept, t, side="right") - 1]
    late = np.maximum(since - duty / HERTZ, 0.0)
    off = 400.0 + 60.0 * np.exp(-late / 1e-6) * np.sin(2.0 * np.pi * 5e6 * late)
    return np.where(since < duty / HERTZ, 1.0, off) + 0.5 * dice.standard_normal(len(t)), float(np.mean(lengths[:130]))


@pytest.mark.parametrize(
    ("changes", "stability"),
    [({}, "stable"), ({"jitter": 1e-3}, "stable"), ({"sway": 0.02, "jitter": 5e-4}, "alternating"),
     ({"sway": 0.002, "jitter": 2e-3}, "stable"), ({"left_out": 0.1}, "skipping")],
)  # fmt: skip
@pytest.mark.parametrize("contact", [True, False])
def test_known_cycles(changes: dict[str, float], stability: str, contact: bool) -> None:
    values, period = record(**changes)
    if not contact:  # a first-order high-pass of 2 MHz, by SciPy
        b, a = butter(1, 2e6 / 25e6, "high")
        values = 2e-3 * np.asarray(lfilter(b, a, values - values[0]))
    found = switching_of(values, 2e-8, contact)
    assert found is not None
    assert found.stability == stability
    assert abs(found.frequency_Hz * period - 1.0) < 5e-4
    assert (found.missing > 5) is (stability == "skipping")
    sway = (
        changes.get("sway", 0.0) if stability == "stable" else 0.0
    )  # what does not stand clear of the jitter is of it
    jitter = math.hypot(changes.get("jitter", 0.0), sway) / HERTZ
    assert found.jitter_s == pytest.approx(jitter, rel=0.2, abs=1.2e-8)
    assert (found.duty is None) is not contact
    if contact:
        assert found.duty == pytest.approx(0.3, abs=0.003)
        turned = switching_of(-3.0 * values + 7.0, 2e-8)
        assert turned is not None
        assert turned.frequency_Hz == pytest.approx(found.frequency_Hz, rel=5e-4), "whichever way up"


def test_noise_alone_does_not_switch() -> None:
    noise = np.random.default_rng(2).standard_normal(50_000)
    assert switching_of(noise, 2e-8) is None
    assert switching_of(noise, 2e-8, contact=False) is None
