"""A capture given out: as a picture, a table of numbers, or HDF5."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from zincsmith.book.reader import BookReader
from zincsmith.history.captures import Held
from zincsmith.model.capture import TIMES, CaptureChannel
from zincsmith.model.errors import InputError
from zincsmith.model.quantities import QUANTITIES
from zincsmith.report.drawn import INK, Array, Pane, text, whole
from zincsmith.report.figures import HUES

COLUMNS = 1600  # of a picture
WIDE, PANE, SHOWN = 900.0, 190.0, 1.5  # px, of all and of the pane of a channel; and how much larger as PNG
PIECE = 65_536  # rows that are written at once


def write_capture(book: BookReader, held: Held, out: Path) -> None:
    """By the suffix of ``out``: .svg, .png, .csv, .h5 or .hdf5. InputError for another, or where it cannot be
    written."""
    writers = {".svg": _picture, ".png": _picture, ".csv": _table, ".h5": _hdf5, ".hdf5": _hdf5}
    write = writers.get(out.suffix.lower())
    if write is None:
        raise InputError(f"{out.suffix or 'no suffix'}: .svg, .png, .csv or .h5 is wanted", file=str(out))
    try:
        write(book, held, out)
    except OSError as error:
        raise InputError(f"cannot be written ({error.strerror or error})", file=str(out)) from None


def _head(channel: CaptureChannel) -> str:
    return f"{channel.address}_{channel.unit}"


def _table(book: BookReader, held: Held, out: Path) -> None:
    one = held.capture
    with out.open("w", encoding="utf-8", newline="") as file:
        file.write(",".join(["time_s", *map(_head, one.channels)]) + "\n")
        for start in range(0, one.count, PIECE):
            stop = min(one.count, start + PIECE)
            columns = [one.begin_s + one.step_s * np.arange(start, stop)]
            columns += [c.offset + c.scale * book.traces.read(c.sha256, start, stop) for c in one.channels]
            np.savetxt(file, np.stack(columns, axis=1), fmt="%.10g", delimiter=",")


def _hdf5(book: BookReader, held: Held, out: Path) -> None:
    import h5py

    one = held.capture
    with h5py.File(out, "w") as file:
        file.attrs.update({"step_s": one.step_s, "begin_s": one.begin_s, "of": one.of, "at": held.at, "run": held.run})
        for channel in one.channels:
            made = file.create_dataset(channel.address, (one.count,), dtype=channel.code, chunks=True, compression=1)
            made.attrs.update({"unit": channel.unit, "scale": channel.scale, "offset": channel.offset})
            for start in range(0, one.count, PIECE):
                stop = min(one.count, start + PIECE)
                made[start:stop] = book.traces.read(channel.sha256, start, stop)


def _picture(book: BookReader, held: Held, out: Path) -> None:
    svg = picture_of(book, held)
    if out.suffix.lower() == ".svg":
        out.write_text(svg, "utf-8")
        return
    from zincsmith.report.pdf import png_of

    out.write_bytes(png_of(svg, SHOWN * WIDE))


def picture_of(book: BookReader, held: Held) -> str:
    """Each channel in a pane of its own, over one time, as SVG."""
    one = held.capture
    factor, unit = next(((f, u) for f, u in TIMES if one.count * one.step_s >= 2.0 * f), TIMES[-1])
    words = ", ".join(x for x in (one.of.replace("_", " "), held.point.at.words, one.instrument) if x)
    title = f"Run {held.run}, capture {held.number}: {words}"
    parts, top = [text(6.0, 18.0, title, 13.0, INK)], 32.0
    each, columns = -(-one.count // COLUMNS), []
    for channel in one.channels:
        drawn = channel.offset + channel.scale * book.traces.envelope(channel.sha256, 0, one.count, COLUMNS)
        columns.append((channel, np.sort(drawn, axis=1)))
    times = (one.begin_s + one.step_s * each * np.arange(len(columns[0][1]))) / factor
    labels = max(Pane.over((0.0, 0.0, WIDE, PANE), (0.0, 1.0), _reach(d)).left for _, d in columns)
    for n, (channel, drawn) in enumerate(columns):
        pane = Pane.over((4.0, top, WIDE - 16.0, PANE), (float(times[0]), float(times[-1])), _reach(drawn), labels)
        info, last = QUANTITIES[channel.address], n == len(columns) - 1
        parts += pane.frame(f"time, {unit}", f"{info.words}, {channel.unit}", last)
        color = HUES.get(info.kind, INK)
        if each > 1:
            parts.append(pane.band(times, drawn[:, 0], drawn[:, 1], color))
        else:
            parts.append(pane.curve(times, drawn[:, 0], color, 1.0, "6 3" if info.side == "input" else ""))
        if one.trigger is not None or one.before:
            parts.append(pane.moment(0.0))
        top += PANE + 14.0
    return whole(WIDE, top + 30.0, parts, title)


def _reach(drawn: Array) -> tuple[float, float]:
    low, high = float(np.min(drawn)), float(np.max(drawn))
    room = 0.06 * (high - low)
    return low - room, high + room
