"""Figures of the report as SVG text: the plots, and the claim ruler."""

from __future__ import annotations

from html import escape

from zincsmith.formats.words import number, shown, value_words
from zincsmith.judge.judging import JudgedRun
from zincsmith.model.finding import Judged, Verdict
from zincsmith.procedures.base import Curves
from zincsmith.report.drawn import INK, INK2, Pane, text, text_px, whole
from zincsmith.showing.borders import borders
from zincsmith.showing.curves import all_curves, apart
from zincsmith.showing.ruler_scale import Scale, scale_for

ZINC, ZINC_LIGHT, TEAL = "#b9c4c6", "#e6eaea", "#1A7A70"
VERDICT = {
    Verdict.HOLDS: "#1F7A5A",
    Verdict.FAILS: "#B23A2B",
    Verdict.TOO_CLOSE: "#A66F00",
    Verdict.NOT_TESTED: "#7C8A91",
    Verdict.NO_CLAIM: "#7C8A91",
}
HUES = {"efficiency": TEAL, "power": "#8A2E78", "voltage": "#3B4CC0", "current": "#C0621B"}
EDGE = 16.0  # room for the labels of the outermost ticks
DASHES = ("", "6 3", "1.5 2.5", "6 3 1.5 3")
WIDE, TALL, NAME_PX = 720.0, 260.0, 13.0  # of curves, px


def plots(run: JudgedRun) -> list[tuple[str, str]]:
    """(title, SVG) of every plot that the evidence of a run allows."""
    return [(c.title, curves_svg(c)) for c in (*all_curves(run.evidence), *borders(run))]


def curves_svg(curves: Curves) -> str:
    """Curves on one pair of axes, told apart by dash and name."""
    color = HUES.get(curves.kind, INK)
    names = [name for name, _, _ in curves.lines if name]
    at_right = max((text_px(name) for name in names), default=0.0) + 10.0 if names and not curves.bars else 6.0
    pane = Pane.over((4.0, 10.0, WIDE - 4.0 - at_right, TALL - 52.0), *_reach(curves))
    parts = pane.frame(_axis(curves.x, curves.x_unit), _axis(curves.y, curves.y_unit))
    draw = _bars if curves.bars else _lines
    return whole(WIDE, TALL, [*parts, *draw(curves, pane, color)], curves.title)


def _axis(words: str, unit: str) -> str:
    return ", ".join(w for w in (words, unit) if w)


def _reach(curves: Curves) -> tuple[tuple[float, float], tuple[float, float]]:
    """From where to where both axes go."""
    x = [v for _, of, _ in curves.lines for v in of]
    y = [v for _, _, of in curves.lines for v in of]
    if curves.bars:
        low, high = min(0.0, *y), max(100.0, *y)
        return (min(x) - 0.7, max(x) + 0.7), (low, high + 0.06 * (high - low))
    (left, right), (low, high) = (min(x), max(x)), (min(y), max(y))
    aside, above = 0.03 * (right - left), 0.08 * (high - low)
    return (left - aside, right + aside), (low - above, high + above)


def _bars(curves: Curves, pane: Pane, color: str) -> list[str]:
    parts: list[str] = []
    at = pane.left + pane.width
    for n, (_, x, y) in enumerate(curves.lines):
        beside = 0.3 * (n - (len(curves.lines) - 1) / 2.0)
        parts += pane.bars([v + beside for v in x], y, 0.28, color, n % 2 == 0)
    for n, (name, _, _) in reversed(list(enumerate(curves.lines))):
        at -= text_px(name) + 26.0
        fill = color if n % 2 == 0 else "#fff"
        parts.append(f'<rect x="{at:.1f}" y="1" width="10" height="8" fill="{fill}" stroke="{color}"/>')
        parts.append(text(at + 14.0, 9.0, name))
    return [*parts, pane.level(100.0)]


def _lines(curves: Curves, pane: Pane, color: str) -> list[str]:
    parts: list[str] = []
    for n, (_, x, y) in enumerate(curves.lines):
        if curves.trace or not curves.marked:
            parts.append(pane.curve(x, y, color, 0.9, faint=max(0.2, 1.0 - 0.22 * n)))
        else:
            parts += [pane.curve(x, y, color, dash=DASHES[n % len(DASHES)]), *pane.marks(x, y, color)]
    ends = sorted((float(pane.px(x[-1], y[-1])[1]), float(pane.px(x[-1], y[-1])[0]), name)
                  for name, x, y in curves.lines if name)  # fmt: skip
    places = apart([e[0] for e in ends], NAME_PX, pane.top, pane.top + pane.height)
    return parts + [
        text(at + 7.0, place + 4.0, name, color=INK) for (_, at, name), place in zip(ends, places, strict=True)
    ]


def ruler_svg(judged: Judged, width: float = 230.0) -> str:
    """The claim ruler; empty text where there is no claim."""
    scale = scale_for(judged)
    claim, finding = judged.claim, judged.finding
    if scale is None or claim is None:
        return ""
    factor, _ = shown(finding)
    expanded = finding.u * finding.k * factor if finding.u is not None and finding.k is not None else None

    def x(value: float) -> float:
        return EDGE + (width - 2 * EDGE) * scale.share(value)

    value, _, unit = value_words(finding)
    says = f"{value} {unit} against {claim.text}: {judged.words}"
    low = scale.low if claim.low is None else claim.low * factor
    high = scale.high if claim.high is None else claim.high * factor
    parts = [
        f'<svg xmlns="http://www.w3.org/2000/svg" class="ruler" width="{width:g}" height="44" '
        f'viewBox="0 0 {width:g} 44" role="img" aria-label="{escape(says)}" font-family="Lato, sans-serif">',
        f'<rect x="{EDGE:g}" y="12" width="{width - 2 * EDGE:g}" height="9" fill="{ZINC_LIGHT}"/>',
        f'<rect x="{x(low):.1f}" y="12" width="{x(high) - x(low):.1f}" height="9" fill="{ZINC}"/>',
    ]
    for limit in (claim.low, claim.high):
        if limit is not None:
            parts += _limit(x, limit * factor, expanded)
    parts += _ticks(x, scale)
    if finding.value is not None:
        parts += _needle(x, finding.value * factor, expanded, VERDICT[judged.verdict])
    return "".join(parts) + "</svg>"


def _limit(x, limit: float, expanded: float | None) -> list[str]:  # type: ignore[no-untyped-def]
    parts = []
    if expanded:
        left, right = x(limit - expanded), x(limit + expanded)
        lines, at = [], left
        while at < right:
            lines.append(f"M{at:.1f} 21L{min(at + 5, right):.1f} 12")
            at += 3.0
        parts.append(f'<path d="{"".join(lines)}" stroke="{INK}" stroke-width="0.8" fill="none"/>')
    parts.append(f'<path d="M{x(limit):.1f} 10V23" stroke="{INK}" stroke-width="1.6"/>')
    return parts


def _ticks(x, scale: Scale) -> list[str]:  # type: ignore[no-untyped-def]
    parts = []
    for tick in scale.ticks:
        parts.append(f'<path d="M{x(tick):.1f} 21v3" stroke="{INK2}" stroke-width="1"/>')
        parts.append(text(x(tick), 35.0, number(tick, scale.decimals), 10, anchor="middle"))
    return parts


def _needle(x, value: float, expanded: float | None, color: str) -> list[str]:  # type: ignore[no-untyped-def]
    at = x(value)
    parts = []
    if expanded:
        left, right = x(value - expanded), x(value + expanded)
        path = f"M{left:.1f} 16.5H{right:.1f}M{left:.1f} 13v7M{right:.1f} 13v7"
        parts.append(f'<path d="{path}" stroke="{color}" stroke-width="1.4"/>')
    parts.append(f'<path d="M{at:.1f} 8V22" stroke="{color}" stroke-width="2"/>')
    parts.append(f'<path d="M{at - 5:.1f} 2h10l-5 8z" fill="{color}"/>')
    return parts
