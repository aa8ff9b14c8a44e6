"""Text from outside is text: on the terminal, in labels, in the report, in files that leave. It never steers."""

from __future__ import annotations

import csv
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from PySide6.QtCore import Qt
from tests.attack.liar import Liar, answers
from tests.conftest import RIG, ROOT, UNIT, last_row, run_command, sampled
from tests.engine.scripted import Actor, Scene

from zincsmith.bench.standin import RunningStandIn
from zincsmith.book.codec import dump, load
from zincsmith.book.writer import BookWriter
from zincsmith.engine.session import Session
from zincsmith.formats.plain_text import cell, shown
from zincsmith.model.events import Noted
from zincsmith.model.plan import Plan
from zincsmith.model.rig import Rig
from zincsmith.model.unit import Unit
from zincsmith.ui.widgets.panel import label, tip

csv.field_size_limit(10_000_000)
HOSTILE = ("[/b]", "[/top]", "[red]x", "<b>bold</b>", "<img src=x onerror=1>", "\x1b[2J\x1b]0;t\x07", "\u202etxt.exe",
           "$\\frac{1}{0}$", "{{ 7*7 }}", "=cmd|'/c'!A1", "-2+3", "a\x00b", "\ud800half", "x" * 1_000_000)  # fmt: skip


@pytest.mark.parametrize("text", sampled(HOSTILE, HOSTILE[::7] + HOSTILE[-1:]), ids=range(len(HOSTILE)))
def test_a_run_survives_any_text_in_any_field(
    tmp_path: Path, unit: Unit, rig: Rig, tiny_plan: Plan, standin: Callable[..., RunningStandIn], text: str
) -> None:
    """In the unit, the rig, the operator, a note: the run ends, off, and the report shows what was typed as text."""
    from zincsmith.book.reader import BookReader
    from zincsmith.judge.judging import judge_run
    from zincsmith.report.folder import write_folder
    from zincsmith.report.html import write_report

    named = replace(unit, maker=text, model=text)
    spots = tuple(replace(i, model=text, spot=text) for i in rig.instruments)
    bench = replace(rig, instruments=spots, name=text, note=text)
    scene = Scene.set_up(tmp_path, named, bench, tiny_plan, standin().addresses)
    with BookWriter(scene.path) as book:
        start = replace(_start(), operator=text or "x")
        closed = Session(book, Actor()).run(named.tag, start, scene.addresses)
        book.append(Noted(text), run=1)
    assert (closed.outcome, closed.safe) == ("complete", True)
    out = tmp_path / "report.html"
    with BookReader(scene.path) as reader:
        judged = judge_run(reader)
        write_report(reader, judged, out)
        files = write_folder(reader, judged, tmp_path / "out")
    html = out.read_text("utf-8")
    assert "<img src=x" not in html
    assert "<b>bold</b>" not in html
    assert "49" not in html.partition("<h1>")[2].partition("</h1>")[0], "nothing is worked out in a template"
    for file in files:
        if file.suffix == ".csv":
            assert "\x1b" not in file.read_text("utf-8")
            with file.open(encoding="utf-8", newline="") as source:
                rows = list(csv.reader(source))
            assert not any(c.startswith(("=", "@", "+")) for row in rows for c in row)


def _start():  # type: ignore[no-untyped-def]
    from tests.engine.scripted import TESTER

    return TESTER


def test_the_terminal_shows_it_and_obeys_nothing(tmp_path: Path, standin: Callable[..., RunningStandIn]) -> None:
    """A reading typed as markup, a spot and a name of markup: the run goes on, ends off, with nothing raised."""
    plan, rig = tmp_path / "tiny.toml", tmp_path / "rig.toml"
    plan.write_text('name = "T"\nprocedure = "static_grid"\n[options]\nlines = [[115.0, 60.0]]\nloads_percent = [100]\n'
                    "warm_up_s = 20\nsettle_at_most_s = 30\nsettled_percent = 0.5\naverage_s = 4\n")  # fmt: skip
    text = (ROOT / "examples" / "rigs" / "thermometer-by-hand.toml").read_text()
    text = text.replace("../standins", str(ROOT / "examples" / "standins")).replace("pace = 60", "pace = 0")
    rig.write_text(text.replace('"T1: label side, over the transformer"', '"[/top] \\u001b[31m label"'))
    log = tmp_path / "bench.log"
    done = run_command(
        "run", "--unit", UNIT, "--rig", rig, "--plan", plan, "--book", tmp_path / "a.zbook", "--operator", "[/b]\x1b[2J",  # noqa: E501
        "--log", log, typed="yes\n[/b]\n[/top]\n44.0\n",
    )  # fmt: skip
    assert done.returncode == 0, done.stderr
    assert "Traceback" not in done.stderr
    assert "\x1b[2J" not in done.stderr + done.stdout
    assert "[/b]" in done.stderr, "what was typed is shown, not swallowed"
    last = last_row(log)
    assert (last["source_on"], last["load_on"]) == (False, False)


def test_a_desk_that_fails_stops_nothing(
    tmp_path: Path, unit: Unit, rig: Rig, tiny_plan: Plan, standin: Callable[..., RunningStandIn]
) -> None:
    class Broken(Actor):
        def announce(self, seq: int, state: object) -> None:
            super().announce(seq, state)  # type: ignore[arg-type]
            raise RuntimeError("[/b] closes nothing")

    scene = Scene.set_up(tmp_path, unit, rig, tiny_plan, standin().addresses)
    closed = scene.run(Broken())
    assert (closed.outcome, closed.safe) == ("complete", True)
    assert last_row(tmp_path / "bench.log")["source_on"] is False


def test_a_hostile_identity_is_no_markup(
    tmp_path: Path, unit: Unit, tiny_plan: Plan, standin: Callable[..., RunningStandIn]
) -> None:
    addresses = standin().addresses
    liar = Liar(addresses["voltmeter"], answers("*IDN?", "[/top]\x1b[2J"))
    text = RIG.read_text().replace("../standins", str(ROOT / "examples" / "standins"))
    old = '[instrument.voltmeter]\nhow = "simulated"\nmaker = "Fennhollow"\nmodel = "M6"\nserial = "SIM004"'
    assert old in text
    rig = tmp_path / "rig.toml"
    rig.write_text(
        text.replace(old, f'[instrument.voltmeter]\nhow = "connected"\naddress = "{liar.visa}"\nserial = "S4"')
    )
    plan = tmp_path / "p.toml"
    plan.write_text('name = "T"\nprocedure = "static_grid"\n')
    done = run_command("run", "--unit", UNIT, "--rig", rig, "--plan", plan, "--book", tmp_path / "a.zbook", "--yes",
                       "--operator", "T", typed="yes\n")  # fmt: skip
    liar.stop()
    assert done.returncode == 3, done.stderr
    assert "another instrument" in done.stderr
    assert "Nothing was set" in " ".join(done.stderr.split())
    assert "\x1b" not in done.stderr


@given(st.text(st.characters(codec=None), max_size=60))
def test_any_text_is_kept_and_shown(text: str) -> None:
    kept = load(Noted, dump(Noted(text)))
    assert kept.text == text or any("\ud800" <= c <= "\udfff" for c in text)
    assert not set(shown(text)) & {chr(n) for n in range(32) if n not in (9, 10)}
    quoted = cell(text)
    if quoted[:1] in ("=", "+", "-", "@"):
        float(quoted)


def test_labels_and_tips_show_markup_as_text(qtbot: object) -> None:
    made = label("<b>bold</b> \u202e")
    assert made.textFormat() is Qt.TextFormat.PlainText
    assert made.text() == "<b>bold</b> \\u202e"
    assert "<b>" not in tip("<b>bold</b>").removeprefix("<qt>")
    assert len(label("x" * 1_000_000).text()) < 5000


def test_what_is_kept_is_for_its_owner(finished_book: Path) -> None:
    assert finished_book.stat().st_mode & 0o077 == 0
