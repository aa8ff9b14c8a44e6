"""The real window process, killed in the middle of a run: the engine makes the bench safe and the book is whole."""

import os
import signal
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path

import pytest
from tests.conftest import bench_log, sampled
from tests.engine.windowless import children_of

from zincsmith.book.reader import BookReader
from zincsmith.book.writer import BookWriter
from zincsmith.model.errors import Busy
from zincsmith.model.events import Polled, RunClosed

HANG_GUARD_S = 300.0
DRIVER = """
import sys
from pathlib import Path
from PySide6.QtWidgets import QApplication
from zincsmith.model.commands import Pass
from zincsmith.model.states import State
from zincsmith.ui.theme import LIGHT, load_fonts, use_theme
from zincsmith.ui.window import MainWindow

app = QApplication([])
load_fonts()
use_theme(LIGHT)
window = MainWindow(Path(sys.argv[1]), Path(sys.argv[2]))
session = window.session

def go_on():
    if session.state is State.GATE:
        session.send(Pass())

def shown():
    # What the person has seen: the number of readings on the screen.
    if session.view.source_on:
        print(len(session.view.history), flush=True)

session.ready.connect(lambda _runs: session.start_run("Tester", 23.0))
session.state_changed.connect(go_on)
session.live.connect(shown)
window.show()
window.open()
window.go("Run")
app.exec()
"""


def wait_for_end(book: Path) -> RunClosed:
    guard = time.monotonic() + HANG_GUARD_S
    while True:
        assert time.monotonic() < guard, "the engine did not end the run"
        with BookReader(book) as reader:
            closed = reader.closed(1)
        if closed is not None:
            return closed
        time.sleep(0)


@pytest.mark.parametrize("sign", sampled([signal.SIGKILL, signal.SIGTERM, signal.SIGSTOP], [signal.SIGKILL]))
def test_a_window_killed_or_stopped_in_mid_run_leaves_a_safe_bench_and_every_reading(
    make_book: Callable[..., Path], tmp_path: Path, sign: signal.Signals
) -> None:
    book, log = make_book(), tmp_path / "bench.log"
    command = [sys.executable, "-c", DRIVER, str(book), str(log)]
    with subprocess.Popen(command, stdout=subprocess.PIPE, text=True) as window:
        assert window.stdout is not None
        try:
            seen = int(window.stdout.readline())
            os.kill(window.pid, sign)
            if sign == signal.SIGSTOP:  # it stands there, open and deaf, while the engine goes on
                wait_for_end(book)
                assert window.poll() is None
                os.kill(window.pid, signal.SIGKILL)
            seen = max([seen, *(int(x) for x in window.stdout.read().split())])
        finally:
            window.kill()
    closed = wait_for_end(book)
    assert (closed.outcome, closed.safe) == ("made safe", True)
    assert ("does not answer" if sign == signal.SIGSTOP else "window is gone") in closed.why
    guard = time.monotonic() + HANG_GUARD_S
    with BookReader(book) as reader:
        assert len(list(reader.events(run=1, kinds=(Polled,)))) >= seen
    switched = [row for row in bench_log(log) if row["what"] == "told"]
    assert (switched[-1]["source_on"], switched[-1]["load_on"]) == (False, False)
    while True:  # the engine lets go of the book once it has closed it
        assert time.monotonic() < guard
        try:
            BookWriter(book).close()
            break
        except Busy:
            time.sleep(0)


AT_ONCE = """
import signal, socket, sys
from zincsmith.ui.__main__ import main

class Struck(socket.socket):
    struck = False

    def sendall(self, data):
        super().sendall(data)
        if not Struck.struck:
            Struck.struck = True
            print("struck", flush=True)
            signal.raise_signal(signal.SIGINT)

def pair(made=socket.socketpair):
    ours, theirs = made()
    return Struck(fileno=ours.detach()), theirs

socket.socketpair = pair
sys.exit(main())
"""


def test_a_window_told_to_end_while_it_starts_its_engine_first_finishes_that(make_book: Callable[..., Path]) -> None:
    book = make_book()
    command = [sys.executable, "-c", AT_ONCE, str(book)]
    ended = subprocess.run(command, capture_output=True, text=True, timeout=HANG_GUARD_S, check=False)
    assert "struck" in ended.stdout
    assert (ended.returncode, "Traceback" in ended.stderr) == (0, False), ended.stderr
    BookWriter(book).close()


@pytest.mark.parametrize("sign", sampled([signal.SIGINT, signal.SIGTERM], [signal.SIGINT]))
def test_a_window_told_to_end_by_the_terminal_closes_without_a_word(
    make_book: Callable[..., Path], sign: signal.Signals
) -> None:
    """As Ctrl+C does: the engine has let go of the book, and no traceback is left at the terminal."""
    book = make_book()
    command = [sys.executable, "-m", "zincsmith.ui", str(book)]
    with subprocess.Popen(command, stderr=subprocess.PIPE, text=True) as window:
        try:
            guard = time.monotonic() + HANG_GUARD_S
            while not any(
                b"zincsmith.engine" in Path(f"/proc/{n}/cmdline").read_bytes() for n in children_of(window.pid)
            ):
                assert time.monotonic() < guard
                assert window.poll() is None
                time.sleep(0)
            os.kill(window.pid, sign)
            _, said = window.communicate(timeout=HANG_GUARD_S)
        finally:
            window.kill()
    assert window.returncode == 0
    assert "Traceback" not in said
    BookWriter(book).close()  # nobody holds it any more
