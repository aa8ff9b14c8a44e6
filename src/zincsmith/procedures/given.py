"""What a unit gives at its outputs together, from the volts and amps of each."""

from __future__ import annotations

import functools
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zincsmith.analysis.uncertainty import Values
from zincsmith.model.address import at_port
from zincsmith.model.reading import Point

POWER = ("input_power", "output_voltage", "output_current")  # of a unit with one output


@dataclass(frozen=True)
class Given:
    """What a unit gives at its outputs together."""

    ports: tuple[str, ...]

    @property
    def names(self) -> tuple[str, ...]:
        """What it is worked out from, by address."""
        return tuple(at_port(name, p) for p in self.ports for name in ("output_voltage", "output_current"))

    @property
    def with_input(self) -> tuple[str, ...]:
        return ("input_power", *self.names)

    def watts(self, v: Values) -> NDArray[np.float64]:
        """The sum of V I, W, a row each; what a negative rail gives counts as what a positive one does."""
        products = [np.abs(v[at_port("output_voltage", p)] * v[at_port("output_current", p)]) for p in self.ports]
        return functools.reduce(np.add, products)

    def efficiency_row(self, point: Point) -> dict[str, float]:
        """The ratio of one point, for the working."""
        read = {q: np.array([r.value or 0.0 if (r := point.get(q)) is not None else 0.0]) for q in self.with_input}
        return {"η / %": 100.0 * float((self.watts(read) / read["input_power"])[0])}
