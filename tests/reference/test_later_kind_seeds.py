"""Inverters, starts, dips, plugs and soft leads drawn anew, over sockets: each against its closed form, on benches that
err within their data sheets. `make test-seeds` takes more of them."""

from __future__ import annotations

import math
import random
import re
from pathlib import Path

import pytest
from tests.reference.test_kind_seeds import SEEDS, StartStandIn, drawn_run, inside, of

from zincsmith.model.plan import Line
from zincsmith.procedures.line_dips.options import DipOptions
from zincsmith.procedures.output_wave.options import WaveOptions
from zincsmith.procedures.plug_volts.options import PlugOptions
from zincsmith.procedures.soft_leads.options import SoftOptions
from zincsmith.procedures.starts.options import StartOptions

pytestmark = pytest.mark.usefixtures("unhurried")

MAINS, BATTERY = Line(230.0, 50.0), Line(12.0, 0.0)
ADAPTER = "tarnbrook-tb2425"


def put(text: str, **values: float) -> str:
    """Each key once, wherever it stands; one that is not there is an error."""
    for key, value in values.items():
        text, count = re.subn(rf"(?m)^{key} = \S+", f"{key} = {value:g}", text, count=1)
        assert count == 1, key
    return text


@pytest.mark.long
def test_distortion_and_noise_are_what_was_drawn(tmp_path: Path, standin: StartStandIn) -> None:
    missed: list[str] = []
    total = 0
    for seed in range(1, SEEDS + 1):
        dice = random.Random(3000 + seed)
        third, fifth, hiss = dice.uniform(0.002, 0.05), dice.uniform(0.002, 0.03), dice.uniform(0.3, 6.0)

        def change(text: str, third=third, fifth=fifth, hiss=hiss) -> str:  # type: ignore[no-untyped-def]
            return put(text, third=third, third_at_limit=0.0, fifth=fifth, fifth_at_limit=0.0, hiss_V=hiss)

        part = WaveOptions(line=BATTERY, loads_percent=(0.0,), steps=False, settle_s=1.0)
        run = drawn_run(tmp_path / f"w{seed}", standin, "thornwade-tw300", "simulated-inverter", seed, (part,), change)
        thd = math.sqrt(third**2 + fifth**2 + (0.4 * fifth) ** 2)
        (rms,) = of(run, "wave_rms")
        first = rms.number / math.sqrt(1.0 + thd**2)
        for name, truth in (("wave_thd", thd), ("wave_thd_n", math.hypot(thd, hiss / first))):
            (one,) = of(run, name)
            total += 1
            if abs(one.number - truth) > 2.0 * (one.u or 0.0) + 1e-4:
                missed.append(f"{seed} {name} {one.number:.5f} {truth:.5f} u {one.u}")
    inside(SEEDS, missed, total)


@pytest.mark.long
def test_what_is_left_at_a_plug_is_what_was_drawn(tmp_path: Path, standin: StartStandIn) -> None:
    missed: list[str] = []
    total = 0
    for seed in range(1, SEEDS + 1):
        dice = random.Random(4000 + seed)
        farad, bleeder = dice.uniform(0.05, 1.0) * 1e-6, 10.0 ** dice.uniform(5.5, 7.3)

        def change(text: str, farad=farad, bleeder=bleeder) -> str:  # type: ignore[no-untyped-def]
            made = put(text, x_capacitor_F=farad)
            return made.replace("x_capacitor_F", f"bleeder_ohm = {bleeder:g}\nx_capacitor_F", 1)

        part = PlugOptions(line=MAINS, pulls=2, capacitor_uF=round(1e6 * farad, 4))
        run = drawn_run(tmp_path / f"p{seed}", standin, ADAPTER, "simulated-scope", seed, (part,), change)
        truth = 230.0 * math.sqrt(2.0) * math.exp(-2.0 / (bleeder * farad))
        found = of(run, "plug_voltage")
        if not found:  # both pulled near zero
            continue
        total += 1
        if abs(found[0].number - truth) > 2.0 * (found[0].u or 0.0) + 0.01:
            missed.append(f"{seed} {found[0].number:.4g} {truth:.4g} u {found[0].u}")
        if abs(truth - 60.0) > 15.0:
            assert ("beyond_allowed" in {d.code for d in found[0].doubts}) is (truth > 60.0), seed
    inside(SEEDS, missed, total)


@pytest.mark.long
def test_a_dip_is_carried_as_long_as_the_bulk_lasts(tmp_path: Path, standin: StartStandIn) -> None:
    """From the crest C (Vp^2 - Vs^2) / 2 P, less up to half a period of the mains by where in it the dip begins."""
    for seed in range(1, SEEDS + 1):
        dice = random.Random(5000 + seed)
        farad, seconds = dice.uniform(40.0, 300.0) * 1e-6, round(dice.choice((0.01, 0.02, 0.05, 0.1, 0.2)), 3)

        def change(text: str, farad=farad) -> str:  # type: ignore[no-untyped-def]
            return put(text, bulk_F=farad)

        part = DipOptions(line=MAINS, dips_percent_s=((0.0, seconds),), jump_s=0.0, ends=False)
        run = drawn_run(tmp_path / f"d{seed}", standin, ADAPTER, "simulated-scope", seed, (part,), change)
        lasts = farad * (230.0**2 - 62.0**2) / (60.0 / 0.9)
        (out,) = of(run, "dip_out_time")
        if seconds < lasts - 0.015:
            assert out.value == 0.0, (seed, seconds, lasts)
        elif seconds > lasts + 0.005:
            assert out.number > 0.3, (seed, seconds, lasts)  # its start takes 0.45 s


@pytest.mark.long
def test_the_largest_capacitor_is_what_was_drawn(tmp_path: Path, standin: StartStandIn) -> None:
    """What its limit leaves, for as long as its protection waits, over its volts."""
    steps = (470.0, 1000.0, 2200.0, 4700.0, 10000.0, 22000.0)
    does = {f"{uF:g} µF across the output": f"unit,ACROSS {uF:g}" for uF in steps}
    does |= {"Capacitors off the output": "unit,ACROSS 0"}
    for seed in range(1, SEEDS + 1):
        dice = random.Random(6000 + seed)
        limit, delay = dice.uniform(2.7, 5.0), dice.uniform(0.06, 0.4)

        def change(text: str, limit=limit, delay=delay) -> str:  # type: ignore[no-untyped-def]
            head, tail = text.split("[protection]")
            return put(head, limit_A=limit) + "[protection]" + put(tail, delay_s=delay)

        part = StartOptions(line=MAINS, loads_percent=(100.0,), laws=("CC",), capacitors_uF=steps, bias_percent=0.0)
        run = drawn_run(tmp_path / f"s{seed}", standin, ADAPTER, "simulated", seed, (part,), change, does)
        truth = (limit - 2.5) * delay / 24.0
        (found,) = of(run, "starts_into_capacitance")
        value = found.value or 0.0
        beyond = min((s * 1e-6 for s in steps if s * 1e-6 > value), default=math.inf)
        assert value < 1.12 * truth, (seed, value, truth)
        assert beyond > 0.88 * truth, (seed, value, truth)


@pytest.mark.long
def test_what_it_starts_behind_is_what_was_drawn(tmp_path: Path, standin: StartStandIn) -> None:
    """V = (Vs + sqrt(Vs^2 - 4 R P)) / 2 has to stay above where it stops, and above where it starts without a load."""
    ohms = (0.2, 0.5, 1.0, 2.0, 4.0, 8.0)
    does = {f"{ohm:g} Ω in the input lead": f"bench,SOFT {ohm:g}" for ohm in ohms} | {"they were": "bench,SOFT 0"}
    for seed in range(1, SEEDS + 1):
        dice = random.Random(7000 + seed)
        loss = dice.uniform(0.02, 0.3)

        def change(text: str, loss=loss) -> str:  # type: ignore[no-untyped-def]
            return put(text, linear_W_per_A=loss)

        part = SoftOptions(line=BATTERY, ohms=ohms, settle_s=2.0)
        run = drawn_run(tmp_path / f"l{seed}", standin, "netherby-nb5", "simulated-dc", seed, (part,), change, does)
        behind = of(run, "stands_behind") or of(run, "starts_behind")
        assert behind, seed
        drawn = 5.0 * 3.0  # and its losses: no more than V^2 / 4R feeds it
        assert all(f.value is None or f.number < 12.0**2 / (4.0 * drawn) for f in behind), seed
        for one in of(run, "starts_behind"):
            if one.value is not None:
                near = min(ohms, key=lambda ohm, v=one.number: abs(ohm - v))
                assert one.number == pytest.approx(near, abs=max(0.02 * near, 2.5 * (one.u or 0.0))), seed
