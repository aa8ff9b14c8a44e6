"""What a supply does when more is asked of it than it gives: recognised from volts and amps over time.

States of a moment: it *holds* (at 95 % and more of its volts before), it is *off* (next to no volts and amps), or
it *limits*, whatever lies between. What holds up to the highest overload has no protection that was seen; a log that
asks for no overload says nothing of it.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from itertools import pairwise
from typing import Literal

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
Mask = NDArray[np.bool_]
Behaviour = Literal[
    "constant-current", "foldback", "hiccup", "latching", "constant-power", "shutdown-auto-recovery",
    "thermal-cycling", "none", "not-seen",
]  # fmt: skip
Recovery = Literal["automatic", "input-cycle", "none-seen", "not-needed"]

LEAST_ASKED, JUST_BELOW = 0.2, 0.98  # of the rated current; of what was asked as it let go
HOLDS = 0.95  # of the volts before
ABOVE = 1.02  # times the rated current: asked for more
RAN_OUT = 0.97  # of what was asked for: less, at full volts, is what the load cannot draw
OFF_V, OFF_A = 0.05, 0.05  # of nominal; of the limit: an output that is off
UP = 0.3  # of nominal: a restart has come that far
BACK = 0.9  # of nominal: it has recovered
ALIKE = 0.1  # of nominal: volts that lie so near to each other are one place of a V-I path
STEEP = 0.1  # of the limit: amps that differ by less along the path are constant
EVEN = 0.06  # of their mean: products that scatter by less are constant power
NOISY = 0.2  # of what it takes while it is off
GONE_INPUT = 0.2  # of the greatest input volts: the input was off
DEAD_INPUT = 0.02  # of the greatest input watts: the input was off
WARMER_K = 2.0  # by which it is hotter when it lets go than when it comes back
LONGER = 1.6  # times the later ones: a first stretch that long began cold
QUICK_S = 2.0  # where neither temperature nor a first stretch tells
LEAST_LIMITING = 3  # samples of a limit before something else


@dataclass(frozen=True)
class Log:
    """Times in s, volts (positive) and amps, (n,) each; ``asked_A`` is what the load was set to, ``input_W``,
    ``degC`` and ``input_V`` as far as they were recorded."""

    times: Array
    volts: Array
    amps: Array
    asked_A: Array | None = None
    input_W: Array | None = None
    degC: Array | None = None
    input_V: Array | None = None


@dataclass(frozen=True)
class Protection:
    """``sequence`` are the behaviours in the order they came, ``behaviour`` the last. ``undecided``: what the log
    leaves open, in words."""

    behaviour: Behaviour
    recovery: Recovery = "not-needed"
    sequence: tuple[Behaviour, ...] = ()
    limit_A: float | None = None
    limit_W: float | None = None
    before_V: float | None = None
    highest_A: float | None = None
    hiccup_s: float | None = None
    recovery_s: float | None = None
    shutdown_s: float | None = None
    load_ran_out: bool = False
    below_rating: bool = False
    let_go_A: float | None = None  # what was asked as it first did not hold
    let_go_s: float | None = None  # when, on the times of the log
    undecided: tuple[str, ...] = field(default=())


def protection_of(log: Log, nominal_V: float, rated_A: float) -> Protection:
    """ValueError for fewer than three samples, or volts and amps that are not above zero."""
    if len(log.times) < 3 or nominal_V <= 0.0 or rated_A <= 0.0:
        raise ValueError("three samples and more, nominal volts and a rated current above zero are wanted")
    rated = (log.amps <= ABOVE * rated_A) & (log.volts > 0.5 * nominal_V)
    reference = float(np.median(log.volts[rated])) if rated.any() else nominal_V
    holds = log.volts >= HOLDS * reference
    asked, ran_out = _asked(log, holds, rated_A)
    over = asked > ABOVE * rated_A
    early = _below_rating(log, asked, holds, over, rated_A)
    if early is not None:
        found = _told(log, nominal_V, rated_A, holds, asked > early, ran_out)
        return replace(found, below_rating=True)
    return _told(log, nominal_V, rated_A, holds, over, ran_out)


def _below_rating(log: Log, asked: Array, holds: Mask, over: Mask, rated_A: float) -> float | None:
    """Where it lets go before more than its rating is asked of it, amps just below what was asked then; None where it
    does not, and where its input was gone."""
    held = np.flatnonzero(holds)
    if not len(held):
        return None
    after = np.arange(len(asked)) > held[0]
    first = np.flatnonzero(after & ~holds & (asked > LEAST_ASKED * rated_A))
    begun = np.flatnonzero(over)
    if not len(first) or (len(begun) and begun[0] <= first[0]):
        return None
    k = int(first[0])
    if log.input_W is not None and log.input_W[k] < DEAD_INPUT * float(np.max(log.input_W)):
        fed = log.input_W[k : k + 3]
        if float(np.max(fed)) < DEAD_INPUT * float(np.max(log.input_W)) and log.asked_A is None:
            return None
    level = float(asked[k]) if log.asked_A is not None else float(log.amps[k - 1])
    return JUST_BELOW * level


def _told(log: Log, nominal_V: float, rated_A: float, holds: Mask, over: Mask, ran_out: bool) -> Protection:
    if not over.any():
        return Protection("not-seen", load_ran_out=ran_out)
    lost = np.flatnonzero(over & ~holds)
    if not len(lost):
        highest = float(np.max(log.amps[over]))
        return Protection("none", highest_A=highest, limit_W=_most_W(log), load_ran_out=ran_out)
    first = int(lost[0])
    ahead = np.flatnonzero(holds[: first + 1])
    before = int(ahead[-1]) if len(ahead) else first
    limit_A = float(np.max(log.amps[: first + 1][holds[: first + 1]])) if len(ahead) else float(log.amps[first])
    end = _released(over, first)
    return _classified(log, nominal_V, rated_A, holds, over, (first, before, end), limit_A, ran_out)


def _most_W(log: Log) -> float:
    return float(np.max(log.volts * log.amps))


def _asked(log: Log, holds: Mask, rated_A: float) -> tuple[Array, bool]:
    """What was asked of it at each moment: at full volts what was drawn, else what the load was set to. Where nobody
    recorded that, what it drew, and more than that until it is back with less."""
    if log.asked_A is not None:
        short = holds & (log.amps < RAN_OUT * log.asked_A)
        return np.where(holds, log.amps, log.asked_A), bool(np.any(short & (log.asked_A > ABOVE * rated_A)))
    asked = log.amps.copy()
    begun = np.flatnonzero(asked > ABOVE * rated_A)
    if len(begun):
        after = np.arange(len(asked)) > begun[0]
        back = np.flatnonzero(after & holds & (log.amps <= ABOVE * rated_A))
        # It is back for good where it stays with less until the end.
        stays = [int(k) for k in back if np.all(holds[k:] & (log.amps[k:] <= ABOVE * rated_A))]
        last = stays[0] if stays else len(asked)
        inside = after & (np.arange(len(asked)) < last) & ~holds
        asked[inside] = np.maximum(asked[inside], float(np.max(log.amps)))
    return asked, False


def _released(over: Mask, first: int) -> int:
    """The first sample after ``first`` at which no more overload is asked for; the length where it never goes."""
    later = np.flatnonzero(~over[first:])
    return first + int(later[0]) if len(later) else len(over)


def _classified(
    log: Log, nominal_V: float, rated_A: float, holds: Mask, over: Mask, places: tuple[int, int, int], limit_A: float,
    ran_out: bool,
) -> Protection:  # fmt: skip
    first, before, end = places
    off = (log.volts < OFF_V * nominal_V) & (log.amps < OFF_A * limit_A)
    inside = slice(first, end)
    limiting = ~holds & ~off
    undecided: list[str] = []
    sequence: list[Behaviour] = []
    cycles = _rises(log, nominal_V, limit_A, off, first, end)
    limit_first = _leading(limiting[inside])
    path: Behaviour | None = None
    if limit_first >= LEAST_LIMITING or (limit_first and not off[inside].any()):
        path = _path(log, slice(first, first + limit_first), nominal_V, limit_A, rated_A)
        sequence.append(path)
    recovery, back_s, cut = _recovered(log, nominal_V, end)
    if len(cycles) >= 2:
        kind, told = _cycling(log, off, over, places, cycles)
        sequence.append(kind)
        undecided += told
        if recovery == "none-seen" and kind == "thermal-cycling":
            recovery = "automatic"
    elif off[inside].any():
        if end >= len(log.times):
            undecided.append("the overload is there until the end: whether it comes back is not seen")
            sequence.append("not-seen")
        elif recovery == "automatic":
            sequence.append("shutdown-auto-recovery")
            if log.input_W is None and log.input_V is None:
                undecided.append("the input was not recorded: nobody sees whether it was cycled")
        else:
            sequence.append("latching")
    if not sequence:
        sequence.append(_path(log, inside, nominal_V, limit_A, rated_A))
    behaviour = sequence[-1]
    shut = np.flatnonzero(off[inside])
    began = np.flatnonzero(over[: first + 1] & ~_ended_before(over, first))
    shutdown = float(log.times[first + int(shut[0])] - log.times[int(began[0])]) if len(shut) and len(began) else None
    if path == "constant-current" and behaviour == path:
        limit_A = float(np.median(log.amps[inside][limiting[inside]]))
    return Protection(
        behaviour, recovery, tuple(dict.fromkeys(sequence)), limit_A, _most_W(log), float(log.volts[before]),
        float(np.max(log.amps[holds])) if holds.any() else None,
        float(np.median(np.diff(log.times[cycles]))) if behaviour == "hiccup" else None,
        back_s if not cut else None, shutdown, ran_out, let_go_A=_let_go_A(log, first),
        let_go_s=float(log.times[first]), undecided=tuple(undecided),
    )  # fmt: skip


def _let_go_A(log: Log, first: int) -> float | None:
    return float(log.asked_A[first]) if log.asked_A is not None else None


def _ended_before(over: Mask, first: int) -> Mask:
    """Samples of overloads that had gone again before the one at ``first``."""
    gone = np.flatnonzero(~over[: first + 1])
    last = int(gone[-1]) if len(gone) else -1
    return np.arange(first + 1) <= last


def _leading(limiting: Mask) -> int:
    """How many samples it limits for before anything else."""
    other = np.flatnonzero(~limiting)
    return int(other[0]) if len(other) else len(limiting)


def _path(log: Log, inside: slice, nominal_V: float, limit_A: float, rated_A: float) -> Behaviour:
    """Of a limit, by the way that its amps go with its volts; a load of constant current leaves one place of it, which
    is held against the limit where a ramp showed it, else against the rated current."""
    volts, amps = log.volts[inside], log.amps[inside]
    if float(np.ptp(np.quantile(volts, [0.1, 0.9]))) < ALIKE * nominal_V:  # a poll on the way down is no place
        ramped = limit_A > ABOVE * rated_A
        share = float(np.median(amps)) / (limit_A if ramped else rated_A)
        if not ramped:
            return "constant-current" if share >= 1.0 - STEEP else "foldback"
        if share > 1.0 + STEEP and float(np.median(volts)) < HOLDS * nominal_V:
            return "constant-power"
        return "constant-current" if share >= 1.0 - STEEP else "foldback"
    ordered = np.argsort(volts)
    third = max(1, len(volts) // 3)
    low, high = (float(np.median(amps[part])) for part in (ordered[:third], ordered[-third:]))
    power = volts * amps
    if low > high + STEEP * limit_A and float(np.std(power)) < EVEN * float(np.mean(power)):
        return "constant-power"
    if low < high - STEEP * limit_A:
        return "foldback"
    return "constant-current"


def _rises(log: Log, nominal_V: float, limit_A: float, off: Mask, first: int, end: int) -> NDArray[np.int64]:
    """The samples at which it comes up again while the overload is there."""
    # Into a short an attempt shows in its amps alone.
    tries = (log.volts > UP * nominal_V) | (log.amps > UP * limit_A)
    state = np.where(tries, 1, np.where(off, 0, -1))
    told = np.flatnonzero(state[first:end] >= 0) + first
    return np.array([int(b) for a, b in pairwise(told) if state[a] == 0 and state[b] == 1], dtype=np.int64)


def _recovered(log: Log, nominal_V: float, end: int) -> tuple[Recovery, float | None, bool]:
    """(how, s after the overload had gone, whether the input had to be cycled)."""
    if end >= len(log.times):
        return "none-seen", None, False
    up = log.volts[end:] >= BACK * nominal_V
    stays = np.flatnonzero(up)
    if not len(stays):
        return "none-seen", None, False
    at = int(stays[0])
    if _cycled(log, nominal_V, end, at):
        return "input-cycle", None, True
    return "automatic", float(log.times[end + at] - log.times[end]), False


def _cycled(log: Log, nominal_V: float, end: int, at: int) -> bool:
    """Whether the input went after the overload had gone, and came back: by its volts; else by its watts, since a unit
    that is off takes next to nothing, one whose input is off takes less still."""
    waiting = slice(end, end + at + 1)
    if log.input_V is not None:
        return bool(np.any(log.input_V[waiting] < GONE_INPUT * float(np.max(log.input_V))))
    if log.input_W is None:
        return False
    off = log.volts < OFF_V * nominal_V
    if not off.any() or not off[waiting].any():
        return False
    watts = log.input_W[off]
    rests = float(np.quantile(watts, 0.75))
    scatter = 1.05 * float(np.median(np.abs(np.diff(watts)))) if len(watts) > 1 else 0.0
    if rests <= 0.0 or scatter > NOISY * rests:  # a meter that cannot tell resting from nothing
        return False
    return int(np.sum(log.input_W[waiting][off[waiting]] < 0.3 * rests)) >= LEAST_LIMITING


def _cycling(
    log: Log, off: Mask, over: Mask, places: tuple[int, int, int], cycles: NDArray[np.int64]
) -> tuple[Behaviour, list[str]]:
    """Hiccup or thermal cycling: by what changes with time and temperature, not by the period alone."""
    first, _, end = places
    falls = [next((k for k in range(int(c), end) if off[k]), end - 1) for c in cycles]
    if log.degC is not None:
        hot, cool = (float(np.median(log.degC[at])) for at in (np.array(falls), cycles))
        return ("thermal-cycling" if hot - cool > WARMER_K else "hiccup"), []
    later = float(np.median([log.times[f] - log.times[c] for c, f in zip(cycles, falls, strict=True)]))
    if log.asked_A is not None:
        level = log.asked_A[first]
        steady = np.flatnonzero(np.abs(log.asked_A[: first + 1] - level) > 0.01 * level)
        begun = int(steady[-1]) + 1 if len(steady) else 0
        let_go = next((k for k in range(first, end) if off[k]), first)
        cold = float(log.times[let_go] - log.times[begun])
        step = float(np.median(np.diff(log.times)))
        from_rest = begun > 0 and not over[begun - 1]
        if from_rest and later > 3.0 * step:
            return ("thermal-cycling" if cold > LONGER * later + step else "hiccup"), []
    told = "neither a temperature nor a first stretch tells hiccup and thermal cycling apart: by its length alone"
    return ("hiccup" if later < QUICK_S else "thermal-cycling"), [told]
