"""How a thermal soak is put into a plan: not yet, it is worked out of recorded files."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from zincsmith.procedures.waveform_options import FromRecords


@dataclass(frozen=True)
class ThermalSoakOptions(FromRecords):
    """Nothing is asked for."""

    procedure: Literal["thermal_soak"] = "thermal_soak"
