"""Captures: from the socket into the book, panned in the window, and a book that holds many of them."""

from __future__ import annotations

import socket
import statistics
import subprocess
import sys
import time
import zlib
from collections.abc import Callable
from pathlib import Path

import numpy as np
from pyqtgraph import mkQApp
from PySide6.QtWidgets import QApplication

from zincsmith.bench.dialect import dialect_for
from zincsmith.bench.link import Link
from zincsmith.bench.oscilloscope import Oscilloscope
from zincsmith.book.reader import BookReader
from zincsmith.book.writer import BookWriter
from zincsmith.formats.packing import Packed, pack
from zincsmith.model.capture import Capture, CaptureChannel
from zincsmith.ui.widgets.trace_view import Shown, TraceView

SAMPLES = 10_000_000
TURNS = 5
MANY = 200
FRAMES = 120
Row = tuple[str, float, float, float, str]  # name, ratio, goal, milliseconds, spread

# Answers from memory, so that what is timed is the way into the book: the block, or a number for everything else.
PEER = """
import socket, sys
import numpy as np
rng = np.random.default_rng(1)
t = np.arange(int(sys.argv[1])) * 1e-9
codes = (60 * np.sin(2e5 * t) + rng.normal(0.0, 3.0, len(t))).astype(np.int8).tobytes()
block = b"#8" + b"%08d" % len(codes) + codes + b"\\n"
listener = socket.create_server(("127.0.0.1", 0))
listener.settimeout(120)
print(listener.getsockname()[1], flush=True)
while True:
    line, _ = listener.accept()
    line.settimeout(120)
    for command in line.makefile("rb"):
        if b"DATA?" in command:
            line.sendall(block)
        elif b"?" in command:
            line.sendall(b"0.001\\n")
"""


def measures(folder: Path) -> list[Row]:
    """Medians of interleaved turns."""
    mkQApp()
    packed = pack(_codes())
    return [_captured(folder), *_panned(folder, packed), _opened(folder)]


def _codes() -> np.ndarray:
    t = np.arange(SAMPLES) * 1e-9
    return (60 * np.sin(2e5 * t) + np.random.default_rng(1).normal(0.0, 3.0, SAMPLES)).astype("<i2")


def _of(ours: list[float], floor: list[float]) -> tuple[float, str]:
    ratios = [a / b for a, b in zip(ours, floor, strict=True)]
    return statistics.median(ratios), f"{min(ratios):.2f} to {max(ratios):.2f}"


def _seconds(work: Callable[[], object]) -> float:
    began = time.perf_counter()
    work()
    return time.perf_counter() - began


def _captured(folder: Path) -> Row:
    """From the socket into the book, over the bare transfer and one pass of zlib."""
    with subprocess.Popen([sys.executable, "-c", PEER, str(SAMPLES)], stdout=subprocess.PIPE, text=True) as peer:
        assert peer.stdout is not None
        port = int(peer.stdout.readline())
        try:
            ours, floor = [], []
            for turn in range(TURNS):
                with BookWriter(folder / f"capture-{turn}.zbook") as book:
                    ours.append(_seconds(lambda: book.keep_traces([_fetched(port)])))
                floor.append(_seconds(lambda: zlib.compress(_bare(port), 1)))
        finally:
            peer.terminate()
    ratio, spread = _of(ours, floor)
    return "10 M samples from socket to book", ratio, 1.5, 1000.0 * statistics.median(ours), spread


def _fetched(port: int) -> Packed:
    link = Link("scope", f"TCPIP::127.0.0.1::{port}::SOCKET")
    link.open()
    try:
        return pack(Oscilloscope(link, dialect_for("scope")).fetch(1, SAMPLES).codes, "i1")
    finally:
        link.close()


def _bare(port: int) -> bytearray:
    with socket.create_connection(("127.0.0.1", port)) as line:
        line.sendall(b"WAV:DATA? 1\n")
        left = SAMPLES + 11
        got = bytearray()
        while left:
            piece = line.recv(min(left, 1 << 20))
            got += piece
            left -= len(piece)
    return got


def _a_capture(sha256: str) -> Capture:
    channel = CaptureChannel("output_voltage", "V", sha256, 1e-3, 0.0, "i2")
    return Capture("long", (channel,), 1e-9, SAMPLES, SAMPLES // 2)


def _panned(folder: Path, packed: Packed) -> list[Row]:
    """A frame while ten million samples are dragged past, whole and close."""
    with BookWriter(folder / "long.zbook") as book:
        book.keep_traces([packed])
    with BookReader(folder / "long.zbook") as reader:
        view = TraceView()
        view.resize(1280, 400)
        view.show()
        capture = _a_capture(packed.sha256)
        view.show_capture(
            Shown("Long", capture, ()),
            lambda c, start, stop, width: reader.traces.envelope(c.sha256, start, stop, width),
        )
        QApplication.processEvents()
        span = SAMPLES * 1e-9
        frames = []
        for share in (0.7, 0.1, 0.001):
            for n in range(FRAMES // 3):
                low = capture.begin_s + (1.0 - share) * span * n / (FRAMES // 3)
                frames.append(_frame(view, low, low + share * span))
        view.close()
    median, worst = statistics.median(frames), max(frames)
    spread = f"{1000.0 * min(frames):.1f} to {1000.0 * worst:.1f} ms"
    return [
        ("pan of 10 M samples, a frame of 16 ms", median / 0.016, 1.0, 1000.0 * median, spread),
        ("pan of 10 M samples, the worst of 33 ms", worst / 0.033, 1.0, 1000.0 * worst, ""),
    ]


def _frame(view: TraceView, low: float, high: float) -> float:
    began = time.perf_counter()
    view.see(low, high)
    QApplication.processEvents()  # fetches and draws what is due, and paints it
    return time.perf_counter() - began


def _opened(folder: Path) -> Row:
    """A book with two hundred captures, over the same book without."""
    without, with_them = folder / "without.zbook", folder / "with.zbook"
    rng = np.random.default_rng(2)
    for path, count in ((without, 0), (with_them, MANY)):
        with BookWriter(path) as book:
            book.keep_traces(pack(rng.integers(-100, 100, 100_000).astype("<i2")) for _ in range(count))
    ours, floor = [], []
    for _ in range(5 * TURNS):
        ours.append(_seconds(lambda: BookReader(with_them).close()))
        floor.append(_seconds(lambda: BookReader(without).close()))
    ratio, spread = _of(ours, floor)
    return f"opening a book with {MANY} captures", ratio, 1.1, 1000.0 * statistics.median(ours), spread
