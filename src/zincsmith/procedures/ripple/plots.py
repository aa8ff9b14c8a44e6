"""What a record of ripple is made of, as plots: its parts one beside the other, and its spectrum."""

from __future__ import annotations

import numpy as np

from zincsmith.analysis.ripple import folded_on, switching_frequency
from zincsmith.model.capture import Capture, CaptureChannel
from zincsmith.model.reading import Evidence
from zincsmith.procedures.base import Curve, Curves

LOOKED_AT, SPECTRUM_OF = 262_144, 65_536  # samples, a few of the pieces that a book keeps together
DRAWN = 400  # places of a curve
TO_KHZ = 1000.0
MOST = 4
APART = 1.05  # of the span


def _records(evidence: Evidence, record: str) -> list[tuple[str, Capture, CaptureChannel]]:
    """(words of the point, capture, channel) of the first record of a kind at each place, the greatest loads first."""
    found: dict[str, tuple[str, Capture, CaptureChannel]] = {}
    points = [p for p in evidence.points if not p.at.background]
    for point in sorted(points, key=lambda p: -(p.at.draw.share_percent or 0.0)):
        for capture in point.captures:
            for channel in capture.channels:
                where = ", ".join(x for x in (point.at.words, channel.port) if x)
                if capture.said.get("record", record) == record and channel.quantity == "output_voltage":
                    found.setdefault(where, (where, capture, channel))
    return list(found.values())[:MOST]


def split_into_parts(evidence: Evidence) -> list[Curves]:
    """The record of the greatest load, what of it follows the switching, and what is left."""
    samples = evidence.traces
    for where, capture, channel in _records(evidence, "short")[:1]:
        if samples is None:
            break
        values = samples.read(channel, 0, min(LOOKED_AT, capture.count))
        about = values - float(np.mean(values))
        hertz = switching_frequency(about, capture.step_s)
        if hertz is None:
            break
        smooth = folded_on(about, capture.step_s, hertz).smooth
        times = capture.step_s * np.arange(len(about))
        place = (times * hertz) % 1.0 * len(smooth)
        follows = np.interp(place - 0.5, np.arange(len(smooth)), smooth, period=len(smooth))
        apart = APART * 1e3 * float(np.ptp(about))  # each in a band of its own
        parts = (("record", about), ("follows the switching", follows), ("spikes and noise", about - follows))
        lines = tuple(
            _line(f"{name}, {k * apart:.0f} mV lower" if k else name, 1e6 * times, 1e3 * part - k * apart)
            for k, (name, part) in enumerate(parts)
        )
        title = f"Ripple by its parts, {where}"
        return [Curves(title, "time", "µs", "output volts", "mV", "voltage", lines, marked=False)]
    return []


def spectra(evidence: Evidence) -> list[Curves]:
    """Amplitudes over frequency of the long records, in dB over 1 µV, the greatest of each of so many stretches."""
    samples = evidence.traces
    lines: list[Curve] = []
    for where, capture, channel in _records(evidence, "long")[:1]:
        if samples is None:
            break
        values = samples.read(channel, 0, min(SPECTRUM_OF, capture.count))
        window = np.hanning(len(values))
        size = np.abs(np.fft.rfft((values - float(np.mean(values))) * window)) * 2.0 / float(np.sum(window))
        hertz = np.fft.rfftfreq(len(values), capture.step_s)
        kept = (hertz > 0.0) & (hertz <= 1e3 * TO_KHZ)
        size, kilohertz = size[kept], 1e-3 * hertz[kept]
        each = max(1, len(size) // DRAWN)
        starts = np.arange(0, len(size), each)
        most = 20.0 * np.log10(np.maximum(np.maximum.reduceat(size, starts), 1e-9) / 1e-6)
        lines.append((where, [float(v) for v in kilohertz[starts]], [float(v) for v in most]))
    if not lines:
        return []
    of = ("frequency", "kHz", "amplitude", "dBµV", "voltage")
    return [Curves("Spectrum of the ripple", *of, tuple(lines), marked=False)]


def _line(name: str, x: np.ndarray, y: np.ndarray) -> Curve:
    """The least and the greatest of so many stretches."""
    each = max(1, len(x) // DRAWN)
    starts = np.arange(0, len(x), each)
    both = np.stack([np.minimum.reduceat(y, starts), np.maximum.reduceat(y, starts)], axis=1).reshape(-1)
    at = np.repeat(x[starts], 2)
    return name, [float(v) for v in at], [float(v) for v in both]
