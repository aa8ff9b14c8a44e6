"""Which kind of unit a file of physics describes."""

from __future__ import annotations

from pathlib import Path

from zincsmith.simbench.units.adapter import Adapter
from zincsmith.simbench.units.bench_supply import BenchSupply
from zincsmith.simbench.units.dcdc import DcStage
from zincsmith.simbench.units.inverter import Inverter
from zincsmith.simbench.units.parameters import read_sections

# By the section that only it has; the first that fits.
KINDS: dict[str, type[Adapter]] = {"alternating": Inverter, "stage": DcStage, "supply": BenchSupply}


def read_unit(file: Path) -> Adapter:
    """The physics of a unit of whichever kind its file describes; a missing or unknown key is a ValueError."""
    sections = read_sections(file)
    return next((made for section, made in KINDS.items() if section in sections), Adapter)(**sections)
