"""The units of the book by model, and what begins another one."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtCore import Signal

from zincsmith.model.unit import Nameplate, Unit, next_specimen
from zincsmith.ui.connection.session import Session
from zincsmith.ui.theme import font
from zincsmith.ui.widgets.choice import Deed

NEXT, ANOTHER = object(), object()
NEW = Unit("unit 1", "", "", Nameplate())


class UnitChoice(Deed):
    """Signal ``begun``: a new unit is there to be typed."""

    begun = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.setFont(font(13))
        self.setFixedWidth(128)
        self.setAccessibleName("Unit of this book")
        self.activated.connect(self._choose)

    def show_units(self, locked: bool) -> None:
        """Fill the list; while a run goes on its unit stays on the bench."""
        session = self._session
        rows = [(row.key, row.tag, (row.maker, row.model)) for row in session.units()]
        unit, key = session.unit, session.unit_key
        if unit is not None and key not in [row[0] for row in rows]:  # on its way into the book
            rows.append((key, unit.tag, (unit.maker, unit.model)))
        self.clear()
        before = None
        for row_key, tag, model in rows:
            if before is not None and model != before:
                self.insertSeparator(self.count())
            before = model
            self.addItem(f"{tag}  {model[1]}", row_key)
        self.insertSeparator(self.count())
        self.addItem("next specimen of this model", NEXT)
        self.addItem("a new unit", ANOTHER)
        self.setCurrentIndex(self.findData(key))
        self.setEnabled(unit is not None and not locked and not session.view.active)
        self.view().setMinimumWidth(230)

    def _choose(self) -> None:
        session, key, unit = self._session, self.currentData(), self._session.unit
        taken = {name for row in session.units() for name in (row.key, row.tag)}
        if key is NEXT and unit is not None:
            session.add_unit(next_specimen(unit, taken), f"next specimen after {unit.tag}")
        elif key is ANOTHER:
            number = next(n for n in range(1, len(taken) + 2) if f"unit {n}" not in taken)
            session.add_unit(replace(NEW, tag=f"unit {number}"), "a new unit")
            self.begun.emit()
        elif isinstance(key, str):
            session.choose_unit(key)
