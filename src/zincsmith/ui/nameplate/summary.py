"""The look-over in brief, painted: body, list and parts against what they see."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from zincsmith.analysis.parts import Stress, stress_of, touch_current_A
from zincsmith.model.intake import LookItem, Physical
from zincsmith.model.unit import Unit
from zincsmith.ui import ink
from zincsmith.ui.theme import theme

ROW = 23.0
MARKS = {"found": ink.tick_mark, "doubtful": ink.doubt_mark, "missing": ink.missing_mark}


def body_words(body: Physical, power_W: float) -> list[tuple[str, str]]:
    """Mass, size and price, each with what it comes to per watt."""
    out = []
    mass = body.with_cord_g if body.with_cord_g is not None else body.mass_g
    if mass is not None:
        bare = f"{body.mass_g:g} g no cord" if body.mass_g is not None and body.with_cord_g is not None else ""
        out.append((f"{mass:g} g", bare))
    if body.size_mm is not None:
        per = [f"{power_W / body.volume_cm3:.2g} W/cm³"] if body.volume_cm3 else []
        per += [f"{power_W / body.working_g:.2g} W/g"] if body.working_g else []
        out.append((" × ".join(f"{v:g}" for v in body.size_mm) + " mm", ", ".join(per)))
    if body.price is not None:
        per_W = f"{body.price / power_W:.2f} {body.currency} per W" if power_W else ""
        out.append((body.price_words, per_W))
    return out


class LookSummary(QWidget):
    """Body on top, then the list: what was found, is doubtful or missing, worst first."""

    def __init__(self) -> None:
        super().__init__()
        self._unit: Unit | None = None
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Expanding)

    def sizeHint(self) -> QSize:
        return QSize(320, 46 + int(ROW * max(1, min(6, len(self._items())))))

    def minimumSizeHint(self) -> QSize:
        return QSize(200, 46 + int(ROW * 3))

    def show_unit(self, unit: Unit | None) -> None:
        self._unit = unit
        items = ", ".join(f"{i.what} {i.seen}" for i in self._items())
        self.setAccessibleName(f"Look-over: {items or 'nothing looked at yet'}")
        self.updateGeometry()
        self.update()

    def _items(self) -> list[LookItem]:
        if self._unit is None:
            return []
        order = {"missing": 0, "doubtful": 1, "found": 2}
        looked = [i for i in self._unit.look.items if i.seen in order]
        return sorted(looked, key=lambda item: order[item.seen])

    def paintEvent(self, event: QPaintEvent) -> None:
        t, p = theme(), QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        w = float(self.width())
        unit = self._unit
        facts = body_words(unit.look.physical, unit.nameplate.rated_power_W) if unit is not None else []
        if not facts:
            ink.write(p, QRectF(0, 0, w, 20), "Weight, size and price are not entered", 13, 400, t.color("ink2"))
        at = 0.0
        for big, small in facts:
            span = max(ink.width(big, 14, 600), ink.width(small, 12)) + 18
            ink.write(p, QRectF(at, 0, w - at, 18), big, 14, 600)
            ink.write(p, QRectF(at, 18, w - at, 16), small, 12, 400, t.color("ink2"))
            at += span
        items, y = self._items(), 42.0
        if not items:
            ink.write(p, QRectF(0, y, w, ROW), "Nothing looked at yet", 13, 400, t.color("ink2"))
        room = int((self.height() - y) // ROW)
        shown = items if len(items) <= room else items[: max(1, room - 1)]
        for item in shown:
            MARKS[item.seen](p, QPointF(7, y + ROW / 2), 12.0)
            word = ink.width(item.seen, 13)
            ink.write(p, QRectF(26, y, w * 0.45 - 26, ROW), item.what)
            ink.write(p, QRectF(w * 0.45 + 6, y, w * 0.55 - word - 16, ROW), item.note, 13, 400, t.color("ink2"))
            color = {"missing": t.alarm, "doubtful": t.doubt_ink}.get(item.seen, t.ink)
            ink.write(p, QRectF(w - word - 2, y, word + 2, ROW), item.seen, 13, 400, QColor(color), ink.RIGHT)
            y += ROW
        if len(shown) < len(items):
            ink.write(p, QRectF(26, y, w, ROW), f"{len(items) - len(shown)} more", 13, 400, t.color("ink2"))


class PartsSummary(QWidget):
    """Each part with a bar: how much of its rating it sees, the end of the rating marked."""

    def __init__(self) -> None:
        super().__init__()
        self._stress: list[Stress] = []
        self._touch = ""
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Expanding)

    def sizeHint(self) -> QSize:
        return QSize(320, int(ROW * max(2, min(7, len(self._stress) + 1))))

    def minimumSizeHint(self) -> QSize:
        return QSize(200, int(ROW * 3))

    def show_unit(self, unit: Unit | None) -> None:
        self._stress = [stress_of(p, unit.nameplate) for p in unit.look.parts] if unit is not None else []
        order = {"too small": 0, "doubtful": 1}
        self._stress.sort(key=lambda s: order.get(s.verdict, 2))
        self._touch = touch_words(unit) if unit is not None else ""
        words = "; ".join(f"{s.part.name} {s.verdict}" for s in self._stress)
        self.setAccessibleName(f"Parts: {words or 'none entered'}. {self._touch}")
        self.updateGeometry()
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        t, p = theme(), QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        w, y = float(self.width()), 0.0
        if not self._stress:
            ink.write(p, QRectF(0, 0, w, ROW), "No part entered yet", 13, 400, t.color("ink2"))
            return
        room = int(self.height() // ROW) - (1 if self._touch else 0)
        shown = self._stress if len(self._stress) <= room else self._stress[: max(1, room - 1)]
        for one in shown:
            self._row(p, one, y, w)
            y += ROW
        if len(shown) < len(self._stress):
            ink.write(p, QRectF(22, y, w, ROW), f"{len(self._stress) - len(shown)} more", 13, 400, t.color("ink2"))
            y += ROW
        if self._touch:
            ink.write(p, QRectF(22, y, w - 22, ROW), self._touch, 12, 400, t.color("ink2"))

    @staticmethod
    def _row(p: QPainter, one: Stress, y: float, w: float) -> None:
        t = theme()
        if one.verdict == "too small":
            ink.stop_mark(p, QPointF(7, y + ROW / 2), 13)
        elif one.verdict == "doubtful":
            (ink.missing_mark if one.share is None else ink.doubt_mark)(p, QPointF(7, y + ROW / 2), 12)
        ink.write(p, QRectF(22, y, 62, ROW), one.part.name)
        ink.write(p, QRectF(86, y, w * 0.52 - 86, ROW), one.part.marked or one.part.what, 13, 400, t.color("ink2"))
        if one.sees is None or one.share is None:
            why = one.part.state if one.part.state != "sound" else one.part.note or "not worked out"
            color = QColor(t.alarm) if one.part.state != "sound" else t.color("ink2")
            ink.write(p, QRectF(w * 0.52, y, w * 0.48, ROW), why, 13, 400, color, ink.RIGHT)
            return
        kind = "current" if one.unit == "A" else "voltage"
        ink.write(p, QRectF(w * 0.52, y, 58, ROW), f"{one.sees:.3g} {one.unit}", 13, 400, t.text_of(kind), ink.RIGHT)
        bar = QRectF(w * 0.52 + 66, y + ROW / 2 - 3, w - 42 - (w * 0.52 + 66), 6)
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(t.color("zinc_light"))
        p.drawRect(bar)
        bad = one.verdict != "fits"
        p.setBrush(QColor(t.verdict["too close to call"]) if bad else t.color("zinc"))
        p.drawRect(QRectF(bar.left(), bar.top(), bar.width() * min(1.0, one.share), bar.height()))
        p.setPen(QPen(t.color("ink"), 1.2))
        p.drawLine(QPointF(bar.right(), bar.top() - 4), QPointF(bar.right(), bar.bottom() + 4))
        ink.write(p, QRectF(w - 40, y, 40, ROW), f"{100 * one.share:.0f} %", 13, 400, None, ink.RIGHT)


def touch_words(unit: Unit) -> str:
    """The touch current to expect from the Y capacitors, at the highest line; empty without any."""
    mains = [i for i in unit.nameplate.inputs if i.type == "ac"]
    if not mains or not any(p.what == "Y capacitor" and p.capacitance_F for p in unit.look.parts):
        return ""
    voltage = max(i.voltage_max_V for i in mains)
    hertz = max(f for i in mains for f in i.frequency_Hz)
    current = touch_current_A(unit.look.parts, voltage, hertz)
    return f"Touch current to expect: {1e6 * current:.0f} µA at {voltage:g} V {hertz:g} Hz"
