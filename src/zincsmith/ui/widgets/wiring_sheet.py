"""The wiring sheet: the rig drawn in the order the current flows, with what to expect on the wires at full load."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from zincsmith.analysis.expectation import expected
from zincsmith.analysis.leads import pair_resistance
from zincsmith.model.plan import Line
from zincsmith.model.quantities import ROLES
from zincsmith.model.rig import Rig
from zincsmith.model.unit import Unit
from zincsmith.ui import ink
from zincsmith.ui.theme import theme

TOP_LEFT = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop


@dataclass(frozen=True)
class Flow:
    """Expected volts, amps and watts at full load, from the nameplate's own model."""

    input_V: float
    input_A: float
    input_W: float
    output_V: float
    output_A: float


class WiringSheet(QWidget):
    """Painted; ``show_rig`` sets what is drawn."""

    def __init__(self) -> None:
        super().__init__()
        self._rig: Rig | None = None
        self._unit: Unit | None = None
        self._line = Line(115.0, 60.0)
        self.setMinimumHeight(300)

    def sizeHint(self) -> QSize:
        return QSize(1000, 350)

    def show_rig(self, rig: Rig | None, unit: Unit | None, line: Line) -> None:
        self._rig, self._unit, self._line = rig, unit, line
        if rig is not None:
            roles = ", ".join(f"{ROLES[i.role]} {i.name} {i.how}" for i in rig.instruments)
            self.setAccessibleName(f"Wiring sheet of {rig.name}: {roles}")
        self.update()

    def _flow(self) -> Flow | None:
        if self._unit is None:
            return None
        amps = self._unit.nameplate.output.current_A
        e = expected(self._unit.nameplate, self._line.voltage_V, amps, 23.0)
        return Flow(
            self._line.voltage_V, e["input_current"].value, e["input_power"].value, e["output_voltage"].value, amps
        )

    def paintEvent(self, event: QPaintEvent) -> None:
        t, p = theme(), QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        w, h = float(self.width()), float(self.height())
        divide = h * 0.44
        p.fillRect(QRectF(0, 0, w, divide), t.color("alarm_ground"))
        ink.write(p, QRectF(10, 4, 400, 20), "Mains side: hands off while energised", 13, 600, t.color("alarm"))
        ink.hairline(p, QPointF(0, divide), QPointF(w, divide), t.color("alarm"), dashed=True)
        words = f"Output side: {self._unit.nameplate.output.voltage_V:g} V" if self._unit else "Output side"
        ink.write(p, QRectF(10, divide + 4, 300, 20), words, 13, 600, t.color("ink2"))
        if self._rig is None:
            ink.write(p, QRectF(0, 0, w, h), "No rig yet", 16, 400, t.color("ink2"), ink.CENTRE)
            return
        self._draw(p, w, h, divide, self._rig)

    def _draw(self, p: QPainter, w: float, h: float, divide: float, rig: Rig) -> None:
        box_w, box_h, top = 190.0, 92.0, 32.0
        unit_box = QRectF(w - 230, top, 214, h - top - 16)
        source = QRectF(16, top, box_w, box_h)
        middle = (source.right() + unit_box.left()) / 2
        meter = QRectF(middle - box_w / 2, top, box_w, box_h)
        low = divide + 34
        box_h2 = 96.0
        load = QRectF(16, low, box_w, box_h2)
        volts = QRectF(middle - box_w / 2, low + 50, box_w, 66)
        flow = self._flow()
        self._mains(p, source, meter, unit_box, flow, rig)
        self._output(p, load, volts, unit_box, flow, rig)
        self._box(p, source, rig, "ac_source", (rig.protection or "protection not stated",))
        self._box(p, meter, rig, "power_meter", ("volts, amps and real watts",))
        self._box(p, load, rig, "load", ("constant current, reads amps",))
        sense = "sense at the unit" if rig.sense == "unit" else "sense at the load"
        self._box(p, volts, rig, "voltmeter", (sense,))
        self._unit_face(p, unit_box, flow, rig)

    def _box(self, p: QPainter, box: QRectF, rig: Rig, role: str, lines: tuple[str, ...]) -> None:
        t, one = theme(), rig.instrument(role)
        p.setBrush(t.color("paper"))
        p.setPen(QPen(t.color("edge") if one else t.color("alarm"), 1.2))
        p.drawRoundedRect(box, 3, 3)
        inside = box.adjusted(10, 6, -10, -6)
        ink.write(p, QRectF(inside.left(), inside.top(), inside.width(), 18), ROLES[role], 14, 600)
        if one is None:
            ink.write(p, inside, "missing", 13, 600, t.color("alarm"))
            return
        how = QRectF(inside.left(), inside.top(), inside.width(), 18)
        self._how(p, how, one.how)
        y = inside.top() + 20
        ink.write(p, QRectF(inside.left(), y, inside.width(), 17), one.name, 12, 400, t.color("ink2"))
        words = QRectF(inside.left(), y + 17, inside.width(), inside.bottom() - y - 17)
        ink.write(p, words, "; ".join(lines), 12, 400, t.color("ink2"), TOP_LEFT, wrap=True)

    @staticmethod
    def _how(p: QPainter, box: QRectF, how: str) -> None:
        t = theme()
        ink.write(p, box.adjusted(0, 0, -13, 0), how, 12, 400, t.color("ink2"), ink.RIGHT)
        p.setPen(QPen(t.color("ink"), 1.4))
        p.setBrush(t.color("ink") if how == "connected" else Qt.BrushStyle.NoBrush)
        centre = QPointF(box.right() - 4, box.center().y())
        p.drawEllipse(centre, 4, 4)
        if how == "simulated":
            p.setBrush(t.color("ink"))
            p.drawEllipse(centre, 1.4, 1.4)

    def _mains(self, p: QPainter, source: QRectF, meter: QRectF, unit: QRectF, flow: Flow | None, rig: Rig) -> None:
        leads = {lead.between: lead for lead in rig.leads}
        for left, right, name in (
            (source.right(), meter.left(), "ac_source power_meter"),
            (meter.right(), unit.left(), "power_meter unit"),
        ):
            y = source.center().y() + 6
            for k in (-8.0, 8.0):
                pen = QPen(theme().color("ink"), 1.6, Qt.PenStyle.DashLine)
                p.setPen(pen)
                p.drawLine(QPointF(left, y + k), QPointF(right, y + k))
            span = QRectF(left, y - 52, right - left, 18)
            if flow is not None:
                self._values(p, span, ((f"{flow.input_V:g} V", "voltage"), (f"{flow.input_A:.2f} A", "current")))
                self._arrow(p, QPointF((left + right) / 2, y - 8), 1.0)
            lead = leads.get(name)
            if lead is not None:
                self._lead(p, left, right, y, lead.length_m, lead.area_mm2, flow.input_A if flow else None)

    def _output(self, p: QPainter, load: QRectF, volts: QRectF, unit: QRectF, flow: Flow | None, rig: Rig) -> None:
        t = theme()
        y = load.top() + 24
        p.setPen(QPen(t.color("ink"), 1.6))
        for k in (-8.0, 8.0):
            p.drawLine(QPointF(load.right(), y + k), QPointF(unit.left(), y + k))
        for k, sign in ((-8.0, "+"), (8.0, "−")):
            ink.write(p, QRectF(unit.left() + 6, y + k - 9, 14, 18), sign, 14, 600)
        # The voltmeter's pair, at the unit's terminals or at the load's.
        x = unit.left() - 26 if rig.sense == "unit" else load.right() + 18
        p.setPen(QPen(t.of("voltage"), 1.4, Qt.PenStyle.DotLine))
        side = volts.right() if rig.sense == "unit" else volts.left()
        for k, dx in ((-8.0, 0.0), (8.0, 8.0)):
            level = volts.center().y() + k
            p.drawPolyline([QPointF(x + dx, y + k), QPointF(x + dx, level), QPointF(side, level)])
            p.setBrush(t.color("ink"))
            p.drawEllipse(QPointF(x + dx, y + k), 2.5, 2.5)
        span = QRectF(load.right(), y - 38, volts.left() - load.right(), 18)
        if flow is not None:
            self._values(p, span, ((f"{flow.output_V:g} V", "voltage"), (f"{flow.output_A:g} A", "current")))
            self._arrow(p, QPointF((load.right() + volts.left()) / 2, y - 8), -1.0)
        for lead in rig.leads:
            if lead.between == "unit load":
                amps = flow.output_A if flow else None
                self._lead(p, load.right(), volts.left(), y, lead.length_m, lead.area_mm2, amps)

    @staticmethod
    def _values(p: QPainter, span: QRectF, values: tuple[tuple[str, str], ...]) -> None:
        total = sum(ink.width(text, 14, 600) for text, _ in values) + 12 * (len(values) - 1)
        x = span.center().x() - total / 2
        for text, kind in values:
            ink.write(p, QRectF(x, span.top(), 90, span.height()), text, 14, 600, theme().text_of(kind))
            x += ink.width(text, 14, 600) + 12

    @staticmethod
    def _lead(p: QPainter, left: float, right: float, y: float, length: float, area: float, amps: float | None) -> None:
        t = theme()
        span = QRectF(left, y + 14, right - left, 16)
        ink.write(p, span, f"{length:g} m {area:g} mm²", 12, 400, t.color("ink2"), ink.CENTRE)
        if amps is not None:
            drop = 1000.0 * amps * pair_resistance(length, area)
            ink.write(p, span.translated(0, 16), f"drop {drop:.0f} mV", 12, 400, t.text_of("voltage"), ink.CENTRE)

    @staticmethod
    def _arrow(p: QPainter, at: QPointF, way: float) -> None:
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(theme().color("ink"))
        tip = QPointF(at.x() + 6 * way, at.y())
        p.drawPolygon(QPolygonF([tip, QPointF(at.x() - 4 * way, at.y() - 4), QPointF(at.x() - 4 * way, at.y() + 4)]))

    def _unit_face(self, p: QPainter, box: QRectF, flow: Flow | None, rig: Rig) -> None:
        t, unit = theme(), self._unit
        p.setBrush(t.color("chosen"))
        p.setPen(QPen(t.color("edge"), 1.6))
        p.drawRoundedRect(box, 4, 4)
        inside = box.adjusted(22, 8, -14, -8)

        def line(y: float, text: str, size: int = 13, weight: int = 400, color: QColor | None = None) -> None:
            ink.write(p, QRectF(inside.left(), y, inside.width(), 20), text, size, weight, color)

        if unit is None:
            line(inside.top(), "no unit yet", 15, 600)
            return
        line(inside.top(), f"{unit.maker} {unit.model}", 15, 600)
        line(inside.top() + 20, unit.tag, 13, 400, t.color("ink2"))
        if flow is not None:
            line(inside.top() + 48, f"{flow.input_W:.1f} W in", 14, 600, t.text_of("power"))
            out = flow.output_V * flow.output_A
            line(inside.top() + 116, f"{out:.1f} W out", 14, 600, t.text_of("power"))
            line(inside.top() + 92, "expected, full load", 12, 400, t.color("ink2"))
        thermometer = rig.instrument("thermometer")
        if thermometer is not None:
            y = inside.bottom() - 78
            ink.hairline(p, QPointF(inside.left() - 8, y - 6), QPointF(inside.right(), y - 6))
            line(y, "Thermometer", 13, 600)
            self._how(p, QRectF(inside.left(), y, inside.width(), 20), thermometer.how)
            line(y + 20, thermometer.name, 12, 400, t.color("ink2"))
            p.setPen(Qt.PenStyle.NoPen)
            spot = QRectF(inside.left(), y + 38, inside.width(), 40)
            ink.write(p, spot, thermometer.spot, 12, 400, t.text_of("temperature"), TOP_LEFT, wrap=True)
