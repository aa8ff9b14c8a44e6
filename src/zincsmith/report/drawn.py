"""Curves drawn as SVG text: panes with round scales, and what stands in them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from html import escape

import numpy as np
from numpy.typing import ArrayLike, NDArray

from zincsmith.formats.words import number
from zincsmith.showing.ruler_scale import Scale, scale_within

INK, INK2, LINE = "#1b2226", "#4e5b61", "#c6cdcf"
FONT = 11.5  # px
CHARACTER = 0.56  # of a size, about what one of the typeface takes
TICK_X, TICK_Y = 90.0, 38.0  # px between ticks, about
FINE = 1.5  # points of a curve to each px, beyond which it is drawn by its extremes

Array = NDArray[np.float64]


def text_px(words: str, size: float = FONT) -> float:
    """How wide a text is, about."""
    return CHARACTER * size * len(words)


def text(x: float, y: float, words: str, size: float = FONT, color: str = INK2, anchor: str = "start") -> str:
    placed = f' text-anchor="{anchor}"' if anchor != "start" else ""
    return f'<text x="{x:.1f}" y="{y:.1f}" font-size="{size:g}" fill="{color}"{placed}>{escape(words)}</text>'


def whole(width: float, height: float, parts: Sequence[str], says: str) -> str:
    """A picture of its parts; ``says`` is read out where it cannot be seen."""
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{width:g}" height="{height:g}" '
        f'viewBox="0 0 {width:g} {height:g}" role="img" aria-label="{escape(says)}" '
        f'font-family="Lato, Helvetica, Arial, sans-serif">{"".join(parts)}</svg>'
    )


@dataclass(frozen=True)
class Pane:
    """A rectangle of a picture, px, and the values at its ends."""

    left: float
    top: float
    width: float
    height: float
    x: Scale
    y: Scale

    @classmethod
    def over(
        cls, box: tuple[float, float, float, float], x: tuple[float, float], y: tuple[float, float], labels: float = 0.0
    ) -> Pane:
        """``box``: left, top, width, height of all; the room that the numbers beside it need, ``labels`` px at least,
        is taken from it."""
        left, top, width, height = box
        of_y = scale_within(*_apart(*y), max(2.0, height / TICK_Y))
        numbers = max((text_px(number(t, of_y.decimals)) for t in of_y.ticks), default=0.0)
        room = max(labels, numbers + 24.0)
        of_x = scale_within(*_apart(*x), max(2.0, (width - room) / TICK_X))
        return cls(left + room, top, width - room, height, of_x, of_y)

    def px(self, x: ArrayLike, y: ArrayLike) -> tuple[Array, Array]:
        right = self.left + (np.asarray(x, float) - self.x.low) / (self.x.high - self.x.low) * self.width
        down = self.top + self.height - (np.asarray(y, float) - self.y.low) / (self.y.high - self.y.low) * self.height
        return right, down

    def frame(self, x_words: str, y_words: str, numbered: bool = True) -> list[str]:
        """Grid, axes, numbers and names; ``numbered``: those of x too."""
        bottom, right = self.top + self.height, self.left + self.width
        across, _ = self.px(self.x.ticks, np.full(len(self.x.ticks), self.y.low))
        _, down = self.px(np.full(len(self.y.ticks), self.x.low), self.y.ticks)
        grid = [f"M{x:.1f} {self.top:.1f}V{bottom:.1f}" for x in across]
        grid += [f"M{self.left:.1f} {y:.1f}H{right:.1f}" for y in down]
        parts = [
            f'<path d="{"".join(grid)}" stroke="{LINE}" stroke-width="0.6" fill="none"/>',
            f'<path d="M{self.left:.1f} {self.top:.1f}V{bottom:.1f}H{right:.1f}" stroke="{INK2}" fill="none"/>',
        ]
        for y, tick in zip(down, self.y.ticks, strict=True):
            parts.append(text(self.left - 5.0, y + 4.0, number(tick, self.y.decimals), anchor="end"))
        middle = self.top + self.height / 2.0
        at = self.left - max((text_px(number(t, self.y.decimals)) for t in self.y.ticks), default=0.0) - 12.0
        parts.append(
            f'<text transform="translate({at:.1f} {middle:.1f}) rotate(-90)" font-size="{FONT}" fill="{INK}" '
            f'text-anchor="middle">{escape(y_words)}</text>'
        )
        if numbered:
            for x, tick in zip(across, self.x.ticks, strict=True):
                parts.append(text(x, bottom + 15.0, number(tick, self.x.decimals), anchor="middle"))
            parts.append(text(self.left + self.width / 2.0, bottom + 32.0, x_words, color=INK, anchor="middle"))
        return parts

    def curve(
        self, x: ArrayLike, y: ArrayLike, color: str, width: float = 1.4, dash: str = "", faint: float = 1.0
    ) -> str:
        """A line through points; of more than can be told apart, their extremes."""
        right, down = _thinned(*self.px(x, y), self.width)
        points = " ".join(f"{a:.1f},{b:.1f}" for a, b in zip(right, down, strict=True))
        how = (f' stroke-dasharray="{dash}"' if dash else "") + (f' opacity="{faint:.2f}"' if faint < 1.0 else "")
        return f'<polyline points="{points}" stroke="{color}" stroke-width="{width:g}" fill="none"{how}/>'

    def marks(self, x: ArrayLike, y: ArrayLike, color: str) -> list[str]:
        return [
            f'<circle cx="{a:.1f}" cy="{b:.1f}" r="2.6" fill="#fff" stroke="{color}" stroke-width="1.2"/>'
            for a, b in zip(*self.px(x, y), strict=True)
        ]

    def band(self, x: ArrayLike, low: ArrayLike, high: ArrayLike, color: str) -> str:
        """What lies between two curves."""
        right, top = self.px(x, high)
        _, bottom = self.px(x, low)
        there = [f"{a:.1f},{b:.1f}" for a, b in zip(right, top, strict=True)]
        back = [f"{a:.1f},{b:.1f}" for a, b in zip(right[::-1], bottom[::-1], strict=True)]
        return (f'<polygon points="{" ".join(there + back)}" fill="{color}" stroke="{color}" stroke-width="0.6" '
                'stroke-linejoin="round"/>')  # fmt: skip

    def bars(self, x: ArrayLike, y: ArrayLike, wide: float, color: str, filled: bool) -> list[str]:
        """From zero; ``wide`` in units of x."""
        each = wide / (self.x.high - self.x.low) * self.width
        right, down = self.px(x, y)
        _, zero = self.px(self.x.low, max(0.0, self.y.low))
        fill = color if filled else "#fff"
        return [
            f'<rect x="{a - each / 2.0:.1f}" y="{min(b, float(zero)):.1f}" width="{each:.1f}" '
            f'height="{abs(float(zero) - b):.1f}" fill="{fill}" stroke="{color}" stroke-width="0.9"/>'
            for a, b in zip(right, down, strict=True)
        ]

    def level(self, y: float) -> str:
        """A line across."""
        _, down = self.px(self.x.low, y)
        return f'<path d="M{self.left:.1f} {float(down):.1f}h{self.width:.1f}" stroke="{INK}" stroke-width="1"/>'

    def moment(self, x: float) -> str:
        """A dotted line upright."""
        right, _ = self.px(x, self.y.low)
        return (f'<path d="M{float(right):.1f} {self.top:.1f}v{self.height:.1f}" stroke="{INK}" stroke-width="0.8" '
                'stroke-dasharray="1.5 2.5"/>')  # fmt: skip


def _apart(low: float, high: float) -> tuple[float, float]:
    """Two ends that differ, whatever was measured."""
    if high > low:
        return low, high
    room = 0.05 * abs(low) or 1.0
    return low - room, high + room


def _thinned(x: Array, y: Array, width: float) -> tuple[Array, Array]:
    """Least and greatest of each stretch, in the order they came, where there are more points than px."""
    each = int(len(x) // (FINE * width))
    if each < 4:
        return x, y
    count = len(x) // each
    of_y = y[: count * each].reshape(count, each)
    ends = np.sort(np.stack([of_y.argmin(axis=1), of_y.argmax(axis=1)], axis=1), axis=1)
    kept = np.append((ends + each * np.arange(count)[:, None]).ravel(), len(x) - 1)
    return x[kept], y[kept]
