"""The shape of an output that alternates: against closed forms of stepped and clipped sines, against NumPy's spectrum,
over sockets against the physics, and from a file."""

from __future__ import annotations

import math
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from numpy.typing import NDArray
from scipy.optimize import brentq
from tests.several.conftest import EXAMPLES, Goes
from tests.several.test_inverter import standing

from zincsmith.analysis.wave_shape import SINE_NEAR_TOP, shape_of
from zincsmith.engine.captures.by_hand import asking_words, told, wants_words
from zincsmith.formats.rig_file import read_rig
from zincsmith.formats.table_file import read_columns
from zincsmith.formats.unit_file import read_unit
from zincsmith.model.actions import Capturing, WantedChannel
from zincsmith.model.errors import InputError
from zincsmith.model.finding import Finding
from zincsmith.model.plan import Line
from zincsmith.model.rig import Probe, ScopeChannel
from zincsmith.planning.composer import compose
from zincsmith.procedures.intake import FigureRequest
from zincsmith.procedures.output_wave.options import WaveOptions
from zincsmith.procedures.output_wave.steps import MotorRecord, WaveRecord

Array = NDArray[np.float64]
STEP, HERTZ = 1e-6, 50.02
BATTERY = Line(12.0, 0.0)
UNIT = "thornwade-tw300"


def times(periods: float = 10.4) -> Array:
    return np.arange(round(periods / HERTZ / STEP)) * STEP * 2.0 * math.pi * HERTZ


def test_a_stepped_sine_has_the_distortion_of_its_closed_form() -> None:
    """120 degrees of either sign: rms V sqrt(2/3), first (4/pi) cos(30 deg) V / sqrt 2, orders 6 k +- 1 as 1/n."""
    x = times() % (2.0 * math.pi)
    volts = np.where(
        np.abs(x - math.pi / 2) < math.pi / 3, 1.0, np.where(np.abs(x - 1.5 * math.pi) < math.pi / 3, -1, 0)
    )
    one = shape_of(300.0 * volts, STEP)
    assert one is not None
    first = 4.0 / math.pi * math.cos(math.pi / 6) / math.sqrt(2.0)
    assert one.thd_n == pytest.approx(math.sqrt(2.0 / 3.0 / first**2 - 1.0), rel=2e-3)
    listed = [n for n in range(5, 41) if n % 6 in (1, 5)]
    assert one.thd == pytest.approx(math.sqrt(sum(1.0 / n**2 for n in listed)), rel=2e-3)
    assert max(one.even, abs(one.halves)) < 1e-3
    assert one.crest == pytest.approx(math.sqrt(1.5), rel=2e-3)
    assert one.frequency_Hz == pytest.approx(HERTZ, rel=3e-5)


@pytest.mark.parametrize("clip", [0.7, 0.9])
def test_a_clipped_sine_has_the_distortion_of_its_closed_form(clip: float) -> None:
    """Clipped at c: a1 = 2/pi (asin c + c sqrt(1 - c^2)), mean square and time at the top by its integral."""
    one = shape_of(np.clip(np.sin(times()), -clip, clip), STEP)
    assert one is not None
    angle = math.asin(clip)
    first = 2.0 / math.pi * (angle + clip * math.sqrt(1.0 - clip**2))
    square = 2.0 / math.pi * ((angle - math.sin(2.0 * angle) / 2.0) / 2.0 + clip**2 * (math.pi / 2.0 - angle))
    assert one.thd_n == pytest.approx(math.sqrt(2.0 * square / first**2 - 1.0), rel=1e-3)
    assert one.top == pytest.approx((1.0 - 2.0 / math.pi * math.asin(0.95 * clip)) / SINE_NEAR_TOP, rel=5e-3)


def test_even_orders_make_halves_differ_and_what_is_no_order_is_noise() -> None:
    """A second order of 3 % in phase quadrature: crests 1.03 and 0.97; a hiss between orders counts in THD+N alone."""
    x = times(12.0)
    one = shape_of(np.sin(x) - 0.03 * np.cos(2.0 * x) + 0.02 * np.sin(401.5 * x) + 0.01, STEP)
    assert one is not None
    assert (one.thd, one.even) == (pytest.approx(0.03, rel=2e-3), pytest.approx(0.03, rel=2e-3))
    assert one.thd_n == pytest.approx(math.hypot(0.03, 0.02), rel=5e-3)
    assert one.halves == pytest.approx(0.06, rel=0.02)
    assert one.dc_V == pytest.approx(0.01, rel=1e-2)
    assert shape_of(np.random.default_rng(1).normal(size=20_000), STEP) is None


@pytest.mark.long
def test_an_inverter_is_recorded_under_load_and_a_wall_outlet_beside_it(goes: Goes) -> None:
    part = WaveOptions(line=BATTERY, loads_percent=(0.0, 100.0), outlet=True, rectifier=True,
                       settle_s=2.0)  # fmt: skip
    does = {"probe at a wall outlet": "bench,OUTLET", "back at the output": "bench,OUTLETBACK",
            "A supply as load": "bench,SUPPLY 150", "The load back": "bench,SUPPLY 0"}  # fmt: skip
    _, closed, run = goes(UNIT, "simulated-inverter", (part,), does=does)
    assert (closed.outcome, closed.safe) == ("complete", True), closed.why
    of = (j.finding for j in run.judged)
    found = {(f.name, f.at.draw.share_percent if f.at.draws else None): f for f in of}
    for percent, amps in ((0.0, 0.0), (100.0, 1.3)):
        truth = standing(amps)
        first = truth.output_V / math.sqrt(1.0 + truth.thd**2)
        for name, value in (("wave_thd", truth.thd), ("wave_thd_n", math.hypot(truth.thd, 1.1 / first)),
                            ("wave_crest", truth.crest), ("wave_dc", 0.18), ("wave_rms", truth.output_V)):  # fmt: skip
            one = found[name, percent]
            assert one.u is not None
            assert abs(one.number - value) < 3.0 * one.u + 0.002 * abs(value), (name, percent, one.number, value, one.u)
    outlet = math.sqrt(0.006**2 + 0.024**2 + 0.012**2 + 0.004**2)
    assert found["outlet_thd", None].number == pytest.approx(outlet, rel=0.03)
    assert found["wave_thd_n", 0.0].number > 1.2 * found["wave_thd", 0.0].number
    full = standing(1.3)
    assert found["wave_watts", 100.0].number == pytest.approx(full.output_V * full.current_A, rel=0.02)
    assert found["wave_power_factor", 100.0].number == pytest.approx(1.0, abs=0.005)
    share = full.alternating.input_ripple
    assert found["input_ripple_share", 100.0].number == pytest.approx(share / math.sqrt(2.0), rel=0.02)
    supply = {name: f for (name, _), f in found.items() if name.startswith("rectifier_")}
    factor, crest = pulsed(0.35)
    assert supply["rectifier_watts"].number == pytest.approx(150.0, rel=0.02)
    assert supply["rectifier_power_factor"].number == pytest.approx(factor, rel=0.02)
    assert supply["rectifier_current_crest"].number == pytest.approx(crest, rel=0.03)
    low, high = standing(0.13), full
    a, step = high.alternating, (1.3 - 0.13) / high.output.limit_A
    # The first half period after it: the mean square of 1 - d exp(-t / tau) over 10 ms.
    early = np.linspace(0.0, 0.01, 1001)
    for name, sign, records in (("step_dip", 1.0, high), ("step_rise", -1.0, low)):
        rms = math.sqrt(float(np.mean((1.0 - sign * a.step_share * step * np.exp(-early / a.step_s)) ** 2)))
        told = max(f.number for (n, _), f in found.items() if n == name)
        assert told == pytest.approx(abs(1.0 - rms), rel=0.15), records
    back = found["step_recovery_time", 100.0]
    assert back.number == pytest.approx(a.step_s * math.log(a.step_share * step / 0.01), abs=0.011)


def pulsed(share: float) -> tuple[float, float]:
    """(power factor, crest) of half cosines as long as this share of half a period, with a sine: integrals in closed
    form. Mean square Ip^2 share / 2; watts as of the projection on the sine."""
    h = 0.5 * math.pi * share
    k = math.pi / (2.0 * h)
    watts = 2.0 / math.pi * k * math.cos(h) / (k * k - 1.0)  # of Vp Ip
    rms = math.sqrt(share / 2.0)
    return watts / (rms / math.sqrt(2.0)), 1.0 / rms


def started(goes: Goes, motor: str, watts: float = 60.0) -> tuple[dict[str, Finding], set[str]]:
    part = WaveOptions(line=BATTERY, loads_percent=(0.0,), steps=False, motor_W=watts, settle_s=2.0)
    does = {"Start of a motor": f"bench,MOTOR {motor}", "The motor off": "bench,MOTOR 0"}
    _, closed, run = goes(UNIT, "simulated-inverter", (part,), does=does)
    assert (closed.outcome, closed.safe) == ("complete", True), closed.why
    found = {j.finding.name: j.finding for j in run.judged if j.finding.name.startswith("motor_")}
    return found, {d.code for j in run.judged for d in j.finding.doubts}


@pytest.mark.long
def test_a_motor_starts_at_an_inverter_and_its_run_up_is_kloss_s_in_closed_form(goes: Goes) -> None:
    """Kloss without load and volts that stand: t(s) = T0 [(1 - s^2) / (4 sk) + sk ln(1/s) / 2]; amps as s over
    sqrt(s^2 + sk^2). Volts that dip make it longer, by less than their square."""
    found, _ = started(goes, "60")
    sk, ends = 0.25, 0.05

    def amps(s: float) -> float:
        return 5.5 * 60.0 / 230.0 * s / math.hypot(s, sk) * math.hypot(1.0, sk)

    for name, value in (("motor_start_amps", amps(1.0)), ("motor_running_amps", amps(ends))):
        one = found[name]
        assert one.u is not None
        assert one.u < 0.05 * value
        assert one.number == pytest.approx(value, rel=0.04), name
    limit = amps(ends) + 0.1 * (amps(1.0) - amps(ends))
    s = float(brentq(lambda x: amps(x) - limit, ends, 1.0))
    up = (1.0 - s * s) / (4.0 * sk) + 0.5 * sk * math.log(1.0 / s)
    assert up < found["motor_run_up_time"].number < 1.1 * up
    slips = np.linspace(ends, 1.0, 500)
    z = 230.0 / np.array([amps(x) for x in slips]) * np.exp(1j * np.arctan2(slips, sk))
    assert found["motor_dip"].number == pytest.approx(1.0 - np.min(np.abs(z) / np.abs(z + 12.0)), abs=0.004)
    assert found["motor_start_times"].number == pytest.approx(amps(1.0) / amps(ends), rel=0.04)


@pytest.mark.parametrize(
    ("motor", "code"),
    [
        ("60 STUCK", "motor_not_up"),
        pytest.param("200", "motor_output_gone", marks=pytest.mark.long),
        pytest.param("0", "no_start", marks=pytest.mark.long),
    ],
)
def test_one_that_is_stuck_one_too_large_and_none_are_told_apart(goes: Goes, motor: str, code: str) -> None:
    found, doubts = started(goes, motor)
    assert doubts & {"motor_output_gone", "motor_not_up", "no_start"} == {code}
    assert found["motor_run_up_time"].value is None


def turned(stuck: bool, ohm: float = 20.0, step: float = 1e-4) -> tuple[Array, float]:
    """Rows of s, V and A, and the moment its amps have fallen nine tenths of their way by the phasors of its slip: amps
    of an inductance behind R2 / s and speed, both integrated in time: the first periods carry their direct part."""
    w, top, x, r2, on = 2.0 * math.pi * 50.0, math.sqrt(2.0) * 228.0, 150.0, 30.0, 0.73
    amps, slip, rows, fallen = 0.0, 1.0, [], math.inf
    phasor = [228.0 / abs(ohm + r2 / s + 1j * x) for s in (1.0, 0.03)]
    for k in range(round(3.0 / step)):
        t = k * step
        volts = top * math.sin(w * t)
        if t >= on:
            behind = r2 / max(slip, 0.03)
            amps = (amps + step * top * math.sin(w * (t + step)) * w / x) / (1.0 + step * (behind + ohm) * w / x)
            volts -= ohm * amps
            slip = 1.0 if stuck else max(0.03, slip - step * (amps**2 * behind / 330.0 - 0.05) / 0.25)
            if 228.0 / abs(ohm + r2 / slip + 1j * x) < phasor[1] + 0.1 * (phasor[0] - phasor[1]):
                fallen = min(fallen, t - on)
        rows.append((t, volts, amps))
    return np.array(rows), fallen


def test_only_the_output_s_own_record_may_be_read_off_a_screen() -> None:
    """A crest read of a wall outlet, or of an output that starts a motor, is none of this unit's claims."""
    rig = read_rig(EXAMPLES / "rigs" / "simulated-inverter.toml")
    scope = rig.instrument("scope")
    assert scope is not None
    channels = (WantedChannel("output_voltage", 800.0),)
    for record, words in (("output", "drop the file here, or type crest 1.41"), ("outlet", "drop the file here: of"),
                          ("motor", "drop the file here: of"), ("rectifier", "drop the file here: of")):  # fmt: skip
        wanted = Capturing("output_wave", channels, 0.2, 20_000, said=(("record", record),))
        assert asking_words(wanted).startswith(words)
        assert ("screen" in wants_words(wanted)) == (record == "output")
        if record == "output":
            assert told("crest 1.41, div 0.1", wanted, scope)[0].said["typed crest"] == "1.41"
        else:
            with pytest.raises(InputError, match="there is no file"):
                told("crest 1.41, div 0.1", wanted, scope)


@pytest.mark.parametrize("stuck", [False, True])
def test_a_record_whose_first_periods_carry_a_direct_part(tmp_path: Path, stuck: bool) -> None:
    rows, fallen = turned(stuck)
    file = tmp_path / "start.csv"
    file.write_text("time_s,voltage_V,current_A\n" + "\n".join(f"{t:.5f},{v:.2f},{a:.4f}" for t, v, a in rows), "utf-8")
    found = MotorRecord().figures(read_columns(file), FigureRequest())
    assert {d.code for d in found.doubts} & {"motor_not_up", "no_start"} == ({"motor_not_up"} if stuck else set())
    at_rest = 228.0 / abs(50.0 + 150j)
    assert 1.2 * at_rest < found.figures["motor_amps"].value < 1.8 * at_rest
    if not stuck:
        assert found.figures["motor_runs"].value == pytest.approx(228.0 / abs(1020.0 + 150j), rel=0.01)
        assert found.figures["motor_up"].value == pytest.approx(fallen, rel=0.05)


def test_a_file_gives_the_same_and_a_probe_that_earths_a_leg_is_refused(tmp_path: Path) -> None:
    t = np.arange(20_000) * 1e-5
    file = tmp_path / "wave.csv"
    volts = 325.0 * np.sin(2.0 * math.pi * 50.0 * t) + 13.0 * np.sin(6.0 * math.pi * 50.0 * t + 0.4)
    file.write_text(
        "time_s,voltage_V\n" + "\n".join(f"{a:.5f},{b:.2f}" for a, b in zip(t, volts, strict=True)), "utf-8"
    )
    found = WaveRecord().figures(read_columns(file), FigureRequest())
    assert found.figures["thd"].value == pytest.approx(0.04, rel=1e-3)
    unit, rig = read_unit(EXAMPLES / "units" / f"{UNIT}.toml"), read_rig(EXAMPLES / "rigs" / "simulated-inverter.toml")
    assert "output_wave" in {p.procedure for p in compose(unit, rig)[0].parts}
    probe = ScopeChannel(1, "output_voltage", probe=Probe(ratio=100.0, ground="spring"))
    rig = replace(rig, instruments=tuple(replace(i, channels=(probe,)) if i.channels else i for i in rig.instruments))
    assert "output_wave" not in {p.procedure for p in compose(unit, rig)[0].parts}
