"""Fails a test on unexpected warnings (pyproject), Qt messages (pytest-qt) and log lines of level error."""

from __future__ import annotations

import io
import json
import logging
import os
import subprocess
import sys
import tempfile
import time
import traceback
from collections.abc import Callable, Collection, Iterable, Iterator
from contextlib import redirect_stderr, redirect_stdout
from dataclasses import replace
from pathlib import Path
from typing import Any

os.environ["QT_QPA_PLATFORM"] = "offscreen"
os.environ["XDG_STATE_HOME"] = tempfile.mkdtemp(prefix="zincsmith-state-")  # what was confirmed on this computer

import pytest
from hypothesis import settings

from zincsmith.bench import link
from zincsmith.bench.standin import RunningStandIn, start_standin
from zincsmith.formats.rig_file import read_rig
from zincsmith.formats.unit_file import read_unit
from zincsmith.model.plan import Line, Plan
from zincsmith.model.rig import Rig
from zincsmith.model.unit import Unit
from zincsmith.procedures.static_grid.options import GridOptions

# Times belong in make bench. The same examples every time, so that a change is judged by what it changed; new ones
# are looked for with --hypothesis-profile search.
settings.register_profile("house", deadline=None, derandomize=True)
settings.register_profile("search", deadline=None)
settings.load_profile("house")

IN_MEMORY = "/dev/shm"  # Linux keeps POSIX shared memory there, as files
NEEDED_BYTES = 2_000_000_000  # ten times what a run of the tests leaves
HANG_GUARD_S = 60.0
ROOT = Path(__file__).parent.parent
UNIT = ROOT / "examples" / "units" / "tarnbrook-tb2425.toml"
RIG = ROOT / "examples" / "rigs" / "simulated.toml"
SHORT_PLAN = """
name = "Short grid"
procedure = "static_grid"
[options]
warm_up_s = 60
rewarm_s = 20
settle_at_most_s = 30
settled_percent = 0.5
average_s = 4
"""


def sampled(values: Iterable[Any], short: Collection[Any]) -> list[Any]:
    """Parameters of a test: those of ``short`` in every run, the others in the long one only."""
    return [v if v in short else pytest.param(*_several(v), marks=pytest.mark.long) for v in values]


def first(count: int, *values: Any) -> list[Any]:
    """Parameters of a test: the first of them in every run, the others in the long one only."""
    return sampled(values, values[:count])


def _several(value: Any) -> tuple[Any, ...]:
    return value if isinstance(value, tuple) else (value,)


def pytest_configure(config: pytest.Config) -> None:
    """Every event is synced to the disk; so as not to wait for thousands of syncs, the books of the short tests lie in
    memory where there is room. Those of the long ones lie on the disk, as a user's do."""
    if config.getoption("markexpr") == "long" or not os.access(IN_MEMORY, os.W_OK):
        return
    room = os.statvfs(IN_MEMORY)
    if room.f_bavail * room.f_frsize > NEEDED_BYTES:
        os.environ.setdefault("PYTEST_DEBUG_TEMPROOT", IN_MEMORY)


@pytest.fixture(autouse=True)
def no_error_lines(caplog: pytest.LogCaptureFixture) -> Iterator[None]:
    yield
    wrong = [r.getMessage() for r in caplog.get_records("call") if r.levelno >= logging.ERROR]
    assert not wrong, f"logged errors: {wrong}"


@pytest.fixture
def unhurried(monkeypatch: pytest.MonkeyPatch) -> None:
    """For runs of hours in which nobody is to be late: how long a busy computer leaves the stand-in waiting for its
    turn, beside two more workers and theirs, is none of what they say."""
    monkeypatch.setattr(link, "TIMEOUT_MS", 3_000)


@pytest.fixture(scope="session")
def unit() -> Unit:
    return read_unit(UNIT)


@pytest.fixture(scope="session")
def rig() -> Rig:
    return read_rig(RIG)


@pytest.fixture(scope="session")
def tiny_plan() -> Plan:
    """Two points at one line: the shortest run that is a run."""
    options = GridOptions(
        lines=(Line(115.0, 60.0),),
        loads_percent=(100.0, 0.0),
        warm_up_s=20.0,
        settle_at_most_s=30.0,
        settled_percent=0.5,
        average_s=4.0,
    )
    return Plan("Tiny grid", (options,))


@pytest.fixture
def short_plan(tmp_path: Path) -> Path:
    file = tmp_path / "short.toml"
    file.write_text(SHORT_PLAN)
    return file


Command = Callable[..., subprocess.CompletedProcess[str]]


PROCESSES = ("run", "resume", "simbench")  # these read the terminal, take signals, start processes of their own


def run_command(
    *arguments: object, typed: str | None = None, timeout: float = 600.0
) -> subprocess.CompletedProcess[str]:
    """``zincsmith ARGUMENTS`` as a person would call it; what only reads and prints is called in this process, and so
    is a run that asks nobody: what a process of its own costs is most of a short run."""
    asks_nobody = arguments[:1] == ("run",) and "--yes" in map(str, arguments)
    if typed is None and (asks_nobody or not {*arguments[:1]} & {*PROCESSES}):
        return _called([str(a) for a in arguments])
    return subprocess.run(
        [sys.executable, "-m", "zincsmith.cli", *map(str, arguments)],
        input=typed if typed is not None else "",
        capture_output=True,
        text=True,
        timeout=timeout,
        check=False,
    )


def _called(arguments: list[str]) -> subprocess.CompletedProcess[str]:
    from zincsmith.cli import main

    out, said, code = io.StringIO(), io.StringIO(), 0
    with pytest.MonkeyPatch.context() as patch, redirect_stdout(out), redirect_stderr(said), open(os.devnull) as nobody:
        patch.setattr(sys, "argv", ["zincsmith", *arguments])
        patch.setattr(sys, "stdin", nobody)
        try:
            main()
        except SystemExit as end:
            code = int(end.code or 0)
        except Exception:  # noqa: BLE001 - what a process would print before it ends with 1
            said.write(traceback.format_exc())
            code = 1
    return subprocess.CompletedProcess(arguments, code, out.getvalue(), said.getvalue())


@pytest.fixture(scope="session")
def command() -> Command:
    return run_command


@pytest.fixture(scope="session")
def finished_book(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A whole run of the honest adapter, seed 1, with a short warm-up. Not to be written to."""
    folder = tmp_path_factory.mktemp("finished")
    plan = folder / "short.toml"
    plan.write_text(SHORT_PLAN)
    book = folder / "finished.zbook"
    done = run_command(
        "run", "--unit", UNIT, "--rig", RIG, "--plan", plan, "--book", book, "--yes", "--operator", "Tester"
    )
    assert done.returncode == 0, done.stderr
    return book


@pytest.fixture
def standin(rig: Rig, tmp_path: Path) -> Iterator[Callable[..., RunningStandIn]]:
    """Starts stand-in benches that are gone after the test."""
    running: list[RunningStandIn] = []

    def start(probes: tuple[str, ...] = (), **changes: object) -> RunningStandIn:
        assert rig.standin is not None
        one = start_standin(replace(rig.standin, **changes), tmp_path / "bench.log", probes=probes)
        running.append(one)
        return one

    yield start
    for one in running:
        one.stop()


def bench_log(file: Path) -> list[dict[str, object]]:
    """The stand-in's own log: the oracle of safety tests. A line that is still being written is left out."""
    whole, _, _ = file.read_text().rpartition("\n")
    return [json.loads(line) for line in whole.splitlines()]


def last_row(file: Path) -> dict[str, object]:
    """The last line of the stand-in's log once it has seen that all its instruments were let go of, which it notes a
    moment after the engine did."""
    guard = time.monotonic() + HANG_GUARD_S
    while True:
        rows = bench_log(file)
        kinds = [row["what"] for row in rows]
        if kinds.count("hung up") >= kinds.count("connected"):
            return rows[-1]
        assert time.monotonic() < guard, "somebody still holds an instrument"
        time.sleep(0)


def told(file: Path) -> list[tuple[object, object]]:
    """What the instruments were told, in order; that a line was hung up is noted whenever the stand-in sees it."""
    return [(row["role"], row["text"]) for row in bench_log(file) if row["what"] == "told"]
