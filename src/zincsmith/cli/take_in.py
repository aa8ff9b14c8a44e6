"""Recorded files into a book, as evidence."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from zincsmith.cli.analyse import About
from zincsmith.cli.app import BookArgument, app, judged_run, keep_findings, print_table


@app.command("take-in")
def take_in_files(
    book: BookArgument,
    kind: Annotated[
        str,
        typer.Argument(
            help="points, standby, power, ripple, load-step, turn-on, hold-up, plug-volts, wave, motor-start, short, "
            "protection; or typed"
        ),
    ],
    files: Annotated[list[Path], typer.Argument(help="CSV, JSON, HDF5 or NumPy; power: volts and amps may be two")],
    operator: Annotated[str, typer.Option(help="who answers for it")],
    line: Annotated[str, typer.Option(help="volts and hertz of the input, such as 230,50")] = "",
    load: Annotated[float, typer.Option(help="power: load in percent", min=0.0, max=110.0)] = 100.0,
    instrument: Annotated[str, typer.Option(help="what recorded it, where that is none of the rig")] = "",
    accuracy: Annotated[Path | None, typer.Option(help="how good each column is (TOML)")] = None,
    ambient: Annotated[float | None, typer.Option(help="room temperature in degC")] = None,
    unit: Annotated[Path | None, typer.Option(help="unit file (TOML); else the current unit of the book")] = None,
    rig: Annotated[Path | None, typer.Option(help="rig file (TOML); else the rig of the book")] = None,
    time: Annotated[str, typer.Option(help="column of times")] = "time_s",
    voltage: Annotated[str, typer.Option(help="column of volts")] = "voltage_V",
    current: Annotated[str, typer.Option(help="column of amps")] = "current_A",
    power: Annotated[str, typer.Option(help="column of watts")] = "power_W",
    input_column: Annotated[str, typer.Option("--input", help="column of input volts")] = "input_V",
    output_column: Annotated[str, typer.Option("--output", help="column of output volts")] = "output_V",
    rail: Annotated[str, typer.Option(help="waveforms: which output was recorded, of several")] = "",
    background: Annotated[Path | None, typer.Option(help="ripple: a record with the unit off")] = None,
    bandwidth: Annotated[str, typer.Option(help="ripple: the limit of the bandwidth")] = "20MHz",
    threshold: Annotated[str, typer.Option(help="turn-on, hold-up, short: such as 90% of nominal, or 0.1V")] = "",
    band: Annotated[str, typer.Option(help="load-step: band of recovery, such as 1% of nominal")] = "",
    about: Annotated[About | None, typer.Option(help="load-step: what the band lies about")] = None,
    start: Annotated[float | None, typer.Option(help="turn-on: second at which the input came")] = None,
) -> None:
    """Take recorded files in as evidence: they become a run of the book, and are judged like any other."""
    from zincsmith.formats.rig_file import read_rig
    from zincsmith.formats.unit_file import read_unit
    from zincsmith.model.commands import FileRequest
    from zincsmith.model.errors import InputError, ZincsmithError

    the_unit = read_unit(unit) if unit is not None else None
    the_rig = read_rig(rig) if rig is not None else None
    if not book.exists() and (the_unit is None or the_rig is None):
        raise InputError("there is no such book; a new one needs --unit and --rig", file=str(book))
    asked = FileRequest(
        kind, tuple(files), operator, ambient, _line(line), load, instrument, accuracy, time, voltage, current,
        power, input=input_column, output=output_column, port=rail, background=background,
        choices=_said(bandwidth=bandwidth, threshold=threshold, band=band, about=about, start=start),
    )  # fmt: skip
    new = not book.exists()
    try:
        number = _take_in(book, the_unit, the_rig, asked)
    except ZincsmithError:
        if new:  # of what is refused nothing is left behind
            book.unlink(missing_ok=True)
        raise
    judged = judged_run(book, number)
    keep_findings(book, judged)
    print_table(judged)


def _take_in(book: Path, the_unit, the_rig, asked) -> int:  # type: ignore[no-untyped-def]
    from zincsmith.book.reader import BookReader
    from zincsmith.book.writer import BookWriter
    from zincsmith.engine.taking_in import take_in
    from zincsmith.model.errors import InputError

    with BookWriter(book) as writer:
        if the_unit is not None:
            writer.revise("unit", the_unit.tag, the_unit, "from a unit file")
        if the_rig is not None:
            writer.revise("rig", "bench", the_rig, "from a rig file")
        with BookReader(book) as reader:
            key = the_unit.tag if the_unit is not None else reader.current_key("unit")
        if key is None:
            raise InputError("the book has no unit yet: name one with --unit", file=str(book))
        return take_in(writer, key, asked)


def _said(**choices: object) -> dict[str, str]:
    """What was chosen where schools differ, as it is kept with a capture."""
    return {name: str(value) for name, value in choices.items() if value not in (None, "")}


def _line(text: str):  # type: ignore[no-untyped-def]
    """``230,50`` or ``230 50`` as a line; None when nothing was said."""
    from zincsmith.model.errors import InputError
    from zincsmith.model.plan import Line
    from zincsmith.procedures.fields import check_lines

    if not text.strip():
        return None
    try:
        volts, hertz = (float(x) for x in text.replace(",", " ").split())
    except ValueError:
        raise InputError(f"{text!r} is no line: volts and hertz, such as 230,50", key="line") from None
    found = Line(volts, hertz)
    check_lines((found,), "line")
    return found
