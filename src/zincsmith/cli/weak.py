"""What a unit that was measured does on a source that gives way."""

from __future__ import annotations

import json
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from zincsmith.cli.app import JsonOption, app, judged_run
from zincsmith.model.errors import InputError

if TYPE_CHECKING:
    from zincsmith.judge.judging import JudgedRun
    from zincsmith.model.reading import Point

SAME_LOAD = 2.0  # percent of the rating
GOOD = 0.05  # of the nominal volts


@app.command("weak-source")
def weak_source(
    book: Annotated[Path, typer.Argument(help="a book with a run of the unit over its input")],
    open_V: Annotated[float, typer.Option("--open", help="volts of the source without a load")],
    ohm: Annotated[float, typer.Option(help="its resistance, with leads and contacts")],
    limit: Annotated[float | None, typer.Option(help="amps that it does not exceed")] = None,
    load: Annotated[float, typer.Option(help="load of the unit, percent of its rating")] = 100.0,
    cell: Annotated[str, typer.Option(help="share left, percent, and open volts: 100:4.2,50:3.7,0:3.0")] = "",
    capacity: Annotated[float | None, typer.Option(help="of the cell, Ah")] = None,
    run: Annotated[int | None, typer.Option(help="which run of the book; the latest")] = None,
    as_json: JsonOption = False,
) -> None:
    """Whether a cell, a port or a long lead carries a measured unit under a load, whether it comes up there, and how
    long a cell lasts. Worked out of the watts that the unit took over its input: it would hold, it was not measured."""
    import numpy as np

    from zincsmith.analysis.weak_source import WeakSource, comes_up, meeting, run_time_h

    judged = judged_run(book, run)
    rows = _watts(judged, load)
    if len(rows) < 2:
        raise InputError(f"the run holds {len(rows)} inputs at {load:g} % load with volts and watts; two at least are "
                         "wanted", file=str(book), key="load")  # fmt: skip
    volts, taken = np.array(sorted(rows)).T
    least, starts = _edges(judged, load, float(volts[0]))

    def watts(v: float) -> float:
        return float(np.interp(v, volts, taken))

    source = WeakSource(open_V, ohm, limit if limit is not None else float("inf"))
    if source.open_V > float(volts[-1]) * 1.02:
        raise InputError(f"{open_V:g} V lie above the {volts[-1]:.4g} V that were measured", key="open")
    at = meeting(source, watts, least)
    hours: tuple[float, float] | tuple[None, None] = (None, None)
    if cell:
        if capacity is None or capacity <= 0.0:
            raise InputError("the capacity of the cell is wanted: --capacity 3.0", key="capacity")
        try:
            hours = run_time_h(_cell(cell), capacity, ohm, watts, least)
        except ValueError as error:
            raise InputError(str(error), key="cell") from None
    found = Carried(
        load, (float(volts[0]), float(volts[-1])), least, starts, source.most_W if limit or ohm else None,
        at.voltage_V if at else None, at.current_A if at else None, comes_up(source, watts, starts, least), *hours,
    )  # fmt: skip
    print(json.dumps(asdict(found), indent=2, allow_nan=False) if as_json else "\n".join(_lines(found)))


@dataclass(frozen=True)
class Carried:
    """What came of it, as published; None where there is nothing to tell."""

    load_percent: float
    measured_V: tuple[float, float]
    least_V: float
    starts_V: float
    most_W: float | None
    voltage_V: float | None
    current_A: float | None
    comes_up: bool
    run_time_h: float | None
    used_share: float | None


def _watts(judged: JudgedRun, load: float) -> list[tuple[float, float]]:
    """(V, W) of the input, as read, at this load, where the outputs were what they are to be: the first point of each
    line. Below, a stage gives less, and takes less: that is no operating point."""
    from zincsmith.analysis.envelope import Envelope
    from zincsmith.model.port import output_ports

    found: dict[float, float] = {}
    envelope = Envelope(judged.unit.nameplate)
    for point in judged.evidence.points:
        read = [point.get(name) for name in ("input_voltage", "input_power")]
        share = point.at.draw.share_percent
        if share is None or abs(share - load) > SAME_LOAD or not point.at.graded or any(r is None for r in read):
            continue
        if not all(_is_good(point, port, envelope.voltage_V(port)) for port in output_ports(judged.unit.nameplate)):
            continue
        values = [r.value for r in read if r is not None and r.value is not None]
        if len(values) == len(read):
            found.setdefault(round(values[0], 3), values[1])
    return list(found.items())


def _is_good(point: Point, port: str, nominal: float) -> bool:
    from zincsmith.model.address import at_port

    read = point.get(at_port("output_voltage", port))
    return read is not None and read.value is not None and abs(read.value / nominal - 1.0) <= GOOD


def _edges(judged: JudgedRun, load: float, lowest: float) -> tuple[float, float]:
    """(least input it runs at, input it comes up at) as the run found them for this load, else the lowest measured."""

    def of(name: str) -> float | None:
        near = [j.finding for j in judged.judged if j.finding.name == name and j.finding.value is not None]
        near = [f for f in near if f.at.draw.share_percent in (None, load)] or near
        return near[0].value if near else None

    least = of("dropout_input") or lowest
    return least, of("dropout_input_rising") or of("start_voltage") or least


def _cell(text: str) -> list[tuple[float, float]]:
    try:
        pairs = [tuple(float(x) for x in one.split(":")) for one in text.split(",")]
        return [(share / 100.0, volts) for share, volts in pairs]
    except ValueError:
        raise InputError(f"{text!r} is no cell; such as 100:4.2,50:3.7,0:3.0", key="cell") from None


def _lines(found: Carried) -> list[str]:
    low, high = found.measured_V
    lines = [f"Watts as measured from {low:.4g} to {high:.4g} V at {found.load_percent:g} % load."]
    if found.least_V < 0.99 * low:
        lines.append(f"Below, down to the {found.least_V:.4g} V it was found to run at, they are taken to be those.")
    if found.voltage_V is None:
        return [*lines, f"It is not carried: nowhere above {found.least_V:.4g} V does the source give what it takes."]
    lines.append(f"It would stand at {found.voltage_V:.4g} V and {found.current_A:.3g} A.")
    if found.comes_up:
        lines.append("It would come up there loaded.")
    else:
        lines.append(f"It would not come up there loaded: it starts at {found.starts_V:.4g} V.")
    if found.run_time_h is not None and found.used_share is not None:
        used = f"{100.0 * found.used_share:.0f} % of its charge"
        lines.append(f"The cell would last {found.run_time_h:.3g} h and give {used}.")
    return lines
