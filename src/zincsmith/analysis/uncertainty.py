"""Law of propagation of uncertainty (JCGM 100:2008) for columns of readings that share sources of error.

A column holds values, the part of uncertainty that belongs to each reading alone, and the effect of named
shared sources (the gain of one instrument, function and range). Formulas are written once, on plain arrays, and
differentiated numerically: each source is moved by plus and minus one standard uncertainty. Source names travel
with the result, so that two figures from the same instruments know how they are correlated.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zincsmith.model.finding import Contribution

Values = Mapping[str, NDArray[np.float64]]
Formula = Callable[[Values], float]


@dataclass(frozen=True)
class Part:
    """One source acting on a column: ``effect`` (n,) of one standard uncertainty, in the unit of the column."""

    source: str
    effect: NDArray[np.float64]
    shared: bool
    dof: float | None = None


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
        return math.sqrt(sum(c.effect**2 for c in self.contributions))

    @property
    def dof(self) -> float | None:
        """Effective degrees of freedom after Welch-Satterthwaite (JCGM 100, G.4); None is infinite.

        The contributions are independent of each other: what is shared was combined before.
        """
        finite = sum(c.effect**4 / c.dof for c in self.contributions if c.dof is not None)
        return self.u**4 / finite if finite > 0.0 else None

    @property
    def k(self) -> float:
        return coverage_factor(self.dof)


def propagate(formula: Formula, columns: Mapping[str, Column]) -> Estimate:
    """Value and contributions of ``formula`` over ``columns``; shared parts of one name move together."""
    values = {name: column.values for name, column in columns.items()}
    value = float(formula(values))
    moves: dict[str, tuple[list[tuple[str, NDArray[np.float64]]], bool, float | None]] = {}
    for name, column in columns.items():
        for part in column.parts:
            moves.setdefault(part.source, ([], part.shared, part.dof))[0].append((name, part.effect))
    contributions = []
    for source, (effects, shared, dof) in moves.items():
        up, down = dict(values), dict(values)
        for name, effect in effects:
            up[name] = up[name] + effect
            down[name] = down[name] - effect
        effect_on_value = (float(formula(up)) - float(formula(down))) / 2.0
        if effect_on_value != 0.0:
            contributions.append(Contribution(source, effect_on_value, shared, dof))
    return Estimate(value, tuple(contributions))


def covariance(a: Estimate, b: Estimate) -> float:
    """Covariance of two figures through the sources they have in common."""
    effects = {c.source: c.effect for c in a.contributions}
    return sum(effects.get(c.source, 0.0) * c.effect for c in b.contributions)


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
