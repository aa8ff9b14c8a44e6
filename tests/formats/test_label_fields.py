"""From label items to fields: only what stands there, and what has no field is said."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zincsmith.formats.label import parse_line
from zincsmith.formats.label_fields import fields_of
from zincsmith.formats.label_print import print_item
from zincsmith.formats.plate_check import SPANS


@pytest.mark.parametrize(
    ("line", "values"),
    [
        (
            "100-240V~ 50/60Hz 1.5A",
            {
                "input.voltage_min_V": "100",
                "input.voltage_max_V": "240",
                "input.frequency_Hz": "50/60",
                "input.current_A": "1.5",
            },
        ),
        ("INPUT 230V~ 50Hz", {"input.voltage_min_V": "230", "input.voltage_max_V": "230", "input.frequency_Hz": "50"}),
        ("24V 2.5A 60W", {"output.voltage_V": "24", "output.current_A": "2.5", "output.power_W": "60"}),
        ("5V 450mA", {"output.voltage_V": "5", "output.current_A": "0.45"}),
        ("12V ±3%", {"output.voltage_V": "12", "output.tolerance_percent": "3"}),
        ("no-load < 75mW", {"claims.no_load_power_W": "0.075"}),
        ("65W", {"output.power_W": "65"}),
    ],
)
def test_a_line_fills_its_fields_and_no_other(line: str, values: dict[str, str]) -> None:
    found = fields_of(parse_line(line).items)
    assert found.values == values
    assert found.left == ()


@pytest.mark.parametrize(
    ("line", "left"),
    [
        ("115/230V~ 50Hz", ["INPUT 115/230V~ 50Hz"]),  # a selector is no range: a wrong position destroys the unit
        ("12V DC in 300W", ["INPUT 12V⎓ 300W"]),
        ("-12V 0.8A", ["OUTPUT -12V⎓ 0.8A"]),
        ("0-30V 3A", ["OUTPUT 0-30V⎓ 3A"]),
        ("12V~ 1A", ["OUTPUT 12V~ 1A"]),
        ("5V 3A / 9V 3A", ["OUTPUT 5V⎓ 3A / 9V⎓ 3A"]),
        ("+5V 5A +12V 2A", ["OUTPUT 12V⎓ 2A"]),
        ("0-40 degC", ["0-40°C"]),
        ("88% typ.", ["efficiency 88% typ."]),  # a typical figure is not the average active efficiency
    ],
)
def test_what_has_no_field_is_said(line: str, left: list[str]) -> None:
    assert list(fields_of(parse_line(line).items).left) == left


def test_marks_are_kept() -> None:
    assert fields_of(parse_line("IP20 CLASS II").items).marks == ("IP20", "CLASS II")


@given(st.text(alphabet="0123456789.,-+/~VAWHz%± INPUTouse", max_size=60))
def test_every_item_goes_somewhere(text: str) -> None:
    items = parse_line(text).items
    found = fields_of(items)
    known = {path for path, *_ in SPANS} | {"input.voltage_min_V", "input.voltage_max_V", "input.frequency_Hz"}
    assert set(found.values) <= known
    figures = {print_item(item) for item in items} - set(found.left) - set(found.marks)
    assert bool(figures) <= bool(found.values), "what is neither left nor a mark has filled a field"
