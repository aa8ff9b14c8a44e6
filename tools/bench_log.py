"""The log of a long book: how soon it is there, how long the window is blocked while it is scrolled, what it holds.

A child of its own opens a book of a million events, and one of some hundreds, so that memory is that of the book alone.
"""

from __future__ import annotations

import json
import os
import sqlite3
import subprocess
import sys
import time
from contextlib import closing
from pathlib import Path

from zincsmith.book.writer import BookWriter
from zincsmith.formats.rig_file import read_rig
from zincsmith.formats.unit_file import read_unit
from zincsmith.model.events import RunClosed, RunOpened, StageBegan
from zincsmith.procedures.plan_file import NAMED

ROOT = Path(__file__).parent.parent
EVENTS = 1_000_000
OPEN_S, BLOCK_S, MEMORY_MB = 1.0, 0.100, 50.0
# Every tenth event stands in the log; the rest are polls, as a long run has them.
FILL = """
INSERT INTO event (run, step, at, bench_s, kind, v, body)
WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < ?)
SELECT 1, 9, '2026-11-20T10:00:00.000+00:00', i / 10.0, CASE WHEN i % 10 THEN 'Polled' ELSE 'Remarked' END, 1,
  CASE WHEN i % 10 THEN '{"values":{"input_power":68.2,"output_voltage":24.01},"source_on":true,"load_on":true}'
  ELSE '{"text":"remark ' || i || '"}' END FROM n
"""
CHILD = """
import json, sys, time
from pathlib import Path
from PySide6.QtWidgets import QApplication
from zincsmith.ui.theme import LIGHT, load_fonts, use_theme
from zincsmith.ui.window import MainWindow
app = QApplication([])
load_fonts()
use_theme(LIGHT)
window = MainWindow(Path(sys.argv[1]))
window.resize(1280, 800)
window.show()
window.open()
def memory():
    return int(next(l for l in open('/proc/self/status') if l.startswith('VmRSS')).split()[1]) / 1000
for _ in range(50):
    app.processEvents()
    time.sleep(0.01)
before = memory()
began = time.perf_counter()
window.go('Log')
log = window.stations['Log']
while not log.tree.topLevelItemCount():
    app.processEvents()
window.grab()
opened = time.perf_counter() - began
longest, until = 0.0, time.monotonic() + 12.0
bar = log.tree.verticalScrollBar()
at = 0
while time.monotonic() < until:
    began = time.perf_counter()
    at += 1
    bar.setValue(max(bar.minimum(), bar.value() - 400) if at % 400 < 300 else bar.maximum())
    app.processEvents()
    longest = max(longest, time.perf_counter() - began)
print(json.dumps([opened, longest, memory() - before]), flush=True)
window.session.close()
"""


def _book(folder: Path, events: int) -> Path:
    path = folder / f"log-{events}.zbook"
    with BookWriter(path) as writer:
        unit = read_unit(ROOT / "examples" / "units" / "tarnbrook-tb2425.toml")
        writer.revise("unit", unit.tag, unit, "bench")
        writer.revise("rig", "bench", read_rig(ROOT / "examples" / "rigs" / "simulated.toml"), "bench")
        writer.revise("plan", "plan", NAMED["static-grid"], "bench")
        run = writer.open_run(RunOpened(unit.tag, 1, 1, 1, (("static_grid", 5),), "Bench", 23.0, False, "bench"))
        writer.append(StageBegan("Grid", "115 V 60 Hz"), run=run, bench_s=0.0)
    with closing(sqlite3.connect(path)) as db, db:
        db.execute(FILL, (events,))
    with BookWriter(path) as writer:
        writer.append(RunClosed("complete", "every step was carried out", True), run=run, bench_s=events / 10.0)
    return path


def measures(folder: Path) -> list[tuple[str, float, float, float]]:
    """(name, ratio, goal, milliseconds or megabytes) for a million events."""
    found = []
    for events in (1_000, EVENTS):
        done = subprocess.run(
            [sys.executable, "-c", CHILD, str(_book(folder, events))], capture_output=True, text=True, check=True,
            env={**os.environ, "QT_QPA_PLATFORM": "offscreen"},
        )  # fmt: skip
        found.append(json.loads(done.stdout.splitlines()[-1]))
    (_, _, small), (opened, block, large) = found
    return [
        ("log of a million events, opened", opened / OPEN_S, 1.0, 1000.0 * opened),
        ("log of a million events, longest block", block / BLOCK_S, 1.0, 1000.0 * block),
        ("log of a million events, memory in MB", max(0.0, large - small) / MEMORY_MB, 1.0, large - small),
    ]


if __name__ == "__main__":
    import tempfile

    with tempfile.TemporaryDirectory() as name:
        began = time.monotonic()
        for row in measures(Path(name)):
            print(f"{row[0]:42} {row[1]:8.2f}   goal {row[2]:7.1f}   ({row[3]:.1f})")
        print(f"{time.monotonic() - began:.0f} s")
