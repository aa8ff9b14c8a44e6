"""Safety records and the cautions: who is allowed to do what, and what was measured by whom."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from zincsmith.before_power.safety import SHOWN, WHO_MAY, default_limits, safety_words
from zincsmith.model.intake import SafetyRecord, SafetyTest
from zincsmith.model.unit import Unit
from zincsmith.procedures.cautions import CAUTIONS, cautions_for
from zincsmith.ui.theme import font
from zincsmith.ui.widgets.edit_table import Column, EditTable, Row
from zincsmith.ui.widgets.panel import Panel, label
from zincsmith.ui.widgets.tick_box import TickBox

COLUMNS = (
    Column("test", "test", choices=tuple(SHOWN), width=150),
    Column("value", "read", "1", width=70),
    Column("unit", "unit", fixed=True, width=44),
    Column("low", "at least", "1", width=70),
    Column("high", "at most", "1", width=70),
    Column("method", "with", choices=("", "meter", "beeper"), width=70),
    Column("point", "test point", width=90),
    Column("current_A", "A", "A", width=46),
    Column("instrument", "instrument", stretch=True),
    Column("by", "done by", stretch=True),
    Column("on", "on", width=90),
    Column("note", "how", stretch=True),
    Column("verdict", "against the limit", fixed=True, width=120),
)


class SafetyPage(QWidget):
    """Signals: ``edited`` (a unit with other records or acknowledged cautions, and why), ``wrong`` (a reason)."""

    edited = Signal(object, str)
    wrong = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self._unit: Unit | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(9)
        records = Panel(
            "Safety records", "Zincsmith records and compares; limits can be edited and defer to local code"
        )
        self.table = EditTable("Safety records", COLUMNS)
        self.table.edited.connect(self._take)
        self.table.wrong.connect(self.wrong)
        records.body.addWidget(self.table, 1)
        for words in WHO_MAY:
            records.body.addWidget(label(words, 13, 400, "second", wrap=True))
        column.addWidget(records, 1)
        cautions = Panel("Cautions that apply here", "acknowledged, one by one")
        self.boxes: dict[str, TickBox] = {}
        self.words: dict[str, QLabel] = {}
        for code, text in CAUTIONS.items():
            line = QHBoxLayout()
            box = TickBox()
            box.setAccessibleName(f"Acknowledged: {text}")
            box.setFont(font(13))
            box.toggled.connect(lambda on, c=code: self._acknowledge(c, on))
            line.addWidget(box)
            said = label(text, 13, wrap=True)
            line.addWidget(said, 1)
            cautions.body.addLayout(line)
            self.boxes[code], self.words[code] = box, said
        column.addWidget(cautions)

    def show_unit(self, unit: Unit | None, locked: bool) -> None:
        self._unit = unit
        locked = locked or unit is None
        self.table.show_rows([_row(one) for one in unit.safety] if unit is not None else [], locked)
        done = unit.acknowledged if unit is not None else ()
        applies = cautions_for(unit) if unit is not None else CAUTIONS
        for code, box in self.boxes.items():
            box.setVisible(code in applies)
            self.words[code].setVisible(code in applies)
            box.blockSignals(True)
            box.setChecked(code in done)
            box.setEnabled(not locked)
            box.blockSignals(False)

    def _acknowledge(self, code: str, on: bool) -> None:
        if self._unit is None:
            return
        rest = [c for c in self._unit.acknowledged if c != code]
        unit = replace(self._unit, acknowledged=tuple([*rest, code] if on else rest))
        self.edited.emit(unit, "caution acknowledged" if on else "caution taken back")

    def _take(self, rows: list[Row]) -> None:
        if self._unit is None:
            return
        made = []
        for n, row in enumerate(rows):
            test: SafetyTest = row.get("test") or "earth continuity"
            if row.get("value") is None:
                self.wrong.emit(f"Record {n + 1}: type what was read, in {SHOWN[test][1]}.")
                return
            scale, _ = SHOWN[test]
            low, high = row.get("low"), row.get("high")
            if low is None and high is None:
                limits = default_limits(test, self._unit.nameplate.marks)
                low, high = (x / scale if x is not None else None for x in limits)
            record = SafetyRecord(
                test,
                float(f"{row['value'] * scale:.10g}"),
                float(f"{low * scale:.10g}") if low is not None else None,
                float(f"{high * scale:.10g}") if high is not None else None,
                row.get("instrument") or "",
                row.get("by") or "",
                row.get("on") or "",
                row.get("note") or "",
                row.get("method") or "",
                row.get("point") or "",
                row.get("current_A"),
            )
            made.append(record)
        self.edited.emit(replace(self._unit, safety=tuple(made)), "safety record")


def _row(one: SafetyRecord) -> Row:
    scale, unit = SHOWN[one.test]
    return {
        "test": one.test,
        "value": one.value / scale,
        "unit": unit,
        "low": one.low / scale if one.low is not None else None,
        "high": one.high / scale if one.high is not None else None,
        "instrument": one.instrument,
        "by": one.by,
        "on": one.on,
        "note": one.note,
        "method": one.method,
        "point": one.point,
        "current_A": one.current_A,
        "verdict": safety_words(one),
    }
