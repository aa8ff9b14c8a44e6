"""What the table of cross loads says of each rail."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from zincsmith.model.address import at_port
from zincsmith.model.finding import Doubt, Finding
from zincsmith.model.operating_point import Draw, Feed, OperatingPoint, Purpose
from zincsmith.model.port import output_ports
from zincsmith.model.reading import Point
from zincsmith.model.unit import Nameplate, OutputRating
from zincsmith.procedures.base import Curves, Section
from zincsmith.procedures.finding_of import finding_of, unlooked, with_parts
from zincsmith.procedures.rows import carrying, volts_of

PAIR = 2  # of rails: what one is for the other is the same turned round
OWN, OTHERS = "own_level_percent", "others_level_percent"


def findings_of_cross_loads(points: Sequence[Point], plate: Nameplate) -> list[Finding]:
    """Everything the points allow, by rail in the order of the plate."""
    tabled = [p for p in points if p.at.step is None]
    found: list[Finding] = []
    for output, port in zip(plate.outputs, output_ports(plate), strict=True):
        found += _changes(tabled, output, port)
        found += _extremes(tabled, port)
    for port in output_ports(plate):
        found += _least_load(points, plate, port)
    return found


def share_of(point: Point, port: str) -> float:
    """What was drawn from a rail, percent of its rating."""
    return next((d.share_percent or 0.0 for d in point.at.draws if d.port == port), 0.0)


def _levels(point: Point, port: str) -> tuple[float, float] | None:
    """(its own level, that of all the others) as a rail sees a point; None where the others are not alike."""
    own, others = point.at.fact(OWN) or 0.0, point.at.fact(OTHERS) or 0.0
    if point.at.about == port:
        return own, others
    if len(point.at.draws) == PAIR:
        return others, own
    return (own, own) if own == others else None


def _own_levels(points: Sequence[Point], port: str) -> dict[float, dict[float, Point]]:
    """The points of a rail by its own level, and then by that of the others."""
    found: dict[float, dict[float, Point]] = {}
    for point in points:
        levels = _levels(point, port)
        if levels is not None:
            found.setdefault(levels[0], {})[levels[1]] = point
    return {own: dict(sorted(found[own].items())) for own in sorted(found)}


def _level_words(level: float) -> str:
    return f"{level:g} %" if level else "the least"


def _changes(points: Sequence[Point], output: OutputRating, port: str) -> list[Finding]:
    found = []
    for by_others in _own_levels(points, port).values():
        rows = {level: p for level, p in by_others.items() if p.get(at_port("output_voltage", port)) is not None}
        ends = carrying([p.seen_from(port) for p in (*rows.values(),)[:: max(1, len(rows) - 1)]], ["output_voltage"])
        if len(ends) < 2:
            continue
        low, high = min(rows), max(rows)
        own, nominal = share_of(rows[low], port), abs(output.voltage_V)
        sign = 1.0 if output.voltage_V > 0.0 else -1.0
        at = OperatingPoint((Feed(*rows[low].at.line),), (Draw(own),))
        one = finding_of(
            "cross_regulation", f"Cross regulation, {port}", "1", ends, ["output_voltage"],
            lambda v, s=sign, n=nominal: s * float(v["output_voltage"][1] - v["output_voltage"][0]) / n,  # type: ignore[misc]
            "(V with the others full − V with the others least) / Vnom", at,
            f"the others from {_level_words(low)} to {_level_words(high)}", doubts_of=lambda _p, _q: [],
        )  # fmt: skip
        found.append(replace(one, output=port))
    return found


def _extremes(points: Sequence[Point], port: str) -> list[Finding]:
    """The lowest and the highest volts of a rail over the whole table: what its tolerance has to hold for."""
    rows = carrying([p.seen_from(port) for p in points], ["output_voltage"])
    found = []
    for name, title, pick in (("min", "lowest", min), ("max", "highest", max)):
        if not rows:
            continue
        extreme = pick(rows, key=volts_of)
        one = finding_of(
            f"output_voltage_{name}", f"Output voltage, {title}, {port}", "V", [extreme], ["output_voltage"],
            lambda v: float(v["output_voltage"][0]), f"{name}(V) over {len(rows)} cross loads", extreme.at,
            doubts_of=lambda _p, _q: [],
        )  # fmt: skip
        found.append(replace(one, output=port))
    return found


def in_tolerance(point: Point, plate: Nameplate) -> bool:
    """Whether every rail that states a tolerance keeps it, as it was read."""
    for output, port in zip(plate.outputs, output_ports(plate), strict=True):
        reading = point.get(at_port("output_voltage", port))
        if output.tolerance_percent is None or reading is None or reading.value is None:
            continue
        if abs(reading.value - output.voltage_V) > output.tolerance_percent / 100.0 * abs(output.voltage_V):
            return False
    return True


def _least_load(points: Sequence[Point], plate: Nameplate, port: str) -> list[Finding]:
    """The least load on one rail alone with which all rails are in tolerance, A: nothing where none is needed."""
    alone = [p for p in points if p.at.step is Purpose.FALLING and _on_it_alone(p, port)]
    rows = sorted(carrying(alone, [at_port("output_current", port)]), key=lambda p: share_of(p, port))
    if not rows:
        return []
    name, title = "least_load_for_all", f"Least load on {port} for all rails in tolerance"
    at = OperatingPoint((Feed(*rows[0].at.line),))
    good = [p for p in rows if in_tolerance(p, plate)]
    address = at_port("output_current", port)
    worst = [p for p in rows if not in_tolerance(p, plate)]
    if not good:
        text = f"With {share_of(rows[-1], port):.3g} % on {port} alone some rail is out of its tolerance."
        return [
            replace(_none(name, title, at), output=port, doubts=(Doubt("never_good", text, "Load the others too."),))
        ]
    first = min(good, key=lambda p: share_of(p, port))
    below = max((p for p in worst if share_of(p, port) < share_of(first, port)), default=None,
                key=lambda p: share_of(p, port))  # fmt: skip
    note = "needs none: with nothing connected every rail is in tolerance" if below is None else (
        f"with {below.need(address).number:.3g} A some rail is out of it"
    )  # fmt: skip
    one = finding_of(
        name, title, "A", [first], [address], lambda v: float(v[address][0]),
        "the least load that was good, nothing on the others", at, note, doubts_of=lambda _p, _q: [],
    )  # fmt: skip
    if below is not None:
        one = with_parts(one, unlooked(one.number - below.need(address).number, "between the last two loads"))
    return [replace(one, output=port)]


def _none(name: str, title: str, at: OperatingPoint) -> Finding:
    return Finding(name, title, None, "A", at=at)


def _on_it_alone(point: Point, port: str) -> bool:
    return all(d.port == port or not d.share_percent for d in point.at.draws)


def curves(points: Sequence[Point]) -> list[Curves]:
    """A picture for each rail."""
    tabled = [p for p in points if p.at.step is None]
    ports = list(dict.fromkeys(d.port for p in tabled for d in p.at.draws))
    found = []
    for port in ports:
        lines = []
        for own, rows in _own_levels(tabled, port).items():
            read = [(level, r.value) for level, p in rows.items()
                    if (r := p.get(at_port("output_voltage", port))) is not None and r.value is not None]  # fmt: skip
            if read:
                x, y = ([float(v) for v in axis] for axis in zip(*read, strict=True))
                lines.append((f"{port} at {_level_words(own)}", x, y))
        if lines:
            found.append(
                Curves(f"Cross regulation, {port}", "load of the others", "%", port, "V", "voltage", tuple(lines))
            )
    return found


def table(findings: Sequence[Finding]) -> Section | None:
    """By rail and own load: its volts with the others at their least and at their greatest, and the change."""
    rows = []
    for one in findings:
        if one.name != "cross_regulation" or one.value is None:
            continue
        volts = [row.get("V / V") for row in one.working.rows]
        shown = [f"{v:.4f} V".replace("-", "−") if isinstance(v, int | float) else "–" for v in volts]
        rows.append(
            (
                one.output,
                f"{one.at.draw.share_percent or 0.0:.3g} %",
                *shown,
                f"{100.0 * one.value:+.3f} %".replace("-", "−"),
            )
        )
    if not rows:
        return None
    columns = ("rail", "own load", "others at least", "others at full", "change of nominal")
    return Section("Cross regulation", (
        "Each rail at its own load while all the others go from their least load to their greatest.",
    ), columns, tuple(rows))  # fmt: skip
