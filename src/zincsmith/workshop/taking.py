"""What a sum takes from the unit that is open, and from its latest run."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from zincsmith.model.finding import Judged
from zincsmith.model.unit import Nameplate
from zincsmith.workshop.base import Sum

Taken = Mapping[str, tuple[float, str]]


def taken(of: Sum, plate: Nameplate | None, judged: Iterable[Judged] = ()) -> Taken:
    """By input, the value and where it is from: the plate, or a finding that has one, at the heaviest load it has."""
    findings = list(judged)
    out: dict[str, tuple[float, str]] = {}
    for one in of.inputs:
        where, _, what = one.takes.partition(":")
        found = _of_plate(plate, what) if where == "plate" and plate is not None else None
        if found is not None:
            out[one.key] = (found, "plate")
        elif where == "finding" and (best := _finding(findings, what)) is not None:
            value = best.finding.number * (100.0 if one.unit == "%" else 1.0)
            out[one.key] = (value, f"found, {best.finding.at.words}" if best.finding.at.words else "found")
    return {key: (value, where) for key, (value, where) in out.items() if _can_be(of, key, value)}


def _can_be(of: Sum, key: str, value: float) -> bool:
    (one,) = (i for i in of.inputs if i.key == key)
    return one.least <= value <= one.most


def _of_plate(plate: Nameplate, what: str) -> float | None:
    if what.startswith("input"):
        if not plate.inputs:
            return None
        fed = plate.inputs[0]
        low, high = fed.voltage_V
        rated = {"input_low_V": low, "input_high_V": high, "input_Hz": (fed.frequency_Hz or (0.0,))[0]}
        return rated[what] or None
    if not plate.outputs:
        return None
    out = plate.output
    amps, volts = out.current_A, abs(out.voltage_V)
    return {"output_V": volts, "output_A": amps, "output_W": volts * amps if amps is not None else None}[what] or None


def _finding(findings: list[Judged], name: str) -> Judged | None:
    known = [j for j in findings if j.finding.name == name and j.finding.value is not None]
    return max(
        known, key=lambda j: max((d.share_percent or 0.0 for d in j.finding.at.draws), default=0.0), default=None
    )
