"""Findings of one run against the claims of its unit."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from zincsmith.analysis.conformity import conformance_probability, guard_band, guarded_verdict, simple_verdict
from zincsmith.analysis.point_doubts import where
from zincsmith.analysis.uncertainty import factor_of
from zincsmith.book.reader import BookReader, RunRow
from zincsmith.history.claims_in_force import with_claims_in_force
from zincsmith.history.ended import ended_of, with_ended
from zincsmith.judge.another_room import in_the_room_of
from zincsmith.judge.claims import claims_of
from zincsmith.judge.disagree import with_disagreements
from zincsmith.judge.evidence import evidence_of, findings_of
from zincsmith.judge.floors import floored
from zincsmith.judge.memory import Memory
from zincsmith.judge.one_cause import with_one_cause
from zincsmith.judge.price import price_s
from zincsmith.model.claim import Claim
from zincsmith.model.events import FileTaken, RunClosed, RunOpened
from zincsmith.model.fed import as_fed, fed_input
from zincsmith.model.figures import TESTS, have
from zincsmith.model.finding import Doubt, Finding, Judged, Verdict, Working
from zincsmith.model.operating_point import OperatingPoint, operating_point
from zincsmith.model.plan import Plan
from zincsmith.model.quantities import QUANTITIES
from zincsmith.model.reading import FROM_FILE, WRITTEN, Evidence, Point
from zincsmith.model.rig import Rig
from zincsmith.model.scope import LOAD_POINTS, Stood
from zincsmith.model.unit import Nameplate, Unit
from zincsmith.procedures.base import Conventions
from zincsmith.procedures.catalogue import in_order, procedure
from zincsmith.rules.loader import supply_rules
from zincsmith.suitability.case import Fault, Severity
from zincsmith.suitability.check import check
from zincsmith.words.log_words import DEVIATING, STOPPING, deviations_of, stops_of


@dataclass(frozen=True)
class Known:
    """What is known of a run before it is judged: its evidence, the rig's faults then, its files, and its figures under
    one denominator of the load regulation, which is all that they depend on among the conventions."""

    run: int
    evidence: Evidence
    faults: tuple[Fault, ...]
    files: tuple[FileTaken, ...]
    over: str
    findings: tuple[Finding, ...]
    rig: Rig

    def under(self, conventions: Conventions, plate: Nameplate) -> Known:
        """The same with its figures under these conventions."""
        if self.over == conventions.regulation_over:
            return self
        found = floored(_figures(self.evidence, plate, conventions), self.rig)
        return replace(self, over=conventions.regulation_over, findings=found)


@dataclass(frozen=True)
class JudgedRun:
    """Everything that screens, report and command line show of a run."""

    row: RunRow
    unit: Unit
    rig: Rig
    plan: Plan
    opened: RunOpened
    closed: RunClosed | None
    evidence: Evidence
    conventions: Conventions
    judged: tuple[Judged, ...]
    faults: tuple[Fault, ...]  # of the rig for this unit and plan, on the day of the run
    rule_sets: tuple[str, ...]
    stops: tuple[tuple[str, str, str], ...] = ()  # time, what, why: whatever stopped or broke the run
    deviations: tuple[tuple[str, str, str], ...] = ()  # likewise: what did not go as planned
    provenance: tuple[str, ...] = ()  # of each rule set: who has its values from where
    unread_rules: tuple[str, ...] = ()  # those whose values nobody has read against the document
    files: tuple[FileTaken, ...] = ()  # recorded files that the evidence was taken from
    known: Known | None = None  # what it was judged from
    ended: Mapping[int | None, dict[str, str]] = field(default_factory=dict)  # doubts dealt with, by run (None: this)
    earlier: tuple[Known, ...] = ()  # runs that lend findings for claims that this one did not test, latest first
    claims_of_today: bool = False  # they were edited since the run was made

    @property
    def answerable(self) -> tuple[Doubt, ...]:
        """The doubts of this run's own figures that nobody has dealt with; those of a figure that another run lends
        are dealt with there."""
        own = (d for j in self.judged if j.run is None for d in j.finding.doubts)
        return tuple(dict.fromkeys(d for d in own if not d.ended))

    @property
    def doubts(self) -> dict[Doubt, list[str]]:
        """Every doubt, with the titles of the figures that it touches; those dealt with are told as such."""
        out: dict[Doubt, list[str]] = {}
        for one in self.judged:
            for doubt in one.finding.doubts:
                titles = out.setdefault(doubt, [])
                if one.finding.title not in titles:
                    titles.append(one.finding.title)
        return out

    def count(self, verdict: Verdict) -> int:
        return sum(j.verdict is verdict for j in self.judged)


def judge_run(
    book: BookReader,
    number: int | None = None,
    conventions: Conventions | None = None,
    memory: Memory | None = None,
) -> JudgedRun:
    """Judge one run, the latest unless told. ``memory`` is what was worked out when it was judged before. BookError
    when there is none."""
    conventions = conventions or Conventions()
    row = book.run(number)
    rig, plan = book.rig(row.rig_n), book.plan(row.plan_n)
    whole = book.unit(row.unit, row.unit_n)
    opened, closed = book.opened(row.id), book.closed(row.id)
    memory = memory if memory is not None else Memory()
    own = _known(book, row, whole, conventions, memory)
    whole, claims_of_today = with_claims_in_force(book, row, whole)
    unit = as_fed(whole, rig)
    evidence, faults, files = own.evidence, own.faults, own.files
    rules = [(f"{r.title} ({r.document}), {r.digest}", r.provenance) for _, r in supply_rules(unit.nameplate.rules)]
    own_limits = [one for name in in_order(evidence.procedures) for one in procedure(name).limits()]
    rules += [(one.text, one.provenance) for one in own_limits]
    unread = [r.short for _, r in supply_rules(unit.nameplate.rules) if not r.read_by]
    unread += [one.unread for one in own_limits if one.unread]
    judged = _judged(unit, own, conventions)
    lenders = _lenders(book, row, unit, conventions, judged) if closed is not None else ()
    ended: dict[int | None, dict[str, str]] = {None: ended_of(book, row.id)}
    ended |= {lender.run: ended_of(book, lender.run) for lender in lenders}
    told = _told(_lent(judged, unit, conventions, lenders), plan, ended)
    stops = stops_of(memory.read(book, row.id, STOPPING))
    deviations = deviations_of(memory.read(book, row.id, DEVIATING))
    return JudgedRun(
        row, unit, rig, plan, opened, closed, evidence, conventions, told, faults,
        tuple(r for r, _ in rules), stops, deviations, tuple(p for _, p in rules), tuple(unread), files, own,
        ended, lenders, claims_of_today,
    )  # fmt: skip


def _told(judged: tuple[Judged, ...], plan: Plan, ended: Mapping[int | None, dict[str, str]]) -> tuple[Judged, ...]:
    """With what people said about doubts, and what it would take to test what a claim lacks."""
    out = []
    for one in judged:
        if one.lacks:
            held_s = one.claim.scope.duration_s if one.claim is not None else None
            one = replace(one, price_s=price_s(one.lacks, plan, held_s))
        out.append(with_ended(one, ended.get(one.run, {})))
    return tuple(out)


def _known(book: BookReader, row: RunRow, unit: Unit, conventions: Conventions, memory: Memory | None = None) -> Known:
    """The evidence of a run, what was wrong with its rig on its day, and the files it was taken from."""
    rig, plan = book.rig(row.rig_n), book.plan(row.plan_n)
    memory = memory if memory is not None else Memory()
    evidence = evidence_of(book, row.id, memory)
    on_the_day = book.day_of(row)
    faults = tuple(check(unit, rig, plan, on_the_day)) if _on_this_rig(evidence, rig) else ()
    files = tuple(w.event for w in book.events(run=row.id, kinds=(FileTaken,)) if isinstance(w.event, FileTaken))
    found = floored(_figures(evidence, unit.nameplate, conventions, memory), rig)
    return Known(row.id, evidence, faults, files, conventions.regulation_over, found, rig)


def _lenders(
    book: BookReader, row: RunRow, unit: Unit, conventions: Conventions, judged: Sequence[Judged]
) -> tuple[Known, ...]:
    """Earlier ended runs of this unit in the same configuration, as far back as claims are left that a procedure
    tests but this run did not; the latest first. A unit that was brought up anew, after a repair for instance, starts
    over: nothing from before that is lent."""
    open_claims = _untold(judged)
    wanted = {c.procedure for c in open_claims}
    found: list[Known] = []
    started_over = _starts_over(row)
    fed = fed_input(book.unit(row.unit, row.unit_n).nameplate, book.rig(row.rig_n))
    for one in reversed(book.runs()):
        if one.id >= row.id or one.unit != row.unit:
            continue
        if started_over or not wanted:
            break
        started_over = _starts_over(one)
        if one.outcome is None:
            continue
        earlier = book.unit(one.unit, one.unit_n)
        if earlier.configuration != unit.configuration:
            continue
        if fed_input(earlier.nameplate, book.rig(one.rig_n)) != fed:  # it says nothing of this one
            continue
        tests = {TESTS[words] for words in wanted if words in TESTS}
        if tests & set(one.procedure.split()):
            found.append(_known(book, one, unit, conventions))
            told = {j.claim.key for j in _judged(unit, found[-1], conventions)
                    if j.claim and j.verdict is not Verdict.NOT_TESTED}  # fmt: skip
            open_claims = [c for c in open_claims if c.key not in told]
            wanted = {c.procedure for c in open_claims}
    return tuple(found)


def _starts_over(row: RunRow) -> bool:
    """Whether a run has a procedure after which nothing from before it counts."""
    return any(procedure(name).starts_over for name in in_order(row.procedure.split()))


def _untold(judged: Sequence[Judged]) -> list[Claim]:
    """Claims that were not tested, or in part only, though there is a procedure for them."""
    return [j.claim for j in judged if j.claim and j.verdict is Verdict.NOT_TESTED and j.claim.procedure in TESTS]


def _lent(
    judged: tuple[Judged, ...], unit: Unit, conventions: Conventions, lenders: Sequence[Known]
) -> tuple[Judged, ...]:
    """With the findings of earlier runs in the place of claims that were not tested, each saying so."""
    for lender in lenders:
        known: dict[str, list[Judged]] = {}
        for one in _judged(unit, lender, conventions):
            of_it = one.finding.at.configuration in ("", unit.configuration)
            if one.claim is not None and one.verdict is not Verdict.NOT_TESTED and of_it:
                known.setdefault(one.claim.key, []).append(replace(one, run=lender.run))
        open_keys = {c.key for c in _untold(judged)} & known.keys()
        judged = tuple(
            new
            for one in judged
            for new in (known[one.claim.key] if one.claim and one.claim.key in open_keys else (one,))
        )
    return judged


def _on_this_rig(evidence: Evidence, rig: Rig) -> bool:
    """Whether the readings are those of the rig's instruments; a file may bring others."""
    return all(
        reading.how not in (FROM_FILE, WRITTEN)
        or ((one := rig.instrument(reading.place)) is not None and one.name == reading.source)
        for point in evidence.points
        for reading in point.readings
    )


def judge_again(run: JudgedRun, conventions: Conventions) -> JudgedRun:
    """The same evidence under other conventions."""
    plate, known = run.unit.nameplate, run.known
    if known is None:
        raise ValueError(f"run {run.row.id} was never judged: there is nothing to judge again")
    if known.evidence is not run.evidence:  # somebody looks at other evidence: its figures are worked out anew
        known = replace(known, evidence=run.evidence, over="")
    own = known.under(conventions, plate)
    lenders = tuple(lender.under(conventions, plate) for lender in run.earlier)
    judged = _lent(_judged(run.unit, own, conventions), run.unit, conventions, lenders)
    told = _told(judged, run.plan, run.ended)
    return replace(run, conventions=conventions, judged=told, known=own, earlier=lenders)


def _figures(
    evidence: Evidence, plate: Nameplate, conventions: Conventions, memory: Memory | None = None
) -> tuple[Finding, ...]:
    return tuple(findings_of(evidence.procedures, evidence, plate, conventions, memory))


def _judged(unit: Unit, known: Known, conventions: Conventions) -> tuple[Judged, ...]:
    evidence, faults, files = known.evidence, known.faults, known.files
    judged = judge(with_disagreements(known.findings, evidence), claims_of(unit.nameplate), evidence, conventions)
    return tuple(with_one_cause(_with_notes(_with_rig(j, faults), files)) for j in judged)


def _with_notes(judged: Judged, files: Sequence[FileTaken]) -> Judged:
    """What was passed over when a file was read goes with every figure that was worked out of it."""
    if judged.finding.value is None:
        return judged
    notes = tuple(
        Doubt("read_with_a_note", f"{f.name}: {note}.", "See whether it matters, or record it again.")
        for f in files
        for note in f.notes
    )
    return (
        replace(judged, finding=replace(judged.finding, doubts=(*judged.finding.doubts, *notes))) if notes else judged
    )


def _with_rig(judged: Judged, faults: Sequence[Fault]) -> Judged:
    """What is wrong with the rig goes with the figures that it spoils."""
    if judged.claim is None or judged.finding.value is None:
        return judged
    spoilt = [f for f in faults if judged.claim.figure in f.costs and f.severity is not Severity.REMARK]
    doubts = (*judged.finding.doubts, *(Doubt(f.code, f.text, f.remedy) for f in spoilt))
    return replace(judged, finding=replace(judged.finding, doubts=doubts))


def judge(
    findings: Sequence[Finding],
    claims: list[Claim],
    evidence: Evidence,
    conventions: Conventions = Conventions(),  # noqa: B008 - frozen
) -> list[Judged]:
    """Each claim with the findings that test it, then what nobody claimed."""
    findings = [_covered(f, float(conventions.coverage)) for f in findings]
    out: list[Judged] = []
    used: set[int] = set()
    for claim in claims:
        matching = [(n, f) for n, f in enumerate(findings) if f.name in claim.findings and _fits(f, claim)]
        # Of another line than the claim speaks of a figure says nothing, unless there is no other: then it is told
        # what lacks.
        matching = [(n, f) for n, f in matching if claim.scope.has_line(f.at)] or matching
        if not matching:
            out.append(_untested(claim, evidence))
        for n, finding in matching:
            used.add(n)
            out.append(_compare(finding, claim, evidence, conventions.guard))
    for n, finding in enumerate(findings):
        if n not in used:
            out.append(Judged(finding, None, Verdict.NO_CLAIM, Verdict.NO_CLAIM))
    return out


def _covered(finding: Finding, percent: float) -> Finding:
    """The finding with the coverage factor of this probability."""
    return finding if finding.k is None else replace(finding, k=factor_of(finding.contributions, finding.dof, percent))


def _fits(finding: Finding, claim: Claim) -> bool:
    """Whether a claim speaks of this finding: of the same output, or of every one where it names none, at the point
    that it names."""
    of_it = finding.output == claim.output or not claim.output if claim.side == "output" else not finding.output
    return of_it and claim.at.covers(finding.at) and claim.scope.has_mode(finding.at)


def _compare(finding: Finding, claim: Claim, evidence: Evidence, guard: str) -> Judged:
    finding = in_the_room_of(claim, finding)
    if finding.value is None:  # it was tried, and the record does not show it: its doubts say why
        return Judged(finding, claim, Verdict.NOT_TESTED, Verdict.NOT_TESTED)
    value, chance = finding.value, None
    if finding.u is not None and claim.bounded:
        chance = conformance_probability(value, finding.u, claim.low, claim.high)
    evidence = evidence.of_configuration(finding.at.configuration)
    reached = _reached(finding, claim, evidence)
    if finding.final_in_room is not None:  # where it ends, it ends in any room: no time and no room lack
        reached = [replace(one, held_s=None, settled=None) for one in reached]
    room = evidence.ambient_degC if finding.final_in_room is None else None
    lacks = claim.scope.missing(reached, room)
    doubts = finding.doubts + tuple(_coverage(claim, lacks)) + tuple(_incomplete(claim, evidence))
    guarded = guarded_verdict(value, guard_band(finding.u, finding.k, guard), claim.low, claim.high)
    simple = simple_verdict(value, claim.low, claim.high)
    if finding.beside_the_point:
        return Judged(finding, claim, Verdict.NOT_TESTED, Verdict.NOT_TESTED)
    if not claim.bounded:
        return Judged(finding, claim, Verdict.NO_CLAIM, Verdict.NO_CLAIM)
    if lacks:  # a point that fails fails, whatever else was not measured; nothing else can be said
        guarded, simple = (v if v is Verdict.FAILS else Verdict.NOT_TESTED for v in (guarded, simple))
    if guarded is Verdict.TOO_CLOSE:
        doubts += tuple(split_unknown(finding))
    return Judged(replace(finding, doubts=doubts), claim, guarded, simple, chance, lacks=lacks)


def split_unknown(finding: Finding) -> list[Doubt]:
    """A difference that only the convention about an unsplit limit keeps from a verdict, with the way out."""
    variance = sum(c.size**2 for c in finding.contributions)
    worst = max(finding.contributions, key=lambda c: c.size, default=None)
    if not have(finding.name, "difference") or worst is None or worst.separate is None or worst.alike:
        return []
    if worst.size**2 < 0.5 * variance:
        return []
    meter = worst.source.partition(",")[0]
    return [
        Doubt(
            "split_unknown",
            f"Most of the uncertainty is that the two readings of {meter} may each err by its whole limit: its data "
            "sheet, as entered, does not say how the limit splits.",
            "Enter its transfer or short-term accuracy, or its non-linearity, beside the limit: "
            "; transfer 0.001 % rng in 10 min." + _or_in_turns(finding.name),
        )
    ]


def _or_in_turns(name: str) -> str:
    """What the bench itself can show where the data sheet says nothing."""
    option = {"line_regulation": "two lines", "load_regulation": "two loads"}.get(name)
    if option is None:
        return ""
    return f" Or let the grid read the {option} in turns, five times: the spread of the differences is evidence."


def _reached(finding: Finding, claim: Claim, evidence: Evidence) -> list[Stood]:
    """The points behind a verdict: of the finding itself, where each line has one of its own, else
    all that its procedure took once the unit was warm."""
    if have(finding.name, "of one line"):
        known = {p.number: p for p in evidence.points}
        rows = [(known.get(int(row["point"])) if "point" in row else None, row) for row in finding.working.rows]
        return [_stood(p) if p is not None else Stood(_of_row(row)) for p, row in rows]
    points = evidence.by(TESTS[claim.procedure]).points if claim.procedure in TESTS else evidence.points
    return [_stood(p) for p in points if p.at.graded]


def _stood(point: Point) -> Stood:
    return Stood(point.at, point.held_s, point.settled)


def _of_row(row: Mapping[str, Any]) -> OperatingPoint:
    """Where a row of a working stood whose point is not at hand."""
    return operating_point({k: float(row[k]) for k in ("input_voltage_V", "frequency_Hz", "load_percent") if k in row})


MOST_TOLD = 3


def _not_read(claim: Claim, evidence: Evidence) -> str:
    """What was not read where the claim wanted it; empty where nothing is missing from the points that were taken."""
    read_for = procedure(TESTS[claim.procedure]).read_for(claim.figure)
    if read_for is None:
        return ""
    wanted, loads = read_for
    missing: dict[str, list[str]] = {}
    for point in evidence.by(TESTS[claim.procedure]).points:
        at = point.at
        near = loads is None or any(at.loaded and abs(at.load_percent - x) <= LOAD_POINTS for x in loads)
        if not near or not claim.scope.has_line(at) or not claim.at.covers(at):
            continue
        for name in wanted:
            reading = point.get(name)
            if reading is None or reading.value is None:
                missing.setdefault(QUANTITIES[name].inside, []).append(where(point))
    return "; ".join(
        f"{words} not read at {', '.join(at[:MOST_TOLD])}{' and elsewhere' if len(at) > MOST_TOLD else ''}"
        for words, at in missing.items()
    )


def _untested(claim: Claim, evidence: Evidence) -> Judged:
    if not claim.procedure:
        why = "no procedure for it yet"
    elif TESTS[claim.procedure] not in (evidence.procedures or TESTS.values()):
        why = "its procedure is not in the plan"
    elif not evidence.by(TESTS[claim.procedure]).complete:
        why = "the run ended before its points were taken"
    else:
        why = _not_read(claim, evidence) or "its points are not in the plan"
    finding = Finding(
        claim.findings[0],
        claim.title,
        None,
        claim.unit,
        at=claim.at,
        working=Working("", note=why),
    )
    return Judged(finding, claim, Verdict.NOT_TESTED, Verdict.NOT_TESTED)


def _coverage(claim: Claim, lacks: Sequence[str]) -> list[Doubt]:
    """A claim that was tested over a part of its range only."""
    if not lacks:
        return []
    said = f"The claim speaks of {claim.condition_text}; no point stands at {' or '.join(lacks)}."
    return [Doubt("range_not_covered", said, f"Add {' and '.join(lacks)} to the plan.")]


def _incomplete(claim: Claim, evidence: Evidence) -> list[Doubt]:
    if claim.procedure not in TESTS or evidence.by(TESTS[claim.procedure]).complete:
        return []
    return [Doubt("run_incomplete", "The run ended early; points are missing.", "Run the plan to its end.")]
