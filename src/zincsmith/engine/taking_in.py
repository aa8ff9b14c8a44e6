"""Recorded files as evidence: a run of the book whose points were taken elsewhere, judged like any other.

The file itself is kept with its hash. Readings are those of the rig's instruments, with their accuracies and what the
wiring adds, unless another instrument is named; then its accuracy comes from a file, or is not known.
"""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from dataclasses import replace

from zincsmith import __version__
from zincsmith.book.writer import BookWriter
from zincsmith.formats.accuracy_file import ColumnAccuracy, read_accuracy
from zincsmith.formats.columns import Columns
from zincsmith.formats.table_file import read_columns
from zincsmith.model.commands import FileRequest
from zincsmith.model.errors import BookError, InputError
from zincsmith.model.events import FileTaken, PartBegan, PartEnded, PointTaken, RunClosed, RunOpened
from zincsmith.model.plan import LINES, Line, Options, Plan
from zincsmith.model.quantities import QUANTITIES
from zincsmith.model.reading import FROM_FILE, WRITTEN, Point, Reading
from zincsmith.model.rig import Accuracy, Instrument, Rig
from zincsmith.model.unit import Unit
from zincsmith.planning.composer import lines_for
from zincsmith.planning.readings import reading_of
from zincsmith.procedures.catalogue import procedure, suits
from zincsmith.procedures.harmonics.options import HarmonicOptions
from zincsmith.procedures.standby.options import StandbyOptions
from zincsmith.procedures.static_grid.options import GridOptions
from zincsmith.recorded.as_points import (
    OF_A_SWEEP,
    QUANTITY,
    FilePoint,
    Value,
    point_of_waves,
    points_of_standby,
    points_of_table,
)
from zincsmith.recorded.joined import joined
from zincsmith.recorded.points import BASES

MOST_BYTES = 200_000_000


def take_in(book: BookWriter, unit_key: str, asked: FileRequest) -> int:
    """Write a run of what the files hold; returns its number. InputError, with nothing written, when refused."""
    unit, rig = book.unit(unit_key), book.rig()
    unit_n, rig_n = book.head("unit", unit_key), book.head("rig", "bench")
    if unit_n is None or rig_n is None:
        raise BookError("there is no unit or no rig yet")
    if not asked.operator.strip():
        raise InputError("somebody answers for a file that is taken in: name them", key="operator")
    found = replace(_columns(asked), called=asked.called)
    points, options, notes = _points(found, asked, unit, rig)
    accuracy = read_accuracy(asked.accuracy, tuple(BASES)) if asked.accuracy is not None else {}
    run = book.next_run()
    taken = [_point(one, n, run, rig, asked, accuracy, found) for n, one in enumerate(points, 1)]
    names = tuple(f.name for f in asked.files)
    plan = Plan("Written down" if asked.kind == "typed" else f"Taken in: {', '.join(names)}", (options,))
    events: list[FileTaken | PartBegan | PointTaken | PartEnded | RunClosed] = []
    for file in asked.files:  # first, so that what the run names is there when it is
        data = file.read_bytes()
        sha256 = hashlib.sha256(data).hexdigest()
        book.keep_source(sha256, file.name, data)
        events.append(FileTaken(file.name, sha256, asked.kind, asked.instrument, (*found.notes, *notes)))
    for one in points:
        book.keep_waves(one.samples)
    done = procedure(options.procedure)
    events.append(PartBegan(0, done.name, done.version))
    events += [PointTaken(point) for point in taken]
    events += [PartEnded(0, "complete"), RunClosed("complete", _said(asked), True)]
    plan_n = book.keep_revision("plan", "plan", plan, "of a file that was taken in")
    opened = RunOpened(
        unit_key, unit_n, rig_n, plan_n, ((done.name, done.version),), asked.operator.strip(), asked.ambient_degC,
        False, f"zincsmith {__version__}",
    )  # fmt: skip
    return book.write_run(opened, events)


def _said(asked: FileRequest) -> str:
    if asked.kind == "typed":
        return "written down by hand; the program energised nothing"
    return "taken in from a file; nothing was energised"


def _columns(asked: FileRequest) -> Columns:
    most = 2 if asked.kind == "power" else 1
    if not 1 <= len(asked.files) <= most:
        raise InputError(f"{asked.kind}: {most} at most, {len(asked.files)} files were named")
    for file in asked.files:
        if file.is_file() and file.stat().st_size > MOST_BYTES:
            raise InputError(f"is larger than {MOST_BYTES // 1_000_000} MB: cut it", file=str(file))
    found = read_columns(asked.files[0])
    return joined(found, read_columns(asked.files[1]), asked.time) if len(asked.files) == 2 else found


def _points(
    found: Columns, asked: FileRequest, unit: Unit, rig: Rig
) -> tuple[list[FilePoint], Options, tuple[str, ...]]:
    unfit = suits({"standby": "standby", "power": "harmonics"}.get(asked.kind, "static_grid"), unit.nameplate)
    if unfit:
        raise InputError(unfit)
    if asked.kind in ("points", "typed"):
        known = (*((asked.line,) if asked.line is not None else ()), *lines_for(unit, rig), *LINES)
        hertz = asked.line.frequency_Hz if asked.line is not None else None
        output = unit.nameplate.output
        needed = ("input_voltage_V",) if asked.kind == "typed" else OF_A_SWEEP
        points = points_of_table(found, known, hertz, output.current_A, output.rated_power_W, needed)
        lines = tuple(dict.fromkeys(Line(p.at.line_V, p.at.frequency_Hz) for p in points))
        loads = tuple(dict.fromkeys(p.at.load_percent for p in points))
        at = {(p.at.line_V, p.at.frequency_Hz, p.at.load_percent)
              for p in points}  # fmt: skip
        every = [(x.voltage_V, x.frequency_Hz, load) for x in lines for load in loads]
        return points, GridOptions(lines=lines, loads_percent=loads, dropped=tuple(k for k in every if k not in at)), ()
    if asked.line is None:
        raise InputError("the file does not say at which line it was recorded: name it, such as 230 50", key="line")
    if asked.kind == "standby":
        blocks, notes = points_of_standby(found, asked.time, asked.power, asked.line)
        return blocks, StandbyOptions(lines=(asked.line,)), notes
    source = asked.instrument or _meter_name(rig)
    point, notes = point_of_waves(
        found, asked.time, asked.voltage, asked.current, asked.line, asked.load_percent, source
    )
    return [point], HarmonicOptions(lines=(asked.line,), loads_percent=(asked.load_percent,)), notes


def _meter_name(rig: Rig) -> str:
    meter = rig.instrument("power_meter")
    return meter.name if meter is not None else "power meter"


def _point(
    one: FilePoint, number: int, run: int, rig: Rig, asked: FileRequest, accuracy: Mapping[str, ColumnAccuracy],
    found: Columns,
) -> Point:  # fmt: skip
    readings = tuple(
        _reading(f"{run}/{number}/{name}", name, value, rig, asked, accuracy, found)
        for name, value in one.values.items()
    )
    return Point(number, one.at, readings, float(number), waves=one.waves)


def _reading(
    key: str, quantity: str, value: Value, rig: Rig, asked: FileRequest, accuracy: Mapping[str, ColumnAccuracy],
    found: Columns,
) -> Reading:  # fmt: skip
    role = QUANTITIES[quantity].role
    column = next(c for c, q in QUANTITY.items() if q == quantity)
    meter = rig.instrument(role)
    if asked.instrument or meter is None:
        meter = Instrument(role, "by hand", kind=asked.instrument or asked.files[0].name)
    row = _stated(quantity, accuracy[column], value, found) if column in accuracy else None
    return reading_of(
        key,
        quantity,
        value.value,
        meter,
        row,
        text=_text(value, asked),
        spread=value.spread,
        count=value.count,
        how=WRITTEN if asked.kind == "typed" else FROM_FILE,
    )


def _text(value: Value, asked: FileRequest) -> str:
    return f"{value.value:.10g}" if asked.kind == "typed" else value.text


def _stated(quantity: str, sheet: ColumnAccuracy, value: Value, found: Columns) -> Accuracy:
    """The data sheet of a column for one of its values. InputError for a range that is not there."""
    upper = sheet.range
    if isinstance(upper, str):
        ranges = found.values.get(upper)
        if ranges is None or value.row is None or not ranges[value.row] > 0.0:
            raise InputError(f"the range is said to stand in column {upper!r}, which is not there", key=quantity)
        upper = float(ranges[value.row])
    return Accuracy(
        quantity, upper or 0.0, sheet.reading_percent, sheet.range_percent, sheet.offset, sheet.resolution, sheet.noise,
        sheet.nonlinearity_percent,
    )  # fmt: skip
