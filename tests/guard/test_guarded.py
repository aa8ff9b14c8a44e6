"""Who watches over the way to safety: roles that are added, a way that breaks, a bench that freezes, signs of life."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest
import typer
from tests.conftest import RIG, UNIT, bench_log, last_row
from tests.engine.scripted import TESTER, Actor, Scene
from tests.engine.windowless import children_of

from zincsmith.bench import clock as clock_module
from zincsmith.bench.bench import Bench
from zincsmith.bench.clock import WallClock, let_pass
from zincsmith.bench.make_safe import make_safe
from zincsmith.bench.roles import FEEDING, SWITCHED
from zincsmith.bench.signs import Channel, Seen
from zincsmith.bench.standin import RunningStandIn
from zincsmith.book.reader import BookReader
from zincsmith.book.writer import BookWriter
from zincsmith.cli.runs import _carry_out
from zincsmith.engine import runner as runner_module
from zincsmith.engine.runner import BugInRun
from zincsmith.engine.session import Session
from zincsmith.guard import guardian
from zincsmith.guard.guardian import KeptWaiting
from zincsmith.guard.watch_over import Guardian
from zincsmith.model.events import Event, GuardianSaid, RunClosed, SafeStep
from zincsmith.model.plan import Plan
from zincsmith.model.rig import Dummy, Instrument, Rig, SwitchedLoad
from zincsmith.model.roles import SWITCHES
from zincsmith.model.unit import Unit

StartStandIn = Callable[..., RunningStandIn]


def test_every_role_that_can_be_switched_is_switched_off(rig: Rig, standin: StartStandIn, tmp_path: Path) -> None:
    """A rig with one of each: what feeds goes off first, each is read back, none is forgotten."""
    assert {one.role for one in SWITCHED} == set(SWITCHES), "what can be switched stands in the table"
    base = Instrument("base_load", "simulated", dummy=Dummy("resistor", measured_ohm=38.4))
    switch = Instrument("load_switch", "simulated", switched=SwitchedLoad(16.0))
    contactor = Instrument("contactor", "simulated", short_ohm=0.03)
    both = replace(rig, instruments=(*rig.instruments, Instrument("dc_source", "simulated"), base, switch, contactor))
    bench = Bench(both, standin().addresses, outputs_V={"": 24.0})
    bench.open()
    for one in SWITCHED:
        bench.instruments[one.role].set(one.switch, True)
    events: list[Event] = []
    safety = make_safe(bench, events.append)
    bench.close()
    assert safety.confirmed
    steps = [e.step for e in events if isinstance(e, SafeStep) and e.step in {one.step() for one in SWITCHED}]
    assert steps == [one.step() for one in SWITCHED]
    told = [(row["role"], row["text"]) for row in bench_log(tmp_path / "bench.log") if row["what"] == "told"]
    off = [role for role, text in told if text in ("OUTP 0", "INP 0", "BANK:PATT 0", "ROUT:CLOS 0")]
    assert off[: len(FEEDING)] == list(FEEDING)
    assert set(off) == {one.role for one in SWITCHED}


def test_a_way_to_safety_that_breaks_is_taken_over(
    tmp_path: Path, unit: Unit, rig: Rig, tiny_plan: Plan, standin: StartStandIn, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Make-safe itself raises in the engine: the guardian is not told that all is done, and makes the bench safe."""

    def broken(*_: object, **__: object) -> None:
        raise RuntimeError("a bug on the way to safety")

    monkeypatch.setattr(runner_module, "make_safe", broken)
    running = standin()
    scene = Scene.set_up(tmp_path, unit, rig, tiny_plan, running.addresses)
    with BookWriter(scene.path) as book:
        session = Session(book, Actor(), Guardian(running.keep_fd))
        with pytest.raises(BugInRun) as bug:
            session.run(unit.tag, TESTER, scene.addresses)
    closed = bug.value.closed
    assert closed.safe, closed.unconfirmed
    assert "a bug on the way to safety" in closed.why
    assert closed.seen[0] == "AC source off, read back"
    last = last_row(tmp_path / "bench.log")
    assert (last["source_on"], last["load_on"]) == (False, False)
    with BookReader(scene.path) as reader:
        assert any("way to safety" in w.event.text for w in reader.events(run=1, kinds=(GuardianSaid,)))  # type: ignore[union-attr]


def test_a_bug_in_a_run_ends_off_and_is_5(
    tmp_path: Path, unit: Unit, rig: Rig, tiny_plan: Plan, standin: StartStandIn, capsys: pytest.CaptureFixture[str]
) -> None:
    class Bug(Actor):
        def commands(self, wait_s: float) -> list:  # type: ignore[type-arg]
            if self.calls > 40:
                raise ZeroDivisionError("a bug nobody knows yet")
            return super().commands(wait_s)

    scene = Scene.set_up(tmp_path, unit, rig, tiny_plan, standin().addresses)
    with pytest.raises(typer.Exit) as end:
        _carry_out(lambda: scene.run(Bug()), scene.path)
    assert end.value.exit_code == 5
    said = capsys.readouterr().err
    assert "a bug nobody knows yet" in said
    assert "AC source off, read back" in said
    assert last_row(tmp_path / "bench.log")["source_on"] is False
    unsafe = RunClosed("failed", "x", False, ("AC source: switch it off",))
    with pytest.raises(typer.Exit) as end:
        _carry_out(lambda: (_ for _ in ()).throw(BugInRun(unsafe)), scene.path)
    assert end.value.exit_code == 4, "what is not confirmed comes before everything else"


@pytest.mark.long
def test_a_bench_that_freezes_is_4_with_what_to_switch_off(tmp_path: Path) -> None:
    plan, log = tmp_path / "slow.toml", tmp_path / "bench.log"
    plan.write_text('name = "T"\nprocedure = "static_grid"\n[options]\nwarm_up_s = 80000\n')
    arguments = ["run", "--unit", UNIT, "--rig", RIG, "--plan", plan, "--book", tmp_path / "a.zbook", "--yes",
                 "--operator", "T", "--log", log]  # fmt: skip
    child = subprocess.Popen([sys.executable, "-m", "zincsmith.cli", *map(str, arguments)], stdin=subprocess.DEVNULL,
                             stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)  # fmt: skip
    while not log.exists() or '"load_on": true' not in log.read_text():
        assert child.poll() is None
    bench = next(p for p in children_of(child.pid) if "simbench" in Path(f"/proc/{p}/cmdline").read_text())
    os.kill(bench, signal.SIGSTOP)
    _, said = child.communicate(timeout=120)
    assert child.returncode == 4, said
    assert "Traceback" not in said
    assert "AC source Brackmere A5: switch it off, or pull its plug" in said


def test_waiting_on_a_wall_clock_gives_signs_of_life(monkeypatch: pytest.MonkeyPatch) -> None:
    said: list[str] = []
    monkeypatch.setattr(clock_module.time, "sleep", lambda seconds: said.append(f"{seconds:.2f}"))
    let_pass(WallClock(), 1.1, lambda: said.append("beat"))
    assert said[0] == "beat"
    slept = [float(s) for s in said if s != "beat"]
    assert sum(slept) == pytest.approx(1.1)
    assert max(slept) < 0.3
    assert said.count("beat") == len(slept)


def test_a_sign_counts_only_when_it_lived_and_stays_low_longer_than_it_paused() -> None:
    seen = Seen({"output_voltage": Channel(2.4)})
    seen.feeds(output_due=True)
    for at, volts in enumerate((24.0, 0.0, 0.0, 0.0, 24.0, 0.1)):  # hiccup: three seconds of nothing, by itself
        seen.observe(float(at), {"output_voltage": volts}, fed=True)
    assert seen.channels["output_voltage"].lived
    assert seen.channels["output_voltage"].gap_s == 3.0
    assert seen.hold_s == 3.75
    seen.observe(6.0, {"output_voltage": 0.0}, fed=False)
    seen.observe(60.0, {"output_voltage": 24.0}, fed=True)
    assert seen.channels["output_voltage"].gap_s == 3.0, "what was switched off did not pause by itself"
    assert Seen.from_told(seen.as_told()).channels == seen.channels


def test_an_engine_that_the_computer_keeps_waiting_is_told_from_one_that_hangs(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    """Ready to run without being given any time is no hang; to sleep, to be stopped and to spin is."""
    code = "import sys; print(flush=True); sys.stdin.read(1)\nwhile True: pass"
    with subprocess.Popen([sys.executable, "-c", code], stdin=subprocess.PIPE, stdout=subprocess.PIPE) as child:
        assert child.stdin is not None
        assert child.stdout is not None
        child.stdout.readline()
        while guardian._state(child.pid) != "S":
            pass
        assert not KeptWaiting(child.pid).since(0.05), "it sleeps"
        spun = KeptWaiting(child.pid)
        begun = guardian.had_s(child.pid)
        child.stdin.write(b"x")
        child.stdin.flush()
        while guardian.had_s(child.pid) < begun + 0.2:
            pass
        assert not spun.since(0.5), "it had two fifths of the time and did not give a sign"
        os.kill(child.pid, signal.SIGSTOP)
        while guardian._state(child.pid) != "T":
            pass
        assert not KeptWaiting(child.pid).since(0.05), "it is stopped"
        child.kill()
    assert not KeptWaiting(child.pid).since(0.05), "it is gone"
    monkeypatch.setattr(guardian, "had_s", lambda _pid: 3.25)
    told = {state: (monkeypatch.setattr(guardian, "_state", lambda _pid, s=state: s), KeptWaiting(1).since(0.05))[1]
            for state in "RDSTZ"}  # fmt: skip
    assert told == {"R": True, "D": True, "S": False, "T": False, "Z": False}
