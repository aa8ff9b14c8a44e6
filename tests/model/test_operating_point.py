"""Operating points: typed, hashable, and the published numbers by name both ways."""

from __future__ import annotations

import json
from dataclasses import replace

import pytest

from zincsmith.book.codec import dump, load_event
from zincsmith.model.errors import InputError
from zincsmith.model.events import PointTaken
from zincsmith.model.operating_point import Draw, Feed, OperatingPoint, Purpose, Thermal, operating_point
from zincsmith.model.reading import Point

# As every form of the program before this one stored them, one of each kind.
PUBLISHED: tuple[dict[str, float], ...] = (
    {},
    {"input_voltage_V": 230.0, "frequency_Hz": 50.0},
    {"frequency_Hz": 60.0, "load_percent": 10.0},
    {"load_percent": 0.0},
    {"input_voltage_V": 115.0, "frequency_Hz": 60.0, "load_percent": 100.0, "load_A": 2.5},
    {"input_voltage_V": 115.0, "frequency_Hz": 60.0, "load_percent": 100.0, "load_A": 2.5, "cold": 1.0},
    {"input_voltage_V": 115.0, "frequency_Hz": 60.0, "load_percent": 100.0, "load_A": 2.5, "again": 1.0},
    {"input_voltage_V": 115.0, "frequency_Hz": 60.0, "load_percent": 0.0, "load_A": 0.0, "turn": 3.0,
     "after_step_s": 2.0},
    {"input_voltage_V": 115.0, "frequency_Hz": 60.0, "load_percent": 0.0, "load_A": 0.0, "line_turn": 4.0},
    {"background": 1.0},
    {"background": 2.0},
    {"input_voltage_V": 71.5, "frequency_Hz": 50.0, "load_percent": 0.0, "search": 1.0, "attempts": 0.0},
    {"input_voltage_V": 71.5, "frequency_Hz": 50.0, "load_percent": 10.0, "search": -1.0, "attempts": 4.0},
    *({"input_voltage_V": 71.5, "frequency_Hz": 50.0, "load_percent": 30.0, "load_A": 1.0, "way": float(way)}
      for way in (1, 2, 3, 4)),
    {"input_voltage_V": 230.0, "frequency_Hz": 50.0, "load_percent": 0.0, "elapsed_s": 60.0, "leakage_W": 0.002},
    {"input_voltage_V": 230.0, "frequency_Hz": 50.0, "load_percent": 25.0, "lead_ohm": 0.012},
    {"input_voltage_V": 230.0, "load_percent": 90.1, "load_A": 2.5, "asked_percent": 100.0},
    {"input_voltage_V": 230.0, "frequency_Hz": 50.0, "output_voltage_V": 20.0},
)  # fmt: skip


@pytest.mark.parametrize("conditions", PUBLISHED)
def test_the_published_numbers_go_in_and_come_out(conditions: dict[str, float]) -> None:
    at = operating_point(conditions)
    assert at.conditions == conditions
    assert hash(at) == hash(operating_point(dict(reversed(conditions.items()))))
    assert at.covers(at)
    assert operating_point({}).covers(at)


def test_a_point_of_an_earlier_form_is_read_as_one_of_today() -> None:
    at = operating_point(PUBLISHED[7])
    body = dump(PointTaken(Point(4, at, (), 12.0, True)))
    assert load_event("PointTaken", body) == PointTaken(Point(4, at, (), 12.0, True))
    earlier = json.loads(body)
    del earlier["point"]["at"]
    earlier["point"]["conditions"] = PUBLISHED[7]
    assert load_event("PointTaken", json.dumps(earlier)) == PointTaken(Point(4, at, (), 12.0, True))


def test_what_is_left_open_covers_what_is_not() -> None:
    rails = (Draw(100.0, 3.0, port="+12 V"), Draw(50.0, 2.5, port="+5 V"))
    at = OperatingPoint((Feed(230.0, 50.0),), rails, state=Thermal.COLD)
    assert OperatingPoint(draws=(Draw(50.0, port="+5 V"),)).covers(at)
    assert not OperatingPoint(draws=(Draw(100.0, port="+5 V"),)).covers(at), "another port than the one it names"
    assert not OperatingPoint(draws=(Draw(100.0),)).covers(at), "a port that nobody named is not one of two"
    assert OperatingPoint((Feed(230.0),)).covers(at)
    assert not at.covers(replace(at, state=Thermal.NOT_SAID))
    assert not OperatingPoint(modes=(("", "20 V"),)).covers(at)
    by_resistor = replace(at, draws=(replace(rails[0], law="CR", level=4.0), rails[1]))
    assert OperatingPoint(draws=(Draw(100.0, port="+12 V"),)).covers(by_resistor), "a share says nothing of the law"
    assert not at.covers(by_resistor)


def test_points_that_are_one_but_for_a_step() -> None:
    at = operating_point(PUBLISHED[4])
    again = replace(at, step=Purpose.AGAIN)
    assert at.graded
    assert not again.graded
    assert at.same_but_for(again, "step")
    assert not at.same_but_for(replace(again, feeds=(Feed(230.0, 50.0),)), "step")


def test_it_is_written_by_one_function() -> None:
    two = OperatingPoint((Feed(230.0, 50.0),), (Draw(100.0, port="+12 V"), Draw(None, 8.0, "CR", "+5 V")))
    assert two.words == "230 V 50 Hz, +12 V 100 % load, +5 V 8 ohm"
    assert operating_point(PUBLISHED[4]).words == "115 V 60 Hz, 100 % load"
    assert replace(two, draws=(), modes=(("USB-C", "20 V"),)).words == "230 V 50 Hz, USB-C at 20 V"
    with pytest.raises(InputError, match="does not state its load"):
        _ = operating_point({}).load_percent
