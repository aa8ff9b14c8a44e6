"""The command line: the same core without a window.

Exit codes of ``run``: 0 complete, 1 complete and a claim fails, 2 input refused, 3 made safe early,
4 could not be confirmed safe. Every refused input gives 2 and one line on standard error.
"""

from __future__ import annotations

import json
import sys
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path
from typing import Annotated, NoReturn

import typer

from zincsmith.model.errors import ZincsmithError
from zincsmith.model.finding import Verdict

app = typer.Typer(
    name="zincsmith",
    help="Characterize power supplies on the bench and compare them with their ratings.",
    no_args_is_help=True,
    add_completion=False,
    pretty_exceptions_enable=False,
)

BookArgument = Annotated[Path, typer.Argument(help="the book (.zbook)")]
RunOption = Annotated[int | None, typer.Option("--run", help="number of the run; the latest unless told")]


def main() -> None:
    """Entry point: refused input becomes one line and exit code 2, never a traceback."""
    try:
        sys.exit(app(standalone_mode=False) or 0)
    except ZincsmithError as error:
        _refuse(str(error))
    except typer.Exit as end:
        sys.exit(end.exit_code)
    except typer.Abort:
        sys.exit(3)
    except Exception as error:
        if type(error).__module__.startswith(("click", "typer")) and hasattr(error, "format_message"):
            _refuse(error.format_message())
        raise


def _refuse(message: str) -> NoReturn:
    print(f"zincsmith: {' '.join(message.split())}", file=sys.stderr)
    sys.exit(2)


@app.command()
def run(
    unit: Annotated[Path, typer.Option(help="unit file (TOML)")],
    rig: Annotated[Path, typer.Option(help="rig file (TOML)")],
    plan: Annotated[str, typer.Option(help="full, the name of a plan, or a plan file (TOML)")],
    book: Annotated[Path, typer.Option(help="the book to write; one that exists gets a new run")],
    yes: Annotated[bool, typer.Option("--yes", help="pass gates without asking; recorded as such")] = False,
    operator: Annotated[str, typer.Option(help="who runs it")] = "",
    ambient: Annotated[float, typer.Option(help="room temperature in degC")] = 23.0,
    standin: Annotated[Path | None, typer.Option(help="physics of another simulated unit (TOML)")] = None,
    seed: Annotated[int | None, typer.Option(help="draws the errors of the simulated instruments")] = None,
    log: Annotated[Path | None, typer.Option(help="log of the stand-in bench: what was switched, when")] = None,
) -> None:
    """Run a plan on a rig and write it into a book."""
    from zincsmith.engine.batch import run_batch
    from zincsmith.engine.composer import plan_named
    from zincsmith.engine.session import NOBODY
    from zincsmith.formats.rig_file import read_rig
    from zincsmith.formats.unit_file import read_unit
    from zincsmith.model.errors import InputError

    the_rig = read_rig(rig)
    if standin is not None or seed is not None:
        if the_rig.standin is None:
            raise InputError("this rig is not simulated; --standin and --seed do not apply", file=str(rig))
        changed = the_rig.standin
        changed = replace(changed, file=str(standin.resolve())) if standin is not None else changed
        changed = replace(changed, seed=seed) if seed is not None else changed
        the_rig = replace(the_rig, standin=changed)
    the_unit = read_unit(unit)
    end = run_batch(
        unit=the_unit,
        rig=the_rig,
        plan=plan_named(plan, the_unit, the_rig),
        book_path=book,
        operator=operator or NOBODY,
        ambient_degC=ambient,
        auto_gates=yes,
        log=log,
    )
    _tell_end(end, book)


@app.command()
def resume(
    book: Annotated[Path, typer.Option(help="the book whose latest run ended early")],
    yes: Annotated[bool, typer.Option("--yes", help="pass gates without asking; recorded as such")] = False,
    operator: Annotated[str, typer.Option(help="who runs it")] = "",
    ambient: Annotated[float, typer.Option(help="room temperature in degC")] = 23.0,
    log: Annotated[Path | None, typer.Option(help="log of the stand-in bench: what was switched, when")] = None,
) -> None:
    """Go on with the latest run of a book where it stopped; what was read is kept."""
    from zincsmith.engine.batch import resume_batch
    from zincsmith.engine.session import NOBODY

    _tell_end(resume_batch(book, operator or NOBODY, ambient, yes, log), book)


def _tell_end(end, book: Path) -> NoReturn:  # type: ignore[no-untyped-def]
    """How a run ended, in words and as exit code."""
    if end.unconfirmed:
        print("NOT CONFIRMED SAFE. By hand:", file=sys.stderr)
        for line in end.unconfirmed:
            print(f"  {line}", file=sys.stderr)
        raise typer.Exit(4)
    if end.outcome != "complete":
        print(f"Made safe early: {end.why}", file=sys.stderr)
        raise typer.Exit(3)
    judged = _judged(book, None)
    _print_table(judged)
    raise typer.Exit(1 if judged.count(Verdict.FAILS) else 0)


@app.command()
def findings(
    book: BookArgument,
    as_json: Annotated[bool, typer.Option("--json", help="print JSON")] = False,
    run: RunOption = None,
    against: Annotated[int | None, typer.Option(help="an earlier run of the same unit: what changed since")] = None,
) -> None:
    """Print the findings of a run with their verdicts."""
    from zincsmith.judge.words import as_json as to_json

    judged = _judged(book, run)
    if against is not None:
        _print_changes(judged, _judged(book, against), as_json)
    elif as_json:
        print(json.dumps(to_json(judged), indent=2, ensure_ascii=False))
    else:
        _print_table(judged)


@app.command()
def report(
    book: BookArgument,
    out: Annotated[Path, typer.Option("-o", "--out", help="the HTML file to write")],
    run: RunOption = None,
) -> None:
    """Write the report of a run as one self-contained HTML file."""
    from zincsmith.report.html import write_report

    write_report(_judged(book, run), out)
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


@app.command(context_settings={"ignore_unknown_options": True})  # a line may begin with a minus
def label(
    lines: Annotated[list[str], typer.Argument(help="label lines, each in quotes")],
    as_json: Annotated[bool, typer.Option("--json", help="print JSON")] = False,
) -> None:
    """Read label lines as they are printed, and say what was not understood."""
    from zincsmith.formats.label import parse_line
    from zincsmith.formats.label_print import as_json as to_json
    from zincsmith.formats.label_print import print_item

    read = [parse_line(line) for line in lines]
    if as_json:
        print(json.dumps({"lines": [to_json(line) for line in read]}, indent=2, ensure_ascii=False))
        return
    for line in read:
        print(line.text)
        for item in line.items:
            print(f"    {print_item(item)}")
        for piece in line.unread:
            print(f"    not read, column {piece.start + 1}: {piece.text!r}: {piece.reason}")


rig_commands = typer.Typer(help="What a rig is and what it can do.", no_args_is_help=True)
app.add_typer(rig_commands, name="rig")


@rig_commands.command()
def check(
    unit: Annotated[Path, typer.Option(help="unit file (TOML)")],
    rig: Annotated[Path, typer.Option(help="rig file (TOML)")],
    plan: Annotated[str, typer.Option(help="name of a plan, or a plan file (TOML)")] = "static-grid",
    as_json: Annotated[bool, typer.Option("--json", help="print JSON")] = False,
) -> None:
    """Say what is wrong with a rig for a unit, and which claims it can decide. Exit 1 when something blocks."""
    from zincsmith.engine.composer import plan_named
    from zincsmith.engine.foreseen import foresee
    from zincsmith.formats.rig_file import read_rig
    from zincsmith.formats.unit_file import read_unit
    from zincsmith.judge.decide import decide
    from zincsmith.judge.rig_words import as_json as to_json
    from zincsmith.judge.rig_words import decision_row
    from zincsmith.suitability.check import check as check_rig

    the_unit, the_rig = read_unit(unit), read_rig(rig)
    the_plan = plan_named(plan, the_unit, the_rig)
    faults = check_rig(the_unit, the_rig, the_plan)
    foreseen = foresee(the_unit, the_rig, the_plan)
    decisions = decide(the_unit, the_rig, foreseen.wired, foreseen.moved)
    if as_json:
        print(json.dumps(to_json(faults, decisions, foreseen.problem), indent=2, ensure_ascii=False))
    else:
        for fault in faults:
            print(f"{fault.severity.value.upper():7}{fault.at}: {fault.text}\n       {fault.remedy}  [{fault.code}]")
        if foreseen.problem:
            print(f"No rehearsal: {foreseen.problem}")
        _print_rows("What this rig can decide", decision_row(None), [decision_row(d) for d in decisions])
    raise typer.Exit(1 if any(f.severity.value == "stop" for f in faults) else 0)


@app.command("plan")
def show_plan(
    unit: Annotated[Path, typer.Option(help="unit file (TOML)")],
    rig: Annotated[Path, typer.Option(help="rig file (TOML)")],
    plan: Annotated[str, typer.Option(help="full, the name of a plan, or a plan file (TOML)")] = "full",
    as_json: Annotated[bool, typer.Option("--json", help="print JSON")] = False,
    again: Annotated[str, typer.Option("--retest", help="only what tests these figures, after a repair")] = "",
    as_toml: Annotated[bool, typer.Option("--toml", help="print the plan as a plan file, to be edited")] = False,
) -> None:
    """Compose a plan for a unit on a rig, and say how long it takes and what it leaves out."""
    from zincsmith.engine.composer import compose, plan_named, retest
    from zincsmith.engine.plan_words import as_json as to_json
    from zincsmith.engine.plan_words import stage_rows
    from zincsmith.engine.rehearsal import rehearse
    from zincsmith.formats.plan_file import write_plan
    from zincsmith.formats.rig_file import read_rig
    from zincsmith.formats.unit_file import read_unit

    the_unit, the_rig = read_unit(unit), read_rig(rig)
    the_plan = plan_named(plan, the_unit, the_rig)
    if again:
        the_plan = retest(the_unit, the_rig, [f.strip() for f in again.split(",")])
    left = compose(the_unit, the_rig)[1] if plan == "full" else []
    if as_toml:
        print(write_plan(the_plan), end="")
        return
    itinerary = rehearse(the_unit, the_rig, the_plan)
    if as_json:
        print(json.dumps(to_json(the_plan, itinerary, left), indent=2, ensure_ascii=False))
        return
    headings, rows = stage_rows(itinerary)
    _print_rows(f"{the_plan.name}, about {itinerary.likely_s / 60:.0f} min of bench time", headings, rows)
    for one in left:
        print(f"Not in this plan: {one.procedure}: {one.why}")


@app.command()
def procedures(as_json: Annotated[bool, typer.Option("--json", help="print JSON")] = False) -> None:
    """List the procedures with what they need and what they are for."""
    from zincsmith.engine.composer import catalogue

    found = catalogue()
    if as_json:
        print(json.dumps({"procedures": found}, indent=2, ensure_ascii=False))
        return
    rows = [
        (str(p["name"]), ", ".join(str(r).replace("_", " ") for r in p["needs"]), str(p["serves"]))  # type: ignore[attr-defined]
        for p in found
    ]
    _print_rows("Procedures", ("procedure", "needs", "for"), rows)


@app.command(context_settings={"ignore_unknown_options": True, "allow_extra_args": True, "help_option_names": []})
def simbench(context: typer.Context) -> None:
    """Start the stand-in bench on its own (see simbench --help): any VISA or socket client can talk to it."""
    import os

    os.execv(sys.executable, [sys.executable, "-m", "zincsmith.simbench", *context.args])


@app.command()
def scan(
    host: Annotated[list[str] | None, typer.Option(help="host to look at; asked for by name only")] = None,
    port: Annotated[list[int] | None, typer.Option(help="socket port to try on each host")] = None,
) -> None:
    """List the instruments that answer *IDN?. Without --host only this computer's own links are looked at."""
    from zincsmith.bench.scan import scan as look

    found = look(tuple(host or ()), tuple(port or ()))
    _print_rows("Instruments that answer", ("address", "identity"), [(f.address, f.identity) for f in found])


book_commands = typer.Typer(help="The document on disk.", no_args_is_help=True)
app.add_typer(book_commands, name="book")


@book_commands.command("check")
def check_book(book: BookArgument, as_json: Annotated[bool, typer.Option("--json", help="print JSON")] = False) -> None:
    """Verify a book, and say what was interrupted and who made the bench safe. Exit 1 when something is damaged."""
    from zincsmith.engine.book_check import check_book as look

    found = look(book)
    if as_json:
        print(json.dumps(found.as_json(), indent=2, ensure_ascii=False))
    else:
        for line in found.lines():
            print(line)
    raise typer.Exit(1 if found.damage else 0)


dialect_commands = typer.Typer(help="How instruments are spoken to.", no_args_is_help=True)
app.add_typer(dialect_commands, name="dialect")


@dialect_commands.command("check")
def check_dialect(
    file: Annotated[Path, typer.Argument(help="dialect file (TOML)")],
    address: Annotated[str, typer.Option(help="VISA name of an instrument to try it on, outputs off")] = "",
) -> None:
    """Say what is wrong with a dialect, and try a right one safely. Exit 1 when the instrument does not play along."""
    from zincsmith.bench.trial import try_dialect
    from zincsmith.formats.dialect_file import read_dialect
    from zincsmith.model.errors import InstrumentError

    dialect = read_dialect(file)
    print(f"{file.name}: {dialect.words}, {len(dialect.operation)} operations of the {dialect.role.replace('_', ' ')}")
    if not address:
        return
    try:
        for sentence in try_dialect(dialect, address):
            print(f"  {sentence}")
    except InstrumentError as error:
        print(f"zincsmith: {error}", file=sys.stderr)
        raise typer.Exit(1) from None


def _judged(book: Path, number: int | None):  # type: ignore[no-untyped-def]
    from zincsmith.book.reader import BookReader
    from zincsmith.judge.judging import judge_run

    with BookReader(book) as reader:
        return judge_run(reader, number)


def _print_rows(title: str, headings: tuple[str, ...], rows: Sequence[tuple[str, ...]]) -> None:
    from rich.console import Console
    from rich.table import Table

    table = Table(title=title, title_justify="left")
    for heading in headings:
        table.add_column(heading)
    for row in rows:
        table.add_row(*row)
    Console(width=None if sys.stdout.isatty() else 160).print(table)


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
    _print_rows(title, ("figure", "conditions", "now", "before"), rows)


def _print_table(run) -> None:  # type: ignore[no-untyped-def]
    from rich.console import Console
    from rich.table import Table

    from zincsmith.judge.words import condition_words, value_words

    table = Table(title=f"{run.unit.maker} {run.unit.model}, {run.unit.tag}, run {run.row.id}", title_justify="left")
    for heading in ("figure", "conditions", "value", "±U", "unit", "claim", "verdict"):
        table.add_column(heading, justify="right" if heading in {"value", "±U"} else "left")
    for one in run.judged:
        value, expanded, unit = value_words(one.finding)
        claim = one.claim.text if one.claim else ""
        table.add_row(
            one.finding.title, condition_words(one.finding.conditions), value, expanded, unit, claim, one.verdict.value
        )
    Console(width=None if sys.stdout.isatty() else 140).print(table)


if __name__ == "__main__":
    main()
