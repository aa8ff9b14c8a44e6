"""Where the elements of the wiring sheet stand, and what flows between them."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QRectF

from zincsmith.analysis.envelope import Envelope
from zincsmith.analysis.expectation import expected
from zincsmith.analysis.leads import lead_resistance
from zincsmith.model.errors import ZincsmithError
from zincsmith.model.fed import as_fed
from zincsmith.model.port import can_be_set, output_ports, whole_modes
from zincsmith.model.rig import Lead, Rig
from zincsmith.model.roles import OF_THE_UNIT
from zincsmith.model.unit import Unit

BOTTOM = ("voltmeter", "output_power_meter", "scope", "thermometer", "sink_controller", "lcr_meter")
BESIDE = (
    "second_power_meter",
    "second_voltmeter",
    "ac_voltmeter",
    "ammeter",
    "node_voltmeter",
    "spot_thermometer",
    "base_load",
    "load_switch",
    "contactor",
)
LINE_H = 21.0
MARGIN, BOX_W, BOX_H = 12.0, 120.0, 84.0


@dataclass(frozen=True)
class EachOutput:
    """One of several outputs: what it gives at full load, the drop on its own lead, and where it leaves the unit."""

    name: str
    voltage_V: float
    current_A: float
    drop_V: float
    leaves: str


@dataclass(frozen=True)
class Flow:
    """Expected volts, amps and watts at full load, from the nameplate's own model; ``drop_V`` on the load's lead."""

    input_V: float
    input_A: float
    input_W: float
    output_V: float
    output_A: float
    output_W: float
    drop_V: float
    each: tuple[EachOutput, ...] = ()  # of several outputs


@dataclass(frozen=True)
class Layout:
    """Rectangles by element: a role, ``gear`` or ``unit``. ``divide`` parts input side from output side."""

    boxes: dict[str, QRectF]
    divide: float
    callout: QRectF


def lay_out(width: float, height: float, rig: Rig, source: str) -> Layout:
    """Upper row in the order the current flows, load and meters of the output below, the unit across both,
    with its own displays in it."""
    divide = max(128.0, height * 0.40)
    unit = QRectF(width - 168.0 - MARGIN, 28.0, 168.0, height - 28.0 - MARGIN)
    chain = [source, *(["gear"] if rig.gear else []), "power_meter"]
    room = unit.left() - MARGIN
    wide = min(BOX_W, (room - 78.0 * len(chain)) / len(chain))
    gap = (room - wide * len(chain)) / len(chain)
    top = 30.0
    boxes = {name: QRectF(MARGIN + k * (wide + gap), top, wide, BOX_H) for k, name in enumerate(chain)}
    boxes["unit"] = unit
    boxes["load"] = QRectF(MARGIN, divide + 30.0, wide, BOX_H - 8.0)
    shown = [r for r in BOTTOM if rig.of(r)]
    beside = [r for r in dict.fromkeys(one.role for one in rig.instruments) if r in BESIDE]
    taken = LINE_H + 4.0 - MARGIN / 2.0 if beside else 0.0
    low, tall = height - MARGIN - 66.0, 66.0 - taken
    left = MARGIN + 214.0
    each = min(136.0, (unit.left() - 18.0 - left) / max(1, len(shown)) - 10.0)
    for k, role in enumerate(shown):
        boxes[role] = QRectF(left + k * (each + 10.0), low, each, tall)
    for k, role in enumerate(r for r in OF_THE_UNIT if rig.of(r)):
        boxes[role] = QRectF(unit.left() + 12.0 + 74.0 * k, unit.bottom() - 98.0, 68.0, 50.0)
    if rig.of("unit_interface"):
        boxes["unit_interface"] = QRectF(unit.left() + 12.0, unit.bottom() - 98.0, unit.width() - 24.0, 50.0)
    strip = (unit.left() - 18.0 - MARGIN) / max(1, len(beside))
    for k, role in enumerate(beside):  # what stands beside another of its kind, a line each
        boxes[role] = QRectF(MARGIN + k * strip, height - MARGIN / 2.0 - LINE_H, strip - 8.0, LINE_H)
    callout = QRectF(MARGIN, low - 22.0, 200.0, 88.0 - taken)
    return Layout(boxes, divide, callout)


def flow_of(unit: Unit | None, rig: Rig, line_V: float) -> Flow | None:
    """What to expect at full load on a line; None while the nameplate does not say enough."""
    if unit is None:
        return None
    unit = as_fed(unit, rig)
    try:
        plate = unit.nameplate
        envelope = Envelope(plate, whole_modes(plate))
        main = max(plate.outputs, key=lambda o: o.current_A, default=plate.output)
        e = expected(plate, line_V, envelope.loads_A(100.0), 23.0, envelope.modes)
    except (ZincsmithError, ZeroDivisionError):
        return None
    one_is_set = len(plate.outputs) == 1 and can_be_set(main)  # its full load lies clear of its limit
    current = envelope.full_A() if one_is_set else main.current_A
    watts = abs(main.voltage_V) * current if one_is_set else plate.rated_power_W
    drop = current * lead_resistance(lead) if (lead := rig.lead("unit load")) is not None else 0.0
    return Flow(
        line_V,
        e["input_current"].value,
        e["input_power"].value,
        main.voltage_V,
        current,
        watts,
        drop,
        tuple(_each(unit, envelope, rig, port) for port in output_ports(plate)) if len(plate.outputs) > 1 else (),
    )


def _each(unit: Unit, envelope: Envelope, rig: Rig, port: str) -> EachOutput:
    current, lead = envelope.full_A(port), rig.lead(f"unit load@{port}")
    marks = [t.mark or t.name for t in unit.terminals if t.output == port]
    leaves = f"{port}, {marks[0]}" if marks and marks[0] != port else port
    drop = current * lead_resistance(lead) if lead is not None else 0.0
    return EachOutput(port, envelope.voltage_V(port), current, drop, leaves.replace("-", "−"))


def lead_words(lead: Lead | None) -> str:
    return f"{lead.length_m:g} m {lead.size_words}" if lead is not None else ""
