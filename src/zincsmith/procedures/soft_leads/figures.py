"""What the readings behind each resistance say. The resistance is worked out of the readings, not taken from the words
of whoever put it in: volts that are lost between no load and this one, by the amps that came on top."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace

from zincsmith.analysis.uncertainty import Values
from zincsmith.model.address import at_port
from zincsmith.model.finding import Doubt, Finding
from zincsmith.model.reading import Evidence, Point
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.base import Curve, Curves
from zincsmith.procedures.beginning import BACK
from zincsmith.procedures.dropout.figures import RISES, USUAL_PERCENT, is_good
from zincsmith.procedures.finding_of import finding_of
from zincsmith.procedures.plotting import columns
from zincsmith.procedures.rows import carrying

ADDED, STARTED, GOOD = "added_ohm", "started", "within_percent"  # stated with a point
OPEN, LOADED, UNLOADED = 0.0, 1.0, 2.0
TELLS = ("input_voltage", "input_current")
HUNTS = 2.0  # rises of the output in one go
LEAST_DROP = 0.005  # of the volts: less tells no resistance apart from what the meter may be off; common practice
OTHER = 0.25  # of what was said, beyond the uncertainty: it is another resistor
NAMES = ((LOADED, "starts_behind", "Starts loaded behind"), (UNLOADED, "stands_behind", "Stays, loaded after, behind"))


def findings_of_soft_leads(evidence: Evidence, plate: Nameplate) -> list[Finding]:
    """By load, the greatest first."""
    points = [p for p in evidence.points if p.at.fact(ADDED) is not None]
    open_ = next((p for p in carrying(points, TELLS) if p.at.fact(STARTED) == OPEN), None)
    if open_ is None:
        return []
    found: list[Finding] = []
    for load in sorted({p.at.load_percent for p in points if p.at.fact(STARTED) != OPEN}, reverse=True):
        mine = carrying([p for p in points if p.at.fact(STARTED) != OPEN and p.at.load_percent == load], TELLS)
        for way, name, title in NAMES:
            # What starts under its load would have stayed if the load had come after.
            rows = [p for p in mine if p.at.fact(STARTED) == way or way == UNLOADED]
            if any(p.at.fact(STARTED) == way for p in rows):
                found.append(_greatest(rows, plate, open_, name, title))
    return found


def _greatest(rows: Sequence[Point], plate: Nameplate, open_: Point, name: str, title: str) -> Finding:
    good = [p for p in rows if _is_good(p, plate)]
    at = replace(rows[0].at, stated=())
    load = at.load_percent
    if not good:
        text = f"At {load:g} % load its output was good behind no resistance at all."
        doubt = Doubt("never_good", text, "Less load, or a higher input within the rating; see how it is wired.")
        return Finding(name, title, None, "ohm", at=at, doubts=(doubt,))
    best = max(good, key=_added)
    beyond = min((p for p in rows if _added(p) > _added(best)), key=_added, default=None)
    made = finding_of(
        name, title, "ohm", [open_, best], TELLS, _resistance,
        "volts lost by amps on top: leads and resistor", at,
        _note(best, beyond, good), doubts_of=lambda _p, _q: [],
    )  # fmt: skip
    return replace(made, doubts=(*made.doubts, *_doubts(made, rows, best, beyond, open_)))


def _is_good(point: Point, plate: Nameplate) -> bool:
    settled = (point.at.fact(RISES) or 0.0) < HUNTS
    return settled and is_good(point, plate, point.at.fact(GOOD) or USUAL_PERCENT)


def _added(point: Point) -> float:
    return point.at.fact(ADDED) or 0.0


def _resistance(values: Values) -> float:
    volts, amps = (values[name] for name in TELLS)
    return float(volts[0] - volts[1]) / float(amps[1] - amps[0])


def _note(best: Point, beyond: Point | None, good: Sequence[Point]) -> str:
    """What was tried next, and where by its watts no volts are left to feed it with."""
    words = [f"{_added(best):g} ohm put in" if _added(best) else "nothing put in"]
    words.append(f"not behind {_added(beyond):g} ohm" if beyond is not None else "no greater one was tried")
    stiff = min(good, key=_added)
    volts, amps = (stiff.need(name).number for name in TELLS)
    if amps > 0.0:
        words.append(f"V^2 / 4P, where no volts are left to feed it with, is {volts / amps / 4.0:.3g} ohm")
    return "; ".join(words)


def _doubts(
    made: Finding, rows: Sequence[Point], best: Point, beyond: Point | None, open_: Point
) -> Iterable[Doubt]:  # fmt: skip
    load = best.at.load_percent
    for hunting in sorted({_added(p) for p in rows if (p.at.fact(RISES) or 0.0) >= HUNTS}):
        text = f"Behind {hunting:g} ohm at {load:g} % load it hunts: it starts, pulls its input down, and starts again."
        yield Doubt("hunting", text, "Stiffer leads, or a capacitor at its input that carries it through its start.")
    if beyond is None:
        text = f"At {load:g} % load it still ran behind {_added(best):g} ohm, the greatest that was tried."
        yield Doubt("never_left", text, "It goes further; put in more, where source and parts allow it.")
    dropped = (open_.need(TELLS[0]).number - best.need(TELLS[0]).number) / open_.need(TELLS[0]).number
    if made.value is None or not _added(best):
        return
    expected = _added(best)
    allowed = OTHER * expected + 2.0 * (made.u or 0.0)
    if dropped < LEAST_DROP and expected * best.need(TELLS[1]).number > 2.0 * LEAST_DROP * open_.need(TELLS[0]).number:
        text = f"{expected:g} ohm were said to be in the lead, and the input fell by {100.0 * dropped:.2g} % only."
        yield Doubt("nothing_put_in", text, "See whether the resistor is in the lead, and the meter behind it.")
    elif made.value < expected - allowed:
        text = f"{expected:g} ohm were said to be in the lead; the readings make it {made.value:.3g} ohm."
        yield Doubt("other_resistor", text, "Measure the resistor; see where the meter reads its volts.")


def map_of_soft_leads(evidence: Evidence) -> list[Curves]:
    """What is left at the input over what was put before it, by load; apart from it where it did not run."""
    rows = carrying([p for p in evidence.points if p.at.fact(ADDED) is not None], TELLS)
    open_ = next((p for p in rows if p.at.fact(STARTED) == OPEN), None)
    lines: list[Curve] = []
    for load in sorted({p.at.load_percent for p in rows if p.at.fact(STARTED) == LOADED}, reverse=True):
        mine = [p for p in rows if p.at.load_percent == load and p.at.fact(STARTED) == LOADED]
        ran = [p for p in mine if _runs(p, open_)]
        for words, some in ((f"{load:g} %", ran), (f"{load:g} %, not running", [p for p in mine if p not in ran])):
            if some:
                lines.append((words, *columns([(_added(p), p.need(TELLS[0]).number) for p in some])))
    if not lines:
        return []
    return [Curves("Input over what is in its lead", "in the lead", "Ω", "input", "V", "voltage", tuple(lines))]


def _runs(point: Point, open_: Point | None) -> bool:
    """Its output is there, of what it was without a load."""
    name = at_port("output_voltage", point.at.draw.port)
    now, free = (p.get(name) if p is not None else None for p in (point, open_))
    if now is None or free is None or now.value is None or free.value is None:
        return False
    return abs(now.value) >= BACK * abs(free.value)
