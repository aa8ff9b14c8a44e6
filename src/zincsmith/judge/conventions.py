"""The choices that schools differ in: what there is to choose, and which claims a choice would turn."""

from __future__ import annotations

from dataclasses import dataclass, fields, replace

from zincsmith.judge.judging import JudgedRun, judge_again
from zincsmith.model.errors import InputError
from zincsmith.procedures.base import Conventions


@dataclass(frozen=True)
class Choosable:
    """One convention: its words, and the words of each choice."""

    words: str
    choices: dict[str, str]


CHOICES: dict[str, Choosable] = {
    "regulation_over": Choosable(
        "regulation over", {"Vnom": "nominal volts", "Vfl": "full-load volts", "Vnl": "no-load volts"}
    ),
    "coverage": Choosable("coverage", {"95.45": "95.45 %", "95": "95 %", "99": "99 %"}),
    "guard": Choosable("guard band", {"U": "w = U", "1.645u": "w = 1.645 u", "none": "none"}),
}
GUARD_WORDS = {
    "U": "Guarded acceptance with w = U (JCGM 106): a claim holds when value ± U lies wholly inside the limit, fails "
    "when wholly outside, and is too close to call otherwise.",
    "1.645u": "Guarded acceptance with w = 1.645 u (JCGM 106), a worst chance of false acceptance of 5 %: a claim "
    "holds when value ± w lies wholly inside the limit, fails when wholly outside, and is too close to call otherwise.",
    "none": "Simple acceptance (JCGM 106), no guard band: the value alone decides, where its uncertainty is known.",
}


def conventions_of(**chosen: str) -> Conventions:
    """Conventions with these choices, the rest as usual. InputError for a choice that is none."""
    for name, value in chosen.items():
        if value not in CHOICES[name].choices:
            one = CHOICES[name]
            raise InputError(f"{one.words} is one of {', '.join(one.choices)}, not {value!r}", key=name)
    return Conventions(**chosen)


def convention_words(conventions: Conventions) -> list[tuple[str, str]]:
    """(what, choice) of every convention in force."""
    return [(one.words, one.choices[getattr(conventions, name)]) for name, one in CHOICES.items()]


def as_options(conventions: Conventions) -> list[str]:
    """The conventions as the command line takes them."""
    return [x for f in fields(conventions) for x in (f"--{f.name.replace('_', '-')}", getattr(conventions, f.name))]


def turned(run: JudgedRun, other: Conventions) -> list[str]:
    """The claims whose verdict another choice would change, before it is made: ``Load regulation, 115 V: holds ->
    fails``."""
    out = []
    for now, then in zip(run.judged, judge_again(run, other).judged, strict=True):
        if now.verdict is not then.verdict:
            where = now.finding.at.words
            out.append(
                f"{now.finding.title}{f', {where}' if where else ''}: {now.verdict.value} -> {then.verdict.value}"
            )
    return out


def would_turn(run: JudgedRun, name: str) -> dict[str, list[str]]:
    """By choice of one convention, the claims that it would turn."""
    return {value: turned(run, replace(run.conventions, **{name: value})) for value in CHOICES[name].choices}
