"""Doubts of one figure that have one cause are one doubt."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from zincsmith.model.finding import Doubt, Judged

# What one cause shows itself by, what tells most of it first.
CAUSES = (
    ("below_range_floor", "reading_below_floor"),
    ("phase_error", "phase_error_unstated", "low_power_factor"),
    ("source_sags", "source_out_of_tolerance"),
    ("step_hides_change", "few_counts"),
    ("watts_above_apparent", "power_factor_above_one", "figures_contradict"),
    ("tap_burden", "tap_unstated"),
)


def with_one_cause(judged: Judged) -> Judged:
    """The same with each cause told once: the doubt that tells most of it, with how many more points show it."""
    doubts = one_each(judged.finding.doubts)
    if len(doubts) == len(judged.finding.doubts):
        return judged
    return replace(judged, finding=replace(judged.finding, doubts=doubts))


def one_each(doubts: Sequence[Doubt]) -> tuple[Doubt, ...]:
    there = {d.code for d in doubts}
    beside = {code for cause in CAUSES if (seen := [c for c in cause if c in there]) for code in seen[1:]}
    out: dict[str, Doubt] = {}
    more: dict[str, int] = {}
    for doubt in dict.fromkeys(doubts):
        if doubt.code in beside:
            continue
        if doubt.code in out and doubt != out[doubt.code] and doubt.remedy == out[doubt.code].remedy:
            more[doubt.code] = more.get(doubt.code, 0) + 1
        elif doubt.code not in out:
            out[doubt.code] = doubt
        else:
            out[f"{doubt.code} {len(out)}"] = doubt
    return tuple(
        replace(d, text=f"{d.text} So at {more[key]} more point{'s' if more[key] > 1 else ''}.") if key in more else d
        for key, d in out.items()
    )
