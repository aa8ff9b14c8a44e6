"""What a unit shows by itself: an indicator that lights, a fan that runs, looked at by a person in each state of it."""

from __future__ import annotations

from collections.abc import Generator, Sequence
from dataclasses import replace

from zincsmith.model.actions import Action, Confirm, Dwell, Measure, Noticed, Observe, Outcome, SetSource, Stage
from zincsmith.model.finding import Doubt, Finding, Working
from zincsmith.model.operating_point import Feed, OperatingPoint
from zincsmith.model.plan import Line
from zincsmith.model.reading import Point
from zincsmith.model.unit import Nameplate, Signal
from zincsmith.procedures.base import Context, Steps
from zincsmith.procedures.beginning import feed
from zincsmith.procedures.control_signals.options import FAN, INDICATOR, of_kind
from zincsmith.procedures.ports import at_load, draw, idle, let_fall, ramp

WHICH, SHOWN, GONE = "shown", "it_shows", "input_gone"  # stated with a point
FAN_WAITS_S = 120.0  # at full load, for a fan that heat switches on; common practice, no source
LOOKS_S = 5.0
LOADS = (0.0, 50.0, 100.0)
ASKED = {INDICATOR: ("lit", "is lit"), FAN: ("fan", "runs")}
CAUTION = (
    "It is looked at from where you stand: no hand and no tool goes near a fan or a slot of a unit that is fed.",
)


def shown(ctx: Context, line: Line) -> Steps:
    """At each load, and once the input is gone."""
    signals = of_kind(ctx.nameplate, INDICATOR, FAN)
    if not signals:
        return
    yield Confirm("What it shows", f"Stand where you see {', '.join(s.name for s in signals)}.", CAUTION)
    yield from feed(ctx, "What it shows", line.words, line)
    for load in LOADS:
        if load:
            yield from ramp(ctx, (load,))
        else:
            yield from draw(ctx, load)
        fans = load == LOADS[-1] and any(s.what == FAN for s in signals)
        yield Dwell(FAN_WAITS_S if fans else LOOKS_S, "heat may start a fan" if fans else "it is looked at")
        for number, one in enumerate(signals):
            yield from _look(at_load(ctx, line, load), number, one, f"at {load:g} % load", 0.0)
    yield from idle(ctx)
    yield Stage("What it shows", "its input is gone")
    yield SetSource(line.voltage_V, line.frequency_Hz, False)
    yield from draw(ctx, 10.0)
    yield from let_fall(ctx)
    yield from idle(ctx)
    for number, one in enumerate(signals):
        yield from _look(at_load(ctx, line, 0.0), number, one, "with its input gone and its outputs fallen", 1.0)


def _look(
    at: OperatingPoint, number: int, one: Signal, when: str, gone: float
) -> Generator[Action, Outcome, None]:  # fmt: skip
    """A point that states what was seen; none where nobody looked."""
    name, does = ASKED[one.what]
    answer = yield Observe(f"{one.name} {when}", f"Tick it where {one.name} {does} now.", (name,))
    if isinstance(answer, Noticed) and answer.names is not None:
        stated = ((WHICH, float(number)), (SHOWN, float(name in answer.names)), (GONE, gone))
        yield Measure((), 0.0, replace(at, stated=stated))


def findings_of_shown(points: Sequence[Point], plate: Nameplate) -> list[Finding]:
    """Of an indicator how many of the looks were right: lit while it is fed, dark once it is not. Of a fan the least
    load that it ran at."""
    found = []
    for number, one in enumerate(of_kind(plate, INDICATOR, FAN)):
        rows = [p for p in points if p.at.fact(WHICH) == float(number)]
        if rows:
            found.append((_lit if one.what == INDICATOR else _ran)(one, rows))
    return found


def _saw(point: Point) -> bool:
    return bool(point.at.fact(SHOWN))


def _words(one: Signal, rows: Sequence[Point]) -> str:
    _, does = ASKED[one.what]
    told = [
        f"{'input gone' if p.at.fact(GONE) else f'{p.at.load_percent:g} % load'}: {does if _saw(p) else 'does not'}"
        for p in rows
    ]
    return f"seen by a person; {one.name}, {'; '.join(told)}"


def _where(point: Point) -> OperatingPoint:
    return OperatingPoint((Feed(*point.at.line),))


def _lit(one: Signal, rows: Sequence[Point]) -> Finding:
    right = [_saw(p) is not bool(p.at.fact(GONE)) for p in rows]
    doubts = []
    if any(not _saw(p) and not p.at.fact(GONE) for p in rows):
        doubts.append(Doubt("indicator_dark", f"{one.name} is dark while the unit is fed.",
                            "Who goes by it takes a live unit for a dead one."))  # fmt: skip
    if any(_saw(p) and p.at.fact(GONE) for p in rows):
        doubts.append(Doubt("indicator_lit_without_input", f"{one.name} is lit with the input gone.",
                            "See what still feeds it: something in there is charged."))  # fmt: skip
    return Finding("indicator_right", f"{one.name} tells the state right, of looks", sum(right) / len(right), "1",
                   at=_where(rows[0]), working=Working(_words(one, rows), (), ()), doubts=tuple(doubts))  # fmt: skip


def _ran(one: Signal, rows: Sequence[Point]) -> Finding:
    fed = [p for p in rows if not p.at.fact(GONE)]
    ran = [p.at.load_percent for p in fed if _saw(p)]
    doubts: tuple[Doubt, ...] = ()
    if fed and not ran:
        doubts = (Doubt("fan_stands", f"{one.name} did not run, not at full load for {FAN_WAITS_S:g} s either.",
                        "Switch it off and let it cool; see whether the fan turns freely and is fed."),)  # fmt: skip
    return Finding("fan_runs_from", f"{one.name} runs from, of the load", min(ran) / 100.0 if ran else None, "1",
                   at=_where(rows[0]), working=Working(_words(one, rows), (), ()), doubts=doubts)  # fmt: skip
