"""What a hand-held meter shows at the stages inside a unit, unplugged and live, sound or with one of its defects.

Resistances are those of the parts that lie there; volts follow from what still works. None of it knows a worksheet.
"""

from __future__ import annotations

import math

from zincsmith.simbench.units.defect import LEAK_OHM, SHORT_OHM
from zincsmith.simbench.world import World

# Ohm, as an ohmmeter sees a sound stage: thermistor and wire, bleeder, controller in its off state, divider.
SOUND_OHM = {"fuse": 4.2, "bulk": 330e3, "input": 1.8e3, "controller supply": 6.8e3, "reference": 4.7e3}
SHORTED_RECTIFIER_OHM, BLOWN = 0.7, math.inf
CLAMPED_V, RUNS_V, REFERENCE_V = 15.6, 13.2, 2.495  # of a controller that does not run, and of one that does
DRIFTED, DRIED, STARVED_V = 0.92, 0.7, 4.1  # of the reference; of the bulk volts; of a supply that its resistor starves


def stage_ohm(world: World, stage: str) -> float:
    """Unplugged; infinite where nothing conducts. On a live unit a meter shows nonsense: NaN."""
    unit, kind = world.unit, world.unit.defect.kind
    if world.input_V or unit.bulk_V > 1.0:
        return math.nan
    blown = kind == "open fuse" or unit.defect.fuse_is_open
    shorted = {
        ("short input", "bulk"): SHORT_OHM,
        ("short input", "input"): SHORT_OHM,
        ("leaky bulk", "bulk"): LEAK_OHM,
        ("short output", "output"): SHORTED_RECTIFIER_OHM,
        ("open divider", "reference"): math.inf,
    }
    if stage == "fuse" and blown:
        return BLOWN
    if stage == "output":
        return shorted.get((kind, stage), unit.output.bleeder_ohm)
    return shorted.get((kind, stage), SOUND_OHM.get(stage, math.nan))


def stage_V(world: World, stage: str) -> float:
    """Live, against the return of its side."""
    unit, kind = world.unit, world.unit.defect.kind
    fed = world.input_V if kind not in ("open fuse", "open bridge") and not unit.defect.fuse_is_open else 0.0
    runs = abs(unit.output_V) > 0.5
    if stage in ("bulk", "input"):
        return unit.crest_V(fed) * (DRIED if kind == "dry bulk" else 0.985)
    if stage == "controller supply":
        if not fed or kind == "short input":
            return 0.0
        if kind == "open start":
            return STARVED_V
        return RUNS_V if runs else CLAMPED_V
    if stage == "output":
        return unit.output_V
    return REFERENCE_V * (DRIFTED if kind == "drifted reference" else 1.0) if runs else 0.0
