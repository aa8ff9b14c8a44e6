"""What can be said of a plan before it runs: its rehearsal, faults of the rig, what the rig can decide. Each is worked
out once a change of what it depends on."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QTimer, Signal

from zincsmith.history.run_view import RunView
from zincsmith.model.errors import ZincsmithError
from zincsmith.suitability.case import Fault, Severity
from zincsmith.suitability.check import check
from zincsmith.ui.beside import Beside
from zincsmith.ui.connection.documents import Documents

# What works figures out is read when a station first asks for one: the window is there before NumPy is.
if TYPE_CHECKING:
    from zincsmith.judge.decide import Decision
    from zincsmith.planning.rehearsal import Itinerary


@dataclass(frozen=True)
class Prediction:
    """``problem`` says why there is no rehearsal, and so nothing that can be decided."""

    decisions: tuple[Decision, ...]
    problem: str


QUIET_MS = 120  # after the last edit, before what follows of it is worked out: the screen has its answer first
WORKING = Prediction((), "Working out what this rig can decide…")


class Ahead(QObject):
    """Of the unit, rig and plan of the window, in the room of the run that is shown. Signal ``predicted``."""

    predicted = Signal()

    def __init__(self, documents: Documents, view: Callable[[], RunView]) -> None:
        super().__init__(documents)
        self._beside = Beside(self, at_once=1)
        self._documents, self._view = documents, view
        self._rehearsed_of: tuple[object, ...] = ()
        self._rehearsed: Itinerary | str = ""
        self._faults_of: tuple[object, ...] = ()
        self._faults: tuple[Fault, ...] = ()
        self._predicted_of: tuple[object, ...] = ()
        self.working = False  # on what the rig can decide
        self._predicted = WORKING
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(QUIET_MS)
        self._soon.timeout.connect(self._predict)

    def itinerary(self) -> Itinerary | str:
        """The rehearsal of the plan, or the reason why there is none."""
        d = self._documents
        from zincsmith.planning.rehearsal import rehearse

        if d.unit is None:
            return "There is no unit yet. Type its ratings at Nameplate."
        if d.rig is None:
            return "There is no rig yet. Load one at Rig."
        if d.unit.look.blocks:
            return (
                "The look-over found this unit not worth powering. Change that verdict at Nameplate, or state there "
                "why it is powered all the same, and who decided."
            )
        ambient = opened.ambient_degC if (opened := self._view().opened) is not None else None
        of = (d.unit, d.rig, d.plan, ambient)
        if of != self._rehearsed_of:
            self._rehearsed_of = of
            try:
                room = ambient if ambient is not None else 23.0
                self._rehearsed = rehearse(d.unit, d.rig, d.plan, room)
            except ZincsmithError as error:
                self._rehearsed = str(error)
        return self._rehearsed

    def faults(self) -> tuple[Fault, ...]:
        """What is wrong with the rig for this unit and plan. Worked out once a change."""
        d = self._documents
        if d.unit is None or d.rig is None:
            return ()
        of = (d.unit, d.rig, d.plan)
        if of != self._faults_of:
            self._faults_of, self._faults = of, tuple(check(*of))
        return self._faults

    def prediction(self) -> Prediction:
        """What the rig can decide. Worked out beside the window once a change of ratings, rig or plan; the
        one before stands until then, if it is of the same ratings, and ``predicted`` is emitted when it is there."""
        d = self._documents
        if d.unit is None or d.rig is None:
            return Prediction((), "There is no unit or no rig yet.")
        of = (d.unit.nameplate, d.unit.look.parts, d.rig, d.plan)
        if of != self._predicted_of:
            another = of[:1] != self._predicted_of[:1]
            self._predicted_of, self.working = of, True
            if another:  # another unit: what stands there is not about it
                self._predicted = WORKING
                self._predict()
            else:
                self._soon.start()
        return self._predicted

    def _predict(self) -> None:
        """Of the documents as they are now; a book that was closed meanwhile has none."""
        d, of = self._documents, self._predicted_of
        unit, rig, plan = d.unit, d.rig, d.plan
        if unit is None or rig is None:
            return
        # Read here, not in the thread: modules that two threads read at once may be met half read.
        from zincsmith.judge.decide import decide
        from zincsmith.planning.prediction import predict

        def work() -> Iterator[Prediction]:
            found = predict(unit, rig, plan)
            yield Prediction(tuple(decide(unit, rig, found.wired, found.moved)), found.problem)

        self._beside.start(work, lambda found: self._take(of, found))

    def _take(self, of: tuple[object, ...], found: Prediction) -> None:
        if of == self._predicted_of:  # else something has changed since, and another is on its way
            self._predicted, self.working = found, False
            self.predicted.emit()

    @property
    def blocked(self) -> str:
        """Why nothing can be armed; empty when no stop stands."""
        stops = [f for f in self.faults() if f.severity is Severity.STOP]
        if not stops:
            return ""
        return f"{len(stops)} stop{'s' if len(stops) > 1 else ''} on the wiring sheet: {stops[0].text}"
