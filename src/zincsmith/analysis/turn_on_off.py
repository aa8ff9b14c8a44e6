"""Turn-on, hold-up and collapse: when the input begins or leaves, and when the output arrives or is gone.

Thresholds are in volts here; what they are a share of, the caller says. Volts of a negative output are turned round by
the caller.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zincsmith.analysis.levels import crossing, first_stretch, level_at_end, middle_crossings, noise_of, passed

Array = NDArray[np.float64]

STAYS_S = 10e-6  # a threshold has to stay crossed for so long, or to the end of the record
SHORT_STAYS_S = 1e-3  # likewise at a short circuit: a ring comes back earlier, a hiccup later
CLEAR = 6.0  # times the noise: the input is there, or has left
START_SHARE = 0.02  # of the input's largest value: less is no start
LEFT_SHARE = 0.05  # of its amplitude: so far from its continued course it has surely left
COLLAPSED = 0.9  # of nominal: where a collapse starts, when no current tells
FALLS_SHARE = 0.01  # of the level reached: what falls back by more is not monotonic
TELLS = 65_536  # samples that tell the noise
ORDERS = 9  # of the mains, that are carried on
FIT_PERIODS = 1.0  # at least
LOOKED_UP = 16_385  # places of a period; between them a straight line
BOUNCES_S = 0.1  # a contact has settled by then; common practice, no source
TOLD_SHARE = 0.3  # of the peak: where the course is that far from zero, an input near nothing is open
LEAST_BREAK = 4  # samples of an open contact
PLACES = 200  # that are tried for the moment at which it left


@dataclass(frozen=True)
class TurnOn:
    """Times in s from the first sample or as spans, volts; ``overshoot`` is a share of ``level_V``, the level finally
    reached. None where the record does not show it."""

    start_s: float | None
    delay_s: float | None
    rise_s: float | None
    overshoot: float | None
    minimum_V: float
    level_V: float
    monotonic: bool | None
    glitch_s: float | None  # how long the output was below zero by more than noise, at a stretch


def turn_on(
    volts: Array, step_s: float, threshold_V: float, source: Array | None = None, start_s: float | None = None
) -> TurnOn:
    """What an output does when its input comes. ``source`` (n,) are the volts of the input; ``start_s`` is the start in
    s from the first sample where it is known otherwise."""
    if start_s is None and source is not None:
        at = departure_from_rest(source)
        start_s = at * step_s if at is not None else None
    noise = noise_of(volts)
    level = level_at_end(volts)
    begin = 0 if start_s is None else max(0, min(len(volts) - 1, math.floor(start_s / step_s)))
    arrived = first_stretch(volts >= threshold_V, math.ceil(STAYS_S / step_s), begin)
    delay = None
    if arrived is not None and start_s is not None:
        delay = max(0.0, passed(volts, arrived, threshold_V, noise) * step_s - start_s)
    low, high = 0.1 * level, 0.9 * level
    rise = monotonic = overshoot = None
    reached = np.flatnonzero(volts[begin:] >= high)
    if level > CLEAR * noise and len(reached) and arrived is not None:
        end = begin + int(reached[0])
        under = np.flatnonzero(volts[begin:end] < low)
        if len(under):
            first = begin + int(under[-1]) + 1
            rise = (passed(volts, end, high, noise) - passed(volts, first, low, noise)) * step_s
            climb = volts[first : end + 1]
            falls = float(np.max(np.maximum.accumulate(climb) - climb))
            monotonic = falls <= max(FALLS_SHARE * level, CLEAR * noise)
        overshoot = max(0.0, (float(np.max(volts[begin:])) - level) / level)
    return TurnOn(
        start_s, delay, rise, overshoot, float(np.min(volts)), level, monotonic, _below_zero_s(volts, noise, step_s)
    )


def _below_zero_s(volts: Array, noise: float, step_s: float) -> float | None:
    """The length of the deepest stretch below zero, at half its depth; None where nothing is clear of the noise."""
    at = int(np.argmin(volts))
    depth = float(volts[at])
    if depth >= -max(CLEAR * noise, 1e-9):
        return None
    begin = end = at
    while begin > 0 and volts[begin - 1] < depth / 2.0:
        begin -= 1
    while end < len(volts) - 1 and volts[end + 1] < depth / 2.0:
        end += 1
    return (crossing(volts, min(len(volts) - 1, end + 1), depth / 2.0) - crossing(volts, begin, depth / 2.0)) * step_s


@dataclass(frozen=True)
class SignalEdge:
    """When a signal that says whether an output is good changes, s from the first sample, and its level while it says
    so, V."""

    at_s: float
    level_V: float


def _high_level(signal: Array) -> float:
    """The upper of the two levels of a signal that says yes or no: the middle of what lies above half of its top."""
    some = signal[:: max(1, len(signal) // TELLS)]
    top = float(np.quantile(some, 0.999))
    return float(np.median(some[some >= top / 2.0])) if top > 0.0 else 0.0


def signal_rises(signal: Array, step_s: float, begin_s: float = 0.0) -> SignalEdge | None:
    """Where a signal (n,) that is low at first passes half of its upper level, and stays; None where it does not
    rise, or is high from the beginning on."""
    level, noise = _high_level(signal), noise_of(signal)
    begin = max(0, min(len(signal) - 1, math.floor(begin_s / step_s)))
    if level <= CLEAR * noise or signal[begin] >= level / 2.0:
        return None
    at = first_stretch(signal >= level / 2.0, math.ceil(STAYS_S / step_s), begin)
    return SignalEdge(passed(signal, at, level / 2.0, noise) * step_s, level) if at is not None else None


def signal_falls(signal: Array, step_s: float) -> SignalEdge | None:
    """Where a signal (n,) that is high at first passes half of the level it had, and stays down; None where it never
    was high, or does not fall."""
    level, noise = _high_level(signal), noise_of(signal)
    if level <= CLEAR * noise or signal[0] < level / 2.0:
        return None
    at = first_stretch(signal < level / 2.0, math.ceil(STAYS_S / step_s), 0)
    return SignalEdge(passed(signal, at, level / 2.0, noise) * step_s, level) if at else None


def departure_from_rest(values: Array) -> float | None:
    """Where an input that was off begins, in samples: the first that is clear of what stood before; None where nothing
    does, or it stands from the first sample on."""
    largest = float(np.max(np.abs(values)))
    # What stands before: as long as it stays within a small share of what comes.
    far = np.flatnonzero(np.abs(values - values[0]) > 0.1 * largest)
    if largest <= 0.0 or not len(far) or abs(float(values[0])) > 0.1 * largest:
        return None
    ahead = values[: max(1, int(far[0]) // 2)]
    rest, noise = float(np.median(ahead)), max(noise_of(ahead), float(np.std(ahead)))
    limit = max(CLEAR * noise, START_SHARE * largest)
    k = int(np.flatnonzero(np.abs(values - rest) > limit)[0])
    if k == 0:
        return None
    side = rest + math.copysign(limit, float(values[k]) - rest)
    at = crossing(values, k, side)
    # Carried back along its own slope to where it stood: a sine that begins at zero is at the limit later than that.
    further = min(len(values) - 1, k + max(1, round(0.3 * (k - _last_at_rest(values, k, rest, noise)))))
    slope = (float(values[further]) - float(values[k - 1])) / (further - k + 1)
    back = (side - rest) / slope if slope * (side - rest) > 0.0 else 0.0
    return max(float(_last_at_rest(values, k, rest, noise)), at - back)


def _last_at_rest(values: Array, k: int, rest: float, noise: float) -> int:
    near = np.flatnonzero(np.abs(values[:k] - rest) <= 2.0 * noise + 1e-12)
    return int(near[-1]) if len(near) else 0


@dataclass(frozen=True)
class Makes:
    """How often an input came before it stayed, and since when it stays, s from the first sample."""

    count: int
    stays_s: float


def makes_of(source: Array, step_s: float, start_s: float) -> Makes | None:
    """Whether a contact bounced: between ``start_s`` and a tenth of a second later the input (n,) lies near nothing
    where its course, carried back from the end of the record, does not. None where it stays from the start on, or too
    little of it stands at the end to know its course."""
    back = source[::-1]
    tail = back[: len(back) // 2]
    hertz = _frequency_of(tail, step_s)
    if hertz is None:
        course = np.full(len(source), float(np.median(tail)))
    elif len(tail) * step_s * hertz < FIT_PERIODS:
        return None
    else:
        hertz, fitted = _course(tail, step_s, hertz)
        course = _carried_on(fitted, hertz, step_s, len(source))[::-1]
    first = math.ceil(start_s / step_s) + 1
    end = min(len(source), first + round(BOUNCES_S / step_s))
    told = np.abs(course) > TOLD_SHARE * float(np.max(np.abs(course)))
    gone = told & (np.abs(source) < TOLD_SHARE * np.abs(course))
    begins = np.flatnonzero(np.diff(np.concatenate([[False], gone[first:end], [False]]).astype(np.int8)))
    breaks = [(a, b) for a, b in zip(begins[::2], begins[1::2], strict=True) if b - a >= LEAST_BREAK]
    if not breaks:
        return None
    return Makes(len(breaks) + 1, (first + int(breaks[-1][1])) * step_s)


# Hold-up


@dataclass(frozen=True)
class HoldUp:
    """Times in s from the first sample, and between the two. ``removed_u_s`` is how well the moment of removal is
    known. ``phase_deg``: where in its period an alternating input was removed, from its rising zero."""

    removed_s: float | None
    below_s: float | None
    phase_deg: float | None
    removed_u_s: float = 0.0

    @property
    def time_s(self) -> float | None:
        """None where the input did not leave, or the output did not fall."""
        return None if self.removed_s is None or self.below_s is None else max(0.0, self.below_s - self.removed_s)


def hold_up(volts: Array, source: Array, step_s: float, threshold_V: float, left: Departure | None = None) -> HoldUp:
    """How long an output (n,) lasts beyond its input (n,); ``left`` is where that left its course, if it is known."""
    left = left if left is not None else departure_from_course(source, step_s)
    begin = math.floor(left.at) if left is not None else 0
    fallen = first_stretch(volts < threshold_V, math.ceil(STAYS_S / step_s), begin)
    below = passed(volts, fallen, threshold_V, noise_of(volts[:TELLS])) * step_s if fallen is not None else None
    if left is None:
        return HoldUp(None, below, None)
    return HoldUp(left.at * step_s, below, left.phase_deg, left.u * step_s)


@dataclass(frozen=True)
class Departure:
    """``at`` and its standard uncertainty ``u`` in samples; ``phase_deg`` of an alternating course, from its rising
    zero."""

    at: float
    u: float
    phase_deg: float | None


def departure_from_course(source: Array, step_s: float) -> Departure | None:
    """Where an input leaves the course it had: its level, or its continued sine with the orders of it. None where it
    never does, or too little of it stands before to know its course."""
    hertz = _frequency_of(source, step_s)
    if hertz is None:
        return _departure_from_level(source)
    period = 1.0 / (hertz * step_s)
    used = max(round(FIT_PERIODS * period), 16)
    sure: int | None = None
    for _ in range(3):  # the more of it is known to stand, the better its course
        hertz, fitted = _course(source[:used], step_s, hertz)
        course = _carried_on(fitted, hertz, step_s, len(source))
        sure = _gone(source, course, used, round(period))
        if sure is None:
            return None
        longer = max(round(FIT_PERIODS * period), sure - round(0.05 * period))
        if longer <= used:
            break
        used = longer
    if sure is None:
        return None
    at, u = _onset(source, course, sure, step_s, round(period))
    phase = math.atan2(fitted[1], fitted[2]) + 2.0 * math.pi * hertz * at * step_s
    return Departure(at, u, math.degrees(phase) % 360.0)


def _departure_from_level(source: Array) -> Departure | None:
    """Of direct current."""
    level = float(np.median(source[: max(8, len(source) // 50)]))
    noise = noise_of(source)
    limit = max(CLEAR * noise, START_SHARE * abs(level))
    off = np.flatnonzero(np.abs(source - level) > limit)
    if not len(off) or int(off[0]) == 0:
        return None
    k = int(off[0])
    near = np.flatnonzero(np.abs(source[:k] - level) <= 2.0 * noise + 1e-12)
    at = float(near[-1]) if len(near) else float(k)
    return Departure(at, (k - at) / math.sqrt(12.0), None)


def _frequency_of(source: Array, step_s: float) -> float | None:
    """Of an alternating input, from the passages of its first periods; None where it does not alternate."""
    high, low = float(np.max(source)), float(np.min(source))
    if high <= 0.0 or low >= 0.0 or min(high, -low) < 0.3 * max(high, -low):
        return None
    side = np.where(source > 0.3 * high, 1, np.where(source < 0.3 * low, -1, 0))
    told = np.flatnonzero(side)
    turns = np.flatnonzero(np.diff(side[told]))
    if len(turns) < 3:
        return None
    zeros = [_zero_between(source, int(told[t]), int(told[t + 1])) for t in turns[:5]]
    halves = np.diff(zeros)
    return 1.0 / (2.0 * float(np.median(halves)) * step_s)


def _zero_between(source: Array, begin: int, end: int) -> float:
    """By a straight line through all that lies between: single samples may be noise."""
    at = np.arange(begin, end + 1, dtype=np.float64)
    slope, offset = np.polyfit(at - begin, source[begin : end + 1], 1)
    return begin - offset / slope if slope else (begin + end) / 2.0


def _basis(count: int, hertz: float, step_s: float, start: int = 0) -> Array:
    turn = 2.0 * math.pi * hertz * step_s * (start + np.arange(count))
    columns = [np.ones(count)]
    for order in range(1, ORDERS + 1):
        columns += [np.cos(order * turn), np.sin(order * turn)]
    return np.stack(columns, axis=1)


def _course(source: Array, step_s: float, hertz: float) -> tuple[float, Array]:
    """(frequency, weights of the basis) of what stands, by least squares; the frequency by its own sensitivity."""
    stride = max(1, len(source) // 4000)
    taken = source[::stride]
    fitted: Array = np.zeros(2 * ORDERS + 1)
    for _ in range(4):
        basis = _basis(len(taken), hertz, stride * step_s)
        at = stride * step_s * np.arange(len(taken))
        swing = 2.0 * math.pi * at * (-fitted[1] * basis[:, 2] + fitted[2] * basis[:, 1])
        whole = np.column_stack([basis, swing]) if fitted.any() else basis
        found: Array = np.linalg.lstsq(whole, taken, rcond=None)[0].astype(np.float64)
        fitted = found[: 2 * ORDERS + 1]
        if len(found) > len(fitted):
            hertz += float(np.clip(found[-1], -0.02 * hertz, 0.02 * hertz))
    last: Array = np.linalg.lstsq(_basis(len(taken), hertz, stride * step_s), taken, rcond=None)[0].astype(np.float64)
    return hertz, last


def _carried_on(fitted: Array, hertz: float, step_s: float, count: int) -> Array:
    """The course at every sample: one period, looked up."""
    period = _basis(LOOKED_UP, 1.0, 1.0 / (LOOKED_UP - 1)) @ fitted
    at = np.arange(count, dtype=np.float64)
    at *= hertz * step_s
    at -= np.floor(at)
    at *= LOOKED_UP - 1
    return np.asarray(np.interp(at, np.arange(LOOKED_UP), period), dtype=np.float64)


def _gone(source: Array, course: Array, used: int, period: int) -> int | None:
    """The first sample at which the input has surely left: far off, and off for most of the quarter period after."""
    off = np.abs(source - course)
    scatter = float(np.std(off[:used]))
    far = off > max(CLEAR * scatter, LEFT_SHARE * float(np.max(np.abs(course))))
    if not far.any():
        return None
    ahead = max(1, period // 4)
    counted = np.concatenate([[0], np.cumsum(far)])
    ends = np.minimum(np.arange(len(far)) + ahead, len(far))
    share = (counted[ends] - counted[:-1]) / np.maximum(1, ends - np.arange(len(far)))
    sure = np.flatnonzero(far & (share > 0.5))
    return int(sure[0]) if len(sure) else None


def _onset(source: Array, course: Array, gone: int, step_s: float, period: int) -> tuple[float, float]:
    """Where it left, and how well that is known: among the places before ``gone``, the one after which what stands is
    best told by a capacitor that kept the volts of that moment and loses them with some time constant, none and no
    loss among them."""
    begin, end = max(0, gone - round(0.15 * period)), min(len(source), gone + max(4, round(0.05 * period)))
    stride = max(1, (end - begin) // PLACES)
    at = np.arange(begin, end, stride)
    seen, told = source[at], course[at]
    before = np.concatenate([[0.0], np.cumsum((seen - told) ** 2)[:-1]])
    after = np.cumsum((seen**2)[::-1])[::-1]
    later = (at[None, :] - at[:, None]) * step_s
    behind = later >= 0.0

    def costs(tau_s: float) -> Array:
        """By place, what is left unexplained."""
        kept = np.where(behind, np.exp(-np.minimum(np.maximum(later, 0.0) / tau_s, 700.0)), 0.0)
        return np.asarray(before + after - 2.0 * told * (kept @ seen) + told**2 * np.sum(kept**2, axis=1))

    taus = [step_s * 1e-3, *(10.0 ** np.arange(-5.0, 0.05, 0.1)), 1e6]
    best = min(taus, key=lambda tau: float(np.min(costs(tau))))
    for width in (0.05, 0.025, 0.0125):  # decades
        best = min((best, best * 10.0**width, best / 10.0**width), key=lambda tau: float(np.min(costs(tau))))
    cost = costs(best)
    k = int(np.argmin(cost))
    # As likely as a step away from the best by one standard deviation: no more left unexplained than the scatter adds.
    scatter = float(before[k]) / max(1, k)
    alike = at[cost <= cost[k] + scatter]
    spread = (float(alike[-1]) - float(alike[0])) / 2.0
    return float(at[k]), max(spread, stride / math.sqrt(12.0))


def phase_at(source: Array, step_s: float, hertz: float, at_s: float) -> float | None:
    """Where in its period an alternating input of that frequency stood at a moment, in degrees from its rising zero,
    told by what follows; None below half a period of it, or where it does not alternate."""
    first = math.ceil(at_s / step_s)
    count = min(len(source) - first, round(2.0 / hertz / step_s))
    if count * step_s * hertz < 0.5:
        return None
    stride = max(1, count // 4000)
    times = np.arange(first, first + count, stride) * step_s - at_s
    turn = 2.0 * math.pi * hertz * times
    basis = np.stack([np.cos(turn), np.sin(turn)], axis=1)
    cosine, sine = np.linalg.lstsq(basis, source[first : first + count : stride], rcond=None)[0]
    if math.hypot(cosine, sine) <= CLEAR * noise_of(source):
        return None
    return math.degrees(math.atan2(cosine, sine)) % 360.0


# Collapse


@dataclass(frozen=True)
class Collapse:
    """Times in s from the first sample, and between the two."""

    start_s: float | None
    below_s: float | None

    @property
    def time_s(self) -> float | None:
        return None if self.start_s is None or self.below_s is None else max(0.0, self.below_s - self.start_s)


def collapse(volts: Array, step_s: float, nominal_V: float, threshold_V: float, amps: Array | None) -> Collapse:
    """How fast an output (n,) goes down at a short: from where the current (n,) passes half its step, else from where
    the volts pass 90 % of nominal, to the first stretch below the threshold that lasts."""
    if amps is not None:
        steps = middle_crossings(amps)
        start = next((at for at, rises in steps if rises), None)
    else:
        under = first_stretch(volts < COLLAPSED * nominal_V, 1)
        start = crossing(volts, under, COLLAPSED * nominal_V) if under is not None else None
    begin = math.floor(start) if start is not None else 0
    low = first_stretch(volts < threshold_V, math.ceil(SHORT_STAYS_S / step_s), begin)
    below = crossing(volts, low, threshold_V) * step_s if low is not None else None
    return Collapse(start * step_s if start is not None else None, below)
