"""``zincsmith losses``: where the watts of a run went, part by part as estimated."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Annotated

import typer

from zincsmith.cli.app import JsonOption, app, judged_run
from zincsmith.model.errors import InputError


@app.command("losses")
def losses(
    book: Annotated[Path, typer.Argument(help="a book with a run of the unit under load")],
    run: Annotated[int | None, typer.Option(help="which run of the book; the latest")] = None,
    as_json: JsonOption = False,
) -> None:
    """What the parts of a unit lose, from what drops across them, beside the total that was measured and the rest that
    they do not explain. An estimate: ripple, switching and cores are not in it."""
    from zincsmith.showing.losses import losses_of, section_of

    judged = judged_run(book, run)
    found = losses_of(judged)
    section = section_of(judged)
    if section is None:
        raise InputError(
            "no part of the unit says what drops across it (drop_V) or what its resistance is (ohm), or no point has "
            "all its watts", file=str(book),
        )  # fmt: skip
    if as_json:
        told = [
            {
                "line_V": one.line_V, "load_percent": one.percent, "measured_W": one.at.lost_W, "rest_W": one.rest_W,
                "parts": [{"name": p.part.name, "watts": p.watts, "how": p.how} for p in one.parts],
            }
            for one in found
        ]  # fmt: skip
        print(json.dumps(told, indent=2, allow_nan=False))
        return
    for where, part, watts, how in section.rows:
        print(f"{where:24} {part:28} {watts:>9}  {how}")
    print("\n".join(section.paragraphs))
