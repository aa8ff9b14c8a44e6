"""A book, or a run of it, as open files; and a book made of such files again."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Annotated

import typer

from zincsmith.cli.app import BookArgument, CoverageOption, GuardOption, OverOption, RunOption, app, judged_run
from zincsmith.cli.results import warn_changed


@app.command()
def export(
    book: BookArgument,
    out: Annotated[Path, typer.Option("-o", "--out", help="the folder to write into; it is made")],
    run: RunOption = None,
    over: OverOption = "Vnom",
    coverage: CoverageOption = "95.45",
    guard: GuardOption = "U",
) -> None:
    """Write readings, findings and log of a run as CSV and JSON files. Without --run those of the latest, and the whole
    book beside them: events, documents, samples (HDF5), photographs, files; `import` makes an equal book of it."""
    from zincsmith.book.exchange import write_book
    from zincsmith.book.reader import BookReader
    from zincsmith.report.folder import write_folder

    with BookReader(book) as reader:
        none = run is None and not reader.runs()
    if not none:  # a book without a run is a whole one all the same
        judged = judged_run(book, run, over, coverage, guard)
        warn_changed(book, judged)
        with BookReader(book) as reader:
            for file in write_folder(reader, judged, out):
                print(file)
    if run is None:
        for file in write_book(book, out):
            print(file)


@app.command("import")
def import_book(
    folder: Annotated[Path, typer.Argument(help="a folder that `export` wrote of a whole book")],
    book: Annotated[Path, typer.Option(help="the book to make; it must not be there yet")],
) -> None:
    """Make a book of a folder of a whole book. Every file is held against its hash, every run against its seal."""
    from zincsmith.book.exchange import read_book

    for words in read_book(folder, book):
        print(f"*** {words} ***", file=sys.stderr)
    print(book)


@app.command("part")
def part_of_a_book(
    book: BookArgument,
    out: Annotated[Path, typer.Option("-o", "--out", help="the book to make of it")],
    run: RunOption = None,
    unit: Annotated[str | None, typer.Option(help="a unit by its tag, with all its runs")] = None,
) -> None:
    """One run, or one unit with its runs, as a book of its own: numbers, digests and seals stay what they are. A book
    that is being written to is taken as it stands."""
    from zincsmith.book.part import part_of
    from zincsmith.model.errors import InputError

    if run is None and unit is None:
        raise InputError("say which: --run N or --unit TAG", key="run")
    runs = part_of(book, out, run, unit)
    print(f"{out}: {', '.join(f'run {n}' for n in runs) or 'no run'}")


@app.command("join")
def join_books(
    book: BookArgument,
    part: Annotated[Path, typer.Argument(help="the book whose runs are joined to it")],
) -> None:
    """Take the runs of another book in, with everything they cite, sealed as they are. A number that is taken gives way
    to the next free one; what the run was sealed as is kept and shown. Two pieces of one tag stay two."""
    from zincsmith.book.join import join

    done = join(book, part)
    for one in done:
        if one.known:
            print(f"{book}: run {one.was} of {part.name} is here already, as run {one.now}; left as it is")
        else:
            print(f"{book}: run {one.now}" + (f", run {one.was} of {part.name}" if one.now != one.was else ""))
    if not done:
        print(f"{book}: {part.name} has no run")
