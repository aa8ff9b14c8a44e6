"""Rig files: instruments in their roles, with accuracy and wiring, as TOML."""

from __future__ import annotations

import math
from pathlib import Path

from zincsmith.formats.toml_file import Strict, line_of, read, read_text
from zincsmith.model.errors import InputError
from zincsmith.model.quantities import QUANTITIES, ROLES
from zincsmith.model.rig import Accuracy, Instrument, Lead, Rig, StandIn

HOW = ("simulated", "connected", "by hand")


class _Accuracy(Strict):
    quantity: str
    range: float
    reading_percent: float = 0.0
    range_percent: float = 0.0
    offset: float = 0.0
    resolution: float = 0.0
    noise: float = 0.0
    nonlinearity_percent: float = 0.0


class _Instrument(Strict):
    how: str
    maker: str = ""
    model: str = ""
    serial: str = ""
    calibrated: str = ""
    address: str = ""
    dialect: str = ""
    kind: str = ""
    spot: str = ""
    accuracy: list[_Accuracy] = []
    most: dict[str, float] = {}


class _Lead(Strict):
    between: str
    length_m: float
    area_mm2: float


class _StandIn(Strict):
    file: str
    seed: int = 1
    pace: float = 0.0


class _Rig(Strict):
    name: str
    clock: str
    protection: str = ""
    sense: str = "unit"
    instrument: dict[str, _Instrument]
    lead: list[_Lead] = []
    standin: _StandIn | None = None


def read_rig(file: Path) -> Rig:
    """Read a rig file; the path of a stand-in is taken relative to it. InputError names file, key and reason."""
    data = read(file, _Rig)
    text = read_text(file)

    def refuse(key: str, message: str) -> InputError:
        return InputError(message, file=str(file), key=key, line=line_of(text, key.split(".")))

    if data.clock not in ("wall", "simulated"):
        raise refuse("clock", f'must be "wall" or "simulated", not "{data.clock}"')
    if data.sense not in ("unit", "load"):
        raise refuse("sense", f'must be "unit" or "load", not "{data.sense}"')
    instruments = []
    for role, one in data.instrument.items():
        if role not in ROLES:
            raise refuse(f"instrument.{role}", f"no such role; there are: {', '.join(ROLES)}")
        if one.how not in HOW:
            raise refuse(f"instrument.{role}.how", f"must be one of: {', '.join(HOW)}")
        if one.how == "connected" and not one.address:
            raise refuse(f"instrument.{role}.address", "a connected instrument needs an address")
        if one.how == "simulated" and data.standin is None:
            raise refuse(f"instrument.{role}.how", "a simulated instrument needs a [standin] section in this file")
        for row in one.accuracy:
            if row.quantity not in QUANTITIES:
                raise refuse(f"instrument.{role}.accuracy", f"no such quantity: {row.quantity}")
            parts = (row.range, row.reading_percent, row.range_percent, row.offset, row.resolution, row.noise)
            if min(parts) < 0.0 or row.range <= 0.0:
                raise refuse(f"instrument.{role}.accuracy", "a range must be above zero and no part below")
        rows = tuple(Accuracy(**row.model_dump()) for row in one.accuracy)
        instruments.append(Instrument(role=role, **{**one.model_dump(), "accuracy": rows}))
    for lead in data.lead:
        if not (0.0 < lead.length_m <= 100.0 and 0.0 < lead.area_mm2 <= 100.0 and math.isfinite(lead.length_m)):
            raise refuse("lead", "length and area must lie between 0 and 100")
    standin = None
    if data.standin is not None:
        if not 0.0 <= data.standin.pace <= 10000.0:
            raise refuse("standin.pace", "must lie between 0 (as fast as it will go) and 10000")
        path = str((file.parent / data.standin.file).resolve())
        standin = StandIn(path, data.standin.seed, data.standin.pace)
    return Rig(
        name=data.name,
        clock=data.clock,
        instruments=tuple(instruments),
        leads=tuple(Lead(**lead.model_dump()) for lead in data.lead),
        protection=data.protection,
        sense=data.sense,
        standin=standin,
    )
