"""Bounds and conditions of claims in words."""

from __future__ import annotations

from zincsmith.model.claim import Condition
from zincsmith.model.figures import Figure
from zincsmith.model.unit import Nameplate

SHOWN = {"degC": "°C", "1": "", "ohm": "Ω"}


def bound_words(low: float | None, high: float | None, figure: Figure) -> str:
    """``≤ 0.21 W``, ``≥ 88 %``, ``23.5 to 24.5 V``, ``24 V ±2 %`` where a band is even; a power factor as ``≥ 0.9``."""
    factor, shown = (100.0, "%") if figure.in_percent else (1.0, SHOWN.get(figure.unit, figure.unit))
    if low is not None and high is not None:
        if low == -high:
            return f"±{high * factor:g} {shown}"
        return f"{low * factor:g} to {high * factor:g} {shown}".rstrip()
    bound, sign = (high, "≤") if low is None else (low, "≥")
    if bound is None:
        raise ValueError("a claim without a bound has no words")
    scaled, prefix = _scaled(bound * factor, shown)
    return f"{sign} {scaled:.4g} {prefix}{shown}".rstrip()


def _scaled(value: float, unit: str) -> tuple[float, str]:
    if unit == "F" and abs(value) < 1.0:
        return value * 1e6, "µ"
    if unit in {"V", "A", "s"} and 0.0 < abs(value) < 1.0:
        return (value * 1000.0, "m") if abs(value) >= 1e-3 else (value * 1e6, "µ")
    return value, ""


def range_words(plate: Nameplate) -> str:
    """The rated input range, of all inputs."""
    return " or ".join(f"{_span(i.voltage_V)} V" for i in plate.inputs) or "input not stated"


def condition_words_of(condition: Condition) -> str:
    """What the source says about when the figure holds; a dash when it says nothing."""
    parts = []
    if condition.line_V is not None:
        hertz = f" {condition.frequency_Hz:g} Hz" if condition.frequency_Hz is not None else ""
        parts.append(f"{_span(condition.line_V)} V{hertz}")
    if condition.load_percent is not None:
        parts.append(f"{_span(condition.load_percent)} % load")
    if condition.ambient_degC is not None:
        parts.append(f"ambient {_span(condition.ambient_degC)} °C")
    if condition.duration_s is not None:
        parts.append("continuous" if condition.duration_s == 0.0 else f"for {_duration(condition.duration_s)}")
    if condition.derating:
        parts.append(f"derated: {condition.derating}")
    if condition.note:
        parts.append(condition.note)
    return ", ".join(parts) or "condition not said"


def _duration(seconds: float) -> str:
    for length, unit in ((3600.0, "h"), (60.0, "min")):
        if seconds >= length and (seconds / length).is_integer():
            return f"{seconds / length:g} {unit}"
    return f"{seconds:g} s"


def _span(span: tuple[float, float]) -> str:
    return f"{span[0]:g}" if span[0] == span[1] else f"{span[0]:g} to {span[1]:g}"
