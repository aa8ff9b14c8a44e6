"""What is not known of hold-up between the phases that were tried."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

from zincsmith.analysis.uncertainty import factor_of
from zincsmith.model.finding import Contribution, Doubt, Finding
from zincsmith.procedures.waveform_findings import Seen, line_Hz

HALF_DEG = 180.0  # a rectifier of both half waves cannot tell them apart
LEAST_PHASES = 4  # fewer say nothing of what lies between them
SOURCE = "phases between those tried (one-sided)"


def with_gap(finding: Finding, seen: Sequence[Seen]) -> Finding:
    """The least hold-up, with how much less it may be at a phase between the worst that was tried and its neighbours.

    The later after a crest the input goes, the less is stored, a second for a second, until the next crest refills: at
    most by the time to the next phase that was tried is it less. That lies on one side; its standard uncertainty about
    the value as measured is the distance over the square root of 3. With fewer than four phases a doubt says so.
    """
    hertz = line_Hz(finding.at) if finding.at.feeds else None
    if finding.value is None or hertz is None:
        return finding
    tried: dict[float, float] = {}
    for one in seen:
        phase = one.worked.told.get("phase_deg")
        value = next((n.figure.value for n in one.worked.named if n.name == finding.name), None)
        if isinstance(phase, float) and value is not None:
            tried[phase % HALF_DEG] = value
    if len(tried) < LEAST_PHASES:
        count = len(tried)
        phases = f"{count} phase{'s' * (count > 1)} of the mains" if count else "a phase of the mains that nobody knows"
        text = (
            f"Tried at {phases}; at another the input may find up to {500.0 / hertz:.3g} ms less stored, half a period."
        )
        doubt = Doubt("phases_not_searched", text, "Try four phases or more, closer around the worst.")
        return replace(finding, doubts=(*finding.doubts, doubt))
    worst = min(tried, key=lambda phase: tried[phase])
    later = min((phase - worst) % HALF_DEG for phase in tried if phase != worst)
    gap_s = later / 360.0 / hertz
    if finding.u is None:
        return finding
    parts = (*finding.contributions, Contribution(SOURCE, gap_s / math.sqrt(3.0), False, rectangular=True))
    u = math.hypot(*(c.effect for c in parts))
    note = f"{finding.working.note}; worst at {worst:.0f} degrees of {len(tried)} phases tried, the next {later:.3g} on"
    working = replace(finding.working, note=note.strip("; "))
    return replace(finding, contributions=parts, u=u, k=factor_of(parts, None), working=working)
