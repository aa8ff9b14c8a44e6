"""Claims by source: dropped, conflicting, required, published; doubts from the label alone."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import pytest
from tests.conftest import ROOT

from zincsmith.before_power.label_doubts import label_doubts
from zincsmith.before_power.line_links import links
from zincsmith.formats.label_plate import fold
from zincsmith.formats.unit_file import read_unit
from zincsmith.judge.claims import all_claims, claims_of, conflicts, offered
from zincsmith.model.claim import Condition, RuleChoice, StatedClaim
from zincsmith.model.figures import FIGURES
from zincsmith.model.intake import LookOver, Part, Physical
from zincsmith.model.label import Mode
from zincsmith.model.unit import InputRating, Nameplate, OutputRating, Unit
from zincsmith.procedures.cautions import cautions_for, probing
from zincsmith.words.plate_words import headline

KINDS = sorted(f.stem for f in (ROOT / "examples" / "units").glob("*.toml"))


def example(name: str) -> Unit:
    return read_unit(ROOT / "examples" / "units" / f"{name}.toml")


def stated(unit: Unit, *claims: StatedClaim) -> Nameplate:
    return replace(unit.nameplate, claims=claims)


@pytest.mark.parametrize("name", KINDS)
def test_claims_of_every_kind_name_their_source_and_who_tests_them(name: str) -> None:
    unit = example(name)
    claims = all_claims(unit.nameplate)
    assert claims
    keys = [c.key for c in claims]
    assert len(set(keys)) == len(keys)
    for claim in claims:
        assert claim.source
        assert claim.condition_text
        assert claim.bounded or (claim.figure == "output_voltage" and "no tolerance stated" in claim.text)
        assert claim.side == FIGURES[claim.figure].side
    assert headline(unit.nameplate)


def test_every_rail_mode_and_input_makes_its_own_claim() -> None:
    rails = [c for c in claims_of(example("ferrowby-px350").nameplate) if c.figure == "output_voltage"]
    assert [c.output for c in rails] == ["+12 V", "+5 V", "+3.3 V", "-12 V", "+5 V SB"]
    minus = rails[3]
    assert (minus.low, minus.high) == pytest.approx((-13.2, -10.8))
    assert "1 to 24 A" in rails[0].condition_text, "from its minimum load"
    modes = [c for c in claims_of(example("quillfen-q65").nameplate) if c.figure == "output_voltage"]
    assert [c.text for c in modes if c.output == "C1"] == ["5 V ±5 %", "9 V ±5 %", "15 V ±5 %", "20 V ±5 %"]
    assert not any(c.bounded for c in modes if c.output == "A"), "no tolerance was printed for it"
    inputs = [c for c in claims_of(example("corvane-cv190").nameplate) if c.figure == "input_current"]
    assert [(c.output, c.high) for c in inputs] == [("mains", 2.6), ("battery", 17.0)]


def test_a_dropped_claim_stays_legible_and_is_not_judged(unit: Unit) -> None:
    plate = replace(unit.nameplate, dropped=("output_voltage",))
    assert "output_voltage" not in [c.key for c in claims_of(plate)]
    assert [c.kept for c in all_claims(plate) if c.key == "output_voltage"] == [False]
    listing = next(c for c in all_claims(unit.nameplate) if c.source == "listing")
    assert not listing.kept


def test_sources_that_contradict_each_other_stand_side_by_side(unit: Unit) -> None:
    found = conflicts(all_claims(unit.nameplate))
    assert [[(c.source, c.high) for c in group] for group in found] == [[("label", 0.21), ("listing", 0.1)]]
    same = stated(unit, StatedClaim("no_load_power", high=0.21, source="manual"))
    assert conflicts(all_claims(same)) == [], "the same figure twice is no conflict"
    required = stated(unit, StatedClaim("no_load_power", high=0.05, source="requirement sheet"))
    assert conflicts(all_claims(required)) == [], "what a customer wants is not what the maker says"
    elsewhere = Condition(line_V=(115.0, 115.0), frequency_Hz=60.0)
    apart = stated(unit, StatedClaim("no_load_power", high=0.1, source="manual", condition=elsewhere))
    assert conflicts(all_claims(apart)) == [], "another condition is another figure"


def test_a_requirement_is_kept_apart_and_a_condition_narrows_it(unit: Unit) -> None:
    at = Condition((230.0, 230.0), 50.0, (50.0, 50.0), (0.0, 40.0), 0.0, "none", "fan on")
    plate = stated(unit, StatedClaim("efficiency", low=0.9, source="requirement sheet", where="3.1", condition=at))
    claim = next(c for c in claims_of(plate) if c.required)
    assert claim.source == "requirement sheet 3.1"
    assert claim.at.conditions == {"input_voltage_V": 230.0, "frequency_Hz": 50.0, "load_percent": 50.0}
    for words in ("230 V 50 Hz", "50 % load", "ambient 0 to 40 °C", "continuous", "derated: none", "fan on"):
        assert words in claim.condition_text
    said = stated(unit, StatedClaim("input_power", high=70.0, side="output"))
    assert next(c for c in claims_of(said) if c.figure == "input_power").side == "output", "who says so decides"


@pytest.mark.parametrize(
    ("name", "supply_class", "why"),
    [
        ("tarnbrook-tb2425", "ac-dc basic", "not below 6 V"),
        ("quillfen-q65", "multiple voltage", "several voltages at once"),
        ("ferrowby-px350", "multiple voltage", "several voltages at once"),
        ("netherby-nb5", None, "fed from the mains"),
        ("thornwade-tw300", None, "fed from the mains"),
    ],
)
def test_the_class_that_a_plate_suggests_is_explained(name: str, supply_class: str | None, why: str) -> None:
    choice, words = offered(example(name).nameplate)
    assert (choice.supply_class if choice else None) == supply_class
    assert why in words


@pytest.mark.parametrize(
    ("volts", "amps", "supply_class"),
    [
        # Low voltage: below 6 V and at least 550 mA (10 CFR 430.2; value from memory). Both sides of both bounds.
        (5.99, 0.55, "ac-dc low voltage"),
        (6.0, 0.55, "ac-dc basic"),
        (5.99, 0.549, "ac-dc basic"),
        (5.0, 3.0, "ac-dc low voltage"),
    ],
)
def test_low_voltage_begins_where_the_rule_says(volts: float, amps: float, supply_class: str, unit: Unit) -> None:
    choice, _ = offered(replace(unit.nameplate, outputs=(OutputRating(volts, amps),)))
    assert choice is not None
    assert choice.supply_class == supply_class
    ac = replace(unit.nameplate, outputs=(OutputRating(volts, amps, type="ac"),))
    assert offered(ac)[0] == RuleChoice("us-doe-level-vi", supply_class.replace("ac-dc", "ac-ac"))


# Doubts from the label alone

CLEAN = ("INPUT 100-240V~ 50/60Hz 1.5A", "OUTPUT 24V DC 2.5A 60W")


def doubted(*lines: str, **look: Any) -> set[str]:
    unit = Unit("T", "", "", fold(lines).plate, look=LookOver(**look))
    return {d.code for d in label_doubts(unit)}


def test_a_plain_label_raises_no_doubt() -> None:
    parts = (Part("C1", "bulk capacitor", rated_V=400.0), Part("F1", "fuse", rated_A=2.0))
    size = Physical(mass_g=214.0, size_mm=(112.0, 51.0, 32.0))
    assert doubted(*CLEAN, "efficiency >= 88%", "65W max total", physical=size, parts=parts) == set()
    assert doubted("OUTPUT 19V 3.42A 65W") == set(), "64.98 W is printed as 65 W"


@pytest.mark.parametrize(
    ("code", "lines", "look"),
    [
        ("watts_do_not_fit", (CLEAN[0], "OUTPUT 24V DC 2.5A 65W"), {}),
        ("watts_do_not_fit", ("C1: 5V 3A 15W / 9V 3A 30W",), {}),
        ("efficiency_cannot_be", (*CLEAN, "efficiency >= 98%"), {}),
        ("efficiency_cooks", (*CLEAN, "efficiency >= 70%"), {"physical": Physical(size_mm=(80.0, 45.0, 28.0))}),
        ("efficiency_cooks", (*CLEAN, "efficiency >= 50%"), {}),
        ("input_current_too_small", ("INPUT 100-240V~ 0.5A", CLEAN[1]), {}),
        ("mode_exceeds_total", ("C1: 20V 5A / 5V 3A", "65W max total"), {}),
        ("mode_exceeds_total", ("C1: 20V 3A", "C2: 20V 3A", "65W max total", "C1+C2 45W+30W"), {}),
        ("weight_out_of_line", CLEAN, {"physical": Physical(mass_g=40.0)}),
        ("weight_out_of_line", CLEAN, {"physical": Physical(mass_g=3000.0)}),
        ("range_of_the_chip", ("INPUT 4.5-40V DC", "OUTPUT 5V 3A"),
         {"parts": (Part("U1", "controller", range_V=(4.5, 40.0)),)}),
        ("part_under_rated", CLEAN, {"parts": (Part("C5", "output capacitor", rated_V=25.0),)}),
        ("part_under_rated", CLEAN, {"parts": (Part("C1", "bulk capacitor", rated_V=250.0),)}),
    ],
)  # fmt: skip
def test_a_label_that_cannot_be_true_is_doubted(code: str, lines: tuple[str, ...], look: dict[str, Any]) -> None:
    assert code in doubted(*lines, **look)


def test_the_examples_raise_the_doubts_they_were_made_for() -> None:
    found = {name: {d.code for d in label_doubts(example(name))} for name in KINDS}
    assert "range_of_the_chip" in found["netherby-nb5"]
    assert "part_under_rated" in found["netherby-nb5"], "a 35 V capacitor sets the real ceiling"
    assert found["ossel-od60"] == set()


@pytest.mark.parametrize(
    ("name", "there", "not_there"),
    [
        ("tarnbrook-tb2425", {"mains", "bulk", "discharge", "eyes"}, {"battery", "inverter"}),
        ("marlowick-mb1205", {"mains", "isolation", "eyes", "static"}, {"battery"}),
        ("netherby-nb5", {"discharge", "hot"}, {"mains", "bulk", "isolation", "inverter"}),
        ("thornwade-tw300", {"mains", "battery", "inverter"}, {"bulk", "isolation"}),
        ("corvane-cv190", {"mains", "bulk", "battery"}, {"inverter"}),
    ],
)
def test_cautions_appear_where_they_apply(name: str, there: set[str], not_there: set[str]) -> None:
    found = set(cautions_for(example(name)))
    assert there <= found
    assert not not_there & found


def test_probes_are_cautioned_about_by_what_they_are_joined_to() -> None:
    assert probing(()) == ()
    (output,) = probing({"output_voltage", "output_current"})
    (both,) = probing({"output_voltage", "input_voltage"})
    assert "spring" in output
    assert "differential" not in output
    assert "differential" in both


def test_what_hangs_on_a_line_is_what_would_go_with_it() -> None:
    unit = example("quillfen-q65")
    found = dict(zip(unit.label, links(unit.nameplate, unit.label), strict=True))
    assert found["A: 5V 2.4A"].parts == {"output 2"}
    assert found["65W max total"].parts == {"total"}
    assert found["EFFICIENCY LEVEL VI"].parts == {"marks"}
    first = next(link for line, link in found.items() if line.startswith("C1: 5V"))
    assert first.parts == {"output 0"}
    shares = {key for key in first.claims if " + " in key}
    assert {key for key in first.claims if key.startswith("output_voltage C1")} == first.claims - shares
    assert "label C1 + C2 C1" in shares, "what it gives beside others goes with it"
    assert links(unit.nameplate, ()) == ()


def test_an_adaptive_output_is_tested_at_its_lowest_and_its_highest_voltage() -> None:
    """10 CFR 430 appendix Z (values from memory): a USB-PD output at 5 V with 2 A, in the class it falls in there."""
    modes = tuple(Mode(v, a) for v, a in ((5.0, 3.0), (9.0, 3.0), (15.0, 3.0), (20.0, 2.25)))
    one = OutputRating(5.0, 3.0, power_W=45.0, modes=modes)
    plate = Nameplate(
        (InputRating(voltage_V=(100.0, 240.0), frequency_Hz=(50.0, 60.0)),), (one,),
        rules=(RuleChoice("us-doe-level-vi", "ac-dc low voltage"),),
    )  # fmt: skip
    found = [c for c in claims_of(plate) if c.figure == "average_active_efficiency"]
    assert [(c.at.conditions["output_voltage_V"], c.source) for c in found] == [
        (5.0, "Level VI"), (5.0, "Level VI, marking scheme"), (20.0, "Level VI"), (20.0, "Level VI, marking scheme"),
    ]  # fmt: skip
    # 10 W: 0.0834 ln 10 - 0.0014 x 10 + 0.609; 45 W: 0.071 ln 45 - 0.0014 x 45 + 0.67, worked by hand.
    assert [c.low for c in found[::2]] == pytest.approx([0.78703, 0.87727], abs=1e-4)
    assert "100 % is 2 A" in found[0].condition_text
    assert "steady: within 5 % over 5 min" in found[0].beside
    assert "nobody has read them" in found[0].beside
    assert "marking scheme" in found[1].beside
    offer, why = offered(plate)
    assert offer is not None
    assert "5 V is below 6 V at 3 A" in why


def test_the_class_goes_by_the_amps_of_that_mode() -> None:
    modes = (Mode(5.0, 0.5), Mode(12.0, 3.0))
    plate = Nameplate(
        (InputRating(voltage_V=(100.0, 240.0), frequency_Hz=(50.0, 60.0)),), (OutputRating(12.0, 3.0, modes=modes),)
    )
    offer, why = offered(plate)
    assert offer == RuleChoice("us-doe-level-vi", "ac-dc basic"), why


def test_ballast_does_not_make_a_light_unit_look_normal() -> None:
    """60 W in 214 g looks usual; 150 g of it are added weight, and 64 g for 60 W are too light to be true."""
    unit = example("tarnbrook-tb2425")
    light = replace(unit, look=replace(unit.look, physical=replace(unit.look.physical, added_g=170.0)))
    codes = {d.code for d in label_doubts(light)}
    assert "weight_out_of_line" in codes
    assert "weight_out_of_line" not in {d.code for d in label_doubts(unit)}
    inside = replace(unit, look=replace(unit.look, physical=replace(unit.look.physical, internals_g=40.0)))
    assert "weight_out_of_line" in {d.code for d in label_doubts(inside)}
