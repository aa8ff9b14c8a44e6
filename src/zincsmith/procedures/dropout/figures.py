"""Figures of dropout: at each load the lowest input at which the output was still good, from both sides."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import replace

import numpy as np

from zincsmith.analysis.accuracy import limit_of_error
from zincsmith.analysis.dropout import edge_of
from zincsmith.analysis.envelope import Envelope
from zincsmith.model.address import at_port
from zincsmith.model.finding import Contribution, Doubt, Finding
from zincsmith.model.operating_point import Draw, Feed, OperatingPoint, Purpose
from zincsmith.model.reading import Evidence, Point, Reading
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.base import Curve, Curves
from zincsmith.procedures.finding_of import finding_of, unlooked, with_parts
from zincsmith.procedures.plotting import columns
from zincsmith.procedures.ports import drawn_ports

TOLERANCE, NOMINAL, RISES = "tolerance_percent", "nominal_V", "rises"
WAYS: dict[Purpose | None, str] = {
    Purpose.FALLING: "falling", Purpose.CLOSING_FALLING: "falling",
    Purpose.RISING: "rising", Purpose.CLOSING_RISING: "rising",
}  # fmt: skip
STOPPED = 0.5  # of nominal: less is no output that sags
SAGGED = 0.01  # of what was set: so much less at the input is source or leads that give way
USUAL_PERCENT = 5.0
NAMES = {
    "falling": ("dropout_input", "Lowest good input, going down"),
    "rising": ("dropout_input_rising", "Lowest good input, coming up"),
}


def is_good(point: Point, plate: Nameplate, tolerance_percent: float) -> bool:
    """Whether every output that was read lies within its tolerance of nominal; one that nobody read is not good."""
    return all(0.0 <= share <= tolerance_percent / 100.0 for share in _off(point, plate))


def _off(point: Point, plate: Nameplate) -> Iterable[float]:
    """By output how far it is from nominal, as a share; -1 where it was not read."""
    for port in drawn_ports(point):
        nominal = Envelope(plate).voltage_V(port)
        reading = point.get(at_port("output_voltage", port))
        yield -1.0 if reading is None or reading.value is None else abs(reading.value / nominal - 1.0)


def findings_of_dropout(evidence: Evidence, plate: Nameplate) -> list[Finding]:
    """By load, the greatest first: from above, from below, and how far the two are apart."""
    found: list[Finding] = []
    for load, points in sorted(_by_load(evidence.points).items(), reverse=True):
        edges: dict[str, tuple[Point, Finding]] = {}
        for way, (name, title) in NAMES.items():
            mine = [p for p in points if WAYS[p.at.step] == way]
            if mine:
                one, edge = _of_sweep(mine, plate, load, way, name, title)
                found.append(one)
                if edge is not None:
                    edges[way] = (edge, one)
        if len(edges) == len(NAMES):
            found.append(_hysteresis(edges["falling"], edges["rising"]))
    return found


def _by_load(points: Iterable[Point]) -> dict[float, list[Point]]:
    found: dict[float, list[Point]] = {}
    for point in points:
        reading = point.get("input_voltage")
        if point.at.step in WAYS and point.at.loaded and reading is not None and reading.value is not None:
            found.setdefault(point.at.load_percent, []).append(point)
    return found


def _of_sweep(
    points: Sequence[Point], plate: Nameplate, load: float, way: str, name: str, title: str
) -> tuple[Finding, Point | None]:
    """The finding of one side at one load, and the point it is read off."""
    tolerance = points[0].at.fact(TOLERANCE) or USUAL_PERCENT
    volts = np.array([p.need("input_voltage").number for p in points])
    fine = np.array([is_good(p, plate, tolerance) for p in points])
    edge, beside, hunts = edge_of(volts, fine)
    at = OperatingPoint((Feed(frequency_Hz=points[0].at.feed.frequency_Hz),), (Draw(load),))
    if edge is None:
        text = f"At {load:g} % load the output was not good at any input up to {volts.max():.4g} V."
        remedy = "Less load, or a higher input within the rating; an overload looks the same."
        return Finding(name, title, None, "V", at=at, doubts=(Doubt("never_good", text, remedy),)), None
    good = points[edge]
    below = points[beside] if beside is not None else None
    words = f"the lowest input that gave an output within ±{tolerance:g} % of nominal"
    found = finding_of(
        name, title, "V", [good, *([below] if below is not None else [])], ["input_voltage", "output_voltage"],
        lambda v: float(v["input_voltage"][0]), words, at, _note(below, plate, way), doubts_of=lambda _p, _q: [],
    )  # fmt: skip
    found = with_parts(found, *_unknown(good, below, plate))
    doubts = [*found.doubts, *_doubts(points, load, hunts, way), *_sagging(good)]
    if below is None:
        text = f"At {load:g} % load it was still good at {volts.min():.4g} V, the lowest that was tried."
        doubts.append(Doubt("never_left", text, "It lies lower; go on down where rig and parts allow it."))
    return replace(found, doubts=tuple(doubts)), good


def _note(below: Point | None, plate: Nameplate, way: str) -> str:
    if below is None:
        return ""
    at = below.need("input_voltage").number
    gone = any(off > STOPPED for off in _off(below, plate))
    if way == "rising":
        return f"at {at:.4g} V it did not run yet" if gone else f"at {at:.4g} V it ran, outside its tolerance"
    return f"at {at:.4g} V it stopped: an under-voltage lockout" if gone else f"at {at:.4g} V it sagged, and went on"


def _unknown(good: Point, below: Point | None, plate: Nameplate) -> tuple[Contribution, ...]:
    """Between the two inputs nobody looked; and where an output sags gently, the error of its volts moves the input at
    which it leaves its tolerance."""
    if below is None:
        return ()
    gap = abs(good.need("input_voltage").number - below.need("input_voltage").number)
    parts = [unlooked(gap, "between the last two inputs")]
    for port in drawn_ports(good):
        here, there = (p.get(at_port("output_voltage", port)) for p in (good, below))
        if here is None or there is None or here.value is None or there.value is None:
            continue
        fell = abs(here.value - there.value)
        if 0.0 < fell < (1.0 - STOPPED) * abs(Envelope(plate).voltage_V(port)) and here.known:
            limit = limit_of_error(here)
            moved = min(gap, limit * gap / fell) / math.sqrt(3.0)
            parts.append(Contribution(f"{here.source}: where the output leaves", moved, False, rectangular=True))
    return tuple(parts)


def _doubts(points: Sequence[Point], load: float, hunts: bool, way: str) -> Iterable[Doubt]:
    at = [p.need("input_voltage").number for p in points if _hunted(p, way)]
    if at:
        span = f"{min(at):.4g} V" if len(at) == 1 else f"{min(at):.4g} to {max(at):.4g} V"
        yield Doubt(
            "hunting", f"At {load:g} % load and {span} it hunts: it starts, collapses, and starts again.",
            "A stiffer source or shorter leads may end it; do not work there.",
        )  # fmt: skip
    elif hunts:
        yield Doubt(
            "hunting", f"At {load:g} % load the output was good again at an input below one at which it was not.",
            "Look at it with a scope: near its edge it may start and collapse.",
        )  # fmt: skip


def _sagging(good: Point) -> Iterable[Doubt]:
    reading, asked = good.need("input_voltage"), good.at.feed.voltage_V
    if asked and reading.number < (1.0 - SAGGED) * asked:
        yield Doubt(
            "source_sags",
            f"Set to {asked:.4g} V, the input stood at {reading.number:.4g} V: source or leads give way.",
            "What was read counts; see that no current limit of the source was reached.",
        )  # fmt: skip


def _hysteresis(falling: tuple[Point, Finding], rising: tuple[Point, Finding]) -> Finding:
    """How much higher the input has to come than it may fall: both are readings of one meter."""
    found = finding_of(
        "dropout_hysteresis", "Hysteresis of the input", "V", [falling[0], rising[0]], ["input_voltage"],
        lambda v: float(v["input_voltage"][1] - v["input_voltage"][0]), "coming up less going down",
        falling[1].at, doubts_of=lambda _p, _q: [],
    )  # fmt: skip
    gaps = [c for _, one in (falling, rising) for c in one.contributions if c.source.startswith("between")]
    named = [replace(c, source=f"{c.source}, {way}") for c, way in zip(gaps, NAMES, strict=False)]
    return with_parts(found, *named)


# What is drawn


def maps(evidence: Evidence) -> list[Curves]:
    """The lowest good input over the load, both ways, with where it hunts; and each output over the input."""
    edges: dict[str, list[tuple[float, float]]] = {}
    over: list[Curve] = []
    for load, points in sorted(_by_load(evidence.points).items(), reverse=True):
        for way in NAMES:
            rows = [
                (p.need("input_voltage").number, abs(r.value), p)
                for p in points
                if WAYS[p.at.step] == way and (r := _first_output(p)) is not None and r.value is not None
            ]
            if not rows:
                continue
            over.append((f"{load:g} %, {way}", *columns([(x, y) for x, y, _ in rows])))
            nominal, within = (rows[0][2].at.fact(key) or 0.0 for key in (NOMINAL, TOLERANCE))
            fine = np.array([abs(y - nominal) <= within / 100.0 * nominal for _, y, _ in rows])
            edge, beside, _ = edge_of(np.array([x for x, _, _ in rows]), fine)
            if edge is not None and beside is not None:
                edges.setdefault(way, []).append((load, rows[edge][0]))
            edges.setdefault("hunts", []).extend((load, x) for x, _, p in rows if _hunted(p, way))
    lines = tuple((way, *columns(rows)) for way, rows in edges.items() if rows)
    if not over:
        return []
    return [
        *([Curves("Lowest good input over load", "load", "%", "input", "V", "voltage", lines)] if lines else []),
        Curves("Output over the input", "input", "V", "output", "V", "voltage", tuple(over)),
    ]


def _first_output(point: Point) -> Reading | None:
    return point.get(at_port("output_voltage", point.at.draw.port))


def _hunted(point: Point, way: str) -> bool:
    """Held at one input it rose again, or more than once on the way up."""
    return (point.at.fact(RISES) or 0.0) >= (1.0 if way == "falling" else 2.0)
