"""Temperatures over time, out of files."""

from __future__ import annotations

from collections.abc import Mapping
from typing import ClassVar

import numpy as np

from zincsmith.analysis.heating import STEADY_K, Warming, reaches_s, warming_of
from zincsmith.formats.columns import Columns
from zincsmith.model.errors import InputError
from zincsmith.procedures.intake import FigureRequest, Intake
from zincsmith.recorded.even import refuse_falling, rising_times
from zincsmith.recorded.result import Analysed, Figure

ENDS = "_degC"
AMBIENT = "ambient"


class Temperatures(Intake):
    """A column for each spot, ``NAME_degC``; a spot called ambient is the room."""

    kind = "thermal"
    words = "temperatures over time: how warm each spot gets in the end"
    wanted: ClassVar[Mapping[str, str]] = {"time_s": "time", "NAME_degC": "temperature of a spot, one or more"}
    evidence = False

    def figures(self, found: Columns, asked: FigureRequest) -> Analysed:
        """By spot. InputError where there is none, or a record is too short."""
        times = rising_times(found, asked.time)
        spots = [head for head in found.values if head.endswith(ENDS) and head != asked.time]
        if not spots:
            raise InputError("no column is a temperature: each spot is a column NAME_degC", file=str(found.file))
        out, steady = Analysed("thermal"), True
        room = _room(found, asked)
        for head in (s for s in spots if s != f"{AMBIENT}{ENDS}"):
            degC = found.need(head, "degC", "")
            whole = (times == times) & (degC == degC)
            refuse_falling(found, times[whole], asked.time)
            try:
                one = warming_of(times[whole], degC[whole])
            except ValueError as error:
                raise InputError(f"{error}", file=str(found.file), key=head) from None
            name = head.removesuffix(ENDS)
            rise = one.final_degC - room if one.final_degC is not None and room is not None else None
            out.figures |= {
                f"final_{name}": Figure(one.final_degC, "degC", one.final_u),
                f"rise_{name}": Figure(rise, "K", one.final_u if rise is not None else None),
                f"time_constant_{name}": Figure(one.tau_s, "s"),
            }
            if asked.limit_degC is not None:
                at = reaches_s(one, times[whole], degC[whole], asked.limit_degC)
                out.figures[f"time_to_limit_{name}"] = Figure(at, "s")
            steady = steady and one.steady
            _doubts(out, name, one)
        out.facts = {"steady": steady, "criterion": f"under {STEADY_K:g} K in 30 min"}
        if room is None:
            out.doubt("no_ambient", "The room is not known: no rise over it.", "Say it (--ambient), or record it.")
        return out


def _room(found: Columns, asked: FigureRequest) -> float | None:
    column = found.find(f"{AMBIENT}{ENDS}", "degC")
    if column is not None and np.any(column == column):
        return float(np.nanmean(column[len(column) // 2 :]))
    return asked.ambient_degC


def _doubts(out: Analysed, name: str, one: Warming) -> None:
    if one.final_degC is None:
        out.doubt(
            "no_end_in_sight", f"{name} climbs too straight for its end to be told.",
            "Record longer: to one time constant at least, better to where it drifts less than 1 K in 30 min.",
        )  # fmt: skip
    elif not one.steady:
        out.doubt(
            "not_steady", f"{name} was not steady when the record ended: its end is extrapolated.",
            "Record until it drifts less than 1 K in 30 min where that decides.",
        )  # fmt: skip
