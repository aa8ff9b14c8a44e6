"""What a step of one output's load does to the others, from records that show them together."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from zincsmith.analysis.uncertainty import factor_of
from zincsmith.model.capture import Capture
from zincsmith.model.finding import Contribution, Doubt, Finding, Working
from zincsmith.model.reading import Evidence, Point
from zincsmith.procedures.waveforms.findings import LIMITS, UNKNOWN, recorded, traces_from
from zincsmith.procedures.waveforms.traces import Traces, combined, errors_of

AHEAD = 0.8  # of what comes before the trigger: there the volts stand
LEAST_AHEAD = 64  # samples: with fewer nobody knows where they stood
STANDS_OUT, RIDES = 0.5, 0.1  # of what rides on the volts anyway; house convention
VOLTS = "output_voltage"


def stepped_port(capture: Capture) -> str:
    """The output whose load was stepped: its volts are the first channel."""
    return next((c.port for c in capture.channels if c.quantity == VOLTS), "")


def cross_dips(evidence: Evidence, name: str) -> list[Finding]:
    """By place, stepped output and other output the furthest that its volts went from where they stood; of several
    records the worst."""
    worst: dict[tuple[object, ...], Finding] = {}
    for point in evidence.captured_for(name).points:
        for capture in point.captures:
            stepped = stepped_port(capture)
            for channel in capture.channels if capture.before >= LEAST_AHEAD else ():
                if channel.quantity == VOLTS and channel.port != stepped and evidence.traces is not None:
                    traces = traces_from(capture, evidence.traces, channel.port)
                    one = _of(point, capture, traces, stepped, channel.port)
                    key = (one.at, stepped, channel.port)
                    before = worst.get(key)
                    if before is None or (one.value or 0.0) > (before.value or 0.0):
                        worst[key] = one
    return list(worst.values())


def _furthest(traces: Traces, before: int) -> tuple[float, float]:
    """(how far the volts leave where they stood before, beyond what rides on them anyway; what rides on them), V. What
    rides on them is what the record shows ahead of the step."""
    values = traces.values(VOLTS)
    quiet, after = values[: int(AHEAD * before)], values[before:]
    stood = float(np.mean(quiet))
    below, above = stood - float(np.min(quiet)), float(np.max(quiet)) - stood
    down, up = stood - float(np.min(after)) - below, float(np.max(after)) - stood - above
    return max(0.0, down, up), max(below, above)


def _of(point: Point, capture: Capture, traces: Traces, stepped: str, port: str) -> Finding:
    value, riding = _furthest(traces, capture.before)
    doubts: tuple[Doubt, ...] = () if traces.known else (UNKNOWN,)
    if value < STANDS_OUT * riding:
        text = f"The step of {stepped} hardly stands out of what rides on {port} anyway, {1e3 * riding:.3g} mV."
        doubts = (*doubts, Doubt("noise_floor_dominates", text, "Limit the bandwidth, or step further."))
    effects = errors_of(lambda moved: {"dip": _furthest(moved, capture.before)[0]}, traces, {"dip": value})["dip"]
    effects = {**effects, "what rides on it is not the same each time": RIDES * riding}
    parts = tuple(
        Contribution(f"{capture.instrument} {source}", effect, source.endswith(LIMITS),
                     rectangular=source.endswith(LIMITS))
        for source, effect in effects.items()
    )  # fmt: skip
    row = {"point": point.number, "value": value, **recorded(capture), "readings": []}
    return Finding(
        "cross_dip", f"Dip or rise of {port} at a load step of {stepped}", value, "V",
        combined(effects) if traces.known else None, factor_of(parts, None) if traces.known else None,
        at=replace(point.at.at_place, configuration=point.at.configuration),
        working=Working("furthest from where it stood before, less what rides on it anyway", ("value",), (row,)),
        contributions=parts, doubts=doubts, output=port,
    )  # fmt: skip
