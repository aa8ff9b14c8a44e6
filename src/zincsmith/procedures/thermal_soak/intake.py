"""Temperatures over time, out of files."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from itertools import pairwise
from typing import ClassVar

import numpy as np

from zincsmith.analysis.heating import STEADY_K, Warming, reaches_s, warming_of
from zincsmith.formats.columns import Columns
from zincsmith.model.address import at_port
from zincsmith.model.commands import FileRequest
from zincsmith.model.errors import InputError
from zincsmith.model.quantities import ROOM
from zincsmith.procedures.intake import FigureRequest, Intake, Taken, TakenAt, line_of
from zincsmith.procedures.thermal_soak.options import ThermalSoakOptions
from zincsmith.recorded.even import refuse_falling, rising_times
from zincsmith.recorded.file_point import FilePoint, Value, at_line
from zincsmith.recorded.result import Analysed, Figure

ENDS = "_degC"
AMBIENT, CASE = "ambient", "case"
MOST_POINTS = 400


class Temperatures(Intake):
    """A column for each spot, ``NAME_degC``; a spot called ambient is the room."""

    kind = "thermal"
    words = "temperatures over time: how warm each spot gets in the end"
    wanted: ClassVar[Mapping[str, str]] = {"time_s": "time", "NAME_degC": "temperature of a spot, one or more"}
    asks_load = True

    def points(self, found: Columns, asked: FileRequest, at: TakenAt) -> Taken:
        """A point for each stretch of time, at most so many; each spot is one of its temperatures."""
        line = line_of(asked)
        load = asked.load_percent
        times = rising_times(found, asked.time)
        heads = [head for head in found.values if head.endswith(ENDS) and head != asked.time]
        if not heads:
            raise InputError("no column is a temperature: each spot is a column NAME_degC", file=str(found.file))
        refuse_falling(found, times[times == times], asked.time)
        edges = np.unique(np.linspace(0, len(times), min(len(times), MOST_POINTS) + 1).astype(int))
        points = []
        for first, last in pairwise(edges.tolist()):
            values = {}
            for head in heads:
                part = found.need(head, "degC", "")[first:last]
                part = part[part == part]
                if len(part):
                    name = head.removesuffix(ENDS)
                    address = "case_temperature" if name == CASE else at_port("spot_temperature", _called(name))
                    place = f"{found.file.name}, {name}, rows {first + 1} to {last}"
                    values[address] = Value(float(np.mean(part)), place, count=len(part))
            where = replace(at_line(line, load), elapsed_s=float(np.nanmean(times[first:last]) - times[0]))
            if values:
                points.append(FilePoint(where, values))
        options = ThermalSoakOptions(lines=(line,), loads_percent=(load,))
        return Taken(points, options)

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


def _called(name: str) -> str:
    """The room by the name that rooms have here."""
    return ROOM if name == AMBIENT else name


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
