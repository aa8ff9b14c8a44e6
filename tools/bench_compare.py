"""How long a comparison of forty units takes once they are judged, and the report of a whole plan."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from demo_book import EXAMPLES, unpacked
from zincsmith.book.reader import BookReader
from zincsmith.formats.feeding_file import read_feeding
from zincsmith.formats.recipe_file import read_recipe
from zincsmith.judge.judging import JudgedRun, judge_run
from zincsmith.report.html import render
from zincsmith.report.pdf import pdf_of
from zincsmith.showing.compare import compare, labels_of
from zincsmith.showing.laid_over import laid_over

COMPARE_S, HTML_S, PDF_S = 1.0, 1.0, 2.0
UNITS, BOOKS = 40, 10
COMPARED = (1, 2, 3, 13)  # runs of the demonstration: adapters of one class
WHOLE = 13


def measures(folder: Path) -> list[tuple[str, float, float, float, str]]:
    """(name, ratio, goal, milliseconds, spread): seconds over what was promised, after a first time that loads."""
    book = unpacked(folder / "compare.zbook")
    with BookReader(book) as reader:
        judged = {n: judge_run(reader, n) for n in {*COMPARED, WHOLE}}
    runs = [_other(judged[n], k) for k in range(BOOKS) for n in COMPARED][:UNITS]
    recipe = read_recipe(EXAMPLES / "recipes" / "valve-house.toml")
    feeding = read_feeding(EXAMPLES / "feedings" / "valve-controller.toml")

    def beside_each_other() -> None:
        compare(runs, recipe, feeding)
        laid_over(runs, labels_of(runs))

    return [
        _timed("comparing 40 units of 10 books", beside_each_other, COMPARE_S),
        _timed("report of a whole plan as HTML", lambda: render(judged[WHOLE]), HTML_S),
        _timed("report of a whole plan as PDF", lambda: pdf_of(render(judged[WHOLE])), PDF_S),
    ]


def _other(run: JudgedRun, k: int) -> JudgedRun:
    """The same measurements as of another unit of another book."""
    return replace(run, unit=replace(run.unit, tag=f"{run.unit.tag}-{run.row.id}-{k}"))


def _timed(name: str, work: Callable[[], object], goal_s: float) -> tuple[str, float, float, float, str]:
    work()
    times = []
    for _ in range(3):
        began = time.perf_counter()
        work()
        times.append(time.perf_counter() - began)
    least = min(times)
    return name, least / goal_s, 1.0, 1000.0 * least, f"to {1000.0 * max(times):.0f} ms"
