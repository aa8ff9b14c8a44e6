"""Figures checked against something outside the project. Each names its source."""

import math
from dataclasses import replace
from importlib.resources import files
from pathlib import Path

import numpy as np
import pytest
from scipy.stats import norm

from zincsmith.analysis.conformity import conformance_probability
from zincsmith.analysis.efficiency import efficiency
from zincsmith.analysis.leads import pair_resistance
from zincsmith.analysis.regulation import load_regulation, output_resistance
from zincsmith.analysis.uncertainty import Column, Part, covariance, propagate
from zincsmith.judge.claims import claims_of
from zincsmith.model.claim import RuleChoice
from zincsmith.model.errors import InputError
from zincsmith.model.unit import Unit
from zincsmith.rules.harmonics import Draw, load_harmonics
from zincsmith.rules.loader import load, names


def test_gum_h2_resistance_reactance_impedance() -> None:
    """JCGM 100:2008, H.2: five simultaneous observations of V, I and phi (data and results from memory)."""
    volts = np.array([5.007, 4.994, 5.005, 4.990, 4.999])
    amps = np.array([19.663, 19.639, 19.640, 19.685, 19.678]) * 1e-3
    phase = np.array([1.0456, 1.0438, 1.0468, 1.0428, 1.0433])
    factor = np.linalg.cholesky(np.cov([volts, amps, phase]) / 5.0)
    columns = {}
    for row, (name, data) in enumerate((("v", volts), ("i", amps), ("phi", phase))):
        parts = tuple(Part(f"cause {k}", np.array([factor[row, k]]), True) for k in range(3))
        columns[name] = Column(np.array([data.mean()]), parts)
    r = propagate(lambda x: float(x["v"][0] / x["i"][0] * math.cos(x["phi"][0])), columns)
    x = propagate(lambda x: float(x["v"][0] / x["i"][0] * math.sin(x["phi"][0])), columns)
    z = propagate(lambda x: float(x["v"][0] / x["i"][0]), columns)
    for found, value, u in ((r, 127.732, 0.071), (x, 219.847, 0.295), (z, 254.260, 0.236)):
        assert found.value == pytest.approx(value, abs=6e-4)
        assert found.u == pytest.approx(u, abs=6e-4)
    for a, b, correlation in ((r, x, -0.588), (r, z, -0.485), (x, z, 0.993)):
        assert covariance(a, b) / (a.u * b.u) == pytest.approx(correlation, abs=6e-4)


def test_gum_h1_end_gauge() -> None:
    """JCGM 100:2008, H.1: an end gauge against a standard of 50 mm; contributions in nm with their degrees of freedom,
    combined 32 nm, 16 effective degrees of freedom (data and results from memory)."""
    length = 50.000623e6  # nm
    parts = {
        "standard": (25.0, 18.0),
        "repeats": (5.8, 24.0),
        "comparator, random": (3.9, 5.0),
        "comparator, systematic": (6.7, 8.0),
        "difference of expansion": (length * 0.1 * 0.58e-6, 50.0),
        "difference of temperature": (length * 11.5e-6 * 0.029, 2.0),
    }
    columns = {n: Column(np.array([0.0]), (Part(n, np.array([u]), False, dof),)) for n, (u, dof) in parts.items()}
    found = propagate(lambda v: length + 215.0 + sum(float(v[n][0]) for n in parts), columns)
    assert found.u == pytest.approx(32.0, abs=0.5)
    assert found.dof is not None
    assert math.floor(found.dof) == 16
    assert found.k == pytest.approx(2.17, abs=0.01), "Student's t for 95.45 % at 16"


def test_gum_g41_effective_degrees_of_freedom() -> None:
    """JCGM 100:2008, G.4.1: 0.25, 0.57 and 0.82 % with 9, 4 and 14 -> 1.03 %, 19 (from memory)."""
    parts = tuple(
        Part(name, np.array([u]), False, dof)
        for name, u, dof in (("a", 0.25, 9.0), ("b", 0.57, 4.0), ("c", 0.82, 14.0))
    )
    found = propagate(lambda x: float(x["x"][0]), {"x": Column(np.array([100.0]), parts)})
    assert found.u == pytest.approx(1.03, abs=5e-3)
    assert found.dof == pytest.approx(19.0, abs=0.1)
    assert found.u * found.k == pytest.approx(2.2, abs=0.06)


def test_jcgm_106_reference_diode() -> None:
    """JCGM 106:2012, example of a Zener diode: -5.47 V, u 0.05, upper limit -5.40 -> 0.919 (from memory)."""
    assert conformance_probability(-5.47, 0.05, None, -5.40) == pytest.approx(0.919, abs=5e-4)


def test_conformance_probability_agrees_with_scipy() -> None:
    assert conformance_probability(1.0, 0.3, 0.5, 1.2) == pytest.approx(
        norm.cdf((1.2 - 1.0) / 0.3) - norm.cdf((0.5 - 1.0) / 0.3), rel=1e-12
    )


@pytest.mark.parametrize(
    ("volts_out", "amps_out", "watts_in", "percent", "digits"),
    [
        # Trade notes, section 3: common practice, no source. DC inputs: the mean of v x i is volts x amps.
        (12.3, 1.0, 30.0 * 0.458, 89.5, 0.05),
        (1.0, 24.6, 24.0 * 1.17, 87.6, 0.05),
        (8.86, 0.7, 8.0, 77.5, 0.05),
        (1.0, 60.0, 97.7, 61.0, 0.5),
    ],
)
def test_efficiencies_of_the_trade(
    volts_out: float, amps_out: float, watts_in: float, percent: float, digits: float
) -> None:
    assert 100.0 * efficiency(watts_in, volts_out, amps_out) == pytest.approx(percent, abs=digits)


def test_regulation_facts_of_the_trade() -> None:
    """Trade notes, section 3: common practice, no source. A rise with load is negative and keeps its sign."""
    assert 100.0 * load_regulation(12.00, 12.30, 12.0) == pytest.approx(-2.5)
    assert 1000.0 * output_resistance(np.array([5.01, 4.96]), np.array([0.0, 3.27])) == pytest.approx(15.3, abs=0.05)


@pytest.mark.parametrize(
    ("supply_class", "power", "efficiency_percent", "no_load"),
    [
        # US DOE 10 CFR 430.32(w), Level VI, both sides of every boundary; values from memory, worked by hand.
        ("ac-dc basic", 1.0, 66.0, 0.100),
        ("ac-dc basic", 1.0001, 66.86, 0.100),
        ("ac-dc basic", 12.0, 82.963, 0.100),
        ("ac-dc basic", 49.0, 87.772, 0.100),
        ("ac-dc basic", 49.01, 88.0, 0.210),
        ("ac-dc basic", 60.0, 88.0, 0.210),
        ("ac-dc basic", 250.0, 88.0, 0.210),
        ("ac-dc basic", 250.1, 87.5, 0.500),
        ("ac-dc low voltage", 1.0, 60.4, 0.100),
        ("ac-dc low voltage", 1.0001, 60.76, 0.100),
        ("ac-dc low voltage", 10.0, 78.703, 0.100),
        ("ac-dc low voltage", 49.0, 86.498, 0.100),
        ("ac-dc low voltage", 49.01, 87.0, 0.210),
        ("ac-dc low voltage", 250.0, 87.0, 0.210),
        ("ac-dc low voltage", 250.1, 87.5, 0.500),
        ("ac-ac basic", 1.0, 66.0, 0.210),
        ("ac-ac basic", 1.0001, 66.86, 0.210),
        ("ac-ac basic", 10.0, 81.948, 0.210),
        ("ac-ac basic", 49.0, 87.772, 0.210),
        ("ac-ac basic", 49.01, 88.0, 0.210),
        ("ac-ac basic", 250.0, 88.0, 0.210),
        ("ac-ac basic", 250.1, 87.5, 0.500),
        ("ac-ac low voltage", 1.0, 60.4, 0.210),
        ("ac-ac low voltage", 1.0001, 60.76, 0.210),
        ("ac-ac low voltage", 49.0, 86.498, 0.210),
        ("ac-ac low voltage", 49.01, 87.0, 0.210),
        ("ac-ac low voltage", 250.0, 87.0, 0.210),
        ("ac-ac low voltage", 250.1, 87.5, 0.500),
        ("multiple voltage", 1.0, 56.4, 0.300),
        ("multiple voltage", 1.0001, 56.1, 0.300),
        ("multiple voltage", 20.0, 78.568, 0.300),
        ("multiple voltage", 49.0, 85.289, 0.300),
        ("multiple voltage", 49.01, 86.0, 0.300),
        ("multiple voltage", 250.1, 86.0, 0.300),
    ],
)
def test_level_vi_limits(supply_class: str, power: float, efficiency_percent: float, no_load: float) -> None:
    rules = load("us-doe-level-vi")
    assert 100.0 * rules.efficiency_limit(supply_class, power) == pytest.approx(efficiency_percent, abs=6e-3)
    assert rules.no_load_limit_W(supply_class, power) == no_load


@pytest.mark.parametrize(
    ("name", "supply_class", "power", "efficiency_percent", "tenth_percent", "no_load"),
    [
        # Commission Regulation (EU) 2019/1782, both sides of every boundary; values from memory, worked by hand.
        ("eu-2019-1782", "ac-dc basic", 1.0, 66.0, None, 0.10),
        ("eu-2019-1782", "ac-dc basic", 49.0, 87.772, None, 0.10),
        ("eu-2019-1782", "ac-dc basic", 49.01, 88.0, None, 0.21),
        ("eu-2019-1782", "ac-dc low voltage", 49.01, 87.0, None, 0.21),
        ("eu-2019-1782", "ac-dc low voltage", 10.0, 78.703, None, 0.10),
        ("eu-2019-1782", "ac-ac basic", 10.0, 81.948, None, 0.21),
        ("eu-2019-1782", "ac-ac low voltage", 49.01, 87.0, None, 0.21),
        ("eu-2019-1782", "ac-ac low voltage", 49.0, 86.498, None, 0.10),
        # Tier 1: 0.0626 ln P + 0.646, 10 %: 0.0626 ln P + 0.546; low voltage 0.0755 ln P + 0.586, 0.072 ln P + 0.500.
        ("eu-coc-tier-1", "ac-dc basic", 10.0, 79.0142, 69.0142, 0.150),
        ("eu-coc-tier-1", "ac-dc basic", 60.0, 89.0, 79.0, 0.250),
        ("eu-coc-tier-1", "ac-dc low voltage", 10.0, 75.9845, 66.5786, 0.150),
        ("eu-2019-1782", "multiple voltage", 49.0, 85.289, None, 0.30),
        ("eu-2019-1782", "multiple voltage", 250.0, 86.0, None, 0.30),
        # EU Code of Conduct version 5, tier 2; values from memory, worked by hand.
        ("eu-coc-tier-2", "ac-dc basic", 1.0, 66.9, 56.0, 0.075),
        ("eu-coc-tier-2", "ac-dc basic", 1.0001, 66.886, 56.886, 0.075),
        ("eu-coc-tier-2", "ac-dc basic", 12.0, 83.263, 73.263, 0.075),
        ("eu-coc-tier-2", "ac-dc basic", 49.0, 88.997, 78.997, 0.075),
        ("eu-coc-tier-2", "ac-dc basic", 49.01, 89.0, 79.0, 0.150),
        ("eu-coc-tier-2", "ac-dc low voltage", 1.0, 60.8, 51.7, 0.075),
        ("eu-coc-tier-2", "ac-dc low voltage", 10.0, 79.003, 69.733, 0.075),
        ("eu-coc-tier-2", "ac-dc low voltage", 49.01, 88.0, 78.0, 0.150),
    ],
)
def test_european_limits(
    name: str, supply_class: str, power: float, efficiency_percent: float, tenth_percent: float | None, no_load: float
) -> None:
    rules = load(name)
    assert 100.0 * rules.efficiency_limit(supply_class, power) == pytest.approx(efficiency_percent, abs=6e-3)
    tenth = rules.ten_percent_limit(supply_class, power)
    assert (None if tenth is None else 100.0 * tenth) == pytest.approx(tenth_percent, abs=6e-3)
    assert rules.no_load_limit_W(supply_class, power) == no_load
    assert not rules.covers(250.1)
    assert rules.covers(0.2) is (name == "eu-2019-1782")


def test_a_rule_set_of_ones_own_is_found_judged_and_refused_when_wrong(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, unit: Unit
) -> None:
    shipped = (files("zincsmith.rules") / "data" / "us-doe-level-vi.toml").read_text("utf-8")
    mine = shipped.replace('short = "Level VI"', 'short = "House rule"').replace("constant = 0.88 ", "constant = 0.91 ")
    monkeypatch.setenv("ZINCSMITH_RULES", str(tmp_path))
    (tmp_path / "house.toml").write_text(mine)
    assert "house" in names()
    assert load("house").own
    assert load("house").digest != load("us-doe-level-vi").digest
    held = replace(
        unit.nameplate, rules=(RuleChoice("house", "ac-dc basic"), RuleChoice("eu-coc-tier-2", "ac-dc basic"))
    )
    texts = [c.text for c in claims_of(held) if c.published]
    assert "≥ 91 % (House rule, ac-dc basic)" in texts
    assert "≥ 79 % (CoC tier 2, ac-dc basic)" in texts, "the efficiency at 10 % is a claim of its own"
    for wrong, why in (
        (mine.replace("{ constant = 0.875 },\n]", "]", 1), "the last band ends at 250 W"),
        (mine.replace("constant = 0.16", 'constant = "much"', 1), "efficiency.0.constant"),
        ("title = ", "Invalid"),
    ):
        (tmp_path / "house.toml").write_text(wrong)
        with pytest.raises(InputError, match=why):
            load("house")


def test_limits_for_harmonics_of_ones_own_stand_in_the_place_of_the_shipped(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    shipped = (files("zincsmith.rules") / "limits" / "iec-61000-3-2.toml").read_text("utf-8")
    before = load_harmonics()
    assert before.limits_A("A", Draw(100.0))[3] == 2.30, "class A, third order; value from memory"
    monkeypatch.setenv("ZINCSMITH_RULES", str(tmp_path))
    mine = tmp_path / "iec-61000-3-2.toml"
    mine.write_text(shipped.replace("amps = 2.30", "amps = 2.00"))
    assert load_harmonics().limits_A("A", Draw(100.0))[3] == 2.00
    assert load_harmonics().digest != before.digest
    assert "iec-61000-3-2" not in names(), "no rule set for efficiency"
    for wrong, why in (
        (shipped.replace("amps = 2.30", 'amps = "much"'), "valid number"),
        (shipped.replace("class.D", "class.E"), "no class D"),
        (shipped.replace('not_above = "A"', 'not_above = "Z"'), "no class Z"),
        ("title = ", "Invalid"),
    ):
        mine.write_text(wrong)
        with pytest.raises(InputError, match=why):
            load_harmonics()


def test_copper_pair() -> None:
    """14 AWG (ASTM B258: 1.628 mm), IACS copper: about 8.3 mohm per metre of one lead; common practice, no source."""
    area = math.pi / 4.0 * (0.127 * 92.0 ** ((36 - 14) / 39.0)) ** 2
    assert 1000.0 * pair_resistance(1.0, area) / 2.0 == pytest.approx(8.3, abs=0.05)
