"""The ratings field by field: inputs, outputs and the whole unit."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QGridLayout, QVBoxLayout, QWidget

from zincsmith.formats.entry import parse_entry
from zincsmith.formats.plate_check import check_nameplate
from zincsmith.model.errors import InputError
from zincsmith.model.unit import KINDS, InputRating, Nameplate, OutputRating, Unit
from zincsmith.ui.theme import font
from zincsmith.ui.widgets.choice import Choice
from zincsmith.ui.widgets.edit_table import Column, EditTable, Row
from zincsmith.ui.widgets.panel import label
from zincsmith.ui.widgets.rating_edit import RatingEdit

INPUTS = (
    Column("name", "input", stretch=True),
    Column("type", "fed with", choices=("ac", "dc"), width=64),
    Column("low", "from V", "V", width=64, kind="voltage"),
    Column("high", "to V", "V", width=64, kind="voltage"),
    Column("hertz", "Hz", width=70),
    Column("current_A", "A", "A", width=60, kind="current"),
    Column("switch", "switch positions", width=106),
    Column("selector_set_V", "stands at V", "V", width=82, kind="voltage"),
    Column("output_power_W", "W out on it", "W", width=82, kind="power"),
)
OUTPUTS = (
    Column("name", "output", stretch=True),
    Column("type", "gives", choices=("dc", "ac"), width=50),
    Column("voltage_V", "V", "V", width=58, kind="voltage"),
    Column("current_A", "A", "A", width=58, kind="current"),
    Column("power_W", "W", "W", width=54, kind="power"),
    Column("tolerance_percent", "± %", "%", width=50, kind="voltage"),
    Column("load_regulation_percent", "load %", "%", width=58, kind="voltage"),
    Column("line_regulation_percent", "line %", "%", width=58, kind="voltage"),
    Column("minimum_A", "least A", "A", width=60, kind="current"),
    Column("ripple_V", "ripple V", "V", width=64, kind="voltage"),
    Column("more", "modes and ranges", fixed=True, width=130),
)
WHOLE = (
    ("total_power_W", "Total power", "W"),
    ("average_efficiency_percent", "Average efficiency ≥", "%"),
    ("no_load_power_W", "No-load power ≤", "W"),
)


class RatingsForm(QWidget):
    """Signals: ``edited`` (a unit with other ratings), ``wrong`` (a reason, or empty)."""

    edited = Signal(object)
    wrong = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self._unit: Unit | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        self.inputs, self.outputs = EditTable("Inputs", INPUTS), EditTable("Outputs", OUTPUTS)
        for table, take in ((self.inputs, self._take_inputs), (self.outputs, self._take_outputs)):
            table.edited.connect(take)
            table.wrong.connect(self.wrong)
            column.addWidget(table)
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        self.whole: dict[str, RatingEdit] = {}
        for n, (key, words, unit) in enumerate(WHOLE):
            edit = RatingEdit()
            edit.setFont(font(13))
            edit.setAccessibleName(f"{words} {unit}")
            edit.editingFinished.connect(self._take_whole)
            grid.addWidget(label(f"{words} ({unit})", 13), 0, 2 * n)
            grid.addWidget(edit, 0, 2 * n + 1)
            self.whole[key] = edit
        self.kind = Choice()
        self.kind.setFont(font(13))
        self.kind.setAccessibleName("Kind of unit")
        self.kind.addItems(list(KINDS))
        self.kind.activated.connect(self._take_kind)
        grid.addWidget(label("Kind", 13), 0, 6)
        grid.addWidget(self.kind, 0, 7)
        column.addLayout(grid)

    def show_unit(self, unit: Unit | None, locked: bool) -> None:
        """Fill the form; an entry that is wrong and still being mended stays."""
        self._unit = unit
        plate = unit.nameplate if unit is not None else Nameplate()
        self.inputs.show_rows([_input_row(one) for one in plate.inputs], locked or unit is None)
        self.inputs.setFixedHeight(34 + 26 * min(3, max(2, self.inputs.rowCount())))
        self.outputs.show_rows([_output_row(one) for one in plate.outputs], locked or unit is None)
        for key, edit in self.whole.items():
            value = getattr(plate, key)
            if not (edit.isModified() and edit.property("wrong")):
                edit.setText("" if value is None else f"{value:.10g}")
                edit.setModified(False)
            edit.setEnabled(unit is not None and not locked)
        self.kind.setEnabled(unit is not None and not locked)
        if unit is not None:
            self.kind.setCurrentText(unit.kind)

    def _take_inputs(self, rows: list[Row]) -> None:
        plate = self._plate()
        try:
            made = tuple(
                _input(row, n, plate.inputs[n] if n < len(plate.inputs) else None) for n, row in enumerate(rows)
            )
        except InputError as error:
            self.wrong.emit(error.message)
            return
        self._give(replace(plate, inputs=made))

    def _take_outputs(self, rows: list[Row]) -> None:
        plate = self._plate()
        made = []
        for n, row in enumerate(rows):
            if row.get("voltage_V") is None or row.get("current_A") is None:
                self.wrong.emit(f"Output {n + 1}: volts and amps are needed.")
                return
            fields = {c.key: row.get(c.key) for c in OUTPUTS if not c.fixed}
            fields["name"], fields["type"] = fields["name"] or "", fields["type"] or "dc"
            old = next((o for o in plate.outputs if _output_row(o)["key"] == row.get("key")), None)
            made.append(replace(old, **fields) if old is not None else OutputRating(**fields))  # type: ignore[arg-type]
        self._give(replace(plate, outputs=tuple(made)))

    def _take_whole(self) -> None:
        if self._unit is None:
            return
        values: dict[str, Any] = {}
        for key, words, unit in WHOLE:
            edit = self.whole[key]
            text = edit.text().strip()
            try:
                values[key] = parse_entry(text, unit) if text else None
                edit.mark("")
            except InputError as error:
                edit.mark(error.message)
                self.wrong.emit(f"{words}: {error.message}.")
                return
        self._give(replace(self._plate(), **values))

    def _take_kind(self) -> None:
        if self._unit is not None:
            kind: Any = self.kind.currentText()
            self.edited.emit(replace(self._unit, kind=kind))

    def _plate(self) -> Nameplate:
        return self._unit.nameplate if self._unit is not None else Nameplate()

    def _give(self, plate: Nameplate) -> None:
        """Only ratings that make sense leave the form."""
        problems = check_nameplate(plate)
        whole = next((p for p in problems if p.field in self.whole), None)
        if whole is not None:
            self.whole[whole.field].mark(whole.message)
        if problems:
            self.wrong.emit(f"{problems[0].message[0].upper()}{problems[0].message[1:]}.")
            return
        self.wrong.emit("")
        for edit in self.whole.values():
            edit.setModified(False)
        if self._unit is not None:
            self.edited.emit(replace(self._unit, nameplate=plate))


def _input_row(one: InputRating) -> Row:
    return {
        "name": one.name,
        "type": one.type,
        "low": one.voltage_min_V,
        "high": one.voltage_max_V,
        "hertz": "/".join(f"{f:g}" for f in one.frequency_Hz),
        "current_A": one.current_A,
        "switch": "/".join(f"{v:g}" for v in one.selector_V),
        "selector_set_V": one.selector_set_V,
        "output_power_W": one.output_power_W,
    }


def _input(row: Mapping[str, Any], n: int, old: InputRating | None) -> InputRating:
    low, high = row.get("low"), row.get("high")
    positions = _numbers(row.get("switch") or "", f"Input {n + 1}: type switch positions as 115/230")
    if positions and (low is None or high is None):
        low, high = min(positions), max(positions)
    if low is None and high is None:
        raise InputError(f"Input {n + 1}: its voltage is needed.")
    kind = row.get("type") or "ac"
    hertz = _numbers(row.get("hertz") or "", f"Input {n + 1}: type frequencies as 50/60")
    fields: dict[str, Any] = {
        "voltage_V": (low if low is not None else high, high if high is not None else low),
        "frequency_Hz": hertz or ((50.0, 60.0) if kind == "ac" else ()),
        "current_A": row.get("current_A"),
        "name": row.get("name") or "",
        "type": kind,
        "selector_V": positions,
        "selector_set_V": row.get("selector_set_V"),
        "output_power_W": row.get("output_power_W"),
    }
    if kind == "dc":
        fields["frequency_Hz"] = ()
    if old is None:
        return InputRating(**fields)
    # Ranges with currents of their own are those of the label; what is typed here is one range.
    typed = any(fields[key] != getattr(old, key) for key in ("voltage_V", "current_A", "type"))
    return replace(old, **fields, ranges=() if typed else old.ranges)


def _numbers(text: str, asked: str) -> tuple[float, ...]:
    try:
        return tuple(float(part) for part in text.replace("Hz", "").replace("/", " ").split())
    except ValueError:
        raise InputError(f"{asked}.") from None


def _output_row(one: OutputRating) -> Row:
    more = [f"{len(one.modes)} modes"] if one.modes else []
    more += [f"{p.voltage_V[0]:g}–{p.voltage_V[1]:g} V" for p in one.programmable]
    more += [f"from {one.adjustable_V[0]:g} V"] if one.adjustable_V is not None else []
    more += ["standby"] if one.standby else []
    row = {c.key: getattr(one, c.key) for c in OUTPUTS if not c.fixed}
    return {**row, "more": ", ".join(more), "key": (one.name, one.voltage_V, one.current_A)}
