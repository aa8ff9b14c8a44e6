"""What is not known of hold-up between the phases that were tried."""

from __future__ import annotations

import math
from collections.abc import Collection, Sequence
from dataclasses import replace

import numpy as np

from zincsmith.analysis.uncertainty import factor_of
from zincsmith.model.finding import Contribution, Doubt, Finding
from zincsmith.procedures.waveforms.findings import Seen, line_Hz

HALF_DEG = 180.0  # a rectifier of both half waves cannot tell them apart
LEAST_PHASES = 4  # fewer say nothing of what lies between them
APART_DEG = 5.0  # nearer to each other two phases are one
OFF_DEG = 20.0  # from what was asked for: a capacitor across the input makes some of it; common practice, no source
ASKED = "asked phase"
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
    finding = _as_asked(finding, seen)
    count = _apart(tried)
    if count < LEAST_PHASES:
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


def _apart(tried: Collection[float]) -> int:
    """How many phases of half a period stand apart from each other."""
    if not tried:
        return 0
    places = np.sort(np.array(list(tried)))
    gaps = np.diff(np.append(places, places[0] + HALF_DEG))
    return max(1, int(np.sum(gaps > APART_DEG)))


def _as_asked(finding: Finding, seen: Sequence[Seen]) -> Finding:
    """With a doubt where the source says that it takes a phase, and the records show that it does not."""
    off = [
        abs((float(asked) - phase + HALF_DEG / 2.0) % HALF_DEG - HALF_DEG / 2.0)
        for one in seen
        if (asked := one.capture.said.get(ASKED)) is not None
        and isinstance(phase := one.worked.told.get("phase_deg"), float)
    ]
    if not off or sum(o > OFF_DEG for o in off) <= len(off) // 2:
        return finding
    doubt = Doubt(
        "phase_not_taken",
        f"The source took the phases it was told and switched elsewhere: half of them {np.median(off):.0f} degrees off "
        "and more.",
        "See whether its phase is counted otherwise, or state at Rig that it cannot be told one.",
    )
    return replace(finding, doubts=(*finding.doubts, doubt))
