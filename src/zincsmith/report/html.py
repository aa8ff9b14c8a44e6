"""Writes the report of one run as a single HTML file that needs nothing else."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

from markupsafe import Markup

from zincsmith.before_power.label_doubts import label_doubts
from zincsmith.before_power.safety import safety_reading, safety_words
from zincsmith.book.reader import BookReader
from zincsmith.book.seal import RunSeal
from zincsmith.formats.words import (
    duration,
    local_time,
    number,
    once_a_claim,
    permitted_words,
    prefixed,
    shown,
    untested_words,
    value_words,
)
from zincsmith.judge.against import between_configurations
from zincsmith.judge.conventions import GUARD_WORDS, convention_words
from zincsmith.judge.digest import evidence_digest
from zincsmith.judge.judging import JudgedRun
from zincsmith.judge.reported import sections_of as reported_sections
from zincsmith.judge.snapshot import Seal, amendments_of, broken_words, seals_of
from zincsmith.model.events import Amended
from zincsmith.model.finding import Finding, Judged, Verdict
from zincsmith.model.plan import Plan
from zincsmith.model.quantities import QUANTITIES
from zincsmith.model.roles import ROLES
from zincsmith.procedures.base import Section
from zincsmith.procedures.catalogue import in_order, procedure
from zincsmith.procedures.planning import Planned
from zincsmith.report.figures import VERDICT, plots, ruler_svg
from zincsmith.report.pages import template, write_pages
from zincsmith.showing.board import section_of as board_section
from zincsmith.showing.budget import UNSPLIT_WORDS, column_words, grouped
from zincsmith.showing.findings_json import as_json
from zincsmith.showing.losses import section_of as losses_section
from zincsmith.showing.reading_words import reading_words
from zincsmith.words.instrument_words import accuracy_words
from zincsmith.words.wiring_words import wiring_words

MARKS = {
    Verdict.HOLDS: '<circle cx="7" cy="7" r="7" fill="{c}"/>'
    '<path d="M4 7.2l2.3 2.4 4-5" stroke="#fff" stroke-width="1.7" fill="none"/>',
    Verdict.FAILS: '<path d="M7-.8L14.8 7 7 14.8-.8 7z" fill="{c}"/><path d="M3.6 6h6.8v2H3.6z" fill="#fff"/>',
    Verdict.TOO_CLOSE: '<path d="M7 0a7 7 0 0 0 0 14z" fill="{c}"/>'
    '<circle cx="7" cy="7" r="6.2" fill="none" stroke="{c}" stroke-width="1.5"/>',
    Verdict.NOT_TESTED: '<circle cx="7" cy="7" r="6" fill="none" stroke="{c}" stroke-width="1.8"/>',
    Verdict.NO_CLAIM: '<path d="M2 6h10v2H2z" fill="{c}"/>',
}


def verdict_mark(verdict: Verdict) -> Markup:
    """The mark of a verdict as SVG; the word stands beside it."""
    shape = MARKS[verdict].format(c=VERDICT[verdict])
    # Only our own constants go into the markup.
    return Markup(f'<svg width="14" height="14" viewBox="-1 -1 16 16" aria-hidden="true">{shape}</svg>')


def render(
    run: JudgedRun,
    seals: Sequence[Seal] = (),
    amendments: Sequence[tuple[str, Amended]] = (),
    chain: RunSeal | None = None,
) -> str:
    """The report as HTML text, with the signatures under the run, what was added after them, and its seal."""
    says = reading_words(run)
    return template("report.html").render(
        run=run,
        judged=[_row(j) for j in run.judged],
        not_tested=once_a_claim(j for j in run.judged if j.verdict is Verdict.NOT_TESTED),
        untested=untested_words,
        permitted=permitted_words,
        lasted=duration(max((p.bench_s for p in run.evidence.points), default=0.0)) if run.evidence.points else "",
        counts=[(v.value, run.count(v), verdict_mark(v)) for v in Verdict],
        doubts=run.doubts,
        open_doubts=sum(not d.ended for d in run.doubts),
        says=says,
        look=run.unit.look,
        plate_doubts=label_doubts(run.unit),
        safety=[(r, safety_reading(r), safety_words(r)) for r in run.unit.safety],
        unchecked=[t for t in run.unit.terminals if t.checked != "measured"],
        roles=ROLES,
        quantities=QUANTITIES,
        accuracy_words=accuracy_words,
        number=number,
        digest=evidence_digest(run),
        sections=sections_of(run),
        told=told_of(run.plan),
        packages=run.opened.packages,
        plots=[(title, Markup(svg)) for title, svg in plots(run)],
        wiring=wiring_words(run.rig),
        grouped=grouped,
        column_words=column_words,
        part=_part,
        guard=GUARD_WORDS[run.conventions.guard],
        split=UNSPLIT_WORDS,
        conventions=convention_words(run.conventions),
        seals=seals,
        broken=broken_words(seals),
        chain=chain,
        amendments=amendments,
        local_time=local_time,
    )


def told_of(plan: Plan) -> list[tuple[str, str]]:
    """Under which conditions points were taken, of the first part of each procedure."""
    first = {part.procedure: part for part in reversed(plan.parts)}
    return [row for part in first.values() if isinstance(part, Planned) for row in part.told()]


def sections_of(run: JudgedRun) -> list[Section]:
    """What procedures say in a section of their own, in the order of the run."""
    found: list[Section] = []
    states = run.evidence.configurations or ("",)
    for name in in_order(run.evidence.procedures):
        for state in states:
            own = procedure(name).section([j.finding for j in run.judged if j.finding.at.configuration in ("", state)])
            if own is not None:
                found.append(replace(own, title=f"{own.title}, {state}") if state else own)
    of_parts = [section for of in (losses_section, board_section) if (section := of(run)) is not None]
    return [*found, *of_parts, *_between(run), *reported_sections(run)]


def _between(run: JudgedRun) -> list[Section]:
    """What a change of configuration within the run did; nothing where there was none."""
    changes = between_configurations(run)
    if not changes:
        return []
    rows = tuple(
        (run.judged[at].finding.title, run.judged[at].finding.at.words, run.judged[at].words, change.words)
        for at, change in changes.items()
    )
    parts = [p.told() for p in run.plan.parts if isinstance(p, Planned) and p.becomes]
    said = tuple(f"{what} {how}." for told in parts for what, how in told)
    return [Section("What the change of configuration did", said, ("figure", "where", "now", "before"), rows)]


def _row(one: Judged) -> dict[str, Any]:
    value, expanded, unit = value_words(one.finding)
    both = one.claim is not None and one.claim.published and one.verdict is not Verdict.NOT_TESTED
    return {
        "one": one,
        "value": value,
        "expanded": expanded,
        "unit": unit,
        "mark": verdict_mark(one.verdict),
        "simple": (verdict_mark(one.verdict_simple), one.verdict_simple.value) if both else None,
        "ruler": Markup(ruler_svg(one)),
    }


def _part(u: float, finding: Finding) -> str:
    """A part of an uncertainty, in the unit that the finding is read in."""
    factor, unit = shown(finding)
    return prefixed(u * factor, unit)


def report_of(book: BookReader, run: JudgedRun) -> str:
    """The report with what was signed, what was added since, and the seal."""
    return render(run, seals_of(book, run), amendments_of(book, run.row.id), book.seal(run.row.id))


def write_report(book: BookReader, run: JudgedRun, out: Path) -> None:
    """Write the file whole or not at all, as PDF when its name says so. InputError when it cannot be written."""
    text = report_of(book, run)
    figures = json.dumps(as_json(run), ensure_ascii=False)
    write_pages(text, out, [("findings.json", figures, "Every finding, with its uncertainty and its verdict")])
