"""Records of watts over time out of files: standby power as the procedure would have recorded it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from itertools import pairwise
from typing import ClassVar

import numpy as np
from numpy.typing import NDArray

from zincsmith.analysis.standby import Method, Standby, allowed_W, cut_bursts, standby
from zincsmith.formats.columns import Columns
from zincsmith.model.commands import FileRequest
from zincsmith.model.errors import InputError
from zincsmith.model.plan import Line
from zincsmith.procedures.intake import FigureRequest, Intake, Taken, TakenAt, line_of
from zincsmith.procedures.standby.options import StandbyOptions
from zincsmith.recorded.even import LONG_GAP, longest_gap_s, refuse_falling, rising_times
from zincsmith.recorded.file_point import FilePoint, Value, at_line
from zincsmith.recorded.result import Analysed, Figure

Array = NDArray[np.float64]

BLOCK_S = 60.0
NEGATIVE_W = -1e-3


class WattsOverTime(Intake):
    """A record of the input watts at no load."""

    kind = "standby"
    words = "watts over time: standby power"
    wanted: ClassVar[Mapping[str, str]] = {"time_s": "time", "power_W": "input watts"}
    tells = ("time_s", "power_W")

    def points(self, found: Columns, asked: FileRequest, at: TakenAt) -> Taken:
        """Means of about a minute."""
        line = line_of(asked)
        points, notes = points_of_standby(found, asked.time, asked.power, line)
        return Taken(points, StandbyOptions(lines=(line,)), notes)

    def figures(self, found: Columns, asked: FigureRequest) -> Analysed:
        """Whether it is stable, and its mean."""
        return analyse_standby(found, asked.time, asked.power, "average" if asked.method == "average" else "sampling")


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


def points_of_standby(found: Columns, time: str, power: str, line: Line) -> tuple[list[FilePoint], tuple[str, ...]]:
    """A record of watts as means of about a minute, whole bursts each, and notes about it. InputError for what is no
    such record."""
    t, p, seen = watts_over_time(found, time, power)
    block = seen.burst_s * max(1, round(BLOCK_S / seen.burst_s)) if seen.bursts and seen.burst_s else BLOCK_S
    out = []
    step = float(np.median(np.diff(t)))
    count = int((float(t[-1] - t[0]) + 1.5 * step) / block)
    # Each sample stands until the next one comes, but not for a gap.
    stand = np.minimum(np.diff(t, append=float(t[-1]) + step), LONG_GAP * step)
    edges = np.searchsorted(t, float(t[0]) + block * np.arange(count + 1) - 0.25 * step)
    for n, (first, last) in enumerate(pairwise(edges)):
        if last - first < 2:
            continue
        begin = float(t[0]) + n * block
        part, stands = p[first:last], stand[first:last]
        place = f"{found.file.name}, {begin:g} to {begin + block:g} s"
        mean = Value(float(np.dot(stands, part) / np.sum(stands)), place, float(np.std(part, ddof=1)), len(part))
        out.append(
            FilePoint(
                replace(at_line(line, 0.0), elapsed_s=begin - float(t[0]) + block),
                {"input_power": mean},
            )
        )  # fmt: skip
    if not out:
        raise InputError(f"it is shorter than a mean of {block:g} s: record for 15 min", file=str(found.file))
    gap = longest_gap_s(t)
    return out, () if gap is None else (f"nothing was recorded for {gap:.3g} s; a burst may lie there",)
