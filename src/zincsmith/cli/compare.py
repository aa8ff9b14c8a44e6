"""``zincsmith compare``: units beside each other, and a ranking by an open recipe."""

from __future__ import annotations

import csv
import json
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from zincsmith.cli.app import JsonOption, app, judged_run, print_rows
from zincsmith.model.errors import InputError

if TYPE_CHECKING:
    from zincsmith.showing.compare import Compared


@app.command("compare")
def compare_units(
    books: Annotated[list[str], typer.Argument(help="books, each as BOOK or BOOK:RUN; two at least")],
    recipe: Annotated[
        Path | None, typer.Option(help="which figures count, what earns nothing and everything, and weights (TOML)")
    ] = None,
    feeds: Annotated[
        Path | None, typer.Option(help="what it must feed: volts, amps, plug, hours at each load, tariff (TOML)")
    ] = None,
    as_json: JsonOption = False,
    out: Annotated[
        Path | None, typer.Option("-o", "--out", help="write it as .json, .csv, or a report as .html or .pdf")
    ] = None,
) -> None:
    """Compare what was measured of several units: conditions first, then figures taken alike, then a ranking."""
    from zincsmith.formats.feeding_file import read_feeding
    from zincsmith.formats.recipe_file import read_recipe
    from zincsmith.showing.compare import compare

    if len(books) < 2:
        raise InputError("two are compared at least: BOOK or BOOK:RUN each", key="books")
    if out is not None and out.suffix not in (".json", ".csv", ".html", ".pdf"):
        raise InputError("it is written as .json, .csv, .html or .pdf", file=str(out), key="out")
    wants = read_recipe(recipe) if recipe is not None else None
    feeding = read_feeding(feeds) if feeds is not None else None
    runs = [_judged(one) for one in books]
    found = compare(runs, wants, feeding)
    told = found.as_json()
    if out is not None and out.suffix in (".html", ".pdf"):
        from zincsmith.report.compared import rendered
        from zincsmith.report.pages import write_pages

        write_pages(rendered(found, runs, wants, feeding), out)
    elif out is not None:
        _write(out, told)
    if as_json:
        print(json.dumps(told, indent=2, ensure_ascii=False, allow_nan=False))
    elif out is None:
        _show(told)
        _show_worth(found)


def _judged(text: str) -> Any:
    name, colon, number = text.rpartition(":")
    if colon and number.isdecimal():
        return judged_run(Path(name), int(number))
    return judged_run(Path(text), None)


def _write(out: Path, told: dict[str, Any]) -> None:
    if out.suffix == ".json":
        out.write_text(json.dumps(told, indent=2, ensure_ascii=False, allow_nan=False) + "\n", "utf-8")
        return
    with out.open("w", newline="", encoding="utf-8") as file:
        rows = csv.writer(file)
        rows.writerow(("figure", "title", "where", "unit", "unit_tag", "value", "u", "rank"))
        for one in told["figures"]:
            for cell in one["values"]:
                rows.writerow((one["name"], one["title"], one["where"], one["unit"], cell["unit_tag"], cell["value"],
                               cell["u"], cell["rank"]))  # fmt: skip


def _show(told: dict[str, Any]) -> None:
    if told["conditions"]:
        print_rows("Not alike", ("what", "of whom", "flatters", "why"), [
            (c["differs"], "; ".join(f"{k}: {v}" for k, v in c["values"].items()), c["flatters"] or "nobody knows",
             c["why"]) for c in told["conditions"]
        ])  # fmt: skip
    units = told["units"]
    rows = []
    for one in told["figures"]:
        cells = {c["unit_tag"]: c for c in one["values"]}
        rows.append((one["title"], one["where"], one["unit"], *(_cell(cells.get(tag)) for tag in units)))
    print_rows("Figures taken alike", ("figure", "where", "unit", *units), rows)
    if told["ranking"]:
        print_rows("Ranking", ("rank", "unit", "points", "why not"), [
            (f"{p['rank']}" if p["rank"] else "–", p["unit_tag"],
             f"{p['score']:.1f} ±{2.0 * p['u']:.1f}" if p["score"] is not None else "–", p["excluded_because"] or "")
            for p in told["ranking"]
        ])  # fmt: skip
        print_rows("What would turn it", ("figure", "weight", "turns at", "then first"), [
            (t["figure"], f"{t['weight']:g}", "none" if t["turns_at"] is None else f"{t['turns_at']:.3g}", t["winner"])
            for t in told["sensitivity"]
        ])  # fmt: skip


def _show_worth(found: Compared) -> None:
    """Value, pay-back, what changed, specimens, likeness: as far as there are any."""
    from zincsmith.report.compared import back_words

    if found.value:
        print_rows("For what it must feed", ("unit", "idle, W", "efficiency", "a year", "fits"), [
            (w.unit_tag, _said(w.idle_W), _said(w.efficiency),
             f"{w.year_cost:.2f} ±{2.0 * (w.year_u or 0.0):.2f}" if w.year_cost is not None else "–",
             "; ".join(("no: " + "; ".join(w.no) if w.no else "yes", *(f"to be asked: {one}" for one in w.ask))))
            for w in found.value
        ])  # fmt: skip
    for pair in found.pay_back:
        print(back_words(pair))
    if found.changes:
        print_rows("Before and after", ("figure", "where", "unit", "before", "after", "changed"), [
            (c.title, c.where, c.unit, f"{c.before:.5g}", f"{c.after:.5g}", "yes" if c.real else "not told apart")
            for c in found.changes
        ])  # fmt: skip
    if found.spreads:
        rows = []
        for one in found.spreads:
            for model, each in one.models.items():
                span = f"{each.low:.5g} to {each.high:.5g}" if each.low is not None else "–"
                rows.append((one.title, one.where, one.unit, model, f"{each.count}", f"{each.mean:.5g}", span))
        print_rows("Specimens; 95 % of all that are made, 95 % sure, lie within the span",
                   ("figure", "where", "unit", "model", "n", "mean", "span"), rows)  # fmt: skip
    for alike in found.alike:
        print(f"{' and '.join(alike.units)} are alike in {', '.join(alike.alike)}: they may share faults. A hint.")


def _said(value: float | None) -> str:
    return "–" if value is None else f"{value:.4g}"


def _cell(cell: dict[str, Any] | None) -> str:
    if cell is None:
        return "–"
    rank = f"  ({cell['rank']})" if cell["rank"] else ""
    spread = f" ±{2.0 * cell['u']:.2g}" if cell["u"] else ""
    return f"{cell['value']:.5g}{spread}{rank}"


@app.command("index")
def index_books(
    books: Annotated[list[Path], typer.Argument(help="books, or folders of them")],
    unit: Annotated[str, typer.Option(help="one unit alone, by its tag")] = "",
    as_json: JsonOption = False,
) -> None:
    """Place every unit among all that were measured of its class: the k th of n by each figure, with what is least,
    middle and most. Earlier runs of a unit are named as superseded, other versions of a procedure too."""
    from zincsmith.book.reader import BookReader
    from zincsmith.judge.judging import judge_run
    from zincsmith.showing.index import index

    files = [file for one in books for file in (sorted(one.glob("*.zbook")) if one.is_dir() else [one])]
    if not files:
        raise InputError("there is no book in it", key="books")
    found = []
    for file in files:
        with BookReader(file) as reader:
            found += [(str(file), judge_run(reader, row.id)) for row in reader.runs() if row.outcome is not None]
    entries = [e for e in index(found) if unit in ("", e.tag)]
    if unit and not entries:
        raise InputError(f"no unit {unit!r} has a run that ended in these books", key="unit")
    if as_json:
        told = {"units": [e.as_json() for e in entries]}
        print(json.dumps(told, indent=2, ensure_ascii=False, allow_nan=False))
        return
    for one in entries:
        rows = [(s.title, s.where, s.unit, f"{s.value:.5g}", f"{s.rank} of {s.count}" if s.rank else f"– of {s.count}",
                 f"{s.least:.5g}, {s.median:.5g}, {s.most:.5g}") for s in one.standings if s.count > 1]  # fmt: skip
        head = f"{one.tag}, {one.name}, run {one.run} of {one.book}: {one.kind}"
        if not rows:
            print(f"{head}: nobody beside it yet")
            continue
        print_rows(head, ("figure", "where", "unit", "value", "place", "least, middle, most"), rows)
        if one.superseded:
            print(f"superseded: run {', '.join(map(str, one.superseded))}")
        if one.other_versions:
            print(f"in another version than most: {', '.join(one.other_versions)}")
