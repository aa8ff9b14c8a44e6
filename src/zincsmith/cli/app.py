"""The application that the commands belong to, and what several of them need."""

from __future__ import annotations

import sys
from collections.abc import Sequence
from pathlib import Path
from typing import Annotated

import typer

from zincsmith.formats.plain_text import shown

app = typer.Typer(
    name="zincsmith",
    no_args_is_help=True,
    add_completion=False,
    pretty_exceptions_enable=False,
)

BookArgument = Annotated[Path, typer.Argument(help="the book (.zbook)")]
RunOption = Annotated[int | None, typer.Option("--run", help="number of the run; the latest unless told")]
OverOption = Annotated[
    str, typer.Option("--regulation-over", help="Vnom, Vfl or Vnl: what load regulation is taken over")
]
CoverageOption = Annotated[str, typer.Option("--coverage", help="95.45, 95 or 99: percent that k is taken for")]
GuardOption = Annotated[str, typer.Option("--guard", help="U, 1.645u or none: the guard band of a verdict")]
JsonOption = Annotated[bool, typer.Option("--json", help="print JSON")]


def _tell_version(wanted: bool) -> None:
    if wanted:
        from zincsmith import __version__
        from zincsmith.book.file import migrations

        print(f"zincsmith {__version__}, books of format {migrations()[-1][0]}")
        raise typer.Exit


@app.callback()
def begin(
    version: Annotated[
        bool, typer.Option("--version", callback=_tell_version, is_eager=True, help="Show the version and exit.")
    ] = False,
) -> None:
    """Characterize power supplies on the bench and compare them with their ratings."""


def judged_run(  # type: ignore[no-untyped-def]
    book: Path, number: int | None, over: str = "Vnom", coverage: str = "95.45", guard: str = "U"
):
    from zincsmith.book.reader import BookReader
    from zincsmith.judge.conventions import conventions_of
    from zincsmith.judge.judging import judge_run

    with BookReader(book) as reader:
        return judge_run(reader, number, conventions_of(regulation_over=over, coverage=coverage, guard=guard))


def print_rows(title: str, headings: tuple[str, ...], rows: Sequence[tuple[str, ...]]) -> None:
    from rich.table import Table

    table = Table(title=shown(title), title_justify="left")
    for heading in headings:
        table.add_column(heading)
    for row in rows:
        table.add_row(*map(shown, row))
    _console(160).print(table)


def _console(width: int):  # type: ignore[no-untyped-def]
    """Nothing that is printed is markup: most of it was typed by somebody."""
    from rich.console import Console

    return Console(width=None if sys.stdout.isatty() else width, markup=False, emoji=False)


def print_table(run) -> None:  # type: ignore[no-untyped-def]
    from rich.table import Table

    from zincsmith.formats.words import value_words, where_words

    title = shown(f"{run.unit.maker} {run.unit.model}, {run.unit.tag}, run {run.row.id}")
    title = f"PRACTICE: {title}" if run.rig.practice else title
    table = Table(title=title, title_justify="left")
    for heading in ("figure", "conditions", "value", "±U", "unit", "claim", "verdict"):
        table.add_column(heading, justify="right" if heading in {"value", "±U"} else "left")
    for one in run.judged:
        value, expanded, unit = value_words(one.finding)
        claim = one.claim.text if one.claim else ""
        row = (one.finding.title, where_words(one), value, expanded, unit, claim, one.words)
        table.add_row(*map(shown, row))
    _console(140).print(table)


def keep_findings(book: Path, judged) -> None:  # type: ignore[no-untyped-def]
    """The findings as they are told at the end of a run, to be compared with when old evidence is judged again."""
    from zincsmith.book.writer import BookWriter
    from zincsmith.judge.snapshot import snapshot

    with BookWriter(book) as writer:
        writer.append(snapshot(judged), run=judged.row.id)
