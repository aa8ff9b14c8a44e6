"""What several trials of one output say together."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from zincsmith.analysis.envelope import Envelope
from zincsmith.analysis.uncertainty import factor_of
from zincsmith.model.actions import TELLS
from zincsmith.model.address import at_port
from zincsmith.model.finding import Contribution, Doubt, Finding, Working
from zincsmith.model.operating_point import Feed, OperatingPoint
from zincsmith.model.reading import Evidence
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.base import Curves
from zincsmith.procedures.beginning import OFF_FOR
from zincsmith.procedures.overcurrent.figures import LET_GO
from zincsmith.procedures.overcurrent.share import TOLD
from zincsmith.procedures.waveforms.findings import Seen

TOLD_BY = {"light": "a light", "tone": "a tone", "display": "its display"}
GAP = "the step between what held and what did not (one-sided)"


def over_all_trials(finding: Finding, seen: Sequence[Seen]) -> Finding:
    """The largest current that held in any trial, those among them that did not let go; how far above it the first
    that did not hold was asked for is a part of U. What it did in each trial is told in its order."""
    held = [
        n.figure for one in seen for n in one.worked.named
        if n.name in ("overcurrent", "highest_overload") and n.figure.value is not None
    ]  # fmt: skip
    let_go = [float(str(v)) for one in seen if (v := one.worked.told.get(LET_GO)) is not None]
    if finding.value is None or not held:
        return finding
    if let_go:  # one trial may hold what another does not: what never held counts
        below = [f for f in held if (f.value or 0.0) <= max(let_go)]
        held = below or held
    best = max(held, key=lambda f: f.value or 0.0)
    value = best.value or 0.0
    did = [str(n.note) for one in seen for n in one.worked.named if n.name == "overcurrent"]
    told = "; then ".join(dict.fromkeys(did))
    first = [x for x in let_go if x > value]
    gap = min(first) - value if first else 0.0
    parts = finding.contributions
    u = finding.u
    if u is not None and gap > 0.0:
        parts = (*parts, Contribution(GAP, gap / math.sqrt(3.0), False, rectangular=True))
        u = math.hypot(*(c.effect for c in parts))
    words = f"{told}; the greatest that held in {len(seen)} trials, {len(did)} of them let go"
    working = replace(finding.working, formula=words)
    doubts = finding.doubts
    if len(set(did)) > 1:
        text = f"It does not do the same each time: {told}."
        doubts = (*doubts, Doubt("trials_differ", text, "Rest longer between them: a warm unit may do something else."))
    return replace(
        finding, value=value, u=u, k=factor_of(parts, None) if u is not None else None, contributions=parts,
        working=working, doubts=doubts,
    )  # fmt: skip


def with_what_it_told(found: Sequence[Finding], evidence: Evidence) -> list[Finding]:
    """The limits with how the unit told its user that it was reached, where somebody watched."""
    by: dict[Place, str] = {}
    for point in evidence.points:
        looked = [name for name in TELLS if point.at.fact(f"{TOLD}{name}") is not None]
        if looked:
            told = [TOLD_BY[name] for name in looked if point.at.fact(f"{TOLD}{name}")]
            by[point.at.line, point.at.about] = ", ".join(told) or "nothing"
    out = []
    for one in found:
        words = by.get((one.at.line, one.output)) if one.name == "overcurrent" else None
        if words is not None:
            formula = f"{one.working.formula}; its user was told by {words}"
            one = replace(one, working=replace(one.working, formula=formula))
        out.append(one)
    return out


def rearming(evidence: Evidence) -> list[Finding]:
    """By line and output how long the input has to be off before a latch lets go: the shortest time that did, and the
    longest that did not."""
    found: list[Finding] = []
    for (line, whose), rows in _by_place(evidence, OFF_FOR).items():
        did = [off_s for off_s, back in rows if back]
        if did:
            least = min(did)
            short = max((off_s for off_s, back in rows if not back and off_s < least), default=0.0)
            note = f"{short:g} s did not" if short else "the shortest that was tried"
            found.append(_edge("rearm_time", "Input off before it starts again", least, least - short, "s", line, whose,
                               "the shortest off-time after which it ran", note))  # fmt: skip
    return found


def restart_load(evidence: Evidence, plate: Nameplate) -> list[Finding]:
    """By line and output how far the load has to fall before it comes back: the largest load at which it was back, and
    the smallest at which it was not yet."""
    found: list[Finding] = []
    for (line, whose), rows in _by_place(evidence, RELEASED_TO).items():
        did = [share for share, back in rows if back]
        if did:
            most = max(did)
            above = min((share for share, back in rows if not back and share > most), default=most)
            rated = Envelope(plate).load_A(100.0, whose)
            note = f"{most:g} % of its rating; at {above:g} % it was not back" if above > most else f"{most:g} %"
            found.append(_edge("restart_load", "Comes back once its load has fallen to", most / 100.0 * rated,
                               (above - most) / 100.0 * rated, "A", line, whose,
                               "the largest load at which it was back", note))  # fmt: skip
    return found


Line = tuple[float | None, float | None]
Place = tuple[Line, str]


def _by_place(evidence: Evidence, fact: str) -> dict[Place, list[tuple[float, bool]]]:
    """By line and output (what was stated, whether it ran then)."""
    found: dict[Place, list[tuple[float, bool]]] = {}
    for point in evidence.points:
        said, port = point.at.fact(fact), point.at.about
        reading = point.get(at_port("output_voltage", port))
        if said is not None and reading is not None and reading.value is not None:
            found.setdefault((point.at.line, port), []).append((said, abs(reading.value) > RUNS_V))
    return found


def _edge(
    name: str, title: str, value: float, gap: float, unit: str, line: Line, whose: str, words: str,
    note: str,
) -> Finding:  # fmt: skip
    part = Contribution("between what was tried on both sides", gap / math.sqrt(3.0), False, rectangular=True)
    return Finding(
        name, title, value, unit, part.effect or None, factor_of((part,), None) if gap else None,
        at=OperatingPoint((Feed(*line),)), output=whose, contributions=(part,) if gap else (),
        working=Working(words, note=note),
    )  # fmt: skip


RELEASED_TO = "released_percent"  # stated with a point: what was left of the load
RUNS_V = 1.0  # more is an output that came back: what did not is at zero


def without_trip(found: Sequence[Finding]) -> list[Finding]:
    """Where an output let go, what held in other trials is told with that; where none did, the limit is not tested,
    and up to where is said."""
    tripped = {(f.output, f.at.line) for f in found if f.name == "overcurrent"}
    out = [f for f in found if f.name != "highest_overload" or (f.output, f.at.line) not in tripped]
    for one in found:
        if one.name == "highest_overload" and (one.output, one.at.line) not in tripped and one.value is not None:
            text = f"It held all that was asked for, up to {one.value:.4g} A: whether it is limited above is not seen."
            doubt = Doubt("no_limit_seen", text, "A higher ceiling, where rig and parts stand it.")
            note = f"none up to {one.value:.4g} A"
            out.append(Finding("overcurrent", "Overcurrent limit", None, "A", at=one.at, output=one.output,
                               working=Working("", note=note), doubts=(doubt,)))  # fmt: skip
    return out


MOST_PATHS = 6


def paths(evidence: Evidence, of: str) -> list[Curves]:
    """Volts over amps of each trial until its overload goes, laid over each other."""
    lines = []
    for point in evidence.points:
        for capture in point.captures:
            by = {c.quantity: c for c in capture.channels}
            if capture.of != of or evidence.traces is None or not {"output_voltage", "output_current"} <= set(by):
                continue
            volts, amps = (
                np.abs(evidence.traces.read(by[q], 0, MOST_POLLS)) for q in ("output_voltage", "output_current")
            )
            if "load_set" in by:  # until the overload goes
                asked = evidence.traces.read(by["load_set"], 0, MOST_POLLS)
                last = int(np.flatnonzero(asked >= float(asked.max()) - 1e-6)[-1]) + 1
                volts, amps = volts[:last], amps[:last]
            name = f"{point.at.line_V:g} V, trial {capture.said.get('trial', '')}"
            lines.append((name, [float(a) for a in amps], [float(v) for v in volts]))
    if not lines:
        return []
    return [Curves("V-I path of each trial", "output", "A", "output volts", "V", "voltage", tuple(lines[:MOST_PATHS]))]


MOST_POLLS = 2000
