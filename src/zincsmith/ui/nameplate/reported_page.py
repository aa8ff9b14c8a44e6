"""Problems that somebody reported of the unit: records, looked for in every run."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QVBoxLayout, QWidget

from zincsmith.formats.entry import parse_entry
from zincsmith.model.errors import InputError
from zincsmith.model.figures import FIGURES
from zincsmith.model.reported import Reported
from zincsmith.model.unit import Unit
from zincsmith.ui.widgets.edit_table import Column, EditTable, Row
from zincsmith.ui.widgets.panel import Panel, label

NONE = " "
BY_TITLE = {one.title: name for name, one in FIGURES.items()}
COLUMNS = (
    Column("what", "what was reported", stretch=True),
    Column("source", "by whom", width=116),
    Column("figure", "the figure that shows it", choices=(NONE, *BY_TITLE), width=196),
    Column("low", "from", right=True, width=66),
    Column("high", "to", right=True, width=66),
    Column("line_V", "line V", "V", width=56, kind="voltage"),
    Column("load_percent", "load %", "%", width=56),
    Column("firmware", "firmware", width=70),
    Column("note", "note", width=76),
    Column("told", "the run says", fixed=True, stretch=True),
)
HINT = (
    "What was reported is no claim. With a figure and the span that it was reported in, each run says whether it was "
    "reproduced, not reproduced under these conditions, or not tested; the report has a part for the maker."
)


class ReportedPage(QWidget):
    """Signals: ``edited`` (the reports), ``wrong`` (a reason, or empty)."""

    edited = Signal(tuple)
    wrong = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        panel = Panel("Reported problems", "type in the empty row to add one; Ctrl+Delete takes one away")
        self.table = EditTable("Reported problems", COLUMNS)
        self.table.edited.connect(self._take)
        self.table.wrong.connect(self.wrong)
        panel.body.addWidget(self.table, 1)
        panel.body.addWidget(label(HINT, 13, 400, "second", wrap=True))
        column.addWidget(panel)

    def show_unit(self, unit: Unit | None, locked: bool, told: Sequence[str] = ()) -> None:
        """Fill the table; ``told`` is what the run shown says of each, in their order."""
        rows = [_row(one) for one in unit.reported] if unit is not None else []
        for row, words in zip(rows, told, strict=False):
            row["told"] = words
        self.table.show_rows(rows, locked or unit is None)

    def _take(self, rows: list[Row]) -> None:
        try:
            made = tuple(_reported(row) for row in rows)
        except InputError as error:
            self.wrong.emit(f"{error.message[:1].upper()}{error.message[1:]}.")
            return
        self.wrong.emit("")
        self.edited.emit(made)


def _reported(row: Row) -> Reported:
    """InputError for an end that is no figure, or one of no figure."""
    figure = BY_TITLE.get(row.get("figure") or NONE, "")
    low, high = (_end(row.get(key) or "", figure) for key in ("low", "high"))
    return Reported(
        row.get("what") or "?", row.get("source") or "", figure, low, high, row.get("line_V") or None,
        row.get("load_percent"), row.get("firmware") or "", row.get("note") or "",
    )  # fmt: skip


def _end(text: str, figure: str) -> float | None:
    if not text.strip():
        return None
    if not figure:
        raise InputError(f"choose the figure that {text.strip()!r} is of")
    info = FIGURES[figure]
    value = parse_entry(text.replace("%", " ").strip(), "%" if info.in_percent else info.unit)
    return value / 100.0 if value is not None and info.in_percent else value


def _row(one: Reported) -> Row:
    info = FIGURES.get(one.figure) if one.figure else None

    def end(value: float | None) -> str:
        if value is None or info is None:
            return ""
        return f"{100.0 * value:.6g} %" if info.in_percent else f"{value:.6g} {'' if info.unit == '1' else info.unit}"

    return {
        "what": one.what, "source": one.source, "figure": info.title if info is not None else NONE,
        "low": end(one.low), "high": end(one.high), "line_V": one.line_V, "load_percent": one.load_percent,
        "firmware": one.firmware, "note": one.note,
    }  # fmt: skip
