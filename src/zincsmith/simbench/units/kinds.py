"""Which kind of unit a file of physics describes."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from zincsmith.simbench.units.adapter import Adapter
from zincsmith.simbench.units.bench_supply import BenchSupply
from zincsmith.simbench.units.dcdc import DcStage
from zincsmith.simbench.units.inverter import Inverter
from zincsmith.simbench.units.parameters import read_sections

# By the section that only it has; the first that fits.
KINDS: dict[str, type[Adapter]] = {"alternating": Inverter, "stage": DcStage, "supply": BenchSupply}


def read_unit(file: Path) -> Adapter:
    """The physics of a unit of whichever kind its file describes; a missing or unknown key is a ValueError."""
    return made_of(read_sections(file))


def made_of(sections: dict[str, Any]) -> Adapter:
    return next((made for section, made in KINDS.items() if section in sections), Adapter)(**sections)
