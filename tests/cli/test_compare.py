"""Three adapters beside each other, at the command line: what was measured of them by wire, and who is first."""

from __future__ import annotations

import csv
import json
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from subprocess import CompletedProcess

import pytest
from tests.conftest import ROOT
from tests.engine.scripted import Actor, Scene

from zincsmith.bench.standin import start_standin
from zincsmith.book.reader import BookReader
from zincsmith.book.writer import BookWriter
from zincsmith.engine.known_bench import pick_file
from zincsmith.formats.recipe_file import read_recipe
from zincsmith.formats.rig_file import read_rig
from zincsmith.formats.unit_file import read_unit
from zincsmith.judge.judging import JudgedRun, judge_run
from zincsmith.model.errors import InputError
from zincsmith.model.intake import LookItem
from zincsmith.model.plan import Line, Plan
from zincsmith.procedures.static_grid.options import GridOptions
from zincsmith.showing.compare import compare

Command = Callable[..., CompletedProcess[str]]
EXAMPLES = ROOT / "examples"
NAMES = ("tarnbrook-tb2425", "ossel-od60", "wexcombe-wx24")
GRID = GridOptions(lines=(Line(230.0, 50.0),), loads_percent=(100.0, 75.0, 50.0, 25.0), warm_up_s=30.0,
                   settle_at_most_s=30.0, settled_percent=0.5, average_s=2.0)  # fmt: skip
RECIPE = """name = "Lamps that burn all day"

[[wish]]
figure = "average_active_efficiency"
nought = 0.82
full = 0.92
weight = 2

[[wish]]
figure = "case_temperature"
nought = 70
full = 25
load_percent = 100
"""


@pytest.fixture(scope="module")
def books(tmp_path_factory: pytest.TempPathFactory) -> list[Path]:
    made = []
    for name in NAMES:
        file = EXAMPLES / "standins" / f"{name}.toml"
        pick_file(str(file))
        unit = read_unit(EXAMPLES / "units" / f"{name}.toml")
        if not unit.look.items:
            unit = replace(unit, look=replace(unit.look, items=(LookItem("case", "found"),), verdict="fit to power"))
        rig = replace(read_rig(EXAMPLES / "rigs" / "simulated.toml"), leads=())
        assert rig.standin is not None
        running = start_standin(replace(rig.standin, file=str(file), lead_ohm=0.0, input_lead_ohm=0.0))
        try:
            scene = Scene.set_up(tmp_path_factory.mktemp(name), unit, rig, Plan("Grid", (GRID,)), running.addresses)
            assert scene.run(Actor()).outcome == "complete"
        finally:
            running.stop()
        made.append(scene.path)
    return made


def judged(book: Path) -> JudgedRun:
    with BookReader(book) as reader:
        return judge_run(reader)


def test_figures_stand_beside_each_other_and_are_ranked(books: list[Path], command: Command, tmp_path: Path) -> None:
    recipe = tmp_path / "recipe.toml"
    recipe.write_text(RECIPE)
    told = json.loads(command("compare", *map(str, books), "--recipe", str(recipe), "--json").stdout)
    tags = [read_unit(EXAMPLES / "units" / f"{n}.toml").tag for n in NAMES]
    assert told["units"] == tags
    row = next(r for r in told["figures"] if r["name"] == "average_active_efficiency")
    values = {c["unit_tag"]: c for c in row["values"]}
    for tag, book in zip(tags, books, strict=True):
        own = next(j.finding for j in judged(book).judged
                   if j.finding.name == "average_active_efficiency" and j.finding.value is not None)  # fmt: skip
        assert values[tag]["value"] == own.value
        assert values[tag]["u"] == own.u
    best = max(tags, key=lambda tag: values[tag]["value"])
    assert values[best]["rank"] == 1, "more is better, by the side that papers limit"
    ranking = told["ranking"]
    assert {p["unit_tag"] for p in ranking} == set(tags)
    assert all(p["score"] is not None for p in ranking), ranking
    assert [p["score"] for p in ranking] == sorted((p["score"] for p in ranking), reverse=True)
    assert {t["figure"] for t in told["sensitivity"]} == {"average_active_efficiency", "case_temperature"}
    out = tmp_path / "compared.csv"
    assert command("compare", *map(str, books), "-o", str(out)).returncode == 0
    rows = list(csv.DictReader(out.read_text("utf-8").splitlines()))
    assert {r["unit_tag"] for r in rows} == set(tags)
    shown = command("compare", *map(str, books), "--recipe", str(recipe)).stdout
    assert "Figures taken alike" in shown
    assert "What would turn it" in shown


def test_who_was_not_looked_over_or_failed_never_ranks(books: list[Path], tmp_path: Path) -> None:
    recipe = tmp_path / "recipe.toml"
    recipe.write_text(RECIPE)
    runs = [judged(book) for book in books]
    bare = replace(runs[0], unit=replace(runs[0].unit, look=replace(runs[0].unit.look, items=(), verdict="")))
    broken = replace(runs[1], unit=replace(runs[1].unit, look=replace(runs[1].unit.look, verdict="not worth powering")))
    found = compare([bare, broken, runs[2]], read_recipe(recipe))
    assert [(p.unit_tag, p.excluded_because) for p in found.ranking][1:] == [
        (runs[0].unit.tag, "nobody has looked it over"), (runs[1].unit.tag, "it is not worth powering"),
    ]  # fmt: skip
    warm = replace(runs[1], opened=replace(runs[1].opened, ambient_degC=31.0))
    unlike = {c.differs: c for c in compare([runs[0], warm]).conditions}
    assert unlike["room temperature"].flatters == runs[0].unit.tag


def test_the_same_unit_twice_is_told_apart_by_its_runs(books: list[Path]) -> None:
    run = judged(books[0])
    assert compare([run, replace(run, row=replace(run.row, id=2))]).units == (
        f"{run.unit.tag} run 1", f"{run.unit.tag} run 2",
    )  # fmt: skip


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ('name = "x"\n', "wish"),
        ('name = "x"\n[[wish]]\nfigure = "beauty"\nnought = 0\nfull = 1\n', "no figure 'beauty'"),
        ('name = "x"\n[[wish]]\nfigure = "efficiency"\nnought = 1\nfull = 1\n', "are the same"),
        ('name = "x"\n[[wish]]\nfigure = "efficiency"\nnought = 0\nfull = 1\nweight = 0\n', "a weight"),
        ('name = "x"\n[[wish]]\nfigure = "efficiency"\nnought = 0\nfull = 1\nwieght = 2\n', "wieght"),
    ],
)
def test_what_is_no_recipe_is_refused_by_name(tmp_path: Path, text: str, words: str) -> None:
    file = tmp_path / "recipe.toml"
    file.write_text(text)
    with pytest.raises(InputError, match=words):
        read_recipe(file)


def test_nonsense_is_one_line(command: Command, books: list[Path], tmp_path: Path) -> None:
    for arguments in (
        [str(books[0])],
        [str(books[0]), f"{books[1]}:99"],
        [str(books[0]), str(tmp_path / "none.zbook")],
    ):
        told = command("compare", *arguments)
        assert told.returncode == 2
        assert told.stderr.count("\n") == 1, told.stderr
    assert command("compare", *map(str, books), "-o", str(tmp_path / "x.docx")).returncode == 2
    with BookWriter(tmp_path / "empty.zbook"):
        pass
    assert command("compare", str(books[0]), str(tmp_path / "empty.zbook")).returncode == 2
