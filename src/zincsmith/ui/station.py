"""What every station has in common."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QWidget

from zincsmith.ui.connection.session import Session


class Station(QWidget):
    """Signal ``go`` names another station. ``refresh`` is called when something changed while it is shown."""

    go = Signal(str)
    claim = Signal(object)  # a StatedClaim that somebody has to finish at Nameplate

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("ground")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.session = session

    def refresh(self) -> None:
        """Show what the session holds now."""

    def take_focus(self) -> None:
        """Put the focus where the next thing is done."""

    def smaller(self) -> Sequence[QWidget]:
        """What makes room when the station's main thing is enlarged (F8)."""
        return ()

    def enlarge(self) -> None:
        """The main thing takes the room of the others; the same again gives it back."""
        shown = any(one.isVisible() for one in self.smaller())
        for one in self.smaller():
            one.setVisible(not shown)

    def restyle(self) -> None:
        """The theme changed."""
        self.update()
