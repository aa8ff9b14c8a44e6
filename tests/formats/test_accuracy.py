"""Accuracies as meters print them, and the limit they come to."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zincsmith.analysis.accuracy import limit_of_error
from zincsmith.formats.accuracy_text import parse_accuracy, print_accuracy
from zincsmith.model.errors import InputError
from zincsmith.model.reading import Reading
from zincsmith.model.rig import Accuracy
from zincsmith.words.instrument_words import accuracy_words

VOLTS = Accuracy("output_voltage", 60.0, counts=6000)


def limit_of(row: Accuracy, value: float) -> float:
    parts = (row.range, row.reading_percent, row.range_percent, row.offset)
    return limit_of_error(Reading("", row.quantity, value, "V", "voltmeter", "", "", *parts))


@pytest.mark.parametrize(
    ("text", "reading", "limit"),
    [
        # Worked by hand: 60 V range of 6000 counts, one count 10 mV.
        ("0.5% + 3 counts", 24.0, 0.12 + 0.03),
        ("±(0.8 %+5 dgt)", 24.0, 0.192 + 0.05),
        ("+/-(0.8 %+5 dgt)", 24.0, 0.192 + 0.05),
        ("0.1% rdg + 0.05% rng", 24.0, 0.024 + 0.03),
        ("0.1 % of reading + 0.05 % of full scale", 24.0, 0.054),
        ("± 0,02 % + 2 mV", 24.0, 0.0048 + 0.002),
        ("50 ppm rdg + 10 ppm rng", 24.0, 0.0012 + 0.0006),
        ("10 mV", 24.0, 0.01),
        ("1% FS", 24.0, 0.6),
        ("0.5%+3d", 24.0, 0.15),
    ],
)
def test_a_printed_accuracy_becomes_a_limit(text: str, reading: float, limit: float) -> None:
    row = parse_accuracy(text, VOLTS, "V")
    assert limit_of(row, reading) == pytest.approx(limit, rel=1e-12)
    assert row.printed == text.strip()


@pytest.mark.parametrize(
    ("text", "reason"),
    [
        ("", "type the accuracy"),
        ("good", "not understood"),
        ("0.5 % + some", "not understood"),
        ("0.5% + 3 A", "no unit that fits"),
        ("0.5% + 0.2", "no unit that fits"),
        ("0,500%", "Type no comma"),
        ("1,200 mV", "Type no comma"),
        ("0.5% - 3 counts", "not understood"),
        ("1% " * 60, "too long"),
    ],
)
def test_what_is_not_understood_is_asked_back(text: str, reason: str) -> None:
    if text == "0,500%":
        assert parse_accuracy(text, VOLTS, "V").reading_percent == 0.5, "a leading zero leaves no doubt"
        return
    with pytest.raises(InputError, match=reason):
        parse_accuracy(text, VOLTS, "V")


def test_counts_need_a_full_count() -> None:
    with pytest.raises(InputError, match="full count"):
        parse_accuracy("0.5% + 3 counts", Accuracy("output_voltage", 60.0), "V")


@given(st.floats(0.001, 5.0), st.integers(1, 50), st.floats(-60.0, 60.0))
def test_the_words_say_the_limit_and_grow_with_the_reading(percent: float, counts: int, reading: float) -> None:
    row = parse_accuracy(f"{percent:.4f}% + {counts} counts", VOLTS, "V")
    assert limit_of(row, reading) == pytest.approx(round(percent, 4) / 100.0 * abs(reading) + counts * 0.01)
    words = accuracy_words(row)
    assert "of reading" in words
    assert f"{counts * 0.01:g} V" in words


@given(st.text(max_size=90))
def test_no_text_makes_it_fail(text: str) -> None:
    try:
        row = parse_accuracy(text, VOLTS, "V")
    except InputError:
        return
    assert limit_of(row, 10.0) >= 0.0


def test_what_stands_beside_a_limit_is_read_printed_and_read_again() -> None:
    text = "0.02% rdg + 0.005% rng; lin 0.002% rng; transfer 0.001% rdg + 0.0005% rng in 10 min; 0.0005% rdg / K; 90 d"
    row = parse_accuracy(text, VOLTS, "V")
    assert (row.nonlinearity_percent, row.transfer_min, row.valid_days) == (0.002, 10.0, 90.0)
    assert (row.transfer_reading_percent, row.transfer_range_percent) == (0.001, 0.0005)
    assert row.per_K_reading_percent == 0.0005
    assert limit_of(row, 24.0) == pytest.approx(0.0048 + 0.003), "what stands beside it is not added to it"
    assert print_accuracy(row, "V") == text
    assert parse_accuracy(print_accuracy(row, "V"), VOLTS, "V") == row
    assert parse_accuracy("50 ppm; 24 h", VOLTS, "V").valid_days == 1.0
    for wrong in ("0.1%; often", "0.1%; transfer 2 mV in 10 min", "0.1%; lin 0.1% rdg", "0.1%; 2 mV / K"):
        with pytest.raises(InputError):
            parse_accuracy(wrong, VOLTS, "V")
