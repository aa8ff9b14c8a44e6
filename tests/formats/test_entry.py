"""Readings as people type them."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zincsmith.formats.entry import parse_entry
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
        ("−5.2", "V", -5.2),
        (".5", "W", 0.5),
        ("1e-3", "A", 0.001),
        ("0,458", "A", 0.458),
        ("1,20 A", "A", 1.2),
    ],
)
def test_what_people_type(text: str, unit: str, value: float) -> None:
    assert parse_entry(text, unit) == pytest.approx(value, rel=1e-12)


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
