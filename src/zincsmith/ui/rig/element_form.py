"""What is stated about one element of the rig, entry by entry; which entries there are depends on its role."""

from __future__ import annotations

import dataclasses
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QGridLayout, QWidget

from zincsmith.formats.entry import parse_entry
from zincsmith.model.address import name_of, port_of
from zincsmith.model.errors import InputError
from zincsmith.model.rig import AcRange, Dummy, Instrument, Probe, Rig, ScopeChannel, Shunt, SwitchedLoad
from zincsmith.ui.theme import font
from zincsmith.ui.widgets.choice import Choice
from zincsmith.ui.widgets.panel import clear, label
from zincsmith.ui.widgets.rating_edit import RatingEdit

LABEL_WIDTH = 140
YES_NO = ("not stated", "no", "yes")


@dataclass(frozen=True)
class Entry:
    """``path`` is a field of the record, with a dot into a nested one or into ``most``; ``unit`` a number's unit.

    ``choices`` are shown words, ``values`` what they stand for.
    """

    path: str
    words: str
    unit: str = ""
    choices: tuple[str, ...] = ()
    values: tuple[Any, ...] = ()
    like: str = ""  # shown in the empty field: how it is typed


def _yes_no(path: str, words: str) -> Entry:
    return Entry(path, words, "", YES_NO, (None, False, True))


def _choice(path: str, words: str, *values: str) -> Entry:
    shown = tuple(v or "not stated" for v in values)
    return Entry(path, words, "", shown, values)


COMMON = (
    Entry("maker", "Maker"),
    Entry("model", "Model"),
    Entry("serial", "Serial"),
    Entry("calibrated", "Calibrated", like="year-month-day"),
    Entry("calibration_months", "Due after, months", "1"),
)
BY_HAND = (Entry("kind", "What kind of meter"),)
CONNECTED = (Entry("address", "Address (VISA)"), Entry("dialect", "Dialect"))
SOURCE = (
    _yes_no("isolated", "Isolated from the mains"),
    Entry("most.voltage_V", "Reaches", "V"),
    Entry("most.current_A", "Gives", "A"),
    Entry("most.peak_A", "Gives at its crest", "A"),
    Entry("limit_A", "Its current limit is set to", "A"),
)
ROLE_ENTRIES: dict[str, tuple[Entry, ...]] = {
    "ac_source": (
        *SOURCE,
        _yes_no("sets_phase", "Can be told the phase"),
        Entry("output_ohm", "Source and leads", "Ω"),
        Entry("outlet", "Wall outlet as measured, V Hz"),
    ),
    "dc_source": (
        *SOURCE,
        Entry("cells", "A battery of so many cells", "1"),
        Entry("cell_floor_V", "None below", "V"),
    ),
    "power_meter": (
        _choice("tap", "Voltage tap is on the side of", "", "source", "unit"),
        Entry("tap_ohm", "Tap resistance, Ω", "1"),
        Entry("shunt_ohm", "Shunt resistance, Ω", "1"),
        Entry("phase_error_deg", "Phase error, degrees", "1"),
        Entry("crest_most", "Takes a crest of", "1"),
        Entry("floor_W", "Reads nothing below", "W"),
        _choice("synchronized", "Synchronized to", "", "mains", "other"),
        _yes_no("direction_checked", "Probe direction checked"),
    ),
    "load": (
        _choice("mode", "Mode", "", "CC", "CR", "CV", "CP"),
        Entry("most.current_A", "Reaches", "A"),
        Entry("most.power_W", "Takes", "W"),
        Entry("least_V", "Works from", "V"),
        Entry("short_ohm", "Its short input has, Ω", "1"),
        _choice("dummy.kind", "Made of", "", "resistor", "binary bank", "lamp", "transistor", "another supply"),
        Entry("dummy.nominal_ohm", "Nominal, Ω", "1"),
        Entry("dummy.measured_ohm", "Measured hot, Ω", "1"),
        Entry("dummy.tolerance_percent", "Tolerance ±", "%"),
        Entry("dummy.steps_W", "Steps of the bank, W"),
        Entry("dummy.at_V", "at", "V"),
        Entry("dummy.most_W", "Stands as mounted", "W"),
        _yes_no("direction_checked", "Probe direction checked"),
    ),
    "scope": (
        _yes_no("deskewed", "Channels deskewed"),
        Entry("clock_ppm", "Sample clock ±, ppm", "1"),
    ),
    "thermometer": (
        Entry("spot", "Spot"),
        Entry("kind", "Kind", like="camera, type K …"),
        Entry("emissivity", "Emissivity", "1"),
    ),
    "spot_thermometer": (
        Entry("port", "Held at", like="D5, transformer, room …"),
        Entry("kind", "Kind", like="camera, type K …"),
        Entry("emissivity", "Emissivity", "1"),
    ),
    "voltmeter": (Entry("spot", "Clipped to"), Entry("visits", "Visits in turn", like="+12 V, +5 V")),
    "second_voltmeter": (Entry("spot", "Clipped to"),),
    "ac_voltmeter": (
        Entry("spot", "Clipped to"),
        _yes_no("ac.true_rms", "Reads true rms"),
        _yes_no("ac.blocks_dc", "Keeps DC out (try a battery)"),
        Entry("ac.up_to_kHz", "Reads up to, kHz", "1"),
    ),
    "second_power_meter": (
        Entry("tap_ohm", "Tap resistance, Ω", "1"),
        Entry("shunt_ohm", "Shunt resistance, Ω", "1"),
    ),
    "node_voltmeter": (
        Entry("port", "At the node"),
        Entry("spot", "Clipped to"),
        Entry("most.voltage_V", "Meter and probe stand", "V"),
    ),
    "ammeter": (
        Entry("shunt.ohm", "Across a shunt of, Ω", "1"),
        Entry("shunt.percent", "Shunt ±", "%"),
        Entry("shunt.ppm_per_W", "Heats by, ppm a watt", "1"),
        Entry("shunt.most_W", "Stands as mounted", "W"),
    ),
    "contactor": (
        Entry("short_ohm", "With its leads it has, Ω", "1"),
        Entry("most.current_A", "Makes and breaks at most", "A"),
    ),
    "load_switch": (
        Entry("switched.ohm", "Its resistor, Ω", "1"),
        Entry("switched.on_ohm", "Its transistor, Ω", "1"),
        Entry("switched.most_W", "Stands as mounted", "W"),
        Entry("switched.most_Hz", "Driven at most at, Hz", "1"),
    ),
    "base_load": (
        _choice("dummy.kind", "Made of", "", "resistor", "binary bank", "lamp"),
        Entry("dummy.measured_ohm", "Measured hot, Ω", "1"),
        Entry("dummy.steps_W", "Steps of the bank, W"),
        Entry("dummy.at_V", "at", "V"),
        Entry("dummy.most_W", "Stands as mounted", "W"),
    ),
}
RIG_ENTRIES = (
    Entry("name", "Name of the rig"),
    Entry("reference", "Reference terminals"),
    _choice("sense", "Sense leads clip", "unit", "load"),
    _choice("amps_by", "Amps that count", "load", "ammeter"),
    Entry("humidity_percent", "Humidity", "%"),
    Entry("note", "Note"),
    _yes_no("background_recorded", "Background recorded"),
    Entry("further_meters", "Further meters in the current path"),
    Entry("isolation_by", "Open board: isolated source, confirmed by"),
    Entry("fuse_by", "Open board: fuse, confirmed by"),
    Entry("emergency_stop_by", "Open board: emergency stop, confirmed by"),
    Entry("second_person", "Open board: second person present"),
    Entry("scope_earth_lifted", "Scope's own earth lifted", "", ("no", "yes"), (False, True)),
)


def entries_of(one: Instrument) -> tuple[Entry, ...]:
    """The entries for an instrument in its role, as it is reached."""
    how: tuple[Entry, ...] = BY_HAND if one.how == "by hand" and "thermometer" not in one.role else ()
    how = CONNECTED if one.how == "connected" else how
    return (*COMMON, *how, *ROLE_ENTRIES.get(one.role, ()))


class ElementForm(QWidget):
    """Signals: ``edited`` (the record, changed), ``wrong`` (a reason, or empty). One record at a time."""

    edited = Signal(object)
    wrong = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setHorizontalSpacing(8)
        self._grid.setVerticalSpacing(3)
        self._grid.setColumnStretch(1, 1)
        self._record: Instrument | Rig | ScopeChannel | None = None
        self._entries: tuple[Entry, ...] = ()
        self.widgets: dict[str, RatingEdit | Choice] = {}

    def show_record(
        self, record: Instrument | Rig | ScopeChannel | None, entries: Sequence[Entry], locked: bool
    ) -> None:
        """Fill the form; it is built anew only when other entries are wanted."""
        self._record = record
        if tuple(entries) != self._entries:
            self._build(tuple(entries))
        for entry in self._entries:
            widget, value = self.widgets[entry.path], _get(record, entry.path)
            widget.setEnabled(record is not None and not locked)
            if isinstance(widget, Choice):
                at = entry.values.index(value) if value in entry.values else 0
                widget.setCurrentIndex(at)
            elif not (widget.hasFocus() and widget.isModified()) and not widget.property("wrong"):
                widget.setText(_text(value))
                widget.setCursorPosition(0)
                widget.setModified(False)

    def _build(self, entries: tuple[Entry, ...]) -> None:
        clear(self._grid)
        self._entries, self.widgets = entries, {}
        for n, entry in enumerate(entries):
            words = f"{entry.words}, {entry.unit}" if entry.unit not in {"", "1"} else entry.words
            if entry.choices:
                box = Choice()
                box.setSizeAdjustPolicy(Choice.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
                box.setMinimumContentsLength(6)  # the list is as wide as it has to be; the form is not
                box.addItems(list(entry.choices))
                box.activated.connect(lambda _=0, e=entry: self._take(e))
                widget: RatingEdit | Choice = box
            else:
                widget = RatingEdit()
                widget.setPlaceholderText(entry.like)
                widget.editingFinished.connect(lambda e=entry: self._take(e))
            widget.setFont(font(13))
            widget.setAccessibleName(words)
            name = label(words, 13, 400, "second", wrap=True)
            name.setFixedWidth(LABEL_WIDTH)
            name.setBuddy(widget)
            self._grid.addWidget(name, n, 0)
            self._grid.addWidget(widget, n, 1)
            self.widgets[entry.path] = widget

    def _take(self, entry: Entry) -> None:
        widget = self.widgets[entry.path]
        if self._record is None:
            return
        try:
            if isinstance(widget, Choice):
                value = entry.values[widget.currentIndex()]
            else:
                value = _value(entry, widget.text().strip())
                widget.mark("")
                widget.setModified(False)
        except InputError as error:
            if isinstance(widget, RatingEdit):
                widget.mark(error.message)
            self.wrong.emit(f"{entry.words}: {error.message}.")
            return
        self.wrong.emit("")
        changed = _with(self._record, entry.path, value)
        if changed != self._record:
            self.edited.emit(changed)


LISTS = {"outlet", "dummy.steps_W", "probe.tip_uF", "probe.derates", "further_meters", "visits"}


def _value(entry: Entry, text: str) -> Any:
    if entry.path in ("further_meters", "visits"):
        return tuple(part.strip() for part in text.split(",") if part.strip())
    if entry.path in LISTS:
        parts = [parse_entry(part, "1") for part in text.replace(";", " ").split()]
        found = tuple(p for p in parts if p is not None)
        if entry.path == "outlet":
            if found and len(found) != 2:
                raise InputError("volts and hertz, such as 231 50")
            return found or None
        if entry.path == "probe.derates":
            if len(found) % 2 or any(f <= 0.0 for f in found):
                raise InputError("pairs of MHz and volts, such as 0.1 600 10 60")
            return tuple(zip(found[::2], found[1::2], strict=True))
        return found
    if not entry.unit:
        return text
    if not text:
        return None
    value = parse_entry(text, entry.unit)
    if value is not None and value < 0.0:
        raise InputError("must not be below zero")
    return value


def _text(value: Any) -> str:
    if value is None:
        return ""
    if isinstance(value, tuple):
        if value and isinstance(value[0], tuple):
            return "  ".join(_text(pair) for pair in value)
        joint = ", " if value and isinstance(value[0], str) else " "
        return joint.join(v if isinstance(v, str) else f"{v:g}" for v in value)
    return f"{value:.10g}" if isinstance(value, float) else str(value)


def _get(record: Any, path: str) -> Any:
    head, _, rest = path.partition(".")
    value = getattr(record, head, None)
    if head == "looks_at":
        return record.address if record.quantity else ""
    if not rest:
        return value
    return value.get(rest) if isinstance(value, dict) else getattr(value, rest, None)


def _with(record: Any, path: str, value: Any) -> Any:
    """The record with one field changed; a nested record comes and goes with its first field."""
    head, _, rest = path.partition(".")
    if head == "looks_at":
        return replace(record, quantity=name_of(value), port=port_of(value))
    if not rest:
        if value is None and not _may_be_none(record, head):
            return record
        return replace(record, **{head: value})
    if head == "most":
        most = {k: v for k, v in record.most.items() if k != rest}
        return replace(record, most=most if value is None else {**most, rest: value})
    if head in COMES_WITH and rest == COMES_WITH[head][0]:
        made = getattr(record, head) or COMES_WITH[head][1](value)
        return replace(record, **{head: replace(made, **{rest: value}) if value else None})
    made = getattr(record, head) or UNSTATED.get(head)
    return record if made is None else replace(record, **{head: _with(made, rest, value)})


# Nested records: those that come and go with one of their fields, and what the others are while nothing is stated.
COMES_WITH: dict[str, tuple[str, Callable[[Any], Any]]] = {
    "dummy": ("kind", Dummy), "shunt": ("ohm", Shunt), "switched": ("ohm", SwitchedLoad),
}  # fmt: skip
UNSTATED: dict[str, Any] = {"dummy": Dummy("resistor"), "ac": AcRange(), "probe": Probe()}


def _may_be_none(record: Any, name: str) -> bool:
    found = next(f for f in dataclasses.fields(record) if f.name == name)
    return "None" in str(found.type)
