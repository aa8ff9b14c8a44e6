"""Over-voltage protection: raised towards it in steps, each read before the next, until the output lets go."""

from __future__ import annotations

import math
from collections.abc import Generator, Sequence
from dataclasses import replace

from zincsmith.model.actions import Action, ChooseMode, Confirm, Dwell, Measure, Measured, Outcome, Stop
from zincsmith.model.address import at_port
from zincsmith.model.finding import Doubt, Finding
from zincsmith.model.operating_point import Draw, Feed, OperatingPoint, SetPoint
from zincsmith.model.plan import Line
from zincsmith.model.reading import Evidence, Point
from zincsmith.model.roles import SOURCE
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.base import Context, Conventions, Curves, Procedure, Steps
from zincsmith.procedures.beginning import feed, gate, stands_words
from zincsmith.procedures.finding_of import finding_of, unlooked, with_parts
from zincsmith.procedures.overvoltage.options import OvervoltageOptions
from zincsmith.procedures.ports import idle, set_ports, top_of
from zincsmith.procedures.rows import carrying

NAME = "overvoltage"
HELD, BACK = 0.5, 0.9  # of what was set: below the one it has let go, from the other up it is back
RESTING = 1.1  # of the upper end of the range: where the protection is left
LEVEL = "protection_V"  # stated with each point
CAUTIONS = (
    "Nothing is attached to the output, not even the load: what lets go at the wrong volts would take it along.",
    "What the protection was set to before is unknown to the program: note it now, and set it again in the end.",
)


class Overvoltage(Procedure):
    name = NAME
    title = "Over-voltage protection"
    version = 1
    needs: tuple[str, ...] = (SOURCE, "voltmeter")
    serves = "at which volts an output that is set lets go, against what its protection was set to"
    options = OvervoltageOptions
    tested_as = "over-voltage protection"

    def steps(self, ctx: Context) -> Steps:
        """By output: set below, its protection set, raised until it lets go, switched on again."""
        options = ctx.asked(OvervoltageOptions)
        line = ctx.reachable((options.line,))[0]
        yield from gate(ctx, f"{stands_words(ctx.unit)} The voltmeter is at the output, nothing else.")
        yield from feed(ctx, "Over-voltage protection", line.words, line)
        yield Confirm(
            "Raised until it lets go",
            f"Its protection is set to {options.level_percent:g} % of the range, its volts raised towards it in steps "
            f"of {options.step_percent:g} % of that.",
            CAUTIONS,
        )
        for port in set_ports(ctx):
            yield from _of_a_port(ctx, options, line, port)

    def tidy(self, ctx: Context) -> Steps:
        """No load, every output as other parts have it, its protection above all of the range."""
        yield from idle(ctx)
        for port in set_ports(ctx):
            top = top_of(ctx, port)
            yield ChooseMode(replace(top, trip_V=RESTING * top.voltage_V), port)

    def doubts(self, point: Point) -> list[Doubt]:
        return []

    def plots(self, evidence: Evidence) -> list[Curves]:
        """Volts there against volts set."""
        lines = []
        for port in dict.fromkeys(p.at.about for p in evidence.points):
            rows = carrying([p for p in evidence.points if p.at.about == port], [at_port("output_voltage", port)])
            x = [_set(p, port).voltage_V for p in rows]
            lines.append((port or "output", x, [p.need(at_port("output_voltage", port)).number for p in rows]))
        if not lines:
            return []
        return [Curves("Raised until it lets go", "set", "V", "there", "V", "voltage", tuple(lines))]

    def findings(self, evidence: Evidence, nameplate: Nameplate, conventions: Conventions) -> list[Finding]:
        """By output the volts at which it let go, and how far that lies off what was set."""
        ports = dict.fromkeys(p.at.about for p in evidence.points if p.at.fact(LEVEL) is not None)
        return [f for port in ports for f in _trip([p for p in evidence.points if p.at.about == port], port)]


def _of_a_port(ctx: Context, options: OvervoltageOptions, line: Line, port: str) -> Steps:
    top = top_of(ctx, port)
    level = options.level_percent / 100.0 * top.voltage_V
    below = replace(top, voltage_V=HELD * level, trip_V=level)
    yield ChooseMode(below, port)
    count = math.floor((options.to_percent - options.from_percent) / options.step_percent + 1e-9)
    for n in range(count + 1):
        share = (options.from_percent + n * options.step_percent) / 100.0
        to = replace(below, voltage_V=share * level)
        if to.voltage_V > top.voltage_V:
            break
        yield ChooseMode(to, port)
        yield Dwell(options.settle_s, f"{100.0 * share:.4g} % of its protection")
        volts = yield from _read(line, port, to, level)
        if volts is None or volts < HELD * to.voltage_V:
            break
    yield ChooseMode(below, port)
    yield Dwell(options.settle_s, "on again")
    volts = yield from _read(line, port, below, level)
    if volts is None or volts < BACK * below.voltage_V:
        whose = f"the output {port}" if port else "the output"
        yield Stop(f"{whose} did not come back after its over-voltage protection had let go")


def _read(line: Line, port: str, to: SetPoint, level: float) -> Generator[Action, Outcome, float | None]:
    name = at_port("output_voltage", port)
    at = OperatingPoint((Feed(line.voltage_V, line.frequency_Hz),), (Draw(0.0, 0.0, port=port),), ((port, to),),
                        about=port, stated=((LEVEL, level),))  # fmt: skip
    answer = yield Measure((name,), 0.5, at, from_zero=True)
    reading = answer.point.get(name) if isinstance(answer, Measured) else None
    return reading.value if reading is not None else None


def _set(point: Point, port: str) -> SetPoint:
    return point.at.set_point(port) or SetPoint(0.0, 0.0)


def _trip(points: Sequence[Point], port: str) -> list[Finding]:
    name = at_port("output_voltage", port)
    rows = carrying([p for p in points if p.at.fact(LEVEL) is not None], [name])
    raised = rows[:-1] if len(rows) > 1 else rows  # the last one is taken below, after it
    held = [p for p in raised if p.need(name).number >= HELD * _set(p, port).voltage_V]
    gone = [p for p in raised if p not in held]
    if not held:
        return []
    best, level = held[-1], held[-1].at.fact(LEVEL) or 0.0
    at = OperatingPoint((Feed(*best.at.line),), modes=(("", replace(_set(best, port), voltage_V=level)),))
    gap = _set(gone[0], port).voltage_V - _set(best, port).voltage_V if gone else 0.0
    found = []
    for figure, title, less in (
        ("overvoltage", "Overvoltage limit", 0.0), ("overvoltage_error", "Overvoltage limit, off what was set", level),
    ):  # fmt: skip
        made = finding_of(figure, title, "V", [best], [name],
                          lambda v, less=less: float(v[name][0]) + 0.5 * gap - less,  # type: ignore[misc]
                          "middle between the last that held and the first that did not", at,
                          doubts_of=lambda _p, _q: [])  # fmt: skip
        if gone:
            made = with_parts(made, unlooked(0.5 * gap, "between two steps"))
        else:
            text = f"It held up to {best.need(name).number:.4g} V with its protection at {level:.4g} V."
            doubt = Doubt("not_let_go", text, "See whether it is switched on; set it lower.")
            made = replace(made, value=None, u=None, doubts=(*made.doubts, doubt))
        found.append(replace(made, output=port))
    return found


SPEC = Overvoltage()
