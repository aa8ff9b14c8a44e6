"""A reading typed by a person: ``44.3``, ``44.3 C``, ``458m``, ``1.2k``, ``12,5 V``, ``-``."""

from __future__ import annotations

import math
import re

from zincsmith.model.errors import InputError

PREFIXES = {"p": -12, "n": -9, "u": -6, "µ": -6, "μ": -6, "m": -3, "": 0, "k": 3, "K": 3, "M": 6}
UNIT_FORMS = {
    "V": ("V", "volt", "volts"),
    "A": ("A", "amp", "amps"),
    "W": ("W", "watt", "watts"),
    "degC": ("°C", "degC", "deg C", "C", "c", "º C", "° C"),
    "%": ("%", "percent"),
    "Hz": ("Hz", "hz"),
    "ohm": ("ohm", "ohms", "Ohm", "Ω", "\u2126"),  # the letter, and the sign that some keyboards give
    "s": ("s", "sec", "seconds"),
    "1": ("",),
}
_NUMBER = re.compile(r"([+\-−]?(?:\d+(?:[.,]\d*)?|[.,]\d+)(?:[eE][+\-−]?\d{1,2})?)\s*(.*)", re.DOTALL)


def parse_entry(text: str, unit: str) -> float | None:
    """The value in ``unit``; None for a dash (it could not be read). InputError says why a text is refused.

    A comma is a decimal comma, except before exactly three digits, where it could mean thousands: that is asked
    back.
    """
    typed = text.strip()
    if typed in {"-", "−", "–"}:
        return None
    if not typed:
        raise InputError("type the reading, or a dash if it cannot be read")
    if len(typed) > 40:
        raise InputError("that is too long for a reading")
    found = _NUMBER.fullmatch(typed)
    if found is None:
        raise InputError(f"“{typed}” does not start with a number")
    digits, rest = found.group(1).replace("−", "-"), found.group(2).strip()
    if re.search(r",\d{3}$", digits) and not digits.lstrip("+-").startswith("0,"):
        raise InputError(f"{digits}: {digits.replace(',', '.')} or {digits.replace(',', '')}? Type it without a comma")
    value = float(digits.replace(",", ".")) * 10.0 ** _exponent(rest, unit)
    if not math.isfinite(value) or abs(value) > 1e9:
        raise InputError(f"{typed} is beyond anything on this bench")
    if unit == "degC" and value < -273.15:
        raise InputError(f"{typed} is below absolute zero")
    return value


_CHANGE = re.compile(r"(null|rel|Δ)\s*(?=[+\-−\d.,])(.*)", re.IGNORECASE | re.DOTALL)


def parse_change(text: str, unit: str) -> tuple[bool, float] | None:
    """``rel -12m``, ``null -12 mV``: a change from an earlier reading, and whether it was read as a null, on a range of
    its own against a reference that stands still. None for a plain reading; InputError for a change that is none."""
    found = _CHANGE.fullmatch(text.strip())
    if found is None:
        return None
    change = parse_entry(found.group(2), unit)
    if change is None:
        raise InputError("a change that could not be read is a dash alone")
    return found.group(1).lower() == "null", change


def typed_value(text: str, unit: str, against: float | None) -> float | None:
    """The value of what was typed, a change added to the reading it is from. InputError as ``parse_entry``."""
    change = parse_change(text, unit)
    if change is None:
        return parse_entry(text, unit)
    if against is None:
        raise InputError("there is no reading here yet that this could be a change from; type the reading itself")
    return against + change[1]


def parse_share(text: str, nominal_V: float) -> float | None:
    """A bound in percent of the nominal volts: ``0.5 %``, ``50 mV``, ``0.1 % + 5 mV``; a bare number is percent.
    InputError where a part is not understood, or volts have nothing to be held against."""
    total = 0.0
    for part in re.split(r"\s\+\s*|(?<=[%V])\+", text.strip()):
        if part.rstrip().lower().endswith(("v", "volt", "volts")):
            if nominal_V <= 0.0:
                raise InputError("volts are held against the nominal volts, which the plate does not state yet")
            voltage = parse_entry(part, "V")
            total += 100.0 * (voltage or 0.0) / nominal_V
        else:
            total += parse_entry(part, "%") or 0.0
    return total


def last_digit(text: str, unit: str) -> float | None:
    """What one step of the last digit that was typed is worth, in ``unit``: 0.1 for ``23.9``, 0.001 for ``458m``; None
    where no reading was typed."""
    try:
        if parse_entry(text, unit) is None:
            return None
    except InputError:
        return None
    found = _NUMBER.fullmatch(text.strip())
    if found is None:
        return None
    digits, _, power = found.group(1).replace(",", ".").lower().partition("e")
    decimals = len(digits.partition(".")[2])
    exponent = int(power.replace("−", "-") or 0) + _exponent(found.group(2).strip(), unit)
    return float(10.0 ** (exponent - decimals))


def _exponent(rest: str, unit: str) -> int:
    for form in sorted(UNIT_FORMS.get(unit, (unit,)), key=len, reverse=True):
        if rest == form:
            return 0
        if form and rest.endswith(form) and rest[: -len(form)].strip() in PREFIXES:
            return PREFIXES[rest[: -len(form)].strip()]
    if rest in PREFIXES:
        return PREFIXES[rest]
    shown = {"degC": "°C", "1": "no unit"}.get(unit, unit)
    raise InputError(f"“{rest}” is not understood; this reading is in {shown}")
