"""What of the ripple the probe picked up: told from that of the output by tip and ground at one node."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from zincsmith.model.finding import Doubt, Finding

NAMES = {"ripple": "ripple_pick_up", "ripple_full": "ripple_pick_up", "ripple_rms": "ripple_pick_up_rms"}
NEAR = 10.0 ** (3.0 / 20.0)  # 3 dB


def told_apart(found: Sequence[Finding]) -> list[Finding]:
    """Every figure of ripple with what was picked up at the same output; doubted where that is within 3 dB."""
    picked = {(f.name, f.output): f.value for f in found if f.name in NAMES.values() and f.value is not None}
    return [_beside(f, picked.get((NAMES.get(f.name, ""), f.output))) for f in found]


def _beside(finding: Finding, picked_V: float | None) -> Finding:
    if picked_V is None or finding.value is None:
        return finding
    note = f"{finding.working.note}; tip and ground at one node show {picked_V:.3g} V"
    one = replace(finding, working=replace(finding.working, note=note.strip("; ")))
    if finding.value > NEAR * picked_V:
        return one
    doubt = Doubt(
        "pick_up_dominates",
        f"With tip and ground at one node the probe shows {picked_V:.3g} V, at the output {finding.value:.3g} V: "
        "within 3 dB, most of it is picked up.",
        "Ground the probe by a spring or coax, twist its lead, go further from the converter.",
    )
    return replace(one, doubts=(*one.doubts, doubt))
