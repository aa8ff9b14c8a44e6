"""Drift: read again and again, nothing else touched."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from zincsmith.analysis.uncertainty import Values
from zincsmith.model.actions import ChooseMode, Dwell, Measure, Stage
from zincsmith.model.finding import Doubt, Finding
from zincsmith.model.quantities import ROOM
from zincsmith.model.reading import Evidence, Point
from zincsmith.model.roles import SOURCE
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.base import Context, Conventions, Curves, Procedure, Steps
from zincsmith.procedures.beginning import feed, gate
from zincsmith.procedures.drift.options import DriftOptions
from zincsmith.procedures.finding_of import finding_of
from zincsmith.procedures.ports import RAMP_PERCENT, at_load, everywhere, idle, ramp, set_ports, top_of
from zincsmith.procedures.rows import carrying

NAME = "drift"
SINCE, WARMING = "since_loaded_s", "warming"  # stated with a point
AVERAGE_S = 2.0
ROOM_AT = f"spot_temperature@{ROOM}"
MOVES_K = 3.0  # of the room: from there on it may be what moved the output; common practice, no source


class Drift(Procedure):
    name = NAME
    title = "Drift"
    version = 1
    needs: tuple[str, ...] = (SOURCE, "load", "voltmeter")
    serves = "what an output does over hours, nothing else touched"
    options = DriftOptions
    tested_as = "drift"

    def steps(self, ctx: Context) -> Steps:
        """Loaded, and read to the end."""
        options = ctx.asked(DriftOptions)
        line = ctx.reachable((options.line,))[0]
        yield from gate(ctx)
        yield from feed(ctx, "Drift", f"{line.words}, {options.load_percent:g} % load", line)
        for port in set_ports(ctx):
            yield ChooseMode(top_of(ctx, port), port)
        yield from ramp(ctx, (*(p for p in RAMP_PERCENT if p < options.load_percent), options.load_percent))
        wanted = (*everywhere(ctx, ("output_voltage", "output_current")), "case_temperature", ROOM_AT, "input_voltage")
        names = tuple(n for n in wanted if n in ctx.measured)
        count = round((options.warm_up_s + options.lasts_s) / options.every_s)
        for number in range(count + 1):
            since_s = number * options.every_s
            warming = since_s < options.warm_up_s - 1e-6
            if number in (0, round(options.warm_up_s / options.every_s)):
                yield Stage("Drift", "warms up" if warming else f"for {options.lasts_s / 3600.0:g} h")
            at = replace(at_load(ctx, line, options.load_percent),
                         stated=((SINCE, since_s), (WARMING, float(warming))))  # fmt: skip
            yield Measure(names, AVERAGE_S, at)
            if number < count:
                yield Dwell(max(1.0, options.every_s - AVERAGE_S), "until it is read again", warms=warming)

    def tidy(self, ctx: Context) -> Steps:
        """No load."""
        yield from idle(ctx)

    def doubts(self, point: Point) -> list[Doubt]:
        return []

    def plots(self, evidence: Evidence) -> list[Curves]:
        """By output, what it was off its first reading after the warm-up, over the hours."""
        lines = []
        for port, rows in _by_port(evidence.points).items():
            after = [p for p in rows if not p.at.fact(WARMING)] or rows
            first = after[0].need("output_voltage").number
            hours = [(p.at.fact(SINCE) or 0.0) / 3600.0 for p in rows]
            lines.append((port or "output", hours, [1e3 * (p.need("output_voltage").number - first) for p in rows]))
        title = "Drift, from the end of the warm-up"
        return [Curves(title, "time", "h", "output volts", "mV", "voltage", tuple(lines))] if lines else []

    def findings(self, evidence: Evidence, nameplate: Nameplate, conventions: Conventions) -> list[Finding]:
        """By output: the highest less the lowest after the warm-up, as volts and of the first; what the warm-up did."""
        found: list[Finding] = []
        for port, rows in _by_port(evidence.points).items():
            found += [replace(one, output=port) for one in _of(rows)]
        return found


def _by_port(points: Sequence[Point]) -> dict[str, list[Point]]:
    """The readings of each output, as it sees them, in their order."""
    rows = [p for p in points if p.at.fact(SINCE) is not None]
    ports = dict.fromkeys(d.port for p in rows for d in p.at.draws)
    seen = {port: carrying([p.seen_from(port) for p in rows], ["output_voltage"]) for port in ports}
    return {port: mine for port, mine in seen.items() if len(mine) > 1}


def _volts(point: Point) -> float:
    return point.need("output_voltage").number


def _of(rows: Sequence[Point]) -> list[Finding]:
    steady = [p for p in rows if not p.at.fact(WARMING)]
    warming = [p for p in rows if p.at.fact(WARMING)]
    found = []
    if len(steady) > 1:
        pair = [min(steady, key=_volts), max(steady, key=_volts)]
        hours = ((steady[-1].at.fact(SINCE) or 0.0) - (steady[0].at.fact(SINCE) or 0.0)) / 3600.0
        note = f"{len(steady)} readings over {hours:.3g} h, nothing else touched"
        where = replace(steady[0].at, stated=())

        def span(v: Values) -> float:
            return float(v["output_voltage"][1] - v["output_voltage"][0])

        def share(v: Values) -> float:
            return span(v) / abs(float(v["output_voltage"][0]))

        made = finding_of("drift", "Drift", "V", pair, ["output_voltage"], span, "highest - lowest after the warm-up",
                          where, note)  # fmt: skip
        doubts = _room_moved(steady)
        found.append(replace(made, doubts=(*made.doubts, *doubts)))
        found.append(finding_of("drift_share", "Drift, of its volts", "1", pair, ["output_voltage"], share,
                                "(highest - lowest) / lowest", where, note))  # fmt: skip
    if warming and steady:
        pair = [warming[0], steady[0]]
        found.append(finding_of(
            "warm_up_drift", "Change while it warms up", "V", pair, ["output_voltage"],
            lambda v: float(v["output_voltage"][1] - v["output_voltage"][0]), "V warm - V as it was loaded",
            replace(warming[0].at, stated=()),
        ))  # fmt: skip
    return found


def _room_moved(rows: Sequence[Point]) -> tuple[Doubt, ...]:
    """Where the room moved, and how much of what the output did goes with it."""
    have = carrying(rows, [ROOM_AT])
    if len(have) < 3:
        return ()
    room = np.array([p.need(ROOM_AT).number for p in have])
    moved = float(np.ptp(room))
    if moved < MOVES_K:
        return ()
    slope = float(np.polyfit(room, [_volts(p) for p in have], 1)[0])
    text = f"The room moved by {moved:.2g} K meanwhile; {1e3 * slope:.3g} mV/K of it go with that."
    return (Doubt("room_moved", text, "Keep the room, or tell the temperature coefficient apart with a soak."),)


SPEC = Drift()
