"""Rig: is it wired right, and can it decide?"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QVBoxLayout, QWidget

from zincsmith.formats.rig_file import check_rig, read_rig, rig_text
from zincsmith.model.commands import Scan, TryInstrument
from zincsmith.model.errors import InputError
from zincsmith.model.fed import fed_input
from zincsmith.model.plan import Line
from zincsmith.model.quantities import ROOM
from zincsmith.model.rig import Instrument, Rig
from zincsmith.model.roles import ROLES
from zincsmith.showing.rig_words import brings_back, counts
from zincsmith.suitability.case import Severity
from zincsmith.ui.connection.session import Session
from zincsmith.ui.rig.decisions import DecisionTable
from zincsmith.ui.rig.element_panel import ElementPanel
from zincsmith.ui.rig.wiring_sheet import WiringSheet, element_of
from zincsmith.ui.station import Station
from zincsmith.ui.theme import font
from zincsmith.ui.widgets.choice import Deed
from zincsmith.ui.widgets.floating import Message
from zincsmith.ui.widgets.panel import Panel, button, heading_row, label
from zincsmith.ui.widgets.segments import Segments

BY_HAND = ("ac_source", "power_meter", "load", "voltmeter", "thermometer")


class RigStation(Station):
    """Wiring sheet and what the rig can decide on the left, the open element on the right."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._at = ""
        self._line = 0
        self.problem = Message(self)
        self.summary = label("", 13, 400, "second")
        self.name = label("", 14, 600)
        self.undo, self.redo = button("Undo  Ctrl+Z", weight=400), button("Redo", weight=400)
        self.load_button = button("Open TOML…  Ctrl+O", weight=400)
        self.load_button.setShortcut("Ctrl+O")
        self.save_button = button("Save TOML…", weight=400)
        self.begin = button("Begin a rig by hand", "main")
        self.sheet, self.element, self.table = WiringSheet(), ElementPanel(), DecisionTable()
        self._lay_out()
        self.undo.clicked.connect(lambda: session.undo("rig"))
        self.redo.clicked.connect(lambda: session.redo("rig"))
        self.load_button.clicked.connect(self._load)
        self.save_button.clicked.connect(self._save)
        self.begin.clicked.connect(self._begin)
        self.sheet.chosen.connect(self.open_element)
        self.element.edited.connect(self._give)
        self.element.wrong.connect(self._say)
        self.element.tries.connect(lambda role: session.send(TryInstrument(role)))
        session.tried.connect(self.element.show_tried)
        session.ahead.predicted.connect(self._show_decisions)
        session.scanned.connect(self.element.scanning.show_found)
        self.element.scans.connect(lambda hosts: session.send(Scan(hosts)))
        session.refused.connect(
            lambda do, message: self.element.scanning.show_refused(message) if do == "scan" else None
        )
        session.refused.connect(lambda do, message: self.element.trying.show_refused(message) if do == "try" else None)
        for key, act in (
            ("Ctrl+Z", lambda: session.undo("rig")),
            ("Ctrl+Shift+Z", lambda: session.redo("rig")),
        ):
            shortcut = QShortcut(QKeySequence(key), self)
            shortcut.setContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
            shortcut.activated.connect(act)

    def _lay_out(self) -> None:
        outer = QVBoxLayout(self)
        outer.setContentsMargins(16, 8, 16, 12)
        outer.setSpacing(9)
        row, _ = heading_row("Rig")
        row.addWidget(self.summary)
        row.addStretch()
        for one in (self.name, self.undo, self.redo, self.load_button, self.save_button):
            row.addWidget(one)
        outer.addLayout(row)
        both = QHBoxLayout()
        both.setSpacing(9)
        left = QVBoxLayout()
        left.setSpacing(9)
        sheet = Panel("Wiring sheet", "in the order the current flows; expected at full load")
        self.lines = Segments("Full load at", ("",) * 0)
        self._line_row = QHBoxLayout()
        sheet.head.addLayout(self._line_row)
        self.add = Deed()
        self.add.setFont(font(13))
        self.add.setAccessibleName("Add a role to the rig")
        self.add.activated.connect(self._add_role)
        self.add.setFixedWidth(122)  # as wide as its first words, whatever may be chosen
        sheet.head.addWidget(self.add)
        sheet.body.addWidget(self.sheet, 1)
        sheet.body.addWidget(self.begin)
        left.addWidget(sheet, 5)
        self.decide_panel = Panel("What this rig can decide")
        self.decide_panel.body.addWidget(self.table)
        left.addWidget(self.decide_panel, 3)
        both.addLayout(left, 1)
        self.element.setFixedWidth(346)
        both.addWidget(self.element)
        outer.addLayout(both, 1)

    def smaller(self) -> Sequence[QWidget]:
        return self.decide_panel, self.element

    # Showing

    def refresh(self) -> None:
        rig, unit = self.session.rig, self.session.unit
        locked = bool(self.session.read_only) or self.session.view.active
        self.begin.setVisible(rig is None)
        self.begin.setEnabled(not locked)
        self.element.setVisible(rig is not None)
        self.load_button.setEnabled(not locked)
        self.save_button.setEnabled(rig is not None)
        can_undo, can_redo = self.session.steps("rig")
        self.undo.setEnabled(can_undo and not locked)
        self.redo.setEnabled(can_redo and not locked)
        line = self._show_lines()
        faults = self.session.ahead.faults()
        if rig is not None and not self._at:
            first = next((f for f in faults if f.severity is not Severity.REMARK), None)
            self._at = element_of(first.at) if first is not None else "power_meter"
        self.sheet.show_rig(rig, unit, line.voltage_V, faults, self._at)
        self._show_decisions()
        if rig is None:
            self.summary.setText("no rig yet: open a rig file, or begin one by hand")
            self.name.setText("")
            return
        self._show_summary(rig)
        self.element.show_element(rig, unit, line, self._at, faults, locked, self.session.allowed("try"))
        missing = [role for role in ROLES if role != "clock" and not rig.of(role)]
        self.add.clear()
        self.add.addItem("Add a role…", "")
        for role in missing:
            self.add.addItem(ROLES[role], role)
        self.add.setEnabled(not locked)

    def _show_lines(self) -> Line:
        """The lines of the plan as segments: the expected figures are those at the chosen one."""
        plan, unit, rig = self.session.plan.lines, self.session.unit, self.session.rig
        lines: tuple[Line, ...] = plan
        if unit is not None and unit.nameplate.inputs:
            rating = unit.nameplate.inputs[0 if rig is None else fed_input(unit.nameplate, rig)]
            if rating.type == "dc":
                lines = tuple(Line(v, 0.0) for v in dict.fromkeys(rating.voltage_V))
            elif rating.selector_set_V is None and not any(abs(x.voltage_V - rating.voltage_min_V) < 1.0 for x in plan):
                lines = (Line(rating.voltage_min_V, max(rating.frequency_Hz, default=50.0)), *plan)
        words = tuple(f"{x.voltage_V:g} V" for x in lines)
        if tuple(self.lines.buttons) != words:
            self.lines.deleteLater()
            self.lines = Segments("Full load at", tuple(dict.fromkeys(words)))
            self.lines.chosen.connect(self._choose_line)
            self._line_row.addWidget(self.lines)
            self._line = min(self._line, len(lines) - 1)
        self.lines.choose(words[self._line])
        return lines[self._line]

    def _choose_line(self, word: str) -> None:
        self._line = list(self.lines.buttons).index(word)
        self.refresh()

    def _show_summary(self, rig: Rig) -> None:
        faults = self.session.ahead.faults()
        ways = {how: sum(i.how == how for i in rig.instruments) for how in ("simulated", "connected", "by hand")}
        stops = sum(f.severity is Severity.STOP for f in faults)
        doubts = sum(f.severity is Severity.DOUBT for f in faults)
        parts = [f"{stops} stop{'s' if stops > 1 else ''}"] if stops else []
        parts += [f"{doubts} doubt{'s' if doubts > 1 else ''}"] if doubts else []
        parts += [f"{n} {how}" for how, n in ways.items() if n]
        self.summary.setText("   ·   ".join(parts))
        self.name.setText(rig.name)

    def _show_decisions(self) -> None:
        self.table.show_decisions(self.session.ahead.prediction().decisions)
        self.decide_panel.remark.setText(self._decide_words())

    def _decide_words(self) -> str:
        suited = self.session.ahead.prediction()
        if suited.problem:
            return suited.problem
        now, after = counts(suited.decisions), counts(suited.decisions, moved=True)
        words = [
            f"{word} {now[word]}" + (f" → {after[word]}" if after[word] != now[word] else "")
            for word in ("decides", "marginal", "cannot", "no procedure yet")
            if now[word] or after[word]
        ]
        way = brings_back(suited.decisions)
        moved = "   → once sense is at the unit" if now != after else ""
        return "   ".join(words) + moved + (f"   ·   {way}" if way else "")

    def open_element(self, at: str) -> None:
        """Open an element of the sheet beside it."""
        self._at = at
        self.refresh()

    def _say(self, text: str) -> None:
        self.problem.setText(text)

    # Editing

    def _give(self, rig: Rig, why: str) -> None:
        problems = check_rig(rig)
        self._say(f"{problems[0].message[0].upper()}{problems[0].message[1:]}." if problems else "")
        if not problems:
            self.session.revise_rig(rig, f"{why}, at Rig")

    def _add_role(self) -> None:
        role, rig = self.add.currentData(), self.session.rig
        if role and rig is not None:
            self._at = role
            unit = self.session.unit
            nodes = unit.nameplate.nodes if unit is not None and role == "node_voltmeter" else ()
            at = nodes[0].name if nodes else ""
            if role == "spot_thermometer":  # the first part that has none yet, then the room
                taken = {one.port for one in rig.of(role)}
                parts = [p.name for p in unit.look.parts] if unit is not None else []
                at = next((name for name in (*parts, ROOM) if name not in taken), f"spot {len(taken) + 1}")
            made = Instrument(role, "by hand", port=at)
            self._give(
                replace(rig, instruments=(*rig.instruments, made)),
                f"{ROLES[role]} added",
            )

    def _begin(self) -> None:
        self.session.use_rig(Rig("Bench by hand", "wall", tuple(Instrument(role, "by hand") for role in BY_HAND)))

    def _load(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Open a rig file", "", "Rigs (*.toml)")
        if name:
            self.load_file(Path(name))

    def load_file(self, file: Path) -> None:
        """Take a rig file; what is wrong in it is said here and nothing changes."""
        try:
            rig = read_rig(file)
        except InputError as error:
            self._say(str(error))
            return
        self._say("")
        self._at = ""
        self.session.use_rig(rig)

    def _save(self) -> None:
        name, _ = QFileDialog.getSaveFileName(self, "Save the rig as a file", "", "Rigs (*.toml)")
        if name:
            self.save_file(Path(name))

    def save_file(self, file: Path) -> None:
        """Write the rig as TOML."""
        if self.session.rig is None:
            return
        try:
            file.write_text(rig_text(self.session.rig), encoding="utf-8")
        except OSError as error:
            self._say(f"{file}: cannot be written ({error.strerror}).")

    def take_focus(self) -> None:
        self.sheet.setFocus()
