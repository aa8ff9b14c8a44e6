"""Garbage is collected in the window's own thread only.

Python collects wherever it happens to run out of patience. In a thread that judges beside the window that would destroy
widgets while the window walks over them, which ends the program.
"""

from __future__ import annotations

import gc
import sys

from PySide6.QtCore import QObject, QTimer

from zincsmith.ui.beside import at_work

EVERY_MS = 500
_modules = 0  # that were read when what lives was last set aside
_windows = 0  # those that are open: one process may show several


class Collecting(QObject):
    """Collects as Python would, by its own thresholds, from a timer of the window; until ``stop``."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        global _windows  # one switch of the process, counted by who wants it off
        _windows += 1
        gc.disable()
        self._timer = QTimer(self)
        self._timer.timeout.connect(collect_what_is_due)
        self._timer.start(EVERY_MS)

    def stop(self) -> None:
        """Leave it to Python again, once no window wants it otherwise and nothing is at work beside one that is closed:
        Python would collect in that thread."""
        global _windows
        if self._timer.isActive():
            self._timer.stop()
            _windows -= 1
            if _windows == 0 and not at_work():
                gc.enable()


def collect_what_is_due() -> None:
    """The oldest generation whose threshold is passed, and with it the younger ones. Whenever modules were read
    meanwhile what lives is set aside: they stay to the end, and to look through them all would hold the window."""
    global _modules
    if len(sys.modules) != _modules:
        _modules = len(sys.modules)
        gc.collect(1)
        gc.freeze()
    due = [n for n, (count, most) in enumerate(zip(gc.get_count(), gc.get_threshold(), strict=True)) if count > most]
    if due:
        gc.collect(due[-1])
