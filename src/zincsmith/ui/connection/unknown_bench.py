"""Which addresses and physics a book names that nobody has confirmed on this computer, and confirming them by name."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from zincsmith.engine.known_bench import Unknown, confirm, unknown_of
from zincsmith.history.run_view import RunView
from zincsmith.model.rig import Rig
from zincsmith.ui.connection.documents import Documents


class UnknownBench:
    """Of the rig of the window, and of that of a run which left its bench behind."""

    def __init__(self, documents: Documents, view: Callable[[], RunView]) -> None:
        self._documents, self._view = documents, view
        self._of: object = None
        self._found: tuple[Unknown, ...] = ()
        self._rigs: Sequence[Rig] = ()

    def forget(self) -> None:
        """Something was confirmed, or picked by a person: look again."""
        self._of = None

    def listed(self) -> tuple[Unknown, ...]:
        """What the rig, and that of a run which left its bench behind, names and nobody has confirmed here."""
        d, view = self._documents, self._view()
        closed, left = view.closed, None
        if d.reader is not None and closed is not None and not closed.safe and view.run is not None:
            left = d.reader.run(view.run).rig_n
        of = (d.rig, left)
        if of != self._of:
            rigs = [d.rig] if d.rig is not None else []
            if left is not None and d.reader is not None:
                rigs.append(d.reader.rig(left))
            found = dict.fromkeys(u for rig in rigs for u in unknown_of(rig))
            self._of, self._found, self._rigs = of, tuple(found), rigs
        return self._found

    def confirm(self, by: str) -> None:
        """A person confirms by name what is listed."""
        self.listed()
        for rig in self._rigs:
            confirm(rig, by)
        self._of = None
