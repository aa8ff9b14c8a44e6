"""Touch current: a meter across a network from each output to earth, the plug both ways round."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from zincsmith.analysis.parts import touch_current_A
from zincsmith.model.actions import Confirm, Dwell, Measure, SetSource, Stage
from zincsmith.model.finding import Doubt, Finding
from zincsmith.model.intake import Part
from zincsmith.model.reading import Evidence, Point
from zincsmith.model.roles import SOURCE
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.base import Context, Conventions, Curves, Procedure, Steps
from zincsmith.procedures.beginning import COMES_UP_S, gate
from zincsmith.procedures.finding_of import alone, at_most, finding_of
from zincsmith.procedures.ports import at_load, idle, let_fall
from zincsmith.procedures.rows import carrying
from zincsmith.procedures.touch_current.options import TouchOptions

NAME, QUANTITY = "touch_current", "touch_current"
WAY, OUTPUT, LIMIT, EXPECTED = "plug_turned", "output_number", "touch_limit_A", "expected_A"  # stated with a point
FAR = 3.0  # times, or a third of, what the Y capacitors let through; common practice, no source
CAUTIONS = (
    "Earth is real earth, of the building; an isolation transformer or a floating source has nothing to flow back to, "
    "and reads nothing. Behind it the unit is live: probes rated for mains of its category, one hand only.",
    "Through the network, never through a person; never a bare ammeter, whose few ohms tell another figure.",
)


class TouchCurrent(Procedure):
    name = NAME
    title = "Touch current"
    version = 1
    needs: tuple[str, ...] = (SOURCE,)
    serves = "what flows from an output to earth through whoever touches it"
    options = TouchOptions
    tested_as = "touch current"

    def steps(self, ctx: Context) -> Steps:
        """Clips are put on with the unit off; it is read from where one stands."""
        options = ctx.asked(TouchOptions)
        line = ctx.reachable((options.line,))[0]
        expected_A = expected_of(ctx.unit.look.parts, line.voltage_V, line.frequency_Hz)
        yield from gate(ctx)
        for number, port in enumerate(ctx.outputs):
            for turned in (0.0, 1.0) if options.both_ways else (0.0,):
                yield Stage("Touch current", f"{line.words}{f', {port}' if port else ''}")
                yield SetSource(line.voltage_V, line.frequency_Hz, False)
                yield from idle(ctx)
                yield from let_fall(ctx)
                way = "turned round" if turned else "as it was"
                yield Confirm(
                    f"{port or 'The output'} to earth, plug {way}",
                    f"The load and everything else that could earth the output are off it. The network from the minus "
                    f"of {port or 'the output'} to earth, the meter across it in mA. The plug {way}.",
                    CAUTIONS, hands_in=True,
                )  # fmt: skip
                yield SetSource(line.voltage_V, line.frequency_Hz, True)
                yield Dwell(COMES_UP_S, "output comes up")
                stated = ((WAY, turned), (OUTPUT, float(number)), (LIMIT, options.limit_A), (EXPECTED, expected_A))
                at = replace(at_load(ctx, line, 0.0), stated=stated)
                yield Measure((QUANTITY,), 0.0, at, from_zero=True, likely=((QUANTITY, expected_A),))
        yield SetSource(line.voltage_V, line.frequency_Hz, False)
        yield Confirm("The network off", "The load is at the output again, nothing earths it.", hands_in=True)

    def tidy(self, ctx: Context) -> Steps:
        """No load."""
        yield from idle(ctx)

    def doubts(self, point: Point) -> list[Doubt]:
        return []

    def plots(self, evidence: Evidence) -> list[Curves]:
        return []

    def findings(self, evidence: Evidence, nameplate: Nameplate, conventions: Conventions) -> list[Finding]:
        """By output the greater of both ways round."""
        found = []
        rows = carrying([p for p in evidence.points if p.at.fact(WAY) is not None], [QUANTITY])
        for number, output in enumerate(nameplate.outputs):
            mine = [p for p in rows if p.at.fact(OUTPUT) == float(number)]
            if mine:
                found.append(_worst(mine, output.name if len(nameplate.outputs) > 1 else ""))
        return found


def expected_of(parts: Sequence[Part], voltage_V: float, hertz: float) -> float:
    """By the Y capacitors that were noted; 0 where none was."""
    return touch_current_A(parts, voltage_V, hertz)


def _worst(rows: Sequence[Point], port: str) -> Finding:
    worst = max(rows, key=lambda p: p.need(QUANTITY).number)
    limit, foreseen = worst.at.fact(LIMIT) or 0.0, worst.at.fact(EXPECTED) or 0.0
    both = f"the greater of {len(rows)} ways round" if len(rows) > 1 else "the plug one way round"
    told = f"; by its Y capacitors {1e3 * foreseen:.3g} mA" if foreseen else ""
    made = finding_of("touch_current", "Touch current", "A", [worst], [QUANTITY], alone(QUANTITY), both + told,
                      replace(worst.at, stated=()), doubts_of=lambda _p, _q: [])  # fmt: skip
    doubts = []
    if foreseen and made.number < foreseen / FAR:
        doubts.append(Doubt("flows_to_nowhere", f"{1e3 * made.number:.3g} mA flow where its Y capacitors let "
                            f"{1e3 * foreseen:.3g} mA through: the source may be isolated, or earth no earth.",
                            "Feed it from the outlet itself, and see that earth is earth."))  # fmt: skip
    if foreseen and made.number > FAR * foreseen:
        doubts.append(Doubt("flows_elsewhere", f"{1e3 * made.number:.3g} mA flow, its Y capacitors explain "
                            f"{1e3 * foreseen:.3g} mA.",
                            "Look for moisture, a part across the barrier, a wrong Y."))  # fmt: skip
    made = replace(made, output=port, doubts=(*made.doubts, *doubts))
    return at_most(made, limit, "chosen for this part") if limit else made


SPEC = TouchCurrent()
