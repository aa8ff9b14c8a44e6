"""The face of a stand-in meter without a cable: a small window with its reading, for a person to type off.

``python -m zincsmith.simbench.front_panel --port N --role thermometer``. It ends when the stand-in bench does.
"""

from __future__ import annotations

import argparse
import socket
import sys

from PySide6.QtCore import QRectF, Qt, QTimer
from PySide6.QtGui import QColor, QFont, QPainter, QPaintEvent
from PySide6.QtWidgets import QApplication, QWidget

from zincsmith.simbench.hand import FRONT_PANELS, shown

PERIOD_MS = 400


class Reading:
    """Asks the stand-in over its port; ``read`` gives the text on the display, None once nobody answers."""

    def __init__(self, port: int, role: str, at: str = "") -> None:
        self.role = role
        self.query, self.unit, _, words = FRONT_PANELS[role]
        self.words = f"{words}, {at}" if at else words
        self._socket = socket.create_connection(("127.0.0.1", port), timeout=2.0)

    def close(self) -> None:
        self._socket.close()

    def read(self) -> str | None:
        try:
            self._socket.sendall(self.query.encode() + b"\n")
            answer = self._socket.recv(256)
        except OSError:
            return None
        if not answer:
            return None
        return shown(self.role, float(answer.decode().strip()))


class FrontPanel(QWidget):
    """A plain case with a display; nothing on it can be pressed."""

    def __init__(self, reading: Reading) -> None:
        super().__init__()
        self.reading = reading
        self.text = "–"
        self.setWindowTitle(f"{reading.words} (stand-in)")
        self.setFixedSize(230, 150)
        self.setWindowFlag(Qt.WindowType.WindowStaysOnTopHint)
        self._timer = QTimer(self)
        self._timer.timeout.connect(self.look)
        self._timer.start(PERIOD_MS)

    def look(self) -> None:
        text = self.reading.read()
        if text is None:
            QApplication.quit()
            return
        self.text = text
        self.setAccessibleName(f"{self.reading.words}: {text} {self.reading.unit}")
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.fillRect(self.rect(), QColor("#3a464c"))
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(QColor("#dfe6d8"))
        display = QRectF(16, 16, 198, 84)
        p.drawRoundedRect(display, 4, 4)
        front_panel = QFont()
        front_panel.setPixelSize(44)
        p.setFont(front_panel)
        p.setPen(QColor("#1b2226"))
        p.drawText(
            display.adjusted(8, 0, -48, 0), Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, self.text
        )
        front_panel.setPixelSize(20)
        p.setFont(front_panel)
        p.drawText(
            display.adjusted(0, 0, -8, -10),
            Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignBottom,
            self.reading.unit,
        )
        front_panel.setPixelSize(13)
        p.setFont(front_panel)
        p.setPen(QColor("#e6eaea"))
        p.drawText(
            QRectF(16, 106, 198, 36),
            Qt.AlignmentFlag.AlignCenter,
            self.reading.words + "\nno cable: type what it shows",
        )


def main() -> int:
    parser = argparse.ArgumentParser(prog="python -m zincsmith.simbench.front_panel")
    parser.add_argument("--port", type=int, required=True)
    parser.add_argument("--role", choices=sorted(FRONT_PANELS), required=True)
    parser.add_argument("--at", default="", help="the place of the unit that it is held at")
    parser.add_argument("--nth", type=int, default=0, help="of several, from the top")
    arguments = parser.parse_args()
    app = QApplication(sys.argv[:1])
    front_panel = FrontPanel(Reading(arguments.port, arguments.role, arguments.at))
    room = app.primaryScreen().availableGeometry()
    below = arguments.nth * (front_panel.height() + 40)
    front_panel.move(room.right() - front_panel.width() - 24, room.top() + 64 + below)  # beside the work, not on it
    front_panel.show()
    code = app.exec()
    front_panel.reading.close()
    return code


if __name__ == "__main__":
    sys.exit(main())
