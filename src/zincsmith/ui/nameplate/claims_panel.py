"""The claims of a unit: what each source says, conflicts side by side, requirements apart."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import replace

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QBrush, QKeySequence, QShortcut
from PySide6.QtWidgets import QHBoxLayout, QTableWidgetItem, QVBoxLayout, QWidget

from zincsmith.judge.claims import HARMONIC_CHOICES, all_claims, conflicts, offered, rule_words
from zincsmith.model.claim import Claim, RuleChoice, StatedClaim
from zincsmith.model.figures import FIGURES
from zincsmith.model.unit import Nameplate, Unit
from zincsmith.rules.loader import load, names, supply_rules
from zincsmith.ui.ink import mark_icon
from zincsmith.ui.nameplate.claim_form import ClaimForm
from zincsmith.ui.theme import font, theme
from zincsmith.ui.widgets.choice import Deed
from zincsmith.ui.widgets.pages import Pages
from zincsmith.ui.widgets.panel import Panel, button, label, tip
from zincsmith.ui.widgets.plain_table import PlainTable
from zincsmith.ui.widgets.segments import Segments

HELD = "(held to) "  # before the classes that are in force
HEADINGS = ("claim", "value", "condition", "source", "tested by")


class ClaimsPanel(Panel):
    """Signals: ``edited`` (the nameplate with other claims, and why), ``at`` (the key of the claim a person is at)."""

    edited = Signal(object, str)
    at = Signal(str)

    def __init__(self) -> None:
        super().__init__("Claims")
        self._plate: Nameplate | None = None
        self._inks = theme()
        self._claims: list[Claim] = []
        self._rows: list[Claim | None] = []
        self._conflict: dict[str, tuple[Claim, ...]] = {}
        self.add, self.edit = button("Add  Ctrl+N", weight=400), button("Edit  Ctrl+E", weight=400)
        self.drop = button("Drop  Ctrl+Delete", weight=400)
        for one, keys, act in (
            (self.add, "Ctrl+N", self._add),
            (self.edit, "Ctrl+E", self._edit),
            (self.drop, "Ctrl+Del", self._drop),
        ):
            one.clicked.connect(act)
            self.head.addWidget(one)
            shortcut = QShortcut(QKeySequence(keys), self)
            shortcut.setContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
            shortcut.activated.connect(act)
        self.stack = Pages()
        self.stack.addWidget(self._list())
        self.stack.add_later(self._make_form)
        self.body.addWidget(self.stack, 1)
        self._editing: int | None = None

    def _make_form(self) -> ClaimForm:
        form = ClaimForm()
        form.made.connect(self._made)
        form.left.connect(self._back)
        return form

    @property
    def form(self) -> ClaimForm:
        """The form of one claim, which is shown in place of the list."""
        self.stack.setCurrentIndex(1)
        if not isinstance(form := self.stack.currentWidget(), ClaimForm):
            raise TypeError("the form of a claim is not there")
        return form

    def _list(self) -> QWidget:
        page = QWidget()
        column = QVBoxLayout(page)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        self.table = PlainTable("Claims", HEADINGS, 22)
        self.table.share((27, 23, 24, 11, 15))
        self.table.currentCellChanged.connect(self._choose)
        self.table.currentCellChanged.connect(lambda *_: self.at.emit(self._chosen_key()))
        column.addWidget(self.table, 1)
        self.said = label("", 13, 400, "doubtink", wrap=True)
        self.judge_by = Segments("Judge by", ("label", "manual", "listing", "board print", "both"))
        self.judge_by.chosen.connect(self._judge_by)
        row = QHBoxLayout()
        row.addWidget(self.said, 1)
        row.addWidget(self.judge_by)
        column.addLayout(row)
        rules = QHBoxLayout()
        rules.addWidget(label("Held to", 13))
        self.rule = Deed()
        self.rule.setFont(font(13))
        self.rule.setAccessibleName("Published rule and class the unit is held to")
        self.rule.addItem("Choose a rule and class…", None)
        for name in names():
            rule_set = load(name)
            for kind, one in rule_set.classes.items():
                self.rule.addItem(f"{rule_set.short}: {one.words}", RuleChoice(name, kind))
        for choice in HARMONIC_CHOICES:
            self.rule.addItem(rule_words(choice), choice)
        self.rule.activated.connect(self._hold_to)
        self.rule.setMaximumWidth(300)
        rules.addWidget(self.rule)
        self.why = label("", 12, 400, "second", wrap=True)
        rules.addWidget(self.why, 1)
        column.addLayout(rules)
        return page

    # Showing

    def show_unit(self, unit: Unit | None, plate: Nameplate | None, locked: bool) -> None:
        """``plate`` may be ahead of the book while a label line is typed; then nothing can be edited."""
        plate = plate if plate is not None else (unit.nameplate if unit is not None else None)
        live = unit is not None and not locked
        for one in (self.add, self.rule):
            one.setEnabled(live)
        if plate == self._plate and self._rows and theme() is self._inks:
            self._choose()
            return
        self._plate, self._inks = plate, theme()
        self._claims = all_claims(plate) if plate is not None else []
        clashes = conflicts(self._claims)
        self._conflict = {c.key: group for group in clashes for c in group}
        self._fill()
        kept = [c for c in self._claims if c.kept]
        required = sum(c.required for c in kept)
        words = f"{len(kept) - required} from label and papers" + (f", {required} required" if required else "")
        clash = f", {len(clashes)} conflict{'s' if len(clashes) > 1 else ''} of sources" if clashes else ""
        self.remark.setText(words + clash if plate is not None else "")
        self._show_rule()

    def _fill(self) -> None:
        maker = [c for c in self._claims if not c.required]
        required = [c for c in self._claims if c.required]
        self._rows = [*maker, *([None] if required else []), *required]
        key = self._chosen_key()
        self.table.blockSignals(True)
        self.table.clearSpans()
        self.table.setRowCount(len(self._rows))
        for row, claim in enumerate(self._rows):
            if claim is None:
                item = QTableWidgetItem("Required by the customer, apart from the nameplate")
                item.setFont(font(13, 700))
                item.setFlags(Qt.ItemFlag.ItemIsEnabled)
                self.table.setItem(row, 0, item)
                self.table.setSpan(row, 0, 1, len(HEADINGS))
            else:
                self._fill_row(row, claim)
        at = next((n for n, c in enumerate(self._rows) if c is not None and c.key == key), 0)
        if self._rows:
            self.table.setCurrentCell(at, 0)
        self.table.blockSignals(False)
        self._choose()

    def _fill_row(self, row: int, claim: Claim) -> None:
        t = theme()
        tested = claim.procedure or "no procedure yet"
        aside = claim.side != FIGURES[claim.figure].side
        condition = claim.condition_text + (f", of the {claim.side}" if aside else "")
        value = claim.text.partition(" (")[0] if claim.published else claim.text  # the source stands beside it
        texts = (claim.title, value, condition, claim.source, tested if claim.kept else "dropped")
        for column, text in enumerate(texts):
            item = QTableWidgetItem(text)
            item.setToolTip(tip(text))
            if not claim.kept:
                front_panel = font(13)
                front_panel.setStrikeOut(column < 3)
                item.setFont(front_panel)
                item.setForeground(QBrush(t.color("ink2")))
            elif column == 1:
                item.setForeground(QBrush(t.text_of(FIGURES[claim.figure].kind)))
                item.setFont(font(13, 600))
            elif column > 2:
                item.setForeground(QBrush(t.color("ink2")))
            if column == 0:
                item.setIcon(mark_icon("conflict" if claim.key in self._conflict else ""))
            self.table.setItem(row, column, item)

    def light(self, keys: Collection[str]) -> None:
        """Set apart the claims that hang on the line a person is at."""
        self.table.blockSignals(True)
        for row, claim in enumerate(self._rows):
            on = claim is not None and claim.key in keys
            for column in range(len(HEADINGS)):
                item = self.table.item(row, column)
                if item is not None:
                    item.setBackground(QBrush(theme().color("chosen")) if on else QBrush())
        self.table.blockSignals(False)

    def _show_rule(self) -> None:
        plate = self._plate or Nameplate()
        for at in range(1, self.rule.count()):
            choice = self.rule.itemData(at)
            words = self.rule.itemText(at).removeprefix(HELD)
            self.rule.setItemText(at, f"{HELD if choice in plate.rules else ''}{words}")
        self.rule.setCurrentIndex(0)
        self.rule.setItemText(0, "; ".join(rule_words(r) for r in plate.rules) or "no published rule")
        suggested, why = offered(plate)
        supply = [c for c, _ in supply_rules(plate.rules)]
        if suggested is not None and any(c.supply_class != suggested.supply_class for c in supply):
            self.why.setText(f"The plate suggests “{suggested.supply_class}”: {why}.")
        elif supply:
            beyond = [r for _, r in supply_rules(plate.rules) if not r.covers(plate.rated_power_W)]
            away = f" {beyond[0].short} does not reach {plate.rated_power_W:g} W." if beyond else ""
            self.why.setText(f"{supply[0].supply_class} because: {why}.{away}")
        elif suggested is not None:
            self.why.setText(f"Would be “{suggested.supply_class}”: {why}. Choose it to hold the unit to it.")
        else:
            self.why.setText(f"{why[0].upper()}{why[1:]}.")

    def _chosen(self) -> Claim | None:
        at = self.table.currentRow()
        return self._rows[at] if 0 <= at < len(self._rows) else None

    def _chosen_key(self) -> str:
        at = self.table.currentRow()
        item = self._rows[at] if 0 <= at < len(self._rows) else None
        return item.key if item is not None else ""

    def _choose(self, *_: int) -> None:
        claim, live = self._chosen(), self.add.isEnabled()
        self.edit.setEnabled(live and claim is not None and claim.stated is not None)
        self.drop.setEnabled(live and claim is not None)
        self.drop.setText("Drop  Ctrl+Delete" if claim is None or claim.kept else "Keep  Ctrl+Delete")
        group = self._conflict.get(claim.key, ()) if claim is not None else ()
        self.judge_by.setVisible(bool(group))
        self.said.setVisible(bool(group))
        if group:
            said = "; ".join(f"{c.source} says {c.text}" for c in group)
            self.said.setText(f"Sources differ: {said}. Judge by")
            kept = [c for c in group if c.kept]
            sources = {c.source: c.source.split()[0] for c in group}
            for word, one in self.judge_by.buttons.items():
                one.setVisible(word == "both" or any(s.startswith(word) for s in sources))
                one.setEnabled(live)
            one_kept = next((w for w in self.judge_by.buttons if len(kept) == 1 and kept[0].source.startswith(w)), "")
            self.judge_by.choose("both" if len(kept) == len(group) else one_kept)

    # Editing

    def _add(self) -> None:
        if self._plate is not None and self.add.isEnabled():
            self._editing = None
            self.form.show_claim(self._plate, None)

    def begin(self, claim: StatedClaim) -> None:
        """Go on with a claim that was begun elsewhere: somebody has to say its bounds."""
        if self._plate is not None and self.add.isEnabled():
            self._editing = None
            self.form.show_claim(self._plate, None, claim)

    def _edit(self) -> None:
        claim = self._chosen()
        if self._plate is None or claim is None or claim.stated is None or not self.edit.isEnabled():
            return
        self._editing = claim.stated
        self.form.show_claim(self._plate, self._plate.claims[claim.stated])

    def _back(self) -> None:
        self.stack.setCurrentIndex(0)
        self.table.setFocus()

    def _made(self, made: StatedClaim) -> None:
        if self._plate is None:
            return
        claims = list(self._plate.claims)
        if self._editing is None:
            claims.append(made)
        else:
            claims[self._editing] = made
        self._back()
        self.edited.emit(replace(self._plate, claims=tuple(claims)), f"claim of the {made.source}")

    def _drop(self) -> None:
        claim = self._chosen()
        if self._plate is not None and claim is not None and self.drop.isEnabled():
            plate = _with_kept(self._plate, claim, not claim.kept)
            self.edited.emit(plate, f"{'dropped' if claim.kept else 'kept'} {claim.title}")

    def _judge_by(self, word: str) -> None:
        claim = self._chosen()
        if claim is None or self._plate is None:
            return
        plate = self._plate
        for one in self._conflict.get(claim.key, ()):
            plate = _with_kept(plate, one, word == "both" or one.source.startswith(word))
        self.edited.emit(plate, f"judged by {word}: {claim.title}")

    def _hold_to(self) -> None:
        """Hold to one more rule; to the same once more, no longer; to another class of it, instead."""
        rule: RuleChoice | None = self.rule.currentData()
        if self._plate is None or rule is None:
            return
        others = tuple(r for r in self._plate.rules if r.set != rule.set)
        rules = others if rule in self._plate.rules else (*others, rule)
        self.edited.emit(replace(self._plate, rules=rules), "held to a rule")


def _with_kept(plate: Nameplate, claim: Claim, kept: bool) -> Nameplate:
    """A stated claim carries whether it is kept; one that follows from the plate is named in ``dropped``."""
    if claim.stated is not None:
        claims = list(plate.claims)
        claims[claim.stated] = replace(claims[claim.stated], kept=kept)
        return replace(plate, claims=tuple(claims))
    dropped = [key for key in plate.dropped if key != claim.key]
    return replace(plate, dropped=tuple(dropped if kept else [*dropped, claim.key]))
