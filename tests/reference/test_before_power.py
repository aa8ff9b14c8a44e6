"""Wire, capacitors and lead drops against published tables and sums worked by hand. Each names its source."""

import math

import pytest
from tests.conftest import ROOT

from zincsmith.analysis.leads import gauge_area, lead_resistance, pair_resistance
from zincsmith.analysis.parts import (
    CORRECTED_BULK_V,
    highest_input_V,
    highest_V,
    line_peak_V,
    stress_of,
    touch_current_A,
)
from zincsmith.formats.rig_file import read_rig
from zincsmith.model.intake import LookOver, Part
from zincsmith.model.label import Mode, Programmable
from zincsmith.model.rig import Lead
from zincsmith.model.unit import InputRating, Nameplate, OutputRating, Unit
from zincsmith.planning.composer import lines_for
from zincsmith.planning.limits import Limits
from zincsmith.suitability.meters import phase_error_share

MAINS = Nameplate((InputRating((100.0, 240.0), current_A=1.5),), (OutputRating(24.0, 2.5, 60.0),))


@pytest.mark.parametrize(
    ("awg", "diameter_mm", "area_mm2", "ohm_per_km"),
    [
        # ASTM B258 diameters; resistance of annealed copper (100 % IACS) at 20 degC. Handbook table, from memory.
        (-3, 11.684, 107.2, 0.1608),
        (10, 2.588, 5.261, 3.277),
        (12, 2.053, 3.309, 5.211),
        (14, 1.628, 2.081, 8.286),
        (18, 1.024, 0.823, 20.95),
        (22, 0.644, 0.326, 52.96),
        (24, 0.511, 0.205, 84.22),
        (30, 0.255, 0.0509, 338.6),
    ],
)
def test_wire_table(awg: int, diameter_mm: float, area_mm2: float, ohm_per_km: float) -> None:
    area = gauge_area(awg)
    assert 2.0 * math.sqrt(area / math.pi) == pytest.approx(diameter_mm, rel=2e-3)
    assert area == pytest.approx(area_mm2, rel=3e-3)
    assert 1000.0 * lead_resistance(Lead("unit load", 1.0, awg=awg)) / 2.0 == pytest.approx(ohm_per_km, rel=4e-3)


def test_copper_warms() -> None:
    """0.393 % per kelvin at 20 degC (IEC 60028; value from memory): 60 degC adds 15.7 %."""
    cold, warm = (lead_resistance(Lead("unit load", 1.0, 1.5, temperature_degC=t)) for t in (20.0, 60.0))
    assert warm / cold == pytest.approx(1.157, abs=5e-4)


def test_twenty_amperes_through_14_awg() -> None:
    """0.33 V and 6.6 W per metre of pair (common practice, no source)."""
    ohm = pair_resistance(1.0, gauge_area(14))
    assert 20.0 * ohm == pytest.approx(0.33, abs=5e-3)
    assert 20.0**2 * ohm == pytest.approx(6.6, abs=0.05)


@pytest.mark.parametrize(("line_V", "bulk_V"), [(115.0, 163.0), (230.0, 325.0), (264.0, 373.0)])
def test_bulk_capacitor_sits_at_the_line_peak(line_V: float, bulk_V: float) -> None:
    """Closed form, sqrt 2 times rms; the volts are common practice, no source (115 V is often said as 160 V)."""
    assert line_peak_V(line_V) == pytest.approx(bulk_V, abs=0.5)
    plate = Nameplate((InputRating((100.0, line_V)),), MAINS.outputs)
    assert stress_of(Part("C1", "bulk capacitor", rated_V=400.0), plate).sees == pytest.approx(bulk_V, abs=0.5)


def test_bulk_capacitor_behind_a_corrector_or_a_doubler() -> None:
    """380 to 400 V at any mains; half of twice the peak at the low position (common practice, no source)."""
    corrected = stress_of(Part("C1", "bulk capacitor", rated_V=400.0, behind_corrector=True), MAINS)
    assert (corrected.sees, corrected.verdict) == (CORRECTED_BULK_V, "doubtful")
    switch = Nameplate((InputRating((115.0, 230.0), selector_V=(115.0, 230.0)),), MAINS.outputs)
    doubled = stress_of(Part("C1", "bulk capacitor", rated_V=200.0, doubler=True), switch)
    assert doubled.sees == pytest.approx(math.sqrt(2.0) * 115.0)
    assert doubled.verdict == "fits"


def test_touch_current_of_y_capacitors() -> None:
    """I = 2 pi f C V: 2.2 nF at 240 V 60 Hz is 0.199 mA; at 230 V 50 Hz 0.159 mA; two of them twice. By hand."""
    one = Part("CY1", "Y capacitor", capacitance_F=2.2e-9)
    two = Part("CY", "Y capacitor", capacitance_F=2.2e-9, count=2)
    other = Part("CX1", "X capacitor", capacitance_F=1e-6)
    assert touch_current_A([one, other], 240.0, 60.0) == pytest.approx(0.199e-3, rel=2e-3)
    assert touch_current_A([one], 230.0, 50.0) == pytest.approx(0.159e-3, rel=2e-3)
    assert touch_current_A([two], 230.0, 50.0) == pytest.approx(2.0 * touch_current_A([one], 230.0, 50.0))
    assert touch_current_A([other], 230.0, 50.0) == 0.0


def test_phase_error_at_low_power_factor() -> None:
    """0.1 degree at a power factor of 0.033 is 5.3 % of the watts (common practice, no source)."""
    assert phase_error_share(0.1, 0.033) == pytest.approx(0.053, abs=5e-4)
    assert phase_error_share(0.1, 1.0) == 0.0


@pytest.mark.parametrize(
    ("part", "sees", "verdict"),
    [
        # Worked by hand on the ratings above.
        (Part("F1", "fuse", rated_A=2.0), 60.0 / 0.88 / (100.0 * 0.55), "fits"),
        (Part("F1", "fuse", rated_A=1.0), 60.0 / 0.88 / (100.0 * 0.55), "too small"),
        (Part("C5", "output capacitor", rated_V=35.0), 24.0, "fits"),
        (Part("C5", "output capacitor", rated_V=25.0), 24.0, "doubtful"),
        (Part("C5", "output capacitor", rated_V=16.0), 24.0, "too small"),
        (Part("CX", "X capacitor", rated_V=275.0), 240.0, "fits"),
        (Part("C5", "output capacitor", rated_V=35.0, state="bulging"), 24.0, "doubtful"),
    ],
)
def test_parts_against_what_they_see(part: Part, sees: float, verdict: str) -> None:
    found = stress_of(part, MAINS)
    assert found.sees == pytest.approx(sees, rel=0.15 if part.what == "fuse" else 1e-9)
    assert found.verdict == verdict


@pytest.mark.parametrize(
    ("part", "volts", "sees", "unit", "most_V"),
    [
        # Volt-second balance of ideal stages by hand, 12 V and 1 A from 9 to 36 V.
        (Part("Q1", "switch", rated_V=60.0, stage="step-down"), 12.0, 36.0, "V", 60.0),
        (Part("D1", "rectifier", rated_V=60.0, stage="inverting"), -12.0, 48.0, "V", 48.0),
        (Part("D1", "rectifier", rated_V=40.0, stage="inverting"), -12.0, 48.0, "V", 28.0),
        (Part("Q1", "switch", rated_V=30.0, stage="step-up"), 48.0, 48.0, "V", None),
        (Part("L1", "inductor", rated_A=3.0, stage="inverting"), -12.0, (9.0 + 12.0) / 9.0, "A", None),
        (Part("L1", "inductor", rated_A=3.0, stage="step-down"), 12.0, 1.0, "A", None),
        (Part("Q1", "switch", rated_V=100.0, rated_A=2.0, stage="inverting"), -12.0, 21.0 / 9.0, "A", 88.0),
    ],
)
def test_parts_of_a_stage_by_its_topology(
    part: Part, volts: float, sees: float, unit: str, most_V: float | None
) -> None:
    plate = Nameplate((InputRating((9.0, 36.0), (), type="dc"),), (OutputRating(volts, 1.0),))
    found = stress_of(part, plate)
    assert (found.sees, found.unit) == (pytest.approx(sees), unit)
    assert highest_input_V(part, plate) == (None if most_V is None else pytest.approx(most_V))


def test_the_ceiling_of_the_input_may_lie_below_that_of_its_capacitor() -> None:
    """An inverting stage whose rectifier is marked for 40 V gives 28 V of input at the most beside 12 V of output; the
    plan and the bench go no higher, and nobody has to know why."""
    parts = (Part("C1", "input capacitor", rated_V=50.0), Part("D1", "rectifier", rated_V=40.0, stage="inverting"))
    plate = Nameplate((InputRating((9.0, 36.0), (), type="dc"),), (OutputRating(-12.0, 1.0),))
    unit = Unit("HB-0", "Invented", "I-12", nameplate=plate, look=LookOver(parts=parts))
    rig = read_rig(ROOT / "examples" / "rigs" / "simulated-dc.toml")
    limits = Limits.of(unit, rig)
    assert (limits.source_V.value, limits.source_V.whose) == (28.0, "what D1 is marked for, less the output")
    assert max(line.voltage_V for line in lines_for(unit, rig)) == pytest.approx(0.9 * 28.0)


def test_an_output_capacitor_sees_the_highest_mode_with_its_tolerance() -> None:
    """20 V mode, programmable to 21 V, 5 % and half of 100 mV ripple: 22.1 V. By hand."""
    port = OutputRating(20.0, 3.25, tolerance_percent=5.0, ripple_V=0.1, modes=(Mode(5.0, 3.0), Mode(20.0, 3.25)),
                        programmable=(Programmable((3.3, 21.0), 3.0),))  # fmt: skip
    assert highest_V(port) == pytest.approx(22.1)


def test_a_part_nobody_can_work_out_says_so() -> None:
    found = stress_of(Part("Q1", "other", state="unidentified"), MAINS)
    assert (found.sees, found.share, found.verdict, found.how) == (None, None, "doubtful", "not worked out")
