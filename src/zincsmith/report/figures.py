"""Figures of the report as SVG text: the plots, and the claim ruler."""

from __future__ import annotations

import io
import re

from zincsmith.formats.words import number, shown
from zincsmith.judge.judging import JudgedRun
from zincsmith.model.finding import Judged, Verdict
from zincsmith.procedures.base import Curves
from zincsmith.showing.borders import borders
from zincsmith.showing.curves import all_curves, apart
from zincsmith.showing.ruler_scale import Scale, scale_for

INK, INK2, LINE, ZINC, ZINC_LIGHT, TEAL = "#1b2226", "#4e5b61", "#c6cdcf", "#b9c4c6", "#e6eaea", "#1A7A70"
VERDICT = {
    Verdict.HOLDS: "#1F7A5A",
    Verdict.FAILS: "#B23A2B",
    Verdict.TOO_CLOSE: "#A66F00",
    Verdict.NOT_TESTED: "#7C8A91",
    Verdict.NO_CLAIM: "#7C8A91",
}
HUES = {"efficiency": TEAL, "power": "#8A2E78", "voltage": "#3B4CC0", "current": "#C0621B"}
EDGE = 16.0  # room for the labels of the outermost ticks
DASHES = ("-", "--", ":", "-.")


def plots(run: JudgedRun) -> list[tuple[str, str]]:
    """(title, SVG) of every plot that the evidence of a run allows."""
    return [(c.title, curves_svg(c)) for c in (*all_curves(run.evidence), *borders(run))]


def curves_svg(curves: Curves) -> str:
    """Curves on one pair of axes, told apart by dash and name."""
    import matplotlib as mpl

    mpl.use("svg")
    from matplotlib.figure import Figure

    color = HUES.get(curves.kind, INK)
    with mpl.rc_context({"font.family": "sans-serif", "svg.hashsalt": "zincsmith", "font.size": 9}):
        figure = Figure(figsize=(7.2, 2.6), layout="constrained")
        axes = figure.add_subplot()
        for dash, (name, x, y) in enumerate(curves.lines):
            if curves.bars:
                beside = 0.3 * (dash - (len(curves.lines) - 1) / 2.0)
                fill = color if dash % 2 == 0 else "white"
                axes.bar([v + beside for v in x], y, 0.28, color=fill, edgecolor=color, linewidth=0.8, label=name)
                continue
            if curves.trace or not curves.marked:
                axes.plot(x, y, color=color, alpha=max(0.2, 1.0 - 0.22 * dash), linewidth=0.7)
                continue
            axes.plot(
                x, y, DASHES[dash % 4], color=color, marker="o", markersize=4, markerfacecolor="white", linewidth=1.4
            )
        axes.set_xlabel(", ".join(w for w in (curves.x, curves.x_unit) if w))
        axes.set_ylabel(", ".join(w for w in (curves.y, curves.y_unit) if w))
        axes.ticklabel_format(useOffset=False)
        if curves.bars:
            axes.axhline(100.0, color=INK, linewidth=0.9)
            axes.legend(frameon=False, fontsize=8.5)
        axes.margins(x=0.02 if curves.bars else 0.09)
        if not curves.bars and curves.lines:  # the names stand right of the curves
            low, high = axes.get_xlim()
            longest = max(len(name) for name, _, _ in curves.lines)
            axes.set_xlim(low, high + (high - low) * max(0.0, 0.012 * longest - 0.09))
        low, high = axes.get_ylim()
        gap = 0.09 * (high - low)
        ends = sorted((y[-1], x[-1], name) for name, x, y in curves.lines if name and not curves.bars)
        for (_, at, name), place in zip(
            ends, apart([e[0] for e in ends], gap, low + gap / 2.0, high - gap / 2.0), strict=True
        ):
            axes.text(at + 0.02 * (axes.get_xlim()[1] - axes.get_xlim()[0]), place, name, va="center", fontsize=8.5)
        axes.grid(color=LINE, linewidth=0.5)
        axes.spines[["top", "right"]].set_visible(False)
        out = io.StringIO()
        figure.savefig(out, format="svg", metadata={"Date": None, "Creator": None})
    return re.sub(r"^.*?(?=<svg)", "", out.getvalue(), flags=re.DOTALL)


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

    low = scale.low if claim.low is None else claim.low * factor
    high = scale.high if claim.high is None else claim.high * factor
    parts = [
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{width:g}" height="44" viewBox="0 0 {width:g} 44" role="img">',
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
        text = number(tick, scale.decimals)
        parts.append(f'<text x="{x(tick):.1f}" y="35" font-size="10" text-anchor="middle" fill="{INK2}">{text}</text>')
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
