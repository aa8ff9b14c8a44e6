"""What stands on a DC output: peak to peak and rms, the parts that follow the line and the switching, spikes at edges.

Every figure is of the record as it is: nothing is claimed of what the record cannot show, and None says so.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]

LIMITED_FROM_HZ = 100e6  # below this sample rate the recursion's -3 dB would lie too high (23.4 MHz for 20 MHz)
TAUS_DISCARDED = 5.0
LOW_SHARE, HIGH_SHARE = 0.0005, 0.9995  # quantiles of the percentile span, a figure of the house
LINE_ORDERS = 40
LINE_SAMPLES = 65_536  # the record is averaged to at most so many before orders of the line are fitted
SWITCHING_FROM_HZ = 10e3  # no converter of the kinds tested here switches lower; common practice, no source
LEAST_CYCLES = 5.0  # of the lowest component a record has to hold
LEAST_SAMPLES = 10.0  # a switching period has to have
STANDS_OUT = 5.0  # times the middle of the spectrum around: a line of it
LONG = 2_000_000  # samples
BLOCK_LOSES = 30.0  # natural units of decay over a block of the recursion
BINS = 200  # of a folded period
RANKED_FROM = 20_000  # samples of a record tell where its ends lie
THINNED = 4  # samples are one before the switching is looked for: half a sample rate still above n / LEAST_SAMPLES
FOLDED_SAMPLES = 2_000_000  # more say nothing further about the mean period
RINGS = 6.0  # times what a bin scatters: an edge with its ringing
LEAST_AROUND = 3  # places
AROUND = 0.05  # of a period: over which an edge is looked past


@dataclass(frozen=True)
class Line:
    """Orders of the line frequency as fitted: ``orders_V`` amplitudes, peak, from order 1; ``fitted`` (n,) at the
    places of ``times_s``."""

    frequency_Hz: float
    orders_V: Array
    peak_to_peak_V: float


@dataclass(frozen=True)
class Switching:
    """``folded`` (bins,) is the mean period, ``smooth`` the same looked past its edges, ``edges`` (bins,) where those
    are; V."""

    frequency_Hz: float
    folded: Array
    smooth: Array
    edges: NDArray[np.bool_]
    peak_to_peak_V: float


@dataclass(frozen=True)
class Ripple:
    """Figures of one record in V; None where the record does not show it."""

    dc_level_V: float
    peak_to_peak_V: float
    percentile_V: float
    rms_V: float
    limited_V: float | None
    line: Line | None
    switching: Switching | None
    spike_V: float | None
    samples: int
    step_s: float


def ripple_of(volts: Array, step_s: float, line_Hz: float | None = None, bandwidth_Hz: float = 20e6) -> Ripple:
    """Everything that one record shows. ``volts`` (n,) at even steps of ``step_s``. ValueError below 16 samples."""
    if len(volts) < 16:
        raise ValueError("a record of fewer than 16 samples shows no ripple")
    level = float(np.mean(volts))
    about = volts - level
    line = line_part(about, step_s, line_Hz) if line_Hz is not None else None
    frequency = switching_frequency(about, step_s)  # far above every order of the line
    rest = about[:FOLDED_SAMPLES]
    if line is not None and frequency is not None:
        rest = rest - line_at(line, len(rest), step_s)
    switching = folded_on(rest, step_s, frequency) if frequency is not None else None
    rms = float(np.sqrt(np.dot(about, about) / len(about)))
    return Ripple(
        level, float(np.max(volts) - np.min(volts)), percentile_span(volts), rms,
        limited_peak_to_peak(volts, step_s, bandwidth_Hz), line, switching, _spikes(rest, step_s, switching),
        len(volts), step_s,
    )  # fmt: skip


def percentile_span(volts: Array) -> float:
    """The span of the 0.05 to 99.95 % quantiles: what single spikes do not decide."""
    last = len(volts) - 1
    return _ranked(volts, math.ceil(HIGH_SHARE * last), -1.0) - _ranked(volts, int(LOW_SHARE * last), 1.0)


def _ranked(volts: Array, rank: int, towards: float) -> float:
    """The sample of that rank, exactly, from an end: what a sample of the record tells to lie far from that end (1.0
    the low one, -1.0 the high one) is not sorted."""
    wanted = rank if towards > 0.0 else len(volts) - 1 - rank
    beyond = float(np.quantile(volts[:: max(1, len(volts) // RANKED_FROM)], 0.5 - towards * (0.5 - 4.0 * LOW_SHARE)))
    near = volts[volts <= beyond] if towards > 0.0 else -volts[volts >= beyond]
    if len(near) <= wanted:  # the sample told it wrong
        near = volts * towards
    return float(np.partition(near, wanted)[wanted]) * towards


def low_passed(volts: Array, step_s: float, bandwidth_Hz: float) -> Array:
    """A first-order low-pass with that -3 dB frequency, y += (1 - exp(-T / tau)) (x - y) from y0 = x0 on, without the
    first five time constants. Empty where the record is no longer than these."""
    tau = 1.0 / (2.0 * math.pi * bandwidth_Hz)
    keeps = math.exp(-step_s / tau)  # of what was, from sample to sample
    if len(volts) > LONG:
        from scipy.signal import lfilter  # costs a second to import, which a long record gives back

        run, _ = lfilter([1.0 - keeps], [1.0, -keeps], volts, zi=[keeps * volts[0]])
        return np.asarray(run[math.ceil(TAUS_DISCARDED * tau / step_s) :], dtype=np.float64)
    # The recursion a block at a time: within one as a sum of what is weighted up by what will have been lost of it, and
    # blocks so short that the weights stay far from what a number can hold.
    length = max(1, min(len(volts), round(BLOCK_LOSES / -math.log(keeps)))) if keeps > 0.0 else 1
    whole = len(volts) // length * length
    lost = keeps ** np.arange(1, length + 1)
    blocks = np.cumsum(volts[:whole].reshape(-1, length) * ((1.0 - keeps) / lost), axis=1)
    blocks *= lost
    ahead, carried = float(volts[0]), np.empty(len(blocks))
    for k, last in enumerate(blocks[:, -1].tolist()):
        carried[k] = ahead
        ahead = last + ahead * float(lost[-1])
    blocks += carried[:, None] * lost
    found = [blocks.reshape(-1)]
    if whole < len(volts):
        rest = np.cumsum(volts[whole:] * ((1.0 - keeps) / lost[: len(volts) - whole])) * lost[: len(volts) - whole]
        found.append(rest + ahead * lost[: len(volts) - whole])
    joined = np.concatenate(found) if len(found) > 1 else found[0]
    return np.asarray(joined[math.ceil(TAUS_DISCARDED * tau / step_s) :], dtype=np.float64)


def limited_peak_to_peak(volts: Array, step_s: float, bandwidth_Hz: float) -> float | None:
    """Peak to peak behind that low-pass; None where the record is sampled too slowly for it, or too short."""
    if 1.0 / step_s < LIMITED_FROM_HZ * bandwidth_Hz / 20e6 * (1.0 - 1e-9):
        return None
    limited = low_passed(volts, step_s, bandwidth_Hz)
    return float(np.max(limited) - np.min(limited)) if len(limited) else None


def corrected_rms(rms_V: float, background_V: float) -> float | None:
    """The rms freed of a background that has nothing to do with the unit, in quadrature; None where that is larger."""
    return math.sqrt(rms_V**2 - background_V**2) if rms_V > background_V else None


NEAR_NYQUIST, OF_RMS, ABOVE_MEDIAN = 0.8, 0.1, 30.0
LOOKED_AT = 65_536  # samples


def folds_back(about: Array, step_s: float, bandwidth_Hz: float | None) -> bool:
    """Whether what is faster than half the sample rate may stand in a record at frequencies that it does not have: the
    front end was wider than that, or a single line stands in the highest fifth of the spectrum, where nothing had room
    to fall off. ``about`` (n,) is the record without its mean; None: nobody said how wide the front end was."""
    if bandwidth_Hz is not None:
        return bandwidth_Hz > 0.5 / step_s
    piece = about[:LOOKED_AT]
    size = np.abs(np.fft.rfft(piece * np.hanning(len(piece)))) * 2.0**1.5 / len(piece)  # rms of each line
    top = size[int(NEAR_NYQUIST * len(size)) : -1]
    if len(top) < 8:
        return False
    return bool(np.max(top) > OF_RMS * float(np.std(piece)) and np.max(top) > ABOVE_MEDIAN * float(np.median(top)))


# What follows the line


def line_part(about: Array, step_s: float, line_Hz: float) -> Line | None:
    """The orders of a line frequency by least squares, as many as the record tells apart; None below one period."""
    if len(about) * step_s * line_Hz < 1.0:
        return None
    block = max(1, math.ceil(len(about) / LINE_SAMPLES))
    count = len(about) // block
    means = about[: count * block].reshape(count, block).mean(axis=1)
    width_s = block * step_s
    times = (np.arange(count) + 0.5) * width_s
    orders = np.arange(1, LINE_ORDERS + 1)
    orders = orders[orders * line_Hz < 0.4 / width_s]
    if not len(orders):
        return None
    # By its normal equations: from one whole period on the orders are close to orthogonal.
    turns = np.cumprod(np.broadcast_to(np.exp(2.0j * math.pi * line_Hz * times), (len(orders), count)), axis=0)
    basis = np.concatenate([turns.real, turns.imag])
    fitted = np.linalg.solve(basis @ basis.T, basis @ means)
    # A mean over a block is smaller than the sine by sinc: taken off again.
    whole = np.sinc(orders * line_Hz * width_s)
    cosines, sines = fitted[: len(orders)] / whole, fitted[len(orders) :] / whole
    period = np.linspace(0.0, 2.0 * math.pi, 2000, endpoint=False)[:, None] * orders
    wave = np.cos(period) @ cosines + np.sin(period) @ sines
    return Line(line_Hz, np.stack([cosines, sines]), float(np.max(wave) - np.min(wave)))


def line_at(line: Line, count: int, step_s: float) -> Array:
    """What follows the line, at each of the first ``count`` samples: one period looked up."""
    orders = np.arange(1, line.orders_V.shape[1] + 1)
    places = np.linspace(0.0, 1.0, 4097)
    phase = 2.0 * math.pi * places[:, None] * orders
    wave = np.cos(phase) @ line.orders_V[0] + np.sin(phase) @ line.orders_V[1]
    at = _places(count, step_s, line.frequency_Hz, first=0.5)
    return np.asarray(np.interp(at, places, wave), dtype=np.float64)


def _places(count: int, step_s: float, hertz: float, first: float = 0.0) -> Array:
    """Where in its period each sample of a record stands, 0 to 1; the first one ``first`` samples into it."""
    at = np.arange(count, dtype=np.float64)
    at += first
    at *= step_s * hertz
    at -= np.floor(at)
    return at


# What follows the switching


def switching_frequency(about: Array, step_s: float) -> float | None:
    """The fundamental of what is periodic above the line: the strongest line of the spectrum weighted by 1 / f, so that
    a comb of edges does not hide what makes it; between the bins by Jacobsen's estimator. None where nothing stands
    out, or the record holds too few cycles or samples of it. ``about`` is the record without its mean."""
    count = len(about) // THINNED
    used = THINNED * count
    # What the means alias down to f they also take down by as much as the weight 1 / f gives back: no false winner.
    spectrum = np.fft.rfft(sum((about[k:used:THINNED] for k in range(1, THINNED)), about[:used:THINNED]))
    hertz = 1.0 / (used * step_s)
    first = math.ceil(max(SWITCHING_FROM_HZ, LEAST_CYCLES * hertz) / hertz)
    last = min(int(used / LEAST_SAMPLES), len(spectrum) - 2)
    if last <= first + 2:
        return None
    size = np.abs(spectrum[first : last + 1])
    weighted = size / np.arange(first, last + 1)
    k = int(np.argmax(weighted))
    around = size[max(0, k // 2 - first // 2) : min(len(size), 2 * k + first)]
    if size[k] < STANDS_OUT * float(np.median(around)) or size[k] <= 1e-12:
        return None
    at = first + k
    # Phases as told from the middle of the record: backwards it is the same.
    turn = np.exp(1.0j * math.pi / count)
    before, here, after = spectrum[at - 1] * turn, spectrum[at], spectrum[at + 1] / turn
    below = 2.0 * here - before - after
    shift = float(np.real((before - after) / below)) if abs(below) > 0.0 else 0.0
    return (at + max(-0.5, min(0.5, shift))) * hertz


def folded_on(used: Array, step_s: float, frequency: float) -> Switching:
    """The record folded on the switching period, and the same looked past its edges."""
    bins = int(min(BINS, max(16, len(used) // 8)))
    place = _places(len(used), step_s, frequency)
    at = np.minimum((place * bins).astype(np.int64), bins - 1)
    count = np.bincount(at, minlength=bins)
    total = np.bincount(at, weights=used, minlength=bins)
    square = np.bincount(at, weights=used**2, minlength=bins)
    there = count > 0
    folded = np.interp(np.arange(bins), np.flatnonzero(there), total[there] / count[there], period=bins)
    scatter = np.sqrt(np.maximum(0.0, square[there] / count[there] - (total[there] / count[there]) ** 2))
    noise = float(np.median(scatter)) / math.sqrt(max(1.0, float(np.median(count[there]))))
    smooth, edges = looked_past_edges(folded, noise)
    return Switching(frequency, folded, smooth, edges, float(np.max(smooth) - np.min(smooth)))


def looked_past_edges(folded: Array, noise_V: float) -> tuple[Array, NDArray[np.bool_]]:
    """(the period with each side of an edge carried on straight to where the edge begins, where the edges are): an edge
    is where the mean period leaves what the line through either side tells of it by more than noise explains."""
    bins = len(folded)
    half = max(3, round(AROUND * bins))
    # From near by too: a curved period is told worse from far than a spike of one place is high.
    edges = _untold(folded, noise_V, half) | _untold(folded, noise_V, LEAST_AROUND)
    if not edges.any() or edges.all():
        return folded, np.zeros(bins, dtype=bool)
    for k in range(1, max(1, half // 2) + 1):  # a ring crosses its middle again and again: one edge
        edges = edges | (np.roll(edges, k) & np.roll(edges, k - half // 2 - 1))
    smooth = folded.copy()
    for begin, end in _stretches(edges):
        before, after = np.arange(begin - half, begin), np.arange(end, end + half)
        left, right = (np.polyfit(at, folded[at % bins], 1) for at in (before, after))
        smooth[begin % bins] = np.polyval(left, begin)
        inside = np.arange(begin + 1, end)
        smooth[inside % bins] = np.polyval(right, inside)
    return smooth, edges


def _untold(folded: Array, noise_V: float, half: int) -> NDArray[np.bool_]:
    """The places that straight lines through ``half`` places on either side do not tell. A corner or a step is told by
    one of its sides; what neither side tells is a ring."""
    before = np.arange(-half, 0)
    weights = 1.0 / half - (before - before.mean()) * before.mean() / np.sum((before - before.mean()) ** 2)
    from_left = sum(w * np.roll(folded, -k) for w, k in zip(weights, before, strict=True))
    from_right = sum(w * np.roll(folded, k) for w, k in zip(weights, before, strict=True))
    off = np.minimum(np.abs(folded - from_left), np.abs(folded - from_right))
    usual = max(noise_V, 1.4826 * float(np.median(off)), 1e-4 * float(np.max(folded) - np.min(folded)))
    return np.asarray(off > RINGS * usual)


def _stretches(edges: NDArray[np.bool_]) -> list[tuple[int, int]]:
    """(begin, end) of each stretch of a circle that is marked; the one across its seam counts on beyond the end."""
    start = int(np.argmin(edges))  # a place that is not marked
    turned = np.roll(edges, -start).astype(np.int8)
    change = np.diff(np.concatenate([[0], turned, [0]]))
    return [
        (int(a) + start, int(b) + start)
        for a, b in zip(np.flatnonzero(change == 1), np.flatnonzero(change == -1), strict=True)
    ]


def _spikes(rest: Array, step_s: float, switching: Switching | None) -> float | None:
    """Peak to peak of what stands at the edges once line and smooth switching are taken away; None without edges."""
    if switching is None or not switching.edges.any():
        return None
    bins = len(switching.folded)
    place = bins * _places(len(rest), step_s, switching.frequency_Hz)
    at = np.minimum(place.astype(np.int64), bins - 1)
    inside = switching.edges[at]
    centred = np.interp(place[inside] - 0.5, np.arange(bins), switching.smooth, period=bins)
    left = rest[inside] - centred
    return float(np.max(left) - np.min(left)) if len(left) else None


# Packets, clipping

BLOCKS = 2000
QUIET_SHARE = 1.0 / 3.0  # of what the loud blocks have: a block below is a pause
CLIPPED_RUN = 3  # samples in a row at the end of the range
PILED = 4.0  # times as many there as in the step below


@dataclass(frozen=True)
class Packets:
    """A converter that works in packets: how often they come, and the share of the time they take."""

    rate_Hz: float
    share: float


def packets_of(about: Array, step_s: float, frequency_Hz: float | None) -> Packets | None:
    """Packets of ripple with pauses between; None where it goes on evenly, or fewer than two of them are there."""
    least = 16 if frequency_Hz is None else max(16, math.ceil(3.0 / (frequency_Hz * step_s)))
    size = max(least, len(about) // BLOCKS)
    count = len(about) // size
    if count < 8:
        return None
    blocks = about[: count * size].reshape(count, size)
    loud = np.sqrt(np.maximum(0.0, np.mean(blocks**2, axis=1) - np.mean(blocks, axis=1) ** 2))
    high = float(np.quantile(loud, 0.9))
    working = loud > QUIET_SHARE * high
    share = float(np.mean(working))
    begins = int(np.count_nonzero(np.diff(working.astype(np.int8)) == 1))
    if high <= 0.0 or not 0.02 < share < 0.95 or begins < 2:
        return None
    return Packets(begins / (len(about) * step_s), share)


def clipped_share(volts: Array) -> float:
    """The share of the samples that stand at the end of the range several in a row: what was beyond is not known.

    A round top fills its highest step about twice as long as the one below it: that is no end of a range.
    """
    found = 0
    for way in (1.0, -1.0):
        away = way * volts
        at = (away == np.max(away)).astype(np.int8)
        below = away[at == 0]
        if len(below) and np.count_nonzero(at) <= PILED * np.count_nonzero(below == np.max(below)):
            continue
        change = np.diff(np.concatenate([[0], at, [0]]))
        runs = np.flatnonzero(change == -1) - np.flatnonzero(change == 1)
        found += int(np.sum(runs[runs >= CLIPPED_RUN]))
    return found / len(volts)
