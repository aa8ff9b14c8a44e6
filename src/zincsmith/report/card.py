"""One page of a unit: what it is and what holds; or whether to keep it, with the evidence that a supplier accepts."""

from __future__ import annotations

from markupsafe import Markup

from zincsmith.formats.words import once_a_claim, value_words, where_words
from zincsmith.judge.judging import JudgedRun
from zincsmith.model.finding import Judged, Verdict
from zincsmith.model.roles import ROLES
from zincsmith.report.figures import VERDICT, curves_svg
from zincsmith.report.pages import template
from zincsmith.showing.compare import worth_words
from zincsmith.showing.laid_over import curves_of
from zincsmith.words.plate_words import headline

MOST_CLAIMS, PICTURES = 18, 2
WIDE, TALL, LINE, CURVES_TALL = 840, 594, 21, 284  # of the card as a picture, px
INK, INK2, PAPER, EDGE = "#1b2226", "#4e5b61", "#ffffff", "#76848a"
GO, RETURN, SETTLE = (
    "Go: nothing that was tested fails",
    "Return it",
    "Not settled: too much is too close, or not tested",
)


def needed(run: JudgedRun) -> list[tuple[str, str]]:
    """What has to be added before it is used, at least, by what was found and what it is: (what, why)."""
    unit, fails = run.unit, {j.finding.name: j for j in run.judged if j.verdict is Verdict.FAILS}
    doubts = {d.code for j in run.judged for d in j.finding.doubts}
    found = []
    if unit.kind == "open board":
        found.append(("Enclosure", "an open board has live parts within reach"))
        if not any("fuse" in part.what for part in unit.look.parts):
            found.append(("Fuse", "none is listed among its parts"))
    for names, what, why in (
        (("ripple", "ripple_rms"), "Filter", "its ripple is more than it states"),
        (("hot_spot", "case_temperature"), "Cooling, or less load", "it gets hotter than it states"),
        (("overcurrent", "endurance"), "Derating", "it does not bear the load that it states"),
        (("load_step", "lowest_output"), "Capacitance at the load", "its volts move more at steps than it states"),
        (("inrush",), "Inrush limiter, slow fuse", "it takes more as it is switched on than it states"),
    ):
        if hit := [fails[name] for name in names if name in fails]:
            value, expanded, unit_words = value_words(hit[0].finding)
            found.append((what, f"{why}: {value} {expanded} {unit_words}".rstrip()))
    least = [o for o in unit.nameplate.outputs if o.minimum_A]
    found += [("Minimum load", f"{o.minimum_A:g} A at {o.name or 'its output'}, by its label") for o in least]
    if "low_power_factor" in doubts:
        found.append(("Source and wiring for its volt-amperes", "its power factor is low"))
    return found


def verdict_of(run: JudgedRun) -> str:
    if run.unit.look.verdict == "not worth powering" or run.count(Verdict.FAILS):
        return RETURN
    settled = run.count(Verdict.HOLDS)
    return GO if settled and settled >= run.count(Verdict.TOO_CLOSE) + run.count(Verdict.NOT_TESTED) else SETTLE


def page(run: JudgedRun, seal: str, returned: bool) -> str:
    """As HTML: the card, or with ``returned`` the page that goes with a unit that is sent back or kept."""
    rows = once_a_claim(run.judged)
    still = [j for j in rows if j.verdict in (Verdict.TOO_CLOSE, Verdict.NOT_TESTED)]
    return template("card.html").render(
        run=run, name=_name(run), plate=headline(run.unit.nameplate), worth=worth_words(run.unit), returned=returned,
        verdict=verdict_of(run), failing=[_row(j, run) for j in rows if j.verdict is Verdict.FAILS],
        open=[f"{j.claim.title} {j.claim.text}: {j.verdict.value}" for j in still if j.claim is not None],
        claims=[_row(j, run) for j in rows[:MOST_CLAIMS]], needed=needed(run), seal=seal or "none",
        instruments=[i for i in run.rig.instruments if i.how != "by hand" or i.serial],
        pictures=[{"title": c.title, "svg": Markup(curves_svg(c))} for c in curves_of(run)[:PICTURES]],
    )  # fmt: skip


def _name(run: JudgedRun) -> str:
    return " ".join(x for x in (run.unit.maker, run.unit.model) if x) or run.unit.tag


def _row(judged: Judged, run: JudgedRun) -> dict[str, str]:
    value, expanded, unit = value_words(judged.finding)
    claim = judged.claim
    meters = dict.fromkeys(i.name for role in _roles(judged) if (i := run.rig.instrument(role)) is not None)
    return {
        "title": claim.title if claim is not None else judged.finding.title, "claim": claim.text if claim else "",
        "source": claim.source if claim else "", "value": f"{value} {expanded} {unit}".strip(),
        "verdict": judged.verdict.value, "where": where_words(judged), "by": ", ".join(meters),
    }  # fmt: skip


def _roles(judged: Judged) -> list[str]:
    """The roles whose instruments its uncertainty names."""
    named = " ".join(c.source for c in judged.finding.contributions)
    return [role for role in ROLES if ROLES[role].casefold() in named.casefold() or role in named]


def card_png(run: JudgedRun) -> bytes:
    """The card as a picture for screens that show no SVG, twice as large."""
    from zincsmith.report.pdf import png_of

    return png_of(card_svg(run).decode(), 2.0 * WIDE)


def card_svg(run: JudgedRun) -> bytes:
    """The card as one picture."""
    rows = once_a_claim(run.judged)[:MOST_CLAIMS]
    parts = [
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{WIDE}" height="{TALL}" viewBox="0 0 {WIDE} {TALL}" '
        'font-family="Lato, sans-serif">',
        f'<rect x="4" y="4" width="{WIDE - 8}" height="{TALL - 8}" rx="8" fill="{PAPER}" stroke="{EDGE}"/>',
        *(f'<circle cx="{x}" cy="{y}" r="4" fill="none" stroke="{EDGE}"/>'
          for x in (18, WIDE - 18) for y in (18, TALL - 18)),
        _text(36, 48, _name(run), 26, 700), _text(36, 70, headline(run.unit.nameplate), 14, 400, INK2),
        _text(WIDE - 36, 48, run.unit.tag, 20, 600, end=True),
        _text(WIDE - 36, 70, f"run {run.row.id}, {run.row.began[:10]}", 13, 400, INK2, end=True),
    ]  # fmt: skip
    at = 112
    for judged in rows:
        row = _row(judged, run)
        parts += [
            f'<circle cx="42" cy="{at - 5}" r="6" fill="{VERDICT[judged.verdict]}"/>',
            _text(58, at, row["title"], 13, 600), _text(292, at, row["claim"][:40], 12, 400, INK2),
            _text(690, at, row["value"], 13, 600, end=True), _text(706, at, row["verdict"], 12, 400, INK2),
        ]  # fmt: skip
        at += LINE
    curves = curves_of(run)
    if curves and at + CURVES_TALL < TALL - 76:  # where few claims leave room for it
        parts.append(_text(58, at + 14, curves[0].title, 13, 600))
        parts.append(curves_svg(curves[0]).replace("<svg ", f'<svg x="46" y="{at + 20}" ', 1))
    parts += [_text(36, TALL - 56 + 17 * n, f"{what}: {why}", 12, 400, INK2) for n, (what, why) in
              enumerate(needed(run)[:2])]  # fmt: skip
    if run.rig.practice:
        parts.append(_text(WIDE - 36, TALL - 24, "a unit of practice", 12, 600, INK2, end=True))
    return ("".join(parts) + "</svg>").encode()


def _text(x: float, y: float, text: str, size: int, weight: int, color: str = INK, end: bool = False) -> str:
    anchor = ' text-anchor="end"' if end else ""
    return (f'<text x="{x:g}" y="{y:g}" font-size="{size}" font-weight="{weight}" fill="{color}"{anchor}>'
            f"{Markup.escape(text)}</text>")  # fmt: skip
