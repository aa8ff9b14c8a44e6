"""The wiring sheet: the rig drawn in the order the current flows, with what to expect on the wires at full load."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from zincsmith.analysis.leads import lead_resistance
from zincsmith.formats.words import counted
from zincsmith.model.address import at_port, name_of
from zincsmith.model.fed import fed_input
from zincsmith.model.quantities import QUANTITIES
from zincsmith.model.rig import Instrument, Rig
from zincsmith.model.roles import OF_THE_UNIT, ROLES, SOURCES
from zincsmith.model.unit import Unit
from zincsmith.suitability.case import Fault, Severity
from zincsmith.ui import ink
from zincsmith.ui.rig.sheet_layout import BESIDE, Flow, Layout, flow_of, lay_out, lead_words
from zincsmith.ui.theme import theme

TOP_LEFT = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop
MOUNTED = {"gear": "gear", "sense": "voltmeter", "terminals": "unit"}


# In a narrow box.
SHORT = {
    "second_power_meter": "2nd watts",
    "second_voltmeter": "2nd volts",
    "ac_voltmeter": "AC volts",
    "node_voltmeter": "Node",
    "spot_thermometer": "Spot",
}


def element_of(at: str) -> str:
    """The element of the sheet that a fault belongs to."""
    if at.startswith("lead "):
        return "load" if name_of(at.split(" ", 2)[-1]) == "load" else "power_meter"
    return MOUNTED.get(at, name_of(at))


class WiringSheet(QWidget):
    """Signal ``chosen`` names an element: a role, ``gear`` or ``unit``. Arrow keys go from one to the next."""

    chosen = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self._rig: Rig | None = None
        self._unit: Unit | None = None
        self._line_V = 115.0
        self._faults: tuple[Fault, ...] = ()
        self._chosen = ""
        self.setMinimumSize(640, 350)  # below that its boxes would only be dots; the station scrolls
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def sizeHint(self) -> QSize:
        return QSize(716, 360)

    def show_rig(self, rig: Rig | None, unit: Unit | None, line_V: float, faults: Sequence[Fault], chosen: str) -> None:
        """What is drawn, which faults are marked, and which element is open beside the sheet."""
        self._rig, self._unit, self._line_V = rig, unit, line_V
        self._faults, self._chosen = tuple(faults), chosen
        if rig is not None:
            roles = ", ".join(f"{ROLES[i.role]} {i.name} {i.how}" for i in rig.instruments)
            stops = "; ".join(f.text for f in faults if f.severity is Severity.STOP)
            self.setAccessibleName(f"Wiring sheet of {rig.name}: {roles}. {stops}")
        self.update()

    @property
    def source_role(self) -> str:
        """The role that feeds the unit."""
        if self._unit is not None and self._unit.nameplate.inputs:
            fed = 0 if self._rig is None else fed_input(self._unit.nameplate, self._rig)
            return SOURCES[self._unit.nameplate.inputs[fed].type]
        has_dc = self._rig is not None and self._rig.instrument("dc_source") and not self._rig.instrument("ac_source")
        return "dc_source" if has_dc else "ac_source"

    def _layout(self) -> Layout | None:
        if self._rig is None:
            return None
        return lay_out(float(self.width()), float(self.height()), self._rig, self.source_role)

    # Choosing

    def mousePressEvent(self, event: QMouseEvent) -> None:
        layout = self._layout()
        hit = [n for n, box in layout.boxes.items() if box.contains(event.position())] if layout is not None else []
        if hit:
            self.chosen.emit(hit[-1])  # a display lies in the unit

    def keyPressEvent(self, event: QKeyEvent) -> None:
        layout = self._layout()
        steps = {Qt.Key.Key_Right: 1, Qt.Key.Key_Down: 1, Qt.Key.Key_Left: -1, Qt.Key.Key_Up: -1}
        way = steps.get(Qt.Key(event.key()))
        if layout is None or way is None:
            super().keyPressEvent(event)
            return
        names = list(layout.boxes)
        at = names.index(self._chosen) if self._chosen in names else -way
        self.chosen.emit(names[(at + way) % len(names)])

    # Painting

    def paintEvent(self, event: QPaintEvent) -> None:
        t, p = theme(), QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        w, h = float(self.width()), float(self.height())
        layout = self._layout()
        if self._rig is None or layout is None:
            ink.write(p, QRectF(self.rect()), "No rig yet", 16, 400, t.color("ink2"), ink.CENTRE)
            return
        mains = self.source_role == "ac_source"
        if mains:
            p.fillRect(QRectF(0, 0, w, layout.divide), t.color("alarm_ground"))
        words = "Mains side: hands off while energised" if mains else "Input side"
        ink.write(p, QRectF(MARGIN_X, 4, 460, 20), words, 13, 600, t.color("alarm") if mains else t.color("ink2"))
        ink.hairline(p, QPointF(0, layout.divide), QPointF(w, layout.divide), t.color("alarm"), dashed=True)
        alternates = self._unit is not None and any(o.type == "ac" for o in self._unit.nameplate.outputs)
        if alternates:
            p.fillRect(QRectF(0, layout.divide, w, h - layout.divide), t.color("alarm_ground"))
        hue = t.color("alarm" if alternates else "ink2")
        ink.write(p, QRectF(MARGIN_X, layout.divide + 5, w - 200, 20), self._output_words(self._rig), 13, 600, hue)
        flow = flow_of(self._unit, self._rig, self._line_V)
        self._input(p, layout, flow, self._rig)
        self._output(p, layout, flow, self._rig)
        for name, box in layout.boxes.items():
            if name == "unit":
                self._unit_face(p, box, flow)
            elif name == "gear":
                self._gear(p, box, self._rig)
            elif name in OF_THE_UNIT:
                self._display(p, box, name, self._rig)
            else:
                self._box(p, box, name, self._rig)
        self._mark_faults(p, layout)

    def _output_words(self, rig: Rig) -> str:
        unit = self._unit
        ties = ", ".join(f"{e.node} earthed through {e.through}" for e in rig.earthed) or "nothing earthed"
        outputs = unit.nameplate.outputs if unit is not None else ()
        voltage = [one.name if len(outputs) > 1 else f"{one.voltage_V:g} V" for one in outputs]
        live = ["both legs live: hands off"] if any(one.type == "ac" for one in outputs) else []
        return f"Output side: {', '.join([*voltage, *live, ties])}"

    def _frame(self, p: QPainter, box: QRectF, name: str, there: bool) -> None:
        t = theme()
        chosen = name == self._chosen
        p.setBrush(t.color("paper"))
        pen = QPen(t.color("ink") if chosen else t.color("edge") if there else t.color("alarm"), 2.2 if chosen else 1.2)
        if chosen and self.hasFocus():
            pen.setWidthF(3.0)
        p.setPen(pen)
        p.drawRoundedRect(box, 3, 3)

    def _box(self, p: QPainter, box: QRectF, role: str, rig: Rig) -> None:
        t, one = theme(), next(iter(rig.of(role)), None)
        self._frame(p, box, role, one is not None)
        if role in BESIDE and one is not None:
            self._how(p, QPointF(box.right() - 10, box.center().y()), one.how)
            at = f", {one.port}" if one.port else ""
            words = SHORT.get(role, ROLES[role])
            ink.write(p, box.adjusted(8, 0, -20, 0), f"{words}{at}", 13, 600)
            return
        inside = box.adjusted(8, 5, -6, -4)
        head = QRectF(inside.left(), inside.top(), inside.width() - 9, 18)
        several = [i.port for i in rig.of(role)]
        ink.write(p, head, ROLES[role] + (f" × {len(several)}" if len(several) > 1 else ""), 13, 600)
        if one is None:
            ink.write(p, head.translated(0, 20), "missing", 13, 600, t.color("alarm"))
            return
        self._how(p, QPointF(inside.right() - 3, head.center().y()), one.how)
        ink.write(p, head.translated(0, 18).adjusted(0, 0, 12, 0), one.name, 12, 400, t.color("ink2"))
        if box.height() < 50.0:
            return
        rest = QRectF(inside.left(), inside.top() + 36, inside.width(), inside.height() - 36)
        words = _detail(one, rig) if len(several) < 2 else f"at {', '.join(several)}"
        if box.height() < 70.0:
            ink.write(p, QRectF(rest.left(), rest.top(), rest.width(), 18), words, 12, 400, t.color("ink2"))
        else:
            ink.write(p, rest, words, 12, 400, t.color("ink2"), TOP_LEFT, wrap=True)

    def _gear(self, p: QPainter, box: QRectF, rig: Rig) -> None:
        self._frame(p, box, "gear", True)
        inside = box.adjusted(9, 5, -8, -4)
        ink.write(p, QRectF(inside.left(), inside.top(), inside.width(), 18), "Protection", 13, 600)
        words = "\n".join(f"{g.what}{f' {g.rated_A:g} A' if g.rated_A is not None else ''}" for g in rig.gear[:3])
        more = f" +{len(rig.gear) - 3}" if len(rig.gear) > 3 else ""
        body = QRectF(inside.left(), inside.top() + 20, inside.width(), inside.height() - 20)
        ink.write(p, body, words + more, 12, 400, theme().color("ink2"), TOP_LEFT, wrap=True)

    def _display(self, p: QPainter, box: QRectF, role: str, rig: Rig) -> None:
        """A window of the unit itself, with what it shows."""
        self._frame(p, box, role, True)
        unit = next(q.unit for q in QUANTITIES.values() if q.role == role)
        kind = next(q.kind for q in QUANTITIES.values() if q.role == role)
        ink.write(p, box.adjusted(8, 4, -8, -18), unit, 18, 700, theme().text_of(kind))
        ink.write(p, box.adjusted(8, 28, -4, -4), "display", 12, 400, theme().color("ink2"))
        self._how(p, QPointF(box.right() - 10, box.top() + 12), rig.need(role).how)

    @staticmethod
    def _how(p: QPainter, centre: QPointF, how: str) -> None:
        """A full dot is connected, an open one by hand, a dotted one simulated."""
        t = theme()
        p.setPen(QPen(t.color("ink"), 1.4))
        p.setBrush(t.color("ink") if how == "connected" else Qt.BrushStyle.NoBrush)
        p.drawEllipse(centre, 4, 4)
        if how == "simulated":
            p.setBrush(t.color("ink"))
            p.drawEllipse(centre, 1.4, 1.4)

    def _input(self, p: QPainter, layout: Layout, flow: Flow | None, rig: Rig) -> None:
        chain = [n for n in layout.boxes if n in (self.source_role, "gear", "power_meter")]
        for left_name, right_name in zip(chain, [*chain[1:], "unit"], strict=True):
            left, right = layout.boxes[left_name].right(), layout.boxes[right_name].left()
            y = layout.boxes[chain[0]].center().y() + 4
            pen = QPen(theme().color("ink"), 1.5, Qt.PenStyle.DashLine)
            for k in (-7.0, 7.0):
                p.setPen(pen)
                p.drawLine(QPointF(left, y + k), QPointF(right, y + k))
            self._arrow(p, QPointF((left + right) / 2, y - 7), 1.0)
            if flow is not None:
                span = QRectF(left, y - 46, right - left, 17)
                ink.write(p, span, f"{flow.input_V:g} V", 13, 600, theme().text_of("voltage"), ink.CENTRE)
                current = f"{flow.input_A:.3g} A"
                ink.write(p, span.translated(0, 17), current, 13, 600, theme().text_of("current"), ink.CENTRE)
            between = f"{self.source_role} power_meter" if left_name == self.source_role else "power_meter unit"
            lead = rig.lead(between) if left_name != "gear" else None
            if lead is not None:
                span, words = QRectF(left, y + 10, right - left, 15), lead_words(lead)
                fits = ink.width(words, 12) <= span.width()
                for piece in (words,) if fits else (f"{lead.length_m:g} m", lead.size_words):
                    self._lead(p, span, piece)
                    span.translate(0, 15)
                if flow is not None:
                    self._drop(p, span, 1000.0 * flow.input_A * lead_resistance(lead))
        meter = layout.boxes["power_meter"]
        one = rig.instrument("power_meter")
        if one is not None and one.tap:  # the voltage tap, drawn on the side it is on
            x = meter.left() - 9 if one.tap == "source" else meter.right() + 9
            y = layout.boxes[chain[0]].center().y() - 3
            p.setPen(QPen(theme().of("voltage"), 1.4))
            edge = meter.left() if one.tap == "source" else meter.right()
            p.drawPolyline([QPointF(x, y), QPointF(x, meter.top() + 12), QPointF(edge, meter.top() + 12)])
            p.setBrush(theme().color("ink"))
            p.drawEllipse(QPointF(x, y), 2.5, 2.5)

    def _each_output(self, p: QPainter, layout: Layout, flow: Flow, rig: Rig) -> None:
        """Several outputs, each with a pair of wires of its own: its volts and amps, its lead with the drop on it, and
        the terminal it leaves from."""
        t, load, unit = theme(), layout.boxes["load"], layout.boxes["unit"]
        tall = min(26.0, (load.bottom() - load.top() + 4.0) / len(flow.each))
        size, sensed = 12 if tall >= 18.0 else 11, []
        for n, one in enumerate(flow.each):
            y = load.top() - 4.0 + tall * (n + 1) - 3.0
            p.setPen(QPen(t.color("ink"), 1.2))
            for k in (-1.5, 1.5):
                p.drawLine(QPointF(load.right(), y + k), QPointF(unit.left(), y + k))
            room = QRectF(load.right() + 12.0, y - 17.0, unit.left() - load.right() - 54.0, 15.0)
            volts, amps = f"{one.voltage_V:g} V".replace("-", "−"), f"{one.current_A:.3g} A"
            ink.write(p, room, volts, size, 600, t.text_of("voltage"))
            ink.write(p, room.translated(58.0, 0.0), amps, size, 600, t.text_of("current"))
            ink.write(p, room, one.leaves, size, 600, t.color("ink"), ink.RIGHT)
            words = lead_words(rig.lead(f"unit load@{one.name}"))
            drop = f"   drop {1000.0 * one.drop_V:.3g} mV" if words else ""
            ink.write(p, room.translated(116.0, 0.0), words, size, 400, t.color("ink2"))
            behind = room.translated(116.0 + ink.width(words, size), 0.0)
            ink.write(p, behind, drop, size, 400, t.text_of("voltage"))
            if rig.instrument(at_port("voltmeter", one.name)) is not None:
                sensed.append(QPointF(unit.left() - 30.0 if rig.sense == "unit" else load.right() + 6.0, y))
        meter = layout.boxes.get("voltmeter")
        if sensed and meter is not None:  # one line to all of them, a dot where it is joined
            p.setPen(QPen(t.of("voltage"), 1.4, Qt.PenStyle.DotLine))
            level, x = meter.top() - 9.0, meter.center().x()
            p.drawPolyline([sensed[0], QPointF(sensed[0].x(), level), QPointF(x, level), QPointF(x, meter.top())])
            p.setBrush(t.color("ink"))
            for at in sensed:
                p.drawEllipse(at, 2.5, 2.5)

    def _output(self, p: QPainter, layout: Layout, flow: Flow | None, rig: Rig) -> None:
        t, load, unit = theme(), layout.boxes["load"], layout.boxes["unit"]
        y = load.top() + 34
        if flow is not None and flow.each:
            self._each_output(p, layout, flow, rig)
            self._leads_to_meters(p, layout, y)
            return
        p.setPen(QPen(t.color("ink"), 1.6))
        for k in (-8.0, 8.0):
            p.drawLine(QPointF(load.right(), y + k), QPointF(unit.left(), y + k))
        direct = self._unit is None or not self._unit.nameplate.outputs or self._unit.nameplate.output.type == "dc"
        for k, sign in ((-8.0, "+"), (8.0, "−")) if direct else ():
            ink.write(p, QRectF(unit.left() - 14, y + k - 17 + (14 if k > 0 else 0), 12, 18), sign, 13, 600)
        room = QRectF(load.right() + 34, y - 32, unit.left() - load.right() - 70, 18)
        lead = rig.lead("unit load")
        if flow is not None:
            at_load = f"{flow.output_V - flow.drop_V:.4g} V" if lead is not None else ""
            ink.write(p, room, at_load, 13, 600, t.text_of("voltage"))
            ink.write(p, room, f"{flow.output_A:.3g} A", 13, 600, t.text_of("current"), ink.CENTRE)
            ink.write(p, room, f"{flow.output_V:g} V", 13, 600, t.text_of("voltage"), ink.RIGHT)
            self._arrow(p, QPointF(room.center().x(), y - 8), -1.0)
        if lead is not None:
            words = f"{lead_words(lead)}, {1000 * lead_resistance(lead):.0f} mΩ"
            drop = f"   drop {1000.0 * flow.drop_V:.3g} mV" if flow is not None else ""
            left = room.center().x() - (ink.width(words, 12) + ink.width(drop, 12)) / 2.0
            below = QRectF(left, y + 12, room.width(), 16)
            ink.write(p, below, words, 12, 400, t.color("ink2"))
            ink.write(p, below.translated(ink.width(words, 12), 0), drop, 12, 400, t.text_of("voltage"))
        self._sense(p, layout, rig, y)
        self._leads_to_meters(p, layout, y)

    @staticmethod
    def _leads_to_meters(p: QPainter, layout: Layout, y: float) -> None:
        """Scope at the output, thermometer at the unit."""
        t, unit = theme(), layout.boxes["unit"]
        for role in ("scope", "thermometer"):
            box = layout.boxes.get(role)
            if box is None:
                continue
            x = box.center().x()
            p.setPen(QPen(t.of("temperature") if role == "thermometer" else t.color("ink"), 1.3))
            if role == "scope":
                p.drawLine(QPointF(x, box.top()), QPointF(x, y + 8))
                p.setBrush(t.color("ink"))
                p.drawEllipse(QPointF(x, y + 8), 2.5, 2.5)
            else:
                level = box.top() - 10
                p.drawPolyline([QPointF(x, box.top()), QPointF(x, level), QPointF(unit.left(), level)])

    @staticmethod
    def _sense(p: QPainter, layout: Layout, rig: Rig, y: float) -> None:
        """The voltmeter's pair, at the unit's terminals or at the load's."""
        box = layout.boxes.get("voltmeter")
        if box is None:
            return
        load, unit = layout.boxes["load"], layout.boxes["unit"]
        x = unit.left() - 30 if rig.sense == "unit" else load.right() + 14
        p.setPen(QPen(theme().of("voltage"), 1.4, Qt.PenStyle.DotLine))
        for k, dx in ((-8.0, 0.0), (8.0, 8.0)):
            end = QPointF(box.center().x() + dx - 4, box.top())
            level = layout.callout.top() - 12 + dx
            p.drawPolyline([QPointF(x + dx, y + k), QPointF(x + dx, level), QPointF(end.x(), level), end])
        p.setBrush(theme().color("ink"))
        for k, dx in ((-8.0, 0.0), (8.0, 8.0)):
            p.drawEllipse(QPointF(x + dx, y + k), 2.5, 2.5)

    @staticmethod
    def _lead(p: QPainter, span: QRectF, words: str) -> None:
        ink.write(p, span, words, 12, 400, theme().color("ink2"), ink.CENTRE)

    @staticmethod
    def _drop(p: QPainter, span: QRectF, millivolts: float) -> None:
        words = f"drop {millivolts:.0f} mV" if millivolts >= 0.5 else f"drop {millivolts:.1g} mV"
        ink.write(p, span, words, 12, 400, theme().text_of("voltage"), ink.CENTRE)

    @staticmethod
    def _arrow(p: QPainter, at: QPointF, way: float) -> None:
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(theme().color("ink"))
        tip = QPointF(at.x() + 6 * way, at.y())
        p.drawPolygon(QPolygonF([tip, QPointF(at.x() - 4 * way, at.y() - 4), QPointF(at.x() - 4 * way, at.y() + 4)]))

    def _unit_face(self, p: QPainter, box: QRectF, flow: Flow | None) -> None:
        t, unit = theme(), self._unit
        p.setBrush(t.color("chosen"))
        chosen = self._chosen == "unit"
        p.setPen(QPen(t.color("ink") if chosen else t.color("edge"), 2.2 if chosen else 1.6))
        p.drawRoundedRect(box, 4, 4)
        inside = box.adjusted(14, 8, -10, -8)

        def line(y: float, text: str, size: int = 13, weight: int = 400, color: QColor | None = None) -> None:
            ink.write(p, QRectF(inside.left(), y, inside.width(), 20), text, size, weight, color)

        if unit is None:
            line(inside.top(), "no unit yet", 15, 600)
            return
        line(inside.top(), unit.model or unit.tag, 15, 600)
        line(inside.top() + 19, f"{unit.tag}, {unit.kind}", 12, 400, t.color("ink2"))
        line(inside.top() + 35, unit.configuration, 12, 400, t.color("ink2"))
        if flow is not None:
            line(inside.top() + 58, f"{flow.input_W:.3g} W in", 14, 600, t.text_of("power"))
            line(inside.top() + 96, f"{flow.input_W - flow.output_W:.2g} W lost", 12, 400, t.color("ink2"))
            line(inside.top() + 112, f"{flow.output_W:.4g} W out", 14, 600, t.text_of("power"))
            line(inside.top() + 130, "expected, full load", 12, 400, t.color("ink2"))
        checked = bool(unit.terminals) and all(x.checked == "measured" for x in unit.terminals)
        y = inside.bottom() - 18
        if checked:
            ink.tick_mark(p, QPointF(inside.left() + 6, y + 10), 12)
        else:
            ink.doubt_mark(p, QPointF(inside.left() + 6, y + 10), 12)
        words = "polarity checked" if checked else "polarity not checked"
        ink.write(p, QRectF(inside.left() + 18, y, inside.width() - 18, 20), words, 12)
        outputs = unit.nameplate.outputs
        if len(outputs) > 1:
            line(y - 18, f"{len(outputs)} outputs", 12, 400, t.color("ink2"))

    def _mark_faults(self, p: QPainter, layout: Layout) -> None:
        """The gravest fault of each element at its corner; the first stop with its sentence."""
        seen: set[str] = set()
        for fault in self._faults:
            at = element_of(fault.at)
            box = layout.boxes.get(at)
            if box is None or at in seen or fault.severity is Severity.REMARK:
                continue
            seen.add(at)
            corner = QPointF(box.right() - 2, box.top() + 1)
            (ink.stop_mark if fault.severity is Severity.STOP else ink.doubt_mark)(p, corner, 16.0)
        first = next((f for f in self._faults if f.severity is not Severity.REMARK), None)
        if first is None:
            return
        t, stop = theme(), first.severity is Severity.STOP
        box = layout.callout
        p.setBrush(t.color("alarm_ground") if stop else t.color("doubt_ground"))
        p.setPen(QPen(t.color("alarm") if stop else t.color("doubt_edge"), 1.2))
        p.drawRoundedRect(box, 3, 3)
        inside = box.adjusted(8, 4, -6, -4)
        color = t.color("alarm") if stop else t.color("doubt_ink")
        title = first.code.replace("_", " ").capitalize()
        ink.write(p, QRectF(inside.left(), inside.top(), inside.width(), 17), title, 13, 600, color)
        body = QRectF(inside.left(), inside.top() + 18, inside.width(), inside.height() - 16)
        ink.write(p, body, first.text, 12, 400, None, TOP_LEFT, wrap=True)


MARGIN_X = 12.0


def _detail(one: Instrument, rig: Rig) -> str:
    """What matters of an instrument on the sheet, in a few words."""
    match one.role:
        case "ac_source" | "dc_source":
            parts = ["isolated"] if one.isolated else []
            parts += [f"up to {one.most['voltage_V']:g} V"] if "voltage_V" in one.most else []
            parts += [f"{one.most['current_A']:g} A"] if "current_A" in one.most else []
            return ", ".join(parts) or "limits not stated"
        case "power_meter":
            return f"volt tap on the {one.tap} side" if one.tap else "volt tap not stated"
        case "load":
            if one.dummy is not None:
                return one.dummy.kind
            reach = f", up to {one.most['current_A']:g} A" if "current_A" in one.most else ""
            return f"{one.mode or 'mode not stated'}{reach}"
        case "voltmeter":
            return "sense at the unit" if rig.sense == "unit" else "sense at the load"
        case "scope":
            if one.channels:
                return counted(len(one.channels), "channel")
            if one.probe is None:
                return "probe not stated"
            ratio = f"x{one.probe.ratio:g}, " if one.probe.ratio is not None else ""
            return f"{ratio}{one.probe.ground or 'ground not stated'}"
        case _:
            return one.spot or one.kind
