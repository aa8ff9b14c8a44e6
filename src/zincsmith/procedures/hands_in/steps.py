"""Hands go in during the work: a board is turned over, a probe moved, a camera held to the other side, a case opened.

Off, wait until it has emptied, prove it dead, do it, and warm up again: what follows is measured on a warm unit as
before. Opening a case is a one-way gate: whoever passes it is told first what it costs.
"""

from __future__ import annotations

from zincsmith.model.actions import Confirm, Dwell, SetSource, Stage
from zincsmith.model.finding import Doubt, Finding
from zincsmith.model.reading import Evidence, Point
from zincsmith.model.roles import SOURCE
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.base import Context, Conventions, Procedure, Steps
from zincsmith.procedures.beginning import feed
from zincsmith.procedures.cautions import CAUTIONS
from zincsmith.procedures.hands_in.options import HandsInOptions
from zincsmith.procedures.ports import idle, let_fall, ramp

NAME = "hands_in"
OPEN_CASE = "open the case"
RAMP_PERCENT = (25.0, 50.0, 75.0, 100.0)
WORDS = {
    "turn the board over": "Turn the board over. Nothing may lie under it that bridges live parts, on this side too.",
    "move a probe": "Move the probe. Its clip goes on before its tip, its ground is where the rig says.",
    "look from the other side": "Set the camera up for the other side. Nobody holds it while the unit is live.",
    OPEN_CASE: "Open the case. It is not closed again as it was: marks, glue and catches are gone.",
}


class HandsIn(Procedure):
    name = NAME
    title = "Hands in"
    version = 1
    needs: tuple[str, ...] = (SOURCE, "load")
    serves = "off, discharge, turn a board over, move a probe, look from the other side, open a case; warm again"
    options = HandsInOptions

    def steps(self, ctx: Context) -> Steps:
        """Off; the gate, shut until it has emptied; on again, and warm."""
        options = ctx.asked(HandsInOptions)
        line = ctx.reachable((options.line,))[0]
        yield Stage(options.act[:1].upper() + options.act[1:], "the input is off")
        yield from idle(ctx)
        yield SetSource(line.voltage_V, line.frequency_Hz, False)
        yield from let_fall(ctx)
        cautions = (CAUTIONS["discharge"], CAUTIONS["bulk"], CAUTIONS["static"])
        yield Confirm(options.act[:1].upper() + options.act[1:], WORDS[options.act], cautions, hands_in=True)
        if options.warm_up_s > 0.0:
            yield from feed(ctx, "Warm again", f"{line.words}, full load", line)
            yield from ramp(ctx, RAMP_PERCENT)
            yield Dwell(options.warm_up_s, "warm again at full load", warms=True)

    def tidy(self, ctx: Context) -> Steps:
        """Leave the unit at no load."""
        yield from idle(ctx)

    def doubts(self, point: Point) -> list[Doubt]:
        """None: it takes no points."""
        return []

    def findings(self, evidence: Evidence, nameplate: Nameplate, conventions: Conventions) -> list[Finding]:
        """None: it is for what follows."""
        return []


SPEC = HandsIn()
