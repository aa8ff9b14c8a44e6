"""A capture given out: as a picture, a table of numbers, or HDF5."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from zincsmith.book.reader import BookReader
from zincsmith.history.captures import Held
from zincsmith.model.capture import TIMES, CaptureChannel
from zincsmith.model.errors import InputError
from zincsmith.model.quantities import QUANTITIES
from zincsmith.report.figures import HUES, INK, LINE

COLUMNS = 1600  # of a picture
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
    import matplotlib as mpl

    mpl.use("svg" if out.suffix.lower() == ".svg" else "agg")
    from matplotlib.figure import Figure

    one = held.capture
    span = one.count * one.step_s
    factor, unit = next(((f, u) for f, u in TIMES if span >= 2.0 * f), TIMES[-1])
    with mpl.rc_context({"font.family": "sans-serif", "svg.hashsalt": "zincsmith", "font.size": 9}):
        figure = Figure(figsize=(9.0, 2.1 * len(one.channels) + 0.7), layout="constrained")
        axes = figure.subplots(len(one.channels), sharex=True, squeeze=False)[:, 0]
        for pane, channel in zip(axes, one.channels, strict=True):
            drawn = channel.offset + channel.scale * book.traces.envelope(channel.sha256, 0, one.count, COLUMNS)
            each = -(-one.count // COLUMNS)
            times = (one.begin_s + one.step_s * each * np.arange(len(drawn))) / factor
            info = QUANTITIES[channel.address]
            color = HUES.get(info.kind, INK)
            style = "--" if info.side == "input" and each == 1 else "-"
            if each > 1:
                pane.fill_between(times, drawn[:, 0], drawn[:, 1], color=color, linewidth=0.6, step="post")
            else:
                pane.plot(times, drawn[:, 0], style, color=color, linewidth=1.0)
            pane.set_ylabel(f"{info.words}, {channel.unit}")
            pane.ticklabel_format(useOffset=False)
            pane.set_axisbelow(True)
            pane.grid(color=LINE, linewidth=0.5)
            pane.spines[["top", "right"]].set_visible(False)
            if one.trigger is not None or one.before:
                pane.axvline(0.0, color=INK, linewidth=0.7, linestyle=":")
        axes[-1].set_xlabel(f"time, {unit}")
        words = ", ".join(x for x in (one.of.replace("_", " "), held.point.at.words, one.instrument) if x)
        figure.suptitle(f"Run {held.run}, capture {held.number}: {words}", fontsize=10, x=0.01, ha="left")
        figure.savefig(out, metadata={"Date": None, "Creator": None} if out.suffix.lower() == ".svg" else None, dpi=150)
