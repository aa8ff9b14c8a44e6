"""Label lines, third step: figures that stand for themselves (tolerance, ripple, temperature ...) and marks."""

from __future__ import annotations

import re
from collections.abc import Callable

from zincsmith.formats.label_line import LineReading, Quantity, quantity, refuse, take, text_of, word_at
from zincsmith.formats.label_tokens import is_rail, unit_of
from zincsmith.model.label import LabelFigure, LabelMark

QUIET = {
    "max",
    "max.",
    "nom",
    "nom.",
    "nominal",
    "rated",
    "rating",
    "power",
    "supply",
    "voltage",
    "current",
    "frequency",
    "at",
    "and",
    "load",
    "full",
    *("leistung", "nennleistung", "strom", "spannung", "frequenz", "puissance", "courant", "tension", "fréquence"),
    *("potencia", "corriente", "tensión", "frecuencia", "potenza", "corrente", "tensione", "frequenza"),
}
# In English, German, French, Spanish, Italian, Chinese and Japanese.
EFFICIENCY = ("eff", "η", "wirkungsgrad", "rendement", "rendimiento", "rendimento", "效率", "効率")
RIPPLE = ("ripple", "noise", "restwelligkeit", "ondulation", "rizado", "ondulazione", "纹波", "リップル")
IDLE = ("no-load", "standby", "leerlauf", "空载", "無負荷")
PEAKS = ("p-p", "pp", "pk-pk", "pkpk")
REGULATIONS = {"load": "load_regulation", "line": "line_regulation"}
TOLERANCE = {"tolerance", "tol", "accuracy", "output", "voltage", "volts", "dc", "ac", "max", "load"}
QUALIFIERS = {
    "typ": "typ.",
    "typ.": "typ.",
    "typical": "typ.",
    "min": "min.",
    "min.": "min.",
    "max": "max.",
    "max.": "max.",
}
PORT = re.compile(
    r"(?:usb[-_]?)?[ac]\d?|usb[-_]?[ac]?\d*|port\d*|out\d+|dc\d*|ch\d+|v\d+|sb|stby|standby|\d", re.IGNORECASE
)
MARKS = re.compile(r"IP\s?\d[0-9X][A-Z]?|IPX\d|LPS|SELV|PFC|GaN", re.IGNORECASE)
ROMAN = re.compile(r"[IVX]{1,4}|[1-7]")


def read_figures(line: LineReading) -> None:
    at = 0
    while at < len(line.tokens):
        at = _port_powers(line, at) or _rails_together(line, at) or _figure(line, at) or at + 1


def _figure(line: LineReading, at: int) -> int | None:
    q = quantity(line, at)
    if q is None:
        return _derating(line, at)
    if _shared(line, at, q.last) and q.unit in ("W", "A"):
        step = _of_the_rails_before(line, q)
        if step is not None:
            return step
        refuse(line, q.first, q.last, "what several outputs share is typed at Fields")
        return q.last + 1
    lead = [word_at(line, k) for k in range(max(0, at - 5), at)]
    tail = word_at(line, q.last + 1)
    if q.unit == "deg":
        line.reasons.update(dict.fromkeys(range(q.first, q.last + 1), "degrees of what? Type °C"))
    if q.unit == "degC":
        return _temperature(line, at, q, lead)
    read = _BY_UNIT.get(q.unit)
    return read(line, at, q, lead, tail) if read is not None and len(q.values) == 1 else None


def _percent(line: LineReading, at: int, q: Quantity, _lead: list[str], tail: str) -> int | None:
    value = q.values[0]
    if (kind := _regulation(line, at)) is not None:
        return _add(line, q, LabelFigure(kind, value, "%"), *_reach(line, at, q.last, ("reg", "load", "line")))
    if q.sign == "±":
        before = line.tokens[at - 1] if at > 0 and at - 1 not in line.used else None
        if before is not None and before.kind == "word" and before.text.lower().rstrip(".") not in TOLERANCE:
            return None  # a regulation is no tolerance, nor is what nobody knows
        return _add(line, q, LabelFigure("tolerance", value, "%"), at, q.last)
    efficient = tail in ("typ", "typ.", "typical") or tail.startswith("eff")
    if q.sign == "+" and efficient and _alone(line, at, q.last):
        figure = LabelFigure("efficiency", value, "%", qualifier=QUALIFIERS.get(tail))
        return _add(line, q, figure, *_reach(line, at, q.last, EFFICIENCY))
    return None


def _rippling(line: LineReading, at: int, q: Quantity, lead: list[str], tail: str) -> int | None:
    if q.unit != "Vpp" and not (_says(lead, *RIPPLE) or tail in PEAKS):
        return None
    qualifier = "rms" if q.unit == "Vrms" else "p-p" if q.unit == "Vpp" or tail in PEAKS else None
    figure = LabelFigure("ripple", q.values[0], "V", qualifier=qualifier)
    return _add(line, q, figure, *_reach(line, at, q.last + (tail in PEAKS), RIPPLE))


def _watts(line: LineReading, at: int, q: Quantity, lead: list[str], tail: str) -> int | None:
    value = q.values[0]
    if _says(lead, *IDLE) or ("no" in lead and "load" in lead):
        figure = LabelFigure("no_load_power", value, "W")
        return _add(line, q, figure, *_reach(line, at, q.last, (*IDLE, "no", "load")))
    several = sum(t.kind == "unit" and unit_of(t.text) in ("V", "Vac", "Vdc") for t in line.tokens[:at]) > 1
    if several and tail in ("max", "max."):  # of all modes, never of the last one
        return _add(line, q, LabelFigure("total_power", value, "W"), at, q.last + 1)
    behind = 1 if tail == "total" else 2 if tail in QUIET and word_at(line, q.last + 2) == "total" else 0
    if _says(lead, "total") or behind:
        reach = _reach(line, at, q.last + behind, ("total",))
        return _add(line, q, LabelFigure("total_power", value, "W"), *reach)
    return None


_BY_UNIT: dict[str, Callable[[LineReading, int, Quantity, list[str], str], int | None]] = {
    "%": _percent, "Vpp": _rippling, "V": _rippling, "Vrms": _rippling, "W": _watts,
}  # fmt: skip


def _temperature(line: LineReading, at: int, q: Quantity, lead: list[str]) -> int | None:
    if q.joint == "slash" or len(q.values) > 2 or not _of_the_air(line, at):
        return None
    value: float | tuple[float, float] = q.values[0] if len(q.values) == 1 else (q.values[0], q.values[-1])
    qualifier = "derate above" if _says(lead, "derate") else "ambient" if "ta" in lead else None
    figure = LabelFigure("temperature", value, "degC", qualifier=qualifier)
    words = ("derate", "above", "ta", "temp", "temperature", "ambient", "operating")
    return _add(line, q, figure, *_reach(line, at, q.last, words))


def _alone(line: LineReading, at: int, last: int) -> bool:
    """Whether a share stands for itself: not the end of a span, not in brackets, no number behind the word that follows
    it (a load, and then the efficiency there)."""
    if at > 0 and (line.tokens[at - 1].kind in ("dash", "slash") or line.tokens[at - 1].text == "("):
        return False
    other = any(t.text == "%" and k not in line.used and k != last for k, t in enumerate(line.tokens))
    return not other and not any(t.kind == "number" for t in line.tokens[last + 2 : last + 5])


AIR = {
    "ta", "tamb", "temp", "temperature", "ambient", "operating", "working", "derate", "above", "max", "max.", "up",
    "to", "at", "range", "from", "betriebstemperatur", "umgebungstemperatur", "température", "temperatura", "工作温度",
}  # fmt: skip


def _of_the_air(line: LineReading, at: int) -> bool:
    """Whether the word right before a temperature leaves it one of the room; tc is that of a case."""
    k = at - 1
    while k >= 0 and (line.tokens[k].kind == "below" or line.tokens[k].text in (":", "(", "=")):
        k -= 1
    before = line.tokens[k] if k >= 0 else None
    return before is None or before.kind != "word" or k in line.used or before.text.lower().rstrip(".") in AIR


SHARED = ("combined", "kombiniert", "combiné", "combinado", "合计")


def _shared(line: LineReading, at: int, last: int) -> bool:
    """Whether a figure is one that several outputs have together: said before it, or right behind it."""
    behind = [word_at(line, k) for k in (last + 1, last + 2)]
    return any(w.startswith(SHARED) for w in (*behind, *(word_at(line, k) for k in range(at))))


def _rail(line: LineReading, at: int) -> tuple[str, int] | None:
    """A rail by its volts, 5V, -12V, 12V1, and the token behind it."""
    first, sign = at, ""
    if at < len(line.tokens) and line.tokens[at].kind in ("plus", "dash"):
        sign, first = ("-" if line.tokens[at].kind == "dash" else ""), at + 1
    pair = line.tokens[first : first + 2]
    if len(pair) < 2 or pair[0].kind != "number" or pair[1].kind != "unit" or pair[1].start != pair[0].end:
        return None
    unit = pair[1].text.upper()
    if unit != "V" and not is_rail(pair[1].text):
        return None
    return f"{sign}{pair[0].value:g}{unit}", first + 2


TOGETHER = {"combined", "total", "together", "max", "max.", "maximum", "power", "current", "output", ":", "and"}


def _rails_together(line: LineReading, at: int) -> int | None:
    """``+3.3V & +5V combined 150W``, ``+12V1/+12V2 max 30A``: what rails named by their volts have together."""
    here, said, before = at, False, at > 0 and at - 1 not in line.used and line.tokens[at - 1].text not in PARTS_BEFORE
    if before:
        return None
    while word_at(line, here) in TOGETHER:
        said, here = said or word_at(line, here) in ("combined", "total", "together"), here + 1
    names: list[str] = []
    while (found := _rail(line, here)) is not None:
        names.append(found[0])
        here = found[1]
        if here < len(line.tokens) and (
            line.tokens[here].kind in ("slash", "plus") or word_at(line, here) in ("&", "and", ",")
        ):
            here += line.tokens[here].kind != "plus" or _rail(line, here) is None
            continue
        break
    if len(names) < 2 or len(set(names)) != len(names):
        return None
    while word_at(line, here) in TOGETHER:
        said, here = said or word_at(line, here) in ("combined", "total", "together"), here + 1
    q = quantity(line, here)
    if q is None or q.unit not in ("W", "A") or len(q.values) != 1 or q.sign != "+":
        return None
    here = q.last + 1
    while word_at(line, here) in TOGETHER:
        said, here = said or word_at(line, here) in ("combined", "total", "together"), here + 1
    one_of_several = all(name[-1].isdigit() for name in names)
    if not (said or one_of_several) or (here < len(line.tokens) and line.tokens[here].text not in PARTS_BEFORE):
        return None
    take(line, at, here - 1)
    line.items.append(_together(q, tuple(names)))
    return here


PARTS_BEFORE = (",", ";", "|", "·", "•", "(", ")")


def _together(q: Quantity, names: tuple[str, ...]) -> LabelFigure:
    return LabelFigure("total_power" if q.unit == "W" else "total_current", q.values[0], q.unit, ports=names)


def _of_the_rails_before(line: LineReading, q: Quantity) -> int | None:
    """``+12V1 18A +12V2 18A max 300W combined``: of all rails of the line, each of which has amps of its own."""
    if len(q.values) != 1 or word_at(line, q.last + 1) != "combined":
        return None
    names, here = [], 0
    while here < q.first:
        found = _rail(line, here)
        if found is not None and (current := quantity(line, found[1])) is not None and current.unit == "A":
            names.append(found[0])
            here = current.last + 1
        elif line.tokens[here].text in (",", ";", "/") or word_at(line, here) in ("max", "max.", "output"):
            here += 1
        else:
            return None
    if len(names) < 2 or len(set(names)) != len(names):
        return None
    first = q.first - (word_at(line, q.first - 1) in ("max", "max."))
    take(line, first, q.last + 1)
    line.items.append(_together(q, tuple(names)))
    return q.last + 2


def _derating(line: LineReading, at: int) -> int | None:
    """``derate above 50``: the only figure that is read without a unit."""
    ts = line.tokens
    if (
        word_at(line, at) != "derate"
        or word_at(line, at + 1) != "above"
        or at + 2 >= len(ts)
        or ts[at + 2].kind != "number"
    ):
        return None
    if at + 3 < len(ts) and ts[at + 3].kind in ("unit", "dash", "slash"):
        return None
    take(line, at, at + 2)
    line.items.append(LabelFigure("temperature", ts[at + 2].value, "degC", qualifier="derate above"))
    return at + 3


def _port_powers(line: LineReading, at: int) -> int | None:
    """``C1+C2 45W+20W``: which ports share, and what each then gives."""
    ports, here = [], at
    while (
        here < len(line.tokens)
        and line.tokens[here].kind in ("word", "unit")
        and PORT.fullmatch(line.tokens[here].text)
    ):
        ports.append(line.tokens[here].text)
        if here + 1 < len(line.tokens) and line.tokens[here + 1].kind == "plus":
            here += 2
            continue
        break
    if len(ports) < 2:
        return None
    here += 1
    if word_at(line, here) == ":":
        here += 1
    powers: list[float] = []
    while True:
        q = quantity(line, here)
        if q is None or q.unit != "W" or len(q.values) != 1 or q.sign == "-":
            break
        powers.append(q.values[0])
        here = q.last + 1
        if here < len(line.tokens) and line.tokens[here].kind == "plus":
            here += 1
            continue
        break
    if not powers or len(powers) not in (1, len(ports)):
        return None
    take(line, at, here - 1)
    names = tuple(ports)
    if len(powers) == 1:
        line.items.append(LabelFigure("total_power", powers[0], "W", ports=names))
    else:
        line.items.append(LabelFigure("total_power", None, "W", ports=names, each_W=tuple(powers)))
    return here


def _says(words: list[str], *stems: str) -> bool:
    return any(word.startswith(stems) for word in words)


def _regulation(line: LineReading, at: int) -> str | None:
    """``Load regulation: ±1%``: which of the two, by the words right before the number."""
    k = at - 1
    while k >= 0 and (line.tokens[k].kind == "below" or line.tokens[k].text == ":"):
        k -= 1
    if word_at(line, k).rstrip(".") not in ("regulation", "reg"):
        return None
    return REGULATIONS.get(word_at(line, k - 1))


def _reach(line: LineReading, at: int, last: int, stems: tuple[str, ...]) -> tuple[int, int]:
    """Take in the words that belong to a figure: before it those of ``stems`` and quiet ones, behind it a qualifier."""
    first = at
    while first > 0 and (first - 1) not in line.used:
        before = line.tokens[first - 1]
        word = before.text.lower()
        if (
            before.kind == "below"
            or before.text == "&"
            or word in (":", "(", "=")
            or word in QUIET
            or any(word.startswith(s) for s in stems)
            or word == "consumption"
        ):
            first -= 1
        else:
            break
    if last + 1 < len(line.tokens) and word_at(line, last + 1) in QUALIFIERS:
        last += 1
    return first, last


def _add(line: LineReading, q: Quantity, item: LabelFigure, first: int, last: int) -> int:
    take(line, first, last)
    take(line, q.first, q.last)
    line.items.append(item)
    return last + 1


def read_marks(line: LineReading) -> None:
    at = 0
    while at < len(line.tokens):
        word = word_at(line, at)
        if at in line.used or not word:
            at += 1
        elif MARKS.fullmatch(line.tokens[at].text):
            at = _mark(line, at, at)
        elif word in ("class", "schutzklasse", "classe", "clase") and ROMAN.fullmatch(word_at(line, at + 1).upper()):
            at = _mark(line, at, at + 1)
        elif word == "level" and ROMAN.fullmatch(word_at(line, at + 1).upper()):
            at = _mark(line, at - 1 if word_at(line, at - 1) == "efficiency" else at, at + 1)
        else:
            q = quantity(line, at)
            if q is not None and q.unit == "VA" and len(q.values) == 1:
                at = _mark(line, q.first, q.last)  # apparent power is not watts: kept, not counted
            else:
                at += 1


def _mark(line: LineReading, first: int, last: int) -> int:
    take(line, first, last)
    line.items.append(LabelMark(text_of(line, first, last)))
    return last + 1
