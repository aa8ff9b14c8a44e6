"""Label lines become ratings, and what was typed into fields survives a change of the lines."""

from dataclasses import replace
from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.conftest import ROOT

from zincsmith.formats.label_plate import fold, merge
from zincsmith.formats.plate_check import check_nameplate
from zincsmith.formats.unit_file import read_unit
from zincsmith.judge.claims import claims_of
from zincsmith.model.unit import Nameplate

LINES = ("INPUT 100-240V~ 50/60Hz 1.5A", "OUTPUT 24V DC 2.5A 60W ±2%", "no-load <= 0.21W", "CLASS II")


def test_lines_become_a_plate() -> None:
    plate = fold(LINES).plate
    one, out = plate.input, plate.output
    assert (one.voltage_V, one.frequency_Hz, one.current_A, one.type) == ((100.0, 240.0), (50.0, 60.0), 1.5, "ac")
    assert (out.voltage_V, out.current_A, out.power_W, out.tolerance_percent) == (24.0, 2.5, 60.0, 2.0)
    assert plate.no_load_power_W == 0.21
    assert plate.marks == ("CLASS II",)


def test_ports_modes_ranges_and_sharing() -> None:
    plate = fold(
        (
            "C1: 5V 3A / 9V 3A / 20V 3.25A, PPS 3.3-21V 3.25A",
            "A: 5V 3A",
            "65W max total",
            "C1+A 45W+15W",
        )
    ).plate
    port, other = plate.outputs
    assert (port.name, other.name, other.fixed) == ("C1", "A", True)
    assert [m.voltage_V for m in port.modes] == [5.0, 9.0, 20.0]
    assert (port.voltage_V, port.current_A) == (20.0, 3.25), "the strongest mode leads"
    assert port.programmable[0].voltage_V == (3.3, 21.0)
    assert plate.total_power_W == 65.0
    assert (plate.sharing[0].ports, plate.sharing[0].each_W) == (("C1", "A"), (45.0, 15.0))


def test_what_a_word_decides_becomes_exactly_the_claim_that_is_printed() -> None:
    lines = (
        "24V 2.5A", "OVP 115-135%", "overload 110-150%", "OCP > 3A", "hold-up 20ms/230VAC 16ms/115VAC",
        "PF>0.9 at 230V 50Hz", "Leakage < 0.25mA", "Inrush 40A at 230V", "efficiency 88% at full load",
        "efficiency (typ.) 90%", "THD 20%", "Average efficiency 87%", "minimum load 0.1A", "Surge 70W 2s", "OVP 28V",
        "Cross regulation 5%",
    )  # fmt: skip
    found = fold(lines)
    stated = [(c.figure, c.low, c.high, c.condition.line_V, c.condition.load_percent) for c in found.plate.claims]
    assert stated == [
        ("overcurrent", 3.0, None, None, None),
        ("hold_up", pytest.approx(0.02), None, (230.0, 230.0), None),
        ("hold_up", pytest.approx(0.016), None, (115.0, 115.0), None),
        ("power_factor", 0.9, None, (230.0, 230.0), None),
        ("touch_current", None, pytest.approx(2.5e-4), None, None),
        ("inrush", None, 40.0, (230.0, 230.0), None),
        ("efficiency", 0.88, None, None, (100.0, 100.0)),
        ("current_thd", None, 0.2, None, None),
        ("cross_regulation", -0.05, 0.05, None, None),
        ("overvoltage", pytest.approx(27.6), pytest.approx(32.4), None, None),
        ("overcurrent", pytest.approx(2.75), pytest.approx(3.75), None, None),
    ]
    plate = found.plate
    assert plate.claims[3].condition.frequency_Hz == 50.0
    assert plate.average_efficiency_percent == 87.0
    assert (plate.output.minimum_A, plate.output.surge_W, plate.output.surge_s) == (0.1, 70.0, 2.0)
    # A typical figure promises nothing, and 28 V alone does not say on which side of it the protection acts.
    assert [number for number, _ in found.left] == [9, 14]
    assert check_nameplate(plate) == []


def test_ranges_of_one_input_keep_their_currents() -> None:
    plate = fold(("INPUT 100-127V~ 1.0A / 200-240V~ 0.5A 50/60Hz", "24V 2.5A")).plate
    (one,) = plate.inputs
    assert (one.voltage_V, one.current_A) == ((100.0, 240.0), 1.0)
    assert [(r.voltage_V, r.current_A) for r in one.ranges] == [((100.0, 127.0), 1.0), ((200.0, 240.0), 0.5)]
    claims = [c for c in claims_of(plate) if c.figure == "input_current"]
    assert [(c.high, c.scope.line_V) for c in claims] == [(1.0, (100.0, 127.0)), (0.5, (200.0, 240.0))]
    both = fold(("INPUT 85-264VAC 1.2A / 120-370VDC 0.8A",)).plate.input
    assert (both.type, both.voltage_V, [r.type for r in both.ranges]) == ("ac", (85.0, 264.0), ["ac", "dc"])


def test_rails_share_what_is_printed_for_them() -> None:
    rails = "+3.3V 20A +5V 20A +12V1 18A +12V2 18A -12V 0.3A +5VSB 2.5A"
    found = fold((rails, "+3.3V & +5V combined 120W max", "+12V1/+12V2 max 30A", "+24V/+5V 10W combined"))
    assert [(x.outputs, x.power_W, x.current_A) for x in found.plate.limits] == [
        (("3.3 V", "5 V"), 120.0, None),
        (("12V1", "12V2"), None, 30.0),
    ]
    assert [number for number, _ in found.left] == [3], "there is no rail of 24 V"
    assert [o.name for o in found.plate.outputs if o.standby] == ["5VSB"]


def test_a_selector_stays_a_selector() -> None:
    one = fold(("AC 115V|230V 50/60Hz 6A/3A",)).plate.inputs
    two = fold(("INPUT 115/230V~ (switch) 6A",)).plate.inputs
    found = [i for i in (*one, *two) if i.selector_V]
    assert found, "the positions of a switch are never a range"
    assert all(i.selector_set_V is None for i in found), "where it stands is not on the label"


def test_several_outputs_are_named_by_their_volts() -> None:
    plate = fold(("+15V 0.5A, -15V 0.5A",)).plate
    assert [(o.name, o.voltage_V) for o in plate.outputs] == [("15 V", 15.0), ("-15 V", -15.0)]


def test_nothing_said_twice_nothing_lost() -> None:
    folded = fold(("OUTPUT 12V", "2A", "88% typ."))
    assert folded.plate.output.voltage_V == 12.0
    assert folded.plate.output.current_A == 2.0, "a current on the next line belongs to the volts before it"
    assert folded.plate.claims == (), "a typical figure promises nothing"
    assert folded.left == ((2, "efficiency 88% typ."),), "and is kept in sight"


def test_what_was_typed_into_fields_survives_a_change_of_the_lines() -> None:
    plate = merge(Nameplate(), (), LINES)
    edited = replace(
        plate,
        outputs=(replace(plate.output, load_regulation_percent=1.0, tolerance_percent=3.0),),
        inputs=(replace(plate.input, name="mains"),),
        marks=(*plate.marks, "indoor use"),
        average_efficiency_percent=89.0,
    )
    changed = (LINES[0].replace("1.5A", "1.8A"), LINES[1].replace("60W", "62W"), *LINES[2:])
    after = merge(edited, LINES, changed)
    assert (after.input.current_A, after.input.name) == (1.8, "mains")
    assert after.output.power_W == 62.0
    assert (after.output.load_regulation_percent, after.output.tolerance_percent) == (1.0, 3.0)
    assert set(after.marks) == {"CLASS II", "indoor use"}
    assert after.average_efficiency_percent == 89.0
    assert merge(after, changed, changed) == after


def test_a_line_that_goes_takes_its_ratings_along() -> None:
    plate = merge(Nameplate(), (), (*LINES, "5V 2A"))
    assert len(plate.outputs) == 2
    back = merge(plate, (*LINES, "5V 2A"), LINES)
    assert [o.voltage_V for o in back.outputs] == [24.0]
    assert merge(back, LINES, ()).outputs == ()


@pytest.mark.parametrize("name", sorted(f.stem for f in (ROOT / "examples" / "units").glob("*.toml")))
def test_the_lines_of_an_example_say_what_its_ratings_say(name: str) -> None:
    unit = read_unit(ROOT / "examples" / "units" / f"{name}.toml")
    if not unit.label:
        pytest.skip("typed into fields")
    plate = fold(unit.label).plate
    assert [o.voltage_V for o in plate.outputs] == [o.voltage_V for o in unit.nameplate.outputs]
    for line, rated in zip(plate.inputs, unit.nameplate.inputs, strict=True):
        assert (line.voltage_V, line.current_A, line.selector_V) == (rated.voltage_V, rated.current_A, rated.selector_V)
    assert merge(unit.nameplate, unit.label, unit.label) == unit.nameplate


PIECES = st.sampled_from((*LINES, "5V 1A", "9V 2A or 12V 1.5A", "-12V 0.3A", "IP20", "0-40 degC", "rubbish", "65W max"))


@given(st.lists(PIECES, max_size=5), st.lists(PIECES, max_size=5), st.lists(PIECES, max_size=5))
def test_lines_decide_as_long_as_nobody_typed_into_fields(a: list[str], b: list[str], c: list[str]) -> None:
    """Whatever the way there, the plate is that of the lines that stand."""
    steps = [(), tuple(a), tuple(b), tuple(c)]
    plate = Nameplate()
    for before, after in pairwise(steps):
        plate = merge(plate, before, after)
    assert plate == fold(tuple(c)).plate
