"""Evidence from a rehearsal: the readings a plan would give on this rig, with the accuracy the rig declares."""

from __future__ import annotations

from dataclasses import replace

from zincsmith.analysis.leads import lead_resistance
from zincsmith.engine.entries import reading_of
from zincsmith.engine.rehearsal import Itinerary
from zincsmith.model.quantities import QUANTITIES
from zincsmith.model.reading import Evidence, Point
from zincsmith.model.rig import Rig


def rehearsed_evidence(itinerary: Itinerary, rig: Rig, ambient_degC: float = 23.0) -> Evidence:
    """The planned points as if they had been taken; with sense at the load the lead drop stands in the volts."""
    lead = rig.lead("unit load")
    drop_ohm = lead_resistance(lead) if lead is not None and rig.sense == "load" else 0.0
    points = []
    for planned in itinerary.points:
        readings = []
        for name, expectation in planned.expected.items():
            one = rig.instrument(QUANTITIES[name].role)
            if one is None:
                continue
            value = expectation.value - (planned.load_A * drop_ohm if name == "output_voltage" else 0.0)
            readings.append(reading_of(f"{one.name}, {name}, point {planned.number}", name, value, one))
        points.append(
            Point(planned.number, dict(planned.conditions), tuple(readings), planned.begins_s, True, planned.part)
        )
    return Evidence(tuple(points), True, ambient_degC, itinerary.procedures)


def at_the_unit(rig: Rig) -> Rig:
    """The same rig with its sense leads on the unit's terminals."""
    return replace(rig, sense="unit")
