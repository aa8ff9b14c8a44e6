"""The unit on the stand-in bench, of whichever kind its file of physics describes."""

from __future__ import annotations

from pathlib import Path

from zincsmith.simbench.adapter import Adapter
from zincsmith.simbench.dcdc import DcStage
from zincsmith.simbench.parameters import read_sections


def read_unit(file: Path) -> Adapter:
    """Read the physics; a missing or unknown key is a ValueError that names it."""
    sections = read_sections(file)
    return DcStage(**sections) if "stage" in sections else Adapter(**sections)
