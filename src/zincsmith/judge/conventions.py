"""The choices that schools differ in: what there is to choose, and which claims a choice would turn."""

from __future__ import annotations

from zincsmith.judge.judging import JudgedRun, judge_again
from zincsmith.judge.words import condition_words
from zincsmith.model.errors import InputError
from zincsmith.procedures.base import Conventions

OVER = {"Vnom": "nominal volts", "Vfl": "full-load volts", "Vnl": "no-load volts"}


def conventions_named(over: str) -> Conventions:
    """Conventions with this denominator of the load regulation. InputError for one that is none."""
    if over not in OVER:
        raise InputError(f"regulation is taken over {', '.join(OVER)}; {over!r} is none of them", key="regulation_over")
    return Conventions(regulation_over=over)


def turned(run: JudgedRun, other: Conventions) -> list[str]:
    """The claims whose verdict another choice would change, before it is made: ``Load regulation, 115 V: holds ->
    fails``."""
    out = []
    for now, then in zip(run.judged, judge_again(run, other).judged, strict=True):
        if now.verdict is not then.verdict:
            where = condition_words(now.finding.conditions)
            out.append(
                f"{now.finding.title}{f', {where}' if where else ''}: {now.verdict.value} -> {then.verdict.value}"
            )
    return out
