"""``zincsmith compare``: units beside each other, and a ranking by an open recipe."""

from __future__ import annotations

import csv
import json
from pathlib import Path
from typing import Annotated, Any

import typer

from zincsmith.cli.app import JsonOption, app, judged_run, print_rows
from zincsmith.model.errors import InputError


@app.command("compare")
def compare_units(
    books: Annotated[list[str], typer.Argument(help="books, each as BOOK or BOOK:RUN; two at least")],
    recipe: Annotated[
        Path | None, typer.Option(help="which figures count, what earns nothing and everything, and weights (TOML)")
    ] = None,
    as_json: JsonOption = False,
    out: Annotated[Path | None, typer.Option("-o", "--out", help="write it as .json or .csv")] = None,
) -> None:
    """Compare what was measured of several units: conditions first, then figures taken alike, then a ranking."""
    from zincsmith.formats.recipe_file import read_recipe
    from zincsmith.showing.compare import compare

    if len(books) < 2:
        raise InputError("two are compared at least: BOOK or BOOK:RUN each", key="books")
    if out is not None and out.suffix not in (".json", ".csv"):
        raise InputError("it is written as .json or .csv", file=str(out), key="out")
    found = compare([_judged(one) for one in books], read_recipe(recipe) if recipe is not None else None)
    told = found.as_json()
    if out is not None:
        _write(out, told)
    if as_json:
        print(json.dumps(told, indent=2, ensure_ascii=False, allow_nan=False))
    elif out is None:
        _show(told)


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


def _cell(cell: dict[str, Any] | None) -> str:
    if cell is None:
        return "–"
    rank = f"  ({cell['rank']})" if cell["rank"] else ""
    spread = f" ±{2.0 * cell['u']:.2g}" if cell["u"] else ""
    return f"{cell['value']:.5g}{spread}{rank}"
