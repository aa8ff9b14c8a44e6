"""Label items printed canonically: reading what is printed here gives the same items again."""

from __future__ import annotations

import re
from typing import Any

from zincsmith.model.label import (
    LabelFigure,
    LabelInput,
    LabelItem,
    LabelLine,
    LabelMark,
    LabelOutput,
    Mode,
    Programmable,
)
from zincsmith.model.record import Span

_RAIL = re.compile(r"-?[\d.]+V(?:\d|SB)?")
SIGNS = {"ac": "~", "dc": "⎓"}


def print_item(item: LabelItem) -> str:
    """One item as a label line."""
    match item:
        case LabelInput():
            return _input(item)
        case LabelOutput():
            return _output(item)
        case LabelFigure():
            return _figure(item)
        case LabelMark(text):
            return text


def as_json(line: LabelLine) -> dict[str, Any]:
    """The published form of a line that was read."""
    return {
        "text": line.text,
        "items": [_item(item) for item in line.items],
        "unread": [
            {"text": u.text, "start": u.start, "end": u.end, "reason": u.reason, "figure": u.figure}
            for u in line.unread
        ],
    }


def _number(value: float) -> str:
    return f"{value:.10g}"


def _span(span: Span, unit: str, joint: str = "-") -> str:
    low, high = span
    return f"{_number(low)}{unit}" if low == high else f"{_number(low)}{joint}{_number(high)}{unit}"


def _tail(current_A: float | None, power_W: float | None, from_A: float | None = None) -> str:
    lowest = f"{_number(from_A)}-" if from_A is not None else ""
    current = f" {lowest}{_number(current_A)}A" if current_A is not None else ""
    return current + (f" {_number(power_W)}W" if power_W is not None else "")


def _input(item: LabelInput) -> str:
    text = "INPUT "
    if item.selector_V is not None:
        text += "/".join(_number(v) for v in item.selector_V) + "V"
    elif item.voltage_V is not None:
        text += _span(item.voltage_V, "V")
    text += SIGNS[item.type]
    if item.frequency_Hz is not None:
        text += " " + _span(item.frequency_Hz, "Hz", "/" if item.frequency_Hz == (50.0, 60.0) else "-")
    return text + _tail(item.current_A, item.power_W)


def _output(item: LabelOutput) -> str:
    sign = SIGNS[item.type]
    parts = []
    if item.modes:
        parts += [" / ".join(_mode(mode, sign) for mode in item.modes)]
    elif item.voltage_V is not None or item.current_A is not None or item.power_W is not None:
        voltage = item.voltage_V
        shown = "" if voltage is None else _span(voltage, "V") if isinstance(voltage, tuple) else f"{_number(voltage)}V"
        parts.append(f"{shown}{sign}{_tail(item.current_A, item.power_W, item.current_from_A)}")
    parts += [_programmable(one, sign) for one in item.programmable]
    if item.name and _RAIL.fullmatch(item.name):  # its volts are its name
        return f"OUTPUT +{item.name}{sign}{_tail(item.current_A, item.power_W)}"
    return "OUTPUT " + (f"{item.name}: " if item.name else "") + "; ".join(parts)


def _mode(mode: Mode, sign: str) -> str:
    return f"{_number(mode.voltage_V)}V{sign}{_tail(mode.current_A, mode.power_W)}"


def _programmable(one: Programmable, sign: str) -> str:
    return f"PPS {_span(one.voltage_V, 'V')}{sign}{_tail(one.current_A, None)}"


def _single(item: LabelFigure) -> float:
    if not isinstance(item.value, float):
        raise ValueError(f"{item.what} of a label is no single number")
    return item.value


def _figure(item: LabelFigure) -> str:
    if item.ports and all(_RAIL.fullmatch(p) for p in item.ports):
        rails = "/".join(p if p.startswith("-") else f"+{p}" for p in item.ports)
        return f"{rails} {_number(_single(item))}{item.unit} combined"
    ports = "+".join(item.ports) if item.ports else ""
    if item.each_W is not None:
        return f"{ports} " + "+".join(f"{_number(w)}W" for w in item.each_W)
    span = item.value if isinstance(item.value, tuple) else (_single(item), _single(item))
    value = _span(span, {"degC": "°C", "1": ""}.get(item.unit, item.unit))
    behind = f" {item.qualifier}" if item.qualifier else ""
    match item.what:
        case "total_power":
            return f"{ports} {value}" if ports else f"{value} total"
        case "load_regulation" | "line_regulation":
            return f"{item.what.replace('_', ' ')} {value}"
        case "tolerance":
            return f"±{value}"
        case "ripple":
            return f"ripple ≤ {value}{item.qualifier or ''}"
        case "no_load_power":
            return f"no-load ≤ {value}"
        case "temperature":
            ahead = {"ambient": "ta", None: ""}.get(item.qualifier, item.qualifier)
            return f"{ahead} {value}".strip()
        case _:
            ahead = WORDS.get(item.what, item.what)
            return f"{ahead} {value}{behind}{_holds_at(item)}"


# How a figure that a word decides is printed; reading that gives the figure again.
WORDS = {
    "touch_current": "leakage",
    "overvoltage": "overvoltage protection",
    "overcurrent": "overload",
    "hold_up": "hold-up",
    "power_factor": "power factor",
    "current_thd": "THD",
    "average_active_efficiency": "average efficiency",
    "cross_regulation": "cross regulation",
    "rise_time": "rise time",
    "turn_on_delay": "turn-on delay",
    "minimum_load": "minimum load",
    "surge_power": "surge",
}


def _holds_at(item: LabelFigure) -> str:
    out = ""
    if item.at_s is not None:
        out += f" for {_number(item.at_s)}s"
    if item.at_V is not None:
        out += f" at {_number(item.at_V)}V"
        out += f" {_number(item.at_Hz)}Hz" if item.at_Hz is not None else ""
    if item.at_load_percent is not None:
        out += " at full load" if item.at_load_percent == 100.0 else f" at {_number(item.at_load_percent)}% load"
    return out


def _item(item: LabelItem) -> dict[str, Any]:
    match item:
        case LabelInput(kind, voltage, selector, hertz, current, power):
            return {
                "what": "input",
                "type": kind,
                "voltage_V": _plain(voltage),
                "selector_V": _plain(selector),
                "frequency_Hz": _plain(hertz),
                "current_A": current,
                "power_W": power,
            }
        case LabelOutput(name, kind, voltage, current, power, modes, programmable, lowest):
            return {
                "what": "output",
                "name": name,
                "type": kind,
                "voltage_V": _plain(voltage),
                "current_A": current,
                "current_from_A": lowest,
                "power_W": power,
                "modes": [{"voltage_V": m.voltage_V, "current_A": m.current_A, "power_W": m.power_W} for m in modes],
                "programmable": [{"voltage_V": _plain(p.voltage_V), "current_A": p.current_A} for p in programmable],
            }
        case LabelFigure(what, value, unit, ports, each, qualifier):
            holds = {k: getattr(item, k) for k in ("at_V", "at_Hz", "at_load_percent", "at_s")}
            return {
                "what": what,
                "value": _plain(value),
                "unit": unit,
                "ports": _plain(ports),
                "each_W": _plain(each),
                "qualifier": qualifier,
                **{k: v for k, v in holds.items() if v is not None},
            }
        case LabelMark(text):
            return {"what": "mark", "text": text}


def _plain(value: Any) -> Any:
    return list(value) if isinstance(value, tuple) else value
