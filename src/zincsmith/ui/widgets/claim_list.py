"""Claims with their rulers, grouped by who states them; what nobody claimed comes last."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QScrollArea, QSizePolicy, QWidget

from zincsmith.formats.words import value_words, where_words
from zincsmith.model.finding import Judged, Verdict
from zincsmith.ui import ink
from zincsmith.ui.theme import theme
from zincsmith.ui.widgets.claim_ruler import paint_ruler

ROW_H, HEAD_H = 44, 26
KIND = {"V": "voltage", "A": "current", "W": "power", "degC": "temperature", "ohm": "voltage"}


def kind_of(judged: Judged) -> str:
    """The kind of quantity a finding is about, for its colour."""
    name = judged.finding.name
    if "efficiency" in name:
        return "efficiency"
    if "regulation" in name:
        return "voltage"
    return KIND.get(judged.finding.unit, "plain")


class ClaimRows(QWidget):
    """The rows themselves. Signal ``chosen`` carries the place of a finding in the list that was given."""

    chosen = Signal(int)

    def __init__(self) -> None:
        super().__init__()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setObjectName("inside")
        self.setAccessibleName("Claims and findings")
        self._groups: list[tuple[str, str, list[tuple[int, Judged]]]] = []
        self._current = -1

    def show_judged(self, judged: list[tuple[int, Judged]]) -> None:
        sources: dict[str, list[tuple[int, Judged]]] = {}
        for at, one in judged:
            sources.setdefault(one.claim.source if one.claim else "", []).append((at, one))
        self._groups = []
        for source, rows in sources.items():
            if source:
                title = "Label and manual" if source == "label" else source[:1].upper() + source[1:]
                published = rows[0][1].claim is not None and rows[0][1].claim.published
                remark = "published limit, no guard band in it: both verdicts" if published else ""
            else:
                title, remark = "Nobody claimed these", "worked out all the same"
            self._groups.append((title, remark, rows))
        self.setFixedHeight(max(60, sum(HEAD_H + ROW_H * len(rows) for _, _, rows in self._groups)))
        self.update()

    def select(self, at: int) -> None:
        self._current = at
        one = next((j for _, _, rows in self._groups for k, j in rows if k == at), None)
        if one is not None:
            value, expanded, unit = value_words(one.finding)
            self.setAccessibleDescription(f"{one.finding.title}: {value} {expanded} {unit}, {one.words}")
        self.update()

    def rect_of(self, at: int) -> QRectF:
        y = 0.0
        for _, _, rows in self._groups:
            y += HEAD_H
            for place, _ in rows:
                if place == at:
                    return QRectF(0, y, self.width(), ROW_H)
                y += ROW_H
        return QRectF()

    def sizeHint(self) -> QSize:
        return QSize(690, 300)

    def paintEvent(self, event: QPaintEvent) -> None:
        t, p = theme(), QPainter(self)
        y, w = 0.0, float(self.width())
        if not self._groups:
            ink.write(p, QRectF(0, 0, w, 60), "nothing with this verdict", 14, 400, t.color("ink2"), ink.CENTRE)
        for title, remark, rows in self._groups:
            head = QRectF(0, y, w, HEAD_H)
            p.fillRect(head, t.color("chosen"))
            ink.write(p, head.adjusted(16, 0, 0, 0), title, 13, 600)
            left = 16 + ink.width(title, 13, 600) + 12
            ink.write(p, head.adjusted(left, 0, -260, 0), f"{len(rows)}", 13, 400, t.color("ink2"))
            ink.write(p, head.adjusted(0, 0, -16, 0), remark, 12, 400, t.color("ink2"), ink.RIGHT)
            y += HEAD_H
            for place, one in rows:
                self._row(p, QRectF(0, y, w, ROW_H), one, place == self._current)
                y += ROW_H

    def _row(self, p: QPainter, box: QRectF, one: Judged, chosen: bool) -> None:
        t = theme()
        if chosen:
            p.fillRect(box, t.color("chosen"))
            p.fillRect(QRectF(0, box.top(), 4, box.height()), t.color("ink"))
        ink.hairline(p, box.bottomLeft(), box.bottomRight())
        value, expanded, unit = value_words(one.finding)
        claim = one.claim.text if one.claim else one.finding.working.formula
        where = where_words(one) or (one.claim.condition_text if one.claim else "")
        value_right = 0.455 * box.width()
        ruler_left = value_right + 22
        verdict_left = box.width() - 182
        shown = f"{value} {unit}".strip()
        names = QRectF(16, box.top() + 4, value_right - 16 - ink.width(shown, 15, 600) - 12, 18)
        ink.write(p, names, one.finding.title, 14, 600)
        under = QRectF(16, box.top() + 22, value_right - 90, 18)
        told = (claim, where) if one.claim else (where, claim)  # where nobody claims it, its place tells it from others
        ink.write(p, under, "   ".join(told), 12, 400, t.color("ink2"))
        figure = QRectF(value_right - 130, box.top() + 3, 130, 20)
        ink.write(p, figure, shown, 15, 600, t.text_of(kind_of(one)), ink.RIGHT)
        ink.write(p, figure.translated(0, 19), expanded, 12, 400, t.color("ink2"), ink.RIGHT)
        paint_ruler(p, QRectF(ruler_left, box.top() + 2, verdict_left - ruler_left - 34, 40), one)
        self._verdicts(p, QRectF(verdict_left, box.top(), 182, box.height()), one)
        if any(not d.ended for d in one.finding.doubts):
            ink.doubt_mark(p, QPointF(verdict_left - 13, box.center().y()))

    @staticmethod
    def _verdicts(p: QPainter, box: QRectF, one: Judged) -> None:
        t = theme()
        both = one.claim is not None and one.claim.published and one.verdict is not Verdict.NOT_TESTED
        rows = [(one.verdict, one.words, "guarded"), (one.verdict_simple, one.verdict_simple.value, "simple")]
        rows = rows if both else [(one.verdict, one.words, "")]
        for at, (verdict, said, words) in enumerate(rows):
            y = box.center().y() + (at - (len(rows) - 1) / 2) * 19
            ink.verdict_mark(p, QPointF(box.left() + 8, y), verdict, 14)
            ink.write(p, QRectF(box.left() + 21, y - 9, 112, 18), said, 13, 600)
            room = box.width() - 25 - ink.width(said, 13, 600) - 6
            if words and room > ink.width(words, 12):
                right = QRectF(box.right() - room - 4, y - 9, room, 18)
                ink.write(p, right, words, 12, 400, t.color("ink2"), ink.RIGHT)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        for _, _, rows in self._groups:
            for place, _ in rows:
                if self.rect_of(place).contains(event.position()):
                    self.chosen.emit(place)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        order = [place for _, _, rows in self._groups for place, _ in rows]
        step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()))
        if step is None or not order:
            super().keyPressEvent(event)
            return
        here = order.index(self._current) if self._current in order else -1
        self.chosen.emit(order[min(max(here + step, 0), len(order) - 1)])


class ClaimList(QScrollArea):
    """The rows in a scroll area that follows the choice."""

    def __init__(self) -> None:
        super().__init__()
        self.rows = ClaimRows()
        self.setWidget(self.rows)
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)

    def select(self, at: int) -> None:
        self.rows.select(at)
        rect = self.rows.rect_of(at)
        self.ensureVisible(0, int(rect.center().y()), 0, ROW_H)
