"""Draw the sizes of the icon from its SVG."""

from __future__ import annotations

import os
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PySide6.QtCore import QRectF
from PySide6.QtGui import QGuiApplication, QImage, QPainter
from PySide6.QtSvg import QSvgRenderer

from zincsmith.desktop.install import SIZES

FOLDER = Path(__file__).parent.parent / "src" / "zincsmith" / "desktop" / "data"


def main() -> None:
    app = QGuiApplication([])
    renderer = QSvgRenderer(str(FOLDER / "zincsmith.svg"))
    for size in SIZES:
        image = QImage(size, size, QImage.Format.Format_ARGB32)
        image.fill(0)
        painter = QPainter(image)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        renderer.render(painter, QRectF(0, 0, size, size))
        painter.end()
        image.save(str(FOLDER / f"zincsmith-{size}.png"))
    app.quit()


if __name__ == "__main__":
    main()
