"""What the wiring adds: by closed forms, with what is not known about it as a source of its own."""

import math
from dataclasses import replace

import pytest

from zincsmith.analysis.accuracy import column
from zincsmith.analysis.corrections import INPUT_LEAD, LEAD, SHUNT, TAP, corrected
from zincsmith.analysis.leads import lead_resistance
from zincsmith.analysis.uncertainty import propagate
from zincsmith.model.operating_point import NOWHERE
from zincsmith.model.reading import Point, Reading
from zincsmith.model.rig import Rig

READ = {
    "input_voltage": 230.0,
    "input_current": 0.3,
    "input_power": 20.0,
    "output_voltage": 23.9,
    "output_current": 2.0,
}
POINT = Point(1, NOWHERE, tuple(Reading(q, q, v, "", "", "x", "simulated") for q, v in READ.items()), 0.0)


def meter(rig: Rig, **changes: object) -> Rig:
    return replace(
        rig, instruments=tuple(replace(i, **changes) if i.role == "power_meter" else i for i in rig.instruments)
    )


def one(rig: Rig, quantity: str) -> Reading:
    found = corrected(POINT, rig).get(quantity)
    assert found is not None
    return found


def test_volts_at_the_load_are_referred_to_the_unit(rig: Rig) -> None:
    """V + I R of both wires; copper of 1.5 mm2, 1.2 m out and back (IACS copper, value from memory)."""
    volts = one(replace(rig, sense="load"), "output_voltage")
    lead = rig.lead("unit load")
    assert lead is not None
    assert lead_resistance(lead) == pytest.approx(2 * 1.2 * 1.7241e-8 / 1.5e-6, rel=1e-6)
    assert volts.value == pytest.approx(23.9 + 2.0 * lead_resistance(lead))
    assert volts.as_read == 23.9
    assert volts.correction_for == LEAD
    assert one(rig, "output_voltage") == POINT.get("output_voltage"), "sense at the unit: nothing to correct"
    bare = replace(rig, sense="load", leads=())
    assert one(bare, "output_voltage").as_read is None, "nobody stated the leads"


def test_the_meters_own_watts_depend_on_the_side_of_its_tap(rig: Rig) -> None:
    unit_side = one(meter(rig, tap="unit", tap_ohm=1e6), "input_power")
    lead = rig.lead("power_meter unit")
    assert lead is not None
    taken = 0.3**2 * lead_resistance(lead)  # by the leads to the unit, which lie behind the meter
    assert unit_side.value == pytest.approx(20.0 - 230.0**2 / 1e6 - taken)
    assert unit_side.correction_for == f"{TAP} and {INPUT_LEAD}"
    source_side = one(meter(rig, tap="source", shunt_ohm=0.05), "input_power")
    assert source_side.value == pytest.approx(20.0 - 0.3**2 * 0.05 - taken)
    assert source_side.correction_for == f"{SHUNT} and {INPUT_LEAD}"
    # What is not known of either is independent: 5 % of the shunt's, 15 % of the lead's, rectangles.
    u = math.hypot(0.3**2 * 0.05 * 0.05, taken * 0.15) / math.sqrt(3.0)
    assert abs(source_side.correction_u) == pytest.approx(u)
    bare = replace(rig, leads=())
    assert one(meter(bare, tap="unit", tap_ohm=None), "input_power").as_read is None


def test_it_is_corrected_once_and_its_doubtfulness_is_shared(rig: Rig) -> None:
    at_load = replace(rig, sense="load")
    once = corrected(POINT, at_load)
    assert corrected(once, at_load) == once
    readings = [once.get("output_voltage"), once.get("output_voltage")]
    both = column([r for r in readings if r is not None])
    part = next(p for p in both.parts if p.source == LEAD)
    assert part.shared
    lead = rig.lead("unit load")
    assert lead is not None
    u = 2.0 * lead_resistance(lead) * 0.15 / math.sqrt(3.0)
    assert list(part.effect) == pytest.approx([u, u])
    difference = propagate(lambda v: float(v["V"][0] - v["V"][1]), {"V": both})
    assert difference.u == 0.0, "what both have in common cancels"
