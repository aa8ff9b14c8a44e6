"""What the records of an output that alternates show: its shape, what a load makes of watts, what its input carries of
it, and how it takes a step."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from zincsmith.analysis.periodic import fundamental, harmonics
from zincsmith.analysis.power import power_of
from zincsmith.analysis.wave_shape import A_HALF, ORDERS, Shape, folded, half_periods, shape_of
from zincsmith.procedures.output_wave import motor
from zincsmith.procedures.output_wave.motor import AMPS, MOTOR, VOLTS, motor_of
from zincsmith.procedures.waveforms.findings import Named
from zincsmith.procedures.waveforms.traces import Choices, Traces, doubt_alike, errors_of, figure_of
from zincsmith.recorded.result import Analysed, Mark

OUTPUT, OUTLET, RECTIFIER, UP, DOWN = "output", "outlet", "rectifier", "step up", "step down"
STEPPED = (UP, DOWN)
EVEN_LOUD, FLAT, UNEVEN = 0.005, 1.5, 0.02  # of the first order; times a sine; of the crest. Common practice, no source
STANDS = 0.2  # of a record, at either end: the level before a step, and after it
STEP_LEFT, LEAST_STEP = 0.1, 0.2  # of the step; of its greater amps
BACK_WITHIN = 0.01  # of the level that it ends at
INPUT = "input_current"
# (figure, finding, title, unit, note)
TOLD = (
    ("thd", "wave_thd", "Distortion by its record, THD", "1", "orders 2 to 40 over the first"),
    ("thd_n", "wave_thd_n", "Distortion and noise, THD+N", "1", "everything but the first order"),
    ("even", "wave_even", "Even orders", "1", "over the first"),
    ("odd", "wave_odd", "Odd orders from the third", "1", "over the first"),
    ("crest", "wave_crest", "Crest factor by its record", "1", "without its direct part"),
    ("flat_top", "wave_flat_top", "Flat top, times a sine", "1", "time within 5 % of the crest"),
    ("halves", "wave_halves", "Upper crest beyond the lower", "1", "over their mean"),
    ("dc", "wave_dc", "Direct part by its record", "V", ""),
    ("rms", "wave_rms", "Volts by its record, rms", "V", ""),
    ("frequency", "wave_frequency", "Frequency by its record", "Hz", ""),
)
OF_LOAD = (
    ("watts", "wave_watts", "Watts of the load by its record", "W", "mean of volts times amps"),
    ("apparent", "wave_apparent", "Volt-amperes of the load", "VA", "rms times rms"),
    ("power_factor", "wave_power_factor", "Power factor of the load", "1", "watts over volt-amperes"),
    ("current_crest", "wave_current_crest", "Crest factor of the load's amps", "1", ""),
)
OF_INPUT = (
    ("input_ripple", "input_ripple_twice", "Input amps at twice the output frequency, rms", "A", ""),
    ("input_ripple_share", "input_ripple_share", "Input amps at twice the output frequency, of the mean", "1", ""),
)
OF_STEP = (
    ("dip", "step_dip", "Dip of the rms at a step of the load", "1", "of the rms it ends at, half period by half"),
    ("rise", "step_rise", "Rise of the rms at a step of the load", "1", "of the rms it ends at, half period by half"),
    ("recovery", "step_recovery_time", "Back within 1 % after a step of the load", "s", "by its half periods"),
)
UNITS = {key: unit for rows in (TOLD, OF_LOAD, OF_INPUT, OF_STEP) for key, _, _, unit, _ in rows}


def figures_of(traces: Traces, choices: Choices) -> Analysed:
    """By the kind of record."""
    if choices.record == MOTOR:
        return motor_of(traces, choices)
    return _stepped(traces, choices) if choices.record in STEPPED else _standing(traces, choices)


def _standing(traces: Traces, choices: Choices) -> Analysed:
    """Orders, noise and shape of the volts of one record; amps beside them as far as they were recorded."""
    channel = traces.channels[VOLTS]
    one = shape_of(channel.values, traces.step_s)
    band = min(x for x in (channel.bandwidth_Hz, 0.5 / traces.step_s) if x)
    out = Analysed("output wave", {}, {"record": choices.record or OUTPUT, "bandwidth_Hz": band})
    # The frequency is that of the record as it came: to look for it again in each that is moved finds the same.
    hertz = one.frequency_Hz if one is not None else None
    rated = choices.rated_A
    values = _values(traces, one, rated)
    effects = None
    if traces.known and one is not None:
        effects = errors_of(lambda m: _values(m, shape_of(m.values(VOLTS), m.step_s, hertz), rated), traces, values)
        effects["frequency"]["time base"] = (values["frequency"] or 0.0) * traces.timebase_u
    out.figures = {key: figure_of(key, value, UNITS[key], effects) for key, value in values.items()}
    if one is None:
        out.doubt("no_wave", "Fewer than three periods repeat in this record.", "Record 0.1 s and more of it, running.")
        return out
    strongest = sorted(range(2, ORDERS + 1), key=lambda n: -one.orders[n])[:5]
    out.facts |= {"periods": one.periods, "strongest_orders":
                  [f"{n}: {100.0 * one.orders[n] / one.orders[1]:.2g} %" for n in sorted(strongest)]}  # fmt: skip
    if choices.record != OUTLET:
        doubt_alike(out, traces, None)
        _doubts(out, one, values)
    return out


def _values(traces: Traces, one: Shape | None, rated_A: float | None) -> dict[str, float | None]:
    values: dict[str, float | None] = {key: None for key, *_ in TOLD}
    if one is not None:
        values = {"thd": one.thd, "thd_n": one.thd_n, "even": one.even, "odd": one.odd, "crest": one.crest,
                  "flat_top": one.top, "halves": one.halves, "dc": one.dc_V, "rms": one.rms_V,
                  "frequency": one.frequency_Hz}  # fmt: skip
    amps, taken = traces.maybe(AMPS), traces.maybe(INPUT)
    if amps is not None and one is not None:
        power = power_of(traces.values(VOLTS), amps, traces.step_s)
        if power.current_rms > LEAST_LOADED * (rated_A or 0.0) and power.apparent_power > 0.0:
            crest = float(np.max(np.abs(folded(amps, traces.step_s, one.frequency_Hz)))) / power.current_rms
            values |= {"watts": power.real_power, "apparent": power.apparent_power,
                       "power_factor": power.power_factor, "current_crest": crest}  # fmt: skip
    if taken is not None and one is not None:
        twice = float(np.abs(harmonics(taken, traces.step_s, 2.0 * one.frequency_Hz, 1)[1]))
        mean = float(np.mean(taken))
        values |= {"input_ripple": twice, "input_ripple_share": twice / mean if mean > 0.0 else None}
    return values


def _doubts(out: Analysed, one: Shape, values: dict[str, float | None]) -> None:
    if one.even > EVEN_LOUD or abs(one.halves) > UNEVEN:
        out.doubt("halves_differ", f"Its halves differ: even orders {100.0 * one.even:.2g} %, crests by "
                  f"{100.0 * abs(one.halves):.2g} %.",
                  "A transformer or motor at it is driven to one side; read its direct part with a meter.")  # fmt: skip
    if one.top > FLAT:
        out.doubt("flat_top", f"It stays {one.top:.2g} times as long at its crest as a sine does.",
                  "Rectifiers at it charge to less than its rms promises; look at its volts at the crest.")  # fmt: skip
    noisy = out.figures["thd_n"]
    if noisy.u is not None and noisy.value and 2.0 * noisy.u > SCOPE_LOUD * noisy.value:
        text = "Much of THD+N here is the converter's own noise and steps."
        out.doubt(
            "scope_noise", text, "Take it on a finer span, or with more bits; THD goes by orders, and is not in it."
        )
    factor = values.get("power_factor")
    if factor is not None and out.facts["record"] == OUTPUT and abs(factor) < RESISTIVE:
        out.doubt("load_no_resistance", f"Its load has a power factor of {factor:.2g}: volts times amps are no watts.",
                  "Read real watts at the output, or put a plain resistance there.")  # fmt: skip


RESISTIVE = 0.98
LEAST_LOADED = 0.08  # of the rated amps: of less nothing is said of a load
SCOPE_LOUD = 0.25  # of a figure: what the converter itself adds


# A step of the load


def _stepped(traces: Traces, choices: Choices) -> Analysed:
    values = _over_half_periods(traces)
    effects = errors_of(_over_half_periods, traces, values) if traces.known else None
    out = Analysed("step of an output that alternates",
                   {key: figure_of(key, value, UNITS[key], effects) for key, value in values.items()},
                   {"record": choices.record})  # fmt: skip
    doubt_alike(out, traces, None)
    if any(value is None for value in values.values()):
        text = "Too few periods repeat before or after the step, or it is not back before the record ends."
        out.doubt("no_step", text, "Record half a second and more of it.")
    amps, hertz = traces.maybe(AMPS), fundamental(traces.values(VOLTS), traces.step_s)
    step = step_at(amps, traces.step_s, hertz) if amps is not None and hertz is not None else None
    if step is not None:
        out.marks.append(Mark("load steps", traces.begin_s + step, "where the rms of its amps leaves its level"))
    return out


def _over_half_periods(traces: Traces) -> dict[str, float | None]:
    volts, nothing = traces.values(VOLTS), dict.fromkeys((key for key, *_ in OF_STEP), None)
    hertz = fundamental(volts[-max(16, round(0.5 * len(volts))) :], traces.step_s)
    if hertz is None:
        return dict(nothing)
    rms, times = half_periods(volts, traces.step_s, hertz)
    if len(rms) < 12 * A_HALF:
        return dict(nothing)
    level = float(np.mean(rms[-math.ceil(STANDS * len(rms)) :]))
    amps = traces.maybe(AMPS)
    step = step_at(amps, traces.step_s, hertz) if amps is not None else None
    if step is None or not level:
        return dict(nothing)
    after = times >= step
    off = np.abs(rms / level - 1.0)
    late = np.flatnonzero(after & (off > BACK_WITHIN))
    back = float(times[late[-1]] - step) if len(late) else 0.0
    settled = not len(late) or late[-1] < len(rms) - math.ceil(STANDS * len(rms))
    lowest, highest = float(np.min(rms[after])) / level, float(np.max(rms[after])) / level
    return {"dip": max(0.0, 1.0 - lowest), "rise": max(0.0, highest - 1.0), "recovery": back if settled else None}


def step_at(amps: np.ndarray, step_s: float, hertz: float) -> float | None:
    """The moment of a step, in s from the first sample: the end of the first half period whose rms has begun to leave
    its level. None where the amps stay what they were."""
    rms, times = half_periods(amps, step_s, hertz)
    stands = max(1, math.ceil(0.5 * STANDS * len(rms)))
    before, after = float(np.mean(rms[:stands])), float(np.mean(rms[-stands:]))
    left = np.flatnonzero(np.abs(rms - before) > STEP_LEFT * abs(after - before))
    if abs(after - before) < LEAST_STEP * max(before, after) or not len(left):
        return None
    return float(times[left[0]]) + 0.5 / hertz


def named(found: Analysed) -> Sequence[Named]:
    """Of a wall outlet its distortion alone: it is no figure of the unit."""
    f, record = found.figures, found.facts["record"]
    if record == OUTLET:
        note = "for comparison; no figure of the unit"
        return (
            Named("outlet_thd", "Distortion of a wall outlet, THD", "1", f["thd"], note),
            Named("outlet_flat_top", "Flat top of a wall outlet, times a sine", "1", f["flat_top"], note),
        )
    if record == MOTOR:
        return motor.named(found)
    if record in STEPPED:
        return tuple(Named(name, title, unit, f[key], note) for key, name, title, unit, note in OF_STEP)
    rows = (*TOLD, *OF_LOAD, *OF_INPUT)
    if record == RECTIFIER:  # what a supply as load makes of it
        return tuple(
            Named(f"rectifier_{key}", f"{title}, a supply as load", unit, f[key], note)
            for key, _, title, unit, note in rows if key in f and key in OF_RECTIFIER
        )  # fmt: skip
    return tuple(Named(name, title, unit, f[key], note) for key, name, title, unit, note in rows if key in f)


OF_RECTIFIER = ("thd", "crest", "flat_top", "rms", "watts", "apparent", "power_factor", "current_crest")
