"""The conventions in force, each to be chosen, with the claims that a choice would turn told before it is made."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QWidget

from zincsmith.judge.conventions import CHOICES, would_turn
from zincsmith.judge.judging import JudgedRun
from zincsmith.procedures.base import Conventions
from zincsmith.ui.theme import font
from zincsmith.ui.widgets.choice import Choice
from zincsmith.ui.widgets.panel import label

LETTERS = {"regulation_over": 7, "coverage": 4, "guard": 4}


class ConventionsBar(QWidget):
    """Signal ``chosen`` carries the conventions with one choice changed."""

    chosen = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self._run: JudgedRun | None = None
        self.choices: dict[str, Choice] = {}
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(4)
        for name, one in CHOICES.items():
            choice = Choice()
            choice.setAccessibleName(f"Convention: {one.words}")
            choice.setFont(font(13))
            for value, words in one.choices.items():
                choice.addItem(words, value)
            choice.setSizeAdjustPolicy(Choice.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            choice.setMinimumContentsLength(LETTERS[name])
            choice.view().setMinimumWidth(340)  # with what each would turn
            choice.opening.connect(lambda n=name: self.offer(n))
            choice.activated.connect(lambda at, n=name: self._choose(n, at))
            self.choices[name] = choice
            row.addWidget(label(one.words, 12, 400, "second"))
            row.addWidget(choice)

    def show_run(self, run: JudgedRun) -> None:
        """Show what is in force for a run."""
        self._run = run
        for name, choice in self.choices.items():
            choice.setCurrentIndex(choice.findData(getattr(run.conventions, name)))

    def offer(self, name: str) -> None:
        """Each choice with the claims it would turn, worked out when somebody looks."""
        if self._run is None:
            return
        choice, would = self.choices[name], would_turn(self._run, name)
        for at in range(choice.count()):
            value = str(choice.itemData(at))
            words = CHOICES[name].choices[value]
            if value != getattr(self._run.conventions, name):
                turns = would[value]
                many = "no claim" if not turns else turns[0] if len(turns) == 1 else f"{len(turns)} claims"
                words = f"{words}, turns {many}"
            choice.setItemText(at, words)

    def _choose(self, name: str, at: int) -> None:
        choice = self.choices[name]
        for n in range(choice.count()):
            choice.setItemText(n, CHOICES[name].choices[str(choice.itemData(n))])
        if self._run is None:
            return
        wanted: Conventions = replace(self._run.conventions, **{name: str(choice.itemData(at))})
        if wanted != self._run.conventions:
            self.chosen.emit(wanted)
