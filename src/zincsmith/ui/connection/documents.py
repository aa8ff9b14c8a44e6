"""Unit, rig and plan of the book as the window has them: shown at once when edited, in the book as soon as the engine
has written them."""

from __future__ import annotations

import os
from contextlib import suppress
from dataclasses import replace
from pathlib import Path
from typing import Any

from PySide6.QtCore import QObject, Signal

from zincsmith.book.reader import BookReader, UnitRow
from zincsmith.engine.client import EngineClient
from zincsmith.model.commands import Choose, KeepPhoto, Note, Redo, Undo
from zincsmith.model.errors import BookError, ZincsmithError
from zincsmith.model.feeding import Feeding
from zincsmith.model.intake import Photograph
from zincsmith.model.plan import Plan
from zincsmith.model.rig import Rig
from zincsmith.model.unit import Unit
from zincsmith.procedures.plan_file import NAMED
from zincsmith.ui.photos.photo_intake import Prepared


class Documents(QObject):
    """Signal ``documents``: unit, rig or plan changed. ``read_only`` says why nothing can be edited."""

    documents = Signal()

    def __init__(self, book: Path, client: EngineClient) -> None:
        super().__init__()
        self.book_path, self.client = book, client
        self.reader: BookReader | None = None
        self.unit: Unit | None = None
        self.unit_key = ""  # which document the unit is; its tag may have been corrected since
        self.rig: Rig | None = None
        self.plan: Plan = NAMED["static-grid"]
        self.read_only = ""
        self._unanswered = 0  # document commands the engine has not answered yet

    def _follow_unit(self) -> None:
        """Another unit lies on the bench: what is shown of runs goes along."""
        raise NotImplementedError

    def _load_documents(self) -> None:
        if self.reader is None:
            return
        self.unit = self._or_none(self.reader.unit)
        self.unit_key = self.reader.current_key("unit") or ""
        self.rig = self._or_none(self.reader.rig)
        plan = self._or_none(self.reader.plan)
        if plan is None:
            from zincsmith.planning.composer import usual

            plan = usual(self.unit, self.rig)
        self.plan = plan
        self._follow_unit()
        self.documents.emit()

    @staticmethod
    def _or_none(read: Any) -> Any:
        try:
            return read()
        except BookError:
            return None

    def _take_documents(self) -> None:
        self._unanswered = max(0, self._unanswered - 1)
        if self._unanswered == 0:  # until then what a person typed is newer than the book
            self._load_documents()

    def revise_unit(self, unit: Unit, why: str) -> None:
        """Store an edit; it is shown at once and in the book as soon as the engine has written it."""
        if self.read_only or unit == self.unit:
            return
        before, self.unit, self.unit_key = self.unit, unit, self.unit_key or unit.tag
        self._unanswered += self.client.revise("unit", self.unit_key, unit, why)
        self._fit_plan(before)
        self.documents.emit()

    def units(self) -> list[UnitRow]:
        """Every unit of the book."""
        return self.reader.units() if self.reader is not None else []

    def choose_unit(self, key: str) -> None:
        """Put another unit of the book on the bench."""
        if self.read_only or self.reader is None or key == self.unit_key:
            return
        before, self.unit, self.unit_key = self.unit, self.reader.unit(key), key
        self._unanswered += self.client.send(Choose("unit", key))
        self._follow_unit()
        self._fit_plan(before)
        self.documents.emit()

    def add_unit(self, unit: Unit, why: str) -> None:
        """Begin another unit, under its tag."""
        if not self.read_only:
            self.unit_key = unit.tag
            self._follow_unit()
            self.revise_unit(unit, why)

    def _fit_plan(self, before: Unit | None) -> None:
        """A plan whose lines were proposed follows the ratings; one that does not fit the unit is never kept."""
        unit, rig = self.unit, self.rig
        if unit is None or rig is None or (before is not None and not _rated_otherwise(before, unit)):
            return
        from zincsmith.planning.composer import refitted

        with suppress(ZincsmithError):  # ratings that are half typed
            self.revise_plan(refitted(self.plan, before, unit, rig), "lines of this unit")

    def revise_rig(self, rig: Rig, why: str) -> None:
        """Store an edit of the rig, as for a unit. Instruments are opened anew when a run is armed."""
        if self.read_only or rig == self.rig:
            return
        self.rig = rig
        self._unanswered += self.client.revise("rig", "bench", rig, why)
        self.documents.emit()

    def add_photo(self, photo: Prepared, caption: str) -> None:
        """Store a prepared photograph in the book and name it in the unit's look-over."""
        if self.unit is None or self.read_only:
            return
        self._store_photo(photo)
        look = self.unit.look
        if all(p.sha256 != photo.sha256 for p in look.photographs):
            one = Photograph(photo.sha256, caption, photo.width, photo.height)
            self.revise_unit(
                replace(self.unit, look=replace(look, photographs=(*look.photographs, one))), "a photograph"
            )

    def note_photo(self, photo: Prepared, text: str) -> None:
        """Store a photograph and note it with the conditions of the moment."""
        if not self.read_only:
            self._store_photo(photo)
            self.client.send(Note(text, photo.sha256))

    def _store_photo(self, photo: Prepared) -> None:
        file = self.book_path.with_name(f".{self.book_path.stem}-{photo.sha256[:16]}.photo")
        with open(os.open(file, os.O_WRONLY | os.O_CREAT | os.O_TRUNC | os.O_NOFOLLOW, 0o600), "wb") as out:
            out.write(photo.data)
        keep = KeepPhoto(file, photo.sha256, photo.type, photo.width, photo.height)
        self._unanswered += self.client.send(keep)

    def photo(self, sha256: str) -> bytes | None:
        """The bytes of a photograph; None while it is not in the book."""
        try:
            return self.reader.photo(sha256) if self.reader is not None else None
        except BookError:
            return None

    def undo(self, kind: str = "unit", key: str = "") -> None:
        self._unanswered += self.client.send(Undo(kind, key or self._key(kind)))

    def redo(self, kind: str = "unit", key: str = "") -> None:
        self._unanswered += self.client.send(Redo(kind, key or self._key(kind)))

    def _key(self, kind: str) -> str:
        return {"unit": self.unit_key, "plan": "plan"}.get(kind, "bench")

    @property
    def unwritten(self) -> bool:
        """Whether something was said that is not in the book yet."""
        return self._unanswered > 0

    def steps(self, kind: str) -> tuple[bool, bool]:
        """Whether there is an edit to undo, and one to redo, among what is in the book."""
        if self.reader is None or self.read_only:
            return False, False
        found = self.reader.revision(kind, self._key(kind))
        return (found[1], found[2]) if found is not None else (False, False)

    def feeding(self) -> Feeding | None:
        """What units must feed, as the book has it; None where nobody said."""
        return self._or_none(self.reader.feeding) if self.reader is not None else None

    def keep(self, kind: str, key: str, record: object, why: str) -> None:
        """Store a document that belongs to no run: a recipe, or what units must feed."""
        if not self.read_only:
            self._unanswered += self.client.revise(kind, key, record, why)

    def revise_plan(self, plan: Plan, why: str) -> None:
        """Store an edit of the plan, as for a unit."""
        if self.read_only or plan == self.plan:
            return
        self.plan = plan
        self._unanswered += self.client.revise("plan", "plan", plan, why)
        self.documents.emit()


def _rated_otherwise(one: Unit, other: Unit) -> bool:
    """Whether what a plan's lines follow from differs."""
    a, b = one.nameplate, other.nameplate
    return (a.inputs, a.rules, a.claims) != (b.inputs, b.rules, b.claims)
