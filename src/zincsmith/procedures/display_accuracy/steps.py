"""The display of a supply against the reference, over load: it is no meter, and often shows more as lead drop grows.

A person reads the display; what the display itself shows enters with half of its last digit and nothing else, because
its error is what is looked for.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from zincsmith.analysis.point_doubts import point_doubts
from zincsmith.analysis.regulation import output_resistance
from zincsmith.analysis.uncertainty import Values
from zincsmith.formats.entry import last_digit
from zincsmith.model.actions import Confirm, Dwell, Measure, SetLoad
from zincsmith.model.address import at_port
from zincsmith.model.finding import Doubt, Finding
from zincsmith.model.operating_point import OperatingPoint
from zincsmith.model.plan import Line
from zincsmith.model.quantities import STANDS
from zincsmith.model.reading import Evidence, Point, Reading
from zincsmith.model.roles import SOURCE
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.base import Context, Conventions, Curves, Procedure, Steps, at_point
from zincsmith.procedures.beginning import feed, gate
from zincsmith.procedures.display_accuracy.options import DisplayOptions
from zincsmith.procedures.finding_of import alone, finding_of
from zincsmith.procedures.plotting import by_line

NAME = "display_accuracy"
LEAST_SHOWN = 0.01  # V or A: below that a share says nothing
LEAST_LOADS = 3  # for what grows with the current


@dataclass(frozen=True)
class Shown:
    """A quantity on the display, and the one of the reference."""

    figure: str
    title: str
    display: str
    reference: str
    unit: str


SHOWN = (
    Shown("display_voltage_error", "Display, volts", "panel_voltage", "output_voltage", "V"),
    Shown("display_current_error", "Display, amps", "panel_current", "output_current", "A"),
    Shown("display_power_error", "Display, watts", "panel_power", "output_real_power", "W"),
)
WANTED = ("input_voltage", "output_voltage", "output_current", "output_real_power", "panel_voltage", "panel_current",
          "panel_power")  # fmt: skip
REMOTE, LAGGED = "remote_panel", "display_lag"  # stated with a point
LAG = at_port("timed", STANDS)
SLOW_S = 1.0  # of a display: what is shorter it does not show as it was; common practice, no source


class DisplayAccuracy(Procedure):
    name = NAME
    title = "Display against reference"
    version = 2
    needs: tuple[str, ...] = (SOURCE, "load", "voltmeter", "panel_voltmeter")
    serves = "how far the supply's own display is off, over load"
    options = DisplayOptions
    tested_as = "display"

    def steps(self, ctx: Context) -> Steps:
        """Each load in turn; the display is read while the reference has just been averaged."""
        options = _options(ctx)
        line = ctx.reachable((options.line,))[0]
        yield from gate(
            ctx,
            "The load and the reference meter are at the output terminals, the display can be read from where "
            "you stand.",
        )
        yield from feed(ctx, "Display", line.words, line)
        for load in options.loads_percent:
            current = ctx.load_A(load)
            yield SetLoad(current, load > 0.0)
            yield Dwell(options.settle_s, "settles")
            at = replace(at_point(line, load, current), stated=_stated(options))
            yield Measure(tuple(q for q in WANTED if q in ctx.measured), options.average_s, at)
        if options.lag and LAG in ctx.measured:
            yield from _lag(ctx, options, line)

    def tidy(self, ctx: Context) -> Steps:
        """Leave the unit at no load."""
        yield SetLoad(0.0, False)

    def doubts(self, point: Point) -> list[Doubt]:
        """Source and load of one point."""
        return point_doubts(point, ("output_voltage",))

    def plots(self, evidence: Evidence) -> list[Curves]:
        """What the display shows more than the reference."""

        def millivolts(point: Point) -> float | None:
            error = display_error(point, "panel_voltage", "output_voltage")
            return None if error is None else 1000.0 * error

        lines = tuple(by_line(evidence.points, millivolts))
        return [Curves("Display less reference, volts", "output", "A", "error", "mV", "voltage", lines)]

    def findings(self, evidence: Evidence, nameplate: Nameplate, conventions: Conventions) -> list[Finding]:
        """The greatest error of what the display shows, each load in the working."""
        found: list[Finding] = []
        for remote in (False, True):
            rows = [p for p in evidence.points if bool(p.at.fact(REMOTE)) is remote]
            read = [p for p in rows if p.at.fact(LAGGED) is None]
            both = [f(read, shown) for shown in SHOWN for f in (_finding, _in_percent)]
            mine = [one for one in (*both, _least_shown(read), _slow(rows)) if one is not None]
            found += [replace(f, title=f"{f.title}, remote panel") if remote else f for f in mine]
        return found


def _stated(options: DisplayOptions) -> tuple[tuple[str, float], ...]:
    """Nothing of its own display, as books of earlier forms have it."""
    return ((REMOTE, 1.0),) if options.display == "remote panel" else ()


def _lag(ctx: Context, options: DisplayOptions, line: Line) -> Steps:
    """From a tenth of the load to all of it; a person watches the display with a stopwatch."""
    yield SetLoad(ctx.load_A(10.0), True)
    yield Dwell(options.settle_s, "the display stands")
    yield Confirm("A stopwatch", "The load goes from 10 to 100 % as you go on here: time the display until it stands.")
    yield SetLoad(ctx.load_A(100.0), True)
    at = replace(at_point(line, 100.0, ctx.load_A(100.0)), stated=(*_stated(options), (LAGGED, 1.0)))
    yield Measure((LAG,), 0.0, at, from_zero=True)


def _slow(points: Sequence[Point]) -> Finding | None:
    """How long it takes to follow."""
    rows = [p for p in points if p.at.fact(LAGGED) is not None and p.get(LAG) is not None]
    if not rows:
        return None
    made = finding_of("display_lag", "Display follows after", "s", rows[-1:], [LAG], alone(LAG), "by a stopwatch",
                      replace(rows[-1].at, stated=()), doubts_of=lambda _p, _q: [])  # fmt: skip
    if made.value is None or made.value <= SLOW_S:
        return made
    text = f"It takes {made.value:.2g} s to follow: a dip or rise that it shows may never have been, or been larger."
    return replace(made, doubts=(*made.doubts, Doubt("display_slow", text, "Tell dips by a scope.")))


def _least_shown(points: Sequence[Point]) -> Finding | None:
    """The least watts that it shows as anything, where at less it shows nothing."""
    rows = [p for p in points if display_error(p, "panel_power", "output_real_power") is not None]
    rows.sort(key=lambda p: p.need("output_real_power").number)
    dark = [p for p in rows if not p.need("panel_power").value and p.need("output_real_power").number > LEAST_SHOWN]
    lit = [p for p in rows if p.need("panel_power").value]
    if not dark or not lit:
        return None
    least = min(lit, key=lambda p: p.need("output_real_power").number)
    return finding_of("display_least_shown", "Least watts on the display", "W", [least], ["output_real_power"],
                      alone("output_real_power"), "the least of those read at which it shows anything",
                      replace(least.at, stated=()), doubts_of=lambda _p, _q: [])  # fmt: skip


def _options(ctx: Context) -> DisplayOptions:
    return ctx.asked(DisplayOptions)


def display_error(point: Point, display: str, reference: str) -> float | None:
    """What the display shows more than the reference; None where one of them was not read."""
    a, b = point.get(display), point.get(reference)
    return a.value - b.value if a and b and a.value is not None and b.value is not None else None


def _finding(points: Sequence[Point], shown: Shown) -> Finding | None:
    rows = [p for p in points if display_error(p, shown.display, shown.reference) is not None]
    if not rows:
        return None
    worst = max(rows, key=lambda p: abs(display_error(p, shown.display, shown.reference) or 0.0))
    quantities = (shown.display, shown.reference)
    plain = [_with_digit(p, shown.display) for p in rows]
    one = [plain[rows.index(worst)]]

    def formula(v: Values) -> float:
        return float(v[shown.display][0] - v[shown.reference][0])

    def each(point: Point) -> dict[str, float]:
        return {f"error / {shown.unit}": display_error(point, *quantities) or 0.0}

    finding = finding_of(
        shown.figure, shown.title, shown.unit, one, quantities, formula, "display - reference",
        worst.at.at_place, _growth(rows, shown), each,
        doubts_of=lambda p, _q: point_doubts(p, ("output_voltage",)),
    )  # fmt: skip
    every = finding_of(
        shown.figure, shown.title, shown.unit, plain, quantities, formula, "", OperatingPoint(), "", each,
        doubts_of=lambda _p, _q: [],
    )  # fmt: skip
    return replace(finding, working=replace(finding.working, rows=every.working.rows))


def _in_percent(points: Sequence[Point], shown: Shown) -> Finding | None:
    """The greatest error of the display as a share of what it shows the value of; nothing near zero."""
    rows = [
        p for p in points
        if display_error(p, shown.display, shown.reference) is not None
        and (r := p.get(shown.reference)) is not None and abs(r.value or 0.0) > LEAST_SHOWN
    ]  # fmt: skip
    if not rows:
        return None

    def share(p: Point) -> float:
        return abs((display_error(p, shown.display, shown.reference) or 0.0) / (p.need(shown.reference).value or 1.0))

    worst = max(rows, key=share)
    return finding_of(
        f"{shown.figure}_percent", f"{shown.title}, of the reading", "1", [_with_digit(worst, shown.display)],
        (shown.display, shown.reference), lambda v: float(v[shown.display][0] / v[shown.reference][0]) - 1.0,
        "display / reference − 1", worst.at.at_place,
        doubts_of=lambda p, _q: point_doubts(p, ("output_voltage",)),
    )  # fmt: skip


def _with_digit(point: Point, display: str) -> Point:
    """The point with the display known to half of its last digit, as it was typed."""

    def known(reading: Reading) -> Reading:
        if reading.quantity != display:
            return reading
        digit = last_digit(reading.text, reading.unit)
        return replace(
            reading, reading_percent=0.0, range_percent=0.0, offset=0.0, noise=0.0, nonlinearity_percent=0.0,
            resolution=digit or 0.0, known=digit is not None,
        )  # fmt: skip

    return replace(point, readings=tuple(known(r) for r in point.readings))


def _growth(rows: Sequence[Point], shown: Shown) -> str:
    """Whether the error grows with the load, and like which resistance between display and terminals."""
    if shown.unit != "V":
        return ""
    pairs = [
        (r.value, error)
        for p in rows
        if (r := p.get("output_current")) is not None
        and r.value is not None
        and (error := display_error(p, shown.display, shown.reference)) is not None
    ]
    if len({current for current, _ in pairs}) < LEAST_LOADS:
        return ""
    current, errors = np.array(pairs).T
    ohm = -output_resistance(errors, current)
    return f"the error grows by {1000.0 * ohm:+.3g} mV/A: what lies between display and terminals"


SPEC = DisplayAccuracy()
