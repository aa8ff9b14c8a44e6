"""The captures of a book: listed, and given out as files."""

from __future__ import annotations

import json
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from zincsmith.cli.app import BookArgument, JsonOption, app, print_rows

if TYPE_CHECKING:
    from zincsmith.history.captures import Held


@app.command("capture")
def capture(
    book: BookArgument,
    number: Annotated[int | None, typer.Argument(help="number of a capture, as listed")] = None,
    out: Annotated[Path | None, typer.Option("-o", "--output", help=".svg, .png, .csv or .h5")] = None,
    cursors: Annotated[
        tuple[str, str] | None, typer.Option(help="two moments, 0.2ms 16.4ms: a figure of yours between them")
    ] = None,
    measure: Annotated[str, typer.Option(help="of what lies between: time, change or span")] = "time",
    channel: Annotated[str, typer.Option(help="which channel; the first unless told")] = "",
    beside: Annotated[str, typer.Option(help="the finding that it stands beside, such as hold_up")] = "",
    why: Annotated[str, typer.Option(help="why there")] = "",
    by: Annotated[str, typer.Option(help="who places them")] = "",
    as_json: JsonOption = False,
) -> None:
    """List the captures of a book; with a number and -o give one out as a picture, a table or HDF5, with --cursors
    add a figure of your own to its run."""
    from zincsmith.book.reader import BookReader
    from zincsmith.history.captures import captures_of
    from zincsmith.model.errors import InputError

    with BookReader(book) as reader:
        held = captures_of(reader)
        if number is None:
            if out is not None:
                raise InputError("which capture? Name its number, as listed", key="number")
            rows = [one.as_json() for one in held]
            if as_json:
                print(json.dumps(rows, indent=2, ensure_ascii=False, allow_nan=False))
            else:
                _print(book, rows)
            return
        one = next((c for c in held if c.number == number), None)
        if one is None:
            there = f"1 to {len(held)}" if held else "none"
            raise InputError(f"there is no capture {number}; there are: {there}", file=str(book), key="number")
        if cursors is not None:
            _read(book, one, cursors, measure, channel, beside, why, by)
            return
        if out is None:
            print(json.dumps(one.as_json(), indent=2, ensure_ascii=False, allow_nan=False))
            return
        from zincsmith.report.capture_file import write_capture

        write_capture(reader, one, out)
        print(f"capture {number} in {out}")


def _read(
    book: Path, held: Held, cursors: tuple[str, str], measure: str, channel: str, beside: str, why: str, by: str
) -> None:
    """Write what somebody reads off a capture into its run. InputError for what is no such figure."""
    from typing import get_args

    from zincsmith.book.reader import BookReader
    from zincsmith.book.writer import BookWriter
    from zincsmith.formats.entry import parse_entry
    from zincsmith.history.captures import check_cursors
    from zincsmith.model.capture import Cursors, Measure
    from zincsmith.model.errors import InputError
    from zincsmith.model.events import CursorsRead

    at = [parse_entry(text, "s") for text in cursors]
    if at[0] is None or at[1] is None:
        raise InputError("a cursor stands somewhere: two moments, such as 0.2ms 16.4ms", key="cursors")
    chosen = next((m for m in get_args(Measure) if m == measure), None)
    if chosen is None:
        raise InputError(f"{measure!r} is none of {', '.join(get_args(Measure))}", key="measure")
    if not by.strip():
        raise InputError("a figure from cursors carries a name", key="by")
    one, point = held.capture, held.point
    address = channel or (one.channels[0].address if one.channels else "")
    read = Cursors(point.number, point.take, chosen, at[0], at[1], one.step_s, why.strip(), address,
                   point.captures.index(one), beside)  # fmt: skip
    with BookReader(book) as reader:
        check_cursors(reader, held.run, read)
    with BookWriter(book) as writer:
        writer.append(CursorsRead(read, by.strip()), run=held.run)
    print(f"Kept beside the findings of run {held.run}.")


def _print(book: Path, rows: list[dict[str, Any]]) -> None:
    if not rows:
        print(f"{book.name} holds no captures.")
        return
    table = [
        (
            str(row["number"]), str(row["run"]), str(row["of"]), str(row["where"]),
            ", ".join(c["quantity"] for c in row["channels"]), f"{row['samples']}", f"{row['step_s']:.4g}",
            str(row["instrument"]),
        )
        for row in rows
    ]  # fmt: skip
    headings = ("capture", "run", "of", "where", "channels", "samples", "step / s", "recorded by")
    print_rows(f"Captures of {book.name}", headings, table)
