"""What came of a run: findings, report, export."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Annotated

import typer

from zincsmith.cli.app import (
    BookArgument,
    CoverageOption,
    GuardOption,
    OverOption,
    RunOption,
    app,
    judged_run,
    print_rows,
    print_table,
)
from zincsmith.formats.plain_text import shown
from zincsmith.model.errors import InputError


@app.command()
def findings(
    book: BookArgument,
    as_json: Annotated[bool, typer.Option("--json", help="print JSON")] = False,
    run: RunOption = None,
    over: OverOption = "Vnom",
    coverage: CoverageOption = "95.45",
    guard: GuardOption = "U",
    against: Annotated[int | None, typer.Option(help="an earlier run of the same unit: what changed since")] = None,
    recompute: Annotated[
        bool, typer.Option("--recompute", help="judge the old evidence again, and say what reads otherwise and why")
    ] = False,
) -> None:
    """Print the findings of a run with their verdicts."""
    from zincsmith.judge.against import between_configurations, changes_json
    from zincsmith.judge.reported import as_json as reported_json
    from zincsmith.judge.reported import rows_of
    from zincsmith.showing.findings_json import as_json as to_json

    if recompute:
        _recompute(book, run, as_json, (over, coverage, guard))
        return
    judged = judged_run(book, run, over, coverage, guard)
    warn_changed(book, judged)
    if against is not None:
        _print_changes(judged, judged_run(book, against, over, coverage, guard), as_json)
    elif as_json:
        found = {**to_json(judged), "between_configurations": changes_json(judged, between_configurations(judged))}
        if judged.unit.reported:
            found["reported"] = reported_json(judged)
        print(json.dumps(found, indent=2, ensure_ascii=False))
    else:
        print_table(judged)
        _print_between(judged)
        if reported := rows_of(judged):
            print_rows("reported problems", ("what", "by whom, on what", "state", "as measured"), reported)


def warn_changed(book: Path, judged) -> None:  # type: ignore[no-untyped-def]
    """Words that cannot be missed, wherever a signed run is told whose evidence was changed."""
    from zincsmith.book.reader import BookReader
    from zincsmith.judge.snapshot import broken_words, seals_of

    with BookReader(book) as reader:
        words = broken_words(seals_of(reader, judged))
    if words:
        print(f"*** {shown(words)} ***", file=sys.stderr)


def _recompute(book: Path, number: int | None, as_json: bool, chosen: tuple[str, str, str]) -> None:
    """Compare with what was kept; what has never been kept is kept now, so that there is something to compare with."""
    from zincsmith.book.reader import BookReader
    from zincsmith.book.seal import BROKEN
    from zincsmith.book.writer import BookWriter
    from zincsmith.judge.snapshot import broken_words, changes, kept_of, seals_of, snapshot

    run = judged_run(book, number, *chosen)
    with BookReader(book) as reader:
        before = kept_of(reader, run.row.id)
        seal, broken = reader.seal(run.row.id), broken_words(seals_of(reader, run))
    now = snapshot(run)
    told, why = changes(before, now) if before is not None else ([], [])
    if (before is None or told) and seal.state != BROKEN:
        with BookWriter(book) as writer:
            writer.append(now, run=run.row.id)
    if as_json:
        same = None if before is None else not told
        said = {"run": run.row.id, "same": same, "changed": told, "because": why, "seal": broken or seal.words}
        print(json.dumps(said, indent=2, ensure_ascii=False))
    elif before is None:
        print(f"Run {run.row.id}: nothing was kept to compare with; its {len(now.rows)} findings are kept now.")
    elif not told:
        print(f"Run {run.row.id}: the same {len(now.rows)} findings as were kept.")
    else:
        print(f"Run {run.row.id}: {len(told)} of {len(now.rows)} findings read otherwise; both are kept.")
        for line in told:
            print(f"  {line}")
        print("Because:")
        for line in why or ["nothing that is known of: please report it"]:
            print(f"  {line}")
    if not as_json:
        print(f"Evidence of run {run.row.id}: {shown(broken or seal.words)}.")
    if seal.state == BROKEN:
        raise typer.Exit(1)


@app.command()
def sign(
    book: BookArgument,
    by: Annotated[str, typer.Option(help="who answers for it")],
    run: RunOption = None,
) -> None:
    """Sign a run as it stands: its findings are kept, and from then on it is amended, never changed."""
    from zincsmith.book.reader import BookReader
    from zincsmith.book.writer import BookWriter
    from zincsmith.judge.judging import judge_run
    from zincsmith.judge.snapshot import refuse_changed, signature

    with BookReader(book) as reader:
        refuse_changed(reader, reader.run(run).id)
        events = signature(judge_run(reader, run), by)
        number = reader.run(run).id
    with BookWriter(book) as writer:
        writer.append(*events, run=number)
    with BookReader(book) as reader:
        digest = reader.seal(number).digest
    print(f"Run {number} is signed by {shown(by)}.\nSeal: {digest}")


@app.command()
def amend(
    book: BookArgument,
    by: Annotated[str, typer.Option(help="who adds it")],
    text: Annotated[str, typer.Option(help="what is added")],
    run: RunOption = None,
) -> None:
    """Add something to a run that is signed; the report prints it after the signature."""
    from zincsmith.book.reader import BookReader
    from zincsmith.book.writer import BookWriter
    from zincsmith.judge.snapshot import amendment

    with BookReader(book) as reader:
        number = reader.run(run).id
        event = amendment(reader, number, by, text)
    with BookWriter(book) as writer:
        writer.append(event, run=number)
    print(f"Run {number} is amended by {shown(by)}.")


@app.command("end-doubt")
def end_doubt(
    book: BookArgument,
    code: Annotated[str, typer.Option(help="the code of the doubt, as findings --json has it")],
    said: Annotated[str, typer.Option(help="repeated, confirmed or explained: by what: who")],
    run: RunOption = None,
) -> None:
    """Deal with a doubt: it stays visible with how it was ended, and is not open any more."""
    from zincsmith.book.reader import BookReader
    from zincsmith.book.writer import BookWriter
    from zincsmith.history.ended import doubt_ended
    from zincsmith.judge.judging import judge_run
    from zincsmith.model.errors import InputError

    with BookReader(book) as reader:
        judged = judge_run(reader, run)
        number = judged.row.id
    if judged.closed is None:
        raise InputError(f"run {number} has not ended")
    texts = [d.text for d in judged.answerable if d.code == code]
    if not texts:
        open_ones = sorted({d.code for d in judged.answerable})
        raise InputError(f"no open doubt {code!r}; open are: {', '.join(open_ones) or 'none'}", key="code")
    events = [doubt_ended(text, said) for text in texts]
    with BookWriter(book) as writer:
        writer.append(*events, run=number)
    print(f"{len(events)} of run {number} dealt with by {shown(events[0].by)}.")


@app.command()
def report(
    book: BookArgument,
    out: Annotated[Path, typer.Option("-o", "--out", help="the file to write, .html or .pdf")],
    run: RunOption = None,
    over: OverOption = "Vnom",
    coverage: CoverageOption = "95.45",
    guard: GuardOption = "U",
) -> None:
    """Write the report of a run: one self-contained HTML file, or PDF when the name ends in .pdf."""
    from zincsmith.book.reader import BookReader
    from zincsmith.report.html import write_report

    judged = judged_run(book, run, over, coverage, guard)
    warn_changed(book, judged)
    with BookReader(book) as reader:
        write_report(reader, judged, out)
    print(out)


def _print_between(run) -> None:  # type: ignore[no-untyped-def]
    """What a change of configuration within the run did."""
    from zincsmith.judge.against import between_configurations

    changes = between_configurations(run)
    if changes:
        _print_change_rows(f"{run.unit.tag}, run {run.row.id}: what the change did", run, changes)


def _print_change_rows(title: str, run, changes) -> None:  # type: ignore[no-untyped-def]
    rows = [
        (one.finding.title, one.finding.at.words, one.words, changes[at].words)
        for at, one in enumerate(run.judged)
        if at in changes
    ]
    print_rows(title, ("figure", "conditions", "now", "before"), rows)


def _print_changes(now, then, as_json: bool) -> None:  # type: ignore[no-untyped-def]
    """What a repair or another configuration changed, figure by figure."""
    from zincsmith.judge.against import against
    from zincsmith.judge.against import as_json as to_json
    from zincsmith.model.errors import InputError

    if now.row.unit != then.row.unit or now.row.id == then.row.id:
        raise InputError(f"run {then.row.id} is not another run of {now.unit.tag}", key="against")
    changes = against(now, then)
    if as_json:
        print(json.dumps(to_json(now, then, changes), indent=2, ensure_ascii=False))
        return
    title = f"{now.unit.tag}, run {now.row.id} ({now.unit.configuration}) against run {then.row.id}"
    _print_change_rows(title, now, changes)


@app.command("card")
def card(
    book: BookArgument,
    out: Annotated[Path, typer.Option("-o", "--out", help=".html or .pdf; the card also .svg or .png")],
    run: RunOption = None,
    returned: Annotated[
        bool, typer.Option("--return", help="go or return, with the evidence that a supplier accepts")
    ] = False,
) -> None:
    """Write one page of a unit: what it is, what holds, what is needed before it is used, at least; or whether it goes
    back, with each claim that fails, where that was stated, what was found and by which instruments."""
    from zincsmith.book.reader import BookReader
    from zincsmith.report.card import card_png, card_svg, page, verdict_of
    from zincsmith.report.pages import write_pages, write_whole

    pictures = {".svg": card_svg, ".png": card_png}
    if out.suffix not in (".html", ".pdf", *pictures) or (returned and out.suffix in pictures):
        raise InputError("it is written as .html or .pdf; the card also as .svg or .png", file=str(out), key="out")
    judged = judged_run(book, run)
    with BookReader(book) as reader:
        seal = reader.seal(judged.row.id).digest
    if out.suffix in pictures:
        write_whole(pictures[out.suffix](judged), out)
    else:
        write_pages(page(judged, seal, returned), out)
    print(f"{out}: {verdict_of(judged)}")
