"""Render each main view at 1280x800 from the demonstration book, without a display."""

from __future__ import annotations

import os
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PySide6.QtCore import QEvent, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QLineEdit

from demo_book import unpacked
from zincsmith.book.writer import BookWriter
from zincsmith.formats.recipe_file import read_recipe
from zincsmith.formats.rig_file import read_rig
from zincsmith.formats.unit_file import read_unit
from zincsmith.model.commands import Enter, MakeSafe, Pass
from zincsmith.model.states import State
from zincsmith.procedures.plan_file import STATIC_GRID
from zincsmith.ui.theme import DARK, LIGHT, load_fonts, use_theme
from zincsmith.ui.widgets.claim_list import ClaimRows
from zincsmith.ui.window import MainWindow

ROOT = Path(__file__).parent.parent


class Photographer:
    """Drives the real window and keeps what it shows."""

    def __init__(self, out: Path, book: Path) -> None:
        self.out = out
        self.window = MainWindow(book)
        self.window.resize(1280, 800)
        self.window.show()
        self.window.open()
        self.until(lambda: self.window.session.client.fileno >= 0 and self.window.session.reader is not None)

    def until(self, condition: Callable[[], bool], seconds: float = 120.0) -> None:
        end = time.monotonic() + seconds
        while not condition():
            if time.monotonic() > end:
                raise TimeoutError(f"the window did not get there: {self.window.session.state.value}")
            QTest.qWait(20)

    def keep(self, name: str) -> None:
        """The view with everything in it that was on its way: what is judged beside the window, what was announced."""
        session = self.window.session
        self.until(lambda: not session.catching_up and (self.live() or session.judging() is not None))
        self.until(lambda: not session.ahead.working)
        for _ in range(3):  # a layout asks for another one
            QApplication.sendPostedEvents()
            QApplication.processEvents()
        self.window.grab().save(str(self.out / f"{name}.png"))

    def live(self) -> bool:
        return self.window.session.view.active

    def station(self, title: str, name: str) -> None:
        self.window.go(title)
        self.keep(name)


def main() -> int:
    out = Path(sys.argv[1])
    out.mkdir(parents=True, exist_ok=True)
    app = QApplication(sys.argv[:1])
    load_fonts()
    use_theme(LIGHT)
    with tempfile.TemporaryDirectory() as folder:
        book = Path(folder) / "hollin-bank.zbook"
        unpacked(book)
        camera = Photographer(out, book)
        window, session = camera.window, camera.window.session
        camera.station("Nameplate", "nameplate")
        window.stations["Nameplate"].open_page("Look-over")
        camera.keep("look-over")
        window.stations["Nameplate"].open_page("Label, claims")
        camera.station("Rig", "rig")
        window.go("Plan")
        stages = session.ahead.itinerary().stages
        window.stations["Plan"].choose_stage(next(n for n, s in enumerate(stages) if s.title == "Grid"))
        camera.keep("plan")
        window.go("Log")
        camera.until(lambda: window.stations["Log"].run is not None)
        camera.keep("log")
        window.go("Findings")
        camera.until(lambda: window.stations["Findings"].run is not None)
        rows = window.stations["Findings"].findChild(ClaimRows)
        while "too close" not in rows.accessibleDescription():  # the one that shows what the working is for
            QTest.keyClick(rows, Qt.Key.Key_Down)
        camera.keep("findings")
        behind = window.stations["Findings"]
        behind.choose(next(n for n, j in enumerate(behind.run.judged) if j.finding.name == "hold_up" and j.claim))
        behind.enlarge()
        camera.keep("findings-capture")
        behind.enlarge()
        findings = window.stations["Findings"]
        findings.show_curves("Harmonics against class A")
        findings.choose(next(n for n, j in enumerate(findings.run.judged) if j.finding.name == "harmonics_class_a"))
        use_theme(DARK)
        camera.keep("findings-harmonics")
        use_theme(LIGHT)
        deciding(camera)
        session.revise_plan(STATIC_GRID, "the grid alone")
        run_views(camera)
        session.close()
        window.deleteLater()  # a change of theme would draw captures anew from the book that was closed
        app.sendPostedEvents(None, QEvent.Type.DeferredDelete)
        other_kinds(out, Path(folder))
    return 0


def deciding(camera: Photographer) -> None:
    """The candidates beside each other, and a sum."""
    window = camera.window
    window.go("Compare")
    compare = window.stations["Compare"]
    compare.recipe = read_recipe(ROOT / "examples" / "recipes" / "valve-house.toml")
    camera.until(lambda: compare.found is not None and bool(compare.found.ranking))
    camera.keep("compare")
    window.go("Workshop")
    bench = window.stations["Workshop"]
    bench.open_sum("output_filter")
    for key, text in (("input", "40"), ("inductor", "33u"), ("capacitor", "470u"), ("esr", "60m"), ("output", "24")):
        bench.drawing.said.emit(key, text)
    camera.keep("workshop")


def run_views(camera: Photographer) -> None:
    """A run from its start to the end that makes safe."""
    window, session = camera.window, camera.window.session
    camera.station("Run", "run-start")
    run = window.stations["Run"]
    edits = run.findChildren(QLineEdit)
    next(e for e in edits if e.accessibleName() == "Operator").setText("Test engineer")
    session.start_run("Test engineer", 23.0)
    camera.until(lambda: session.state is State.GATE and bool(session.view.now))
    camera.keep("run-gate")
    session.send(Pass())
    camera.until(lambda: session.state is State.ASKING)
    camera.keep("run-your-turn")
    session.send(Enter("52.6"))
    camera.until(lambda: len(session.view.points) >= 5)
    camera.keep("run")
    use_theme(DARK)
    camera.keep("run-dark")
    use_theme(LIGHT)
    session.send(MakeSafe())
    camera.until(lambda: session.state is State.SAFE)
    camera.keep("run-made-safe")


def other_kinds(out: Path, folder: Path) -> None:
    """Nameplate and Rig of other kinds of unit, from the invented examples."""

    def opened(name: str, rig: str) -> Photographer:
        book = folder / f"{name}.zbook"
        with BookWriter(book) as writer:
            unit = read_unit(ROOT / "examples" / "units" / f"{name}.toml")
            writer.revise("unit", unit.tag, unit, "screenshot")
            writer.revise("rig", "bench", read_rig(ROOT / "examples" / "rigs" / f"{rig}.toml"), "screenshot")
        return Photographer(out, book)

    rails = opened("ferrowby-px350", "simulated")
    rails.station("Rig", "rig-stops")
    ports = opened("quillfen-q65", "simulated")
    ports.keep("nameplate-ports")
    inverter = opened("thornwade-tw300", "inverter-by-hand")
    use_theme(DARK)
    inverter.station("Rig", "rig-inverter")
    use_theme(LIGHT)
    for camera in (rails, ports, inverter):
        camera.window.session.close()


if __name__ == "__main__":
    sys.exit(main())
