"""Start-up of the window, in this order: arguments, crash file, application, fonts, theme, window, then the engine.

The window is shown before the engine is started: a book that cannot be opened is told in the window.
"""

from __future__ import annotations

import argparse
import faulthandler
import sys
from pathlib import Path

from PySide6.QtWidgets import QApplication, QFileDialog

from zincsmith.ui.crash import install
from zincsmith.ui.theme import DARK, LIGHT, load_fonts, use_theme
from zincsmith.ui.window import MainWindow


def main(arguments: list[str] | None = None) -> int:
    parser = argparse.ArgumentParser(prog="python -m zincsmith.ui", description="Open Zincsmith on a book.")
    parser.add_argument("book", type=Path, nargs="?", help="the book (.zbook); one that does not exist is begun")
    parser.add_argument("--dark", action="store_true", help="for a dim lab")
    parser.add_argument("--log", type=Path, help="log of the stand-in bench")
    chosen = parser.parse_args(arguments)
    faulthandler.enable()
    app = QApplication(sys.argv[:1])
    app.setApplicationName("Zincsmith")
    load_fonts()
    use_theme(DARK if chosen.dark else LIGHT)
    book = chosen.book or _ask_for_book()
    if book is None:
        return 0
    window = MainWindow(book, chosen.log)
    install(lambda: ", ".join(window.bench_strip.words()), window.alarm.tell)
    window.show()
    window.open()
    window.greet_newcomer()
    return app.exec()


def _ask_for_book() -> Path | None:
    dialog = QFileDialog(None, "Open a book, or name a new one")
    dialog.setNameFilter("Zincsmith books (*.zbook)")
    dialog.setFileMode(QFileDialog.FileMode.AnyFile)
    dialog.setDefaultSuffix("zbook")
    return Path(dialog.selectedFiles()[0]) if dialog.exec() else None


if __name__ == "__main__":
    sys.exit(main())
