"""The axis of a plot, its numbers with the decimal mark of the person's locale."""

from __future__ import annotations

import pyqtgraph as pg

from zincsmith.formats.decimal_marks import on_screen


class Axis(pg.AxisItem):  # type: ignore[misc]
    def tickStrings(self, values: list[float], scale: float, spacing: float) -> list[str]:
        return [on_screen(text) for text in super().tickStrings(values, scale, spacing)]


def axes() -> dict[str, Axis]:
    """Left and bottom, as a plot takes them."""
    return {side: Axis(side) for side in ("left", "bottom")}
