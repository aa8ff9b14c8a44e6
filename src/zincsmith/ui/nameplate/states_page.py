"""Terminals, and the configurations the unit is put in with what must be restored."""

from __future__ import annotations

from dataclasses import replace
from typing import Any, Literal

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from zincsmith.formats.plate_check import check_unit
from zincsmith.model.intake import Configuration, Restore, Terminal
from zincsmith.model.unit import Node, Unit
from zincsmith.ui.widgets.edit_table import Column, EditTable, Row
from zincsmith.ui.widgets.panel import Panel, label

POLARITIES = (" ", "+", "-", "0", "L", "N", "PE")
CHECKED = ("not checked", "assumed", "measured")
TERMINALS = (
    Column("name", "terminal", stretch=True),
    Column("mark", "pin or wire mark", stretch=True),
    Column("output", "of output", width=84),
    Column("polarity", "polarity", choices=POLARITIES, width=66),
    Column(
        "checked", "identity and polarity", choices=CHECKED, width=136, marks={"measured": "tick", "assumed": "doubt"}
    ),
)
NODES = (
    Column("name", "node", stretch=True),
    Column("side", "side", choices=("primary", "secondary"), width=92),
    Column("reference", "measured against", width=128),
    Column("rated", "parts stand / V", width=104),
    Column("between", "between", width=110),
)
STATES = (
    Column("name", "configuration", stretch=True),
    Column("changes", "what is changed", stretch=True),
    Column("open", "case", choices=("closed", "open"), width=80),
    Column("force", "in force", choices=("no", "yes"), width=76),
)
EFFECTS: dict[str, Literal["", "lockout lifted", "trace cut"]] = {
    "lockout lifted": "lockout lifted",
    "trace cut": "trace cut",
}
RESTORE = (
    Column("state", "changed in", width=170),
    Column("what", "must be restored", stretch=True),
    Column("effect", "until then", choices=("none", "lockout lifted", "trace cut")),
    Column("done", "ticked off", choices=("no", "yes"), width=90),
)


class StatesPage(QWidget):
    """Signals: ``edited`` (a unit with other terminals or configurations, and why), ``wrong`` (a reason)."""

    edited = Signal(object, str)
    wrong = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self._unit: Unit | None = None
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(9)
        column = QVBoxLayout()
        column.setSpacing(9)
        left = Panel("Terminals", "measured before a load or a device is attached")
        self.terminals = EditTable("Terminals", TERMINALS)
        left.body.addWidget(self.terminals)
        caution = "Discharge before a jumper, lead or part is changed: off, unplugged, proved dead, clip left on."
        left.body.addWidget(label(caution, 13, 400, "problem", wrap=True))
        inside = Panel("Nodes", "places inside whose volts matter: what may be charged, what can be probed")
        self.nodes = EditTable("Nodes", NODES)
        inside.body.addWidget(self.nodes)
        column.addWidget(left, 1)
        column.addWidget(inside, 1)
        row.addLayout(column, 1)
        right = QVBoxLayout()
        right.setSpacing(9)
        states = Panel("Configurations", "every reading belongs to the one in force")
        self.states = EditTable("Configurations", STATES)
        states.body.addWidget(self.states)
        restore = Panel("To restore", "a list that is ticked off at the end")
        self.restore = EditTable("To restore", RESTORE)
        restore.body.addWidget(self.restore)
        right.addWidget(states, 1)
        right.addWidget(restore, 1)
        row.addLayout(right, 1)
        for table, take in (
            (self.terminals, self._take_terminals),
            (self.nodes, self._take_nodes),
            (self.states, self._take_states),
            (self.restore, self._take_restore),
        ):
            table.edited.connect(take)
            table.wrong.connect(self.wrong)

    def show_unit(self, unit: Unit | None, locked: bool) -> None:
        self._unit = unit
        locked = locked or unit is None
        terminals = unit.terminals if unit is not None else ()
        self.terminals.show_rows(
            [
                {
                    "name": t.name,
                    "mark": t.mark,
                    "output": t.output,
                    "polarity": t.polarity or " ",
                    "checked": t.checked,
                }
                for t in terminals
            ],
            locked,
        )
        self.nodes.show_rows(
            [
                {
                    "name": n.name,
                    "side": n.side,
                    "reference": n.reference,
                    "rated": f"{n.rated_V:g}" if n.rated_V is not None else "",
                    "between": ", ".join(n.between),
                    "loop": n.loop,
                }
                for n in (unit.nameplate.nodes if unit is not None else ())
            ],
            locked,
        )
        states = _states(unit) if unit is not None else ()
        self.states.show_rows(
            [
                {
                    "name": c.name,
                    "changes": c.changes,
                    "open": "open" if c.open_case else "closed",
                    "force": "yes" if unit is not None and c.name == unit.configuration else "no",
                    "was": c.name,
                }
                for c in states
            ],
            locked,
        )
        self.restore.show_rows(
            [
                {"state": c.name, "what": r.what, "done": "yes" if r.done else "no", "effect": r.effect or "none"}
                for c in states
                for r in c.restore
            ],
            locked,
        )

    def _take_terminals(self, rows: list[Row]) -> None:
        if self._unit is None:
            return
        names = {o.name for o in self._unit.nameplate.outputs}
        made = []
        for row in rows:
            output = row.get("output") or ""
            if output and output not in names:
                self.wrong.emit(f"There is no output “{output}”; there are: {', '.join(sorted(names)) or 'none'}.")
                return
            polarity: Any = (row.get("polarity") or "").strip()
            checked: Any = row.get("checked") or "not checked"
            made.append(Terminal(row.get("name") or "?", row.get("mark") or "", output, polarity, checked))
        self.edited.emit(replace(self._unit, terminals=tuple(made)), "terminals")

    def _take_nodes(self, rows: list[Row]) -> None:
        """What is no node is refused with the reason; what stands in the table before stays."""
        if self._unit is None:
            return
        made = []
        for row in rows:
            voltage = (row.get("rated") or "").replace("V", "").strip()
            try:
                rated = float(voltage) if voltage else None
            except ValueError:
                self.wrong.emit(f"What the parts stand is a number of volts, not “{voltage}”.")
                return
            side: Any = row.get("side") or "primary"
            between = tuple(name.strip() for name in (row.get("between") or "").split(",") if name.strip())
            reference = (row.get("reference") or "").strip() or "minus"
            made.append(Node((row.get("name") or "").strip(), side, reference, rated, between, row.get("loop") or ""))
        unit = replace(self._unit, nameplate=replace(self._unit.nameplate, nodes=tuple(made)))
        problem = next((p for p in check_unit(unit) if p.field.startswith("node.")), None)
        if problem is not None:
            self.wrong.emit(f"{problem.message[:1].upper()}{problem.message[1:]}.")
            return
        self.edited.emit(unit, "nodes")

    def _take_states(self, rows: list[Row]) -> None:
        """The one that has newly been put in force counts; a name given twice is refused."""
        if self._unit is None:
            return
        old = {c.name: c for c in _states(self._unit)}
        made: list[Configuration] = []
        force = self._unit.configuration
        for row in rows:
            name = (row.get("name") or "").strip()
            if not name or name in {c.name for c in made}:
                self.wrong.emit(f"A configuration needs a name of its own{f'; {name} is given twice' if name else ''}.")
                return
            was = row.get("was") or ""
            restore = old[was].restore if was in old else ()
            made.append(Configuration(name, row.get("changes") or "", row.get("open") == "open", restore))
            if was == self._unit.configuration:
                force = name
        chosen = [r["name"] for r in rows if r.get("force") == "yes"]
        newly = [n for n in chosen if n.strip() != force]
        force = newly[-1].strip() if newly else force
        if force not in {c.name for c in made} and made:
            force = made[0].name
        unit = replace(self._unit, configurations=tuple(made), configuration=force)
        self.edited.emit(unit, f"configuration: {force}")

    def _take_restore(self, rows: list[Row]) -> None:
        if self._unit is None:
            return
        states = list(_states(self._unit))
        lists: dict[str, list[Restore]] = {c.name: [] for c in states}
        for row in rows:
            state = (row.get("state") or "").strip() or self._unit.configuration
            if state not in lists:
                self.wrong.emit(f"There is no configuration “{state}”; there are: {', '.join(lists)}.")
                return
            effect = EFFECTS.get(str(row.get("effect")), "")
            lists[state].append(Restore(row.get("what") or "?", row.get("done") == "yes", effect))
        made = tuple(replace(c, restore=tuple(lists[c.name])) for c in states)
        self.edited.emit(replace(self._unit, configurations=made), "to restore")


def _states(unit: Unit) -> tuple[Configuration, ...]:
    """The configurations; the one in force is always among them."""
    return unit.configurations or (unit.in_force,)
