"""Accuracies as meters print them: ``0.5% + 3 counts``, ``0.1% rdg + 0.05% rng``, ``±(0.8 %+5 dgt)``.

Behind a semicolon stands what a data sheet says beside the limit, in any order: ``lin 0.01% rng`` (non-linearity),
``transfer 0.002% rng in 10 min``, ``5 ppm rdg / K`` (outside 23 +/- 5 degC), ``90 d`` (the days, hours or years since
the calibration that the row holds for).
"""

from __future__ import annotations

import re
from dataclasses import replace

from zincsmith.model.errors import InputError
from zincsmith.model.rig import Accuracy

_PART = re.compile(
    r"(?P<number>\d+(?:[.,]\d+)?(?:[eE][+-]?\d+)?)\s*(?P<unit>%|ppm|[munkµμ]?[VAW]|°C|degC|K|counts?|cts?|digits?|dgts?|d)?"
    r"\s*(?:of\s+)?(?P<of>readings?|rdg|rd|value|val|range|rng|fs|full\s*scale|f\.s\.)?",
    re.IGNORECASE,
)
_SCALE = {"m": 1e-3, "u": 1e-6, "µ": 1e-6, "μ": 1e-6, "n": 1e-9, "k": 1e3}
COUNTS = ("c", "d")
LONGEST = 160
_SINCE = re.compile(r"(?P<number>\d+)\s*(?P<unit>h|hours?|d|days?|y|years?)", re.IGNORECASE)
_TRANSFER = re.compile(r"transfer\s+(?P<limit>.+?)\s+(?:in|within)\s+(?P<minutes>\d+(?:\.\d+)?)\s*min", re.IGNORECASE)
_LINEARITY = re.compile(r"lin(?:earity)?\s+(?P<limit>.+)", re.IGNORECASE)
_PER_K = re.compile(r"(?P<limit>.+?)\s*/\s*(?:K|°C)", re.IGNORECASE)


def parse_accuracy(text: str, row: Accuracy, unit: str) -> Accuracy:
    """``row`` with the limit that ``text`` states; its range, and where counts are named its full count, are known.

    A percentage without a word behind it is of the reading. InputError says what is not understood.
    """
    body = text.strip()
    if len(body) > LONGEST:
        raise InputError("that is too long for an accuracy")
    limit, *further = body.split(";")
    row = replace(_limit(limit, row, unit), printed=body)
    for clause in further:
        row = _beside(clause.strip(), row, unit)
    return row


def print_accuracy(row: Accuracy, unit: str) -> str:
    """The limit and what stands beside it, as ``parse_accuracy`` reads it; ``unit`` as people read it, or empty."""
    limit = _shares(row.reading_percent, row.range_percent)
    limit += [f"{row.offset:g} {unit}".strip()] if row.offset else []
    return "; ".join([" + ".join(limit), *beside_words(row)])


def beside_words(row: Accuracy) -> list[str]:
    """What a data sheet says beside its limit, each as ``parse_accuracy`` reads it."""
    found = []
    if row.nonlinearity_percent:
        found.append(f"lin {row.nonlinearity_percent:g}% rng")
    if transfer := _shares(row.transfer_reading_percent, row.transfer_range_percent):
        found.append(f"transfer {' + '.join(transfer)} in {row.transfer_min:g} min")
    if per_K := _shares(row.per_K_reading_percent, row.per_K_range_percent):
        found.append(f"{' + '.join(per_K)} / K")
    if row.valid_days is not None:
        found.append(f"{row.valid_days:g} d" if row.valid_days >= 1.0 else f"{24.0 * row.valid_days:g} h")
    return found


def _shares(of_reading: float, of_range: float) -> list[str]:
    return [f"{p:g}% {of}" for p, of in ((of_reading, "rdg"), (of_range, "rng")) if p]


def _beside(clause: str, row: Accuracy, unit: str) -> Accuracy:
    if found := _SINCE.fullmatch(clause):
        days = {"h": 1.0 / 24.0, "d": 1.0, "y": 365.0}[found["unit"][0].lower()]
        return replace(row, valid_days=float(found["number"]) * days)
    if found := _TRANSFER.fullmatch(clause):
        said = _limit(found["limit"], row, unit)
        if said.offset:
            raise InputError(f"“{clause}”: a transfer accuracy is in % or ppm of reading or range")
        return replace(
            row, transfer_reading_percent=said.reading_percent, transfer_range_percent=said.range_percent,
            transfer_min=float(found["minutes"]),
        )  # fmt: skip
    if found := _LINEARITY.fullmatch(clause):
        said = _limit(found["limit"], row, unit)
        if said.offset or said.reading_percent:
            raise InputError(f"“{clause}”: a linearity is in % or ppm of range, such as lin 0.01% rng")
        return replace(row, nonlinearity_percent=said.range_percent)
    if found := _PER_K.fullmatch(clause):
        said = _limit(found["limit"], row, unit)
        if said.offset:
            raise InputError(f"“{clause}”: a temperature coefficient is in % or ppm of reading or range")
        return replace(row, per_K_reading_percent=said.reading_percent, per_K_range_percent=said.range_percent)
    raise InputError(f"“{clause}” is not understood; beside the limit: lin, transfer … in … min, … / K, 90 d")


def _limit(body: str, row: Accuracy, unit: str) -> Accuracy:
    stripped = re.sub(r"^(?:±|\+\s*/?\s*-)\s*", "", body.strip())
    if stripped.startswith("(") and stripped.endswith(")"):
        stripped = stripped[1:-1]
    if not stripped.strip():
        raise InputError("type the accuracy as it is printed, such as 0.5% + 3 counts")
    said = replace(row, reading_percent=0.0, range_percent=0.0, offset=0.0)
    for piece in stripped.split("+"):
        said = _with_part(said, piece.strip(), unit)
    return said


def _with_part(said: Accuracy, piece: str, unit: str) -> Accuracy:
    """One part of a limit added to what has been read of it."""
    found = _PART.fullmatch(piece)
    if found is None:
        raise InputError(f"“{piece}” is not understood as part of an accuracy")
    digits = found["number"]
    if re.search(r",\d{3}$", digits) and not digits.startswith("0,"):
        raise InputError(f"{digits}: {digits.replace(',', '.')} or {digits.replace(',', '')}? Type no comma")
    number, sort, of = float(digits.replace(",", ".")), found["unit"] or "", (found["of"] or "").lower()
    if sort in {"%", "ppm"}:
        percent = number if sort == "%" else number / 1e4
        if of and not of.startswith(("read", "rd", "val")):
            return replace(said, range_percent=said.range_percent + percent)
        return replace(said, reading_percent=said.reading_percent + percent)
    if sort.lower().startswith(COUNTS) and sort.lower() != "degc":
        if said.counts is None:
            raise InputError("counts need the full count of the display, such as 6000")
        step = said.range / said.counts
        return replace(said, offset=said.offset + number * step, resolution=step)
    if of:
        raise InputError(f"“{piece}”: a share of {of} is in %")
    return replace(said, offset=said.offset + number * _factor(sort, unit, piece))


def _factor(sort: str, unit: str, piece: str) -> float:
    if sort in {"°C", "degC", "K"} and unit == "degC":
        return 1.0
    if sort and sort[-1].upper() == unit:
        return _SCALE.get(sort[0], 1.0) if len(sort) == 2 else 1.0
    if not sort and unit == "1":
        return 1.0
    shown = {"degC": "°C", "1": "no unit"}.get(unit, unit)
    raise InputError(f"“{piece}” carries no unit that fits; this reading is in {shown}")
