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
from zincsmith.model.address import name_of
from zincsmith.model.capture import Capture, CaptureChannel
from zincsmith.model.commands import FileRequest
from zincsmith.model.errors import BookError, InputError
from zincsmith.model.events import FileTaken, PartBegan, PartEnded, PointTaken, RunClosed, RunOpened
from zincsmith.model.fed import as_fed
from zincsmith.model.plan import Plan
from zincsmith.model.quantities import QUANTITIES
from zincsmith.model.reading import FROM_FILE, WRITTEN, Point, Reading
from zincsmith.model.rig import Accuracy, Instrument, Rig
from zincsmith.planning.composer import lines_for
from zincsmith.planning.readings import reading_of
from zincsmith.procedures.catalogue import intake as intake_of
from zincsmith.procedures.catalogue import suits
from zincsmith.procedures.intake import Intake, TakenAt
from zincsmith.recorded.file_point import BASES, QUANTITY, FilePoint, Value
from zincsmith.recorded.joined import columns_of

MOST_BYTES = 200_000_000
COLUMNS = {**QUANTITY, "spot_temperature_degC": "spot_temperature"}  # as a file of accuracies calls them


def take_in(book: BookWriter, unit_key: str, asked: FileRequest) -> int:
    """Write a run of what the files hold; returns its number. InputError, with nothing written, when refused."""
    rig = book.rig()
    unit = as_fed(book.unit(unit_key), rig)
    unit_n, rig_n = book.head("unit", unit_key), book.head("rig", "bench")
    if unit_n is None or rig_n is None:
        raise BookError("there is no unit or no rig yet")
    if not asked.operator.strip():
        raise InputError("somebody answers for a file that is taken in: name them", key="operator")
    done, intake = intake_of(asked.kind)
    if not intake.evidence:
        raise InputError(f"{asked.kind} is worked out of a file (zincsmith analyse) and not taken in as evidence yet")
    unfit = suits(done.name, unit.nameplate)
    if unfit:
        raise InputError(unfit)
    found = replace(_columns(asked, intake), called=asked.called)
    held = intake.points(found, asked, TakenAt(unit, lines_for(unit, rig), asked.instrument or _meter_name(rig)))
    how = WRITTEN if intake.written else FROM_FILE
    accuracy = read_accuracy(asked.accuracy, (*BASES, *COLUMNS)) if asked.accuracy is not None else {}
    run = book.next_run()
    taken = [_point(one, n, run, rig, asked, how, accuracy, found) for n, one in enumerate(held.points, 1)]
    names = tuple(f.name for f in asked.files)
    plan = Plan("Written down" if intake.written else f"Taken in: {', '.join(names)}", (held.options,))
    events: list[FileTaken | PartBegan | PointTaken | PartEnded | RunClosed] = []
    for file in (
        *asked.files,
        *((asked.background,) if asked.background is not None else ()),
    ):  # first, so that what the run names is there when it is
        data = file.read_bytes()
        sha256 = hashlib.sha256(data).hexdigest()
        book.keep_source(sha256, file.name, data)
        events.append(FileTaken(file.name, sha256, asked.kind, asked.instrument, (*found.notes, *held.notes)))
    for one in held.points:
        book.keep_waves(one.samples)
        book.keep_traces(one.packed)
    events.append(PartBegan(0, done.name, done.version))
    events += [PointTaken(point) for point in taken]
    events += [PartEnded(0, "complete"), RunClosed("complete", _said(intake), True)]
    plan_n = book.keep_revision("plan", "plan", plan, "of a file that was taken in")
    opened = RunOpened(
        unit_key, unit_n, rig_n, plan_n, ((done.name, done.version),), asked.operator.strip(), asked.ambient_degC,
        False, f"zincsmith {__version__}",
    )  # fmt: skip
    return book.write_run(opened, events)


def _said(intake: Intake) -> str:
    if intake.written:
        return "written down by hand; the program energised nothing"
    return "taken in from a file; nothing was energised"


def _columns(asked: FileRequest, intake: Intake) -> Columns:
    if not 1 <= len(asked.files) <= intake.files:
        raise InputError(f"{asked.kind}: {intake.files} at most, {len(asked.files)} files were named")
    for file in asked.files:
        if file.is_file() and file.stat().st_size > MOST_BYTES:
            raise InputError(f"is larger than {MOST_BYTES // 1_000_000} MB: cut it", file=str(file))
    return columns_of(asked.files, asked.time)


def _meter_name(rig: Rig) -> str:
    meter = rig.instrument("power_meter")
    return meter.name if meter is not None else "power meter"


def _point(
    one: FilePoint, number: int, run: int, rig: Rig, asked: FileRequest, how: str,
    accuracy: Mapping[str, ColumnAccuracy],
    found: Columns,
) -> Point:  # fmt: skip
    readings = tuple(
        _reading(f"{run}/{number}/{name}", name, value, rig, asked, how, accuracy, found)
        for name, value in one.values.items()
    )
    captures = tuple(_capture(c, rig, asked, accuracy) for c in one.captures)
    return Point(number, one.at, readings, float(number), waves=one.waves, captures=captures)


def _capture(one: Capture, rig: Rig, asked: FileRequest, accuracy: Mapping[str, ColumnAccuracy]) -> Capture:
    """With the data sheet of what recorded it: that which was said for its columns, else that of the rig's scope."""
    scope = rig.instrument("scope") if not asked.instrument else None
    source = asked.instrument or (scope.name if scope is not None else one.file)
    channels = tuple(_channel(c, scope, accuracy) for c in one.channels)
    return replace(one, instrument=source, channels=channels)


def _channel(one: CaptureChannel, scope: Instrument | None, accuracy: Mapping[str, ColumnAccuracy]) -> CaptureChannel:
    sheet = accuracy.get(f"{one.quantity}_{one.unit}")
    if sheet is not None:
        span = sheet.range if isinstance(sheet.range, int | float) else None
        return replace(
            one, span=span, reading_percent=sheet.reading_percent, range_percent=sheet.range_percent,
            offset_limit=sheet.offset, known=True,
        )  # fmt: skip
    row = next((a for a in scope.accuracy if a.quantity == one.quantity), None) if scope is not None else None
    if row is None:
        return one
    return replace(
        one, span=row.range, reading_percent=row.reading_percent, range_percent=row.range_percent,
        offset_limit=row.offset, known=True,
    )  # fmt: skip


def _reading(
    key: str, quantity: str, value: Value, rig: Rig, asked: FileRequest, how: str,
    accuracy: Mapping[str, ColumnAccuracy],
    found: Columns,
) -> Reading:  # fmt: skip
    role = QUANTITIES[quantity].role
    column = next(c for c, q in COLUMNS.items() if q == name_of(quantity))
    meter = rig.instrument(role)
    if asked.instrument or meter is None:
        meter = Instrument(name_of(role), "by hand", kind=asked.instrument or asked.files[0].name)
    row = _stated(quantity, accuracy[column], value, found) if column in accuracy else None
    return reading_of(
        key,
        quantity,
        value.value,
        meter,
        row,
        text=f"{value.value:.10g}" if how == WRITTEN else value.text,
        spread=value.spread,
        count=value.count,
        how=how,
    )


def _stated(quantity: str, sheet: ColumnAccuracy, value: Value, found: Columns) -> Accuracy:
    """The data sheet of a column for one of its values. InputError for a range that is not there."""
    upper = sheet.range
    if isinstance(upper, str):
        ranges = found.values.get(upper)
        if ranges is None or value.row is None or not ranges[value.row] > 0.0:
            raise InputError(f"the range is said to stand in column {upper!r}, which is not there", key=quantity)
        upper = float(ranges[value.row])
    return Accuracy(
        name_of(quantity), upper or 0.0, sheet.reading_percent, sheet.range_percent, sheet.offset, sheet.resolution,
        sheet.noise,
        sheet.nonlinearity_percent,
    )  # fmt: skip
