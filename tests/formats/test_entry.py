"""Readings as people type them."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zincsmith.analysis.expectation import far_off
from zincsmith.formats.entry import parse_change, parse_entry, typed_value
from zincsmith.model.errors import InputError


@pytest.mark.parametrize(
    ("text", "unit", "value"),
    [
        ("44.3", "degC", 44.3),
        ("44.3 C", "degC", 44.3),
        (" 44,3 °C ", "degC", 44.3),
        ("458m", "A", 0.458),
        ("12.3 V", "V", 12.3),
        ("1.2k", "V", 1200.0),
        ("250 mV", "V", 0.25),
        ("26 µA", "A", 26e-6),
        ("35 mΩ", "ohm", 0.035),
        ("2 kohm", "ohm", 2000.0),
        ("−5.2", "V", -5.2),
        (".5", "W", 0.5),
        ("1e-3", "A", 0.001),
        ("0,458", "A", 0.458),
        ("1,20 A", "A", 1.2),
    ],
)
def test_what_people_type(text: str, unit: str, value: float) -> None:
    assert parse_entry(text, unit) == pytest.approx(value, rel=1e-12)


@pytest.mark.parametrize(
    ("text", "null", "value"),
    [("rel -12m", False, 23.988), ("null −12 mV", True, 23.988), ("Δ+0,5V", False, 24.5), ("NULL 3m", True, 24.003)],
)
def test_a_change_is_a_reading_too(text: str, null: bool, value: float) -> None:
    change = parse_change(text, "V")
    assert change is not None
    assert change[0] is null
    assert typed_value(text, "V", 24.0) == pytest.approx(value)
    with pytest.raises(InputError, match="no reading here yet"):
        typed_value(text, "V", None)
    assert typed_value("23.9", "V", None) == 23.9


@pytest.mark.parametrize("text", ["rel", "null x", "rel -", "relative 3", "null 1,200m"])
def test_a_change_that_is_none_is_refused(text: str) -> None:
    with pytest.raises(InputError):
        typed_value(text, "V", 24.0)


def test_a_dash_is_a_reading_that_could_not_be_taken() -> None:
    assert parse_entry("-", "degC") is None


@pytest.mark.parametrize(
    ("text", "unit", "reason"),
    [
        ("", "V", "type the reading"),
        ("warm", "degC", "does not start with a number"),
        ("12 A", "V", "this reading is in V"),
        ("44.3 F", "degC", "°C"),
        ("1,200", "V", "1.200 or 1200"),
        ("1e99", "V", "beyond anything"),
        ("nan", "V", "does not start with a number"),
        ("-300", "degC", "absolute zero"),
        ("12..3", "V", "is not understood"),
        ("9" * 60, "V", "too long"),
    ],
)
def test_nonsense_is_refused_with_the_reason(text: str, unit: str, reason: str) -> None:
    with pytest.raises(InputError, match=reason):
        parse_entry(text, unit)


@given(st.text(max_size=60), st.sampled_from(["V", "A", "W", "degC", "%", "1"]))
def test_no_text_breaks_it(text: str, unit: str) -> None:
    try:
        value = parse_entry(text, unit)
    except InputError:
        return
    assert value is None or abs(value) <= 1e9


@pytest.mark.parametrize(
    ("quantity", "value", "low", "high", "words"),
    [
        ("output_voltage", 23.0, 22.8, 25.2, ""),
        ("output_voltage", 18.0, 22.8, 25.2, "below what is expected, 22.8 to 25.2"),
        ("output_voltage", 2.4, 22.8, 25.2, "one 10th of"),
        ("output_voltage", -18.0, -25.2, -22.8, "above what is expected"),
        ("output_current", 2.9, 2.45, 2.55, "above what is expected"),
        ("output_current", 2.6, 2.45, 2.55, ""),
        ("input_power", 900.0, 60.0, 90.0, "12 times what is expected"),
        ("input_power", 40.0, 60.0, 90.0, "below what is expected"),
        ("power_factor", 1.02, 0.35, 1.0, "lies between -1 and 1"),
        ("power_factor", 0.9, 0.35, 1.0, ""),
        ("output_voltage", 0.4, 0.0, 0.0, "above what is expected, 0 to 0"),
    ],
)
def test_what_the_state_of_the_unit_does_not_explain_is_asked_again(
    quantity: str, value: float, low: float, high: float, words: str
) -> None:
    said = far_off(quantity, value, low, high)
    assert (words in said) if words else said == ""
