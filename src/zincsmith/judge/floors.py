"""Below what a power meter can read, nothing is read: the figure lies anywhere between zero and that."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from zincsmith.analysis.uncertainty import factor_of
from zincsmith.model.finding import Contribution, Finding
from zincsmith.model.rig import Rig


def floored(findings: Sequence[Finding], rig: Rig) -> tuple[Finding, ...]:
    """The findings; a standby power below the floor that the maker of the meter states is a bound, a rectangle from
    zero to the floor. Where no floor is stated nothing is assumed."""
    meter = rig.instrument("power_meter")
    floor = meter.floor_W if meter is not None else None
    if meter is None or not floor:
        return tuple(findings)
    return tuple(
        _bound(f, floor, meter.name)
        if f.name == "no_load_power" and f.value is not None and abs(f.value) < floor
        else f
        for f in findings
    )


def _bound(finding: Finding, floor_W: float, meter: str) -> Finding:
    half = floor_W / 2.0
    part = Contribution(f"floor of {meter}", half / 3.0**0.5, True, rectangular=True)
    note = f"{finding.working.note}; below {1000.0 * floor_W:g} mW, from where {meter} reads"
    return replace(
        finding, value=half, u=part.effect, k=factor_of((part,), None), dof=None, contributions=(part,), below=floor_W,
        working=replace(finding.working, note=note),
    )  # fmt: skip
