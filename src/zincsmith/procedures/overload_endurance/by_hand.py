"""Overload endurance by hand: somebody stays with it, and types the meters each time that it is asked for.

Between two looks nobody knew: that is what the times are uncertain by. The look that is due is asked for aloud.
"""

from __future__ import annotations

from collections.abc import Generator, Sequence
from dataclasses import replace

from zincsmith.model.actions import Action, Dwell, Measure, Measured, Outcome, Stage, Stop
from zincsmith.model.address import at_port
from zincsmith.model.finding import Finding, Working
from zincsmith.model.operating_point import Draw, Feed, OperatingPoint
from zincsmith.model.plan import Line
from zincsmith.model.quantities import QUANTITIES
from zincsmith.model.reading import Evidence, Point
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.base import Context, Steps
from zincsmith.procedures.beginning import BACK
from zincsmith.procedures.finding_of import finding_of, unlooked, with_parts
from zincsmith.procedures.overcurrent.share import HOLDS, RATED, RELEASED, beyond
from zincsmith.procedures.overload_endurance.options import EnduranceOptions
from zincsmith.procedures.ports import at_load, draw, ramp

LOOK = "look"  # stated with a point: when it was read
RATED_LOOK, OVER_LOOK, COOL_LOOK = 0.0, 1.0, 2.0
LOOKS, LEAST_S, MOST_S = 12, 10.0, 120.0  # of an overload, so far apart
HEAT = ("case_temperature", "spot_temperature")
Read = Generator[Action, Outcome, Point | None]


def overloaded_by_hand(ctx: Context, options: EnduranceOptions, line: Line, port: str, percent: float) -> Steps:
    """One overload, looked at until it lets go or its minutes are over; then half the rated load until it is back."""
    seconds = 60.0 * options.minutes
    every = min(MOST_S, max(LEAST_S, seconds / LOOKS))
    yield Stage(
        "Endurance", f"{line.words}, {f'{port}, ' if port else ''}{percent:g} %, {options.minutes:g} min at most"
    )
    yield from ramp(ctx)
    before = yield from _look(ctx, line, port, RATED, RATED_LOOK, percent)
    if not _stands(before, ctx, port, BACK):
        yield Stop(f"it does not carry its rating at {line.words}: nothing beyond that is asked of it")
    yield beyond(ctx, percent, port, max(options.loads_percent))
    began = now = before.bench_s if before is not None else 0.0
    stands = True
    while stands and (left := seconds - (now - began)) > 1.0:  # typing takes its time too
        wait = min(every, left)
        yield Dwell(wait, f"{percent:g} %: stay with it; the next look in {wait:.0f} s")
        point = yield from _look(ctx, line, port, percent, OVER_LOOK, percent)
        now = max(now + wait, point.bench_s if point is not None else 0.0)
        stands = _stands(point, ctx, port, HOLDS)
    yield from draw(ctx, RELEASED)
    for _ in range(max(1, round(60.0 * options.cools_min / every))):
        yield Dwell(every, f"cools, comes back? The next look in {every:.0f} s")
        if _stands((yield from _look(ctx, line, port, RELEASED, COOL_LOOK, percent)), ctx, port, BACK):
            return
    yield Stop(f"it did not come back from {percent:g} % within {options.cools_min:g} min of half its rated load")


def _look(ctx: Context, line: Line, port: str, share: float, look: float, percent: float) -> Read:
    names = [at_port("output_voltage", port), at_port("output_current", port)]
    names += sorted(q for q in ctx.measured if QUANTITIES[q].kind == "temperature")
    at = replace(at_load(ctx, line, min(share, RATED)), stated=((LOOK, look), ("overload_percent", percent)))
    wanted = tuple(n for n in names if n in ctx.measured)
    answer = yield Measure(wanted, 1.0, at.with_draw(share_percent=share), from_zero=True)
    return answer.point if isinstance(answer, Measured) else None


def _volts(point: Point | None, port: str) -> float | None:
    reading = point.get(at_port("output_voltage", port)) if point is not None else None
    return abs(reading.value) if reading is not None and reading.value is not None else None


def _stands(point: Point | None, ctx: Context, port: str, share: float) -> bool:
    volts = _volts(point, port)
    return volts is not None and volts >= share * abs(ctx.volts[port])


# Figures


def endurance_by_hand(evidence: Evidence, plate: Nameplate) -> list[Finding]:
    """By line, output and overload how long it was stood, how hot it got, and when it was back."""
    groups: dict[tuple[object, ...], list[Point]] = {}
    for point in evidence.points:
        if point.at.fact(LOOK) is not None:
            key = point.at.line, point.at.draw.port, point.at.fact("overload_percent")
            groups.setdefault(key, []).append(point)
    return [f for (_, port, percent), points in groups.items()
            for f in _of_one(points, str(port), float(str(percent)), plate)]  # fmt: skip


def _of_one(points: Sequence[Point], port: str, percent: float, plate: Nameplate) -> list[Finding]:
    nominal = next((abs(o.voltage_V) for o in plate.outputs if o.name == port), abs(plate.output.voltage_V))
    over = [p for p in points if p.at.fact(LOOK) == OVER_LOOK]
    if not over:
        return []
    at = OperatingPoint((Feed(*points[0].at.line),), (Draw(percent, port=port),))
    began = next((p.bench_s for p in points if p.at.fact(LOOK) == RATED_LOOK), over[0].bench_s)
    held = [p for p in over if (v := _volts(p, port)) is not None and v >= HOLDS * nominal]
    gone = [p for p in over if p not in held]
    last = held[-1].bench_s if held else began
    shut = gone[0].bench_s if gone else None
    name, title = ("overload_held", "Overload that it held") if shut is None else (
        "overload_endurance", "Overload until it shut down")  # fmt: skip
    until = last if shut is None else 0.5 * (last + shut)
    found = [_time(name, title, until - began, 0.5 * ((shut or last) - last), at, over, port)]
    cool = [p for p in points if p.at.fact(LOOK) == COOL_LOOK]
    back = next((p for p in cool if (v := _volts(p, port)) is not None and v >= BACK * nominal), None)
    if shut is not None and back is not None:
        before = max([p.bench_s for p in cool if p.bench_s < back.bench_s], default=shut)
        middle = 0.5 * (before + back.bench_s)
        gap = 0.5 * (back.bench_s - before)
        found.append(_time("overload_restart", "Back after the shutdown", middle - shut, gap, at, cool, port))
    return [*found, *_hottest(over, at, port)]


def _time(
    name: str, title: str, seconds: float, half_gap: float, at: OperatingPoint, rows: Sequence[Point], port: str
) -> Finding:  # fmt: skip
    """A time between looks: from the one that saw it still so to the one that did not."""
    looks = tuple({"point": p.number, "s": p.bench_s, "V": _volts(p, port)} for p in rows)
    working = Working("the middle between two looks", ("s", "V"), looks, "typed, look by look")
    made = Finding(name, title, seconds, "s", u=0.0, k=2.0, at=at, output=port, working=working)
    return with_parts(made, unlooked(half_gap, "between two looks")) if half_gap else replace(made, u=0.5)


def _hottest(over: Sequence[Point], at: OperatingPoint, port: str) -> list[Finding]:
    """By place the hottest that was read while the overload stood."""
    places = dict.fromkeys(r.address for p in over for r in p.readings if r.quantity in HEAT and r.value is not None)
    found = []
    for place in places:
        rows = [p for p in over if (r := p.get(place)) is not None and r.value is not None]
        best = max(rows, key=lambda p: p.need(place).number)
        made = finding_of("overload_hottest", f"{QUANTITIES[place].words}, hottest in the overload", "degC", [best],
                          [place], lambda v, place=place: float(v[place][0]), "as read", at,  # type: ignore[misc]
                          doubts_of=lambda _p, _q: [])  # fmt: skip
        found.append(replace(made, output=port))
    return found
