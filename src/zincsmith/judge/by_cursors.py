"""Figures that a person reads off a capture with two cursors: findings of their own, beside the program's."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from zincsmith.analysis.uncertainty import factor_of
from zincsmith.model.address import port_of
from zincsmith.model.capture import ByCursors, Capture, CaptureChannel, Cursors, time_unit
from zincsmith.model.finding import Contribution, Finding, Working
from zincsmith.model.quantities import QUANTITIES
from zincsmith.model.reading import Evidence, Point, Samples
from zincsmith.procedures.waveforms.findings import RECORDED, RECTANGULAR, UNKNOWN, recorded
from zincsmith.procedures.waveforms.traces import combined, scatter_of

BY_CURSORS = "_by_cursors"  # ends the name of such a finding
MEASURES = {"time": "Time between cursors", "change": "Change between cursors", "span": "Span between cursors"}
SHORT = {"time": "time", "change": "change", "span": "least to greatest"}
SHARED = ("gain", "time base")  # with other figures of the same scope
MOST_KNOWN = 256
_KNOWN: dict[tuple[CaptureChannel, float, float, Cursors], tuple[float, dict[str, float]]] = {}


def with_cursors(found: Sequence[Finding], evidence: Evidence) -> list[Finding]:
    """The findings of a part with a person's own after them. BookError where samples are gone."""
    points = {(p.number, p.take): p for p in evidence.points}
    own = []
    for read in evidence.cursors:
        point = points.get((read.cursors.point, read.cursors.take))
        if point is not None and evidence.traces is not None:
            own.append(_finding(read, point, found, evidence.traces))
    return [*found, *own]


def _finding(read: ByCursors, point: Point, found: Sequence[Finding], samples: Samples) -> Finding:
    cursors = read.cursors
    capture = point.captures[cursors.capture]
    channel = capture.channel(cursors.address)
    if channel is None:
        raise ValueError(f"the capture of point {point.number} has no channel {cursors.address!r}")
    value, effects = _read(cursors, capture, channel, samples)
    contributions = tuple(
        Contribution(f"{capture.instrument} {source}", effect, source in SHARED, rectangular=True)
        for source, effect in effects.items()
    )
    known = channel.known or cursors.measure == "time"
    beside = next((f for f in found if f.name == cursors.beside and of_point(f, point)), None)
    title = MEASURES[cursors.measure]
    if beside is not None:
        title = f"{beside.title}, by cursors"
    port = port_of(cursors.address)
    own = point.seen_from(port)
    note = (
        f"{SHORT[cursors.measure]} of {QUANTITIES[channel.quantity].inside} from {_time(cursors.first_s)} to "
        f"{_time(cursors.second_s)}, placed by {read.by}: {cursors.reason}"
    )
    if beside is not None:
        value_words = f"{beside.value:.5g} {beside.unit}" if beside.value is not None else "nothing"
        note += f". The program has {value_words} there"
    row: dict[str, object] = {
        "point": point.number, **own.at.conditions, "value": value, **recorded(capture),
        "capture": cursors.capture, "readings": [],
    }  # fmt: skip
    return Finding(
        f"{beside.name if beside is not None else cursors.measure}{BY_CURSORS}", title, value,
        "s" if cursors.measure == "time" else channel.unit, combined(effects) if known else None,
        factor_of(contributions, None) if known else None, None,
        replace(own.at.at_place, configuration=own.at.configuration),
        Working(note, ("load / %", "value", *RECORDED), (row,)), contributions, () if known else (UNKNOWN,),
        output=port,
    )  # fmt: skip


def of_point(finding: Finding, point: Point) -> bool:
    """Whether a finding was worked out of this point."""
    return any(row.get("point") == point.number for row in finding.working.rows)


def _time(at_s: float) -> str:
    if at_s == 0.0:
        return "the trigger"
    scale, unit = time_unit(at_s)
    return f"{at_s / scale:.5g} {unit}"


def _read(
    cursors: Cursors, capture: Capture, channel: CaptureChannel, samples: Samples
) -> tuple[float, dict[str, float]]:
    """The value, and what one standard uncertainty of each source does to it. A cursor lies anywhere within its grain,
    rectangular, and so do both."""
    key = (channel, capture.step_s, capture.begin_s, cursors)
    if key in _KNOWN:
        return _KNOWN[key]
    apart = cursors.second_s - cursors.first_s
    half = 0.5 * cursors.grain_s
    if cursors.measure == "time":
        value = apart
        effects = {
            "cursors as placed": 2.0**0.5 * half * RECTANGULAR,
            "time base": apart * capture.clock_percent / 100.0 * RECTANGULAR,
        }
    else:

        def at(time_s: float) -> int:
            return min(max(0, round((time_s - capture.begin_s) / capture.step_s)), capture.count - 1)

        first, second = at(cursors.first_s), at(cursors.second_s)
        stretch = samples.read(channel, min(first, second), max(first, second) + 1)
        first_V, second_V = (stretch[0], stretch[-1]) if first <= second else (stretch[-1], stretch[0])
        value = float(second_V - first_V) if cursors.measure == "change" else float(np.ptp(stretch))
        scatter = scatter_of(stretch, channel.quantum)
        effects = {
            "gain": value * channel.reading_percent / 100.0 * RECTANGULAR,
            "noise and steps": 2.0**0.5 * scatter,
        }
        if cursors.measure == "change":  # what the trace does within the grain of a cursor
            moved = [
                float(np.ptp(samples.read(channel, at(t - half), at(t + half) + 1)))
                for t in (cursors.first_s, cursors.second_s)
            ]
            effects["cursors as placed"] = math.hypot(*moved) / 2.0 * RECTANGULAR
    while len(_KNOWN) >= MOST_KNOWN:
        _KNOWN.pop(next(iter(_KNOWN)))
    _KNOWN[key] = value, effects
    return value, effects
