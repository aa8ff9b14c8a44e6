"""Meters that a person holds at places of the unit: they read what is there, and nothing where that would be wrong."""

from __future__ import annotations

import random

from zincsmith.simbench.scpi import Interpreter, render
from zincsmith.simbench.units.stages import stage_ohm, stage_V
from zincsmith.simbench.world import World

LCR, MULTIMETER = "PELLMOOR,C3,SIM010,1.0", "FENNHOLLOW,M3,SIM016,1.0"
BULK_ESR_OHM = 0.6


def lcr_meter(world: World) -> Interpreter:
    """Its clips are where the world says; on a unit that is live, or on nothing, it reads nothing."""
    box = Interpreter(LCR)

    def read(_: str) -> str:
        unit, dice = world.unit, random.Random(f"{world.seed} lcr")
        held = {
            "output": (unit.output.capacitor_F * unit.ageing.capacity_share,
                       unit.ripple.esr_ohm * unit.ageing.esr_factor),
            "bulk": (unit.mains.bulk_F * unit.defect.bulk_share, BULK_ESR_OHM),
        }  # fmt: skip
        live = world.input_V or unit.output_V > 0.5
        farad, ohm = (0.0, 0.0) if live else held.get(world.clips_on, (0.0, 0.0))
        off = 1.0 + dice.uniform(-0.003, 0.003)
        return f"{render(farad * off)},{render(ohm * off)}"

    box.on("MEASure:CAPacitance:ESR?", read)
    return box


def multimeter(world: World) -> Interpreter:
    """A hand-held one that a person goes from stage to stage with: PROBe says where it is held."""
    box, at = Interpreter(MULTIMETER), [""]
    dice = random.Random(f"multimeter {world.seed}")

    def read(value: float) -> str:
        return render(value * (1.0 + dice.gauss(0.0, 0.001)))

    def probe(text: str) -> None:
        at[0] = text.strip().lower()

    box.on("PROBe", probe)
    box.on("PROBe?", lambda _: at[0])
    box.on("MEASure:OHM?", lambda _: read(stage_ohm(world, at[0])))
    box.on("MEASure:VOLT?", lambda _: read(stage_V(world, at[0])))
    box.on("MEASure:CURRent?", lambda _: read(world.taken_back_A))
    box.on("MEASure:TOUCh?", lambda _: read(world.touch_A))
    return box
