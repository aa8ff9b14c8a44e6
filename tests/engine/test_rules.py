"""States, limits, watches and the rehearsal: the engine without a bench."""

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zincsmith.analysis.expectation import expected
from zincsmith.engine.session import Start, check_start
from zincsmith.model.actions import SetLoad, SetSource, Watch
from zincsmith.model.errors import InputError, LimitError
from zincsmith.model.plan import Line, Plan
from zincsmith.model.rig import Rig
from zincsmith.model.states import LIVE, REST, TABLE, State, allowed, follow
from zincsmith.model.unit import Unit
from zincsmith.planning.limits import Limits
from zincsmith.planning.rehearsal import rehearse
from zincsmith.planning.watches import Watches
from zincsmith.procedures.plan_file import NAMED
from zincsmith.procedures.static_grid.options import GridOptions


def test_make_safe_is_allowed_from_everywhere_else() -> None:
    assert all(allowed(state, "make safe") for state in State if state is not State.MAKING_SAFE)


def test_nothing_live_ends_without_making_safe() -> None:
    for (state, _), after in TABLE.items():
        if state in LIVE:
            assert after not in REST, "a live state may only leave through making safe"


def test_a_bench_that_is_not_confirmed_safe_cannot_be_started() -> None:
    assert not allowed(State.NOT_CONFIRMED, "start")
    with pytest.raises(ValueError, match="no place"):
        follow(State.NOT_CONFIRMED, "start")


def test_every_state_can_be_reached() -> None:
    assert {State.IDLE, *TABLE.values()} == set(State)


def test_the_least_of_all_limits_counts_and_says_whose_it_is(unit: Unit, rig: Rig) -> None:
    limits = Limits.of(unit, rig)
    limits.check(SetSource(240.0, 50.0, True))
    limits.check(SetLoad(2.75, True))
    with pytest.raises(LimitError, match="upper end of the unit's rated input is 240 V"):
        limits.check(SetSource(241.0, 50.0, True))
    with pytest.raises(LimitError, match="110 % of the unit's rated current"):
        limits.check(SetLoad(2.76, True))
    with pytest.raises(LimitError, match="rated for 50 to 60 Hz"):
        limits.check(SetSource(230.0, 400.0, True))
    weak = tuple(replace(i, most={"current_A": 1.0}) if i.role == "load" else i for i in rig.instruments)
    with pytest.raises(LimitError, match="the most Osmary L3 can do is 1 A"):
        Limits.of(unit, replace(rig, instruments=weak)).check(SetLoad(1.5, True))


@given(st.floats(-1e6, 1e6))
def test_no_setting_passes_outside(unit: Unit, rig: Rig, amps: float) -> None:
    limits = Limits.of(unit, rig)
    try:
        limits.check(SetLoad(amps, True))
    except LimitError:
        assert not 0.0 <= amps <= 2.75
    else:
        assert 0.0 <= amps <= 2.7501


def test_a_wall_outlet_is_what_it_is_as_far_as_mains_may_reach(unit: Unit, rig: Rig) -> None:
    """Rated up to 240 V; nobody sets an outlet, and a source that somebody sets goes no higher than the label."""

    def at(voltage_V: float, outlet: bool) -> None:
        of = tuple(
            replace(i, how="by hand", outlet=(voltage_V, 50.0)) if outlet and i.role == "ac_source" else i
            for i in rig.instruments
        )
        Limits.of(unit, replace(rig, instruments=of)).check(SetSource(voltage_V, 50.0, True))

    at(243.0, True)
    for voltage_V, outlet in ((243.0, False), (265.0, True)):
        with pytest.raises(LimitError, match="rated input"):
            at(voltage_V, outlet)


def test_a_watch_trips_after_its_count_and_not_before() -> None:
    watches = Watches()
    watches.add(Watch("input_power", None, 100.0, "test", count=2))
    assert watches.check({"input_power": 101.0}) is None
    assert watches.check({"input_power": 99.0}) is None
    assert watches.check({"input_power": 101.0}) is None
    tripped = watches.check({"input_power": 102.0})
    assert tripped is not None
    assert tripped.value == 102.0


def test_a_watch_that_cannot_read_is_a_trip() -> None:
    watches = Watches()
    watches.add(Watch("input_power", None, 100.0, "test", count=2))
    watches.check({})
    tripped = watches.check({"output_voltage": 24.0})
    assert tripped is not None
    assert tripped.value is None


def test_the_rehearsal_walks_the_default_grid(unit: Unit, rig: Rig) -> None:
    found = rehearse(unit, rig, NAMED["static-grid"])
    assert [s.title for s in found.stages] == ["Safety gate", "Warm-up", "Grid", "Grid"]
    assert [p.at.load_percent for p in found.points] == [100.0, 75.0, 50.0, 25.0, 10.0, 0.0] * 2
    assert [p.number for p in found.points] == list(range(1, 13))
    assert found.least_s < found.likely_s < found.most_s
    assert found.likely_s == pytest.approx(sum(s.seconds for s in found.stages))
    assert found.gates == 1
    assert found.typed == 0
    assert 30 * 60 < found.likely_s < 60 * 60
    assert found.stages[0].energised == "nothing"
    assert found.stages[1].energised == "input and load"


def test_energy_is_about_full_load_for_the_warm_up(unit: Unit, rig: Rig) -> None:
    found = rehearse(unit, rig, NAMED["static-grid"])
    full = expected(unit.nameplate, 115.0, {"": 2.5}, 23.0)["input_power"].value
    assert found.energy_Wh == pytest.approx(full * 0.62, rel=0.2)


def test_readings_by_hand_are_counted_and_cost_time(unit: Unit, rig: Rig) -> None:
    by_hand = tuple(replace(i, how="by hand") if i.role == "thermometer" else i for i in rig.instruments)
    found = rehearse(unit, replace(rig, instruments=by_hand), NAMED["static-grid"])
    assert found.typed == 2
    assert [p.number for p in found.points if p.typed] == [1, 7]
    assert found.likely_s > rehearse(unit, rig, NAMED["static-grid"]).likely_s
    assert any(w.quantity == "case_temperature" for w in found.watches), "what is typed is watched too"


@pytest.mark.parametrize(
    ("options", "reason"),
    [
        (GridOptions(lines=(Line(264.0, 50.0),)), "264 V"),
        (GridOptions(lines=(Line(115.0, 400.0),)), "400 Hz"),
        (GridOptions(loads_percent=(120.0,)), "3 A"),
    ],
)
def test_a_plan_beyond_a_rating_is_refused_before_power(
    unit: Unit, rig: Rig, options: GridOptions, reason: str
) -> None:
    with pytest.raises(LimitError, match=reason):
        rehearse(unit, rig, Plan("x", (options,)))


@pytest.mark.parametrize(("operator", "ambient", "key"), [(" ", 23.0, "operator"), ("A", 500.0, "ambient")])
def test_a_run_needs_an_operator_and_a_room(operator: str, ambient: float, key: str) -> None:
    with pytest.raises(InputError) as refused:
        check_start(Start(operator, ambient))
    assert refused.value.key == key
