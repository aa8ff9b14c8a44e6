"""A procedure that a package brings along, in the window."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtWidgets import QLabel
from tests.extension.installed import installed
from tests.ui.conftest import Hands

from zincsmith.planning.composer import compose
from zincsmith.ui.plan.options_form import OptionsForm
from zincsmith.ui.widgets.choice import Choice

Open = Callable[..., Hands]
Make = Callable[..., Path]


def test_it_is_offered_at_plan_and_its_form_writes_its_options(open_window: Open, make_book: Make) -> None:
    with installed():
        hands = open_window(make_book())
        hands.window.go("Plan")
        station = hands.window.stations["Plan"]
        hands.until(lambda: any("Release rise" in station.add.itemText(n) for n in range(station.add.count())))
        unit, rig = hands.window.session.unit, hands.window.session.rig
        assert unit is not None
        assert rig is not None
        part = next(p for p in compose(unit, rig)[0].parts if p.procedure == "release_rise")
        form = OptionsForm()
        form.show_part(part, locked=False)
        assert {"Stands without load", "At, V Hz"} <= {one.text() for one in form.findChildren(QLabel)}
        (chooser,) = form.findChildren(Choice)
        changed: list[object] = []
        form.changed.connect(changed.append)
        chooser.activated.emit(chooser.findData(120.0))
        assert [getattr(one, "stand_s", None) for one in changed] == [120.0]
        form.deleteLater()
