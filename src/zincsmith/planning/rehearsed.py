"""Evidence from a rehearsal: the readings a plan would give on this rig, with the accuracy the rig declares."""

from __future__ import annotations

import hashlib
from dataclasses import replace
from datetime import date

from zincsmith.analysis.data_sheet import with_data_sheets
from zincsmith.analysis.expected_record import expected_record
from zincsmith.analysis.leads import lead_resistance
from zincsmith.model.address import at_port, name_of, port_of
from zincsmith.model.quantities import QUANTITIES
from zincsmith.model.reading import Evidence, Point, Wave
from zincsmith.model.rig import Rig
from zincsmith.planning.readings import input_watts, reading_of
from zincsmith.planning.rehearsal import Itinerary, PlannedPoint
from zincsmith.planning.rig_facts import derived


def rehearsed_evidence(itinerary: Itinerary, rig: Rig, ambient_degC: float = 23.0) -> Evidence:
    """The planned points as if they had been taken; with sense at the load the lead drop stands in the volts."""
    points, follows = [], derived(rig)
    samples: dict[str, bytes] = {}
    for planned in itinerary.points:
        readings = []
        for name, one in rig.channels.items():
            if name not in planned.expected:
                continue
            value = planned.expected[name].value
            if name_of(name) == "output_voltage":
                amps = planned.expected[at_port("output_current", port_of(name))].value
                value -= amps * _drop_ohm(rig, port_of(name))
            if name != "input_power" or name not in follows:
                readings.append(reading_of(f"{one.name}, {name}, point {planned.number}", name, value, one))
        if "input_power" in follows:
            readings += input_watts(f"input_power, point {planned.number}", readings, rig)
        waves = _record(planned, rig, samples) if planned.recorded else ()
        point = Point(planned.number, planned.at, tuple(readings), planned.begins_s, True, planned.part, waves=waves)
        points.append(with_data_sheets(point, rig, 0, ambient_degC, date.today().isoformat()))
    return Evidence(tuple(points), True, ambient_degC, itinerary.procedures, samples=samples)


def _drop_ohm(rig: Rig, port: str) -> float:
    """What stands in the volts of a port that is sensed at its load."""
    lead = rig.lead(f"unit {at_port('load', port)}")
    return lead_resistance(lead) if lead is not None and rig.sense == "load" else 0.0


def _record(planned: PlannedPoint, rig: Rig, samples: dict[str, bytes]) -> tuple[Wave, ...]:
    """Volts and amps as the nameplate lets expect them; ``samples`` takes them up."""
    amps = planned.expected["input_current"].value
    voltage, current, step_s = expected_record(planned.at.line_V, planned.at.frequency_Hz, amps)
    meter = rig.instrument("power_meter")
    waves = []
    for quantity, record in (("input_voltage", voltage), ("input_current", current)):
        data = record.astype("<f8").tobytes()
        sha256 = hashlib.sha256(data).hexdigest()
        samples[sha256] = data
        name = meter.name if meter is not None else "rehearsal"
        unit = QUANTITIES[quantity].unit
        waves.append(Wave(quantity, unit, step_s, len(record), 1.0, sha256, "power_meter", name, "f8"))
    return tuple(waves)


def at_the_unit(rig: Rig) -> Rig:
    """The same rig with its sense leads on the unit's terminals."""
    return replace(rig, sense="unit")
