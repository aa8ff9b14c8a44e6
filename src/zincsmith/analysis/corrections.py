"""What the wiring adds to a reading and can be taken off again: lead drop, and what the power meter itself takes.

The first value is kept beside the corrected one; what is not known about the correction travels as a source of its
own, shared by all readings that it touches.
"""

from __future__ import annotations

import math
from dataclasses import replace

from zincsmith.analysis.leads import lead_resistance
from zincsmith.model.address import at_port
from zincsmith.model.reading import FROM_FILE, WRITTEN, Point, Reading
from zincsmith.model.rig import Rig

# Half-widths of rectangular distributions, of the correction: gauge, length, temperature and clamps of a lead; a
# meter's input resistance; its shunt with what heats it. Common practice, no source.
LEAD_SHARE, TAP_SHARE, SHUNT_SHARE = 0.15, 0.02, 0.05
LEAD = "resistance of the leads to the load"
TAP = "burden of the power meter's voltage tap"
INPUT_LEAD = "resistance of the leads to the input"
SHUNT = "burden of the power meter's shunt"
SECOND = "burden of the second power meter"


def corrected(point: Point, rig: Rig) -> Point:
    """The point with its output volts referred to the unit and its input watts freed of the meter's own.

    Volts read at the load rise by I R of the leads. A voltage tap on the unit's side puts V^2 / R_tap of the meter into
    its watts, one on the source's side I^2 R_shunt; what the leads to the unit take comes on top of that. Nothing is
    corrected for which the rig states no resistance.
    """
    return replace(point, readings=tuple(_corrected(r, point, rig) for r in point.readings))


def counted(point: Point, rig: Rig) -> Point:
    """The point with the amps of the meter that the rig says counts: those of the ammeter in the place of the load's,
    which stand as its own from then on."""
    if rig.amps_by != "ammeter":
        return point
    ports = {r.port for r in point.readings if r.quantity == "ammeter_current" and r.value is not None}
    swap = {"ammeter_current": "output_current", "output_current": "ammeter_current"}
    readings = (replace(r, quantity=swap.get(r.quantity, r.quantity)) if r.port in ports else r for r in point.readings)
    return replace(point, readings=tuple(readings))


def _corrected(reading: Reading, point: Point, rig: Rig) -> Reading:
    if reading.value is None or reading.as_read is not None or _of_another_rig(reading, rig):
        return reading
    if reading.quantity == "output_voltage" and rig.sense == "load":
        load, at = at_port("load", reading.port), at_port("output_current", reading.port)
        lead, current = rig.lead(f"unit {load}"), _value(point, at)
        if lead is not None and current is not None:
            return _with(reading, current * lead_resistance(lead), LEAD_SHARE, LEAD)
    if reading.quantity == "input_power":
        return _with_all(reading, _of_the_input(point, rig))
    return reading


def _of_the_input(point: Point, rig: Rig) -> list[tuple[float, float, str]]:
    """(correction in W, its relative half-width, its source) of everything between the meter's tap and the unit."""
    meter = rig.instrument("power_meter")
    voltage, current = _value(point, "input_voltage"), _value(point, "input_current")
    found = []
    if meter is not None and meter.tap == "unit" and meter.tap_ohm and voltage is not None:
        found.append((-(voltage**2) / meter.tap_ohm, TAP_SHARE, TAP))
    if meter is not None and meter.tap == "source" and meter.shunt_ohm and current is not None:
        found.append((-(current**2) * meter.shunt_ohm, SHUNT_SHARE, SHUNT))
    second = rig.instrument("second_power_meter")
    if rig.lead("unit second_power_meter") is None and rig.lead("second_power_meter unit") is None:
        second = None  # it stands on the source's side, where its burden is seen by nobody
    if second is not None and second.shunt_ohm and current is not None:
        found.append((-(current**2) * second.shunt_ohm, SHUNT_SHARE, SECOND))
    if second is not None and second.tap_ohm and voltage is not None:
        found.append((-(voltage**2) / second.tap_ohm, TAP_SHARE, SECOND))
    lead = rig.lead("power_meter unit")
    if meter is not None and lead is not None and current is not None:  # they lie behind the meter, whatever its tap
        found.append((-(current**2) * lead_resistance(lead), LEAD_SHARE, INPUT_LEAD))
    return found


def _with_all(reading: Reading, parts: list[tuple[float, float, str]]) -> Reading:
    """Several corrections as one, named together; what is not known about each is independent of the others."""
    if not parts:
        return reading
    total = sum(part[0] for part in parts)
    if total == 0.0:
        return reading
    u = math.sqrt(sum((c * share) ** 2 for c, share, _ in parts)) / math.sqrt(3.0)
    return replace(
        reading, value=reading.number + total, as_read=reading.value, correction_u=math.copysign(u, total),
        correction_for=" and ".join(source for _, _, source in parts),
    )  # fmt: skip


def _of_another_rig(reading: Reading, rig: Rig) -> bool:
    """Whether a file brought it that was recorded by something that is not on this rig."""
    one = rig.instrument(reading.place)
    return reading.how in (FROM_FILE, WRITTEN) and (one is None or one.name != reading.source)


def _value(point: Point, quantity: str) -> float | None:
    reading = point.get(quantity)
    return reading.value if reading is not None else None


def _with(reading: Reading, correction: float, share: float, source: str) -> Reading:
    if correction == 0.0:
        return reading
    u = correction * share / math.sqrt(3.0)
    return replace(
        reading, value=reading.number + correction, as_read=reading.value, correction_u=u, correction_for=source
    )
