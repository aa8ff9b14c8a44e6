"""What a sum takes from the unit that is open, and from its latest run."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from zincsmith.model.feeding import Feeding
from zincsmith.model.finding import Judged
from zincsmith.model.unit import Nameplate
from zincsmith.workshop.base import Input, Sum

Taken = Mapping[str, tuple[float, str]]


def taken(
    of: Sum,
    plate: Nameplate | None,
    judged: Iterable[Judged] = (),
    feeding: Feeding | None = None,
    price: float | None = None,
) -> Taken:
    """By input, the value and where it is from: the plate, a finding that has one, at the heaviest load it has, what it
    must feed, or its ``price``."""
    findings = list(judged)
    out: dict[str, tuple[float, str]] = {}
    for one in of.inputs:
        for takes in one.takes.split():  # the first that is known
            where, _, what = takes.partition(":")
            got = _from(where, what, one, plate, findings, feeding, price)
            if got is not None:
                out[one.key] = got
                break
    return {key: (value, where) for key, (value, where) in out.items() if _can_be(of, key, value)}


def _from(
    where: str,
    what: str,
    one: Input,
    plate: Nameplate | None,
    findings: list[Judged],
    feeding: Feeding | None,
    price: float | None,
) -> tuple[float, str] | None:
    if where == "plate":
        found = _of_plate(plate, what) if plate is not None else None
        return (found, "plate") if found is not None else None
    if where == "feeding":
        said = _of_feeding(feeding, what) if feeding is not None else None
        return (said, "what it must feed") if said is not None else None
    if where == "price":
        return (price, "its price") if price is not None else None
    best = _finding(findings, what)
    if best is None:
        return None
    value = best.finding.number * (100.0 if one.unit == "%" else 1.0)
    return value, f"found, {best.finding.at.words}" if best.finding.at.words else "found"


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


def _of_feeding(feeding: Feeding, what: str) -> float | None:
    """``loaded_W`` is the mean over the hours in which anything is drawn."""
    hours = sum(d.hours for d in feeding.duty if d.current_A > 0.0)
    charge = sum(d.hours * d.current_A for d in feeding.duty)
    told = {
        "loaded_W": feeding.voltage_V * charge / hours if hours else None,
        "loaded_percent": 100.0 * hours / 24.0 if hours else None,
        "tariff": feeding.tariff, "years": feeding.years, "current_A": feeding.current_A,
    }  # fmt: skip
    return told[what]


def _finding(findings: list[Judged], name: str) -> Judged | None:
    known = [j for j in findings if j.finding.name == name and j.finding.value is not None]
    return max(
        known, key=lambda j: max((d.share_percent or 0.0 for d in j.finding.at.draws), default=0.0), default=None
    )
