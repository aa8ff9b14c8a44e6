"""One element of the rig, opened beside the sheet: how it is reached, how well it measures, what is wrong with it."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import replace
from datetime import date
from typing import Any, get_args

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QScrollArea, QVBoxLayout, QWidget

from zincsmith.analysis.leads import lead_resistance
from zincsmith.formats.accuracy_text import parse_accuracy, print_accuracy
from zincsmith.model.address import at_port, name_of, port_of
from zincsmith.model.answers import Tried
from zincsmith.model.errors import InputError
from zincsmith.model.figures import FIGURES
from zincsmith.model.plan import Line
from zincsmith.model.port import output_ports
from zincsmith.model.quantities import QUANTITIES
from zincsmith.model.rig import Accuracy, Earthed, Gear, GearKind, Instrument, Lead, Rig, ScopeChannel
from zincsmith.model.roles import AT_OUTPUTS, ROLES
from zincsmith.model.unit import Unit
from zincsmith.suitability.case import Fault, Severity
from zincsmith.ui.rig.channel_panel import ChannelPanel, with_channels
from zincsmith.ui.rig.element_form import RIG_ENTRIES, ElementForm, entries_of
from zincsmith.ui.rig.scan_panel import ScanPanel
from zincsmith.ui.rig.try_panel import TryPanel
from zincsmith.ui.rig.wiring_sheet import element_of
from zincsmith.ui.widgets.choice import Choice
from zincsmith.ui.widgets.edit_table import Column, EditTable, Row
from zincsmith.ui.widgets.panel import Panel, button, label
from zincsmith.ui.widgets.segments import Segments
from zincsmith.words.instrument_words import accuracy_words, age_words, draws_words, limit_words

SHORT = {"ac_source": "source", "dc_source": "source", "power_meter": "meter"}
HOW = ("simulated", "connected", "by hand")
ACCURACY = (
    Column("words", "reads", choices=tuple(q.words for q in QUANTITIES.values()), width=88),
    Column("range", "range", "1", width=44),
    Column("counts", "counts", "1", width=50),
    Column("printed", "as printed", stretch=True),
    Column("jack", "jack", width=40),
)
GEAR = (
    Column(
        "what",
        "piece",
        choices=get_args(GearKind),
        stretch=True,
    ),
    Column("rated_A", "rated A", "A", width=64),
    Column("note", "note", width=90),
)
LEADS = (
    Column("between", "from, to", stretch=True),
    Column("length_m", "m", "1", width=40),
    Column("area_mm2", "mm²", "1", width=44),
    Column("awg", "AWG", "1", width=44),
    Column("temperature_degC", "°C", "1", width=34),
    Column("ohm", "mΩ", fixed=True, right=True, width=42),
)
EARTHED = (Column("node", "node of the unit", stretch=True), Column("through", "earthed through", stretch=True))

AT_NODES = ("node_voltmeter", "spot_thermometer")  # roles that stand at a place inside the unit
# Roles that stand at one of several outputs, or nodes.
PORTED = (
    *AT_OUTPUTS,
    "sink_controller",
    "second_voltmeter",
    "ac_voltmeter",
    "ammeter",
    "base_load",
    "load_switch",
    "contactor",
    *AT_NODES,
)


class ElementPanel(Panel):
    """Signals: ``edited`` (a rig, and why), ``wrong`` (a reason, or empty), ``tries`` (a role)."""

    edited = Signal(object, str)
    tries = Signal(str)
    scans = Signal(str)
    wrong = Signal(str)

    def __init__(self) -> None:
        super().__init__("Element")
        self._rig: Rig | None = None
        self._at = "unit"
        self._ports: tuple[str, ...] = ("",)
        self._port = ""
        self._shown: tuple[Any, ...] | None = None
        area = QScrollArea()
        area.setWidgetResizable(True)
        inside = QWidget()
        inside.setObjectName("inside")
        column = QVBoxLayout(inside)
        column.setContentsMargins(0, 0, 6, 0)
        column.setSpacing(6)
        area.setWidget(inside)
        area.viewport().setObjectName("clear")
        self.body.addWidget(area, 1)
        self.faults = label("", 13, 400, "problem", wrap=True)
        column.addWidget(self.faults)
        self.move_sense = button("Both leads are at the unit now", "main")
        self.move_sense.clicked.connect(lambda: self._give(sense="unit", why="sense leads moved to the unit"))
        column.addWidget(self.move_sense)
        self._make_ports(column)
        self.how = Segments("How it is reached", HOW)
        self.how.chosen.connect(self._reach)
        column.addWidget(self.how)
        self.form = ElementForm()
        self.form.edited.connect(self._take)
        self.form.wrong.connect(self.wrong)
        column.addWidget(self.form)
        self.channels = ChannelPanel()
        self.channels.edited.connect(self._take_channels)
        self.channels.wrong.connect(self.wrong)
        column.addWidget(self.channels)
        self.age = label("", 12, 400, "second", wrap=True)
        column.addWidget(self.age)
        self._make_tables(column)
        self.said = label("", 12, 400, "second", wrap=True)
        column.addWidget(self.said)
        self._make_links(column)

    def _make_links(self, column: QVBoxLayout) -> None:
        """Trying it, looking for it, taking it off."""
        self.trying = TryPanel()
        self.trying.wanted.connect(lambda: self.tries.emit(self._at))
        column.addWidget(self.trying)
        self.scanning = ScanPanel()
        self.scanning.wanted.connect(self.scans)
        self.scanning.chosen.connect(self._take_address)
        column.addWidget(self.scanning)
        row = QHBoxLayout()
        self.remove = button("Take this role off the rig", weight=400)
        self.remove.clicked.connect(self._remove)
        row.addWidget(self.remove)
        row.addStretch()
        column.addLayout(row)
        column.addStretch()

    def _make_ports(self, column: QVBoxLayout) -> None:
        self.port = Choice()
        self.port.setAccessibleName("At which output")
        self.port.setSizeAdjustPolicy(Choice.SizeAdjustPolicy.AdjustToContents)
        self.port.activated.connect(self._choose_port)
        self.everywhere = button("One like it at every output", weight=400)
        self.everywhere.clicked.connect(self._at_every_output)
        outputs = QHBoxLayout()
        outputs.addWidget(self.port)
        outputs.addWidget(self.everywhere)
        outputs.addStretch()
        column.addLayout(outputs)

    def _make_tables(self, column: QVBoxLayout) -> None:
        self.tables: dict[str, tuple[QWidget, EditTable]] = {}
        for name, words, columns, take in (
            ("accuracy", "Ranges and accuracy", ACCURACY, self._take_accuracy),
            ("gear", "Protective gear, in the order the current flows", GEAR, self._take_gear),
            ("leads", "Leads", LEADS, self._take_leads),
            ("earthed", "What is earthed through what", EARTHED, self._take_earthed),
        ):
            head, table = label(words, 13, 600), EditTable(words, columns, row_height=24)
            table.edited.connect(take)
            table.wrong.connect(self.wrong)
            column.addWidget(head)
            column.addWidget(table)
            self.tables[name] = (head, table)

    # Showing

    def show_element(
        self,
        rig: Rig,
        unit: Unit | None,
        line: Line,
        at: str,
        faults: Sequence[Fault],
        locked: bool,
        free: bool = False,
    ) -> None:
        """Open one element: a role, ``gear`` or ``unit`` (which stands for the rig as a whole)."""
        opened = at != self._at
        self._rig, self._at = rig, at
        self._shown = (rig, unit, line, at, faults, locked, free)
        self._show_ports(rig, unit, opened, locked)
        one = self._one()
        self.heading.setText({"gear": "Protection and leads", "unit": "The rig as a whole"}.get(at, ROLES.get(at, at)))
        self.remark.setText(one.name if one is not None else "" if at in {"gear", "unit"} else "not on the rig")
        there = {"", self._port} if len(self._ports) > 1 else None
        self._show_faults([f for f in faults if element_of(f.at) == at and (there is None or port_of(f.at) in there)])
        self.move_sense.setVisible(at == "voltmeter" and rig.sense == "load")
        self.move_sense.setEnabled(not locked)
        self.how.setVisible(at not in {"gear", "unit"})
        self.how.choose(one.how if one is not None else "")
        self.how.setEnabled(not locked)
        self.how.buttons["simulated"].setEnabled(rig.standin is not None and not locked)
        record: Instrument | Rig | None = rig if at == "unit" else one
        entries = RIG_ENTRIES if at == "unit" else entries_of(one) if one is not None else ()
        self.form.show_record(record, entries, locked)
        self.channels.show_scope(one, unit, locked)
        self.trying.show_instrument(one, free)
        self.scanning.show_instrument(one, free)
        self.remove.setVisible(one is not None)
        self.remove.setEnabled(not locked)
        self._show_tables(rig, one, at, locked)
        self.age.setText(age_words(one, date.today()) if one is not None and one.accuracy else "")
        self.age.setVisible(bool(self.age.text()))
        self.said.setText("\n".join(_spoken(one, unit, line)) if one is not None else "")

    def _show_ports(self, rig: Rig, unit: Unit | None, opened: bool, locked: bool) -> None:
        """Which of several outputs the role is at; what stands at none of them yet can be put there."""
        named: tuple[str, ...] = ("",)
        if unit is not None and self._at in PORTED:
            nodes = tuple(one.name for one in unit.nameplate.nodes) or ("",)
            named = nodes if self._at in AT_NODES else output_ports(unit.nameplate)
        there = tuple(i.port for i in rig.of(self._at))
        self._ports = tuple(dict.fromkeys((*(p for p in there if p not in named), *named)))
        if self._port not in self._ports or (opened and self._port not in there):
            self._port = next((p for p in self._ports if p in there), self._ports[0])
        several = len(self._ports) > 1
        self.port.setVisible(several)
        self.everywhere.setVisible(several and rig.instrument(self._place) is not None)
        self.port.clear()
        for port in self._ports:
            self.port.addItem(f"at {port or 'no output named'}{'' if port in there else ': none yet'}", port)
        self.port.setCurrentIndex(self._ports.index(self._port))
        self.everywhere.setEnabled(not locked and len(there) < len([p for p in self._ports if p]))

    @property
    def _place(self) -> str:
        return at_port(self._at, self._port if self._at in PORTED else "")

    def _choose_port(self, at: int) -> None:
        self._port = self.port.itemData(at)
        if self._shown is not None:
            self.show_element(*self._shown)

    def _at_every_output(self) -> None:
        """One like the one that is open at each output that has none; one that was at none is put at the first."""
        one = self._one()
        if self._rig is None or one is None:
            return
        wanted = [p for p in self._ports if p]
        kept = [i for i in self._rig.instruments if i is not one or i.port in wanted]
        there = {i.port for i in kept if i.role == one.role}
        made = [replace(one, port=port, serial=one.serial if port == one.port else "") for port in wanted
                if port not in there]  # fmt: skip
        self._port = wanted[0]
        leads: list[Lead] = []
        for lead in self._rig.leads:  # what joined the one that was at none joins each of them now
            mine = lead.between == f"unit {one.place}" and one.port not in wanted
            joined = [replace(lead, between=f"unit {at_port(one.role, port)}") for port in wanted] if mine else [lead]
            leads += joined
        self._give(f"{ROLES[one.role]} at every output", instruments=(*kept, *made), leads=tuple(leads))

    def show_tried(self, tried: Tried) -> None:
        """What trying an instrument brought, if it is still the one that is open."""
        one = self._one()
        if one is not None and one.role == tried.role:
            self.trying.show_tried(one, tried.identity, tried.readings)

    def _show_tables(self, rig: Rig, one: Instrument | None, at: str, locked: bool) -> None:
        shown = {
            "accuracy": one is not None and any(q.role == at for q in QUANTITIES.values()),
            "gear": at == "gear" or (at == "unit" and not rig.gear),
            "leads": at in {"gear", "unit", "load", "power_meter"},
            "earthed": at in {"unit", "scope"},
        }
        for name, (head, table) in self.tables.items():
            head.setVisible(shown[name])
            table.setVisible(shown[name])
        if one is not None:
            self.tables["accuracy"][1].show_rows([_accuracy_row(a) for a in one.accuracy], locked)
        self.tables["gear"][1].show_rows(
            [{"what": g.what, "rated_A": g.rated_A, "note": g.note} for g in rig.gear], locked
        )
        self.tables["leads"][1].show_rows([_lead_row(lead) for lead in rig.leads], locked)
        self.tables["earthed"][1].show_rows([{"node": e.node, "through": e.through} for e in rig.earthed], locked)
        for _, table in self.tables.values():
            table.setFixedHeight(34 + 24 * min(8, max(2, table.rowCount())))

    def _show_faults(self, faults: list[Fault]) -> None:
        parts = []
        for fault in faults:
            costs = ", ".join(FIGURES[f].title.lower() for f in fault.costs)
            price = f" It costs: {costs}." if costs else ""
            parts.append(f"{fault.severity.value.capitalize()}: {fault.text} {fault.remedy}{price}")
        self.faults.setText("\n".join(parts))
        self.faults.setVisible(bool(parts))
        stops = any(f.severity is Severity.STOP for f in faults)
        name = "problem" if stops else "doubtink"
        if self.faults.objectName() != name:
            self.faults.setObjectName(name)
            self.faults.style().unpolish(self.faults)
            self.faults.style().polish(self.faults)

    # Editing

    def _give(self, why: str, **changes: Any) -> None:
        if self._rig is not None:
            self.edited.emit(replace(self._rig, **changes), why)

    def _with(self, one: Instrument) -> tuple[Instrument, ...]:
        there = self._rig.instruments if self._rig is not None else ()
        return tuple(one if i.place == one.place else i for i in there)

    def _one(self) -> Instrument | None:
        return self._rig.instrument(self._place) if self._rig is not None else None

    def _take(self, record: Instrument | Rig) -> None:
        if isinstance(record, Rig):
            self.edited.emit(record, "the rig")
        else:
            self._give(f"{ROLES[record.role]}", instruments=self._with(record))

    def _take_channels(self, channels: tuple[ScopeChannel, ...]) -> None:
        if (one := self._one()) is not None:
            self._give("channels of the scope", instruments=self._with(with_channels(one, channels)))

    def _reach(self, word: Any) -> None:
        one = self._one()
        if self._rig is None:
            return
        if one is None:
            made = (*self._rig.instruments, Instrument(self._at, word, port=self._port if self._at in PORTED else ""))
            self._give(f"{ROLES[self._at]} added", instruments=made)
        else:
            self._give(f"{ROLES[one.role]} {word}", instruments=self._with(replace(one, how=word)))

    def _take_address(self, address: str) -> None:
        one = self._one()
        if one is not None:
            self._give(
                f"address of the {ROLES[one.role].lower()}",
                instruments=self._with(replace(one, how="connected", address=address)),
            )

    def _remove(self) -> None:
        if self._rig is not None:
            rest = tuple(i for i in self._rig.instruments if i.place != self._place)
            joined = tuple(x for x in self._rig.leads if self._place not in x.between.split(" ", 1))
            self._give(f"{ROLES[self._at]} removed", instruments=rest, leads=joined)

    def _take_accuracy(self, rows: list[Row]) -> None:
        one = self._one()
        if one is None:
            return
        made = []
        for n, row in enumerate(rows):
            try:
                made.append(_accuracy(row, one))
            except InputError as error:
                self.wrong.emit(f"Accuracy, row {n + 1}: {error.message}.")
                return
        self.wrong.emit("")
        self._give(f"accuracy of {one.name}", instruments=self._with(replace(one, accuracy=tuple(made))))

    def _take_gear(self, rows: list[Row]) -> None:
        made = tuple(Gear(row["what"] or "fuse", row.get("note") or "", row.get("rated_A")) for row in rows)
        self._give("protective gear", gear=made)

    def _take_leads(self, rows: list[Row]) -> None:
        made = []
        for n, row in enumerate(rows):
            length, area, gauge = row.get("length_m"), row.get("area_mm2"), row.get("awg")
            if not length or (area is None) == (gauge is None):
                self.wrong.emit(f"Lead {n + 1}: type its length, and mm² or AWG, one of them.")
                return
            between = _between(str(row.get("between") or "unit–load"), self._rig)
            ends = {"unit", *(i.place for i in self._rig.instruments)} if self._rig is not None else {"unit"}
            joined = between.split(" ", 1)
            if len(joined) != 2 or joined[0] == joined[1] or not ends.issuperset(joined):
                known = ", ".join(sorted(SHORT.get(one, one.replace("_", " ")) for one in ends))
                self.wrong.emit(f"Lead {n + 1}: its ends name nothing that is here. Two of: {known}.")
                return
            warm = row.get("temperature_degC")
            made.append(
                Lead(between, length, area, round(gauge) if gauge is not None else None, 20.0 if warm is None else warm)
            )
        self.wrong.emit("")
        self._give("leads", leads=tuple(made))

    def _take_earthed(self, rows: list[Row]) -> None:
        made = tuple(Earthed(row.get("node") or "?", row.get("through") or "?") for row in rows)
        self._give("earths", earthed=made)


def _accuracy_row(row: Accuracy) -> Row:
    return {
        "words": QUANTITIES[row.quantity].words,
        "range": row.range,
        "counts": float(row.counts) if row.counts is not None else None,
        "printed": row.printed or _as_printed(row),
        "jack": row.jack,
        "was": row,
    }


def _as_printed(row: Accuracy) -> str:
    unit = QUANTITIES[row.quantity].unit
    return print_accuracy(row, {"degC": "°C", "1": ""}.get(unit, unit))


def _accuracy(row: Row, one: Instrument) -> Accuracy:
    """A row as typed; one that was not touched keeps what its data sheet says beyond the text."""
    quantity = next((q for q in QUANTITIES.values() if q.words == row.get("words")), None)
    quantity = quantity or next(q for q in QUANTITIES.values() if q.role == one.role)
    if not row.get("range"):
        raise InputError(f"the range is needed, in {quantity.unit}")
    old: Accuracy | None = row.get("was")
    counts = round(row["counts"]) if row.get("counts") else None
    text = row.get("printed") or ""
    same = old is not None and text == (old.printed or _as_printed(old))
    if same and old is not None and (old.range, old.counts, old.quantity) == (row["range"], counts, quantity.name):
        return replace(old, jack=row.get("jack") or "")
    made = parse_accuracy(text, Accuracy(quantity.name, row["range"], counts=counts), quantity.unit)
    return replace(made, jack=row.get("jack") or "")


def _between(text: str, rig: Rig | None) -> str:
    """The elements a lead joins, from the words of the table or from names of roles."""
    fed = next((r for r in ("ac_source", "dc_source") if rig is not None and rig.instrument(r)), "ac_source")
    for port in (i.port for i in (rig.of("load") if rig is not None else ()) if i.port):
        if re.fullmatch(rf"\s*unit\b.*\bload\b[\s@]*{re.escape(port)}\s*", text, re.IGNORECASE):
            return f"unit {at_port('load', port)}"
    roles = {"source": fed, "meter": "power_meter"}
    words = re.split(r"[\s,–→-]+|\bto\b", text.lower())
    return " ".join(roles.get(word, word) for word in words if word)


def _ends_words(lead: Lead) -> str:
    """What a lead joins, as the table shows it: *unit–load*, of several outputs *unit–load +5 V*."""
    return "–".join(
        " ".join(x for x in (SHORT.get(name_of(end), name_of(end)), port_of(end)) if x)
        for end in lead.between.split(" ", 1)
    )


def _lead_row(lead: Lead) -> Row:
    return {
        "between": _ends_words(lead),
        "length_m": lead.length_m,
        "area_mm2": lead.area_mm2,
        "awg": float(lead.awg) if lead.awg is not None else None,
        "temperature_degC": lead.temperature_degC,
        "ohm": f"{1000 * lead_resistance(lead):.1f}",
    }


def _spoken(one: Instrument, unit: Unit | None, line: Line) -> list[str]:
    """Each accuracy in words, and what it comes to where it matters."""
    out = [words] if (words := draws_words(one, unit)) else []
    for row in one.accuracy:
        at = limit_words(row, unit, line, one.port)
        words = f"{QUANTITIES[row.quantity].words}: {accuracy_words(row)}"
        out.append(f"{words}, that is {at}" if at else words)
    return out
