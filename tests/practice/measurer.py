"""A scripted measurer: it plans and runs with the real engine, and decides by what a person sees, nothing else."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from tests.engine.scripted import Actor
from tests.several.benches import briefly

from zincsmith.bench.standin import probes_of, start_standin
from zincsmith.book.reader import BookReader
from zincsmith.book.writer import BookWriter
from zincsmith.engine.session import Session, Start
from zincsmith.judge.judging import JudgedRun, judge_run
from zincsmith.model.events import RunClosed
from zincsmith.model.finding import Verdict
from zincsmith.planning.composer import compose

KEEPS = ("safety_checks", "rig_check", "bring_up", "static_grid", "ripple", "load_transient", "standby", "overcurrent")
BEARS_S = 30.0  # at one load: who lets go later than that lets go for another reason than the load
RINGS_S = 0.7e-3  # until it has settled


def measured(book: Path) -> tuple[RunClosed, JudgedRun, bool]:
    """One run of the composed plan with shorter waits; whether it bore its load before it ended: a reading at full load
    is there, or none for long since."""
    with BookReader(book) as reader:
        unit, rig = reader.unit(), reader.rig()
    rig = replace(rig, leads=())
    plan, _ = compose(unit, rig, ["overcurrent"])
    plan = briefly(replace(plan, parts=tuple(p for p in plan.parts if p.procedure in KEEPS)))
    assert rig.standin is not None
    running = start_standin(replace(rig.standin, lead_ohm=0.0, input_lead_ohm=0.0), None, probes=probes_of(rig))
    try:
        with BookWriter(book) as writer:
            writer.revise("rig", "bench", rig, "leads are not stated")
            writer.revise("plan", "plan", plan, "what looks at most things")
            closed = Session(writer, Actor()).run(unit.tag, Start("Measurer", 23.0), running.addresses)
    finally:
        running.stop()
    with BookReader(book) as reader:
        ended = [w.bench_s or 0.0 for w in reader.events(kinds=(RunClosed,))]
        run = judge_run(reader)
    loaded = [p for p in run.evidence.points if p.at.loaded]
    bore_all = any((p.at.draw.share_percent or 0.0) > 99.0 for p in loaded)
    return closed, run, bore_all or (bool(loaded) and ended[-1] - loaded[-1].bench_s > BEARS_S)


def decided(closed: RunClosed, run: JudgedRun, bore: bool) -> str:
    """By verdicts, doubts and how it ended."""
    if closed.outcome == "tripped":
        return "over-rated label" if bore else "low trip"
    fails = {j.finding.name for j in run.judged if j.verdict is Verdict.FAILS}
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
    if "ripple" in fails:
        return "ageing capacitor"
    if "power_factor" in fails:
        return "missing corrector"
    return "hunting" if recovery > RINGS_S else "sound"
