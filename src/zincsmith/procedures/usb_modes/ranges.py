"""Programmable ranges of ports: set points over the range, its smallest step, and the current it was set not to exceed.

USB Power Delivery 3.1, values from memory: what was set within 5 % or 50 mV, steps of 20 mV, the limit of the current
within 150 mA up to 3 A and 5 % above.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from zincsmith.model.actions import ChooseMode, Dwell, Measure, SetLoad
from zincsmith.model.address import at_port
from zincsmith.model.finding import Doubt, Finding
from zincsmith.model.operating_point import Draw, Feed, LoadLaw, OperatingPoint, Purpose, SetPoint
from zincsmith.model.plan import Line
from zincsmith.model.port import of_output
from zincsmith.model.reading import Point
from zincsmith.procedures.base import Context, Curves, Steps
from zincsmith.procedures.finding_of import at_most, finding_of
from zincsmith.procedures.ports import NEGOTIATES_S
from zincsmith.procedures.rows import carrying

SET, STEP_V, LIMIT_A, LIMIT_SHARE, LIMIT_FROM_A = 0.05, 0.02, 0.15, 0.05, 3.0
BY = "USB PD 3.1, from memory"
SHARES = (0.0, 0.25, 0.5, 0.75, 1.0)  # of the range
LIMIT_AT = 0.5  # of the range and of its amps the limit is looked at
OVER = 1.25  # so much more the load would take there
SETTLE_S, AVERAGE_S = 3.0, 2.0


@dataclass(frozen=True)
class Ranged:
    """A programmable range of a port."""

    port: str
    low_V: float
    high_V: float
    most_A: float

    @property
    def volts(self) -> tuple[float, ...]:
        """Over the range, in whole steps."""
        return tuple(round((self.low_V + s * (self.high_V - self.low_V)) / STEP_V) * STEP_V for s in SHARES)


def ranges_of(ctx: Context, port: str) -> list[Ranged]:
    """Those of a port whose amps are known."""
    return [
        Ranged(port, *m.voltage_V, amps)
        for m in of_output(ctx.envelope.output(port)).modes
        if m.law == "programmable" and (amps := m.current_A or 0.0) > 0.0
    ]


def steps_of(ctx: Context, line: Line, one: Ranged) -> Steps:
    """Set points without and with half the amps, one step more in the middle, then more load than it was set to."""
    for voltage in one.volts:
        to = SetPoint(voltage, one.most_A)
        yield ChooseMode(to, one.port)
        yield Dwell(NEGOTIATES_S, f"{voltage:.4g} V come up")
        yield _measured(ctx, line, one, to, 0.0)
        yield SetLoad(LIMIT_AT * one.most_A, True, one.port)
        yield Dwell(SETTLE_S, "settles under half its amps")
        yield _measured(ctx, line, one, to, LIMIT_AT * one.most_A)
        yield SetLoad(0.0, False, one.port)
    middle = one.volts[len(one.volts) // 2]
    for number, voltage in enumerate((middle, middle + STEP_V), start=1):
        to = SetPoint(voltage, one.most_A)
        yield ChooseMode(to, one.port)
        yield Dwell(NEGOTIATES_S, "one step")
        yield _measured(ctx, line, one, to, 0.0, Purpose.TURN, number)
    if "CR" in ctx.laws.get(one.port, ()):
        yield from _limit(ctx, line, one, middle)


def _limit(ctx: Context, line: Line, one: Ranged, voltage: float) -> Steps:
    """A resistance that would take more than the port was set to: a load that holds its current would drag its volts
    out of the range, and it would start anew."""
    limit = LIMIT_AT * one.most_A
    to, ohm = SetPoint(voltage, limit), voltage / (OVER * limit)
    yield ChooseMode(to, one.port)
    yield Dwell(NEGOTIATES_S, f"at most {limit:.3g} A")
    yield SetLoad(limit, True, one.port, "CR", ohm)
    yield Dwell(SETTLE_S, "holds its current")
    yield _measured(ctx, line, one, to, ohm, law="CR")
    yield SetLoad(0.0, False, one.port)


def _measured(
    ctx: Context, line: Line, one: Ranged, to: SetPoint, level: float, step: Purpose | None = None, number: int = 0,
    law: LoadLaw = "CC",
) -> Measure:  # fmt: skip
    draw = Draw(100.0 * level / one.most_A if law == "CC" else None, level, law, one.port)
    at = OperatingPoint((Feed(line.voltage_V, line.frequency_Hz),), (draw,), ((one.port, to),), step=step,
                        step_number=number, about=one.port)  # fmt: skip
    names = [at_port("output_voltage", one.port)]
    if level:
        names.append(at_port("output_current", one.port))
        names += [q for q in ("input_voltage", "input_current", "input_power") if q in ctx.polled]
    return Measure(tuple(names), AVERAGE_S, at, from_zero=True)


def findings_of_ranges(points: Sequence[Point], port: str) -> list[Finding]:
    """Of one port: how far each set point lies off, its smallest step, and the limit of its current."""
    mine = [p for p in carrying(points, [at_port("output_voltage", port)]) if p.at.set_point(port) is not None]
    found = [_error(p, port) for p in mine if p.at.step is None and p.at.draw.law == "CC"]
    found += _step([p for p in mine if p.at.step is Purpose.TURN], port)
    return found + [one for p in mine if p.at.draw.law == "CR" for one in _limited(p, port)]


def _set(point: Point, port: str) -> SetPoint:
    return point.at.set_point(port) or SetPoint(0.0, 0.0)


def _at(point: Point, port: str) -> OperatingPoint:
    return replace(OperatingPoint((Feed(*point.at.line),)), draws=(replace(point.at.draw, port=""),),
                   modes=(("", _set(point, port)),))  # fmt: skip


def _error(point: Point, port: str) -> Finding:
    """Volts less what was set."""
    address, asked = at_port("output_voltage", port), _set(point, port).voltage_V
    made = finding_of("set_voltage_error", f"Volts off what was set, {port}", "V", [point], [address],
                      lambda v: float(v[address][0]) - asked, "V - V set", _at(point, port))  # fmt: skip
    most = max(SET * asked, 0.05)
    made = at_most(replace(made, output=port), most, BY, told=False)
    if made.value is not None and abs(made.value) > most:
        text = f"{port} was set to {asked:.4g} V and is {made.value:+.3g} V off; {most:.3g} V are allowed ({BY})."
        doubt = Doubt("set_point_off", text, "Ask again, with another sink; then read at the port itself.")
        made = replace(made, doubts=(*made.doubts, doubt))
    return made


def _step(points: Sequence[Point], port: str) -> list[Finding]:
    """What one step more makes of the volts; both are of one meter, moments apart."""
    if len(points) != 2:
        return []
    address = at_port("output_voltage", port)
    line = OperatingPoint((Feed(*points[0].at.line),))
    made = finding_of("set_step", f"One step of {1e3 * STEP_V:.0f} mV, {port}", "V", points, [address],
                      lambda v: float(v[address][1] - v[address][0]), "V2 - V1", line,
                      doubts_of=lambda _p, _q: [])  # fmt: skip
    return [replace(made, output=port)]


def _limited(point: Point, port: str) -> list[Finding]:
    """The current that it held, against the one it was set to."""
    address, to = at_port("output_current", port), _set(point, port)
    if not carrying([point], [address]):
        return []
    made = finding_of("set_current_error", f"Amps off the limit that was set, {port}", "A", [point], [address],
                      lambda v: float(v[address][0]) - to.current_A, "I - I set", _at(point, port),
                      doubts_of=lambda _p, _q: [])  # fmt: skip
    most = LIMIT_A if to.current_A <= LIMIT_FROM_A else LIMIT_SHARE * to.current_A
    volts = point.need(at_port("output_voltage", port)).number
    made = at_most(replace(made, output=port), most, BY, told=False)
    if made.value is not None and abs(made.value) > most:
        went = "it let the current go on" if made.value > 0.0 else f"it stood at {volts:.3g} V with less"
        off = f"is {made.value:+.3g} A off, {most:.2g} A are allowed ({BY})"
        text = f"{port} was set to at most {to.current_A:.3g} A and {off}: {went}."
        doubt = Doubt("set_limit_off", text, "See whether it started anew under the load: then it has no such limit.")
        made = replace(made, doubts=(*made.doubts, doubt))
    return [made]


def curves_of_ranges(points: Sequence[Point]) -> list[Curves]:
    """How far each set point lies off, by port, without and with load."""
    lines = []
    for port in dict.fromkeys(p.at.about for p in points):
        for loaded, words in ((False, "no load"), (True, "half its amps")):
            rows = [
                (to.voltage_V, 1e3 * (r.value - to.voltage_V))
                for p in points
                if (to := p.at.set_point(port)) is not None and p.at.step is None and p.at.draw.law == "CC"
                if bool(p.at.draw.level) is loaded
                if (r := p.get(at_port("output_voltage", port))) is not None and r.value is not None
            ]
            if rows:
                x, y = ([float(v) for v in axis] for axis in zip(*sorted(rows), strict=True))
                lines.append((f"{port}, {words}", x, y))
    return [Curves("Set points of the ranges", "set", "V", "off by", "mV", "voltage", tuple(lines))] if lines else []
