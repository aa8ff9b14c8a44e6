"""Start-up of the window, in this order: arguments, crash file, application, fonts, theme, window, then the engine.

The window is shown before the engine is started: a book that cannot be opened is told in the window.
"""

from __future__ import annotations

import argparse
import faulthandler
import signal
import sys
from pathlib import Path

from PySide6.QtCore import QLocale, Qt, QTimer
from PySide6.QtGui import QIcon, QPixmap
from PySide6.QtWidgets import QApplication

from zincsmith.desktop.install import DATA, SIZES
from zincsmith.engine.crash_report import keep_log
from zincsmith.formats.decimal_marks import use_mark
from zincsmith.ui.crash import install
from zincsmith.ui.remembered import Remembered, remembered
from zincsmith.ui.theme import load_fonts, theme_for, use_theme
from zincsmith.ui.which_book import WhichBook
from zincsmith.ui.window import MainWindow

HEARD_WITHIN_MS = 250  # a signal of the terminal


def main(arguments: list[str] | None = None) -> int:
    parser = argparse.ArgumentParser(prog="python -m zincsmith.ui", description="Open Zincsmith on a book.")
    parser.add_argument("book", type=Path, nargs="?", help="the book (.zbook); one that does not exist is begun")
    parser.add_argument("--dark", action="store_true", help="for a dim lab")
    parser.add_argument("--high-contrast", action="store_true", help="more contrast than is calm")
    parser.add_argument("--log", type=Path, help="log of the stand-in bench")
    chosen = parser.parse_args(arguments)
    faulthandler.enable()
    app = QApplication(sys.argv[:1])
    app.setApplicationName("Zincsmith")
    app.setDesktopFileName("zincsmith")
    load_fonts()
    hints = app.styleHints()
    contrast = hints.accessibility().contrastPreference() is Qt.ContrastPreference.HighContrast
    use_theme(theme_for(chosen.dark or hints.colorScheme() is Qt.ColorScheme.Dark, chosen.high_contrast or contrast))
    use_mark(QLocale().decimalPoint())
    memory = remembered()
    book = chosen.book or _ask_for_book(memory)
    if book is None:
        return 0
    keep_log("window", book)
    app.setWindowIcon(_icon())
    window = MainWindow(book, chosen.log)
    window.remember(memory)
    install(lambda: ", ".join(window.bench_strip.words()), window.alarm.tell)
    window.show()
    window.open()
    window.greet_newcomer()
    window.tell_of_crash()
    awake = _end_when_told(app)
    code = app.exec()
    awake.stop()
    window.session.close()
    return code


def _end_when_told(app: QApplication) -> QTimer:
    """Ctrl+C at the terminal, or being told to end, closes the window as a hand does, not asking: the engine makes
    safe what it runs. A signal is heard once the interpreter has its turn, which the timer returned gives it; the
    window closes once that turn is over, never in the middle of what it was just doing (starting the engine, say)."""
    for told in (signal.SIGINT, signal.SIGTERM):
        signal.signal(told, lambda *_: QTimer.singleShot(0, app.quit))
    awake = QTimer(app)
    awake.start(HEARD_WITHIN_MS)
    awake.timeout.connect(lambda: None)
    return awake


def _ask_for_book(memory: Remembered) -> Path | None:
    dialog = WhichBook(memory.there())
    return dialog.book if dialog.exec() else None


def _icon() -> QIcon:
    """Its own, at the sizes there are."""
    icon = QIcon()
    for size in SIZES:
        picture = QPixmap()
        picture.loadFromData((DATA / f"zincsmith-{size}.png").read_bytes())
        icon.addPixmap(picture)
    return icon


if __name__ == "__main__":
    sys.exit(main())
