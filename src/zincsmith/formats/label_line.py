"""Label lines, second step: quantities, and what of a line has been used."""

from __future__ import annotations

from dataclasses import dataclass, field

from zincsmith.formats.label_tokens import Token, is_rail, unit_of
from zincsmith.model.label import LabelItem


@dataclass
class Quantity:
    """Numbers of one unit: one, a span (``joint`` dash) or a list (``joint`` slash)."""

    values: list[float]
    unit: str
    joint: str
    sign: str
    first: int
    last: int


@dataclass
class LineReading:
    text: str
    tokens: list[Token]
    used: set[int] = field(default_factory=set)
    refused: set[int] = field(default_factory=set)  # parts of a quantity that must not be read in part
    reasons: dict[int, str] = field(default_factory=dict)
    items: list[LabelItem] = field(default_factory=list)


def quantity(line: LineReading, at: int) -> Quantity | None:
    """The quantity that begins at token ``at``, or None. A dash with a space before and none after is a minus."""
    ts = line.tokens
    first, sign = at, "+"
    if at < len(ts) and ts[at].kind in ("plus", "plusminus", "dash") and at not in line.used:
        if ts[at].kind == "dash" and (len(ts[at].text) > 1 or ts[at].after or not ts[at].before):
            return None
        sign = {"plus": "+", "plusminus": "±", "dash": "-"}[ts[at].kind]
        at += 1
    if at >= len(ts) or ts[at].kind != "number" or at in line.used or at in line.refused:
        return None
    chain = _chain(line, first, at)
    if chain is None:
        return None
    values, unit, joint, at = chain
    if joint and any(ts[k].kind == "unit" and is_rail(ts[k].text) for k in range(first, at)):
        refuse(line, first, _end_of_chain(ts, at), "rails with something in common: type it at Fields")
        return None
    if sign == "-":
        values[0] = -values[0]
    return Quantity(values, unit, joint, sign, first, at - 1)


def _chain(line: LineReading, first: int, at: int) -> tuple[list[float], str, str, int] | None:
    """(values, unit, joint, place behind them) of the numbers from ``at`` on that carry one unit."""
    ts = line.tokens
    values, unit, joint = [ts[at].value], None, ""
    pending = [0]  # numbers that still want their unit
    at += 1
    while True:
        if at < len(ts) and ts[at].kind == "unit" and (unit is None or unit_of(ts[at].text) == unit):
            unit = unit_of(ts[at].text)
            for k in pending:
                values[k] *= ts[at].value
            pending, at = [], at + 1
        more = _joined(ts, at, bool(pending), unit)
        if more is None:
            break
        if joint and more[0] != joint:
            refuse(line, first, _end_of_chain(ts, at), "ranges and lists mixed: a selector, or two inputs?")
            return None
        joint, number_at, negative = more
        pending.append(len(values))
        values.append(-ts[number_at].value if negative else ts[number_at].value)
        at = number_at + 1
    return None if unit is None or pending else (values, unit, joint, at)


def _joined(ts: list[Token], at: int, open_number: bool, unit: str | None) -> tuple[str, int, bool] | None:
    """(joint, place of the next number, negative) when the quantity goes on: ``100-240V``, ``50/60Hz``, ``0 to 40``."""
    if at + 1 >= len(ts):
        return None
    joint = ts[at]
    kind = "dash" if joint.kind == "dash" or (joint.kind == "word" and joint.text.lower() == "to") else joint.kind
    if kind not in ("dash", "slash"):
        return None
    if kind == "dash" and joint.kind == "dash" and joint.before and not joint.after and not open_number:
        return None  # "5A -12V": the next rail is negative
    place, negative = at + 1, False
    if ts[place].kind in ("plus", "dash") and len(ts[place].text) == 1 and place + 1 < len(ts):
        negative = ts[place].kind == "dash"
        place += 1
    if ts[place].kind != "number":
        return None
    if not open_number:
        # "100V-240V" goes on; "3A / 9V" does not: the next number has to carry the same unit.
        ahead = place + 1
        if ahead >= len(ts) or ts[ahead].kind != "unit" or unit_of(ts[ahead].text) != unit:
            return None
    return kind, place, negative


def _end_of_chain(ts: list[Token], at: int) -> int:
    while at < len(ts) and ts[at].kind in ("number", "dash", "slash", "unit"):
        at += 1
    return at - 1


def refuse(line: LineReading, first: int, last: int, reason: str) -> None:
    """Leave these tokens unread as a whole, and say why."""
    line.refused.update(range(first, last + 1))
    for at in range(first, last + 1):
        line.reasons.setdefault(at, reason)


def take(line: LineReading, first: int, last: int) -> None:
    line.used.update(range(first, last + 1))


def word_at(line: LineReading, at: int) -> str:
    return line.tokens[at].text.lower() if 0 <= at < len(line.tokens) and at not in line.used else ""


def text_of(line: LineReading, first: int, last: int) -> str:
    return line.text[line.tokens[first].start : line.tokens[last].end]
