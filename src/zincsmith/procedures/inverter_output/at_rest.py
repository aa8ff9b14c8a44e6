"""An inverter without a load: whether it looks for one in bursts, and whether one leg of its output is earthed."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from zincsmith.model.actions import Confirm, Dwell, Measure, SetSource, Stage
from zincsmith.model.address import at_port
from zincsmith.model.finding import Doubt, Finding
from zincsmith.model.plan import Line
from zincsmith.model.reading import Point
from zincsmith.procedures.base import Context, Steps
from zincsmith.procedures.beginning import POLL_S
from zincsmith.procedures.finding_of import alone, finding_of, unlooked, with_parts
from zincsmith.procedures.ports import at_load
from zincsmith.procedures.rows import carrying

SEARCHES, OVER, BOND = "searches", "watched_s", "neutral_to_earth"  # stated with a point
WATCHED_S = 30.0  # without a load, for bursts that come once in some seconds; common practice, no source
LEAST_BURSTS = 2
BONDED_OHM = 1.0
BOND_CAUTIONS = (
    "Unplugged from its battery and read dead. A leg that is earthed once more where a house earths its neutral makes "
    "a second bond: local rules say which one there has to be.",
)
READS = ("input_voltage", "input_current", "input_power")


def bond(ctx: Context, line: Line) -> Steps:
    """Ohms from the leg that is marked as neutral to earth; where nobody has an ohmmeter, nothing."""
    if "stage_resistance" not in ctx.measured:
        return
    yield Stage("Neutral and earth", "unplugged")
    yield SetSource(line.voltage_V, line.frequency_Hz, False)
    yield Confirm(
        "Neutral to earth: ohms, unplugged",
        "Its input is off and disconnected. Ohms from the leg marked N of its outlet, or from either, to its earth "
        "terminal or case. Beyond the range type a dash: it floats.",
        BOND_CAUTIONS, hands_in=True,
    )  # fmt: skip
    at = replace(at_load(ctx, line, 0.0), stated=((BOND, 1.0),))
    yield Measure(("stage_resistance",), 0.0, at, from_zero=True, likely=(("stage_resistance", 0.2),))


def at_rest(ctx: Context, line: Line, ordinary: Measure) -> Steps:
    """Watched without a load: one that looks for a load in bursts is averaged over them, any other read as usual."""
    port = ctx.outputs[0]
    name = at_port("output_voltage", port)
    bursts = 0
    if name in ctx.polled:
        answer = yield Dwell(WATCHED_S, "does it look for a load?", period_s=POLL_S, rising=name,
                             rises_above=0.5 * abs(ctx.volts[port]))  # fmt: skip
        bursts = int(getattr(answer, "rises", 0))
    if bursts < LEAST_BURSTS:
        yield ordinary
        return
    stated = ((SEARCHES, float(bursts)), (OVER, WATCHED_S))
    names = tuple(q for q in READS if q in ctx.measured)
    yield Measure(names, WATCHED_S, replace(at_load(ctx, line, 0.0), stated=stated), from_zero=True)


def findings_at_rest(points: Sequence[Point]) -> list[Finding]:
    """How often it looks for a load and what it takes meanwhile; ohms from neutral to earth."""
    found: list[Finding] = []
    for point in points:
        bursts, over_s = point.at.fact(SEARCHES), point.at.fact(OVER)
        where = replace(point.at, stated=())
        if bursts and over_s:
            period = over_s / bursts
            made = Finding("search_period", "Looks for a load every", period, "s", 0.0, 2.0, at=where)
            found.append(with_parts(made, unlooked(period / bursts, "one burst more or less")))
            if carrying([point], ["input_power"]):
                found.append(finding_of(
                    "search_power", "Input power while it looks for a load", "W", [point], ["input_power"],
                    alone("input_power"), f"mean over {over_s:g} s", where,
                ))  # fmt: skip
        if point.at.fact(BOND) is not None:
            found.append(_bond(point))
    return found


def _bond(point: Point) -> Finding:
    reading = point.get("stage_resistance")
    where = replace(point.at, stated=())
    if reading is None or reading.value is None or reading.value > BONDED_OHM:
        text = "Neither leg is earthed inside: no residual-current breaker behind it sees a fault to earth."
        doubt = Doubt("output_floats", text, "Whoever installs it decides, by local rules, whether it is bonded.")
        value = reading.value if reading is not None else None
        return Finding("neutral_earth", "Neutral to earth", value, "ohm", at=where, doubts=(doubt,))
    return finding_of("neutral_earth", "Neutral to earth", "ohm", [point], ["stage_resistance"],
                      alone("stage_resistance"), "bonded inside", where, doubts_of=lambda _p, _q: [])  # fmt: skip
