"""What the converters of a board can give at most, as a section of a report: from the trips that a run has found."""

from __future__ import annotations

from zincsmith.analysis.board import Ceiling, ceilings
from zincsmith.judge.judging import JudgedRun
from zincsmith.model.port import of_output
from zincsmith.procedures.base import Section

TITLE = "What each converter of the board can give"
HOW = (
    "One mode at a time: the most of trip amps times volts of the outputs that hang on it, by the parts that serve "
    "them; against the most that is claimed of one of them."
)


def ceilings_of(run: JudgedRun) -> list[Ceiling]:
    """By converter; nothing where no part of the board says which outputs hang on it."""
    trips: dict[str, list[tuple[float, float]]] = {}
    for one in run.judged:
        finding, mode = one.finding, str(one.finding.at.mode() or "")
        if finding.name == "overcurrent" and finding.value is not None:
            trips.setdefault(finding.output, []).append((_volts(run, finding.output, mode), finding.value))
    plate = run.unit.nameplate
    claimed = {
        o.name: (max((m.voltage_V[1] for m in of_output(o).modes), default=abs(o.voltage_V)), o.rated_power_W)
        for o in plate.outputs
    }
    return ceilings(run.unit.look.parts, trips, claimed)


def section_of(run: JudgedRun) -> Section | None:
    """As a report tells it; None where there is nothing to tell."""
    found = ceilings_of(run)
    if not any(one.watts is not None for one in found):
        return None
    rows = tuple(_row(one) for one in found)
    known = [one.watts for one in found if one.watts is not None]
    total, claimed = sum(known), run.unit.nameplate.rated_power_W
    whole = len(known) == len(found)
    said = [HOW]
    if whole:
        less = "less than" if total < claimed else "not less than"
        said.append(f"All converters together {total:.4g} W: {less} the {claimed:.4g} W that the plate claims in all.")
    return Section(TITLE, tuple(said), ("converter", "hangs on it", "at most", "claimed of one", "capacitors"), rows)


def _row(one: Ceiling) -> tuple[str, ...]:
    most = f"{one.watts:.4g} W ({one.volts:g} V, {one.amps:.3g} A)" if one.watts is not None else "no trip was found"
    stands = "not marked" if one.stands_V is None else f"{one.stands_V:g} V"
    if one.beyond_capacitors:
        stands += f", asked {one.asked_V:g} V"
    claimed = f"{one.claimed_W:.4g} W{', more than it gives' if one.short_of_claim else ''}"
    return ", ".join(one.parts), ", ".join(one.outputs), most, claimed, stands


def _volts(run: JudgedRun, output: str, mode: str) -> float:
    rated = next((o for o in run.unit.nameplate.outputs if o.name == output), run.unit.nameplate.output)
    return next((m.voltage_V[1] for m in of_output(rated).modes if m.name == mode), abs(rated.voltage_V))
