"""Plans and runs: plan, procedures, run, resume, book check."""

from __future__ import annotations

import json
import sys
from collections.abc import Callable
from contextlib import suppress
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, NoReturn

import typer

from zincsmith.cli.app import BookArgument, app, judged_run, keep_findings, print_rows, print_table
from zincsmith.formats.plain_text import shown

if TYPE_CHECKING:
    from zincsmith.model.events import RunClosed
    from zincsmith.model.plan import Plan
    from zincsmith.model.rig import Rig
    from zincsmith.model.unit import Unit
    from zincsmith.planning.composer import LeftOut

LogOption = Annotated[Path | None, typer.Option(help="log of the stand-in bench: what was switched, when")]
OffOption = Annotated[
    str, typer.Option(help="NAME says that the bench of an interrupted run, out of reach now, is off; kept in the book")
]

ChangedOption = Annotated[
    str, typer.Option(help="NAME: WHAT IS CHANGED; then the same work once more, and what the change did")
]

ChosenOption = Annotated[
    list[str] | None,
    typer.Option("--with", help="a procedure that goes beyond what a full plan has by itself, such as overcurrent"),
]


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
    log: LogOption = None,
    confirmed_off: OffOption = "",
    answers: Annotated[Path | None, typer.Option(help="what would be typed, as a table (CSV: prompt, answer)")] = None,
    then_changed: ChangedOption = "",
    then_unit: Annotated[
        list[Path] | None, typer.Option(help="another unit file: the same with it afterwards, in a run of its own")
    ] = None,
    chosen: ChosenOption = None,
) -> None:
    """Run a plan on a rig and write it into a book."""
    from zincsmith.cli.batch import Sitting, run_batch
    from zincsmith.engine.session import NOBODY, Start
    from zincsmith.formats.answers_file import Answers, read_answers
    from zincsmith.formats.rig_file import read_rig
    from zincsmith.formats.unit_file import read_unit
    from zincsmith.model.errors import InputError
    from zincsmith.planning.composer import plan_named

    the_rig = read_rig(rig)
    if standin is not None or seed is not None:
        if the_rig.standin is None:
            raise InputError("this rig is not simulated; --standin and --seed do not apply", file=str(rig))
        changed = the_rig.standin
        changed = replace(changed, file=str(standin.resolve())) if standin is not None else changed
        changed = replace(changed, seed=seed) if seed is not None else changed
        the_rig = replace(the_rig, standin=changed)
    the_unit = read_unit(unit)
    the_plan = _both_ways(plan_named(plan, the_unit, the_rig, _chosen(plan, chosen)), then_changed)
    queue = [read_unit(file) for file in then_unit or ()]
    the_plan = replace(the_plan, then_units=(*the_plan.then_units, *(one.tag for one in queue)))
    typed = read_answers(answers) if answers is not None else Answers()
    sitting = Sitting(Start(operator or NOBODY, ambient, yes), log, confirmed_off, typed, _price)
    _carry_out(lambda: run_batch(the_unit, the_rig, the_plan, book, sitting, queue), book)


@app.command()
def resume(
    book: Annotated[Path, typer.Option(help="the book whose latest run ended early")],
    yes: Annotated[bool, typer.Option("--yes", help="pass gates without asking; recorded as such")] = False,
    operator: Annotated[str, typer.Option(help="who runs it")] = "",
    ambient: Annotated[float, typer.Option(help="room temperature in degC")] = 23.0,
    log: LogOption = None,
    confirmed_off: OffOption = "",
) -> None:
    """Go on with the latest run of a book where it stopped; what was read is kept."""
    from zincsmith.cli.batch import Sitting, resume_batch
    from zincsmith.engine.session import NOBODY, Start

    sitting = Sitting(Start(operator or NOBODY, ambient, yes), log, confirmed_off, price=_price)
    _carry_out(lambda: resume_batch(book, sitting), book)


def _both_ways(plan: Plan, changed: str) -> Plan:
    """The plan once more after a change of configuration; as it is where none is asked for."""
    if not changed:
        return plan
    from zincsmith.planning.composer import both_ways, change_to

    name, _, what = changed.partition(":")
    return both_ways(plan, change_to(configuration=name.strip(), changes=what.strip()))


def _price(unit: Unit, rig: Rig, plan: Plan) -> str:
    """What a gate costs that cannot be taken back: the judge says what is lost, the engine how long it takes now."""
    from zincsmith.before_power.one_way import one_way_price
    from zincsmith.planning.prediction import seconds_to_test

    return one_way_price(unit, plan, partial(seconds_to_test, unit, rig))


def _carry_out(go: Callable[[], RunClosed], book: Path) -> NoReturn:
    """Run, and tell how that ended: in words and as exit code."""
    from zincsmith.engine.runner import BugInRun

    before = _runs_of(book)
    try:
        end = go()
    except BugInRun as bug:
        import traceback

        _say("".join(traceback.format_exception(bug.__cause__)))
        _say("This is a bug of the program; what was read up to here is in the book.")
        _tell_bench(bug.closed)
        raise typer.Exit(5) from None
    _tell_bench(end)
    if end.outcome != "complete":
        _say(f"Made safe early: {end.why}")
        raise typer.Exit(3)
    from zincsmith.model.finding import Verdict

    fails = 0
    for number in _runs_of(book)[len(before) :] or _runs_of(book)[-1:]:  # one that was resumed is no new one
        judged = judged_run(book, number)
        keep_findings(book, judged)
        print_table(judged)
        fails += judged.count(Verdict.FAILS)
    raise typer.Exit(1 if fails else 0)


def _runs_of(book: Path) -> list[int]:
    from zincsmith.book.reader import BookReader

    if not book.is_file():
        return []
    with BookReader(book) as reader:
        return [row.id for row in reader.runs()]


def _tell_bench(end: RunClosed) -> None:
    """What was seen of the bench, and what is not confirmed; that comes before everything else."""
    from zincsmith.words.bench_words import end_words

    if end.unconfirmed or not end.safe:
        _say("NOT CONFIRMED TO BE OFF. By hand:")
        for line in end.unconfirmed or ("switch everything off",):
            _say(f"  {line}")
        raise typer.Exit(4)
    _say(f"{end_words(end)}.")


def _chosen(plan: str, names: list[str] | None) -> list[str]:
    """What is put into a composed plan by name. InputError where there is none to put it into."""
    from zincsmith.model.errors import InputError

    if names and plan != "full":
        raise InputError("--with belongs to --plan full; add it to the plan file", key="with")
    return names or []


def _say(text: str) -> None:
    """To standard error; one that was closed stops nothing."""
    with suppress(OSError):
        print("\n".join(shown(line, 4000) for line in text.splitlines()), file=sys.stderr)


@app.command("plan")
def show_plan(
    unit: Annotated[Path, typer.Option(help="unit file (TOML)")],
    rig: Annotated[Path, typer.Option(help="rig file (TOML)")],
    plan: Annotated[str, typer.Option(help="full, the name of a plan, or a plan file (TOML)")] = "full",
    as_json: Annotated[bool, typer.Option("--json", help="print JSON")] = False,
    again: Annotated[str, typer.Option("--retest", help="only what tests these figures, after a repair")] = "",
    as_toml: Annotated[bool, typer.Option("--toml", help="print the plan as a plan file, to be edited")] = False,
    then_changed: ChangedOption = "",
    chosen: ChosenOption = None,
    feeds: Annotated[
        Path | None, typer.Option("--feeds", help="what it must feed (TOML): measured at the loads of its day too")
    ] = None,
    minutes: Annotated[
        float | None, typer.Option("--within", help="so many minutes: the worst corner first, the rest is named")
    ] = None,
) -> None:
    """Compose a plan for a unit on a rig, and say how long it takes and what it leaves out."""
    from zincsmith.formats.feeding_file import read_feeding
    from zincsmith.formats.rig_file import read_rig
    from zincsmith.formats.unit_file import read_unit
    from zincsmith.model.errors import InputError
    from zincsmith.planning.composer import compose, plan_named, retest
    from zincsmith.planning.for_duty import for_duty
    from zincsmith.planning.plan_words import as_json as to_json
    from zincsmith.planning.plan_words import stage_rows
    from zincsmith.planning.rehearsal import rehearse
    from zincsmith.procedures.plan_file import write_plan

    the_unit, the_rig = read_unit(unit), read_rig(rig)
    the_plan = plan_named(plan, the_unit, the_rig, _chosen(plan, chosen))
    if again:
        the_plan = retest(the_unit, the_rig, [f.strip() for f in again.split(",")])
    the_plan = _both_ways(the_plan, then_changed)
    left = compose(the_unit, the_rig, chosen or ())[1] if plan == "full" else []
    if minutes is not None and feeds is not None:
        raise InputError("a plan for so many minutes is composed first; --feeds would make it longer", key="feeds")
    if minutes is not None:
        the_plan, left = _within(the_unit, the_rig, minutes)
    if feeds is not None:
        the_plan = for_duty(the_plan, the_unit.nameplate, read_feeding(feeds))
    if as_toml:
        print(write_plan(the_plan), end="")
        return
    itinerary = rehearse(the_unit, the_rig, the_plan)
    if as_json:
        print(json.dumps(to_json(the_plan, itinerary, left), indent=2, ensure_ascii=False))
        return
    headings, rows = stage_rows(itinerary)
    print_rows(f"{the_plan.name}, about {itinerary.likely_s / 60:.0f} min of bench time", headings, rows)
    for one in left:
        print(f"Not in this plan: {one.procedure}: {one.why}")


def _within(unit: Unit, rig: Rig, minutes: float) -> tuple[Plan, list[LeftOut]]:
    from zincsmith.judge.claims import tests_of
    from zincsmith.planning.composer import LeftOut
    from zincsmith.planning.within import within

    plan, untested = within(unit, rig, 60.0 * minutes, tests_of(unit.nameplate))
    return plan, [LeftOut(one.procedure, f"no time: {one.words}") for one in untested]


@app.command()
def procedures(as_json: Annotated[bool, typer.Option("--json", help="print JSON")] = False) -> None:
    """List the procedures with what they need and what they are for."""
    from zincsmith.planning.composer import catalogue
    from zincsmith.procedures.catalogue import broken

    found = catalogue()
    if as_json:
        bad = [{"name": b.name, "package": b.package, "why": b.why} for b in broken()]
        print(json.dumps({"procedures": found, "broken": bad}, indent=2, ensure_ascii=False))
        return
    rows = [
        (str(p["name"]), ", ".join(str(r).replace("_", " ") for r in p["needs"]), str(p["serves"]))  # type: ignore[attr-defined]
        for p in found
    ]
    print_rows("Procedures", ("procedure", "needs", "for"), rows)
    for one in broken():
        print(shown(f"Cannot be used: {one.name} of {one.package}: {one.why}", 4000))


book_commands = typer.Typer(help="The document on disk.", no_args_is_help=True)
app.add_typer(book_commands, name="book")


@book_commands.command("check")
def check_book(
    book: BookArgument,
    as_json: Annotated[bool, typer.Option("--json", help="print JSON")] = False,
    digest: Annotated[str, typer.Option(help="the seal that a signed report prints")] = "",
) -> None:
    """Verify a book, and say what was interrupted and who made the bench safe. Exit 1 when something is damaged."""
    from zincsmith.engine.book_check import check_book as look

    found = look(book, digest)
    if as_json:
        print(json.dumps(found.as_json(), indent=2, ensure_ascii=False))
    else:
        for line in found.lines():
            print(shown(line, 4000))
    raise typer.Exit(1 if found.damage else 0)
