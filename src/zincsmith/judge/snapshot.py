"""Findings as they were once told, kept beside the evidence: what changed when it is judged again, and why."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import asdict, dataclass

from zincsmith import __version__
from zincsmith.book.reader import BookReader
from zincsmith.book.seal import BROKEN
from zincsmith.formats.words import where_words
from zincsmith.judge.digest import evidence_digest
from zincsmith.judge.judging import JudgedRun
from zincsmith.model.errors import InputError
from zincsmith.model.events import Amended, FindingsKept, KeptRow, Signed
from zincsmith.model.finding import Judged
from zincsmith.procedures.base import Conventions
from zincsmith.procedures.catalogue import procedure

SAME = 1e-9
USUAL = asdict(Conventions())  # what was in force before there was a choice


@dataclass(frozen=True)
class Seal:
    """A signature under a run: who, when, over which evidence; ``holds`` says that the evidence is still that one,
    ``why`` what is not. ``digest`` is that of the run's chain with this signature, empty where it is not sealed."""

    by: str
    at: str
    evidence: str
    holds: bool
    why: str = ""
    digest: str = ""


def snapshot(run: JudgedRun) -> FindingsKept:
    """The findings of a run as they are told now, with all that they depend on."""
    return FindingsKept(
        evidence=evidence_digest(run),
        conventions={k: str(v) for k, v in asdict(run.conventions).items()},
        rules=run.rule_sets,
        versions=_versions(run),
        program=f"zincsmith {__version__}",
        rows=tuple(_row(j) for j in run.judged),
    )


def _versions(run: JudgedRun) -> tuple[tuple[str, int], ...]:
    return tuple((name, procedure(name).version) for name, _ in run.opened.procedures)


def _row(judged: Judged) -> KeptRow:
    f, claim = judged.finding, judged.claim
    return KeptRow(
        f.name, where_words(judged), f"{claim.title} {claim.text}" if claim else "", f.value, f.u,
        judged.verdict.value, judged.verdict_simple.value,
    )  # fmt: skip


def kept_of(book: BookReader, run: int) -> FindingsKept | None:
    """What was last kept of a run; None when nothing was."""
    found = [w.event for w in book.events(run=run, kinds=(FindingsKept,))]
    return found[-1] if found and isinstance(found[-1], FindingsKept) else None


def seals_of(book: BookReader, run: JudgedRun) -> list[Seal]:
    """The signatures under a run, in order."""
    signed = [(w.at, w.event) for w in book.events(run=run.row.id, kinds=(Signed,)) if isinstance(w.event, Signed)]
    if not signed:
        return []
    now, chain = evidence_digest(run), book.seal(run.row.id)
    found = []
    for n, (at, one) in enumerate(signed):
        why = chain.why if chain.state == BROKEN else "" if one.evidence == now else "its points are others now"
        digest = chain.signed[n] if n < len(chain.signed) else ""
        found.append(Seal(one.by, at, one.evidence, not why, why, digest))
    return found


def broken_words(seals: Sequence[Seal]) -> str:
    """What stands wherever a signed run is told whose evidence was changed; empty when nothing was."""
    wrong = next((s for s in seals if not s.holds), None)
    return f"SIGNED BY {wrong.by}, BUT THE EVIDENCE WAS CHANGED SINCE: {wrong.why}" if wrong is not None else ""


def refuse_changed(book: BookReader, run: int) -> None:
    """InputError when the evidence of a run is not what was written: nobody signs that."""
    chain = book.seal(run)
    if chain.state == BROKEN:
        raise InputError(f"run {run}: {chain.words}. Nobody can answer for it")


def amendments_of(book: BookReader, run: int) -> list[tuple[str, Amended]]:
    """(time, what was added) after a run was signed."""
    return [(w.at, w.event) for w in book.events(run=run, kinds=(Amended,)) if isinstance(w.event, Amended)]


def signature(run: JudgedRun, by: str) -> tuple[FindingsKept, Signed]:
    """What is written when somebody signs a run. InputError without a name, or while the run has not ended."""
    if not by.strip():
        raise InputError("a signature carries a name", key="by")
    if run.closed is None:
        raise InputError(f"run {run.row.id} has not ended: nobody can answer for it yet")
    kept = snapshot(run)
    return kept, Signed(by.strip(), kept.evidence)


def amendment(book: BookReader, run: int, by: str, text: str) -> Amended:
    """What is written when something is added to a signed run. InputError when it is not signed, or says nothing."""
    if not by.strip() or not text.strip():
        raise InputError("an amendment carries a name and says something", key="by" if not by.strip() else "text")
    if not any(True for _ in book.events(run=run, kinds=(Signed,))):
        raise InputError(f"run {run} is not signed: there is nothing to amend")
    return Amended(by.strip(), text.strip())


def changes(before: FindingsKept, now: FindingsKept) -> tuple[list[str], list[str]]:
    """(what reads otherwise now, why): both empty when everything reads as it did."""
    old = {(r.name, r.conditions, r.claim): r for r in before.rows}
    new = {(r.name, r.conditions, r.claim): r for r in now.rows}
    told = []
    for key in dict.fromkeys((*old, *new)):
        one, other = old.get(key), new.get(key)
        where = ", ".join(x for x in (key[0].replace("_", " "), key[1], key[2]) if x)
        if one is None or other is None:
            told.append(f"{where}: {'new' if one is None else 'gone'}")
            continue
        parts = [
            f"{name} {a:.6g} -> {b:.6g}" if a is not None and b is not None else f"{name} {a} -> {b}"
            for name, a, b in (("value", one.value, other.value), ("u", one.u, other.u))
            if not _same(a, b)
        ]
        for name, a, b in (("guarded", one.verdict, other.verdict), ("simple", one.simple, other.simple)):
            if a != b:
                parts.append(f"{name}: {a} -> {b}")
        if parts:
            told.append(f"{where}: {'; '.join(parts)}")
    return told, _why(before, now)


def _why(before: FindingsKept, now: FindingsKept) -> list[str]:
    why = []
    if before.evidence != now.evidence:
        why.append("the evidence is another: points were taken, rejected or corrected since")
    for name in dict.fromkeys((*before.conventions, *now.conventions)):
        a, b = (one.conventions.get(name, USUAL.get(name, "none")) for one in (before, now))
        if a != b:
            why.append(f"convention {name.replace('_', ' ')}: {a} -> {b}")
    why += [f"rule set no longer in force: {r}" for r in _only(before.rules, now.rules)]
    why += [f"rule set now in force: {r}" for r in _only(now.rules, before.rules)]
    old = dict(before.versions)
    why += [
        f"procedure {name}: version {old.get(name, 'none')} -> {v}" for name, v in now.versions if old.get(name) != v
    ]
    if before.program != now.program:
        why.append(f"program: {before.program} -> {now.program}")
    return why


def _only(some: Iterable[str], others: Iterable[str]) -> list[str]:
    there = set(others)
    return [x for x in some if x not in there]


def _same(a: float | None, b: float | None) -> bool:
    if a is None or b is None:
        return a is b
    return math.isclose(a, b, rel_tol=SAME, abs_tol=1e-15)
