"""Ripple and noise: worked out of records that a scope has saved."""

from __future__ import annotations

from zincsmith.procedures.base import Procedure
from zincsmith.procedures.intake import Intake
from zincsmith.procedures.ripple.intake import RippleRecord
from zincsmith.procedures.ripple.options import RippleOptions

NAME = "ripple"


class RippleAndNoise(Procedure):
    """From files only: its options say so for every unit, so that no plan holds it."""

    name = NAME
    title = "Ripple and noise"
    version = 1
    needs: tuple[str, ...] = ("scope",)
    serves = "peak to peak and rms, line and switching parts, spikes; of recorded files so far"
    options = RippleOptions
    intakes: tuple[Intake, ...] = (RippleRecord(),)


SPEC = RippleAndNoise()
