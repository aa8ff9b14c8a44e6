"""Standby power from a file of times and watts."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from zincsmith.analysis.standby import Method, Standby, allowed_W, cut_bursts, standby
from zincsmith.formats.columns import Columns
from zincsmith.model.errors import InputError
from zincsmith.recorded.even import longest_gap_s, refuse_falling, rising_times
from zincsmith.recorded.result import Analysed, Figure

Array = NDArray[np.float64]

NEGATIVE_W = -1e-3


def watts_over_time(found: Columns, time: str, power: str, method: Method = "sampling") -> tuple[Array, Array, Standby]:
    """(times in s, watts, what they show) of the rows that are whole. InputError for what is no such record."""
    times, watts = rising_times(found, time), found.need(power, "W", "--power")
    whole = (times == times) & (watts == watts)
    times, watts = times[whole], watts[whole]
    refuse_falling(found, times, time)
    try:
        return times, watts, standby(times, watts, method)
    except ValueError as error:
        raise InputError(f"{error}: record longer", file=str(found.file)) from None


def analyse_standby(found: Columns, time: str, power: str, method: Method) -> Analysed:
    """Is it stable, and what is its mean? InputError for what is no such record."""
    times, watts, seen = watts_over_time(found, time, power, method)
    out = Analysed(
        "standby",
        {
            "mean_power": Figure(seen.mean_W, "W"),
            "slope": Figure(seen.slope_W_per_h, "W/h"),
            "stable_from": Figure(seen.stable_from_s, "s"),
        },
        {
            "stable": seen.stable,
            "method": method,
            "limit": f"{seen.limit_W_per_h:.4g} W/h",
            "used": f"{seen.used_s[0]:.6g} to {seen.used_s[1]:.6g} s, {seen.count} samples",
            "spread": f"{seen.spread_W:.3g} W, 1 sigma",
            "allowed_uncertainty": f"{allowed_W(seen.mean_W):.3g} W at 95 % (IEC 62301:2011, from memory)",
        },
    )
    if seen.bursts:
        out.facts["bursts"] = f"{seen.bursts} whole bursts of {seen.burst_s:.4g} s"
    for note in found.notes:
        out.doubt("read_with_a_note", f"{note[:1].upper()}{note[1:]}.")
    longest = longest_gap_s(times)
    if longest is not None:
        words = f"Nothing was recorded for {longest:.3g} s; the mean goes straight across."
        out.doubt("record_gap", words, "Record without gaps: a burst may lie in one.")
    if seen.short:
        out.doubt("record_short", f"{seen.short[:1].upper()}{seen.short[1:]}.", "Record longer, once a second.")
    inside = (times >= seen.used_s[0]) & (times <= seen.used_s[1])
    if cut_bursts(watts[inside], seen.bursts):
        out.doubt(
            "burst_cut",
            "The power comes in bursts, and no whole ones can be told apart: the mean hangs on where the record begins "
            "and ends.",
            "Record for many bursts, at least ten samples each, or use a meter that integrates.",
        )
    if not seen.stable and not seen.short:
        out.doubt(
            "not_stable",
            f"The power drifts by {seen.slope_W_per_h:+.3g} W/h, more than {seen.limit_W_per_h:.3g} W/h.",
            "Go on recording until it is steady.",
        )
    if seen.mean_W < NEGATIVE_W:
        out.doubt("power_negative", "The power is negative.", "Check the direction of the current input.")
    return out
