"""Work beside the window, so that nobody waits for it.

What a thread finds is fetched by a timer of the window. A thread never sends a signal: one that reaches an object while
it is being taken down, a page that is closed for instance, takes the program down with it.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from itertools import count
from queue import Empty, SimpleQueue
from threading import BoundedSemaphore, Thread
from typing import Any, TypeVar
from weakref import WeakSet

from PySide6.QtCore import QObject, QTimer

FETCH_MS = 10

T = TypeVar("T")
Queue = SimpleQueue[tuple[int, Any, bool, Exception | None]]  # job, what it found, whether it is over, its bug


_threads: WeakSet[Thread] = WeakSet()


def at_work() -> bool:
    """Whether anything is still worked on beside a window, open or closed."""
    return any(thread.is_alive() for thread in list(_threads))


class Beside(QObject):
    """Jobs of one owner, at most ``at_once`` of them at a time. They end unheard when their owner goes."""

    def __init__(self, parent: QObject, at_once: int = 2) -> None:
        super().__init__(parent)
        self._turns = BoundedSemaphore(at_once)
        self._found: Queue = SimpleQueue()
        self._numbers = count(1)
        self._jobs: dict[int, tuple[Callable[[Any], object], Callable[[], object] | None]] = {}
        self._fetch = QTimer(self)
        self._fetch.setInterval(FETCH_MS)
        self._fetch.timeout.connect(self._take)

    def start(
        self, work: Callable[[], Iterable[T]], take: Callable[[T], object], over: Callable[[], object] | None = None
    ) -> Thread:
        """Do ``work`` in a thread of its own; the window's thread takes each thing it yields, then calls ``over``.

        ``work`` holds on to nothing of Qt that belongs to a window. What goes wrong in it is raised in the window's
        thread.
        """
        job = next(self._numbers)
        self._jobs[job] = take, over
        self._fetch.start()
        thread = Thread(target=_do, args=(job, work, self._turns, self._found), daemon=True)
        _threads.add(thread)
        thread.start()
        return thread

    def _take(self) -> None:
        """Take what has been found by now."""
        while True:
            try:
                job, found, ended, bug = self._found.get_nowait()
            except Empty:
                return
            take, over = self._jobs[job]
            if not ended:
                take(found)
                continue
            del self._jobs[job]
            if not self._jobs:
                self._fetch.stop()
            if bug is not None:
                raise bug
            if over is not None:
                over()


def _do(job: int, work: Callable[[], Iterable[Any]], turns: BoundedSemaphore, queue: Queue) -> None:
    """In the thread: it knows the queue, and nothing that Qt takes down."""
    bug: Exception | None = None
    with turns:
        try:
            for found in work():
                queue.put((job, found, False, None))
        except Exception as error:  # noqa: BLE001 - raised where it is seen, not lost with the thread
            bug = error
    queue.put((job, None, True, bug))
