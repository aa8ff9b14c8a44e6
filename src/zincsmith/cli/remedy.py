"""What a choke or a capacitor would leave of a ripple that was recorded."""

from __future__ import annotations

import json
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from zincsmith.cli.app import JsonOption, app
from zincsmith.formats.remedy_text import LIKE
from zincsmith.model.errors import InputError

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray


@app.command()
def remedy(
    source: Annotated[Path, typer.Argument(help="a record of volts over time, or a book")],
    parts: Annotated[str, typer.Argument(help=f"what is added: {LIKE}")],
    capture: Annotated[
        int | None, typer.Option(help="of a book: which capture, as listed by `zincsmith capture`")
    ] = None,
    load: Annotated[float | None, typer.Option(help="amps that are drawn; of a book as it was")] = None,
    nominal: Annotated[float | None, typer.Option(help="nominal volts; of a book as the plate says")] = None,
    line: Annotated[float | None, typer.Option(help="hertz of the line; of a book as it was")] = None,
    tolerance: Annotated[float, typer.Option(help="of both parts, percent")] = 20.0,
    source_ohm: Annotated[
        float | None, typer.Option(help="series resistance of the output's own capacitor, for a capacitor alone")
    ] = None,
    time: Annotated[str, typer.Option(help="column of times")] = "time_s",
    voltage: Annotated[str, typer.Option(help="column of volts")] = "voltage_V",
    as_json: JsonOption = False,
) -> None:
    """Predict what a choke, a capacitor or both leave of a recorded ripple, by part, with tolerances; then change the
    unit and measure it: `zincsmith plan --then-changed`."""
    from zincsmith.showing.remedies import as_json as published
    from zincsmith.showing.remedies import lines_of, prediction, remedy_of

    added = remedy_of(parts, tolerance, source_ohm)
    record = _of_book(source, capture) if capture is not None else _of_file(source, time, voltage)
    nominal_V = nominal if nominal is not None else record.nominal_V
    current_A = load if load is not None else record.current_A
    if nominal_V is None or current_A is None:
        raise InputError(
            "the nominal volts and the amps that are drawn are wanted: --nominal 24 --load 2.5", key="load"
        )
    found = prediction(
        record.volts, record.step_s, added, nominal_V, current_A, line if line is not None else record.line_Hz
    )
    if as_json:
        print(json.dumps(published(found, added, current_A), indent=2, ensure_ascii=False, allow_nan=False))
        return
    print("\n".join(lines_of(found, added, current_A)))


@dataclass(frozen=True)
class _Record:
    volts: NDArray[np.float64]
    step_s: float
    nominal_V: float | None = None
    current_A: float | None = None
    line_Hz: float | None = None


def _of_book(book: Path, number: int) -> _Record:
    from zincsmith.book.reader import BookReader
    from zincsmith.history.captures import captures_of
    from zincsmith.procedures.waveforms.findings import line_Hz, nominal_V
    from zincsmith.showing.remedies import drawn_A

    with BookReader(book) as reader:
        held = next((c for c in captures_of(reader) if c.number == number), None)
        channel = next((c for c in held.capture.channels if c.quantity == "output_voltage"), None) if held else None
        if held is None or channel is None:
            raise InputError(f"capture {number} of this book is no record of an output", file=str(book), key="capture")
        row = reader.run(held.run)
        plate = reader.unit(row.unit, row.unit_n).nameplate
        volts = channel.offset + channel.scale * reader.traces.read(channel.sha256)
    at = held.point.at
    nominal, drawn = nominal_V(plate, channel.port), drawn_A(at, plate, channel.port)
    return _Record(volts, held.capture.step_s, nominal, drawn, line_Hz(at))


def _of_file(file: Path, time: str, voltage: str) -> _Record:
    from zincsmith.formats.table_file import read_columns
    from zincsmith.procedures.catalogue import intake
    from zincsmith.procedures.intake import FigureRequest
    from zincsmith.procedures.waveforms.intake import WaveformIntake
    from zincsmith.procedures.waveforms.traces import traces_of

    asked, (_, record) = FigureRequest(time, voltage), intake("ripple")
    if not isinstance(record, WaveformIntake):
        raise ValueError("ripple is not taken in as a record over time")
    traces = traces_of(read_columns(file), asked, record.heads(asked), set())
    return _Record(traces.values("output_voltage"), traces.step_s)
