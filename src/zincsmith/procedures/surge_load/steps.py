"""Surge: half its load, what its plate states for a moment, and half its load again."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from zincsmith.analysis.uncertainty import Values
from zincsmith.model.actions import Confirm, Dwell, Measure, SetLoad, SetSource, Stage
from zincsmith.model.address import at_port
from zincsmith.model.finding import Doubt, Finding
from zincsmith.model.operating_point import Draw, Feed, OperatingPoint
from zincsmith.model.plan import Line
from zincsmith.model.reading import Evidence, Point
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.base import Context, Conventions, Curves, Procedure, Steps
from zincsmith.procedures.beginning import COMES_UP_S, gate
from zincsmith.procedures.finding_of import finding_of
from zincsmith.procedures.ports import at_load, draw, idle, ramp
from zincsmith.procedures.rows import carrying
from zincsmith.procedures.surge_load.options import SurgeOptions

NAME = "surge_load"
USUAL_S = 1.0  # where the plate does not say for how long
HALF, HELD = 50.0, 0.9  # percent of the load before and after; of nominal volts
OUTPUT = ("output_voltage", "output_current", "output_real_power")
SURGE = "surge_W"  # stated with the point
CAUTIONS = ("Beyond its rating: somebody stays, and its input is fused and wired for what it then takes.",)


class Surge(Procedure):
    name = NAME
    title = "Surge"
    version = 1
    needs: tuple[str, ...] = ("load", "voltmeter")
    serves = "whether an output gives what its plate states for a moment"
    options = SurgeOptions
    tested_as = "surge"

    def steps(self, ctx: Context) -> Steps:
        """At each line and output from half the load to the surge and back, with rest between."""
        options = ctx.asked(SurgeOptions)
        yield from gate(ctx)
        told = ", ".join(f"{o.surge_W:g} W for {o.surge_s or USUAL_S:g} s" for o in ctx.nameplate.outputs if o.surge_W)
        yield Confirm("Beyond the rating", f"The output is loaded with {told}.", CAUTIONS)
        for line in ctx.reachable(options.lines):
            for port in ctx.outputs:
                if ctx.envelope.output(port).surge_W:
                    for number in range(1, options.repeats + 1):
                        yield from _once(ctx, options, line, port, number)

    def tidy(self, ctx: Context) -> Steps:
        """No load."""
        yield from idle(ctx)

    def doubts(self, point: Point) -> list[Doubt]:
        return []

    def plots(self, evidence: Evidence) -> list[Curves]:
        return []

    def findings(self, evidence: Evidence, nameplate: Nameplate, conventions: Conventions) -> list[Finding]:
        """By output and line the least of the repeats."""
        groups: dict[tuple[object, ...], list[Point]] = {}
        for point in evidence.points:
            if point.at.fact(SURGE) is not None:
                groups.setdefault((point.at.about, point.at.line), []).append(point)
        return [f for (port, _), rows in groups.items() for f in _given(rows, str(port), nameplate)]


def _once(ctx: Context, options: SurgeOptions, line: Line, port: str, number: int) -> Steps:
    output, volts = ctx.envelope.output(port), abs(ctx.volts[port])
    watts, seconds = output.surge_W or 0.0, output.surge_s or USUAL_S
    amps = watts / volts
    yield Stage("Surge", f"{line.words}, {f'{port}, ' if port else ''}{watts:g} W for {seconds:g} s, {number}")
    yield SetSource(line.voltage_V, line.frequency_Hz, True)
    yield Dwell(COMES_UP_S, "output comes up")
    yield from ramp(ctx, (HALF,))
    yield Dwell(2.0, "at half its load")
    # Held in watts where the load can: under a surge the volts sag, and amps or ohms alone would ask for less.
    by_power = "CP" in ctx.laws.get(port, ())
    share = amps / ctx.load_A(100.0, port)
    yield SetLoad(amps, True, port, "CP" if by_power else "CC", watts if by_power else None, beyond=share)
    at = at_load(ctx, line, 100.0)
    at = replace(at, draws=(Draw(None, amps, port=port),), about=port, stated=((SURGE, watts),))
    names = [
        n for q in ("output_voltage", "output_current", "output_real_power") if (n := at_port(q, port)) in ctx.polled
    ]
    yield Measure(
        (*names, *(q for q in ("input_voltage", "input_power") if q in ctx.polled)), seconds, at, from_zero=True
    )
    yield from draw(ctx, HALF)
    yield Dwell(2.0, "back at half its load")
    yield from idle(ctx)
    yield Dwell(options.rest_s, "rests")


def _given(rows: Sequence[Point], port: str, plate: Nameplate) -> list[Finding]:
    volts, amps, real = (at_port(q, port) for q in ("output_voltage", "output_current", "output_real_power"))
    by_watts = carrying(rows, [real])
    have = by_watts or carrying(rows, [volts, amps])
    if not have:
        return []

    def watts(v: Values) -> float:
        return float(v[real][0]) if by_watts else abs(float(v[volts][0] * v[amps][0]))

    def of(point: Point) -> float:
        return point.need(real).number if by_watts else abs(point.need(volts).number * point.need(amps).number)

    worst = min(have, key=of)
    output = next(o for o in plate.outputs if port in ("", o.name))
    made = finding_of("surge_power", "Surge power", "W", [worst], [real] if by_watts else [volts, amps], watts,
                      f"mean over {output.surge_s or USUAL_S:g} s; the least of {len(have)}",
                      OperatingPoint((Feed(*worst.at.line),)), doubts_of=lambda _p, _q: [])  # fmt: skip
    stood = worst.get(volts)
    if stood is not None and stood.value is not None and abs(stood.value) < HELD * abs(output.voltage_V):
        text = (
            f"The output stood at {abs(stood.value):.3g} V in the mean: it let go, or sagged, before the time was over."
        )
        made = replace(made, doubts=(*made.doubts, Doubt("surge_not_held", text, "See what feeds it: it may be that.")))
    return [replace(made, output=port)]


SPEC = Surge()
