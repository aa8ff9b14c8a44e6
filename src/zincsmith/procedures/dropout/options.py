"""How dropout is put into a plan: not yet, it is worked out of recorded files."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from zincsmith.procedures.waveform_options import FromRecords


@dataclass(frozen=True)
class DropoutOptions(FromRecords):
    """Nothing is asked for."""

    procedure: Literal["dropout"] = "dropout"
