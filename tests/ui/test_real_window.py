"""The application as it is started, in a real window of an X server."""

import os
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import pytest

DRIVER = """
import sys
from pathlib import Path
from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QGuiApplication
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication
import zincsmith.ui.__main__ as start

def act():
    window = next(w for w in QApplication.topLevelWidgets() if w.isVisible() and hasattr(w, "bench_strip"))
    QTest.qWaitForWindowExposed(window)
    for number in (2, 3, 4, 5, 1):
        QTest.keyClick(window, Qt.Key(ord("0") + number), Qt.KeyboardModifier.AltModifier)
        QApplication.processEvents()
    shot = QGuiApplication.primaryScreen().grabWindow(window.winId())
    colours = {shot.toImage().pixelColor(x, y).name() for x in range(0, 1200, 40) for y in range(0, 780, 40)}
    print("platform", QGuiApplication.platformName(), shot.width(), shot.height(), len(colours))
    window.close()

opened = start.MainWindow.open

def open_and_act(window):
    opened(window)
    QTimer.singleShot(0, act)

start.MainWindow.open = open_and_act
sys.exit(start.main([sys.argv[1]]))
"""


@pytest.mark.skipif("DISPLAY" not in os.environ, reason="no X server could be started")
def test_a_real_window_opens_paints_and_closes(make_book: Callable[..., Path]) -> None:
    environment = {**os.environ, "QT_QPA_PLATFORM": "xcb"}
    done = subprocess.run(
        [sys.executable, "-c", DRIVER, str(make_book())],
        env=environment,
        capture_output=True,
        text=True,
        timeout=180,
        check=False,
    )
    assert done.returncode == 0, done.stderr
    _, platform, width, height, colours = done.stdout.split()
    assert platform == "xcb"
    assert (int(width), int(height)) == (1280, 800)
    assert int(colours) > 8, "something is painted"
