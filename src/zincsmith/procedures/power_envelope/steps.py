"""Power envelope: at each input the load is raised until the output gives way, or the ceiling is reached."""

from __future__ import annotations

from collections.abc import Generator, Sequence
from dataclasses import replace

from zincsmith.model.actions import Action, Confirm, Dwell, Measure, Measured, Note, Outcome, Stop
from zincsmith.model.address import at_port
from zincsmith.model.finding import Doubt, Finding
from zincsmith.model.operating_point import Feed, OperatingPoint, Purpose
from zincsmith.model.plan import Line
from zincsmith.model.reading import Evidence, Point
from zincsmith.model.roles import SOURCE
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.base import Context, Conventions, Curves, Procedure, Steps
from zincsmith.procedures.beginning import POLL_S, comes_back, feed, gate, is_back
from zincsmith.procedures.dropout.figures import NOMINAL, TOLERANCE, is_good
from zincsmith.procedures.finding_of import finding_of, unlooked, with_parts
from zincsmith.procedures.overcurrent.share import beyond
from zincsmith.procedures.plotting import columns
from zincsmith.procedures.ports import at_load, draw, drawn_ports, everywhere, idle, output_watts, ramp
from zincsmith.procedures.power_envelope.options import EnvelopeOptions
from zincsmith.procedures.search import bisect

NAME = "power_envelope"
AVERAGE_S = 1.0
RATED = 100.0
WANTED = ("input_voltage", "input_current", "input_power", "output_voltage", "output_current")
CAUTIONS = ("The unit is loaded until its output gives way: stay with it; F12 makes safe at once.",)
Value = Generator[Action, Outcome, bool]


class PowerEnvelope(Procedure):
    """Worked out of the readings at each input and load."""

    name = NAME
    title = "Power envelope"
    version = 2
    needs: tuple[str, ...] = (SOURCE, "load", "voltmeter")
    serves = "the greatest output power over the input, and from which input up the rating is reached"
    options = EnvelopeOptions

    def steps(self, ctx: Context) -> Steps:
        """From the lowest input up: the least is known first, and every step is bounded by it."""
        options = ctx.asked(EnvelopeOptions)
        yield from gate(ctx)
        lines = sorted(ctx.reachable(options.lines), key=lambda line: line.voltage_V)
        yield Confirm(
            "Until the output gives way",
            f"At each of {len(lines)} inputs the load goes up to {options.ceiling_percent:g} % at the most.", CAUTIONS,
        )  # fmt: skip
        for line in lines:
            yield from _at_a_line(ctx, options, line)

    def tidy(self, ctx: Context) -> Steps:
        """Leave the unit at no load."""
        yield from idle(ctx)

    def findings(self, evidence: Evidence, nameplate: Nameplate, conventions: Conventions) -> list[Finding]:
        """The greatest power at each input, and from which input up the rating is reached."""
        by_line = _by_line(evidence.points)
        greatest = [one for points in by_line if (one := _greatest(points, nameplate)) is not None]
        return [*greatest, *_reaches(by_line, nameplate)]

    def plots(self, evidence: Evidence) -> list[Curves]:
        """The greatest power that held, and the least that did not, over the input."""
        edges: dict[str, list[tuple[float, float]]] = {"held": [], "gave way": []}
        for points in _by_line(evidence.points):
            held, gave_way = (
                [(p.at.load_percent, w) for p in points if _held(p) is way and (w := _asked_W(p)) is not None]
                for way in (True, False)
            )
            if held:
                edges["held"].append((points[0].at.line_V, max(held)[1]))
            if gave_way:
                edges["gave way"].append((points[0].at.line_V, min(gave_way)[1]))
        lines = tuple((name, *columns(rows)) for name, rows in edges.items() if rows)
        if not lines:
            return []
        return [Curves("Greatest output power over the input", "input", "V", "output power", "W", "power", lines)]


def _at_a_line(ctx: Context, options: EnvelopeOptions, line: Line) -> Steps:
    begin = options.from_percent
    yield from feed(ctx, "Power envelope", f"{line.words}, {begin:g} to {options.ceiling_percent:g} % load", line)
    if not (yield from _holds(ctx, options, line, 0.0)):
        yield Note(f"at {line.words} its output is not good even without load")
        return
    yield from ramp(ctx, (begin / 2.0, begin))
    good, load = 0.0, begin
    while (yield from _holds(ctx, options, line, load)):
        good = load
        if load >= options.ceiling_percent - 1e-9:
            yield Note(f"it holds {load:g} % at {line.words}, the ceiling of the plan")
            return
        load = min(options.ceiling_percent, load + options.step_percent)
    yield from _back(ctx, line)
    if not good:
        yield Note(f"at {line.words} it does not hold {begin:g} %")
        return

    def gives_way(more: float) -> Value:
        yield from ramp(ctx, (good / 2.0, good))
        held = yield from _holds(ctx, options, line, more)
        if not held:
            yield from _back(ctx, line)
        return not held

    yield from bisect(good, load, options.resolution_percent, gives_way)


def _holds(ctx: Context, options: EnvelopeOptions, line: Line, load: float) -> Value:
    yield from _drawn(ctx, load, options.ceiling_percent)
    yield Dwell(options.settle_s, "does it hold?", period_s=POLL_S)
    names = tuple(q for q in everywhere(ctx, WANTED) if q in ctx.measured)
    stated = ((TOLERANCE, options.tolerance_percent), (NOMINAL, abs(ctx.volts[ctx.outputs[0]])))
    at = replace(at_load(ctx, line, load), step=Purpose.RISING, stated=stated)
    answer = yield Measure(names, AVERAGE_S, at, from_zero=True)
    return isinstance(answer, Measured) and is_good(answer.point, ctx.nameplate, options.tolerance_percent)


def _drawn(ctx: Context, load: float, ceiling_percent: float) -> Steps:
    """Beyond the rating by what a procedure about that may go to."""
    if load <= RATED:
        yield from draw(ctx, load)
        return
    for port in ctx.outputs:
        yield beyond(ctx, load, port, ceiling_percent)


def _back(ctx: Context, line: Line) -> Steps:
    yield from draw(ctx, 10.0)
    for port in ctx.outputs:
        yield from comes_back(ctx, 5.0, line, port, True)
        if not (yield from is_back(ctx, line, port)):
            yield Stop(f"it did not come back at {line.words}: unloaded, its input cycled")


# Figures


def _by_line(points: Sequence[Point]) -> list[list[Point]]:
    found: dict[float, list[Point]] = {}
    for point in points:
        if point.at.step is Purpose.RISING:
            found.setdefault(point.at.line_V, []).append(point)
    return [found[voltage] for voltage in sorted(found)]


def _held(point: Point) -> bool:
    """As the first output shows it: what a picture goes by."""
    reading = point.get(at_port("output_voltage", point.at.draw.port))
    nominal, within = (point.at.fact(key) or 0.0 for key in (NOMINAL, TOLERANCE))
    if reading is None or reading.value is None:
        return False
    return abs(abs(reading.value) - nominal) <= within / 100.0 * nominal


def _asked_W(point: Point) -> float | None:
    """What it would have given at its nominal volts, by the load that was set at the first output."""
    level, nominal = point.at.draw.level, point.at.fact(NOMINAL)
    return level * nominal if level is not None and nominal is not None else None


def _greatest(points: Sequence[Point], plate: Nameplate) -> Finding | None:
    """The greatest power that held at one input; between it and the next load, which did not, nobody looked."""
    tolerance = points[0].at.fact(TOLERANCE) or 0.0
    held = [
        p
        for p in points
        if p.at.loaded and is_good(p, plate, tolerance) and output_watts(p, p.at.draw.port) is not None
    ]
    at = points[0].at.at_line
    name, title = "greatest_power", "Greatest output power"
    if not held:
        text = f"At {points[0].at.line_V:g} V it held none of the loads that were tried."
        return Finding(name, title, None, "W", at=at, doubts=(Doubt("never_good", text, "Begin with less."),))
    best = max(held, key=lambda p: p.at.load_percent)
    pairs = [(at_port("output_voltage", port), at_port("output_current", port)) for port in drawn_ports(best)]
    found = finding_of(
        name, title, "W", [best], [q for pair in pairs for q in pair],
        lambda v: float(sum(abs(v[volts][0] * v[amps][0]) for volts, amps in pairs)),
        f"volts times amps of the largest load that held within ±{tolerance:g} %", at,
        f"{best.at.load_percent:.4g} % of its rating", doubts_of=lambda _p, _q: [],
    )  # fmt: skip
    more = [p.at.load_percent for p in points if p.at.load_percent > best.at.load_percent]
    if not more:
        text = f"It held {best.at.load_percent:.4g} %, the greatest load that was tried at this input."
        return replace(found, doubts=(*found.doubts, Doubt("no_limit_seen", text, "Its envelope lies higher.")))
    gap = found.number * (min(more) / best.at.load_percent - 1.0)
    return with_parts(found, unlooked(gap, "between the last two loads"))


def _reaches(by_line: Sequence[Sequence[Point]], plate: Nameplate) -> list[Finding]:
    """The lowest input from which on every input that was tried gave the rated load."""
    full = [
        next((p for p in points if p.at.load_percent >= RATED - 1e-6
              and is_good(p, plate, p.at.fact(TOLERANCE) or 0.0)), None)
        for points in by_line
    ]  # fmt: skip
    first = len(full)
    while first > 0 and full[first - 1] is not None:
        first -= 1
    point = full[first] if first < len(full) else None
    reading = point.get("input_voltage") if point is not None else None
    if point is None or reading is None or reading.value is None:
        return []
    found = finding_of(
        "full_power_from", "Rated load from which input up", "V", [point], ["input_voltage"],
        lambda v: float(v["input_voltage"][0]), "the lowest input from which on the rated load held",
        OperatingPoint((Feed(frequency_Hz=point.at.feed.frequency_Hz),)), doubts_of=lambda _p, _q: [],
    )  # fmt: skip
    if first == 0:
        doubt = Doubt(
            "never_left", "It gave its rated load at every input that was tried.", "It may do so lower still."
        )
        return [replace(found, doubts=(*found.doubts, doubt))]
    gap = reading.value - by_line[first - 1][0].at.line_V
    return [with_parts(found, unlooked(gap, "between the last two inputs"))]


SPEC = PowerEnvelope()
