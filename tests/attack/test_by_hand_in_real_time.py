"""A whole run by hand on a wall clock, with the real guardian, from the first gate to the report.

The one test in which real time passes, at most a minute: a person who is waited for has to keep the guardian quiet, and
nothing but real time shows whether that is so.
"""

from __future__ import annotations

import subprocess
import sys
import time
from pathlib import Path

import pytest
from tests.conftest import ROOT, UNIT

from zincsmith.book.reader import BookReader
from zincsmith.model.events import GuardianSaid, SafeStep

AT_MOST_S = 60.0
THINKS_S = 3.0  # longer than the guardian waits for a sign of life
# The rig states 1.2 m of 0.75 mm2 between the power meter and the unit: copper of 0.01724 ohm mm2/m (IEC 60028), there
# and back.
LEAD_W = 1.07**2 * 2.0 * 1.2 * 0.01724 / 0.75
SHOWN = f"{100.0 * 24.01 * 2.5 / (68.3 - LEAD_W):.2f}"


@pytest.mark.long
def test_a_run_by_hand_survives_its_gates_and_ends_in_a_report(tmp_path: Path) -> None:
    plan, answers, book = tmp_path / "one.toml", tmp_path / "answers.csv", tmp_path / "hand.zbook"
    plan.write_text(
        'name = "One point"\nprocedure = "static_grid"\n[options]\nlines = [[115.0, 60.0]]\nloads_percent = [100]\n'
        "warm_up_s = 1\nsettle_s = 1\nsettle_at_most_s = 5\nsettled_window_s = 4\naverage_s = 1\n"
    )
    answers.write_text(
        "prompt,answer\nload,yes\nsource,115.2\nload,yes\ninput_voltage,115.2\ninput_current,1.07\ninput_power,68.3\n"
        "power_factor,0.55\noutput_voltage,24.01\noutput_current,2.5\nload,yes\n"
    )
    arguments = ["run", "--unit", UNIT, "--rig", ROOT / "examples" / "rigs" / "by-hand.toml", "--plan", plan,
                 "--book", book, "--operator", "Elin Ward", "--answers", answers]  # fmt: skip
    began = time.monotonic()
    child = subprocess.Popen(
        [sys.executable, "-m", "zincsmith.cli", *map(str, arguments)],
        stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True,
    )  # fmt: skip
    assert child.stdin is not None
    for line in ("yes", "yes", "yes", "yes"):  # the gate before power; source, output and load at the end
        time.sleep(THINKS_S)
        child.stdin.write(f"{line}\n")
        child.stdin.flush()
    out, said = child.communicate(timeout=AT_MOST_S)
    took = time.monotonic() - began
    assert child.returncode == 0, said
    assert took < AT_MOST_S
    assert "AC source off, confirmed by Elin Ward; output fallen, confirmed by Elin Ward" in " ".join(said.split())
    assert SHOWN in out, "24.01 V x 2.5 A for 68.3 W less what the input leads take"
    with BookReader(book) as reader:
        assert list(reader.events(run=1, kinds=(GuardianSaid,))) == [], "the guardian had no reason to say anything"
        assert all(w.event.confirmed for w in reader.events(run=1, kinds=(SafeStep,)))  # type: ignore[union-attr]
    report = tmp_path / "report.html"
    made = subprocess.run([sys.executable, "-m", "zincsmith.cli", "report", str(book), "-o", str(report)], check=False)
    assert made.returncode == 0
    text = report.read_text("utf-8")
    assert "Elin Ward" in text
    assert SHOWN in text
    print(f"\na run by hand in real time: {took:.0f} s")
