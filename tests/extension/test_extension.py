"""A package of somebody else brings a procedure along: it is in Plan, Run, Findings, report, command line and JSON, and
no other file was touched. The package lies on the path with its dist-info; nothing is fetched."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest
from tests.conftest import ROOT
from tests.engine.scripted import Actor, Scene
from tests.extension.installed import SITE

from zincsmith.bench.standin import RunningStandIn
from zincsmith.book.codec import dump, load
from zincsmith.book.reader import BookReader
from zincsmith.formats.unit_file import read_unit
from zincsmith.judge.evidence import findings_of
from zincsmith.judge.judging import judge_run
from zincsmith.model.errors import InputError
from zincsmith.model.events import GatePassed
from zincsmith.model.plan import Plan, UnknownOptions
from zincsmith.model.reading import Evidence
from zincsmith.model.rig import Rig
from zincsmith.model.unit import Unit
from zincsmith.planning.composer import compose
from zincsmith.procedures import catalogue
from zincsmith.procedures.base import Conventions
from zincsmith.procedures.plan_file import read_plan, write_plan
from zincsmith.report.html import render
from zincsmith.showing.curves import all_curves

UNIT, RIG = ROOT / "examples" / "units" / "tarnbrook-tb2425.toml", ROOT / "examples" / "rigs" / "simulated.toml"
CLAIM = '\n[[claim]]\nfigure = "release_rise"\nhigh = 0.05\nsource = "manual"\nwhere = "page 7"\n'


def run(*arguments: str | Path, installed: bool = True) -> subprocess.CompletedProcess[str]:
    environment = {**os.environ, **({"PYTHONPATH": str(SITE)} if installed else {})}
    command = [sys.executable, "-m", "zincsmith.cli", *map(str, arguments)]
    return subprocess.run(command, capture_output=True, text=True, env=environment, timeout=240, check=False)


def claimed(folder: Path) -> Path:
    file = folder / "unit.toml"
    file.write_text(UNIT.read_text("utf-8") + CLAIM, "utf-8")
    return file


@pytest.mark.long
def test_it_goes_its_whole_way_by_command_line(tmp_path: Path) -> None:
    """Listed, planned, run, judged against a claim, printed, and with its package in the run."""
    listed = json.loads(run("procedures", "--json").stdout)
    (mine,) = [p for p in listed["procedures"] if p["name"] == "release_rise"]
    assert (mine["package"], mine["package_version"], mine["version"]) == ("zincsmith-release-rise", "1.3", 2)
    (bad,) = listed["broken"]
    assert (bad["name"], bad["package"]) == ("out_of_order", "zincsmith-release-rise 1.3")
    assert "NOT_THERE" in bad["why"]
    assert "Cannot be used: out_of_order" in run("procedures").stdout
    unit, book, plan = claimed(tmp_path), tmp_path / "run.zbook", tmp_path / "plan.toml"
    plan.write_text(
        'name = "Rise"\n[[part]]\nprocedure = "safety_checks"\n[[part]]\nprocedure = "release-rise"\nline = [230, 50]\n'
    )
    ran = run("run", "--unit", unit, "--rig", RIG, "--plan", plan, "--book", book, "--operator", "Tester", "--yes")
    assert ran.returncode == 0, ran.stderr
    results = json.loads(run("findings", book, "--json").stdout)
    (found,) = [f for f in results["findings"] if f["name"] == "release_rise"]
    assert (found["verdict"], found["unit"]) == ("holds", "V")
    assert abs(found["value"]) < 0.05
    report = tmp_path / "report.html"
    assert run("report", book, "-o", report).returncode == 0
    text = report.read_text("utf-8")
    for words in ("What an output does by itself", "Rise after the load is released",
                  "release_rise of zincsmith-release-rise 1.3", "read 4 times in 40 s without load"):  # fmt: skip
        assert words in text, words
    # Without the package nothing is guessed: what is missing is said.
    bare = run("findings", book, installed=False)
    assert bare.returncode != 0
    assert "'release_rise'" in bare.stderr
    assert "a package that is not installed here" in " ".join(bare.stderr.split())
    wrong = run("plan", "--unit", UNIT, "--rig", RIG, "--plan", plan, installed=False)
    assert wrong.returncode == 2
    assert "there is no procedure 'release-rise'" in wrong.stderr


@pytest.mark.long  # its whole way is in the short run
def test_a_recorded_file_becomes_its_points(tmp_path: Path) -> None:
    """By the kind of file that it brings along, with its figure, claim and section as from a run."""
    file, book = tmp_path / "rise.csv", tmp_path / "run.zbook"
    file.write_text("time_s,voltage_V\n1,24.010\n10,24.018\n30,24.022\n")
    said = ("--unit", claimed(tmp_path), "--rig", RIG, "--operator", "M. Hale", "--line", "230,50")
    taken = run("take-in", book, "release", file, *said)
    assert taken.returncode == 0, taken.stderr
    results = json.loads(run("findings", book, "--json").stdout)
    (found,) = [f for f in results["findings"] if f["name"] == "release_rise"]
    assert found["value"] == pytest.approx(0.012, abs=1e-9)
    assert found["verdict"] == "holds"
    refused = run("take-in", tmp_path / "other.zbook", "release", file, "--unit", UNIT, *said[2:], installed=False)
    assert refused.returncode == 2
    there = " ".join(refused.stderr.split()).partition("there are: ")[2].split(", ")
    assert {"points", "typed", "power", "thermal"} <= set(there)
    assert "release" not in there


def test_it_is_composed_planned_and_drawn(
    site: Path, tmp_path: Path, unit: Unit, rig: Rig, standin: Callable[..., RunningStandIn]
) -> None:
    plan, _ = compose(unit, rig)
    mine = next(p for p in plan.parts if p.procedure == "release_rise")
    file = tmp_path / "plan.toml"
    file.write_text(write_plan(Plan("Rise", (mine,))), "utf-8")
    assert read_plan(file).parts == (mine,)
    file.write_text(file.read_text("utf-8") + "stand_s = 1\n", "utf-8")
    with pytest.raises(InputError, match="must lie between 8 and 3600 s"):
        read_plan(file)
    the_unit = read_unit(claimed(tmp_path))
    scene = Scene.set_up(tmp_path, the_unit, rig, Plan("Rise", (mine,)), standin().addresses)
    assert scene.run(Actor()).outcome == "complete"
    assert len(scene.events(GatePassed)) == 1
    with BookReader(scene.path) as book:
        judged = judge_run(book)
        assert judged.opened.packages == (("release_rise", "zincsmith-release-rise", "1.3"),)
    (one,) = [j for j in judged.judged if j.finding.name == "release_rise"]
    assert one.claim is not None
    assert one.words == "holds"
    (plot,) = all_curves(judged.evidence)
    assert (plot.title, len(plot.lines[0][1])) == ("Release rise", 4)
    assert "<h2>Release rise</h2>" in render(judged)


def test_a_doubt_of_its_own_goes_with_its_figure(
    site: Path, tmp_path: Path, unit: Unit, rig: Rig, standin: Callable[..., RunningStandIn]
) -> None:
    plan, _ = compose(unit, rig)
    short = replace(next(p for p in plan.parts if p.procedure == "release_rise"), stand_s=12.0)  # type: ignore[call-arg]
    scene = Scene.set_up(tmp_path, unit, rig, Plan("Rise", (short,)), standin().addresses)
    scene.run(Actor())
    with BookReader(scene.path) as book:
        (one,) = [j for j in judge_run(book).judged if j.finding.name == "release_rise"]
    assert [d.code for d in one.finding.doubts] == ["rise_cut_short"]


def test_one_that_breaks_while_it_judges_spoils_its_own_figures_only(
    site: Path, monkeypatch: pytest.MonkeyPatch, unit: Unit, rig: Rig
) -> None:
    one = catalogue.procedure("release_rise")

    def breaks(*_: object) -> list[object]:
        raise ZeroDivisionError("by somebody else")

    monkeypatch.setattr(type(one), "findings", breaks)
    evidence = Evidence((), True, procedures=("release_rise",))
    (told,) = findings_of(("release_rise",), evidence, unit.nameplate, Conventions())
    assert (told.value, told.doubts[0].code) == (None, "procedure_broken")
    assert "by somebody else" in told.doubts[0].text


def test_points_of_a_procedure_that_is_not_installed_are_kept_and_said_to_be_unjudged(unit: Unit) -> None:
    evidence = Evidence((), True, procedures=("release_rise",))
    (told,) = findings_of(("release_rise",), evidence, unit.nameplate, Conventions())
    assert (told.value, told.doubts[0].code) == (None, "procedure_broken")
    assert "its points are kept" in told.doubts[0].remedy


def test_a_plan_of_a_package_that_is_not_here_is_kept_as_it_stands() -> None:
    part = '{"procedure":"release_rise","line":{"voltage_V":230.0,"frequency_Hz":50.0}}'
    body = f'{{"name":"Rise","parts":[{part}],"watches":[],"then_units":[]}}'
    plan = load(Plan, body)
    assert isinstance(plan.parts[0], UnknownOptions)
    assert json.loads(dump(plan)) == json.loads(body)
    with pytest.raises(InputError, match="there is no procedure 'release_rise'"):
        catalogue.planned(plan.parts[0])
