"""The parts table: printed rating against what the part sees."""

from __future__ import annotations

from typing import Any, get_args

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QVBoxLayout, QWidget

from zincsmith.analysis.parts import stress_of
from zincsmith.formats.entry import parse_entry
from zincsmith.formats.label import parse_line
from zincsmith.model.errors import InputError
from zincsmith.model.intake import Part, PartKind, PartState, StageKind
from zincsmith.model.label import LabelInput, LabelOutput
from zincsmith.model.record import Span
from zincsmith.model.unit import Unit
from zincsmith.ui.nameplate.summary import touch_words
from zincsmith.ui.widgets.edit_table import Column, EditTable, Row
from zincsmith.ui.widgets.panel import Panel, label

KINDS: tuple[str, ...] = get_args(PartKind)
STAGES: tuple[str, ...] = get_args(StageKind)[1:]
# A bulk capacitor behind a corrector, or in a doubler; the stage that switch, rectifier or inductor work in.
PLACES = (" ", "corrected", "doubled", *STAGES)
STATES: tuple[str, ...] = get_args(PartState)
COLUMNS = (
    Column("name", "part", width=56),
    Column("what", "what", choices=KINDS, width=108),
    Column("marked", "as marked", stretch=True),
    Column("rated_V", "rated V", "V", width=58, kind="voltage"),
    Column("rated_A", "rated A", "A", width=58, kind="current"),
    Column("drops", "drops", right=True, width=58),
    Column("uF", "µF each", "1", width=58),
    Column("count", "pieces", "1", width=48),
    Column("output", "serves", width=64),
    Column("place", "stands", choices=PLACES, width=82),
    Column("state", "state", choices=STATES, width=88),
    Column("note", "note", stretch=True),
    Column("sees", "sees", fixed=True, right=True, width=66),
    Column("share", "of rating", fixed=True, right=True, width=62),
    Column("how", "worked out from", fixed=True, width=150),
)


class PartsPage(QWidget):
    """Signals: ``edited`` (the parts), ``wrong`` (a reason, or empty)."""

    edited = Signal(tuple)
    wrong = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        panel = Panel("Parts", "printed rating against what the part sees; type in the empty row to add one")
        self.table = EditTable("Parts", COLUMNS)
        self.table.edited.connect(self._take)
        self.table.wrong.connect(self.wrong)
        panel.body.addWidget(self.table, 1)
        self.touch = label("", 13, 400, "second", wrap=True)
        panel.body.addWidget(self.touch)
        column.addWidget(panel)

    def show_unit(self, unit: Unit | None, locked: bool) -> None:
        """Fill the table; what each part sees is worked out from the nameplate."""
        parts = unit.look.parts if unit is not None else ()
        serves = unit is not None and len(unit.nameplate.outputs) > 1
        self.table.setColumnHidden([c.key for c in COLUMNS].index("output"), not serves)
        rows = [_row(part, unit) for part in parts] if unit is not None else []
        self.table.show_rows(rows, locked or unit is None)
        words = touch_words(unit) if unit is not None else ""
        self.touch.setText(f"{words}, from the sum of the Y capacitors (2 π f C V)." if words else "")

    def _take(self, rows: list[Row]) -> None:
        made = []
        for row in rows:
            kind: Any = row.get("what") or "other"
            state: Any = row.get("state") or "sound"
            stage: Any = row.get("place")
            micro, pieces = row.get("uF"), row.get("count")
            try:
                drops = drops_of(row.get("drops") or "")
            except InputError as error:
                self.wrong.emit(f"drops, {row.get('name') or '?'}: {error.message}.")
                return
            made.append(
                Part(
                    name=row.get("name") or "?",
                    what=kind,
                    marked=row.get("marked") or "",
                    rated_V=row.get("rated_V") or None,
                    rated_A=row.get("rated_A") or None,
                    drop_V=drops.get("V"),
                    ohm=drops.get("ohm"),
                    capacitance_F=float(f"{micro * 1e-6:.10g}") if micro else None,
                    count=max(1, int(pieces)) if pieces else 1,
                    output=row.get("output") or "",
                    range_V=_printed_range(row.get("marked") or "") if kind == "controller" else None,
                    behind_corrector=row.get("place") == PLACES[1],
                    doubler=row.get("place") == PLACES[2],
                    stage=stage if stage in STAGES else "",
                    state=state,
                    note=row.get("note") or "",
                )
            )
        self.edited.emit(tuple(made))


def _printed_range(marked: str) -> Span | None:
    """The volts a controller is good for, as printed behind its name: ``N2596 4.5-40V``."""
    for item in parse_line(marked).items:
        if isinstance(item, LabelInput | LabelOutput) and isinstance(item.voltage_V, tuple):
            return item.voltage_V
    return None


def drops_of(text: str) -> dict[str, float]:
    """What a part drops while it conducts, under its unit: ``0.5 V``, or the ohm that it has then, ``35 mohm``; nothing
    where nothing is said. InputError for anything else."""
    typed = text.strip()
    if not typed:
        return {}
    unit = "V" if typed.lower().endswith("v") else "ohm"
    value = parse_entry(typed, unit)
    if value is None or not value > 0.0 or typed[-1].isdigit():
        raise InputError(f"{typed!r} is neither volts, such as 0.5 V, nor a resistance, such as 35 mohm")
    return {unit: value}


def _row(part: Part, unit: Unit) -> Row:
    stress = stress_of(part, unit.nameplate)
    unit_shown = stress.unit
    return {
        "name": part.name,
        "what": part.what,
        "marked": part.marked,
        "rated_V": part.rated_V,
        "rated_A": part.rated_A,
        "drops": f"{part.drop_V:g} V" if part.drop_V is not None else f"{part.ohm:g} Ω" if part.ohm is not None else "",
        "uF": part.capacitance_F * 1e6 if part.capacitance_F is not None else None,
        "count": part.count if part.count != 1 else None,
        "output": part.output,
        "place": part.stage or PLACES[1 if part.behind_corrector else 2 if part.doubler else 0],
        "state": part.state,
        "note": part.note,
        "sees": f"{stress.sees:.4g} {unit_shown}" if stress.sees is not None else "–",
        "share": f"{100 * stress.share:.0f} %" if stress.share else "–",
        "how": f"{stress.verdict}: {stress.how}" if stress.verdict not in {"", "fits"} else stress.how,
        "bad": ("sees", "share", "how") if stress.verdict in {"doubtful", "too small"} else (),
    }
