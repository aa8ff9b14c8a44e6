"""The channels of a scope: what each is joined to, and how."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from zincsmith.model.port import output_ports, power_good
from zincsmith.model.quantities import QUANTITIES
from zincsmith.model.rig import Instrument, ScopeChannel
from zincsmith.model.unit import Unit
from zincsmith.ui.rig.element_form import ElementForm, Entry
from zincsmith.ui.theme import font
from zincsmith.ui.widgets.choice import Choice
from zincsmith.ui.widgets.panel import button, label

MOST = 4
LOOKED_AT = (
    "output_voltage", "output_current", "input_voltage", "input_current", "node_voltage", "node_current",
    "signal_voltage",
)  # fmt: skip
PROBE = (
    Entry("probe.ratio", "Probe ratio", "1"),
    Entry("probe.coupling", "Coupling", "", ("not stated", "DC", "AC"), ("", "DC", "AC")),
    Entry("probe.ground", "Probe ground", "", ("not stated", "spring", "coax", "long lead", "no contact"),
          ("", "spring", "coax", "long lead", "no contact")),
    Entry("probe.differential", "Differential", "", ("no", "yes"), (False, True)),
    Entry("reference", "Its clip stands on", like="output minus"),
    Entry("probe.rated_V", "Probe stands", "V"),
    Entry("probe.derates", "At MHz, V", like="0.1 600  10 60"),
    Entry("probe.category", "Category", "", ("not stated", "CAT II", "CAT III", "CAT IV"), ("", "II", "III", "IV")),
    Entry("probe.impedance_ohm", "Input", "", ("1 MΩ", "50 Ω"), (1000000, 50)),
    Entry("probe.blocking_uF", "Blocking capacitor, µF", "1"),
    Entry("probe.input_most_V", "Input stands", "V"),
    Entry("probe.bandwidth_MHz", "Bandwidth limit, MHz", "1"),
    Entry("probe.tip_uF", "Capacitors at the tip, µF"),
    Entry("probe.compensated", "Compensated", "", ("not stated", "no", "yes"), (None, False, True)),
)  # fmt: skip
OF_A_CURRENT = ("probe.ratio", "probe.coupling", "probe.bandwidth_MHz")


class ChannelPanel(QWidget):
    """Signals: ``edited`` (the channels, as a tuple), ``wrong`` (a reason, or empty)."""

    edited = Signal(object)
    wrong = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self._one: Instrument | None = None
        self._unit: Unit | None = None
        self._number, self._locked = 1, False
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(label("Channels, and how each is joined", 13, 600))
        row = QHBoxLayout()
        self.channel = Choice()
        self.channel.setAccessibleName("Channel")
        self.channel.setFont(font(13))
        self.channel.setSizeAdjustPolicy(Choice.SizeAdjustPolicy.AdjustToContents)
        self.channel.activated.connect(self._choose)
        self.free = button("Leave it free", weight=400)
        self.free.clicked.connect(self._leave_free)
        row.addWidget(self.channel)
        row.addStretch()
        row.addWidget(self.free)
        column.addLayout(row)
        self.form = ElementForm()
        self.form.edited.connect(self._take)
        self.form.wrong.connect(self.wrong)
        column.addWidget(self.form)

    def show_scope(self, one: Instrument | None, unit: Unit | None, locked: bool) -> None:
        """The channels of a scope; nothing for any other instrument."""
        self.setVisible(one is not None and one.role == "scope")
        if one is None or one.role != "scope":
            self._one = None
            return
        if self._one is None or self._one.name != one.name:
            self._number = one.scope_channels[0].number
        self._one, self._unit, self._locked = one, unit, locked
        there = {c.number: c for c in one.scope_channels}
        self.channel.clear()
        for number in range(1, max(MOST, *there) + 1):
            words = QUANTITIES[there[number].address].words if number in there else "free"
            self.channel.addItem(f"{number}: {words}", number)
        self.channel.setCurrentIndex(self._number - 1)
        self.free.setVisible(self._number in there)
        self.free.setEnabled(not locked and len(there) > 1)
        record = there.get(self._number) or ScopeChannel(self._number, "")
        self.form.show_record(record, self._entries(record), locked)

    def _entries(self, record: ScopeChannel) -> tuple[Entry, ...]:
        """What can be stated of a channel: where it looks first, then how its probe is joined."""
        places = self._places()
        if record.quantity and record.address not in places:
            places = (record.address, *places)
        where = Entry("looks_at", "Looks at", "", ("free", *(QUANTITIES[p].words for p in places)), ("", *places))
        if not record.quantity:
            return (where,)
        volts = QUANTITIES[record.quantity].unit == "V"
        return (where, *(e for e in PROBE if volts or e.path in OF_A_CURRENT))

    def _places(self) -> tuple[str, ...]:
        """The addresses of everything that a channel may look at on this unit."""
        if self._unit is None:
            return LOOKED_AT[:4]
        plate = self._unit.nameplate
        outputs = output_ports(plate) or ("",)
        ports = {"output": outputs, "input": ("",), "none": tuple(n.name for n in plate.nodes)}
        there = {q: ports[QUANTITIES[q].side] for q in LOOKED_AT} | {"signal_voltage": power_good(plate)}
        return tuple(ScopeChannel(0, quantity, port).address for quantity in LOOKED_AT for port in there[quantity])

    def _choose(self, at: int) -> None:
        self._number = int(self.channel.itemData(at))
        self.show_scope(self._one, self._unit, self._locked)

    def _leave_free(self) -> None:
        if self._one is not None:
            self.edited.emit(tuple(c for c in self._one.scope_channels if c.number != self._number))

    def _take(self, changed: ScopeChannel) -> None:
        if self._one is None:
            return
        others = [c for c in self._one.scope_channels if c.number != changed.number]
        if any(c.address == changed.address for c in others):
            self.wrong.emit(f"{QUANTITIES[changed.address].words} is on another channel already.")
            self.show_scope(self._one, self._unit, self._locked)
            return
        made = [*others, *([changed] if changed.quantity else [])]
        if made:
            self.edited.emit(tuple(sorted(made, key=lambda c: c.number)))


def with_channels(one: Instrument, channels: tuple[ScopeChannel, ...]) -> Instrument:
    """The scope with these channels, each with a probe of its own."""
    return replace(one, channels=channels, probe=None)
