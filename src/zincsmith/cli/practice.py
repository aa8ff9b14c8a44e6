"""``zincsmith practice``: find what is wrong with a unit whose physics nobody shows."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Annotated

import typer

from zincsmith.cli.app import BookArgument, JsonOption, app, print_rows

practice_app = typer.Typer(help="Find the hidden fault: a simulated unit with something wrong, or nothing.")
app.add_typer(practice_app, name="practice")


@practice_app.command("new")
def new(
    book: BookArgument,
    level: Annotated[int, typer.Option(help="1: plain, 2: more that can be wrong, 3: slight", min=1, max=3)] = 1,
    seed: Annotated[int | None, typer.Option(help="the same unit again; drawn where none is given")] = None,
    written: Annotated[
        Path | None, typer.Option("--unit", help="a unit that somebody wrote, instead of one that is drawn (TOML)")
    ] = None,
) -> None:
    """Begin a book of practice: a label, a rig, and a unit to be measured with everything there is."""
    from zincsmith.model.practice import FAULTS
    from zincsmith.practice.finding_it import begin

    unit = begin(book, level, seed, written)
    print(f"{book}: {unit.maker} {unit.model}, a unit of practice at level {level}.")
    print(f"Open it with `zincsmith {book}`, plan and run what you like; then say what is wrong:")
    print_rows("What may be wrong", ("name", "what that is"), list(FAULTS.items()))
    print(f"zincsmith practice state {book} --fault NAME --by YOU [--value 0.31 --u 0.01]")


@practice_app.command("state")
def state_fault(
    book: BookArgument,
    fault: Annotated[str, typer.Option(help="what is wrong, by its name; sound where nothing is")],
    by: Annotated[str, typer.Option(help="who states it")],
    value: Annotated[float | None, typer.Option(help="how much, in the unit of the figure it shows by")] = None,
    u: Annotated[float | None, typer.Option(help="its expanded uncertainty")] = None,
    as_json: JsonOption = False,
) -> None:
    """State what was found; it stands from then on, and what was wrong is told."""
    from zincsmith.practice.finding_it import state

    _tell(state(book, fault, by, value, u), as_json)


@practice_app.command("score")
def score_of(book: BookArgument, as_json: JsonOption = False) -> None:
    """What was wrong, and how it was found, of a book whose fault was stated."""
    from zincsmith.practice.finding_it import score

    _tell(score(book), as_json)


def _tell(found: object, as_json: bool) -> None:
    from dataclasses import asdict

    from zincsmith.practice.finding_it import Score, words_of

    if not isinstance(found, Score):
        raise TypeError("a score is told")
    if as_json:
        print(json.dumps(asdict(found), indent=2, ensure_ascii=False, allow_nan=False))
        return
    for line in words_of(found):
        print(line)
