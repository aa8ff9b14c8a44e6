"""Figures from recorded files."""

from __future__ import annotations

import json
import sys
from enum import StrEnum
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from zincsmith.cli.app import JsonOption, app, print_rows
from zincsmith.model.errors import InputError

if TYPE_CHECKING:
    from zincsmith.recorded.result import Analysed


class Method(StrEnum):
    SAMPLING = "sampling"
    AVERAGE = "average"


class About(StrEnum):
    NOMINAL = "nominal"
    FINAL = "final"


@app.command()
def analyse(
    kind: Annotated[
        str,
        typer.Argument(
            help="power, standby, points, ripple, load-step, turn-on, hold-up, plug-volts, wave, motor-start, short, "
            "protection, dropout, thermal"
        ),
    ],
    files: Annotated[list[Path], typer.Argument(help="CSV, JSON, HDF5 or NumPy")],
    as_json: JsonOption = False,
    time: Annotated[str, typer.Option(help="column of times")] = "time_s",
    voltage: Annotated[str, typer.Option(help="column of volts")] = "voltage_V",
    current: Annotated[str, typer.Option(help="column of amps")] = "current_A",
    power: Annotated[str, typer.Option(help="column of watts")] = "power_W",
    method: Annotated[Method, typer.Option(help="standby: how IEC 62301 has it")] = Method.SAMPLING,
    rated_power: Annotated[float | None, typer.Option(min=0.0, help="points: rated output watts")] = None,
    rated_voltage: Annotated[float | None, typer.Option(min=0.0, help="points: rated output volts")] = None,
    accuracy: Annotated[Path | None, typer.Option(help="points: how good each column is (TOML)")] = None,
    background: Annotated[
        Path | None, typer.Option(help="ripple: a record with everything on and the unit off")
    ] = None,
    bandwidth: Annotated[str, typer.Option(help="ripple: the limit of the bandwidth")] = "20MHz",
    line: Annotated[float | None, typer.Option(min=1.0, help="ripple: hertz of the line")] = None,
    nominal: Annotated[
        float | None, typer.Option(help="load-step, turn-on, hold-up, short, protection: nominal volts of the output")
    ] = None,
    rated_current: Annotated[float | None, typer.Option(help="protection: rated amps of the output")] = None,
    tolerance: Annotated[str, typer.Option(help="dropout: of the output, such as 5%")] = "5%",
    ambient: Annotated[float | None, typer.Option(help="thermal: of the room, degC")] = None,
    limit: Annotated[float | None, typer.Option(help="thermal: degC that is not to be passed")] = None,
    threshold: Annotated[str, typer.Option(help="turn-on, hold-up, short: such as 90% of nominal, or 0.1V")] = "",
    band: Annotated[str, typer.Option(help="load-step: band of recovery, such as 1% of nominal, or 50mV")] = "1%",
    about: Annotated[About, typer.Option(help="load-step: what the band lies about")] = About.NOMINAL,
    start: Annotated[float | None, typer.Option(help="turn-on: second at which the input came")] = None,
    input_column: Annotated[str, typer.Option("--input", help="column of input volts")] = "input_V",
    output_column: Annotated[str, typer.Option("--output", help="column of output volts")] = "output_V",
) -> None:
    """Work out figures from a recorded file: power of waveforms (volts and amps may stand in two files), standby power,
    a table of points, ripple and noise, load steps, turn-on, hold-up, the collapse at a short,
    what a supply does when it is overloaded, the lowest good input, temperatures in the end."""
    from zincsmith.procedures.catalogue import intake
    from zincsmith.procedures.intake import FigureRequest
    from zincsmith.procedures.waveforms.traces import bandwidth_of
    from zincsmith.recorded.joined import columns_of

    _, of_kind = intake(kind)
    if of_kind.written:
        raise InputError(f"{kind} is what somebody writes down: take it in, or work it out as points", key="kind")
    if len(files) > of_kind.files:
        raise InputError(f"{kind} is worked out from {of_kind.files} at most, {len(files)} files were named")
    asked = FigureRequest(
        time, voltage, current, power, method.value, rated_power or None, rated_voltage or None, accuracy,
        background, bandwidth_of(bandwidth), line, nominal, threshold, band, about.value, start, input_column,
        output_column, rated_current, _percent(tolerance), ambient, limit,
    )  # fmt: skip
    done = of_kind.figures(columns_of(files, time), asked)
    if as_json:
        print(json.dumps(done.as_json(), indent=2, ensure_ascii=False, allow_nan=False))
    else:
        _print(files[0], done)


def _percent(text: str) -> float:
    """``5%`` or ``5``. InputError for what is no tolerance."""
    from zincsmith.formats.entry import parse_entry

    try:
        value = parse_entry(text.strip().removesuffix("%"), "%")
    except InputError:
        value = None
    if value is None or not 0.0 < value < 100.0:
        raise InputError(f"{text!r} is no tolerance: such as 5%", key="tolerance")
    return value


def _print(file: Path, done: Analysed) -> None:
    """The same for people: figures, facts, doubts."""
    from zincsmith.formats.words import decimals_for, number

    rows = []
    for name, figure in done.figures.items():
        if figure.value is None:
            rows.append((name.replace("_", " "), "–", "", figure.unit))
            continue
        decimals = decimals_for(figure.k * figure.u if figure.u else None, figure.value)
        expanded = f"±{number(figure.k * figure.u, decimals)}" if figure.u else ""
        rows.append((name.replace("_", " "), number(figure.value, decimals), expanded, figure.unit))
    print_rows(f"{done.kind} from {file.name}, ± at 95.45 %", ("figure", "value", "±U", "unit"), rows)
    for name, fact in done.facts.items():
        words = ", ".join(map(str, fact)) if isinstance(fact, list) else {True: "yes", False: "no"}.get(fact, fact)
        print(f"{name.replace('_', ' ')}: {words}")
    for doubt in done.doubts:
        print(f"DOUBT  {doubt.text} {doubt.remedy}  [{doubt.code}]", file=sys.stdout)
