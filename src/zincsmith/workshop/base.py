"""What a sum is: inputs with their tolerances, a pure function, results with the span that a hundred sets of parts
give.

What is worked out *would hold*; only a measurement earns a verdict.
"""

from __future__ import annotations

import math
import random
from collections.abc import Callable, Mapping
from contextlib import suppress
from dataclasses import dataclass, field
from statistics import pstdev

from zincsmith.formats.entry import parse_entry
from zincsmith.model.errors import InputError

SETS = 100  # of parts that are drawn within their tolerances
SEED = 1  # the same sets each time
TOLERANCE = "_tolerance"  # after the key of an input: its tolerance in percent
Values = Mapping[str, float]


@dataclass(frozen=True)
class Input:
    """``unit`` as it is typed (``1`` for a plain number, ``%`` for percent); ``tolerance`` in percent of the value;
    ``takes`` where a unit, a run or what it must feed says it, the first that does (``workshop.taking``)."""

    key: str
    words: str
    unit: str
    value: float
    tolerance: float = 0.0
    least: float = 0.0
    most: float = math.inf
    takes: str = ""


@dataclass(frozen=True)
class Result:
    key: str
    words: str
    unit: str


@dataclass(frozen=True)
class Sum:
    """``work`` gives every result from every input, and may raise ValueError with words for what cannot be; ``source``
    says whose formula it is; ``once`` gives results that are chosen, not built, and so have no spread; ``bench`` is how
    it is drawn (``workshop.drawing``), ``planned`` the figure that would tell what it foresees. ``held`` gives, by
    figure, what a claim of it would be held against; ``costs`` what it adds to figures that it is not about. Both from
    inputs and results, in the unit of the figure."""

    name: str
    title: str
    inputs: tuple[Input, ...]
    results: tuple[Result, ...]
    formula: str
    source: str
    work: Callable[[Values], dict[str, float]]
    bench: str = ""
    planned: str = ""
    once: Callable[[Values], dict[str, float]] | None = None
    held: Mapping[str, Callable[[Values], float]] = field(default_factory=dict)
    costs: Mapping[str, Callable[[Values], float]] = field(default_factory=dict)


@dataclass(frozen=True)
class Told:
    """A result with the least and the greatest that tolerances make of it; equal where no input has any."""

    value: float
    low: float
    high: float


@dataclass(frozen=True)
class Worked:
    of: Sum
    inputs: dict[str, float]
    tolerances: dict[str, float] = field(default_factory=dict)
    results: dict[str, Told] = field(default_factory=dict)
    sets: tuple[float, ...] = ()  # the first result of each set of parts

    def alone(self) -> dict[str, float]:
        """By input with a tolerance: the standard deviation that it alone makes of the first result."""
        out = {}
        for key in (k for k, share in self.tolerances.items() if share):
            drawn = _drawn(self.of, self.inputs, {key: self.tolerances[key]})
            out[key] = pstdev(one[self.of.results[0].key] for one in drawn)
        return out

    def spread(self, by: Callable[[Values], float]) -> Told:
        """Something else of inputs and results, with what the same hundred sets of parts make of it."""
        every = [self.inputs, *_parts(self.inputs, self.tolerances)]
        values = [by({**inputs, **_once(self.of, inputs)}) for inputs in every]
        return Told(values[0], min(values), max(values))

    def against(self, key: str, points: int = 41) -> tuple[list[float], list[float]]:
        """(input, first result) from a third to three times what an input is, as far as that can be."""
        (one,) = (i for i in self.of.inputs if i.key == key)
        at, found = [], []
        for n in range(points):
            value = self.inputs[key] * 3.0 ** (2.0 * n / (points - 1) - 1.0)
            if not one.least <= value <= one.most:
                continue
            with suppress(InputError):
                found.append(_once(self.of, {**self.inputs, key: value})[self.of.results[0].key])
                at.append(value)
        return at, found


def worked(of: Sum, said: Mapping[str, str]) -> Worked:
    """With what was said instead of what stands there. InputError for a key that is none, or what cannot be."""
    values = {one.key: one.value for one in of.inputs}
    spread = {one.key: one.tolerance for one in of.inputs}
    by_key = {one.key: one for one in of.inputs}
    for key, text in said.items():
        own = key.removesuffix(TOLERANCE)
        if own not in by_key:
            raise InputError(f"{of.name} has no {key}; there are: {', '.join(by_key)}", key=key)
        if key.endswith(TOLERANCE):
            spread[own] = _number(text, "%", key, 0.0, 100.0)
        else:
            one = by_key[own]
            values[own] = _number(text, one.unit, key, one.least, one.most)
    at = _once(of, values)
    sets = [at, *_drawn(of, values, spread)]
    results = {key: Told(at[key], min(one[key] for one in sets), max(one[key] for one in sets)) for key in at}
    if of.once is not None:
        results |= {key: Told(value, value, value) for key, value in _once(of, values, of.once).items()}
    return Worked(of, values, spread, results, tuple(one[of.results[0].key] for one in sets[1:]))


def _number(text: str, unit: str, key: str, least: float, most: float) -> float:
    try:
        value = parse_entry(text, unit)
    except InputError as error:
        raise InputError(error.message, key=key) from None
    if value is None or not math.isfinite(value):
        raise InputError("a number is wanted", key=key)
    if not least <= value <= most:
        upper = f" to {most:g}" if math.isfinite(most) else " and more"
        raise InputError(f"{value:g} cannot be: {least:g}{upper}", key=key)
    return value


def _drawn(of: Sum, values: Values, spread: Values) -> list[dict[str, float]]:
    """Every result of each of a hundred sets of parts; none where no input has a tolerance."""
    return [_once(of, one) for one in _parts(values, spread)]


def _parts(values: Values, spread: Values) -> list[dict[str, float]]:
    """A hundred sets of parts, the same each time."""
    if not any(spread.values()):
        return []
    dice = random.Random(SEED)
    return [
        {k: v * (1.0 + 0.01 * spread.get(k, 0.0) * dice.uniform(-1.0, 1.0)) for k, v in values.items()}
        for _ in range(SETS)
    ]


def _once(of: Sum, values: Values, by: Callable[[Values], dict[str, float]] | None = None) -> dict[str, float]:
    try:
        found = (by or of.work)(values)
    except ZeroDivisionError:
        raise InputError("one of its inputs is zero where the formula divides by it", key=of.name) from None
    except (ValueError, OverflowError) as error:
        raise InputError(str(error), key=of.name) from None
    if not all(math.isfinite(v) for v in found.values()):
        raise InputError("these inputs leave no number", key=of.name)
    return found


def as_json(one: Worked) -> dict[str, object]:
    """As ``zincsmith workshop NAME --json`` gives it."""
    return {
        "sum": one.of.name,
        "inputs": {
            i.key: {"value": one.inputs[i.key], "unit": i.unit, "tolerance_percent": one.tolerances[i.key]}
            for i in one.of.inputs
        },
        "results": {
            r.key: {"value": t.value, "unit": r.unit, "low": t.low, "high": t.high}
            for r in one.of.results if (t := one.results[r.key])
        },
        "formula": one.of.formula,
        "source": one.of.source,
    }  # fmt: skip


PREFIXES = ((1e6, "M"), (1e3, "k"), (1.0, ""), (1e-3, "m"), (1e-6, "µ"), (1e-9, "n"), (1e-12, "p"))
LEFT_OUT = {"F": "Mkm", "V": "M", "W": "M", "A": "Mk"}  # nobody writes 4.7 mF where 4700 µF is printed


def in_words(value: float, unit: str) -> tuple[str, str]:
    """(number, unit) as people write them: ``4700``, ``µF``. What it makes, ``parse_entry`` reads."""
    if unit in ("1", "%", "degC") or value == 0.0 or not math.isfinite(value):
        return f"{value:.5g}", {"1": "", "degC": "°C"}.get(unit, unit if unit == "%" else _sign(unit))
    fits = [(size, name) for size, name in PREFIXES if name == "" or name not in LEFT_OUT.get(unit, "")]
    if unit == "F":
        fits = [one for one in fits if one[1]]
    size, name = next((one for one in fits if abs(value) >= 0.9995 * one[0]), fits[-1])
    return f"{value / size:.5g}", name + _sign(unit)


def _sign(unit: str) -> str:
    return "Ω" if unit == "ohm" else unit
