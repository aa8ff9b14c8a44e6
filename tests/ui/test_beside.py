"""Work beside the window: it arrives in order, in the window's thread, and ends unheard when its page goes."""

from __future__ import annotations

import sys
import threading
from collections.abc import Iterator

import shiboken6
from PySide6.QtWidgets import QApplication, QWidget
from pytestqt.qtbot import QtBot
from tests.ui.conftest import HANG_GUARD_MS

from zincsmith.ui.beside import Beside


def test_what_is_found_arrives_in_order_in_the_windows_thread(qtbot: QtBot) -> None:
    page, heard, over = QWidget(), [], []
    qtbot.addWidget(page)
    beside = Beside(page)
    workers = set()

    def work() -> Iterator[int]:
        for n in range(200):
            workers.add(threading.get_ident())
            yield n

    beside.start(work, lambda n: heard.append((n, threading.get_ident())), lambda: over.append(len(heard)))
    qtbot.waitUntil(lambda: bool(over), timeout=HANG_GUARD_MS)
    here = threading.get_ident()
    assert heard == [(n, here) for n in range(200)]
    assert over == [200], "the end comes after everything that was found"
    assert here not in workers


def test_a_bug_in_it_is_raised_in_the_windows_thread_and_the_next_job_is_done(qtbot: QtBot) -> None:
    page, heard = QWidget(), []
    qtbot.addWidget(page)
    beside = Beside(page, at_once=1)
    with qtbot.captureExceptions() as bugs:
        beside.start(lambda: [1 // 0], heard.append)
        beside.start(lambda: ["after it"], heard.append)
        qtbot.waitUntil(lambda: bool(heard), timeout=HANG_GUARD_MS)
    assert [kind for kind, _, _ in bugs] == [ZeroDivisionError]
    assert heard == ["after it"]


def test_a_page_can_go_at_any_moment_of_it(qtbot: QtBot) -> None:
    """A signal sent from the thread brings the program down here within the first tries."""
    often, heard = sys.getswitchinterval(), []
    sys.setswitchinterval(1e-5)
    try:
        for tries in range(300):
            page, begun = QWidget(), threading.Event()

            def work(begun: threading.Event = begun, tries: int = tries) -> Iterator[int]:
                begun.set()
                yield from (tries for _ in range(100))

            thread = Beside(page).start(work, heard.append)
            begun.wait(HANG_GUARD_MS / 1000.0)
            shiboken6.delete(page)
            thread.join(HANG_GUARD_MS / 1000.0)
            assert not thread.is_alive()
            QApplication.processEvents()
    finally:
        sys.setswitchinterval(often)
    assert heard == [], "nobody is told what came too late"
