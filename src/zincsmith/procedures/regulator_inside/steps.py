"""A regulator inside: rejection in dB, and the room that the valleys before it leave."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

from zincsmith.analysis.uncertainty import Values
from zincsmith.model.actions import Confirm, Dwell, Measure, SetSource, Stage
from zincsmith.model.finding import Doubt, Finding
from zincsmith.model.operating_point import OperatingPoint
from zincsmith.model.plan import Line
from zincsmith.model.reading import Evidence, Point
from zincsmith.model.roles import SOURCE
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.base import Context, Conventions, Curves, Procedure, Steps
from zincsmith.procedures.beginning import feed, gate
from zincsmith.procedures.finding_of import finding_of
from zincsmith.procedures.ports import RAMP_PERCENT, at_load, idle, let_fall, ramp
from zincsmith.procedures.regulator_inside.options import RegulatorOptions
from zincsmith.procedures.rows import carrying, has

NAME = "regulator_inside"
SIDE, AC, DROPOUT, CREST = "side_of_regulator", "ac_volts", "dropout_V", "peak_of_rms"  # stated with a point
BEFORE, BEHIND = 0.0, 1.0
PEAK = {"sawtooth": math.sqrt(3.0), "sine": math.sqrt(2.0)}  # of the rms of what rides on it, closed forms
DC, RIPPLE = "stage_voltage", "stage_ac_voltage"
SETTLES_S = 5.0
CAUTIONS = (
    "Clips are put on with the unit unplugged and read dead; it is read from where you stand. Before a regulator on "
    "the mains side everything is live against earth.",
    "AC volts are read on a range that blocks the direct part: a true rms meter of AC + DC reads both.",
)


class RegulatorInside(Procedure):
    name = NAME
    title = "Regulator inside"
    version = 1
    needs: tuple[str, ...] = (SOURCE, "load")
    serves = "how much of the ripple a regulator inside takes away, and whether its valleys leave it room"
    options = RegulatorOptions
    tested_as = "a regulator inside"

    def steps(self, ctx: Context) -> Steps:
        """Clips before it, then behind it, each put on with the unit off; DC and AC volts under each load."""
        options = ctx.asked(RegulatorOptions)
        line = ctx.reachable((options.line,))[0]
        yield from gate(ctx)
        for side, words in ((BEFORE, "before"), (BEHIND, "behind")):
            yield Stage("Regulator inside", "the unit is off")
            yield SetSource(line.voltage_V, line.frequency_Hz, False)
            yield from idle(ctx)
            yield from let_fall(ctx)
            yield Confirm(
                f"The meter {words} {options.regulator}",
                f"Clips {words} {options.regulator}, against its own return. DC volts first, then AC volts.",
                CAUTIONS, hands_in=True,
            )  # fmt: skip
            yield from feed(ctx, "Regulator inside", f"{words} {options.regulator}", line)
            for load in sorted(options.loads_percent):
                yield from ramp(ctx, (*(p for p in RAMP_PERCENT if p < load), load))
                yield Dwell(SETTLES_S, "settles")
                yield _read(ctx, options, line, load, side)
        yield SetSource(line.voltage_V, line.frequency_Hz, False)
        yield from idle(ctx)
        yield Confirm("The meter away", "Clips off, the unit unplugged and read dead.", CAUTIONS[:1], hands_in=True)

    def tidy(self, ctx: Context) -> Steps:
        """No load."""
        yield from idle(ctx)

    def doubts(self, point: Point) -> list[Doubt]:
        return []

    def plots(self, evidence: Evidence) -> list[Curves]:
        return []

    def findings(self, evidence: Evidence, nameplate: Nameplate, conventions: Conventions) -> list[Finding]:
        """By load: rejection, and valley less output less dropout."""
        found: list[Finding] = []
        rows = [p for p in evidence.points if p.at.fact(SIDE) is not None]
        for load in dict.fromkeys(p.at.load_percent for p in rows):
            before, behind = (_side([p for p in rows if p.at.load_percent == load], side) for side in (BEFORE, BEHIND))
            if before is not None and behind is not None:
                found += _of_both(before, behind)
        return found


def _read(ctx: Context, options: RegulatorOptions, line: Line, load: float, side: float) -> Measure:
    stated = ((SIDE, side), (DROPOUT, options.dropout_V), (CREST, PEAK[options.shape]))
    at = replace(at_load(ctx, line, load), stated=stated)
    return Measure((DC, RIPPLE), 0.0, at, from_zero=True, likely=((DC, 8.0), (RIPPLE, 0.1)))


def _side(rows: Sequence[Point], side: float) -> Point | None:
    """The last that was read there."""
    have = carrying([p for p in rows if p.at.fact(SIDE) == side], [DC])
    return have[-1] if have else None


def _of_both(before: Point, behind: Point) -> list[Finding]:
    where: OperatingPoint = replace(before.at, stated=())
    peak, dropout = before.at.fact(CREST) or 1.0, before.at.fact(DROPOUT) or 0.0
    found = []
    if has(before, [RIPPLE]):

        def room(v: Values) -> float:
            return abs(float(v[DC][0])) - peak * float(v[RIPPLE][0]) - abs(float(v[DC][1])) - dropout

        made = finding_of("regulator_headroom", "Room of the regulator", "V", [before, behind], [DC, RIPPLE], room,
                          f"valley before it - V behind it - {dropout:g} V of dropout; the valley is {peak:.4g} times "
                          "the rms below the mean", where, doubts_of=lambda _p, _q: [])  # fmt: skip
        if made.value is not None and made.value < 0.0:
            text = f"In its valleys {-made.value:.3g} V are missing: it drops out once every ripple."
            doubt = Doubt("drops_out_in_valleys", text, "Look at the capacitor before it, the line and the load.")
            made = replace(made, doubts=(*made.doubts, doubt))
        found.append(made)
    if has(before, [RIPPLE]) and has(behind, [RIPPLE]):
        made = finding_of("ripple_rejection", "Rejection by the regulator", "dB", [before, behind], [RIPPLE],
                          lambda v: 20.0 * math.log10(float(v[RIPPLE][0]) / float(v[RIPPLE][1])),
                          "20 log (AC volts before it / behind it)", where, doubts_of=lambda _p, _q: [])  # fmt: skip
        found.append(made)
    return found


SPEC = RegulatorInside()
