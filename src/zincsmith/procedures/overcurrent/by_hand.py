"""Overcurrent by hand: short steps with what was read judged at once, and a stopwatch for what happens then.

What a trip does is over before anybody types it; what stands afterwards is not. It is told apart by what can be read
off plain meters: amps and volts while the overload stands, whether it starts again, and how it is brought back.
"""

from __future__ import annotations

import math
from collections.abc import Generator, Sequence
from dataclasses import replace

from zincsmith.analysis.uncertainty import Values
from zincsmith.model.actions import Action, Dwell, Measure, Measured, Note, Outcome, SetSource, Stage, Stop
from zincsmith.model.address import at_port
from zincsmith.model.finding import Doubt, Finding
from zincsmith.model.operating_point import Draw, Feed, OperatingPoint
from zincsmith.model.plan import Line
from zincsmith.model.quantities import AWAY, STARTS
from zincsmith.model.reading import Evidence, Point
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.base import Context, Curves, Steps
from zincsmith.procedures.beginning import COMES_UP_S
from zincsmith.procedures.finding_of import finding_of, unlooked, with_parts
from zincsmith.procedures.overcurrent.options import OvercurrentOptions
from zincsmith.procedures.overcurrent.share import HOLDS, RATED, RELEASED, beyond, told_its_user
from zincsmith.procedures.ports import at_load, draw, emptied, idle, ramp

SEEN, TRIAL = "seen", "trial"  # stated with a point: which moment of which trial it was read at
BEFORE, STEP, STANDS, RELEASED_POINT, UNLOADED, CYCLED = 0.0, 1.0, 2.0, 3.0, 4.0, 5.0
OFF, SAME, BACK = 0.05, 0.1, 0.9  # of nominal; of the limit: so near is the same amps; of nominal
Read = Generator[Action, Outcome, Point | None]


def steps_by_hand(ctx: Context, options: OvercurrentOptions, line: Line, port: str) -> Steps:
    """At one line and output: up to the first step that does not hold, then to that step again as often as wanted."""
    shares = [RATED + options.step_percent * n for n in range(1, _count(options) + 1)]
    for trial in range(1, options.repeats + 1):
        reached = yield from _trial(ctx, options, line, port, shares, trial)
        if reached is None:
            return  # it held all of them: once is enough
        if trial == 1:
            yield from told_its_user(ctx, line)
        shares = [reached]
        yield Dwell(options.rest_s, "rests")


def _count(options: OvercurrentOptions) -> int:
    return math.floor((options.ceiling_percent - RATED) / options.step_percent + 1e-9)


def _trial(
    ctx: Context, options: OvercurrentOptions, line: Line, port: str, shares: Sequence[float], trial: int
) -> Generator[Action, Outcome, float | None]:
    """The step that it did not hold; None where it held them all."""
    yield Stage("Overcurrent", f"{line.words}, {f'{port}, ' if port else ''}trial {trial}, to {shares[-1]:.4g} %")
    yield from ramp(ctx)
    before = yield from _read(ctx, line, port, RATED, BEFORE, trial)
    held = _volts(before, port)
    if held is None or abs(held) < BACK * abs(ctx.volts[port]):
        yield Note("it let go on the way to its rating")
        yield from _stands(ctx, options, line, port, RATED, trial)
        return RATED
    for n, share in enumerate(shares):
        after = shares[n + 1] if n + 1 < len(shares) else None
        yield beyond(ctx, share, port, options.ceiling_percent, after)
        yield Dwell(options.step_s, "does it hold?")
        point = yield from _read(ctx, line, port, share, STEP, trial)
        volts = _volts(point, port)
        if volts is None or abs(volts) < HOLDS * abs(held):
            yield from _stands(ctx, options, line, port, share, trial)
            return share
        left = f"next {after:.4g} %" if after is not None else "the ceiling of the plan"
        yield Note(f"holds {share:.4g} %: {abs(volts):.4g} V, {100.0 * abs(volts / held):.3g} % of before; {left}")
    yield from draw(ctx, RELEASED)
    return None


def _stands(ctx: Context, options: OvercurrentOptions, line: Line, port: str, share: float, trial: int) -> Steps:
    """What stands while the overload does, and what brings it back: released, unloaded, its input cycled."""
    yield Dwell(options.observe_s, "watch it: does it stay off, or start again?")
    yield from _read(ctx, line, port, share, STANDS, trial, STARTS)
    yield from draw(ctx, RELEASED)
    yield Dwell(options.recover_s, "does it come back?")
    if (yield from _back(ctx, line, port, RELEASED_POINT, trial)):
        return
    yield from idle(ctx)
    yield Dwell(options.recover_s, "does it come back unloaded?")
    if (yield from _back(ctx, line, port, UNLOADED, trial)):
        return
    yield from emptied(ctx, line.frequency_Hz)
    yield SetSource(line.voltage_V, line.frequency_Hz, True)
    yield Dwell(COMES_UP_S, "output comes up")
    if not (yield from _back(ctx, line, port, CYCLED, trial)):
        whose = f"the output {port}" if port else "the output"
        yield Stop(f"{whose} did not come back after trial {trial}: released, unloaded, its input cycled")


def _back(ctx: Context, line: Line, port: str, seen: float, trial: int) -> Generator[Action, Outcome, bool]:
    point = yield from _read(ctx, line, port, RELEASED, seen, trial, AWAY if seen == RELEASED_POINT else "")
    volts = _volts(point, port)
    return volts is not None and abs(volts) >= BACK * abs(ctx.volts[port])


def _read(ctx: Context, line: Line, port: str, share: float, seen: float, trial: int, timed: str = "") -> Read:
    names = [at_port("output_voltage", port), at_port("output_current", port)]
    names += [at_port("timed", timed)] if timed and at_port("timed", timed) in ctx.measured else []
    at = replace(at_load(ctx, line, min(share, RATED)), stated=((SEEN, seen), (TRIAL, float(trial))))
    answer = yield Measure(
        tuple(n for n in names if n in ctx.measured), 1.0, at.with_draw(share_percent=share), from_zero=True
    )
    return answer.point if isinstance(answer, Measured) else None


def _volts(point: Point | None, port: str) -> float | None:
    reading = point.get(at_port("output_voltage", port)) if point is not None else None
    return reading.value if reading is not None else None


# Figures


def findings_by_hand(evidence: Evidence, plate: Nameplate) -> list[Finding]:
    """By line and output the greatest amps that held, the volts just before, what it did then and how it came back."""
    found: list[Finding] = []
    groups: dict[tuple[object, ...], list[Point]] = {}
    for point in evidence.points:
        if point.at.fact(SEEN) is not None:
            groups.setdefault((point.at.line, point.at.draw.port), []).append(point)
    for (_, port), points in groups.items():
        found += _of_an_output(points, str(port), plate)
    return found


def _of_an_output(points: Sequence[Point], port: str, plate: Nameplate) -> list[Finding]:
    volts_at, amps_at = at_port("output_voltage", port), at_port("output_current", port)
    held = [p for p in points if p.at.fact(SEEN) in (BEFORE, STEP) and _holds(p, points, port)]
    gone = [p for p in points if p.at.fact(SEEN) == STANDS]
    read = [p for p in held if (r := p.get(amps_at)) is not None and r.value is not None]
    at = OperatingPoint((Feed(*points[0].at.line),), (Draw(port=port),) if port else ())
    if not read:
        return []
    best = max(read, key=lambda p: abs(p.need(amps_at).number))
    if not gone:
        text = f"It held all that was asked for, up to {abs(best.need(amps_at).number):.4g} A."
        doubt = Doubt("no_limit_seen", f"{text} Whether it is limited above is not seen.", "A higher ceiling.")
        told = finding_of("highest_overload", "Highest overload applied", "A", [best], [amps_at],
                          lambda v: float(abs(v[amps_at][0])), "none", at, doubts_of=lambda _p, _q: [])  # fmt: skip
        return [replace(told, output=port, doubts=(*told.doubts, doubt))]
    limit = abs(best.need(amps_at).number)
    did = list(dict.fromkeys(_did(p, limit, volts_at, amps_at, port, plate, points) for p in gone))
    words = f"{'; then '.join(did)}; the greatest that held in {len(gone)} trials, typed step by step"
    let_go = [p.at.load_percent for p in gone]
    above = [share for share in let_go if share > best.at.load_percent]
    gap = limit * (min(above) / best.at.load_percent - 1.0) if above else 0.0
    limit_of = finding_of("overcurrent", "Overcurrent limit", "A", [best], [amps_at],
                          lambda v: float(abs(v[amps_at][0])), words, at, _recovery(points, port, plate),
                          doubts_of=lambda _p, _q: [])  # fmt: skip
    if gap:
        limit_of = with_parts(limit_of, unlooked(gap, "between the last that held and the first that did not"))
    if len(above) < len(let_go):
        text = f"It held {best.at.load_percent:.4g} % in one trial and let go at {min(let_go):.4g} % in another."
        differ = Doubt("trials_differ", text, "Rest longer between them: a warm unit may do something else.")
        limit_of = replace(limit_of, doubts=(*limit_of.doubts, differ))
    before = finding_of("voltage_before_trip", "Output volts just before", "V", [best], [volts_at],
                        lambda v: float(abs(v[volts_at][0])), words, at, doubts_of=lambda _p, _q: [])  # fmt: skip
    found = [replace(one, output=port) for one in (limit_of, before)]
    for name, title, what in (("hiccup_period", "Hiccup, from start to start", STARTS),
                              ("overload_recovery", "Recovery", AWAY)):  # fmt: skip
        key = at_port("timed", what)
        timed = [p for p in points if (r := p.get(key)) is not None and r.value]
        if timed:
            one = finding_of(name, title, "s", timed[:1], [key], _first, "by the stopwatch", at,
                             doubts_of=lambda _p, _q: [])  # fmt: skip
            found.append(replace(one, output=port))
    return found


def _first(columns: Values) -> float:
    return float(next(iter(columns.values()))[0])


def typed_paths(evidence: Evidence) -> list[Curves]:
    """Volts over amps as they were typed, by trial."""
    lines: dict[str, list[tuple[float, float]]] = {}
    for point in evidence.points:
        volts, amps = (point.get(at_port(q, point.at.draw.port)) for q in ("output_voltage", "output_current"))
        if point.at.fact(SEEN) not in (BEFORE, STEP, STANDS) or volts is None or amps is None:
            continue
        if volts.value is not None and amps.value is not None:
            name = f"{point.at.line_V:g} V, trial {point.at.fact(TRIAL):g}"
            lines.setdefault(name, []).append((abs(amps.value), abs(volts.value)))
    drawn = tuple((name, [x for x, _ in rows], [y for _, y in rows]) for name, rows in lines.items())
    return [Curves("V-I path as it was typed", "output", "A", "output volts", "V", "voltage", drawn)] if drawn else []


def _holds(point: Point, points: Sequence[Point], port: str) -> bool:
    """Whether its volts stood at 95 % of those of its own trial at the rated load."""
    trial = point.at.fact(TRIAL)
    before = next((p for p in points if p.at.fact(SEEN) == BEFORE and p.at.fact(TRIAL) == trial), None)
    was, now = _volts(before, port), _volts(point, port)
    return was is not None and now is not None and abs(now) >= HOLDS * abs(was)


def _did(
    point: Point, limit: float, volts_at: str, amps_at: str, port: str, plate: Nameplate, points: Sequence[Point]
) -> str:  # fmt: skip
    """The behaviour by name, from what stood while the overload did; it starts again where somebody timed that."""
    timed = point.get(at_port("timed", STARTS))
    if timed is not None and timed.value:
        return "hiccup"
    volts, amps = (r.value if (r := point.get(name)) is not None else None for name in (volts_at, amps_at))
    nominal = next((abs(o.voltage_V) for o in plate.outputs if o.name == port), abs(plate.output.voltage_V))
    if amps is not None and abs(amps) >= (1.0 - SAME) * limit:
        return "constant-current"
    if volts is not None and amps is not None and abs(amps) > OFF * limit and abs(volts) > OFF * nominal:
        return "foldback"
    cycled = any(p.at.fact(SEEN) == CYCLED and p.at.fact(TRIAL) == point.at.fact(TRIAL) for p in points)
    return "latching" if cycled else "shutdown-auto-recovery"


def _recovery(points: Sequence[Point], port: str, plate: Nameplate) -> str:
    nominal = next((abs(o.voltage_V) for o in plate.outputs if o.name == port), abs(plate.output.voltage_V))
    back = {p.at.fact(SEEN) for p in points if (v := _volts(p, port)) is not None and abs(v) >= BACK * nominal}
    if CYCLED in back:
        return "recovery input-cycle"
    return "recovery automatic" if back & {RELEASED_POINT, UNLOADED} else "recovery none-seen"
