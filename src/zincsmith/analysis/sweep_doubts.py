"""Doubts that only several points of a sweep together can raise."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

import numpy as np

from zincsmith.analysis.accuracy import scatter_u
from zincsmith.analysis.display_step import display_step
from zincsmith.analysis.loss_model import fit_losses
from zincsmith.analysis.point_doubts import where
from zincsmith.model.finding import Doubt
from zincsmith.model.quantities import QUANTITIES
from zincsmith.model.reading import WORKED_OUT, Point

COUNTS = 5.0
SAG = 0.005  # of the input volts, from no load to full
LEAST_POINTS = 6  # of one line, for a curve that an odd one can leave
MOVE_WITH_LOAD: tuple[str, ...] = ("output_current", "input_power", "input_current")
LEAST_CHANGE_PERCENT, LEAST_CHANGE_V = 5.0, 5.0
SIGMAS, LEAST_ODD = 3.0, 0.002  # of the input power
WANTED = ("input_power", "output_voltage", "output_current")
PRODUCT = 0.003  # watts so near to volts times amps at every load were multiplied, not measured
MAINS_V = 85.0  # from there on an input is taken for mains; on DC watts are volts times amps
SPREAD_PERCENT = 25.0  # of load, over which a product or a hidden step is looked for
LEAST_ROWS = 3


def difference_doubts(
    one: Point, other: Point, quantity: str = "output_voltage", what: str = "difference", seen: float | None = None
) -> list[Doubt]:
    """About a difference of two readings: few counts of the display, or two ranges that need not agree. ``seen`` is the
    step of the display as its values show it, where no data sheet states it."""
    a, b = one.get(quantity), other.get(quantity)
    if a is None or b is None or a.value is None or b.value is None:
        return []
    found = []
    change, stated = abs(a.value - b.value), max(a.resolution, b.resolution)
    step = stated or seen or 0.0
    if step and change < COUNTS * step * 0.999:
        as_seen = "" if stated else f", {step:g} {a.unit or 'V'} as the values show".replace("  ", " ")
        found.append(
            Doubt(
                "few_counts",
                f"The {what} rests on {change / step:.1f} counts of the display{as_seen}.",
                "Use a finer range, or a meter with more digits.",
            )
        )
    if a.range and b.range and a.range != b.range:
        found.append(
            Doubt(
                "range_changed",
                f"The readings were taken on different ranges, {a.range:g} and {b.range:g} {a.unit}: a step between "
                "them would look like a change of the unit.",
                "Take both on the higher range.",
            )
        )
    return found


def frozen_doubts(points: Sequence[Point]) -> dict[str, Doubt]:
    """By quantity: what has to move with what was just changed and repeats to the last digit, as of a meter that froze.
    Amps and watts across a change of load, volts across a change of line; a well-regulated output may repeat."""
    found: dict[str, Doubt] = {}
    for before, after in pairwise(points):
        a, b = before.at, after.at
        loads = abs((a.draw.share_percent or 0.0) - (b.draw.share_percent or 0.0))
        lines = abs((a.feed.voltage_V or 0.0) - (b.feed.voltage_V or 0.0))
        moved = MOVE_WITH_LOAD if loads >= LEAST_CHANGE_PERCENT else ()
        moved += ("input_voltage",) if lines >= LEAST_CHANGE_V else ()
        for name in moved:
            one, other = before.get(name), after.get(name)
            if one is None or other is None or one.value is None or one.how == WORKED_OUT:
                continue
            if one.value == other.value and one.value != 0.0 and name not in found:
                found[name] = Doubt(
                    "frozen",
                    f"{QUANTITIES[name].words} read {one.value:g} {one.unit} at {where(before)} and at "
                    f"{where(after)}, to the last digit, though what it has to follow was changed between them.",
                    "See whether the meter still reads: a held display, a stuck range. Take both again.",
                )
    return found


def product_doubts(points: Sequence[Point]) -> dict[str, Doubt]:
    """By quantity: watts that are volts times amps to the last digits at every load. A mains input shows that at one
    load at most, so they were multiplied somewhere and are no real power."""
    rows = []
    for p in points:
        parts = [p.get(q) for q in ("input_power", "input_voltage", "input_current")]
        load = 100.0 if p.at.draw.share_percent is None else p.at.draw.share_percent
        if load > 0.0 and all(r is not None and r.value for r in parts):
            w, v, i = (r.value or 0.0 for r in parts if r is not None)
            rows.append((load, v, abs(w / (v * i) - 1.0)))
    if len(rows) < LEAST_ROWS or max(r[0] for r in rows) - min(r[0] for r in rows) < SPREAD_PERCENT:
        return {}
    if min(r[1] for r in rows) < MAINS_V or max(r[2] for r in rows) > PRODUCT:
        return {}
    if any(p.at.feed.frequency_Hz == 0.0 for p in points):
        return {}
    return {
        "input_power": Doubt(
            "apparent_as_real",
            f"The input watts are volts times amps at all {len(rows)} loads, as if the power factor were 1 everywhere.",
            "Read real power: a product of volts and amps is apparent power on AC.",
        )
    }


def hidden_step(points: Sequence[Point]) -> list[Doubt]:
    """Output volts that read the same at every load: the change is less than the display can show."""
    rows = [(p.at.load_percent, r) for p in points
            if p.at.loaded and (r := p.get("output_voltage")) is not None and r.value]  # fmt: skip
    if len(rows) < LEAST_ROWS or max(x for x, _ in rows) - min(x for x, _ in rows) < SPREAD_PERCENT:
        return []
    values = {r.value for _, r in rows}
    if len(values) > 1:
        return []
    value = rows[0][1].value or 0.0
    stated = max(r.resolution for _, r in rows)
    step = stated or display_step([value])
    size = f"its step of {step:g} V" if stated else f"a step of {step:g} V, by its digits," if step else "its step"
    return [
        Doubt(
            "step_hides_change",
            f"The output read {value:g} V at all {len(rows)} loads: {size} hides what changes. That is no change of "
            "zero, but one that was not seen.",
            "Read it with more digits, on a finer range, or as a difference against a steady reference.",
        )
    ]


def seen_step(points: Sequence[Point]) -> float | None:
    """The step of the display of the output volts as its values show it: six or more of which half at least repeat."""
    values = [r.value for p in points if (r := p.get("output_voltage")) is not None and r.value is not None]
    if len(values) < LEAST_POINTS or 2 * len(set(values)) > len(values):
        return None
    return display_step(values)


def sag_doubts(points: Sequence[Point]) -> list[Doubt]:
    """Input volts that give way as the load grows: the source, or what lies before it, is at its end."""
    rows = [(p.at.load_percent, r.value) for p in points
            if p.at.loaded and (r := p.get("input_voltage")) and r.value]  # fmt: skip
    if len(rows) < 2:
        return []
    (_, light), (full, heavy) = min(rows), max(rows)
    if heavy >= light * (1.0 - SAG):
        return []
    return [
        Doubt(
            "source_sags",
            f"The input gave way from {light:.1f} to {heavy:.1f} V up to {full:g} % load: the source is at its limit, "
            "or its wiring too long.",
            "Set the source by the power meter at each point, or use a stronger one.",
        )
    ]


def odd_ones(points: Sequence[Point]) -> dict[int, Doubt]:
    """Points whose losses do not lie on the curve of the others, by number. The curve is worked out without the point,
    which would draw it to itself."""
    rows = [p for p in points if all((r := p.get(q)) is not None and r.value is not None for q in WANTED)]
    current = np.array([_value(p, "output_current") for p in rows])
    if len(rows) < LEAST_POINTS or len(np.unique(current)) < LEAST_POINTS:
        return {}
    power = np.array([_value(p, "input_power") for p in rows])
    losses = power - np.array([_value(p, "output_voltage") for p in rows]) * current
    model = fit_losses(current, losses)
    deleted, wide = model.deleted, model.spread
    worst = int(np.nanargmax(np.abs(deleted) / wide))
    others = np.delete(np.arange(len(rows)), worst)
    rest = fit_losses(current[others], losses[others])
    reading = rows[worst].need("input_power")
    own = scatter_u(reading) if reading.known else 0.0
    spread = (reading.spread or 0.0) / max(1, reading.count) ** 0.5
    sigma = max(rest.scatter or 0.0, float(np.hypot(own, spread)), LEAST_ODD / SIGMAS * float(power[worst]))
    if abs(deleted[worst]) <= SIGMAS * sigma * wide[worst]:
        return {}
    at = rows[worst]
    return {
        at.number: Doubt(
            "curve_not_smooth",
            f"At {where(at)} the losses lie {deleted[worst]:+.3g} W off the curve of the other loads.",
            "Repeat the point; when it stays, a mode changes there: take more points around it.",
        )
    }


def _value(point: Point, quantity: str) -> float:
    return point.need(quantity).number
