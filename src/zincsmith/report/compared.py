"""A comparison as a report of its own: one HTML file, or the same as PDF."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, datetime

from markupsafe import Markup

from zincsmith.judge.judging import JudgedRun
from zincsmith.model.feeding import Feeding
from zincsmith.model.recipe import Recipe
from zincsmith.report.figures import curves_svg
from zincsmith.report.pages import template
from zincsmith.showing.compare import Compared, Row, labels_of
from zincsmith.showing.laid_over import laid_over
from zincsmith.showing.worth import Against

PICTURES = 8


def back_words(one: Against) -> str:
    """A pay-back in words: a span, or why there is none."""
    back = one.pays_back
    if one.dearer_by == 0.0:
        first = f"{one.unit_tag} costs as much as {one.against}"
    else:
        first = f"{one.unit_tag} costs {one.dearer_by:.2f} more than {one.against}"
    if back.years is None:
        more = f"costs {abs(one.saves_a_year):.2f} ±{2.0 * one.u:.2f} more a year to run"
        return f"{first} and {more}: it never pays back."
    saves = f"saves {one.saves_a_year:.2f} ±{2.0 * one.u:.2f} a year"
    if back.low is None:
        span = f"after {back.years:.1f} years, if it does at all"
    elif back.high is None:
        span = f"after {back.years:.1f} years ({back.low:.1f} at the soonest; it may be never)"
    else:
        span = f"after {back.years:.1f} years ({back.low:.1f} to {back.high:.1f})"
    return f"{first} and {saves}: it pays back {span}. Up to a price of {one.even_price:.2f} it is the cheaper one."


def rendered(
    found: Compared, runs: Sequence[JudgedRun], recipe: Recipe | None = None, feeding: Feeding | None = None
) -> str:
    """As HTML text."""
    pictures = [{"title": c.title, "svg": Markup(curves_svg(c))} for c in laid_over(runs, labels_of(runs))[:PICTURES]]
    return template("compared.html").render(
        title=f"Comparison: {', '.join(found.units)}", found=found, recipe=recipe, feeding=feeding,
        made=f"Made {datetime.now(UTC):%Y-%m-%d %H:%M} UTC", turns={t.figure: t.turns_at for t in found.sensitivity},
        say=_say, cell=_cell, back_words=back_words, pictures=pictures,
    )  # fmt: skip


def _say(value: float | None, form: str, factor: float = 1.0) -> str:
    return "–" if value is None else form % (value * factor)


def _cell(row: Row, tag: str) -> str:
    cell = next((c for c in row.cells if c.unit_tag == tag), None)
    if cell is None:
        return "–"
    spread = f" ±{2.0 * cell.u:.2g}" if cell.u else ""
    return f"{cell.value:.5g}{spread}{f' ({cell.rank})' if cell.rank else ''}".replace("-", "−")
