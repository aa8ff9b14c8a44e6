"""Nameplate: what does it claim? Ratings are typed, the plate and the claims follow."""

from __future__ import annotations

from dataclasses import dataclass, replace

from PySide6.QtCore import QEvent, Qt
from PySide6.QtGui import QKeyEvent, QKeySequence, QShortcut
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QLineEdit, QVBoxLayout

from zincsmith.formats.entry import parse_entry
from zincsmith.formats.label_fields import LabelFields
from zincsmith.formats.plate_check import check_nameplate
from zincsmith.judge.claims import claims_of
from zincsmith.model.errors import InputError
from zincsmith.model.claim import RuleChoice
from zincsmith.model.unit import InputRating, Nameplate, OutputRating, Unit
from zincsmith.rules.loader import load, names
from zincsmith.ui.session import Session
from zincsmith.ui.station import Station
from zincsmith.ui.theme import font
from zincsmith.ui.widgets.choice import Choice
from zincsmith.ui.widgets.claim_table import ClaimTable
from zincsmith.ui.widgets.label_line import LabelLineEntry
from zincsmith.ui.widgets.panel import Panel, button, heading_row, label
from zincsmith.ui.widgets.rating_plate import RatingPlate


@dataclass(frozen=True)
class Field:
    """One entry of the form: ``path`` is its key in a unit file, ``unit`` empty for text."""

    path: str
    words: str
    unit: str = ""
    required: bool = False
    column: int = 0


FIELDS = (
    Field("maker", "Maker", required=True),
    Field("model", "Model", required=True),
    Field("tag", "Tag", required=True),
    Field("serial", "Serial"),
    Field("input.voltage_min_V", "Input from", "V", True),
    Field("input.voltage_max_V", "Input to", "V", True),
    Field("input.frequency_Hz", "Frequencies", "Hz", True),
    Field("input.current_A", "Input current", "A"),
    Field("output.voltage_V", "Output", "V", True, 1),
    Field("output.current_A", "Output current", "A", True, 1),
    Field("output.power_W", "Output power", "W", False, 1),
    Field("output.tolerance_percent", "Tolerance ±", "%", False, 1),
    Field("output.load_regulation_percent", "Load regulation ≤", "%", False, 1),
    Field("output.line_regulation_percent", "Line regulation ≤", "%", False, 1),
    Field("claims.average_efficiency_percent", "Average efficiency ≥", "%", False, 1),
    Field("claims.no_load_power_W", "No-load power ≤", "W", False, 1),
)
# A range is one value in a unit file and two entries here: either may be the wrong one.
PROBLEM_FIELDS = {"input.voltage_V": ("input.voltage_min_V", "input.voltage_max_V")}


class RatingEdit(QLineEdit):
    """A line whose own undo gives way to the station's as soon as its text is committed."""

    def event(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.ShortcutOverride and isinstance(event, QKeyEvent) and not self.isModified():
            undo = event.matches(QKeySequence.StandardKey.Undo) or event.matches(QKeySequence.StandardKey.Redo)
            if undo:
                event.ignore()
                return False
        return super().event(event)


class NameplateStation(Station):
    """A wrong entry stays where it was typed, with the reason below it; nothing else is lost by it."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.edits: dict[str, RatingEdit] = {}
        self._shown: Unit | None = None
        self._loading = False
        self._marks: tuple[str, ...] = ()
        self.problem = label("", 13, 400, "problem", wrap=True)
        self.plate = RatingPlate()
        self.claims = ClaimTable()
        self.rule = Choice()
        self.undo, self.redo = button("Undo  Ctrl+Z", weight=400), button("Redo  Ctrl+Shift+Z", weight=400)
        self.count = label("", 13, 400, "second")
        self.label_line = LabelLineEntry()
        self.label_line.taken.connect(self._take_label)
        self._lay_out()
        self.undo.clicked.connect(session.undo)
        self.redo.clicked.connect(session.redo)
        for key, action in (
            (QKeySequence.StandardKey.Undo, session.undo),
            (QKeySequence.StandardKey.Redo, session.redo),
        ):
            shortcut = QShortcut(QKeySequence(key), self)
            shortcut.setContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
            shortcut.activated.connect(action)

    def _lay_out(self) -> None:
        outer = QVBoxLayout(self)
        outer.setContentsMargins(16, 8, 16, 12)
        outer.setSpacing(9)
        row, _ = heading_row("Nameplate")
        row.addWidget(self.count)
        row.addStretch()
        row.addWidget(self.undo)
        row.addWidget(self.redo)
        outer.addLayout(row)
        top = QHBoxLayout()
        top.setSpacing(9)
        top.addWidget(self._form(), 5)
        plate = Panel("Rating plate", "drawn from the ratings")
        plate.body.addWidget(self.plate, 1)
        top.addWidget(plate, 4)
        outer.addLayout(top)
        self.claims_panel = Panel("Claims", "what follows from the plate and the rules it is held to")
        self.claims_panel.body.addWidget(self.claims)
        outer.addWidget(self.claims_panel, 1)

    def _form(self) -> Panel:
        panel = Panel("Ratings as printed", "an empty field is a figure nobody stated: it makes no claim")
        panel.body.addWidget(self.label_line)
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(3)
        grid.setColumnStretch(1, 1)
        grid.setColumnStretch(4, 1)
        grid.setColumnMinimumWidth(2, 22)
        rows = [0, 0]
        for field in FIELDS:
            edit = RatingEdit()
            edit.setFont(font(14))
            edit.setAccessibleName(f"{field.words} {field.unit}".strip())
            edit.textEdited.connect(lambda _text: self._check())
            edit.editingFinished.connect(self._commit)
            name = label(field.words, 13)
            name.setBuddy(edit)
            at, column = rows[field.column], 3 * field.column
            grid.addWidget(name, at, column)
            grid.addWidget(edit, at, column + 1)
            grid.addWidget(label(field.unit, 13, 400, "second"), at, column + 2)
            rows[field.column] += 1
            self.edits[field.path] = edit
        panel.body.addLayout(grid)
        rules = QHBoxLayout()
        rules.addWidget(label("Held to", 13))
        self.rule.setFont(font(13))
        self.rule.setAccessibleName("Published rule and class the unit is held to")
        self.rule.addItem("no published rule", None)
        for name_ in names():
            rule_set = load(name_)
            for kind, one in rule_set.classes.items():
                self.rule.addItem(f"{rule_set.short}: {one.words}", RuleChoice(name_, kind))
        self.rule.activated.connect(self._commit)
        rules.addWidget(self.rule, 1)
        panel.body.addLayout(rules)
        panel.body.addWidget(self.problem)
        panel.body.addStretch()
        return panel

    # Showing

    def refresh(self) -> None:
        unit = self.session.unit
        if unit is not self._shown:
            self._shown = unit
            self._fill(unit)
        writable = not self.session.read_only
        self.undo.setEnabled(self.session.can_undo and writable)
        self.redo.setEnabled(self.session.can_redo and writable)
        if unit is None:
            self._say("Type maker, model, tag, input range, output volts and amps: the claims follow.")

    def _fill(self, unit: Unit | None) -> None:
        self.plate.show_unit(unit)
        claims = claims_of(unit.nameplate) if unit else []
        self.claims.show_claims(claims)
        self.count.setText(f"{len(claims)} claims" if unit else "no unit yet")
        if unit is None:
            return
        self._marks = unit.nameplate.marks
        self._loading = True
        for path, text in _texts(unit).items():
            edit = self.edits[path]
            if not (edit.isModified() and edit.property("wrong")):
                edit.setText(text)
                edit.setModified(False)
        choice = unit.nameplate.rules[0] if unit.nameplate.rules else None
        at = next((k for k in range(self.rule.count()) if self.rule.itemData(k) == choice), 0)
        self.rule.setCurrentIndex(at)
        self._loading = False
        self._check()

    # Editing

    def _check(self) -> Unit | None:
        """The unit as typed, or None with the first problem marked at its field."""
        wrong: dict[str, str] = {}
        unit = self._build(wrong)
        if unit is not None:
            for problem in check_nameplate(unit.nameplate):
                for path in PROBLEM_FIELDS.get(problem.field, (problem.field,)):
                    wrong.setdefault(path, problem.message[0].upper() + problem.message[1:] + ".")
        for path, edit in self.edits.items():
            marked = path in wrong
            if bool(edit.property("wrong")) != marked:
                edit.setProperty("wrong", marked)
                edit.style().unpolish(edit)
                edit.style().polish(edit)
            edit.setAccessibleDescription(wrong.get(path, ""))
        first = next((path for path in wrong), None)
        if first is None:
            self._say("")
            return unit
        words = next(f.words for f in FIELDS if f.path == first)
        self._say(f"{words}: {wrong[first]}")
        return None

    def _say(self, text: str) -> None:
        self.problem.setText(text)
        self.problem.setVisible(bool(text))

    def _build(self, wrong: dict[str, str]) -> Unit | None:
        values: dict[str, float | None] = {}
        for field in FIELDS:
            text = self.edits[field.path].text().strip()
            if not text:
                values[field.path] = None
                if field.required and any(edit.text() for edit in self.edits.values()):
                    wrong[field.path] = "needed."
            elif field.unit and field.path != "input.frequency_Hz":
                try:
                    values[field.path] = parse_entry(text, field.unit)
                except InputError as error:
                    wrong[field.path] = f"{error.message}."
        frequencies = self._frequencies(wrong)
        if wrong or not any(edit.text() for edit in self.edits.values()):
            return None
        old = self.session.unit
        rule: RuleChoice | None = self.rule.currentData()

        def value(path: str) -> float:
            found = values[path]
            assert found is not None
            return found

        plate = Nameplate(
            input=InputRating(
                value("input.voltage_min_V"), value("input.voltage_max_V"), frequencies, values["input.current_A"]
            ),
            output=OutputRating(
                value("output.voltage_V"),
                value("output.current_A"),
                values["output.power_W"],
                values["output.tolerance_percent"],
                values["output.load_regulation_percent"],
                values["output.line_regulation_percent"],
            ),
            average_efficiency_percent=values["claims.average_efficiency_percent"],
            no_load_power_W=values["claims.no_load_power_W"],
            rules=(rule,) if rule is not None else (),
            marks=self._marks,
        )
        texts = {path: self.edits[path].text().strip() for path in ("tag", "maker", "model", "serial")}
        if old is not None:
            return replace(old, nameplate=plate, **texts)
        return Unit(nameplate=plate, **texts)

    def _take_label(self, found: LabelFields) -> None:
        """Put what a label line says into its fields; they are committed when they make sense together."""
        for path, text in found.values.items():
            self.edits[path].setText(text)
            self.edits[path].setModified(True)
        old = self.session.unit
        self._marks = (*(old.nameplate.marks if old else self._marks), *found.marks)
        self._marks = tuple(dict.fromkeys(self._marks))
        self._commit()

    def _frequencies(self, wrong: dict[str, str]) -> tuple[float, ...]:
        text = self.edits["input.frequency_Hz"].text().replace("Hz", "").replace(",", " ").replace("/", " ")
        try:
            return tuple(float(part) for part in text.split())
        except ValueError:
            wrong["input.frequency_Hz"] = "type them as 50/60."
            return ()

    def _commit(self) -> None:
        if self._loading or self.session.read_only:
            return
        unit = self._check()
        if unit is not None and unit != self.session.unit:
            for edit in self.edits.values():
                edit.setModified(False)
            self.session.revise_unit(unit, "edited at Nameplate")

    def take_focus(self) -> None:
        (self.label_line.line if self.session.unit is None else self.edits["maker"]).setFocus()


def _texts(unit: Unit) -> dict[str, str]:
    i, o, plate = unit.nameplate.input, unit.nameplate.output, unit.nameplate
    figures = {
        "input.voltage_min_V": i.voltage_min_V,
        "input.voltage_max_V": i.voltage_max_V,
        "input.current_A": i.current_A,
        "output.voltage_V": o.voltage_V,
        "output.current_A": o.current_A,
        "output.power_W": o.power_W,
        "output.tolerance_percent": o.tolerance_percent,
        "output.load_regulation_percent": o.load_regulation_percent,
        "output.line_regulation_percent": o.line_regulation_percent,
        "claims.average_efficiency_percent": plate.average_efficiency_percent,
        "claims.no_load_power_W": plate.no_load_power_W,
    }
    return {
        "maker": unit.maker,
        "model": unit.model,
        "tag": unit.tag,
        "serial": unit.serial,
        "input.frequency_Hz": "/".join(f"{f:g}" for f in i.frequency_Hz),
        **{path: "" if value is None else f"{value:g}" for path, value in figures.items()},
    }
