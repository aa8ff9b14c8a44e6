"""A scripted measurer: it plans and runs with the real engine, and decides by what a person sees, nothing else."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from pathlib import Path

from tests.engine.scripted import Actor, Scene
from tests.several.benches import briefly

from zincsmith.bench.link import Link
from zincsmith.bench.standin import probes_of, start_standin
from zincsmith.book.reader import BookReader
from zincsmith.book.writer import BookWriter
from zincsmith.engine.session import Start
from zincsmith.judge.judging import JudgedRun, judge_run
from zincsmith.model.address import name_of
from zincsmith.model.commands import Command, Enter
from zincsmith.model.events import EntryAsked, RunClosed
from zincsmith.model.finding import Verdict
from zincsmith.model.quantities import QUANTITIES
from zincsmith.model.states import State
from zincsmith.planning.composer import compose

KEEPS = ("safety_checks", "rig_check", "bring_up", "static_grid", "ripple", "load_transient", "standby", "overcurrent",
         "display_accuracy", "port_sharing")  # fmt: skip
BEARS_S = 30.0  # at one load: who lets go later than that lets go for another reason than the load
SHOWS = {"panel_voltage": "MEAS:VOLT?", "panel_current": "MEAS:CURR?"}
RINGS_S = 0.7e-3  # until it has settled
METER_OHM = 600e3  # what a voltage tap may be; what a unit itself takes hardly goes with the square of the line


def measured(book: Path) -> tuple[RunClosed, JudgedRun, bool]:
    """One run of the composed plan with shorter waits; whether it bore its load before it ended: a reading at full load
    is there, or none for long since."""
    with BookReader(book) as reader:
        unit, rig = reader.unit(), reader.rig()
    rig = replace(rig, leads=())
    plan, _ = compose(unit, rig, () if unit.nameplate.sharing else ["overcurrent"])
    plan = briefly(replace(plan, parts=tuple(p for p in plan.parts if p.procedure in KEEPS)))
    assert rig.standin is not None
    running = start_standin(replace(rig.standin, lead_ohm=0.0, input_lead_ohm=0.0), None, probes=probes_of(rig))
    try:
        with BookWriter(book) as writer:
            writer.revise("rig", "bench", rig, "leads are not stated")
            writer.revise("plan", "plan", plan, "what looks at most things")
        scene = Scene(book, unit, running.addresses)
        closed = scene.run(Actor(partial(_types, scene)), Start("Measurer", 23.0))
    finally:
        running.stop()
    with BookReader(book) as reader:
        ended = [w.bench_s or 0.0 for w in reader.events(kinds=(RunClosed,))]
        run = judge_run(reader)
    loaded = [p for p in run.evidence.points if p.at.loaded]
    bore_all = any((p.at.draw.share_percent or 0.0) > 99.0 for p in loaded)
    return closed, run, bore_all or (bool(loaded) and ended[-1] - loaded[-1].bench_s > BEARS_S)


def _types(scene: Scene, state: State, _: int) -> list[Command]:
    """What its displays show, as they stand."""
    if state is not State.ASKING:
        return []
    quantity = name_of(scene.events(EntryAsked)[-1].event.quantity)
    link = Link(QUANTITIES[quantity].role, scene.addresses[QUANTITIES[quantity].role])
    link.open()
    try:
        return [Enter(link.query(SHOWS[quantity]))]
    finally:
        link.close()


def decided(closed: RunClosed, run: JudgedRun, bore: bool) -> str:
    """By verdicts, doubts and how it ended."""
    if run.unit.nameplate.sharing:
        return "shared ports" if _fails(run, "shared_power") else "sound"
    if closed.outcome == "tripped":
        return "over-rated label" if bore else "low trip"
    fails = {name for name in {j.finding.name for j in run.judged} if _fails(run, name)}
    doubts = {d.code for j in run.judged for d in j.finding.doubts}
    known = [(j.finding.name, j.finding.value) for j in run.judged if j.finding.value is not None]
    recovery = max((v for name, v in known if name == "recovery_time" and v < 0.01), default=0.0)
    ripple = [v for name, v in known if name == "ripple"]
    if "source_sags" in doubts:
        return "sagging source"
    never_there = all(j.finding.value is None for j in run.judged if j.finding.name == "recovery_time")
    if "probe_ratio" in doubts or not ripple or never_there:  # the record of a step stands nowhere near its volts
        return "wrong probe"
    if any("latch" in f"{j.finding.title} {j.finding.working.note}" for j in run.judged):
        return "latch"
    if fails & {"display_voltage_error_percent", "display_current_error_percent"}:
        return "lying display"
    if _goes_with_its_square(run):
        return "swapped tap"
    if "ripple" in fails:
        return "ageing capacitor"
    if "power_factor" in fails:
        return "missing corrector"
    return "hunting" if recovery > RINGS_S else "sound"


def _fails(run: JudgedRun, name: str) -> bool:
    return any(j.finding.name == name and j.verdict is Verdict.FAILS for j in run.judged)


def _goes_with_its_square(run: JudgedRun) -> bool:
    """Whether its standby goes up with the square of the line, as what a resistance across the line takes does."""
    at = {j.finding.at.line[0]: j.finding.value for j in run.judged if j.finding.name == "no_load_power"}
    known = sorted((volts, watts) for volts, watts in at.items() if volts is not None and watts is not None)
    if len(known) < 2:
        return False
    (low, least), (high, most) = known[0], known[-1]
    resistance = (high**2 - low**2) / max(1e-9, most - least)
    return resistance < METER_OHM
