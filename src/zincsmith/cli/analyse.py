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


class AnalysisKind(StrEnum):
    POWER = "power"
    STANDBY = "standby"
    POINTS = "points"


class Method(StrEnum):
    SAMPLING = "sampling"
    AVERAGE = "average"


@app.command()
def analyse(
    kind: Annotated[AnalysisKind, typer.Argument(help="what to work out")],
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
) -> None:
    """Work out figures from a recorded file: power of waveforms (volts and amps may stand in two files), standby power,
    a table of points."""
    from zincsmith.formats.table_file import read_columns

    most = 2 if kind is AnalysisKind.POWER else 1
    if len(files) > most:
        raise InputError(f"{kind.value} is worked out from {most} at most, {len(files)} files were named")
    found = read_columns(files[0])
    if len(files) == 2:
        from zincsmith.recorded.joined import joined

        found = joined(found, read_columns(files[1]), time)
    if kind is AnalysisKind.POWER:
        from zincsmith.recorded.waveforms import analyse_power

        done = analyse_power(found, time, voltage, current)
    elif kind is AnalysisKind.STANDBY:
        from zincsmith.recorded.standby_record import analyse_standby

        done = analyse_standby(found, time, power, method.value)
    else:
        from zincsmith.formats.accuracy_file import read_accuracy
        from zincsmith.recorded.points import BASES, analyse_points

        limits = read_accuracy(accuracy, tuple(BASES)) if accuracy is not None else {}
        done = analyse_points(found, limits, rated_power or None, rated_voltage or None)
    if as_json:
        print(json.dumps(done.as_json(), indent=2, ensure_ascii=False, allow_nan=False))
    else:
        _print(files[0], done)


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
