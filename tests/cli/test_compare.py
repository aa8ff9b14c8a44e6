"""Three adapters beside each other, at the command line: what was measured of them by wire, and who is first."""

from __future__ import annotations

import csv
import json
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from subprocess import CompletedProcess

import numpy as np
import pytest
from tests.conftest import ROOT
from tests.engine.scripted import Actor, Scene

from zincsmith.bench.standin import start_standin
from zincsmith.book.reader import BookReader
from zincsmith.book.writer import BookWriter
from zincsmith.engine.known_bench import pick_file
from zincsmith.formats.feeding_file import read_feeding
from zincsmith.formats.plate_check import check_unit
from zincsmith.formats.recipe_file import read_recipe
from zincsmith.formats.rig_file import read_rig
from zincsmith.formats.unit_file import read_unit
from zincsmith.judge.judging import JudgedRun, judge_run
from zincsmith.model.errors import InputError
from zincsmith.model.finding import Verdict
from zincsmith.model.intake import LookItem
from zincsmith.model.plan import Line, Plan
from zincsmith.procedures.static_grid.options import GridOptions
from zincsmith.showing.compare import compare, worth_words

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


def test_a_duty_is_costed_by_hand_and_the_report_says_it(books: list[Path], command: Command, tmp_path: Path) -> None:
    """Two hours a day at 2.4 A: 2 P 365.25 / 1000 kWh at 0.5 each."""
    feeds = tmp_path / "lamp.toml"
    feeds.write_text(
        'name = "Lamp"\nvoltage_V = 24\ncurrent_A = 2.5\ntariff = 0.5\nduty = [{ hours = 2, current_A = 2.4 }]'
    )
    told = json.loads(command("compare", *map(str, books), "--feeds", str(feeds), "--json").stdout)
    value = {w["unit_tag"]: w for w in told["value"]}
    for book in books:
        run = judged(book)
        rows = sorted((p.need("output_current").value or 0.0, p.need("input_power").value or 0.0)
                      for p in run.evidence.points if p.at.loaded and p.at.graded)  # fmt: skip
        watts = float(np.interp(2.4, [a for a, _ in rows], [w for _, w in rows]))
        own = value[run.unit.tag]
        assert own["year_cost"] == pytest.approx(2.0 * watts * 365.25 / 1000.0 * 0.5, rel=1e-6)
        assert own["no"] == []
        assert own["heat_W"] == pytest.approx(watts * (1.0 - own["efficiency"]), rel=1e-9)
    for pair in told["pay_back"]:
        dear, cheap = value[pair["unit_tag"]], value[pair["against"]]
        assert pair["dearer_by"] == pytest.approx(dear["price"] - cheap["price"])
        saved = cheap["year_cost"] - dear["year_cost"]
        assert pair["saves_a_year"] == pytest.approx(saved)
        assert pair["pays_back_years"] == (pytest.approx(pair["dearer_by"] / saved) if saved > 0 else None)
    out = tmp_path / "told.html"
    assert command("compare", *map(str, books), "--feeds", str(feeds), "-o", str(out)).returncode == 0
    page = (tmp_path / "told.html").read_text("utf-8")
    assert "For Lamp: 24 V, 2.5 A" in page
    assert page.count("<svg") >= 3, "curves laid over each other"


@pytest.mark.long
def test_the_same_as_pdf(books: list[Path], command: Command, tmp_path: Path) -> None:
    out = tmp_path / "told.pdf"
    assert command("compare", *map(str, books), "-o", str(out)).returncode == 0
    assert out.read_bytes()[:5] == b"%PDF-"


def test_specimens_spread_and_models_are_told_apart(books: list[Path]) -> None:
    """Three runs made specimens of one model: mean and deviation by NumPy; the same again as another model."""
    runs = [judged(book) for book in books]
    one = [replace(r, unit=replace(r.unit, maker="Same", model="S", tag=f"S{n}")) for n, r in enumerate(runs)]
    found = compare(one)
    spread = next(s for s in found.spreads if s.name == "average_active_efficiency")
    values = [c.value for r in found.figures if r.name == "average_active_efficiency" for c in r.cells]
    (model,) = spread.models.values()
    assert (model.count, model.mean) == (3, pytest.approx(np.mean(values)))
    assert model.deviation == pytest.approx(np.std(values, ddof=1))
    assert spread.told_apart is None
    two = [*one, *(replace(r, unit=replace(r.unit, model="T", tag=f"T{n}")) for n, r in enumerate(one))]
    again = next(s for s in compare(two).spreads if s.name == "average_active_efficiency")
    assert again.told_apart is False
    json.dumps(compare(two).as_json(), allow_nan=False)


def test_models_that_are_much_alike_are_a_hint(books: list[Path]) -> None:
    runs = [judged(book) for book in books[:2]]
    case = replace(runs[0].unit.look.physical, size_mm=(100.0, 50.0, 30.0), mass_g=200.0)
    limit = next(j for j in runs[0].judged if j.finding.value is not None)
    trips = replace(limit, finding=replace(limit.finding, name="overcurrent", value=3.0, u=0.02))
    twins = [replace(r, judged=(*r.judged, trips), unit=replace(r.unit, look=replace(r.unit.look, physical=case)))
             for r in runs]  # fmt: skip
    (alike,) = compare(twins).alike
    assert alike.alike == ("size", "mass", "trip")
    assert compare(runs).alike == ()


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
    assert unlike["room temperature"].hangs is None, "nothing is ranked"
    ranked = compare([runs[0], warm], read_recipe(recipe))
    assert {c.differs: c.hangs for c in ranked.conditions}["room temperature"] is True, "both figures are of warmth"


def test_an_order_that_no_difference_touches_does_not_hang_on_it(books: list[Path], tmp_path: Path) -> None:
    recipe = tmp_path / "volts.toml"
    recipe.write_text(RECIPE.replace('"average_active_efficiency"', '"load_regulation"').replace("0.82", "0.05")
                      .replace("0.92", "0").partition("[[wish]]\nfigure = \"case")[0])  # fmt: skip
    runs = [judged(book) for book in books[:2]]
    warm = replace(runs[1], opened=replace(runs[1].opened, ambient_degC=31.0))
    found = compare([runs[0], warm], read_recipe(recipe))
    assert {c.differs: c.hangs for c in found.conditions} == {"room temperature": False}


def test_a_requirement_that_fails_is_a_gate(books: list[Path], tmp_path: Path) -> None:
    recipe = tmp_path / "recipe.toml"
    recipe.write_text(RECIPE)
    runs = [judged(book) for book in books]
    at = next(n for n, j in enumerate(runs[0].judged) if j.claim is not None)
    claim = replace(runs[0].judged[at].claim, required=True)  # type: ignore[type-var]
    gate = replace(runs[0].judged[at], claim=claim, verdict=Verdict.FAILS)
    broken = replace(runs[0], judged=(*runs[0].judged[:at], gate, *runs[0].judged[at + 1 :]))
    (out,) = [p for p in compare([broken, *runs[1:]], read_recipe(recipe)).ranking if p.score is None]
    assert out.excluded_because.startswith("it fails a requirement: ")


def test_a_price_says_whose_and_of_when_and_what_is_heard_decides_where_quiet_is_wanted(books: list[Path]) -> None:
    runs = [judged(book) for book in books]
    found = {w.unit_tag: w.worth for w in compare(runs).who}
    assert "14.90 EUR (list, 2026-10-27)" in found["HB-07"]
    assert found["HB-09"].endswith("silent")

    def heard(run: JudgedRun, noise: str) -> JudgedRun:
        look = replace(run.unit.look, physical=replace(run.unit.look.physical, noise=noise))
        return replace(run, unit=replace(run.unit, look=look, batch="26W14"))

    at = {run.unit.tag: run for run in runs}
    changed = [at["HB-07"], heard(at["HB-09"], "whines below a tenth of its load"), heard(at["HB-11"], "")]
    named, silent = changed[1].unit, changed[1].unit.look
    assert worth_words(named).endswith("batch 26W14   whines below a tenth of its load")
    feeding = replace(read_feeding(EXAMPLES / "feedings" / "valve-controller.toml"), quiet=True)
    value = {w.unit_tag: w for w in compare(changed, None, feeding).value}
    assert "it is not quiet: whines below a tenth of its load" in value["HB-09"].no
    listens = {tag for tag, worth in value.items() if any("listen" in one for one in worth.ask)}
    assert listens == {"HB-11"}
    for text in ("2026-11-31", "yesterday"):
        odd = replace(named, look=replace(silent, physical=replace(silent.physical, price_on=text)))
        assert any("2026-11-20" in p.message for p in check_unit(odd))


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
