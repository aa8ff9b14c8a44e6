"""All outputs together beyond what the unit may give: by settings, each judged before the next.

What lets go first may be any of them, and what it does then is seen in the log of each output alone; here is told how
much all gave together, whose volts went first, and whether all came back.
"""

from __future__ import annotations

import math
from collections.abc import Generator, Sequence
from dataclasses import replace

from zincsmith.analysis.uncertainty import Values
from zincsmith.model.actions import Action, Dwell, Measure, Measured, Note, Outcome, Stage, Stop
from zincsmith.model.address import at_port
from zincsmith.model.finding import Doubt, Finding
from zincsmith.model.operating_point import Feed, OperatingPoint
from zincsmith.model.plan import Line
from zincsmith.model.port import output_ports
from zincsmith.model.reading import Evidence, Point
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.base import Context, Steps
from zincsmith.procedures.beginning import BACK, POLL_S
from zincsmith.procedures.finding_of import finding_of, unlooked, with_parts
from zincsmith.procedures.overcurrent.options import OvercurrentOptions
from zincsmith.procedures.overcurrent.share import HOLDS, RATED, RELEASED, beyond
from zincsmith.procedures.ports import at_load, draw, everywhere, idle, ramp

SHARE = "together_percent"  # stated with a point: of what the plate allows them together
Read = Generator[Action, Outcome, Point | None]


def together(ctx: Context, options: OvercurrentOptions, line: Line) -> Steps:
    """At one line: up to the first step at which an output lets go, that interval halved once, all of it left again."""
    good, bad = RATED, math.inf
    steps = [RATED + options.step_percent * n for n in range(1, _count(options) + 1)]
    while steps:
        went = yield from _trial(ctx, options, line, steps)
        held = [share for share, stood in went if stood]
        good, first = max([good, *held]), next((share for share, stood in went if not stood), None)
        if first is None and math.isinf(bad):
            return
        bad = min(bad, first if first is not None else bad)
        steps = [0.5 * (good + bad)] if bad - good > options.resolution_percent else []


def _count(options: OvercurrentOptions) -> int:
    return math.floor((options.ceiling_percent - RATED) / options.step_percent + 1e-9)


def _trial(
    ctx: Context, options: OvercurrentOptions, line: Line, steps: Sequence[float]
) -> Generator[Action, Outcome, list[tuple[float, bool]]]:
    """The shares that were asked for, each with whether all outputs stood."""
    yield Stage("Overcurrent, all outputs together", f"{line.words}, to {steps[-1]:.4g} % of what they may give")
    yield from ramp(ctx)
    yield Dwell(options.step_s, "at their rating", period_s=POLL_S)
    before = yield from _read(ctx, line, RATED)
    if not _all_stand(before, ctx, BACK):
        yield Stop(f"it does not carry what it may give together at {line.words}: nothing beyond that is asked of it")
    went: list[tuple[float, bool]] = []
    for n, share in enumerate(steps):
        for port in ctx.outputs:
            yield beyond(ctx, share, port, options.ceiling_percent, None)
        yield Dwell(options.step_s, "do all of them hold?", period_s=POLL_S)
        stood = _all_stand((yield from _read(ctx, line, share)), ctx, HOLDS)
        went.append((share, stood))
        if not stood:
            break
        left = f"next {steps[n + 1]:.4g} %" if n + 1 < len(steps) else "no further"
        yield Note(f"all hold {share:.4g} % together; {left}")
    yield from draw(ctx, RELEASED)
    yield Dwell(options.recover_s, "do all come back?", period_s=POLL_S)
    if not _all_stand((yield from _read(ctx, line, RELEASED)), ctx, BACK):
        yield from idle(ctx)
        yield Dwell(options.recover_s, "do all come back unloaded?", period_s=POLL_S)
        if not _all_stand((yield from _read(ctx, line, 0.0)), ctx, BACK):
            yield Stop("not every output came back after all had been overloaded together: released, unloaded")
    yield Dwell(options.rest_s, "rests")
    return went


def _read(ctx: Context, line: Line, share: float) -> Read:
    names = everywhere(ctx, ("output_voltage", "output_current"))
    at = replace(at_load(ctx, line, min(share, RATED)), stated=((SHARE, share),))
    answer = yield Measure(tuple(n for n in names if n in ctx.measured), 1.0, at, from_zero=True)
    return answer.point if isinstance(answer, Measured) else None


def _all_stand(point: Point | None, ctx: Context, share: float) -> bool:
    return point is not None and not _gone(point, ctx.volts, share)


def _gone(point: Point, volts: dict[str, float], share: float) -> list[str]:
    """The outputs that do not have this share of their volts."""
    found = []
    for port, nominal in volts.items():
        reading = point.get(at_port("output_voltage", port))
        if reading is None or reading.value is None or reading.value / nominal < share:
            found.append(port)
    return found


def findings_together(evidence: Evidence, plate: Nameplate) -> list[Finding]:
    """By line the most that all gave together, and which let go first."""
    found: list[Finding] = []
    volts = {p: o.voltage_V for p, o in zip(output_ports(plate), plate.outputs, strict=False)}
    lines: dict[tuple[float | None, float | None], list[Point]] = {}
    for point in evidence.points:
        if (point.at.fact(SHARE) or 0.0) >= RATED:
            lines.setdefault(point.at.line, []).append(point)
    for line, points in lines.items():
        gone = [(p, out) for p in points if (out := _gone(p, volts, HOLDS))]
        least = min((p.at.fact(SHARE) or 0.0 for p, _ in gone), default=math.inf)
        held = [p for p in points if (p.at.fact(SHARE) or 0.0) < least and not _gone(p, volts, HOLDS)]
        if held:
            found.append(_most(max(held, key=lambda p: p.at.fact(SHARE) or 0.0), gone, least, volts, line))
    return found


def _most(
    best: Point, gone: Sequence[tuple[Point, list[str]]], least: float, volts: dict[str, float],
    line: tuple[float | None, float | None],
) -> Finding:  # fmt: skip
    pairs = [(at_port("output_voltage", p), at_port("output_current", p)) for p in volts]

    def watts(v: Values) -> float:
        return sum(abs(float(v[volt][0] * v[amp][0])) for volt, amp in pairs)

    share = best.at.fact(SHARE) or RATED
    first = next((out for p, out in gone if p.at.fact(SHARE) == least), [])
    words = f"sum of V I at {share:.4g} % of what they may give together; " + (
        f"at {least:.4g} % {' and '.join(first)} let go" if first else "none let go"
    )
    made = finding_of("combined_overload", "Most that all outputs gave together", "W", [best],
                      [name for pair in pairs for name in pair], watts, words, OperatingPoint((Feed(*line),)),
                      doubts_of=lambda _p, _q: [])  # fmt: skip
    if not first:
        text = f"All held {share:.4g} % together, the ceiling of the plan. Whether they are limited above is not seen."
        return replace(made, doubts=(*made.doubts, Doubt("no_limit_seen", text, "A higher ceiling.")))
    return with_parts(made, unlooked(made.number * (least / share - 1.0), "between what held and what did not"))
