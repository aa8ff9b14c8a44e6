"""What may be asked of a unit, and by whose limit it may not."""

import re
from dataclasses import replace

import pytest
from tests.conftest import ROOT

from zincsmith.analysis.envelope import Envelope
from zincsmith.formats.label_plate import fold
from zincsmith.model.errors import InputError, LimitError
from zincsmith.model.plan import Plan
from zincsmith.model.port import ports_of
from zincsmith.model.rig import Rig
from zincsmith.model.unit import CombinedLimit, Nameplate, OutputRating, Sharing, Unit
from zincsmith.planning.rehearsal import rehearse


def test_one_port_is_the_simple_case(unit: Unit) -> None:
    envelope = Envelope(unit.nameplate)
    assert (envelope.factors[""], envelope.full_A(), envelope.load_A(25.0)) == (1.0, 2.5, 0.625)
    assert envelope.percent(1.25) == 50.0
    assert envelope.least_percent() == 0.0
    assert envelope.beyond({"": 2.5}) == []
    (one,) = envelope.beyond({"": 2.6})
    assert one.words == "the output current would be 2.6 A; its rated current is 2.5 A"


def test_ratings_that_add_to_more_than_the_total_are_taken_back() -> None:
    """66 + 100 + 216 W in a unit of 250 W: D = 250 / 382, and 25 % is 25 % of what is left (worked by hand)."""
    plate = fold(("230V~ 50Hz 2A", "+3.3V 20A +5V 20A +12V 18A", "250W total")).plate
    envelope = Envelope(plate)
    factor = 250.0 / (66.0 + 100.0 + 216.0)
    assert list(envelope.factors.values()) == [pytest.approx(factor)] * 3
    assert envelope.load_A(25.0, "12 V") == pytest.approx(0.25 * factor * 18.0)
    assert envelope.percent(envelope.load_A(75.0, "5 V"), "5 V") == pytest.approx(75.0)
    at = {name: envelope.load_A(100.0, name) for name in ("3.3 V", "5 V", "12 V")}
    assert envelope.beyond(at) == []
    assert [b.whose for b in envelope.beyond({"3.3 V": 20.0, "5 V": 20.0, "12 V": 18.0})] == ["the unit's total"]
    with pytest.raises(InputError, match="no output '24 V'"):
        envelope.full_A("24 V")


def test_each_limit_is_named_by_whose_it_is() -> None:
    rails = (OutputRating(5.0, 20.0, name="5 V"), OutputRating(12.0, 10.0, name="12 V", minimum_A=0.5))
    plate = Nameplate(
        outputs=rails,
        limits=(CombinedLimit(("5 V", "12 V"), power_W=150.0), CombinedLimit(("5 V", "12 V"), current_A=25.0)),
        sharing=(Sharing(("5 V", "12 V"), (60.0, 90.0)),),
        derating=((40.0, 100.0), (60.0, 50.0)),
    )
    envelope = Envelope(plate)
    assert envelope.beyond({"5 V": 10.0, "12 V": 7.0}) == []
    found = envelope.beyond({"5 V": 16.0, "12 V": 9.5})
    assert [(b.whose, round(b.value, 1), b.limit) for b in found] == [
        ("their combined limit", 194.0, 150.0),
        ("their combined limit", 25.5, 25.0),
        ("its share of what 5 V and 12 V have together", 80.0, 60.0),
        ("its share of what 5 V and 12 V have together", 114.0, 90.0),
    ]
    assert [b.whose for b in envelope.beyond({"12 V": 0.2})] == ["its minimum load"]
    assert (envelope.share_at(20.0), envelope.share_at(50.0), envelope.share_at(80.0)) == (1.0, 0.75, 0.5)
    assert [b.whose for b in envelope.beyond({"5 V": 16.0}, 50.0)] == ["the rated current derated for 50 °C"]


def test_a_plan_does_not_go_beyond_what_the_plate_allows_in_that_room(unit: Unit, rig: Rig, tiny_plan: Plan) -> None:
    derated = replace(unit, nameplate=replace(unit.nameplate, derating=((40.0, 100.0), (60.0, 50.0))))
    rehearse(derated, rig, tiny_plan, 23.0)
    with pytest.raises(LimitError, match=r"rated current derated for 50 °C is 1\.875 A"):
        rehearse(derated, rig, tiny_plan, 50.0)


def test_ports_say_what_the_plate_says() -> None:
    plate = fold(("INPUT 100-127V~ 1.0A / 200-240V~ 0.5A", "C1: 5V 3A / 9V 3A, PPS 3.3-11V 3A", "A: 5V 2.4A")).plate
    ports = ports_of(plate)
    assert [(p.side, p.name, p.kind, [(m.law, m.name, m.current_A) for m in p.modes]) for p in ports] == [
        ("in", "", "ac", [("adjustable", "100 to 127 V", 1.0), ("adjustable", "200 to 240 V", 0.5)]),
        ("out", "C1", "dc", [("fixed", "5 V", 3.0), ("fixed", "9 V", 3.0), ("programmable", "3.3 to 11 V", 3.0)]),
        ("out", "A", "dc", [("fixed", "5 V", 2.4)]),
    ]


def test_a_share_of_the_rating_is_worked_out_in_one_place() -> None:
    """Percent of a rated current, and the other way round, stands in envelope.py alone."""
    pattern = re.compile(r"/ 100(?:\.0)? \* [\w.]*current_A|100(?:\.0)? \* [^\n]*/ [\w.]*current_A")
    found = [
        path.name
        for path in (ROOT / "src" / "zincsmith").rglob("*.py")
        if path.name != "envelope.py" and pattern.search(path.read_text("utf-8"))
    ]
    assert found == []
