"""The working of one finding: value, ruler, formula, rows down to single readings, budget, doubts."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from zincsmith.formats.words import number, permitted_words, prefixed, shown, value_words, where_words
from zincsmith.model.finding import Finding, Judged, Verdict
from zincsmith.showing.budget import column_words, grouped, unsplit_words
from zincsmith.ui import ink
from zincsmith.ui.theme import theme
from zincsmith.ui.widgets.claim_list import kind_of
from zincsmith.ui.widgets.claim_ruler import paint_ruler

LINE = 20
HUES = {"V": "voltage", "A": "current", "W": "power", "°C": "temperature", "%": "efficiency"}
WRAP = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop


class Working(QWidget):
    """Painted top to bottom; its height follows its content."""

    def __init__(self) -> None:
        super().__init__()
        self._judged: Judged | None = None
        self._readings: dict[str, tuple[str, str, str]] = {}
        self._earlier = ""
        self.setMinimumHeight(200)
        self.setObjectName("inside")

    def sizeHint(self) -> QSize:
        return QSize(400, max(200, self.minimumHeight()))

    def show_judged(self, judged: Judged | None, readings: dict[str, tuple[str, str, str]], earlier: str = "") -> None:
        """``readings`` maps the id of a reading to (what it says, who gave it, how); ``earlier`` is what an earlier run
        found."""
        self._judged, self._readings, self._earlier = judged, readings, earlier
        self.setAccessibleName(f"Working of {judged.finding.title}" if judged else "Working")
        self.setAccessibleDescription(earlier)
        if judged is not None:
            rows = len(_ids(judged.finding))
            doubts = 76 * len(judged.finding.doubts)
            lines = len(judged.finding.working.rows) + 2 * min(rows, 60) + 6
            self.setMinimumHeight(360 + 3 * LINE * bool(earlier) + LINE * lines + 24 * 7 + doubts)
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self._judged is None:
            ink.write(p, QRectF(self.rect()), "Choose a claim", 14, 400, theme().color("ink2"), ink.CENTRE)
            return
        y = self._headline(p, self._judged)
        y = self._before(p, y)
        y = self._formula(p, y, self._judged)
        y = self._table(p, y, self._judged.finding)
        y = self._budget(p, y, self._judged)
        y = self._doubts(p, y, self._judged.finding)
        self._singles(p, y, self._judged.finding)

    def _box(self, y: float, height: float) -> QRectF:
        return QRectF(2, y, self.width() - 14, height)

    def _headline(self, p: QPainter, judged: Judged) -> float:
        t = theme()
        value, expanded, unit = value_words(judged.finding)
        right = self._box(0, 18)
        rows = [
            (judged.verdict, judged.words, "guarded"),
            (judged.verdict_simple, judged.verdict_simple.value, "simple"),
        ]
        if judged.claim is None or judged.verdict is Verdict.NOT_TESTED:
            rows = [(judged.verdict, judged.words, "")]
        verdicts = max(ink.width(said, 13, 600) + (62 if words else 0) for _, said, words in rows) + 20
        beside = ink.width(unit, 18) + ink.width(expanded, 15) + 22
        room = right.width() - verdicts - beside
        under = 0.0
        if room < ink.width(value, 20, t.large_weight):  # a narrow panel: the verdicts stand under the value
            room, under = right.width() - beside, 40.0
        size = next((s for s in (32, 28, 24) if ink.width(value, s, t.large_weight) <= room), 20)
        ink.write(p, self._box(0, 38), value, size, t.large_weight, t.of(kind_of(judged)))
        at = 2 + ink.width(value, size, t.large_weight) + 6
        ink.write(p, QRectF(at, 8, 50, 28), unit, 18, 400, t.of(kind_of(judged)))
        ink.write(p, QRectF(at + ink.width(unit, 18) + 14, 8, 120, 28), expanded, 15, 400, t.color("ink2"))
        for at_row, (verdict, said, words) in enumerate(rows):
            y = under + 3 + 19 * at_row
            text_w = ink.width(said, 13, 600)
            left = right.right() - 62 - text_w if words else right.right() - text_w
            if under:
                left = right.left() + 22
            ink.write(p, QRectF(left + text_w + 2, y, 60, 18), words, 12, 400, t.color("ink2"), ink.RIGHT)
            ink.verdict_mark(p, QPointF(left - 14, y + 9), verdict, 14)
            ink.write(p, QRectF(left, y, text_w + 2, 18), said, 13, 600)
        if judged.claim is None or judged.finding.value is None:
            return 46.0 + under
        under += 19.0 * (len(rows) - 1) if under else 0.0
        paint_ruler(p, QRectF(24, 44 + under, self.width() - 58, 40), judged)
        if judged.probability is not None:
            chance = f"{100 * judged.probability:.0f} % likely to conform (normal, flat prior); {judged.claim.text}"
            box = self._box(86 + under, ink.wrapped_height(chance, self._box(0, 0).width(), 12))
            ink.write(p, box, chance, 12, 400, t.color("ink2"), WRAP, wrap=True)
            return 92.0 + under + box.height()
        return 108.0 + under

    def _before(self, p: QPainter, y: float) -> float:
        """What an earlier run of the same unit found, and by how much it changed."""
        if not self._earlier:
            return y
        box = self._box(y, ink.wrapped_height(self._earlier, self._box(y, 0).width(), 13))
        ink.write(p, box, self._earlier, 13, 400, theme().color("ink"), WRAP, wrap=True)
        return y + box.height() + 6

    def _formula(self, p: QPainter, y: float, judged: Judged) -> float:
        t, finding = theme(), judged.finding
        working = finding.working
        where = where_words(judged)
        if working.formula:
            ink.write(p, self._box(y, LINE), working.formula, 14, 700)
            y += LINE
        note = "; ".join(x for x in (where, working.note, permitted_words(finding), _beside(judged)) if x)
        if note:
            box = self._box(y, max(LINE, ink.wrapped_height(note, self._box(y, 0).width(), 12) + 4))
            ink.write(p, box, note, 12, 400, t.color("ink2"), WRAP, wrap=True)
            y += box.height()
        if finding.k is not None:
            dof = "infinite" if finding.dof is None or finding.dof > 9999 else f"{finding.dof:.0f}"
            ink.write(p, self._box(y, LINE), f"k = {finding.k:.3g}, {dof} degrees of freedom", 12, 400, t.color("ink2"))
            y += LINE
        return y + 4

    def _table(self, p: QPainter, y: float, finding: Finding) -> float:
        t, working = theme(), finding.working
        if not working.rows:
            return y
        columns = working.columns
        w = (self.width() - 14) / len(columns)
        for at, name in enumerate(columns):
            cell = QRectF(2 + at * w, y, w - 8, LINE)
            ink.write(p, cell, column_words(name), 12, 400, t.color("ink2"), ink.RIGHT)
        y += LINE
        ink.hairline(p, QPointF(2, y), QPointF(self.width() - 12, y))
        for row in working.rows:
            first = "load_percent" if columns[0] == "load / %" else columns[0]
            values = [row.get(name) for name in (first, *columns[1:])]
            for at, value in enumerate(values):
                cell = QRectF(2 + at * w, y, w - 8, LINE)
                hue = HUES.get(column_words(columns[at]).rsplit(" ", 1)[-1], "plain") if at else "plain"
                color = t.text_of(hue)
                ink.write(p, cell, _cell(columns[at], value), 13, 600 if at == 0 else 400, color, ink.RIGHT)
            y += LINE
        return y + 10

    def _budget(self, p: QPainter, y: float, judged: Judged) -> float:
        t, finding = theme(), judged.finding
        if not finding.contributions or finding.k is None:
            return y
        factor, unit = shown(finding)
        parts = grouped(finding.contributions)
        _, expanded, _ = value_words(finding)
        ink.write(p, self._box(y, LINE), f"Where the {expanded} {unit} comes from".replace("  ", " "), 14, 700)
        y += LINE
        remark = "whole bars: all points err alike; parted: each by itself"
        ink.write(p, self._box(y, 18), remark, 12, 400, t.color("ink2"))
        y += 20
        if note := unsplit_words(finding.contributions):
            box = self._box(y, ink.wrapped_height(note, self._box(y, 0).width(), 12))
            ink.write(p, box, note, 12, 400, t.color("ink2"), WRAP, wrap=True)
            y += box.height() + 4
        most = parts[0].u
        bar_left, bar_right = 180.0, self.width() - 80.0
        for line in parts[:6]:
            u, shared, count = line.u, line.shared, line.count
            ink.write(p, QRectF(2, y, bar_left - 8, 18), line.words, 12)
            length = (bar_right - bar_left) * u / most
            p.fillRect(QRectF(bar_left, y + 4, length, 10), t.color("edge"))
            if not shared and count > 1:
                p.setPen(QPen(t.color("paper"), 2.0))
                for k in range(1, min(count, 12)):
                    x = bar_left + length * k / min(count, 12)
                    p.drawLine(QPointF(x, y + 4), QPointF(x, y + 14))
            text = prefixed(u * factor * finding.k, unit)
            ink.write(p, QRectF(self.width() - 82, y, 70, 18), text, 12, 400, align=ink.RIGHT)
            y += 19
        return y + 8

    def _doubts(self, p: QPainter, y: float, finding: Finding) -> float:
        t = theme()
        for doubt in finding.doubts:
            words = doubt.words
            box = self._box(y, 14 + ink.wrapped_height(words, self._box(y, 0).width() - 42, 13))
            p.setBrush(t.color("paper" if doubt.ended else "doubt_ground"))
            p.setPen(QPen(t.color("edge" if doubt.ended else "doubt_edge"), 1.0))
            p.drawRoundedRect(box, 3, 3)
            ink.doubt_mark(p, QPointF(box.left() + 16, box.top() + 16))
            text = QRectF(box.left() + 32, box.top() + 6, box.width() - 42, box.height() - 8)
            ink.write(p, text, words, 13, 400, t.color("ink2" if doubt.ended else "doubt_ink"), WRAP, wrap=True)
            y += box.height() + 8
        return y

    def _singles(self, p: QPainter, y: float, finding: Finding) -> None:
        t = theme()
        ids = _ids(finding)
        if not ids:
            return
        ink.write(p, self._box(y, LINE), "Single readings", 14, 700)
        y += LINE + 2
        for one in ids[:60]:
            says, who, how = self._readings.get(one, ("not in the book", "", ""))
            ink.write(p, QRectF(2, y, 96, LINE), says, 13, 600, align=ink.RIGHT)
            ink.write(p, QRectF(108, y, self.width() - 120, LINE), who, 12, 400, t.color("ink2"))
            ink.write(
                p, QRectF(108, y + 16, self.width() - 120, LINE), f"{how}; {_place(one)}", 12, 400, t.color("ink2")
            )
            y += LINE + 18


def _beside(judged: Judged) -> str:
    return judged.claim.beside if judged.claim is not None else ""


def _ids(finding: Finding) -> list[str]:
    """The readings behind a finding, each once."""
    return list(dict.fromkeys(i for row in finding.working.rows for i in row.get("readings", ())))


def _place(identity: str) -> str:
    run, point, _ = identity.split("/")
    return f"run {run}, point {point}"


def _cell(column: str, value: object) -> str:
    if isinstance(value, str):
        return value
    if not isinstance(value, int | float):
        return "–"
    if column.startswith("load") or column == "order":
        return f"{value:g}"
    if column.endswith("%"):
        return number(float(value), 2)
    return number(float(value), 4 if abs(value) < 10 else 3)
