"""What is said before power: safety records, ages, limits, zero readings, headlines."""

from __future__ import annotations

from dataclasses import replace
from datetime import date

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zincsmith.before_power.safety import default_limits, passes, safety_reading, safety_words
from zincsmith.before_power.zero import AtZero, at_zero, zero_span, zero_words
from zincsmith.model.claim import Condition
from zincsmith.model.figures import FIGURES
from zincsmith.model.intake import SafetyRecord
from zincsmith.model.label import Mode
from zincsmith.model.plan import Line
from zincsmith.model.rig import Accuracy, Dummy, Instrument, Rig
from zincsmith.model.unit import InputRating, Nameplate, OutputRating, Unit
from zincsmith.words.claim_words import bound_words, condition_words_of
from zincsmith.words.instrument_words import accuracy_words, age_words, draws_words, limit_words
from zincsmith.words.plate_words import headline, hertz_words, input_words, output_words


@pytest.mark.parametrize(
    ("test", "marks", "passing", "failing"),
    [
        # Commonly used in service (common practice, no source): both sides of every limit.
        ("earth continuity", (), 0.1, 0.1001),
        ("insulation resistance", (), 1.0e6, 0.999e6),
        ("insulation resistance", ("CLASS II",), 2.0e6, 1.999e6),
        ("touch current", (), 3.5e-3, 3.51e-3),
        ("touch current", ("II",), 0.25e-3, 0.2501e-3),
    ],
)
def test_safety_limits_of_common_practice(test: str, marks: tuple[str, ...], passing: float, failing: float) -> None:
    low, high = default_limits(test, marks)  # type: ignore[arg-type]
    good = SafetyRecord(test, passing, low, high)  # type: ignore[arg-type]
    assert passes(good)
    assert passes(replace(good, value=failing)) is False
    assert safety_words(replace(good, value=failing)).startswith("OUTSIDE")
    told = replace(good, method="meter", point="pin to case", current_A=10.0)
    assert safety_words(told) == "within"
    assert ("not stated" in safety_words(good)) is (test == "earth continuity"), "a value needs how it was taken"
    assert safety_words(replace(told, method="beeper")) == "indication only"
    assert passes(replace(told, method="beeper")) is None
    assert passes(replace(good, low=None, high=None)) is None, "no limit, no verdict"


def test_safety_readings_in_the_unit_they_are_read_in() -> None:
    assert safety_reading(SafetyRecord("earth continuity", 0.062, None, 0.1)) == ("0.062 Ω", "at most 0.1 Ω")
    assert safety_reading(SafetyRecord("insulation resistance", 48e6, 2e6)) == ("48 MΩ", "at least 2 MΩ")
    assert safety_reading(SafetyRecord("touch current", 1.71e-4)) == ("0.171 mA", "no limit stated")


def test_the_age_of_a_calibration_is_told_to_the_day() -> None:
    one = Instrument("voltmeter", "by hand", calibrated="2026-03-04")
    assert "266 days ago, due in 99 days" in age_words(one, date(2026, 11, 25))
    assert "overdue for 1 day." in age_words(one, date(2027, 3, 5))
    assert "due in 465 days" in age_words(replace(one, calibration_months=24.0), date(2026, 11, 25))
    assert age_words(replace(one, calibrated=""), date(2026, 11, 25)) == "No calibration date stated."


def test_an_accuracy_is_said_back_and_turned_into_a_limit(unit: Unit, rig: Rig) -> None:
    """The demonstration voltmeter at 24 V: 0.02 % of 24 V + 0.005 % of 60 V = 7.8 mV. By hand."""
    row = rig.instrument("voltmeter").accuracy_of("output_voltage")  # type: ignore[union-attr]
    assert row is not None
    assert accuracy_words(row) == "0.02 % of reading + 0.005 % of 60 V"
    assert limit_words(row, unit, Line(230.0, 50.0)) == "±0.0078 V at 24 V"
    assert limit_words(row, None, Line(230.0, 50.0)) == ""
    assert limit_words(row, replace(unit, nameplate=Nameplate()), Line(230.0, 50.0)) == "", "no plate, no reading"
    assert accuracy_words(Accuracy("power_factor", 1.0, offset=0.005)) == "0.005"
    assert accuracy_words(Accuracy("power_factor", 1.0)) == "not stated"


@given(st.floats(0.0, 2.0), st.floats(0.0, 1.0), st.lists(st.floats(-3.0, 3.0), min_size=1, max_size=20))
def test_readings_at_nought_are_counted_against_what_may_be_shown(
    percent: float, offset: float, readings: list[float]
) -> None:
    row = Accuracy("input_power", 75.0, 0.5, percent, offset)
    span = zero_span(row)
    assert span == pytest.approx(0.75 * percent + offset), "the share of reading counts for nothing at zero"
    one = Instrument("power_meter", "simulated", accuracy=(row,))
    (found,) = at_zero(one, {"input_power": readings})
    assert found.outside == sum(abs(r) > found.span for r in readings)
    assert ("outside" in zero_words(found)) is (found.outside > 0)


def test_what_is_no_nought_has_no_span() -> None:
    assert zero_span(Accuracy("case_temperature", 200.0, 0.5)) is None
    assert zero_span(None) is None
    assert zero_words(AtZero("case_temperature", (22.9, 23.1), None)) == "Case temperature: mean 23 °C"


@pytest.mark.parametrize(
    ("low", "high", "figure", "words"),
    [
        (None, 0.21, "no_load_power", "≤ 0.21 W"),
        (0.88, None, "efficiency", "≥ 88 %"),
        (0.9, None, "power_factor", "≥ 0.9"),
        (-0.01, 0.01, "load_regulation", "±1 %"),
        (23.5, 24.5, "output_voltage", "23.5 to 24.5 V"),
        (None, 0.12, "ripple", "≤ 120 mV"),
        (0.016, None, "hold_up", "≥ 16 ms"),
        (None, 2.5e-4, "touch_current", "≤ 250 µA"),
        (None, 85.0, "case_temperature", "≤ 85 °C"),
        (None, 0.0, "load_step", "≤ 0 V"),
    ],
)
def test_bounds_in_words(low: float | None, high: float | None, figure: str, words: str) -> None:
    assert bound_words(low, high, FIGURES[figure]) == words


def test_conditions_in_words() -> None:
    assert condition_words_of(Condition()) == "condition not said"
    for seconds, words in ((0.0, "continuous"), (90.0, "for 90 s"), (300.0, "for 5 min"), (28800.0, "for 8 h")):
        assert condition_words_of(Condition(duration_s=seconds)) == words
    assert condition_words_of(Condition((90.0, 264.0), 50.0, (10.0, 100.0))) == "90 to 264 V 50 Hz, 10 to 100 % load"


def test_a_plate_in_one_line() -> None:
    switch = InputRating((115.0, 230.0), selector_V=(115.0, 230.0))
    assert input_words(switch) == "115|230 V", "a switch is no range"
    assert hertz_words(switch) == "50/60 Hz"
    assert hertz_words(InputRating((9.0, 36.0), (), type="dc")) == ""
    assert output_words(OutputRating(-12.0, 0.3)) == "−12 V  0.30 A"
    assert output_words(OutputRating(30.0, 3.0, adjustable_V=(0.0, 30.0), adjustable_A=(0.0, 3.0))) == "0–30 V  0–3 A"
    modes = (Mode(5.0, 3.0), Mode(9.0, 3.0), Mode(20.0, 3.25))
    assert output_words(OutputRating(20.0, 3.25, modes=modes)) == "5/9/20 V  3.25 A"
    assert headline(Nameplate()) == "no output stated yet"
    five = tuple(OutputRating(5.0, 1.0, name=f"P{n}") for n in range(5))
    assert headline(Nameplate(outputs=five)) == "25 W  P0, P1, P2, P3 …"


def test_a_load_resistor_answers_with_amps_as_soon_as_it_is_typed(unit: Unit) -> None:
    """24 V into 9.6 ohm are 2.5 A; a slip of a thousand is plain at once."""
    load = Instrument("load", "by hand", dummy=Dummy("resistor", 9.6))
    assert draws_words(load, unit) == "At 24 V it draws 2.5 A, 100 % of the rating."
    slip = replace(load, dummy=Dummy("resistor", 9600.0))
    assert "0.0025 A, 0.1 % of the rating" in draws_words(slip, unit)
    assert draws_words(Instrument("load", "by hand"), unit) == ""
