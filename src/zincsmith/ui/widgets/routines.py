"""Routines of the house: a plan for the time there is, and plans that are kept under a name for the next unit."""

from __future__ import annotations

import os
import re
from collections.abc import Iterator
from functools import partial
from pathlib import Path

from platformdirs import user_config_path
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QFileDialog, QWidget

from zincsmith.model.errors import InputError, ZincsmithError
from zincsmith.model.plan import Plan
from zincsmith.model.rig import Rig
from zincsmith.model.unit import Unit
from zincsmith.procedures.plan_file import read_plan, write_plan
from zincsmith.ui.beside import Beside
from zincsmith.ui.widgets.choice import Deed

MINUTES = (20.0, 60.0, 120.0)
OPEN, KEEP = "open", "keep"


def folder() -> Path:
    """Where routines are kept, for every book of this person."""
    return user_config_path("zincsmith") / "routines"


class Routines(Deed):
    """Signals: ``planned`` (a Plan, why), ``said`` (what stands in the way, or is going on)."""

    planned = Signal(object, str)
    said = Signal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAccessibleName("Routines of the house")
        self.unit: Unit | None = None
        self.rig: Rig | None = None
        self.plan: Plan | None = None
        self._beside = Beside(self, at_once=1)
        self.opening.connect(self.fill)
        self.activated.connect(self._chosen)
        self.fill()

    def fill(self) -> None:
        """What there is now: other windows keep routines too."""
        self.clear()
        self.addItem("Routines…", None)
        for minutes in MINUTES:
            self.addItem(f"What fits into {minutes:g} min", minutes)
        for file in sorted(folder().glob("*.toml")):
            self.addItem(file.stem, file)
        self.addItem("Another, from a file…", OPEN)
        self.addItem("Keep this plan as a routine…", KEEP)

    def _chosen(self, at: int) -> None:
        what = self.itemData(at)
        self.setCurrentIndex(0)
        if isinstance(what, float):
            self.fit(what)
        elif isinstance(what, Path):
            self.take(what)
        elif what == OPEN:
            name, _ = QFileDialog.getOpenFileName(self, "A routine", str(folder()), "Plan (*.toml)")
            if name:
                self.take(Path(name))
        elif what == KEEP:
            self.keep()

    def fit(self, minutes: float) -> None:
        """Composed beside the window: each part is rehearsed for its time."""
        if self.unit is not None and self.rig is not None:
            self.said.emit("Works out what fits…")
            self._beside.start(partial(_fitted, self.unit, self.rig, minutes), self._take_fitted)

    def _take_fitted(self, found: tuple[Plan | None, str]) -> None:
        plan, words = found
        if plan is not None:
            self.planned.emit(plan, plan.name.lower())
        self.said.emit(words)

    def take(self, file: Path) -> None:
        """For the unit that is open; lines that it is not rated for are told by the rehearsal."""
        try:
            plan = read_plan(file)
        except ZincsmithError as error:
            self.said.emit(str(error))
            return
        self.said.emit("")
        self.planned.emit(plan, f"the routine {file.stem}")

    def keep(self) -> None:
        if self.plan is None:
            return
        name = re.sub(r"[^\w .-]", "", self.plan.name).strip() or "routine"
        folder().mkdir(parents=True, exist_ok=True)
        chosen, _ = QFileDialog.getSaveFileName(self, "Keep it as", str(folder() / f"{name}.toml"), "Plan (*.toml)")
        if not chosen:
            return
        file = Path(chosen).with_suffix(".toml")
        beside = file.with_name(f".{file.name}.part")
        try:
            beside.write_text(write_plan(self.plan), "utf-8")
            os.replace(beside, file)
        except OSError as error:
            self.said.emit(f"It was not kept: {error.strerror}.")
            return
        self.said.emit(f"Kept: {file.stem}.")


def _fitted(unit: Unit, rig: Rig, minutes: float) -> Iterator[tuple[Plan | None, str]]:
    """In a thread: the plan, and what stays untested; or why there is none."""
    from zincsmith.judge.claims import tests_of
    from zincsmith.planning.within import within

    try:
        plan, left = within(unit, rig, 60.0 * minutes, tests_of(unit.nameplate))
    except InputError as error:
        yield None, f"{error.message[:1].upper()}{error.message[1:]}."
        return
    except ZincsmithError as error:
        yield None, str(error)
        return
    named = "; ".join(f"{one.procedure.replace('_', ' ')} ({one.words})" for one in left)
    yield plan, f"No time for: {named}." if left else "All of it fits."
