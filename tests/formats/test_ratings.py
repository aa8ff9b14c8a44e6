"""Ratings of any kind are refused or lead to claims; nothing in between, nothing that fails later."""

import math

from hypothesis import given, settings
from hypothesis import strategies as st

from zincsmith.formats.plate_check import check_nameplate
from zincsmith.judge.claims import claims_of
from zincsmith.model.claim import RuleChoice
from zincsmith.model.errors import LimitError
from zincsmith.model.rig import Rig
from zincsmith.model.unit import InputRating, Nameplate, OutputRating, Unit
from zincsmith.planning.rehearsal import rehearse
from zincsmith.procedures.plan_file import NAMED

anything = st.floats(allow_nan=True, allow_infinity=True)
stated = st.one_of(st.none(), anything, st.floats(0.01, 300.0))
sensible = st.floats(1.0, 300.0)
number = st.one_of(sensible, anything)
plates = st.builds(
    Nameplate,
    st.tuples(st.builds(InputRating, st.tuples(number, number), st.just((50.0, 60.0)), stated)),
    st.tuples(st.builds(OutputRating, number, number, stated, stated, stated, stated)),
    stated,
    stated,
    st.sampled_from(
        [(), (RuleChoice("us-doe-level-vi", "ac-dc basic"),), (RuleChoice("us-doe-level-vi", "multiple voltage"),)]
    ),
)


@settings(max_examples=300, deadline=None)
@given(plates)
def test_a_plate_is_refused_or_its_claims_are_finite(plate: Nameplate) -> None:
    problems = check_nameplate(plate)
    for problem in problems:
        assert problem.field
        assert problem.message
    if problems:
        return
    for claim in claims_of(plate):
        for limit in (claim.low, claim.high):
            assert limit is None or math.isfinite(limit)
        assert claim.bounded or claim.figure == "output_voltage"
        if claim.low is not None and claim.high is not None:
            assert claim.low < claim.high


@settings(max_examples=100, deadline=None)
@given(plates)
def test_a_plate_that_is_accepted_can_be_rehearsed_or_names_the_limit(rig: Rig, plate: Nameplate) -> None:
    if check_nameplate(plate):
        return
    try:
        found = rehearse(Unit("X", "", "", plate), rig, NAMED["static-grid"])
    except LimitError:
        return
    assert found.least_s <= found.likely_s <= found.most_s
    assert math.isfinite(found.energy_Wh)
    for point in found.points:
        assert point.load_A <= 1.1 * plate.output.current_A
        assert all(e.low <= e.value <= e.high for e in point.expected.values())
