"""A book made elsewhere in the window: it is shown, and nothing is sent before a person confirms it by name."""

from __future__ import annotations

import shutil
from collections.abc import Callable
from pathlib import Path

from tests.attack.foreign import Service, foreign_book
from tests.engine.scripted import TESTER, Actor
from tests.ui.conftest import Hands

from zincsmith.bench.standin import RunningStandIn
from zincsmith.book.writer import BookWriter
from zincsmith.engine.session import Session
from zincsmith.model.plan import Plan
from zincsmith.model.rig import Rig
from zincsmith.model.states import State
from zincsmith.model.unit import Unit


def test_a_foreign_book_is_opened_in_the_window_and_sends_nothing(
    open_window: Callable[[Path], Hands], tmp_path: Path, unit: Unit, rig: Rig, tiny_plan: Plan
) -> None:
    service = Service()
    hands = open_window(foreign_book(tmp_path, unit, rig, tiny_plan, service))
    session = hands.window.session
    hands.until(lambda: session.state in (State.INTERRUPTED, State.NOT_CONFIRMED))
    hands.station(4)
    assert service.visa in hands.words()
    assert "trap.toml" in hands.words()
    assert not hands.button("Start").isEnabled()
    hands.click("These are mine: use them")
    assert "Say who you are" in hands.words(), "nobody confirms without a name"
    assert (service.calls, service.heard) == (0, b"")
    hands.fill("Operator", "Elin Ward")
    hands.click("The bench is off: I say so by name")
    hands.until(lambda: session.state is State.SAFE)
    service.listener.close()
    assert (service.calls, service.heard) == (0, b"")


def test_what_an_earlier_run_found_comes_beside_the_working(
    open_window: Callable[[Path], Hands],
    finished_book: Path,
    tmp_path: Path,
    unit: Unit,
    tiny_plan: Plan,
    standin: Callable[..., RunningStandIn],
) -> None:
    """Both runs are judged beside the window; the second is shown before the first has been judged again."""
    book = tmp_path / "two.zbook"
    shutil.copy(finished_book, book)
    with BookWriter(book) as writer:
        writer.revise("plan", "plan", tiny_plan, "test")
        Session(writer, Actor()).run(unit.tag, TESTER, standin().addresses)
    hands = open_window(book)
    hands.station(5)
    findings = hands.window.stations["Findings"]
    hands.until(lambda: findings.run is not None)
    assert findings.run.row.id == 2
    hands.until(lambda: "Run 1 (" in findings.working.accessibleDescription())
