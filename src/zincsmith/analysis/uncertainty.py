"""Law of propagation of uncertainty (JCGM 100:2008) for columns of readings that share sources of error.

A column holds values, the part of uncertainty that belongs to each reading alone, the effect of named shared sources
(the gain of one instrument, function and range), and that of limits of which nobody knows how they split. Formulas are
written once, on plain arrays, and differentiated numerically: each source is moved by plus and minus one standard
uncertainty. Source names travel with the result, so that two figures from the same instruments know how they are
correlated.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from zincsmith.analysis.coverage import covering_factor
from zincsmith.model.finding import Contribution

Values = Mapping[str, NDArray[np.float64]]
Formula = Callable[[Values], float]


@dataclass(frozen=True)
class Part:
    """One source acting on a column: ``effect`` (n,) of one standard uncertainty, in the unit of the column.

    ``unsplit``: one limit of an instrument, function and range; the figure takes the worse of *all readings err alike*
    and *each errs by itself*. That is a convention of this house, not a bound.
    """

    source: str
    effect: NDArray[np.float64]
    shared: bool
    dof: float | None = None
    unsplit: bool = False
    rectangular: bool = False


@dataclass(frozen=True)
class Column:
    """``values`` (n,) and the parts that make them uncertain."""

    values: NDArray[np.float64]
    parts: tuple[Part, ...] = ()

    @staticmethod
    def exact(values: Sequence[float]) -> Column:
        return Column(np.asarray(values, dtype=np.float64))


@dataclass(frozen=True)
class Estimate:
    """A figure with the signed effect of each source on it."""

    value: float
    contributions: tuple[Contribution, ...]

    @property
    def u(self) -> float:
        """Combined standard uncertainty: root sum of squares of the contributions."""
        return math.sqrt(sum(c.size**2 for c in self.contributions))

    @property
    def dof(self) -> float | None:
        """Effective degrees of freedom after Welch-Satterthwaite (JCGM 100, G.4); None is infinite.

        The contributions are independent of each other: what is shared was combined before.
        """
        finite = sum(c.effect**4 / c.dof for c in self.contributions if c.dof is not None)
        return self.u**4 / finite if finite > 0.0 else None

    @property
    def k(self) -> float:
        return factor_of(self.contributions, self.dof)


def propagate(formula: Formula, columns: Mapping[str, Column]) -> Estimate:
    """Value and contributions of ``formula`` over ``columns``; shared parts of one name move together."""
    values = {name: column.values for name, column in columns.items()}
    value = float(formula(values))
    moves: dict[str, list[tuple[str, Part]]] = {}
    for name, column in columns.items():
        for part in column.parts:
            moves.setdefault(part.source, []).append((name, part))
    contributions = []
    for source, acting in moves.items():
        first = acting[0][1]
        effect = _moved(formula, values, [(name, part.effect) for name, part in acting])
        separate, rectangular = None, first.rectangular
        count = sum(int(np.count_nonzero(part.effect)) for _, part in acting)
        if first.unsplit:
            alone = [
                _moved(formula, values, [(name, np.where(np.arange(len(part.effect)) == at, part.effect, 0.0))])
                for name, part in acting
                for at in np.flatnonzero(part.effect)
            ]
            separate = math.sqrt(sum(e**2 for e in alone))
            # Several readings that err by themselves make no rectangle.
            rectangular = rectangular and (count == 1 or abs(effect) >= separate)
        if effect != 0.0 or separate:
            contributions.append(Contribution(source, effect, first.shared, first.dof, separate, rectangular, count))
    return Estimate(value, tuple(contributions))


def _moved(formula: Formula, values: Values, effects: Sequence[tuple[str, NDArray[np.float64]]]) -> float:
    """What one standard uncertainty of a source does to the figure: half of what plus and minus make of it."""
    up, down = dict(values), dict(values)
    for name, effect in effects:
        up[name] = up[name] + effect
        down[name] = down[name] - effect
    return (float(formula(up)) - float(formula(down))) / 2.0


def drawn(column: Column, draws: int, seed: int) -> NDArray[np.float64]:
    """Errors (draws, n) of a column for a figure that is a difference of its readings: shared parts alike, limits whose
    split nobody knows anew for each reading, repeats normal, the rest rectangular (JCGM 101:2008, 6.4)."""
    dice = np.random.default_rng(seed)
    n = len(column.values)
    out = np.zeros((draws, n))
    for part in column.parts:
        size = (draws, n) if part.unsplit else (draws, 1)
        flat = dice.uniform(-math.sqrt(3.0), math.sqrt(3.0), size)
        out += (flat if part.dof is None else dice.normal(size=size)) * part.effect
    return out


def covariance(a: Estimate, b: Estimate) -> float:
    """Covariance of two figures through the sources they have in common, as if all of them were shared."""
    effects = {c.source: c.effect for c in a.contributions}
    return sum(effects.get(c.source, 0.0) * c.effect for c in b.contributions)


NEARLY_ALL = 0.95  # of the variance in one rectangle: a normal distribution would claim more than its limit allows


def factor_of(contributions: Sequence[Contribution], dof: float | None, percent: float = 95.45) -> float:
    """k of a budget for this probability in percent: where a single rectangle makes up nearly all of the variance that
    of the sum as it is distributed (1.65 for 95.45 % of a rectangle alone, so that U does not exceed its limit;
    JCGM 100:2008, G.1.4), else ``coverage_factor``."""
    return _factor_of(tuple(contributions), dof, percent)


@lru_cache(maxsize=4096)  # a run that goes on is judged again and again, most of its budgets unchanged
def _factor_of(contributions: tuple[Contribution, ...], dof: float | None, percent: float) -> float:
    variance = sum(c.size**2 for c in contributions)
    largest = max((c.size**2 for c in contributions if c.rectangular), default=0.0)
    if variance > 0.0 and largest > NEARLY_ALL * variance:
        return covering_factor(contributions, percent)
    return coverage_factor(dof, percent)


NORMAL_K = {95.45: 2.0, 95.0: 1.959964, 99.0: 2.575829}  # of a normal distribution, two-sided


def coverage_factor(dof: float | None, percent: float = 95.45) -> float:
    """k for this probability in percent: of a normal distribution from 30 effective degrees of freedom up (2 for
    95.45 %), Student's t below (truncated as in G.6.4).

    Raises ValueError below one degree of freedom, where no factor exists.
    """
    if dof is None or dof >= 30.0:
        return NORMAL_K[percent]
    if dof < 1.0:
        raise ValueError(f"no coverage factor for {dof:.2g} degrees of freedom")
    from scipy.special import stdtrit  # costs a second to import, seldom needed

    return float(stdtrit(math.floor(dof), 0.5 + percent / 200.0))
