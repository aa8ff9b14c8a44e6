"""Doubts that a single point of a steady-state sweep can raise."""

from __future__ import annotations

from collections.abc import Sequence

from zincsmith.analysis.load_laws import current_of
from zincsmith.model.finding import Doubt
from zincsmith.model.quantities import QUANTITIES
from zincsmith.model.reading import WORKED_OUT, Point

SOURCE_TOLERANCE = 0.01  # of the nominal input, for compliance points
LOAD_TOLERANCE = 0.02  # of the set current; what a load may err by its data sheet is far less
LOAD_FLOOR_A = 0.01
LOW_SHARE = 0.05  # of range
APPARENT, LOW_FACTOR = 0.01, 0.95  # watts so near to volts times amps, below this power factor
CONTRADICTION = 0.03  # of the apparent power
ABOVE_ONE = 1.005  # a power factor beyond is no longer the last digits of two meters
ABOVE_APPARENT = 1.01  # watts over volts times amps: two ranges at their limits do not reach that
NEGATIVE_W = -0.05
IMPLAUSIBLE_EFFICIENCY = 0.97  # for a small AC-DC supply


def point_doubts(point: Point, quantities: Sequence[str]) -> list[Doubt]:
    """The doubts this point casts on a figure that uses ``quantities``."""
    single = (
        _source(point),
        _unsettled(point),
        _not_reached(point),
        *_low(point, quantities),
        _impossible(point),
        *_contradicting(point),
    )
    return [d for d in single if d]


def where(point: Point) -> str:
    """Where a point was taken: line and load, or the row of the table it stands in."""
    row = point.at.fact("row")
    return f"row {row:g}" if row is not None else f"{point.at.line_V:g} V, {point.at.load_percent:g} %"


def _loaded(point: Point) -> bool:
    """Whether the output gives something; a row that does not say counts as loaded."""
    return point.at.draw.share_percent is None or point.at.draw.share_percent > 0.0


def _source(point: Point) -> Doubt | None:
    reading, nominal = point.get("input_voltage"), point.at.feed.voltage_V
    if reading is None or reading.value is None or nominal is None:
        return None
    off = reading.value / nominal - 1.0
    if abs(off) <= SOURCE_TOLERANCE:
        return None
    return Doubt(
        "source_out_of_tolerance",
        f"At {where(point)} the input was {reading.value:.1f} V, {100 * off:+.1f} % off; the rules allow ±1 %.",
        "Set the source by the power meter and take the point again.",
    )


def _unsettled(point: Point) -> Doubt | None:
    if point.settled is not False:
        return None
    return Doubt(
        "not_settled",
        f"At {where(point)} the readings were still drifting when the longest wait was over.",
        "Warm up longer, or allow a longer wait, and take the point again.",
    )


def wanted_A(point: Point) -> float | None:
    """The current that the load was set to take, at the volts that were read where its law goes by them."""
    draw, voltage = point.at.draw, point.get("output_voltage")
    if draw.level is None:
        return None
    return current_of(draw.law, draw.level, (voltage.value if voltage is not None else None) or 0.0)


def _not_reached(point: Point) -> Doubt | None:
    """The load did not draw what it was set to: it tripped, or works only from more volts up."""
    wanted, reading = wanted_A(point) or 0.0, point.get("output_current")
    if reading is not None and reading.how == WORKED_OUT:
        return None  # a resistor draws what it draws
    if wanted <= 0.0 or reading is None or reading.value is None:
        return None
    if abs(reading.value - wanted) <= LOAD_TOLERANCE * wanted + LOAD_FLOOR_A:
        return None
    return Doubt(
        "load_not_reached",
        f"At {where(point)} the load drew {reading.value:.3g} A; it was set to {wanted:.3g} A.",
        "See whether it has tripped, and from how many volts up it works; take the point again.",
    )


def _low(point: Point, quantities: Sequence[str]) -> list[Doubt]:
    found = []
    for name in quantities:
        reading = point.get(name)
        if name != "input_power" or reading is None or reading.value is None or not reading.range:
            continue
        if abs(reading.value) < LOW_SHARE * reading.range:
            words = QUANTITIES[name].inside
            found.append(
                Doubt(
                    "below_range_floor",
                    f"At {where(point)} {words} were {reading.value:.3g} {reading.unit} on the {reading.range:g} "
                    f"{reading.unit} range, below 5 % of it.",
                    "Use a lower range for this point.",
                )
            )
    return found


def _impossible(point: Point) -> Doubt | None:
    values = [point.get(q) for q in ("input_power", "output_voltage", "output_current")]
    if any(r is None or r.value is None for r in values) or not _loaded(point):
        return None
    pin, v, i = (r.value for r in values if r is not None and r.value is not None)
    if pin > 0.0 and v * i / pin <= IMPLAUSIBLE_EFFICIENCY:
        return None
    return Doubt(
        "efficiency_implausible",
        f"At {where(point)} {v * i:.2f} W came out for {pin:.2f} W in. A small adapter does not reach that.",
        "Check that real watts are read, the ranges, and that no channels are swapped.",
    )


def _contradicting(point: Point) -> list[Doubt]:
    """Figures of one moment that cannot all be right: watts, volts, amps and power factor of the input."""
    values = {q: r.value for q in ("input_voltage", "input_current", "input_power", "power_factor")
              if (r := point.get(q)) is not None and r.value is not None}  # fmt: skip
    power = values.get("input_power")
    found = []
    if power is not None and power < NEGATIVE_W:
        found.append(
            Doubt(
                "power_negative",
                f"At {where(point)} the input watts were {power:.3g} W: negative.",
                "Turn the current input round, or check its direction.",
            )
        )
    factor = values.get("power_factor")
    if factor is not None and factor > ABOVE_ONE:
        found.append(
            Doubt(
                "power_factor_above_one", f"At {where(point)} the power factor was {factor:.3f}.", "Check the ranges."
            )
        )
    if power is None or not {"input_voltage", "input_current"} <= values.keys() or not _loaded(point):
        return found
    apparent = values["input_voltage"] * values["input_current"]
    if factor is not None and factor < LOW_FACTOR and abs(power - apparent) <= APPARENT * apparent:
        found.append(
            Doubt(
                "apparent_as_real",
                f"At {where(point)} the input watts are volts times amps, though the power factor is {factor:.2f}.",
                "Read real power, not the product of volts and amps.",
            )
        )
    elif factor is not None and abs(power - factor * apparent) > CONTRADICTION * apparent:
        found.append(
            Doubt(
                "figures_contradict",
                f"At {where(point)} {factor:.3g} x {values['input_voltage']:.4g} V x {values['input_current']:.4g} A "
                f"is not {power:.4g} W.",
                "A range, a unit or a channel is wrong: milliamps for amps, a mean for an rms value.",
            )
        )
    elif power > ABOVE_APPARENT * apparent:
        found.append(
            Doubt(
                "watts_above_apparent",
                f"At {where(point)} {power:.4g} W is more than {values['input_voltage']:.4g} V x "
                f"{values['input_current']:.4g} A = {apparent:.4g} VA, which no unit can take.",
                "The amps are a mean and no rms value, or not of the same moment; check ranges and channels.",
            )
        )
    return found
