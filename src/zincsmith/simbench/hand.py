"""What a person at the bench would type off the face of a meter, and how they slip."""

from __future__ import annotations

import random

# role: (query, unit, decimals, words)
FRONT_PANELS = {
    "thermometer": ("MEAS:TEMP?", "°C", 1, "Handheld thermometer"),
    "spot_thermometer": ("MEAS:TEMP?", "°C", 1, "Handheld thermometer"),
    "panel_voltmeter": ("MEAS:VOLT?", "V", 1, "Display of the unit"),
    "panel_ammeter": ("MEAS:CURR?", "A", 2, "Display of the unit"),
    "panel_wattmeter": ("MEAS:POW?", "W", 0, "Display of the unit"),
    "voltmeter": ("MEAS:VOLT?", "V", 3, "Handheld voltmeter"),
    "ac_voltmeter": ("MEAS:VOLT:AC?", "V", 4, "Handheld voltmeter, AC volts"),
}
OVER = 9.0e37


def shown(role: str, value: float) -> str:
    """The text on the display."""
    return "over range" if not abs(value) < OVER else f"{value:.{FRONT_PANELS[role][2]}f}"


def typed(text: str, draw: random.Random, slip: bool) -> str:
    """The display as a person types it: as it stands, or with one of the usual slips, a decimal point forgotten or two
    neighbouring digits swapped. A text without digits to slip on stays."""
    if not slip:
        return text
    swaps = [n for n in range(len(text) - 1) if text[n : n + 2].isdigit() and text[n] != text[n + 1]]
    if "." in text and (not swaps or draw.random() < 0.5):
        return text.replace(".", "")
    if not swaps:
        return text
    at = draw.choice(swaps)
    return text[:at] + text[at + 1] + text[at] + text[at + 2 :]
