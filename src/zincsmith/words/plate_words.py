"""A nameplate in a few words: for the unit strip, the rating plate and reports."""

from __future__ import annotations

from zincsmith.model.unit import InputRating, Nameplate, OutputRating


def input_words(one: InputRating) -> str:
    """``100–240 V 50/60 Hz``; positions of a switch with a bar between them."""
    low, high = one.voltage_V
    voltage = "|".join(f"{v:g}" for v in one.selector_V) if one.selector_V else f"{low:g}–{high:g}"
    voltage = f"{low:g}" if low == high else voltage
    if one.ranges:
        voltage = " or ".join(_range(r.voltage_V) + (" DC" if r.type != one.type else "") for r in one.ranges)
    return f"{voltage} V"


def _range(span: tuple[float, float]) -> str:
    return f"{span[0]:g}" if span[0] == span[1] else f"{span[0]:g}–{span[1]:g}"


def hertz_words(one: InputRating) -> str:
    return "/".join(f"{f:g}" for f in one.frequency_Hz) + " Hz" if one.frequency_Hz else ""


def output_words(one: OutputRating) -> str:
    """``24 V  2.50 A``, ``0–30 V  0–3 A``, ``5/9/20 V  3.25 A``."""
    current = f"{one.current_A:.2f} A" if one.current_A < 10.0 else f"{one.current_A:.3g} A"
    if one.adjustable_V is not None:
        low, high = one.adjustable_V
        ampere = f"{one.adjustable_A[0]:g}–{one.adjustable_A[1]:g} A" if one.adjustable_A is not None else current
        return f"{low:g}–{high:g} V  {ampere}"
    if one.modes:
        return "/".join(f"{m.voltage_V:g}" for m in one.modes) + f" V  {current}"
    return f"{one.voltage_V:g} V  {current}".replace("-", "−")


def headline(plate: Nameplate) -> str:
    """The output side in one line."""
    if not plate.outputs:
        return "no output stated yet"
    if len(plate.outputs) == 1:
        return output_words(plate.outputs[0])
    names = ", ".join(o.name for o in plate.outputs[:4]) + (" …" if len(plate.outputs) > 4 else "")
    return f"{plate.rated_power_W:.4g} W  {names}".replace("-", "−")
