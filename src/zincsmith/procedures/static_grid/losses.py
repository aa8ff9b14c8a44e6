"""What the losses over load tell: their fixed, linear and square part, and where a mode changes."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from zincsmith.analysis.accuracy import scatter_u
from zincsmith.analysis.loss_model import TERMS, fit_losses, fixed_weights, mode_change
from zincsmith.analysis.uncertainty import Values, factor_of
from zincsmith.model.finding import Contribution, Finding, Working
from zincsmith.model.operating_point import OperatingPoint
from zincsmith.model.reading import Point
from zincsmith.procedures.finding_of import finding_of
from zincsmith.procedures.given import POWER


def loss_findings(at: OperatingPoint, points: Sequence[Point]) -> list[Finding]:
    """At one line: the fixed loss with the whole model in its working, and the current at which the losses change to
    another curve. ``points`` carry all of POWER; nothing from fewer than four different loads."""
    current = np.array([_value(p, "output_current") for p in points])
    if len(np.unique(current)) <= TERMS:
        return []
    power = np.array([_value(p, "input_power") for p in points])
    losses = power - np.array([_value(p, "output_voltage") for p in points]) * current
    model = fit_losses(current, losses)
    words = f"{model.fixed_W:.3g} W {model.linear_V:+.3g} V x I {model.square_ohm:+.3g} ohm x I²"
    rest = {p.number: float(r) for p, r in zip(points, model.rest, strict=True)}
    loss = {p.number: float(x) for p, x in zip(points, losses, strict=True)}

    # A point whose amps are off moves along the curve: to first order as if its losses were off by the slope there.
    weights, slope = fixed_weights(current), model.linear_V + 2.0 * model.square_ohm * current

    def formula(v: Values) -> float:
        lost = v["input_power"] - v["output_voltage"] * v["output_current"]
        return float(np.dot(weights, lost - slope * (v["output_current"] - current)))

    found = [
        finding_of(
            "fixed_loss", "Fixed losses", "W", points, POWER, formula,
            "fixed part of Pin − V I, least squares", at, f"losses = {words}",
            lambda p: {"loss / W": loss[p.number], "off the fit / W": rest[p.number]},
            doubts_of=lambda _p, _q: [],  # each point tells its own doubts with its efficiency
        )
    ]  # fmt: skip
    return [*found, *_change(at, points, current, losses)]


def _change(
    at: OperatingPoint, points: Sequence[Point], current: NDArray[np.float64], losses: NDArray[np.float64]
) -> list[Finding]:
    """Where one curve does not do: the middle between the two loads, a rectangle between."""
    between = mode_change(current, losses, _own_W(points))
    if between is None:
        return []
    below, above = between
    part = Contribution("between the two loads", (above - below) / 2.0 / math.sqrt(3.0), True, rectangular=True)
    used = [p for p, x in zip(points, current, strict=True) if x in (below, above)]
    rows = tuple(
        {
            "point": p.number,
            **p.at.conditions,
            "I / A": _value(p, "output_current"),
            "loss / W": float(losses[points.index(p)]),
            "readings": [r.id for q in POWER if (r := p.get(q)) is not None],
        }
        for p in used
    )
    return [
        Finding(
            name="mode_change",
            title="Losses change to another curve",
            value=(below + above) / 2.0,
            unit="A",
            u=part.effect,
            k=factor_of((part,), None),
            at=at,
            working=Working(
                "middle of the two loads", ("load / %", "I / A", "loss / W"), rows,
                f"two curves fit clearly better than one; between {below:.3g} and {above:.3g} A",
            ),
            contributions=(part,),
        )
    ]  # fmt: skip


def _own_W(points: Sequence[Point]) -> float:
    """What the input watts of one point may be off by themselves: the least scatter that is no mode."""
    own = [scatter_u(r) for p in points if (r := p.get("input_power")) is not None and r.known]
    return max(own, default=0.0)


def _value(point: Point, quantity: str) -> float:
    return point.need(quantity).number
