"""Rig: which instrument plays which role, how it is wired, how accurate it is. Read-only in this version."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtGui import QBrush
from PySide6.QtWidgets import QFileDialog, QHeaderView, QTableWidgetItem, QVBoxLayout

from zincsmith.formats.rig_file import read_rig
from zincsmith.judge.instrument_words import accuracy_words, limit_words
from zincsmith.model.errors import InputError
from zincsmith.model.quantities import QUANTITIES, ROLES
from zincsmith.model.rig import Rig
from zincsmith.ui.session import Session
from zincsmith.ui.station import Station
from zincsmith.ui.theme import font, theme
from zincsmith.ui.widgets.panel import Panel, button, heading_row, label
from zincsmith.ui.widgets.plain_table import PlainTable
from zincsmith.ui.widgets.wiring_sheet import WiringSheet

HEADINGS = ("role", "instrument", "how", "reads", "accuracy", "at the rated point", "calibrated")


class RigStation(Station):
    """Wiring sheet above, roles with their accuracy below."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(16, 8, 16, 12)
        outer.setSpacing(9)
        row, _ = heading_row("Rig")
        self.summary = label("", 13, 400, "second")
        self.name = label("", 14, 600)
        self.load_button = button("Load a rig file…  Ctrl+O", weight=400)
        self.load_button.setShortcut("Ctrl+O")
        self.load_button.clicked.connect(self._load)
        self.problem = label("", 13, 400, "problem", wrap=True)
        row.addWidget(self.summary)
        row.addStretch()
        row.addWidget(self.name)
        row.addWidget(self.load_button)
        outer.addLayout(row)
        outer.addWidget(self.problem)
        self.problem.hide()
        sheet = Panel("Wiring sheet", "in the order the current flows; expected values at full load")
        self.sheet = WiringSheet()
        sheet.body.addWidget(self.sheet, 1)
        outer.addWidget(sheet, 1)
        self.table = self._make_table()
        roles = Panel("Instruments in their roles", "limits of error as the data sheets state them")
        roles.body.addWidget(self.table)
        roles.setFixedHeight(262)
        outer.addWidget(roles)

    @staticmethod
    def _make_table() -> PlainTable:
        table = PlainTable("Instruments in their roles", HEADINGS, 22)
        header = table.horizontalHeader()
        for column in range(len(HEADINGS) - 1):
            header.setSectionResizeMode(column, QHeaderView.ResizeMode.ResizeToContents)
        header.setSectionResizeMode(len(HEADINGS) - 1, QHeaderView.ResizeMode.Stretch)
        return table

    def refresh(self) -> None:
        rig, unit = self.session.rig, self.session.unit
        self.sheet.show_rig(rig, unit, self.session.plan.options.lines[0])
        self.load_button.setEnabled(not self.session.view.active and not self.session.read_only)
        if rig is None:
            self.summary.setText("no rig yet: load a rig file")
            self.table.setRowCount(0)
            return
        counts = {how: sum(i.how == how for i in rig.instruments) for how in ("simulated", "connected", "by hand")}
        self.summary.setText(", ".join(f"{n} {how}" for how, n in counts.items() if n))
        self.name.setText(rig.name)
        self._fill(rig)

    def _fill(self, rig: Rig) -> None:
        rows = [(i, a) for i in rig.instruments for a in (i.accuracy or (None,))]
        self.table.setRowCount(len(rows))
        last = ""
        for at, (one, accuracy) in enumerate(rows):
            first = one.role != last
            last = one.role
            info = QUANTITIES[accuracy.quantity] if accuracy else None
            texts = (
                ROLES[one.role] if first else "",
                f"{one.name}  {one.serial}" if first else "",
                one.how if first else "",
                info.words.lower() if info else "switches",
                accuracy_words(accuracy) if accuracy else "",
                limit_words(accuracy, self.session.unit, self.session.plan.options.lines[0]) if accuracy else "",
                (one.calibrated or "not stated") if first else "",
            )
            for column, text in enumerate(texts):
                item = QTableWidgetItem(text)
                if column == 0:
                    item.setFont(font(13, 600))
                elif column == 3 and info:
                    item.setForeground(QBrush(theme().text_of(info.kind)))
                elif column in (1, 2, 6):
                    item.setForeground(QBrush(theme().color("ink2")))
                self.table.setItem(at, column, item)

    def _load(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Load a rig file", "", "Rigs (*.toml)")
        if name:
            self.load_file(Path(name))

    def load_file(self, file: Path) -> None:
        """Take a rig file; what is wrong in it is said here and nothing changes."""
        try:
            rig = read_rig(file)
        except InputError as error:
            self.problem.setText(str(error))
            self.problem.show()
            return
        self.problem.hide()
        self.session.use_rig(rig)
