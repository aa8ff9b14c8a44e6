"""The look-over: what was looked for, the body of the unit, and the verdict."""

from __future__ import annotations

from dataclasses import replace
from datetime import date
from typing import Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from zincsmith.formats.entry import parse_entry
from zincsmith.model.errors import InputError
from zincsmith.model.intake import INSIDE, OUTSIDE, LookItem, LookOver
from zincsmith.model.unit import Unit
from zincsmith.ui.theme import font
from zincsmith.ui.widgets.edit_table import Column, EditTable, Row
from zincsmith.ui.widgets.panel import Panel, label
from zincsmith.ui.widgets.rating_edit import RatingEdit
from zincsmith.ui.widgets.segments import Segments
from zincsmith.ui.widgets.tick_box import TickBox

VERDICTS = ("fit to power", "with care", "not worth powering")
SEEN = ("not looked", "found", "missing", "doubtful")
MARKS = {"found": "tick", "missing": "missing", "doubtful": "doubt"}
COLUMNS = (
    Column("what", "look for", stretch=True),
    Column("seen", "seen", choices=SEEN, width=120, marks=MARKS),
    Column("note", "note", stretch=True),
)
# A mark that is present is not verified: somebody looks it up.
PROOFS = ("", "verified", "looked up, not found", "not tried")
OF_MARKS = (*COLUMNS[:2], Column("proof", "looked up", choices=PROOFS, width=140), COLUMNS[2])
BODY = (
    ("mass_g", "Mass without cord, g"),
    ("internals_g", "Internals alone, g"),
    ("added_g", "Weight only added, g"),
    ("with_cord_g", "Mass with cord, g"),
    ("packed_g", "Packed, g"),
    ("size", "Size, mm"),
    ("price", "Price"),
    ("currency", "Currency"),
    ("price_is", "List or offer"),
    ("price_on", "Day of the price"),
    ("delivery_days", "Delivery, days"),
    ("noise", "What is heard of it"),
)
AS_WRITTEN = ("currency", "noise")
LIKE = {"size": "length x width x height", "price_on": "2026-11-20", "price_is": "list, or offer", "noise": "silent"}


class LookPage(QWidget):
    """Signals: ``edited`` (a LookOver, and why), ``wrong`` (a reason, or empty)."""

    edited = Signal(object, str)
    wrong = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self._look = LookOver()
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(9)
        row.addWidget(self._lists(), 3)
        side = QVBoxLayout()
        side.setSpacing(9)
        side.addWidget(self._body())
        side.addWidget(self._verdict())
        side.addStretch()
        row.addLayout(side, 2)

    def _lists(self) -> Panel:
        panel = Panel("Look it over", "closed first; opening is one way, usually after the closed-case tests")
        self.outside, self.inside = EditTable("Outside", OF_MARKS), EditTable("Inside", COLUMNS)
        self.opened = TickBox("The case has been opened")
        self.opened.setFont(font(13))
        self.opened.toggled.connect(self._open)
        for words, table, inside in (("Outside", self.outside, False), ("Inside", self.inside, True)):
            head = QHBoxLayout()
            head.addWidget(label(words, 13, 600))
            if inside:
                head.addStretch()
                head.addWidget(self.opened)
            panel.body.addLayout(head)
            panel.body.addWidget(table, 1)
            table.edited.connect(lambda rows, i=inside: self._take(rows, i))
            table.wrong.connect(self.wrong)
        return panel

    def _body(self) -> Panel:
        panel = Panel("Body and price")
        grid = QGridLayout()
        grid.setVerticalSpacing(4)
        self.edits: dict[str, RatingEdit] = {}
        for n, (key, words) in enumerate(BODY):
            edit = RatingEdit()
            edit.setFont(font(13))
            edit.setAccessibleName(words)
            edit.setPlaceholderText(LIKE.get(key, ""))
            edit.editingFinished.connect(self._take_body)
            grid.addWidget(label(words, 13), n, 0)
            grid.addWidget(edit, n, 1)
            self.edits[key] = edit
        panel.body.addLayout(grid)
        return panel

    def _verdict(self) -> Panel:
        panel = Panel("Verdict of the look-over")
        self.verdict = Segments("Verdict of the look-over", VERDICTS)
        self.verdict.chosen.connect(self._judge)
        panel.body.addWidget(self.verdict)
        self.said = label("", 13, 400, "second", wrap=True)
        panel.body.addWidget(self.said)
        self.care, self.override, self.override_by = RatingEdit(), RatingEdit(), RatingEdit()
        self.rows: list[tuple[str, QWidget, RatingEdit]] = []
        for key, words, edit in (
            ("care", "Care to take", self.care),
            ("override", "Powered all the same because", self.override),
            ("override_by", "Decided by", self.override_by),
        ):
            edit.setFont(font(13))
            edit.setAccessibleName(words)
            edit.editingFinished.connect(self._take_words)
            name = label(words, 13)
            panel.body.addWidget(name)
            panel.body.addWidget(edit)
            self.rows.append((key, name, edit))
        return panel

    # Showing

    def show_unit(self, unit: Unit | None, locked: bool) -> None:
        """Fill the page from the unit's look-over."""
        look = unit.look if unit is not None else LookOver()
        self._look = look
        locked = locked or unit is None
        self.setEnabled(not locked)
        for table, standard, inside in ((self.outside, OUTSIDE, False), (self.inside, INSIDE, True)):
            table.show_rows([_row(item) for item in listed(look, standard, inside)], locked)
        self.opened.blockSignals(True)
        self.opened.setChecked(look.opened)
        self.opened.blockSignals(False)
        for key, edit in self.edits.items():
            if not edit.property("wrong"):
                edit.setText(_body_text(look, key))
                edit.setModified(False)
        self.verdict.choose(look.verdict)
        for key, name, line in self.rows:
            wanted = look.verdict == ("with care" if key == "care" else "not worth powering")
            name.setVisible(wanted)
            line.setVisible(wanted)
            if not line.hasFocus():
                line.setText(getattr(look, key))
        self.said.setText(_verdict_words(look))

    # Editing

    def _take(self, rows: list[Row], inside: bool) -> None:
        made: list[LookItem] = []
        for row in rows:
            seen: Any = row["seen"] or "not looked"
            proof: Any = row.get("proof") or ""
            made.append(LookItem(row["what"], seen, row["note"] or "", inside, proof))
        others = [i for i in self._look.items if i.inside is not inside]
        standard = INSIDE if inside else OUTSIDE
        said = [i for i in made if i.seen != "not looked" or i.note or i.what not in standard]
        both = [*others, *said] if inside else [*said, *others]
        self.edited.emit(replace(self._look, items=tuple(both)), "look-over")

    def _open(self, opened: bool) -> None:
        self.edited.emit(replace(self._look, opened=opened), "case opened" if opened else "case closed")

    def _take_body(self) -> None:
        values: dict[str, Any] = {}
        for key, words in BODY:
            edit = self.edits[key]
            text = edit.text().strip()
            try:
                values[key] = _body_value(key, text)
                edit.mark("")
            except InputError as error:
                edit.mark(error.message)
                self.wrong.emit(f"{words}: {error.message}.")
                return
        self.wrong.emit("")
        values["size_mm"] = values.pop("size")
        body = replace(self._look.physical, **values)
        if body != self._look.physical:
            self.edited.emit(replace(self._look, physical=body), "body and price")

    def _judge(self, word: Any) -> None:
        self.edited.emit(replace(self._look, verdict=word), f"look-over: {word}")

    def _take_words(self) -> None:
        values: dict[str, Any] = {}
        for key, _, edit in self.rows:
            values[key] = edit.text().strip()
        look = replace(self._look, **values)
        if look != self._look:
            self.edited.emit(look, "look-over")


def listed(look: LookOver, standard: tuple[str, ...], inside: bool) -> list[LookItem]:
    """The standard list with what was found, then what a person added."""
    said = {i.what: i for i in look.items if i.inside is inside}
    first = [said.pop(what, LookItem(what, inside=inside)) for what in standard]
    return [*first, *said.values()]


def _row(item: LookItem) -> Row:
    return {"what": item.what, "seen": item.seen, "note": item.note, "proof": item.proof}


def _body_text(look: LookOver, key: str) -> str:
    if key == "size":
        return " x ".join(f"{v:g}" for v in look.physical.size_mm) if look.physical.size_mm is not None else ""
    value = getattr(look.physical, key)
    return value if isinstance(value, str) else "" if value is None else f"{value:.10g}"


def _body_value(key: str, text: str) -> Any:
    if key in AS_WRITTEN:
        return text
    if key == "price_is":
        if text.lower() not in ("", "list", "offer"):
            raise InputError("list or offer")
        return text.lower()
    if key == "price_on":
        return _day(text)
    if not text:
        return None
    if key != "size":
        value = parse_entry(text, "1")
        if value is None or value < 0.0 or (value == 0.0 and key != "price"):
            raise InputError("must be above zero")
        return value
    parts = [parse_entry(part, "1") for part in text.lower().replace("×", "x").removesuffix("mm").split("x")]
    if len(parts) != 3 or any(p is None or p <= 0.0 for p in parts):
        raise InputError("type three lengths, such as 112 x 51 x 32")
    return tuple(parts)


def _day(text: str) -> str:
    """InputError for what is none."""
    try:
        return date.fromisoformat(text).isoformat() if text else ""
    except ValueError:
        raise InputError("type a day, such as 2026-11-20") from None


def _verdict_words(look: LookOver) -> str:
    if look.verdict == "not worth powering":
        if look.blocks:
            return (
                "The plan is blocked. To power it all the same give the reason and who decided; the report prints both."
            )
        return f"Overridden by {look.override_by}; the report prints the reason."
    return {"fit to power": "", "with care": "What to take care of is printed in the report."}.get(
        look.verdict, "Not judged yet."
    )
