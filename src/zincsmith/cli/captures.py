"""The captures of a book: listed, and given out as files."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Annotated, Any

import typer

from zincsmith.cli.app import BookArgument, JsonOption, app, print_rows


@app.command("capture")
def capture(
    book: BookArgument,
    number: Annotated[int | None, typer.Argument(help="number of a capture, as listed")] = None,
    out: Annotated[Path | None, typer.Option("-o", "--output", help=".svg, .png, .csv or .h5")] = None,
    as_json: JsonOption = False,
) -> None:
    """List the captures of a book; with a number and -o give one out as a picture, a table or HDF5."""
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
        if out is None:
            print(json.dumps(one.as_json(), indent=2, ensure_ascii=False, allow_nan=False))
            return
        from zincsmith.report.capture_file import write_capture

        write_capture(reader, one, out)
        print(f"capture {number} in {out}")


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
