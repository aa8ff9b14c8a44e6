"""The part of ``make bench`` that speaks of engine, guardian and searches. See bench.py for what a ratio means."""

from __future__ import annotations

import json
import os
import signal
import sqlite3
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Generator
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np

from zincsmith.bench.bench import Bench
from zincsmith.bench.standin import start_standin
from zincsmith.book.codec import dump
from zincsmith.book.file import migrations
from zincsmith.book.writer import BookWriter
from zincsmith.engine.client import EngineClient
from zincsmith.engine.event_log import EventLog
from zincsmith.engine.poll_loop import PollLoop
from zincsmith.formats.rig_file import read_rig
from zincsmith.formats.unit_file import read_unit
from zincsmith.model.actions import SetLoad
from zincsmith.model.answers import Answer, News
from zincsmith.model.commands import Command, Pass, StartRun
from zincsmith.model.events import Polled
from zincsmith.model.states import State
from zincsmith.planning.watches import Watches
from zincsmith.procedures.plan_file import NAMED
from zincsmith.procedures.search import approach, bisect, refine
from zincsmith.simbench.units.adapter import Adapter

ROOT = Path(__file__).parent.parent
EXAMPLES = ROOT / "examples"
STEPS = 400
Row = tuple[str, float, float, float] | tuple[str, float, float, float, str]  # name, ratio, goal, ms, spread
TURNS = 5
BUSY = "import time; end = time.monotonic() + 60\nwhile time.monotonic() < end: pass"


class NobodyThere:
    """An operator interface without anybody."""

    def announce(self, seq: int, state: State) -> None:
        """Nobody hears it."""

    def refuse(self, do: str, reason: str) -> None:
        """Nobody is refused."""

    def commands(self, wait_s: float) -> list[Command]:
        return []


def engine_step(folder: Path) -> list[Row]:
    """A slice of a run - time moved on, everything polled, watched and committed - against the bare exchanges and
    commits, then once more while another process keeps a processor busy, as a busy window would."""
    rig = read_rig(EXAMPLES / "rigs" / "simulated.toml")
    assert rig.standin is not None
    running = start_standin(rig.standin)
    bench = Bench(rig, running.addresses)
    bench.open()
    rows: list[Row] = []
    try:
        with BookWriter(folder / "step.zbook") as book:
            event_log = EventLog(book, NobodyThere())
            event_log.run = event_log.step = 1
            poll_loop = PollLoop(bench, event_log, NobodyThere(), Watches())
            ours, floor = _step_times(poll_loop, _bare(bench, folder))
            rows.append(("engine step", *of_turns(ours, floor, 1.25)))
            busy = subprocess.Popen([sys.executable, "-c", "while True: sum(range(10000))"])
            try:
                under_load, _ = _step_times(poll_loop, lambda: None)
                least_floor = min(floor)
            finally:
                busy.kill()
                busy.wait()
            rows.append(
                ("engine step beside a busy window", min(under_load) / least_floor, 1.5, 1000.0 * min(under_load))
            )
    finally:
        bench.close()
        running.stop()
    return rows


def of_turns(ours: list[float], floor: list[float], goal: float) -> tuple[float, float, float, str]:
    """(ratio, goal, ms, spread) of work that took turns with its floor: the median, so that a busy machine does not
    decide it, and how far the turns lie apart."""
    ratios = sorted(a / b for a, b in zip(ours, floor, strict=True))
    return statistics.median(ratios), goal, 1000.0 * min(ours), f"{ratios[0]:.2f} to {ratios[-1]:.2f}"


def _step_times(poll_loop: PollLoop, bare: Callable[[], object]) -> tuple[list[float], list[float]]:
    """Seconds a step, ours and bare, in turns so that both see the same machine."""
    ours, floor = [], []
    for _ in range(TURNS):
        for work, times in ((lambda: poll_loop.slice(0.1), ours), (bare, floor)):
            began = time.perf_counter()
            for _ in range(STEPS):
                work()
            times.append((time.perf_counter() - began) / STEPS)
    return ours, floor


def _bare(bench: Bench, folder: Path) -> Callable[[], None]:
    """The same questions over the same links, and one committed row of the same table a round: equal durability."""
    db = sqlite3.connect(folder / "bare.db", isolation_level=None)
    db.execute("PRAGMA journal_mode=WAL")
    db.execute("PRAGMA synchronous=FULL")
    db.executescript(migrations()[0][1])
    clock = bench.clock_instrument
    assert clock is not None
    asked = [bench.instruments[r] for r in ("power_meter", "voltmeter", "load", "thermometer")]
    queries = [(one.link.resource, one.dialect.operation["read"].query) for one in asked]
    at = "2026-01-01T00:00:00.000+00:00"
    body = dump(Polled({"input_voltage": 0.0, "input_power": 0.0, "output_voltage": 0.0}, False, False))

    def step() -> None:
        clock.link.resource.write("CLOC:ADV 0.100000")
        for resource, query in queries:
            [float(x) for x in resource.query(query).replace(";", ",").split(",")]
        db.execute("BEGIN IMMEDIATE")
        db.execute(
            "INSERT INTO event (run, step, at, bench_s, kind, v, body) VALUES (1, 1, ?, 0.0, 'Polled', 1, ?)",
            (at, body),
        )
        db.execute("COMMIT")

    return step


def guardian(folder: Path) -> list[Row]:
    """Seconds from the signal to the source off, by the stand-in's own log; promised: 2 s."""
    rows = []
    for number, words in ((signal.SIGKILL, "engine killed"), (signal.SIGSTOP, "engine stopped")):
        worst = max(_takeover(folder / f"{words.replace(' ', '-')}-{n}", number) for n in range(3))
        rows.append((f"{words}: until the source is off, s", worst, 2.0, 1000.0 * worst))
    return rows


def busy_machine(folder: Path) -> list[Row]:
    """Takeovers of a healthy engine in eight seconds of a run beside four busy processes a processor: none is right."""
    busy = [subprocess.Popen([sys.executable, "-c", BUSY]) for _ in range(4 * (os.cpu_count() or 2))]
    folder.mkdir()
    book, log = folder / "run.zbook", folder / "bench.log"
    client = _begun(book, log)
    try:
        until = time.monotonic() + 8.0
        while time.monotonic() < until:
            client.receive()
            time.sleep(0.02)
        taken = float(client.process is None or client.process.poll() is not None or not _last(log)["source_on"])
    finally:
        client.stop()
        for one in busy:
            one.kill()
            one.wait()
    return [("busy machine: healthy engine taken over", taken, 0.0, taken)]


def _begun(book: Path, log: Path) -> EngineClient:
    """A paced run of the stand-in bench, with the load on."""
    rig = read_rig(EXAMPLES / "rigs" / "simulated.toml")
    assert rig.standin is not None
    rig = replace(rig, standin=replace(rig.standin, pace=20.0))
    unit = read_unit(EXAMPLES / "units" / "tarnbrook-tb2425.toml")
    with BookWriter(book) as writer:
        writer.revise("unit", unit.tag, unit, "bench")
        writer.revise("rig", "bench", rig, "bench")
        writer.revise("plan", "plan", NAMED["static-grid"], "bench")
    client = EngineClient(book, log)
    client.start(rig)
    client.send(StartRun(unit.tag, "Bench", 23.0))
    _until(client, lambda said: isinstance(said, News) and said.state is State.GATE)
    client.send(Pass())
    while not (log.exists() and _last(log).get("load_on")):
        client.receive()
        time.sleep(0.005)
    return client


def _takeover(folder: Path, number: signal.Signals) -> float:
    folder.mkdir()
    book, log = folder / "run.zbook", folder / "bench.log"
    client = _begun(book, log)
    try:
        time.sleep(0.5)
        assert client.process is not None
        began = time.monotonic()
        os.kill(client.process.pid, number)
        while _last(log)["source_on"]:
            time.sleep(0.002)
        client.process.wait()
        off = next(r for r in _rows(log) if r["wall_s"] > began and not r["source_on"])
        return float(off["wall_s"]) - began
    finally:
        client.stop()


def _rows(log: Path) -> list[dict[str, Any]]:
    return [json.loads(line) for line in log.read_text().rpartition("\n")[0].splitlines()]


def _last(log: Path) -> dict[str, Any]:
    rows = _rows(log)
    return rows[-1] if rows else {"source_on": True}


def _until(client: EngineClient, there: Callable[[Answer], bool]) -> None:
    end = time.monotonic() + 60.0
    while time.monotonic() < end:
        for message in client.receive() or []:
            if there(message):
                return
        time.sleep(0.002)
    raise TimeoutError("the engine did not get there")


def searches() -> list[Row]:
    """Bisection of a trip current against a linear ramp of the same resolution, in settings; and an adaptive
    efficiency curve against a uniform sweep of 1 %, in points for the same worst error."""
    limit, resolution = Adapter.read(EXAMPLES / "standins" / "tarnbrook-tb2425.toml").output.limit_A, 0.01
    asked: list[float] = []

    def trips(amps: float) -> Generator[Any, Any, bool]:
        asked.append(amps)
        yield SetLoad(amps, True)
        return amps > limit

    def count(search: Generator[Any, Any, Any]) -> int:
        asked.clear()
        for _ in search:
            pass
        return len(asked)

    ramp = count(approach(2.5, 4.0, resolution, trips))
    halving = count(bisect(2.5, 4.0, resolution, trips))
    adaptive, uniform = _curve_points()
    return [
        ("bisection of a trip current, settings", halving / ramp, 0.2, float(halving)),
        ("adaptive efficiency curve, points", adaptive / uniform, 1.0 / 3.0, float(adaptive)),
    ]


def _curve_points() -> tuple[int, int]:
    """How many points an adaptive and a uniform efficiency curve take for the same worst error."""
    unit = Adapter.read(EXAMPLES / "standins" / "dunmarrow-dm120.toml")

    def curve(percent: float) -> float:
        return unit.steady(230.0, 50.0, percent / 100.0 * 6.3).efficiency

    fine = np.linspace(10.0, 100.0, 1801)
    true = np.array([curve(float(x)) for x in fine])
    steps = np.abs(np.diff(true))
    change = float(fine[int(np.argmax(steps))])  # where correction sets in: no line through points is right there
    away = np.abs(fine - change) > 1.0

    def worst(points: list[tuple[float, float]]) -> float:
        """Largest error away from the mode change; infinite when that is not known to 1 %."""
        x = np.array(points)[:, 0]
        if np.min(x[x > change]) - np.max(x[x <= change]) > 1.0:
            return float("inf")
        return float(np.max(np.abs(np.interp(fine, *np.array(points).T) - true)[away]))

    uniform = [(float(x), curve(float(x))) for x in np.arange(10.0, 100.5, 1.0)]

    def value(percent: float) -> Generator[Any, Any, float]:
        yield SetLoad(percent, True)
        return curve(percent)

    start = [(x, curve(x)) for x in (10.0, 25.0, 50.0, 75.0, 100.0)]
    for further in range(len(uniform)):
        search = refine(start, further, 1.0, value)
        try:
            while True:
                next(search)
        except StopIteration as end:
            if worst(end.value) <= worst(uniform):
                return len(end.value), len(uniform)
    return len(uniform), len(uniform)


def imports(folder: Path) -> list[Row]:
    """Importing the command line and the guardian against what they cannot do without, compiled as when installed."""
    compiled = {k: v for k, v in os.environ.items() if k != "PYTHONDONTWRITEBYTECODE"}
    compiled["PYTHONPYCACHEPREFIX"] = str(folder / "compiled")

    def seconds(code: str) -> float:
        best = float("inf")
        for _ in range(5):
            began = time.perf_counter()
            subprocess.run([sys.executable, "-c", code], check=True, env=compiled)
            best = min(best, time.perf_counter() - began)
        return best

    floor_cli, cli = seconds("import typer"), seconds("import zincsmith.cli")
    floor_guard = seconds("import pyvisa, pydantic, pyvisa_py.tcpip")
    guard = seconds("import zincsmith.guard.guardian, zincsmith.bench.link as l; l.warm_up()")
    return [
        ("importing the command line", cli / floor_cli, 1.5, 1000.0 * cli),
        ("importing the guardian", guard / floor_guard, 1.8, 1000.0 * guard),
    ]


def measures() -> list[Row]:
    with tempfile.TemporaryDirectory() as folder:
        place = Path(folder)
        return [*engine_step(place), *guardian(place), *busy_machine(place / "busy"), *searches(), *imports(place)]


if __name__ == "__main__":
    for name, ratio, goal, milliseconds, *spread in measures():
        print(f"{name:45} {ratio:8.3f}   goal {goal:6.3f}   ({milliseconds:.1f})", *spread)
