"""What came of a run: findings, report, export."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Annotated

import typer

from zincsmith.cli.app import BookArgument, RunOption, app, judged_run, print_rows, print_table


@app.command()
def findings(
    book: BookArgument,
    as_json: Annotated[bool, typer.Option("--json", help="print JSON")] = False,
    run: RunOption = None,
    against: Annotated[int | None, typer.Option(help="an earlier run of the same unit: what changed since")] = None,
) -> None:
    """Print the findings of a run with their verdicts."""
    from zincsmith.judge.words import as_json as to_json

    judged = judged_run(book, run)
    if against is not None:
        _print_changes(judged, judged_run(book, against), as_json)
    elif as_json:
        print(json.dumps(to_json(judged), indent=2, ensure_ascii=False))
    else:
        print_table(judged)


@app.command()
def report(
    book: BookArgument,
    out: Annotated[Path, typer.Option("-o", "--out", help="the HTML file to write")],
    run: RunOption = None,
) -> None:
    """Write the report of a run as one self-contained HTML file."""
    from zincsmith.report.html import write_report

    write_report(judged_run(book, run), out)
    print(out)


@app.command()
def export(
    book: BookArgument,
    out: Annotated[Path, typer.Option("-o", "--out", help="the folder to write into; it is made")],
    run: RunOption = None,
) -> None:
    """Write readings, findings and log of a run as CSV and JSON files."""
    from zincsmith.book.reader import BookReader
    from zincsmith.judge.judging import judge_run
    from zincsmith.report.folder import write_folder

    with BookReader(book) as reader:
        for file in write_folder(reader, judge_run(reader, run), out):
            print(file)


def _print_changes(now, then, as_json: bool) -> None:  # type: ignore[no-untyped-def]
    """What a repair or another configuration changed, figure by figure."""
    from zincsmith.judge.against import against
    from zincsmith.judge.against import as_json as to_json
    from zincsmith.judge.words import condition_words
    from zincsmith.model.errors import InputError

    if now.row.unit != then.row.unit or now.row.id == then.row.id:
        raise InputError(f"run {then.row.id} is not another run of {now.unit.tag}", key="against")
    changes = against(now, then)
    if as_json:
        print(json.dumps(to_json(now, then, changes), indent=2, ensure_ascii=False))
        return
    rows = [
        (one.finding.title, condition_words(one.finding.conditions), one.verdict.value, changes[at].words)
        for at, one in enumerate(now.judged)
        if at in changes
    ]
    title = f"{now.unit.tag}, run {now.row.id} ({now.unit.configuration}) against run {then.row.id}"
    print_rows(title, ("figure", "conditions", "now", "before"), rows)
