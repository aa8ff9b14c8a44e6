"""The stand-in instruments: SCPI manners, ranges, errors drawn as their data sheets say."""

import math
from pathlib import Path

import numpy as np
import pytest

from zincsmith.simbench.instruments import MAKERS, METERS
from zincsmith.simbench.meter import Function, Meter
from zincsmith.simbench.scpi import NAN, Interpreter, pattern
from zincsmith.simbench.units.adapter import Adapter
from zincsmith.simbench.world import World

STANDIN = Path(__file__).parents[2] / "examples" / "standins" / "tarnbrook-tb2425.toml"


def world(seed: int = 1) -> World:
    return World(Adapter.read(STANDIN), seed)


def live(seed: int = 1) -> tuple[World, dict[str, Interpreter]]:
    one = world(seed)
    boxes = {role: make(one) for role, make in MAKERS.items() if role != "unit_interface"}
    boxes["ac_source"].answer("VOLT 115;FREQ 60;OUTP ON")
    boxes["load"].answer("CURR 2.5;INP ON")
    boxes["clock"].answer("CLOC:ADV 5")
    return one, boxes


@pytest.mark.parametrize(
    ("said", "heard"),
    [
        (":VOLT", True),
        (":VOLTAGE", True),
        (":SOUR:VOLT:LEV", True),
        (":SOURCE:VOLTAGE:LEVEL", True),
        (":VOLTA", False),
        (":SOUR", False),
        (":VOLT?", False),
    ],
)
def test_long_and_short_forms(said: str, heard: bool) -> None:
    assert bool(pattern("[SOURce]:VOLTage[:LEVel]").fullmatch(said)) is heard


def test_several_commands_in_a_line_share_their_path() -> None:
    one, boxes = live()
    assert boxes["ac_source"].answer("sour:volt 100;freq 50") is None
    assert (one.source.voltage_V, one.source.frequency_Hz) == (100.0, 50.0)
    answer = boxes["ac_source"].answer(":VOLT?;:FREQ?;*OPC?")
    assert [float(x) for x in answer.split(";")] == [100.0, 50.0, 1.0]


@pytest.mark.parametrize(
    ("role", "command", "number"),
    [
        ("ac_source", "VOLT 9999", -222),
        ("ac_source", "VOLT high", -104),
        ("ac_source", "OUTP MAYBE", -104),
        ("load", "FUNC LAMP", -224),
        ("voltmeter", "BREW:TEA", -113),
        ("power_meter", "POW:RANG 1e5", -222),
    ],
)
def test_refusals_wait_in_the_error_queue(role: str, command: str, number: int) -> None:
    one, boxes = live()
    before = (one.source, one.load)
    assert boxes[role].answer(command) is None
    assert boxes[role].answer("SYST:ERR?").startswith(f"{number},")
    assert boxes[role].answer("SYST:ERR?").startswith("0,")
    assert (one.source, one.load) == before


def test_reset_switches_off() -> None:
    one, boxes = live()
    boxes["ac_source"].answer("*RST")
    boxes["load"].answer("*RST")
    assert not one.source.on
    assert not one.load.on


def test_beyond_the_range_is_not_a_number() -> None:
    _, boxes = live()
    boxes["power_meter"].answer("POW:RANG 15")
    volts, amps, watts, _ = boxes["power_meter"].answer("FETC?").split(",")
    assert watts == NAN
    assert float(volts) == pytest.approx(115.0, rel=3e-3)
    assert float(amps) > 0.9


def test_meters_read_the_world_within_their_limits() -> None:
    one, boxes = live()
    for role, query in (("voltmeter", "MEAS:VOLT?"), ("load", "MEAS:CURR?"), ("thermometer", "MEAS:TEMP?")):
        function = METERS[role][0]
        true = one.true_value(function.quantity)
        limit = function.reading_percent / 100 * abs(true) + function.range_percent / 100 * function.ranges[-1]
        assert abs(float(boxes[role].answer(query)) - true) < 1.5 * limit + 0.05


def test_errors_have_the_stated_variance() -> None:
    """Gain and rest are rectangular; together their variance is limit^2 / 3, whatever the reading."""
    function = Function("input_power", 0.1, 0.05, 0.0, (75.0,))
    errors = []
    for seed in range(300):
        one = world(seed)
        one.source.voltage_V, one.source.on = 230.0, True
        one.load.current_A, one.load.on = 1.5, True
        one.advance(2.0)
        errors.append(Meter("power_meter", function, one).read() - one.true_value("input_power"))
        true = one.true_value("input_power")
    limit = 0.001 * true + 0.0005 * 75.0
    assert np.std(errors) == pytest.approx(limit / math.sqrt(3.0), rel=0.08)
    assert abs(np.mean(errors)) < 4.0 * limit / math.sqrt(3.0 * 300)


def test_the_rest_is_drawn_anew_with_each_setting_and_the_gain_is_not() -> None:
    one, boxes = live()
    meter = Meter("voltmeter", Function("output_voltage", 0.0, 0.1, 0.0, (60.0,)), one)
    first, again = meter.read(), meter.read()
    assert first == again, "nothing was set between the two"
    boxes["load"].answer("CURR 2.5")
    assert meter.read() != first
    gain_only = Meter("voltmeter", Function("input_voltage", 0.1, 0.0, 0.0, (300.0,)), one)
    before = gain_only.read()
    boxes["load"].answer("CURR 2.5")
    assert gain_only.read() == pytest.approx(before, rel=1e-12)
