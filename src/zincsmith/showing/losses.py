"""Where the watts of a run went, part by part as estimated, beside the total that was measured."""

from __future__ import annotations

from dataclasses import dataclass

from zincsmith.analysis.losses import PartLoss, Stands, losses_by_part
from zincsmith.judge.judging import JudgedRun
from zincsmith.model.address import at_port
from zincsmith.model.port import output_ports
from zincsmith.model.reading import Point
from zincsmith.procedures.base import Section

TITLE = "Where the watts go, estimated by part"
NOT_IN_IT = (
    "Of ideal stages whose ripple is left out, from what the parts are marked for. What is switched away, cores and "
    "whatever else nobody marked is in the rest."
)
TOO_MUCH = "The parts come to more than was lost: a marking, or the kind of a stage, is not right."


@dataclass(frozen=True)
class Went:
    """At one point of a run; ``percent`` of its rated load."""

    line_V: float
    percent: float
    at: Stands
    parts: tuple[PartLoss, ...]

    @property
    def known_W(self) -> float:
        return sum(one.watts for one in self.parts if one.watts is not None)

    @property
    def rest_W(self) -> float:
        """Measured, and explained by no part."""
        return self.at.lost_W - self.known_W


def losses_of(run: JudgedRun) -> list[Went]:
    """At each line of a run the point with most load whose watts were all read; nothing where no part says what drops
    across it."""
    by_line: dict[float, Went] = {}
    ports = output_ports(run.unit.nameplate)
    for point in run.evidence.points:
        line, percent = point.at.line[0], point.at.draw.share_percent
        stands = _stands(point, ports)
        if line is None or percent is None or stands is None or not point.at.graded or percent > 100.0:
            continue
        if line not in by_line or percent > by_line[line].percent:
            by_line[line] = Went(line, percent, stands, tuple(losses_by_part(run.unit.look.parts, stands)))
    return [by_line[line] for line in sorted(by_line) if by_line[line].parts]


def section_of(run: JudgedRun) -> Section | None:
    """As a report tells it; None where there is nothing to tell."""
    found = losses_of(run)
    if not found:
        return None
    rows: list[tuple[str, ...]] = []
    for one in found:
        where = f"{one.line_V:g} V, {one.percent:g} % load"
        for part in one.parts:
            watts = f"{part.watts:.3g} W" if part.watts is not None else "–"
            rows.append((where, f"{part.part.name}, {part.part.what}", watts, part.how))
            where = ""
        rows.append(("", "measured, in all", f"{one.at.lost_W:.3g} W", "watts in less watts out"))
        rows.append(("", "not explained", f"{one.rest_W:.3g} W", f"{100.0 * one.rest_W / one.at.lost_W:.0f} % of it"))
    said = (NOT_IN_IT, TOO_MUCH) if any(one.rest_W < 0.0 for one in found) else (NOT_IN_IT,)
    return Section(TITLE, said, ("where", "part", "loses", "worked out from"), tuple(rows))


def _stands(point: Point, ports: tuple[str, ...]) -> Stands | None:
    def read(name: str) -> float | None:
        one = point.get(name)
        return one.value if one is not None else None

    fed, watts = read("input_voltage"), read("input_power")
    outputs = {p: (read(at_port("output_voltage", p)), read(at_port("output_current", p))) for p in ports}
    whole = {p: (v, a) for p, (v, a) in outputs.items() if v is not None and a is not None}
    if fed is None or watts is None or len(whole) < len(ports) or fed <= 0.0:
        return None
    stands = Stands(fed, watts, point.at.line[1] or 0.0, whole, read("input_current"))
    return stands if stands.lost_W > 0.0 else None
