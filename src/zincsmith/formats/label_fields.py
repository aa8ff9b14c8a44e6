"""From label items to the fields of a single-output nameplate; what has no field is said, not dropped."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from zincsmith.formats.label_print import print_item
from zincsmith.model.label import LabelFigure, LabelInput, LabelItem, LabelMark, LabelOutput

FIGURES = {"tolerance": "output.tolerance_percent", "no_load_power": "claims.no_load_power_W"}


@dataclass(frozen=True)
class LabelFields:
    """``values`` by the path of a field as in a unit file (the input range as its two ends), ``marks`` as printed,
    ``left`` what this form has no place for."""

    values: dict[str, str]
    marks: tuple[str, ...]
    left: tuple[str, ...]


def fields_of(items: Sequence[LabelItem]) -> LabelFields:
    """Only figures that stand in the items: an absent one leaves its field as it is."""
    values: dict[str, str] = {}
    marks: list[str] = []
    left: list[str] = []
    for item in items:
        match item:
            case LabelMark(text):
                marks.append(text)
            case LabelInput() if item.type == "ac" and item.selector_V is None and item.power_W is None:
                _input(item, values)
            case LabelOutput() if _fits(item) and "output.voltage_V" not in values:
                _output(item, values)
            case LabelFigure() if item.what in FIGURES and isinstance(item.value, float):
                values[FIGURES[item.what]] = f"{item.value:.10g}"
            case _:
                left.append(print_item(item))
    return LabelFields(values, tuple(marks), tuple(left))


def _fits(item: LabelOutput) -> bool:
    single = item.voltage_V is None or (isinstance(item.voltage_V, float) and item.voltage_V > 0.0)
    return item.type == "dc" and single and not item.modes and not item.programmable


def _input(item: LabelInput, values: dict[str, str]) -> None:
    if item.voltage_V is not None:
        values["input.voltage_min_V"], values["input.voltage_max_V"] = (f"{v:.10g}" for v in item.voltage_V)
    if item.frequency_Hz is not None:
        values["input.frequency_Hz"] = "/".join(f"{f:.10g}" for f in dict.fromkeys(item.frequency_Hz))
    if item.current_A is not None:
        values["input.current_A"] = f"{item.current_A:.10g}"


def _output(item: LabelOutput, values: dict[str, str]) -> None:
    for path, value in (("voltage_V", item.voltage_V), ("current_A", item.current_A), ("power_W", item.power_W)):
        if isinstance(value, float):
            values[f"output.{path}"] = f"{value:.10g}"
