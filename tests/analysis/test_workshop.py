"""The sums of the workshop: worked examples, closed forms, SciPy; what tolerances do; what is refused."""

from __future__ import annotations

import json
import math
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from subprocess import CompletedProcess

import numpy as np
import pytest
from scipy.integrate import solve_ivp
from tests.conftest import ROOT

from zincsmith.book.reader import BookReader
from zincsmith.formats.entry import parse_entry
from zincsmith.formats.feeding_file import read_feeding
from zincsmith.formats.unit_file import read_unit
from zincsmith.judge.claims import all_claims
from zincsmith.judge.judging import judge_run
from zincsmith.model.claim import StatedClaim
from zincsmith.model.errors import InputError
from zincsmith.showing.would_hold import FAILS, HOLDS, PARTS, costs, foreseen
from zincsmith.workshop.base import SETS, in_words, worked
from zincsmith.workshop.catalogue import names, sum_of
from zincsmith.workshop.drawing import HEIGHT, WIDTH, drawn
from zincsmith.workshop.taking import taken

Command = Callable[..., CompletedProcess[str]]


def of(name: str, **said: str) -> dict[str, float]:
    return {key: told.value for key, told in worked(sum_of(name), said).results.items()}


@pytest.mark.parametrize(
    ("name", "said", "result", "value"),
    [  # common practice, no source: 2.5 V over 100k and 95.3k is 5.12 V; 1.221 V over 27k and 3k is 12.21 V
        ("divider", {}, "output", 5.12),
        ("divider", {"reference": "1.221", "upper": "27k", "lower": "3k"}, "output", 12.21),
        # closed forms with numbers worked by hand
        ("output_filter", {}, "current", 5.0 * (7.0 / 12.0) / (10e-6 * 500e3)),
        ("hold_up_capacitor", {"efficiency": "100"}, "capacitor", 2 * 60 * 0.01 / (140**2 - 80**2)),
        ("lead", {"area": "1", "length": "1"}, "resistance", 2 * 0.01724),
        ("resistor_load", {}, "resistance", 9.6),
        ("resistor_bank", {}, "most", 6.3),
        ("resistor_bank", {}, "smallest", 3.75),
        ("discharge", {"from": "100", "to": "50", "resistor": "1k", "capacitor": "1m"}, "time", math.log(2.0)),
        ("discharge", {"from": "325"}, "energy", 0.5 * 120e-6 * 325**2),
        ("capacitor_health", {}, "left", 0.82),
        ("capacitor_life", {}, "hours", 32000.0),
        ("touch_current", {}, "current", 2 * math.pi * 50 * 2.2e-9 * 240),
        ("heat", {}, "temperature", 67.0),
        ("heat", {}, "most", 10.0),
        ("pass_element", {}, "power", 99.0),
        ("charger", {}, "volts", 14.4),
        ("charger", {}, "constant_h", 4.0),
        ("running_cost", {"loaded": "100", "efficiency": "50", "tariff": "1", "years": "1"}, "cost", 60 * 8.766),
        ("decibel", {}, "amplitude", 60.0),
        ("power_factor", {}, "factor", 65 / 115),
        ("fuse", {"efficiency": "100", "factor": "1", "volts": "100"}, "current", 0.6),
        ("cell_time", {"usable": "100", "efficiency": "100", "power": "3.7"}, "hours", 2.6),
        ("scope", {"edge": "35n"}, "bandwidth", 10e6),
        ("uncertainty", {"limit": "10", "value": "9.9"}, "margin", 0.1),
        ("repair_or_replace", {"fails": "0", "rate": "10", "hours": "1"}, "repair", 19.0),
    ],
)  # fmt: skip
def test_each_gives_its_worked_example(name: str, said: dict[str, str], result: str, value: float) -> None:
    assert of(name, **said)[result] == pytest.approx(value, rel=1e-3)


@pytest.mark.parametrize(("amps", "farad"), [(0.2, 1e-3), (1.0, 4700e-6), (2.0, 2200e-6)])
def test_a_rectifier_is_exact_where_the_rule_of_thumb_is_not(amps: float, farad: float) -> None:
    """By SciPy: a capacitor behind ideal diodes and next to no resistance."""
    peak = math.sqrt(2.0) * 12.0 - 1.6
    found = of("rectifier_capacitor", current=f"{amps}", capacitor=f"{farad}")
    behind = 2e-3  # ohm

    def slope(t: float, v: np.ndarray) -> list[float]:
        driving = (peak * abs(math.cos(2.0 * math.pi * 50.0 * t)) - v[0]) / behind
        return [(max(0.0, driving) - amps) / farad]

    run = solve_ivp(slope, (0.0, 0.05), [peak], method="LSODA", max_step=2e-5, rtol=1e-7)
    late = run.y[0][run.t > 0.03]
    assert found["ripple"] == pytest.approx(float(np.ptp(late)), rel=0.02)
    assert found["rule"] > found["ripple"]


def test_tolerances_are_a_hundred_sets_of_parts_and_none_is_no_span() -> None:
    told = worked(sum_of("divider"), {}).results["output"]
    assert told.low < told.value < told.high
    worst = 2.5 * 1.005 * (1 + 100e3 * 1.01 / (95.3e3 * 0.99))
    assert told.value < told.high < worst
    assert (told.high - told.value) > 0.4 * (worst - told.value), f"{SETS} sets come near the corner"
    none = {f"{key}_tolerance": "0" for key in ("reference", "upper", "lower")}
    alone = worked(sum_of("divider"), none).results["output"]
    assert alone.low == alone.value == alone.high
    assert worked(sum_of("divider"), {}) == worked(sum_of("divider"), {}), "the same sets each time"


@pytest.mark.parametrize("name", names())
def test_each_says_what_it_is_and_refuses_nonsense(name: str) -> None:
    one = sum_of(name)
    assert one.name == name
    assert one.formula
    assert one.source
    found = worked(one, {})
    assert (
        set(found.results)
        == {r.key for r in one.results}
        == set(one.work(found.inputs)) | set(one.once(found.inputs) if one.once is not None else ())
    )
    for key in (i.key for i in one.inputs):
        for text in ("lots", "", "nan", "-1e9"):
            if text == "-1e9" and any(i.key == key and math.isinf(i.least) for i in one.inputs):
                continue
            with pytest.raises(InputError):
                worked(one, {key: text})
    with pytest.raises(InputError, match="there are"):
        worked(one, {"colour": "1"})


def test_the_nearest_pair_of_preferred_values() -> None:
    """By every pair of E24 there is, over two decades."""
    series = [1.0, 1.1, 1.2, 1.3, 1.5, 1.6, 1.8, 2.0, 2.2, 2.4, 2.7, 3.0, 3.3, 3.6, 3.9, 4.3, 4.7, 5.1, 5.6, 6.2, 6.8,
              7.5, 8.2, 9.1]  # fmt: skip
    found = of("divider", wanted="12", series="24", lower="10k")
    best = min(abs(2.5 * (1.0 + 10.0**n * a / b) - 12.0) for a in series for b in series for n in (0, 1))
    assert found["pair_output"] == pytest.approx(2.5 * (1 + found["pair_upper"] / found["pair_lower"]), rel=1e-9)
    assert abs(found["pair_output"] - 12.0) == pytest.approx(best, abs=1e-6)
    assert found["ideal"] == pytest.approx(38e3)
    with pytest.raises(InputError, match="above its reference"):
        worked(sum_of("divider"), {"wanted": "2"})


@pytest.mark.parametrize("name", names())
def test_on_its_drawn_bench_every_input_has_a_place_of_its_own(name: str) -> None:
    one, found = sum_of(name), worked(sum_of(name), {})
    drawing = drawn(one.bench)
    inputs, results = drawing.places("i"), drawing.places("x")
    assert set(inputs) == {i.key for i in one.inputs}
    assert results
    assert set(results) <= {r.key for r in one.results}
    boxes = [(*inputs[i.key], 140.0 if i.tolerance else 86.0, 39.0) for i in one.inputs]
    boxes += [(x, y - 8.0, 110.0, 38.0) for x, y in results.values()]
    for n, (x, y, w, h) in enumerate(boxes):
        assert x >= 0.0, boxes[n]
        assert y >= -2.0, boxes[n]
        assert (x + w <= WIDTH, y + h <= HEIGHT) == (True, True), boxes[n]
        for a, b, c, d in boxes[n + 1 :]:
            assert x >= a + c or a >= x + w or y >= b + d or b >= y + h
    for i in one.inputs:  # what is shown can be typed again
        text = " ".join(in_words(found.inputs[i.key], i.unit))
        assert parse_entry(text, i.unit) == pytest.approx(found.inputs[i.key], rel=1e-4)


def test_what_a_tolerance_does_alone_is_its_rectangle() -> None:
    """Reference within 0.5 %, evenly: a standard deviation of 0.5 % / sqrt 3 of the output, by a hundred draws."""
    one = worked(sum_of("divider"), {})
    assert one.alone()["reference"] == pytest.approx(0.005 * one.results["output"].value / 3.0**0.5, rel=0.15)
    at, found = one.against("upper")
    assert found == pytest.approx([2.5 * (1.0 + upper / 95.3e3) for upper in at])
    assert len(sum_of("divider").inputs) == len(one.inputs)
    share = worked(sum_of("running_cost"), {}).against("loaded")[0]
    assert max(share) <= 100.0, "no more than a whole day"


def test_inputs_are_taken_from_plate_and_findings() -> None:
    plate = read_unit(ROOT / "examples" / "units" / "tarnbrook-tb2425.toml").nameplate
    got = taken(sum_of("fuse"), plate)
    assert {key: value for key, (value, _) in got.items()} == {"power": 60.0, "volts": 100.0, "highest": 240.0}
    feeding = read_feeding(ROOT / "examples" / "feedings" / "valve-controller.toml")
    got = taken(sum_of("running-cost"), plate, (), feeding)
    charge, hours = sum(d.hours * d.current_A for d in feeding.duty), sum(d.hours for d in feeding.duty if d.current_A)
    assert got["output"][0] == pytest.approx(24.0 * charge / hours), "the mean while it is loaded, not its rating"
    assert got["loaded"][0] == pytest.approx(100.0 * hours / 24.0)
    assert (got["tariff"][0], got["years"][0]) == (feeding.tariff, feeding.years)
    assert taken(sum_of("running-cost"), plate)["output"] == (60.0, "plate"), "else by its plate"
    assert taken(sum_of("repair-or-replace"), plate, (), None, 14.9)["new"] == (14.9, "its price")
    assert not taken(sum_of("fuse"), None)
    assert not taken(sum_of("decibel"), plate)


def test_what_is_foreseen_stands_beside_the_claim_and_costs_others(finished_book: Path) -> None:
    """Half the coil's ripple twice over: 0.6 A in 20 mohm and a large capacitor stay below 120 mV, in 1 ohm do not; a
    resistor that stays connected adds its V^2 / R to the watts without a load."""
    with BookReader(finished_book) as reader:
        run = judge_run(reader)
    plate = replace(run.unit.nameplate, claims=(StatedClaim("ripple", None, 0.12, "manual"),))
    filters = {"input": "40", "output": "24", "inductor": "32u", "capacitor": "470u", "esr_tolerance": "0"}
    good = foreseen(worked(sum_of("output-filter"), {**filters, "esr": "20m"}), plate)
    bad = foreseen(worked(sum_of("output-filter"), {**filters, "esr": "1"}), plate)
    assert (good.words, bad.words, good.now) == (HOLDS, FAILS, None)
    assert good.told.value == pytest.approx(0.6 * 0.02 + 0.6 / (8.0 * 500e3 * 470e-6), rel=1e-3)
    assert good.told.low < good.told.value < good.told.high, "its parts spread"
    edge = {**filters, "esr": f"{0.12 / 0.6:g}"}
    assert foreseen(worked(sum_of("output-filter"), edge), plate).words == PARTS
    assert foreseen(worked(sum_of("output-filter"), filters), None) is None
    assert foreseen(worked(sum_of("decibel"), {}), plate) is None
    (claim,) = (c for c in all_claims(run.unit.nameplate) if c.key == "no_load_power" and not c.published)
    one = run.judged[0]
    judged = [replace(one, claim=claim, finding=replace(one.finding, value=watts)) for watts in (0.15, 0.178)]
    (cost,) = costs(worked(sum_of("resistor-load"), {"volts": "24", "current": "1m"}), run.unit.nameplate, judged)
    assert (cost.claim, cost.now, cost.words) == (claim, 0.178, HOLDS)
    assert cost.told.value == pytest.approx(0.178 + 0.024)
    assert costs(worked(sum_of("resistor-load"), {}), run.unit.nameplate, ()) == [], "nothing was found yet"


def test_the_efficiency_rules_at_sixty_watts() -> None:
    """Level VI above 49 W: 0.88 and 210 mW (values from memory); the low class below 6 V: 0.87."""
    found = of("efficiency_limits")
    assert (found["us_active"], found["us_idle"]) == pytest.approx((0.88, 0.21))
    assert of("efficiency_limits", volts="5", current="10")["us_active"] == pytest.approx(0.87)
    with pytest.raises(InputError, match="up to 250 W"):
        worked(sum_of("efficiency_limits"), {"power": "400"})


def test_what_cannot_be_is_told_in_words(command: Command) -> None:
    for name, said, words in (
        ("output-filter", {"output": "20"}, "less volts than it gets"), ("discharge", {"to": "400"}, "falls from more"),
        ("power-factor", {"power": "900"}, "are more than"), ("rectifier-capacitor", {"capacitor": "1u"}, "is empty"),
    ):  # fmt: skip
        with pytest.raises(InputError, match=words):
            worked(sum_of(name), said)
    refused = command("workshop", "dividers")
    assert (refused.returncode, refused.stderr.count("\n")) == (2, 1)
    assert command("workshop", "divider", "--set", "upper").returncode == 2


def test_the_command_line_gives_the_published_keys(command: Command) -> None:
    listed = json.loads(command("workshop", "--json").stdout)["sums"]
    assert [one["name"] for one in listed] == list(names())
    said = json.loads(
        command("workshop", "divider", "--set", "lower=100k", "--set", "lower_tolerance=0", "--json").stdout
    )
    assert set(said) == {"sum", "inputs", "results", "formula", "source"}
    assert said["inputs"]["lower"] == {"value": 100e3, "unit": "ohm", "tolerance_percent": 0.0}
    assert set(said["results"]["output"]) == {"value", "unit", "low", "high"}
    assert "would hold" in command("workshop", "divider").stdout
