"""Doubts from the label and the look-over alone, before anything is measured."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass

from zincsmith.analysis.parts import stress_of, strongest_W
from zincsmith.model.unit import InputRating, Nameplate, OutputRating, Unit, mode_power_W

WATTS_APART = 0.03  # printed watts are rounded
BEST_EFFICIENCY = 0.97  # of a small AC-DC supply; common practice, no source
# A closed case in still air sheds about 10 W per m2 and kelvin (natural convection and radiation; common practice,
# no source); a rise beyond 60 K cooks it.
SHEDS_W_PER_M2_K, COOKS_K = 10.0, 60.0
LOW_EFFICIENCY = 0.55
# Watts of rating per gram without cord: from line-frequency transformers to the densest adapters. Common practice,
# no source.
HEAVY_W_PER_G, LIGHT_W_PER_G = 0.03, 1.2


@dataclass(frozen=True)
class PlateDoubt:
    """``at`` names what it belongs to: ``input N``, ``output N``, total, look, or ``part NAME``."""

    code: str
    at: str
    text: str


def label_doubts(unit: Unit) -> list[PlateDoubt]:
    """All doubts that need no measurement, those of the label first."""
    plate = unit.nameplate
    found: list[PlateDoubt] = []
    for n, out in enumerate(plate.outputs):
        found += _watts(out, f"output {n}")
    found += _totals(plate)
    found += _efficiency(unit)
    for n, one in enumerate(plate.inputs):
        found += _input_current(plate, one, f"input {n}")
    return [*found, *_weight(unit), *_parts(unit)]


def _watts(out: OutputRating, at: str) -> Iterator[PlateDoubt]:
    modes = [(m.voltage_V, m.current_A, m.power_W) for m in out.modes]
    if out.fixed and out.type == "dc":
        modes = [(out.voltage_V, out.current_A, out.power_W)]
    for voltage, current, printed in modes:
        if current is None or printed is None:
            continue
        product = abs(voltage) * current
        if abs(product - printed) > WATTS_APART * printed:
            yield PlateDoubt(
                "watts_do_not_fit",
                at,
                f"{voltage:g} V × {current:g} A is {product:.4g} W; the label prints {printed:g} W.",
            )


def _totals(plate: Nameplate) -> Iterator[PlateDoubt]:
    if not plate.outputs:
        return
    total = plate.total_power_W if plate.power_is == "output" else None
    for n, out in enumerate(plate.outputs):
        most = strongest_W(out)
        if total is not None and most > total * (1.0 + WATTS_APART):
            yield PlateDoubt(
                "mode_exceeds_total",
                f"output {n}",
                f"{out.name or 'The output'} alone is rated {most:.4g} W, the whole unit {total:g} W.",
            )
        if out.power_W is not None and out.modes:
            over = [m for m in out.modes if (w := mode_power_W(m)) and w > out.power_W * (1.0 + WATTS_APART)]
            for mode in over:
                yield PlateDoubt(
                    "mode_exceeds_total",
                    f"output {n}",
                    f"Its {mode.voltage_V:g} V mode is {mode_power_W(mode):.4g} W, the port {out.power_W:g} W.",
                )
    for share in plate.sharing:
        if total is not None and sum(share.each_W) > total * (1.0 + WATTS_APART):
            yield PlateDoubt(
                "mode_exceeds_total",
                "total",
                f"{'+'.join(share.ports)} share {sum(share.each_W):g} W; the whole unit is rated {total:g} W.",
            )
    for limit in plate.limits:
        if total is not None and limit.power_W is not None and limit.power_W > total * (1.0 + WATTS_APART):
            yield PlateDoubt(
                "mode_exceeds_total",
                "total",
                f"{'+'.join(limit.outputs)} together may give {limit.power_W:g} W; the whole unit {total:g} W.",
            )


def _efficiency(unit: Unit) -> Iterator[PlateDoubt]:
    plate = unit.nameplate
    stated = [c.low for c in plate.claims if c.figure in {"efficiency", "average_active_efficiency"} and c.low]
    stated += [plate.average_efficiency_percent / 100.0] if plate.average_efficiency_percent is not None else []
    mains = bool(plate.inputs) and plate.inputs[0].type == "ac"
    for share in stated:
        if share > (BEST_EFFICIENCY if mains else 0.995):
            yield PlateDoubt("efficiency_cannot_be", "total", f"An efficiency of {100 * share:g} % cannot be.")
            continue
        lost = plate.rated_power_W * (1.0 / share - 1.0)
        rise = _rise_K(unit, lost)
        if rise is not None and rise > COOKS_K:
            yield PlateDoubt(
                "efficiency_cooks",
                "total",
                f"At {100 * share:g} % it loses {lost:.3g} W; its case would rise some {rise:.0f} K.",
            )
        elif rise is None and share < LOW_EFFICIENCY:
            yield PlateDoubt(
                "efficiency_cooks",
                "total",
                f"At {100 * share:g} % it loses {lost:.3g} W, more than half of what it draws.",
            )


def _rise_K(unit: Unit, lost_W: float) -> float | None:
    size = unit.look.physical.size_mm
    if size is None:
        return None
    a, b, c = size
    return lost_W / (SHEDS_W_PER_M2_K * 2.0 * (a * b + b * c + c * a) * 1e-6)


def _input_current(plate: Nameplate, one: InputRating, at: str) -> Iterator[PlateDoubt]:
    if one.current_A is None or not plate.outputs:
        return
    power = one.output_power_W or plate.rated_power_W
    drawn = min(
        (r.voltage_V[0] * r.current_A for r in one.ranges if r.current_A is not None),
        default=one.voltage_min_V * one.current_A,
    )
    what = "VA" if one.type == "ac" else "W"
    needed = power / 0.88  # an ordinary efficiency; common practice, no source
    if drawn < needed * (1.0 - WATTS_APART):
        yield PlateDoubt(
            "input_current_too_small",
            at,
            f"{one.current_A:g} A at {one.voltage_min_V:g} V is {drawn:.3g} {what}; "
            f"{power:.4g} W out at 88 % draws {needed:.3g} W.",
        )


def _weight(unit: Unit) -> Iterator[PlateDoubt]:
    grams, plate = unit.look.physical.working_g, unit.nameplate
    if grams is None or grams <= 0.0 or not plate.outputs or not plate.inputs or plate.inputs[0].type != "ac":
        return
    density = plate.rated_power_W / grams
    if density > LIGHT_W_PER_G:
        yield PlateDoubt(
            "weight_out_of_line", "look", f"{grams:g} g for {plate.rated_power_W:g} W is too light to be true."
        )
    elif density < HEAVY_W_PER_G:
        yield PlateDoubt(
            "weight_out_of_line", "look", f"{grams:g} g for {plate.rated_power_W:g} W is heavy: look for ballast."
        )


def _parts(unit: Unit) -> Iterator[PlateDoubt]:
    plate = unit.nameplate
    for part in unit.look.parts:
        at = f"part {part.name}"
        if part.range_V is not None and any(_same(i.voltage_V, part.range_V) for i in plate.inputs):
            yield PlateDoubt(
                "range_of_the_chip",
                at,
                f"The input range is exactly that of the chip {part.name}: it need not be the board's.",
            )
        stress = stress_of(part, plate)
        if stress.share is not None and stress.verdict in {"doubtful", "too small"} and stress.sees is not None:
            rated = part.rated_A if stress.unit == "A" else part.rated_V
            yield PlateDoubt(
                "part_under_rated",
                at,
                f"{part.name} is marked {rated:g} {stress.unit} and sees {stress.sees:.4g} {stress.unit} "
                f"({stress.how}).",
            )


def _same(a: tuple[float, float], b: tuple[float, float]) -> bool:
    return all(math.isclose(x, y, rel_tol=0.01) for x, y in zip(a, b, strict=True))
