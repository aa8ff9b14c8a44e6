"""The grid as a lab instruction, and its figures from points whose figures are known."""

import re
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from zincsmith.formats.words import value_words
from zincsmith.model.actions import (
    Action,
    Confirm,
    Done,
    Dwell,
    Measure,
    Measured,
    Outcome,
    SetLoad,
    SetSource,
    Settled,
    Watch,
)
from zincsmith.model.finding import Finding
from zincsmith.model.operating_point import operating_point
from zincsmith.model.plan import Line
from zincsmith.model.quantities import QUANTITIES
from zincsmith.model.reading import Evidence, Point, Reading
from zincsmith.model.unit import Unit
from zincsmith.procedures.base import Context, Conventions
from zincsmith.procedures.catalogue import procedure
from zincsmith.procedures.static_grid.figures import figures
from zincsmith.procedures.static_grid.options import GridOptions
from zincsmith.procedures.static_grid.steps import StaticGrid

ALL = frozenset(QUANTITIES)


def walk(unit: Unit, options: GridOptions, polled: frozenset[str] = ALL) -> list[Action]:
    """All actions, answered as an obedient bench would."""
    steps = StaticGrid().steps(Context(unit, options, polled, ALL))
    answer: Outcome | None = None
    actions: list[Action] = []
    while True:
        try:
            action = steps.send(answer) if answer is not None else next(steps)
        except StopIteration:
            return actions
        actions.append(action)
        match action:
            case Dwell():
                answer = Settled(True, action.seconds)
            case Measure():
                answer = Measured(Point(1, action.at, (), 0.0))
            case _:
                answer = Done()


def test_the_gate_comes_before_anything_is_switched(unit: Unit) -> None:
    actions = walk(unit, GridOptions())
    gate = next(k for k, a in enumerate(actions) if isinstance(a, Confirm))
    switched = [k for k, a in enumerate(actions) if isinstance(a, SetSource | SetLoad)]
    above = [k for k, a in enumerate(actions) if isinstance(a, Watch) and a.high is not None]
    below = [k for k, a in enumerate(actions) if isinstance(a, Watch) and a.low is not None]
    assert gate < min(above) <= max(above) < min(switched)
    assert min(below) > min(switched), "an output is only missed once it was there"
    gate_words = " ".join(next(a for a in actions if isinstance(a, Confirm)).cautions)
    assert "Mains can kill" in gate_words
    assert "licensed practice" in gate_words


def test_the_line_only_changes_without_load(unit: Unit) -> None:
    load_on = False
    for action in walk(unit, GridOptions()):
        if isinstance(action, SetLoad):
            load_on = action.on
        elif isinstance(action, SetSource):
            assert not load_on


@settings(max_examples=40, deadline=None)
@given(
    st.lists(st.floats(0.0, 110.0).map(lambda x: round(x, 1)), min_size=1, max_size=8, unique=True),
    st.lists(st.sampled_from([(100.0, 50.0), (115.0, 60.0), (230.0, 50.0)]), min_size=1, max_size=3, unique=True),
)
def test_every_point_is_measured_once_at_its_own_load(
    unit: Unit, loads: list[float], lines: list[tuple[float, float]]
) -> None:
    options = GridOptions(lines=tuple(Line(*x) for x in lines), loads_percent=tuple(loads))
    actions = walk(unit, options)
    measured = []
    amps, on, volts = 0.0, False, 0.0
    for action in actions:
        if isinstance(action, SetLoad):
            amps, on = action.current_A, action.on
            assert 0.0 <= amps <= 1.1 * unit.nameplate.output.current_A + 1e-9
        elif isinstance(action, SetSource):
            volts = action.voltage_V
        elif isinstance(action, Measure):
            c = action.at.conditions
            measured.append((c["input_voltage_V"], c["load_percent"]))
            assert volts == c["input_voltage_V"]
            assert amps == pytest.approx(c["load_percent"] / 100.0 * 2.5)
            assert on is (c["load_percent"] > 0.0)
    assert measured == [(v, load) for v, _ in lines for load in loads]


def test_a_thermometer_by_hand_is_only_read_where_asked(unit: Unit) -> None:
    by_hand = walk(unit, GridOptions(), ALL - {"case_temperature"})
    asked = [a.at.load_percent for a in by_hand if isinstance(a, Measure) and "case_temperature" in a.quantities]
    assert asked == [100.0, 100.0]
    polled = [a for a in walk(unit, GridOptions()) if isinstance(a, Measure)]
    assert all("case_temperature" in a.quantities for a in polled)


# Figures


def reading(number: int, quantity: str, value: float, **more: object) -> Reading:
    info = QUANTITIES[quantity]
    ranges = {"input_power": 75.0, "input_voltage": 300.0, "input_current": 2.0, "output_voltage": 60.0}
    stated = {"range": ranges.get(quantity, 5.0), "reading_percent": 0.1, "known": True, **more}
    return Reading(f"1/{number}/{quantity}", quantity, value, info.unit, info.role, info.role, "simulated", **stated)


def point(number: int, volts_in: float, load: float, volts: float, pin: float, **more: float) -> Point:
    amps = load / 100.0 * 2.5
    iin = pin / (0.55 * volts_in)
    values = {
        "input_voltage": volts_in,
        "input_current": iin,
        "input_power": pin,
        "output_voltage": volts,
        "output_current": amps,
        **more,
    }
    hertz = 60.0 if volts_in < 150 else 50.0
    conditions = {"input_voltage_V": round(volts_in / 5.0) * 5.0, "frequency_Hz": hertz, "load_percent": load}
    return Point(
        number, operating_point(conditions), tuple(reading(number, q, v) for q, v in values.items()), 0.0, True
    )


GRID = (
    point(1, 115.0, 100.0, 23.90, 68.0),
    point(2, 115.0, 75.0, 23.93, 50.8),
    point(3, 115.0, 50.0, 23.96, 33.9),
    point(4, 115.0, 25.0, 23.99, 17.1),
    point(5, 115.0, 10.0, 24.01, 7.2),
    point(6, 115.0, 0.0, 24.02, 0.15),
    point(7, 230.0, 100.0, 23.98, 66.5),
    point(8, 230.0, 0.0, 24.05, 0.2),
)


def found(evidence: Evidence, unit: Unit, **conventions: str) -> dict[str, list[Finding]]:
    out: dict[str, list[Finding]] = {}
    for one in figures(evidence, unit.nameplate, Conventions(**conventions)):
        out.setdefault(one.name, []).append(one)
    return out


def test_figures_worked_by_hand(unit: Unit) -> None:
    by_name = found(Evidence(GRID, True), unit)
    low, high = by_name["output_voltage_min"][0], by_name["output_voltage_max"][0]
    assert (low.value, high.value) == (23.90, 24.05)
    assert low.at.load_percent == 100.0
    load = by_name["load_regulation"]
    assert [f.value for f in load] == [pytest.approx(0.12 / 24.0), pytest.approx(0.07 / 24.0)]
    assert by_name["line_regulation"][0].value == pytest.approx(0.08 / 24.0)
    by_hand = (23.90 * 2.5 / 68.0 + 23.93 * 1.875 / 50.8 + 23.96 * 1.25 / 33.9 + 23.99 * 0.625 / 17.1) / 4.0
    average = by_name["average_active_efficiency"]
    assert [f.value for f in average] == [pytest.approx(by_hand)], "230 V has not all four loads: not made up"
    assert average[0].at.conditions == {"input_voltage_V": 115.0, "frequency_Hz": 60.0}
    assert by_name["power_factor"][0].value == pytest.approx(0.55)
    assert by_name["output_resistance"][0].value == pytest.approx(0.048, abs=0.001)
    assert len(by_name["output_resistance"]) == 1, "two loads make no slope worth stating"
    assert "case_temperature" not in by_name


@pytest.mark.parametrize(("over", "denominator"), [("Vnom", 24.0), ("Vfl", 23.90), ("Vnl", 24.02)])
def test_the_denominator_is_a_convention_that_is_printed(unit: Unit, over: str, denominator: float) -> None:
    one = found(Evidence(GRID[:6], True), unit, regulation_over=over)["load_regulation"][0]
    assert one.value == pytest.approx(0.12 / denominator)
    assert over in one.working.formula
    assert over in one.working.note


def test_line_regulation_is_signed_between_the_ends_with_span_and_slope_beside_it(unit: Unit) -> None:
    """Slope against numpy.polyfit; the one-sided end and the bias against a Monte Carlo of its own."""
    rows = ((100.0, 24.00), (115.0, 24.05), (230.0, 23.97), (240.0, 23.98))
    points = tuple(point(n, line, 100.0, volts, 68.0) for n, (line, volts) in enumerate(rows, 1))
    by_name = found(Evidence(points, True), unit)
    ends, span, slope = (by_name[n][0] for n in ("line_regulation", "line_span", "line_slope"))
    assert ends.value == pytest.approx((23.98 - 24.00) / 24.0), "it falls as the line rises"
    assert span.value == pytest.approx((24.05 - 23.97) / 24.0)
    fit = np.polyfit([line for line, _ in rows], [volts for _, volts in rows], 1)
    assert slope.value == pytest.approx(1000.0 * fit[0])
    assert slope.unit == "mV/V"
    dice = np.random.default_rng(5)
    volts = np.array([v for _, v in rows])
    errors = dice.uniform(-1.0, 1.0, (40_000, 4)) * 0.001 * volts
    upper = float(np.quantile((volts + errors)[:, 1] - (volts + errors)[:, 2], 0.9545)) / 24.0
    bias = float(np.mean(np.ptp(volts + errors, axis=1))) / 24.0 - span.value
    said = re.findall(r"at most ([\d.]+) %; picking the extremes adds ([\d.]+) %", span.working.note)
    assert float(said[0][0]) == pytest.approx(100.0 * upper, rel=0.02)
    assert float(said[0][1]) == pytest.approx(100.0 * bias, abs=4.0 * 8e-4), "four standard errors"


def test_a_limit_alone_may_err_apart_in_a_regulation_unless_the_linearity_is_stated(unit: Unit) -> None:
    by_name = found(Evidence(GRID, True), unit)
    load = by_name["load_regulation"][0]
    gain = 0.001 / 3**0.5
    assert load.u is not None
    assert load.u == pytest.approx(2**0.5 * gain * 23.95 / 24.0, rel=0.01)
    stated = tuple(replace(p, readings=tuple(replace(r, nonlinearity_percent=1e-6) for r in p.readings)) for p in GRID)
    known = found(Evidence(stated, True), unit)["load_regulation"][0]
    assert known.u == pytest.approx(gain * load.value, rel=0.05), "a gain hardly touches it"
    low = by_name["output_voltage_min"][0]
    assert low.u == pytest.approx(gain * 23.9, rel=1e-6)


def test_every_row_of_a_working_leads_to_its_readings(unit: Unit) -> None:
    known = {r.id for p in GRID for r in p.readings}
    for one in figures(Evidence(GRID, True), unit.nameplate, Conventions()):
        assert one.working.rows
        assert {i for row in one.working.rows for i in row["readings"]} <= known
        for contribution in one.contributions:
            assert contribution.shared or contribution.source.rsplit(" ", 2)[0] in known


def test_no_points_no_figures(unit: Unit) -> None:
    assert figures(Evidence((), False), unit.nameplate, Conventions()) == []
    unread = replace(GRID[0], readings=tuple(replace(r, value=None) for r in GRID[0].readings))
    assert figures(Evidence((unread,), False), unit.nameplate, Conventions()) == []


# Doubts: each raised by its sign, and not without it


def doubts_of(points: tuple[Point, ...], unit: Unit, name: str) -> set[str]:
    return {d.code for f in found(Evidence(points, True), unit)[name] for d in f.doubts}


def test_a_clean_grid_raises_no_doubt(unit: Unit) -> None:
    clean = tuple(replace(p, readings=tuple(r for r in p.readings)) for p in GRID[:4])
    assert doubts_of(clean, unit, "average_active_efficiency") == set()


def test_source_out_of_tolerance(unit: Unit) -> None:
    off = replace(point(1, 113.4, 100.0, 23.9, 68.0), at=GRID[0].at)
    assert doubts_of((off, *GRID[1:4]), unit, "average_active_efficiency") == {"source_out_of_tolerance", "source_sags"}


def test_below_the_floor_of_its_range(unit: Unit) -> None:
    assert doubts_of((point(1, 115.0, 5.0, 24.0, 3.5),), unit, "efficiency") == {"below_range_floor"}
    assert doubts_of((point(1, 115.0, 5.0, 24.0, 3.8),), unit, "efficiency") == set()


def test_an_efficiency_nobody_can_reach(unit: Unit) -> None:
    assert doubts_of((point(1, 115.0, 100.0, 24.0, 61.0),), unit, "efficiency") == {"efficiency_implausible"}
    assert doubts_of((point(1, 115.0, 100.0, 24.0, 63.0),), unit, "efficiency") == set()


def test_not_settled(unit: Unit) -> None:
    drifting = replace(GRID[0], settled=False)
    assert doubts_of((drifting,), unit, "efficiency") == {"not_settled"}


def test_an_unknown_accuracy_leaves_the_uncertainty_open(unit: Unit) -> None:
    bare = replace(
        GRID[0],
        readings=tuple(
            replace(r, known=False, range=None, reading_percent=0.0) if r.quantity == "output_voltage" else r
            for r in GRID[0].readings
        ),
    )
    one = found(Evidence((bare,), True), unit)["output_voltage_min"][0]
    assert (one.u, one.k) == (None, None)
    assert {d.code for d in one.doubts} == {"accuracy_unknown"}


def test_an_unknown_procedure_is_named() -> None:
    from zincsmith.model.errors import InputError

    with pytest.raises(InputError, match="static_grid"):
        procedure("telepathy")


# Doubts of steady state, each raised and not raised


def codes(points: tuple[Point, ...], unit: Unit, *names: str) -> set[str]:
    found = figures(Evidence(points, True), unit.nameplate, Conventions())
    return {d.code for f in found if not names or f.name in names for d in f.doubts}


def changed(points: tuple[Point, ...], number: int, quantity: str, **more: object) -> tuple[Point, ...]:
    """The points with one reading of one of them otherwise; number 0 is every point."""

    def one(p: Point) -> Point:
        if number not in (0, p.number):
            return p
        return replace(p, readings=tuple(replace(r, **more) if r.quantity == quantity else r for r in p.readings))

    return tuple(one(p) for p in points)


SMOOTH = tuple(
    point(n, 115.0, load, 24.0, 24.0 * 2.5 * load / 100.0 + 0.8 + 0.02 * load + 0.0003 * load**2, power_factor=0.55)
    for n, load in enumerate((100.0, 75.0, 60.0, 50.0, 25.0, 10.0, 5.0, 0.0), 1)
)


@pytest.mark.parametrize(
    ("code", "number", "quantity", "more"),
    [
        ("curve_not_smooth", 4, "input_power", {"value": 33.5}),
        ("source_sags", 1, "input_voltage", {"value": 114.0}),
        ("power_negative", 3, "input_power", {"value": -38.0}),
        ("power_factor_above_one", 3, "power_factor", {"value": 1.07}),
        ("apparent_as_real", 2, "input_power", {"value": 89.07}),
        ("figures_contradict", 2, "input_current", {"value": 0.0008}),
        ("source_out_of_tolerance", 2, "input_voltage", {"value": 112.0}),
        ("below_range_floor", 5, "input_power", {"range": 750.0}),
        ("efficiency_implausible", 4, "input_power", {"value": 30.2}),
        ("accuracy_unknown", 2, "input_power", {"known": False}),
        ("load_not_reached", 2, "output_current", {"value": 1.2}),
    ],
)
def test_a_doubt_is_raised_by_its_cause_and_not_without(
    unit: Unit, code: str, number: int, quantity: str, more: dict[str, object]
) -> None:
    told = tuple(replace(p, at=p.at.with_draw(level=p.at.load_percent / 40.0)) for p in SMOOTH)
    assert code not in codes(told, unit, "efficiency", "average_active_efficiency", "power_factor")
    raised = codes(changed(told, number, quantity, **more), unit)
    assert code in raised


def test_a_difference_of_few_counts_or_of_two_ranges_is_doubted(unit: Unit) -> None:
    assert not codes(GRID, unit, "load_regulation", "line_regulation") & {"few_counts", "range_changed"}
    coarse = changed(GRID, 0, "output_voltage", resolution=0.03)
    assert "few_counts" in codes(coarse, unit, "load_regulation")
    assert "few_counts" not in codes(changed(GRID, 0, "output_voltage", resolution=0.005), unit, "load_regulation")
    assert "range_changed" in codes(changed(GRID, 6, "output_voltage", range=30.0), unit, "load_regulation")


def test_noise_on_a_curve_is_no_odd_point(unit: Unit) -> None:
    """Within what instrument and repeats explain no point is called odd; a mode change is named, not smoothed over."""
    noisy = changed(SMOOTH, 4, "input_power", value=SMOOTH[3].readings[2].value * 1.001)  # type: ignore[operator]
    assert "curve_not_smooth" not in codes(noisy, unit, "efficiency")


def test_no_change_seen_is_a_bound_and_no_nought(unit: Unit) -> None:
    """Two readings within one count: the figure is below its one-sided bound, 1.645 u of a difference (JCGM 106)."""
    same = changed(changed(SMOOTH, 0, "output_voltage", value=24.0), 0, "output_voltage", resolution=0.01)
    one = found(Evidence(same, True), unit)["load_regulation"][0]
    assert one.value == 0.0
    assert one.u is not None
    assert one.below == pytest.approx(1.645 * one.u, rel=1e-3)
    assert value_words(one)[0].startswith("< ")
    moved = changed(same, 1, "output_voltage", value=23.9)
    assert found(Evidence(moved, True), unit)["load_regulation"][0].below is None


def test_drift_is_told_from_resistance_where_a_load_is_taken_again(unit: Unit) -> None:
    """20 mohm and a drift of 3 mV/min, closed form: in the order of the loads they are one figure, and it says so."""
    loads = (100.0, 75.0, 50.0, 25.0, 10.0, 0.0)

    def at(n: int, load: float, more: dict[str, float]) -> Point:
        amps, minutes = 2.5 * load / 100.0, 1.0 * n
        one = point(n, 115.0, load, 24.0 - 0.020 * amps - 0.003 * minutes, 24.0 * amps * 1.1 + 1.0)
        return replace(one, bench_s=60.0 * minutes, at=operating_point({**one.at.conditions, **more}))

    plain = tuple(at(n, load, {}) for n, load in enumerate(loads, 1))
    one = found(Evidence(plain, True), unit)["output_resistance"][0]
    assert "drift_or_resistance" in {d.code for d in one.doubts}
    assert one.value is not None
    assert abs(one.value - 0.020) > 0.005, "the drift looks like resistance"
    told = found(Evidence((*plain, at(7, 100.0, {"again": 1.0})), True), unit)
    apart = told["output_resistance"][0]
    assert apart.value == pytest.approx(0.020, rel=1e-9)
    assert "-3 mV/min" in apart.working.note
    assert "drift_or_resistance" not in {d.code for d in apart.doubts}
    assert len([f for f in told["efficiency"] if f.at.load_percent == 100.0]) == 1


def test_one_end_that_makes_the_slope_is_doubted(unit: Unit) -> None:
    loads = (110.0, 100.0, 75.0, 50.0, 25.0, 0.0)
    straight = [24.0 - 0.0005 * load for load in loads]
    for volts, doubted in ((straight, False), ([22.9, *straight[1:]], True)):
        points = tuple(
            point(n, 115.0, x, v, 24.0 * x / 36.0 + 1.0) for n, (x, v) in enumerate(zip(loads, volts, strict=True), 1)
        )
        codes_of = {d.code for d in found(Evidence(points, True), unit)["output_resistance"][0].doubts}
        assert ("one_end_makes_the_slope" in codes_of) is doubted


def test_watts_that_are_volts_times_amps_at_every_load_are_no_real_power(unit: Unit) -> None:
    def multiplied(p: Point) -> Point:
        volts, amps = ((r.value or 0.0) for q in ("input_voltage", "input_current") if (r := p.get(q)) is not None)
        rest = [r for r in p.readings if r.quantity != "power_factor"]
        return replace(
            p, readings=tuple(replace(r, value=volts * amps) if r.quantity == "input_power" else r for r in rest)
        )

    product = tuple(multiplied(p) for p in SMOOTH)
    assert "apparent_as_real" in codes(product, unit, "average_active_efficiency")
    assert "apparent_as_real" not in codes(SMOOTH, unit, "average_active_efficiency")
