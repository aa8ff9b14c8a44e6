"""Figures of an overload, from a log of volts and amps."""

from __future__ import annotations

import numpy as np

from zincsmith.analysis.protection import HOLDS, Log, Protection, protection_of
from zincsmith.model.errors import InputError
from zincsmith.procedures.waveforms.traces import Choices, Traces, combined
from zincsmith.recorded.result import Analysed, Figure, Mark

SHORT_ATTEMPT_S = 0.02  # what an attempt of a supply that hiccups lasts at least; common practice, no source
FEW, SAGGED = 3, 0.03  # samples; of the input
SAME_SETTING = 2e-3  # so near two settings of a load are one
LET_GO = "lets_go_at_A"
CURRENT, VOLTAGE = "output_current", "output_voltage"


def protection_figures(traces: Traces, choices: Choices, by_settings: bool = False) -> Analysed:
    """``by_settings``: with the largest current of the settings that held (``held_current``) too.

    InputError for no nominal volts, no rated current, or too few samples.
    """
    traces = traces.upright
    times = traces.begin_s + traces.step_s * np.arange(traces.count, dtype=np.float64)
    log = Log(
        times, traces.values(VOLTAGE), np.abs(traces.values(CURRENT)),
        traces.maybe("load_set"), traces.maybe("input_power"), traces.maybe("case_temperature"),
        traces.maybe("input_voltage"),
    )  # fmt: skip
    try:
        found = protection_of(log, choices.nominal(), choices.rated())
    except ValueError as error:
        raise InputError(f"{error}") from None
    out = Analysed("protection", _figures(found, traces))
    held = _held_A(found, log) if by_settings else None
    if held is not None:
        one = out.figures["limit_current"]
        share = held / one.value if one.value else 1.0
        effects = {name: x * share if name.endswith("gain") else x for name, x in one.effects.items()}
        out.figures["held_current"] = Figure(
            held, "A", combined(effects) if one.u is not None else None, effects=effects
        )
    out.facts = {
        "protection": found.behaviour,
        "recovery": found.recovery,
        "sequence": list(found.sequence),
        **({"load_ran_out": True} if found.load_ran_out else {}),
        **({LET_GO: f"{found.let_go_A:.5g}"} if found.let_go_A is not None else {}),
        "sample_rate_Hz": f"{1.0 / traces.step_s:.6g}",
    }
    if found.let_go_s is not None:
        out.marks = [Mark("lets go", found.let_go_s, "below 95 % of its volts before")]
    if found.recovery_s is not None and found.recovery == "automatic":
        released = _released_s(log, choices.rated())
        if released is not None:
            out.marks += [Mark("released", released, "no more than its rating is asked for"),
                         Mark("back", released + found.recovery_s, "90 % of nominal")]  # fmt: skip
    _doubts(out, found, log, choices, by_settings)
    return out


def _below_its_load(found: Protection, log: Log, choices: Choices) -> tuple[str, str, str] | None:
    """A limit whose volts lie below those from which the load works: there it draws what it likes."""
    if found.let_go_s is None or not choices.load_works_from_V:
        return None
    limited = (log.times > found.let_go_s) & (log.amps > 0.1 * (found.limit_A or 0.0))
    low = limited & (log.volts < choices.load_works_from_V)
    if np.count_nonzero(limited) < FEW or np.count_nonzero(low) < 0.5 * np.count_nonzero(limited):
        return None
    return (
        "load_below_its_volts",
        f"While it limited, {float(np.median(log.volts[low])):.3g} V were left; the load works from "
        f"{choices.load_works_from_V:g} V up: what flowed there is the load's doing as well.",
        "A load that works lower, or a resistor.",
    )


def _source_gave_way(found: Protection, log: Log) -> tuple[str, str, str] | None:
    """The input fell when it let go: what limited may have been the source."""
    if found.let_go_s is None or log.input_V is None:
        return None
    before, after = (log.input_V[log.times < found.let_go_s], log.input_V[log.times >= found.let_go_s])
    if len(before) < FEW or len(after) < FEW:
        return None
    was, least = float(np.median(before)), float(np.min(after[: max(FEW, len(after) // 4)]))
    if not 0.1 * was < least < (1.0 - SAGGED) * was:  # gone altogether it was switched
        return None
    return (
        "source_sags", f"When it let go the input fell from {was:.4g} to {least:.4g} V: the source may have limited.",
        "Raise its limit, or use a stiffer one.",
    )  # fmt: skip


def _held_A(found: Protection, log: Log) -> float | None:
    """The largest current of the settings below the one at which it let go. What flows at that setting until the
    protection acts was given, but does not hold. None of a plateau, and where nobody recorded what was asked."""
    if log.asked_A is None or found.let_go_A is None or found.before_V is None or found.behaviour == "constant-current":
        return None
    below = (log.asked_A < (1.0 - SAME_SETTING) * found.let_go_A) & (log.volts >= HOLDS * found.before_V)
    return float(np.max(log.amps[below])) if below.any() else None


def _released_s(log: Log, rated_A: float) -> float | None:
    asked = log.asked_A if log.asked_A is not None else log.amps
    over = [k for k, a in enumerate(asked) if a > 1.02 * rated_A]
    return float(log.times[over[-1] + 1]) if over and over[-1] + 1 < len(log.times) else None


def _figures(found: Protection, traces: Traces) -> dict[str, Figure]:
    amps, volts = traces.channels[CURRENT], traces.channels[VOLTAGE]

    def told(value: float | None, unit: str, effects: dict[str, float]) -> Figure:
        if value is None or not traces.known:
            return Figure(value, unit)
        return Figure(value, unit, combined(effects), effects=effects)

    def of_time(value: float | None) -> Figure:
        if value is None:
            return Figure(None, "s")
        effects = {"one sample of the log": traces.step_s / 6.0**0.5, "time base": traces.timebase_u * value}
        return Figure(value, "s", combined(effects), effects=effects)

    limit, before = found.limit_A, found.before_V

    def amps_of(value: float | None) -> dict[str, float]:
        return {
            f"{CURRENT}: gain": (amps.gain_u or 0.0) * (value or 0.0), f"{CURRENT}: offset": amps.offset_u or 0.0,
            f"{CURRENT}: steps": amps.quantum / 12.0**0.5,
        }  # fmt: skip

    power = found.limit_W or 0.0
    return {
        "limit_current": told(limit, "A", amps_of(limit)),
        "limit_power": told(found.limit_W, "W", {
            f"{CURRENT}: gain": power * (amps.gain_u or 0.0), f"{VOLTAGE}: gain": power * (volts.gain_u or 0.0),
        }),
        "voltage_before": told(before, "V", {
            f"{VOLTAGE}: gain": (before or 0.0) * (volts.gain_u or 0.0), f"{VOLTAGE}: offset": volts.offset_u or 0.0,
        }),
        "highest_current": told(found.highest_A, "A", amps_of(found.highest_A)),
        "hiccup_period": of_time(found.hiccup_s),
        "recovery_time": of_time(found.recovery_s),
        "time_to_shutdown": of_time(found.shutdown_s),
    }  # fmt: skip


def _doubts(out: Analysed, found: Protection, log: Log, choices: Choices, by_settings: bool) -> None:
    if found.below_rating:
        limit = f"{found.limit_A:.4g} A" if found.limit_A is not None else "less"
        out.doubt(
            "trip_below_rating", f"It lets go at {limit}, rated for {choices.rated():g} A.",
            "Was it warm, derated, or fed too low? Take it once more from cold.",
        )  # fmt: skip
    step = float(np.median(np.diff(log.times))) if by_settings and len(log.times) > 1 else 0.0
    if found.behaviour in ("shutdown-auto-recovery", "latching") and step > SHORT_ATTEMPT_S:
        out.doubt(
            "attempts_not_seen", f"Attempts to start that are shorter than {step:.2g} s are not seen by such polls.",
            "Listen whether it ticks, or record the output with a scope: then it is a hiccup.",
        )  # fmt: skip
    for one in (_below_its_load(found, log, choices), _source_gave_way(found, log)):
        if one is not None:
            out.doubt(*one)
    if found.load_ran_out:
        out.doubt(
            "load_ran_out", "The load was set to more than it drew while the volts stood: it ran out, not the unit.",
            "Use a larger load, or one that works down to fewer volts.",
        )  # fmt: skip
    for words in found.undecided:
        out.doubt(
            "protection_undecided",
            f"{words[:1].upper()}{words[1:]}.",
            "Record longer, the input and a temperature too.",
        )
    if found.behaviour == "not-seen" and not found.undecided:
        out.doubt(
            "no_overload", "The log asks for no more than the rating: it says nothing of the protection.",
            "Go on beyond the rating, within what rig and parts stand.",
        )  # fmt: skip
