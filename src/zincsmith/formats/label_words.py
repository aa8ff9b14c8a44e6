"""Label lines: figures that a word decides - leakage, protection, hold-up, inrush, power factor, efficiency at a load.

A phrase of the table, what may stand between it and its number, the number, and what it holds at. Anything else beside
the number, on either side, leaves the figure unread.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, replace

from zincsmith.formats.label_line import LineReading, Quantity, quantity, refuse, take, word_at
from zincsmith.formats.label_tokens import narrow, unit_of
from zincsmith.model.label import LabelFigure

VOLTS = ("V", "Vac", "Vdc", "Vrms")


@dataclass(frozen=True)
class Phrase:
    """How a figure is called in English, German, French, Spanish, Italian, Chinese and Japanese, and which units it may
    come in ("" is a plain number). ``spans``: it may be printed as a span."""

    what: str
    units: tuple[str, ...]
    words: str
    spans: bool = False


PHRASES = tuple(
    Phrase(what, units, words, spans)
    for what, units, spans, words in (
        ("touch_current", ("A",), False,
         r"(?:earth |touch )?leakage(?: current)?|touch current|ableitstrom|berührungsstrom|courant de fuite|"
         r"corriente de fuga|corrente di dispersione|泄?漏电流|漏れ電流"),
        ("overvoltage", ("V", "Vdc", "%"), True,
         r"ovp|over-? ?voltage(?: protection)?|überspannungsschutz|protection contre les surtensions|"
         r"protección contra sobretensión|protezione da sovratensione|过(?:电)?压保护|過電圧保護"),
        ("overcurrent", ("A", "%"), True,
         r"ocp|over-? ?(?:load|current)(?: protection)?|überlast(?:schutz)?|überstromschutz|surcharge|"
         r"protection contre les surintensités|sobrecarga|sovraccarico|过(?:载|流|电流)保护|過(?:負荷|電流)保護"),
        ("hold_up", ("s",), False,
         r"hold-? ?up(?: time)?|überbrückungszeit|temps de maintien|tiempo de mantenimiento|tempo di mantenimento|"
         r"保持时间|保持時間"),
        ("inrush", ("A",), False,
         r"inrush(?: current)?|cold start|einschaltstrom|courant de démarrage|corriente de irrupción|"
         r"corrente di spunto|浪涌电流|冲击电流|突入電流"),
        ("power_factor", ("",), False,
         r"power factor|pf|cos ?φ|leistungsfaktor|facteur de puissance|factor de potencia|fattore di potenza|功率因数|"
         r"力率"),
        ("current_thd", ("%",), False, r"thd-?i?|total harmonic distortion"),
        ("average_active_efficiency", ("%",), False,
         r"average (?:active )?(?:efficiency|eff\.?)|durchschnittlicher wirkungsgrad|rendement moyen(?: en mode actif)?"
         r"|eficiencia media|rendimento medio|平均效率|平均効率"),
        ("efficiency", ("%",), False,
         r"efficiency|eff\.?|η|wirkungsgrad|rendement|rendimiento|eficiencia|rendimento|效率|効率"),
        ("cross_regulation", ("%",), False, r"cross[- ]?reg(?:ulation|\.)?|kreuzregelung"),
        ("rise_time", ("s",), False,
         r"rise time|anstiegszeit|temps de montée|tiempo de subida|tempo di salita|上升时间|立上り時間"),
        ("turn_on_delay", ("s",), False,
         r"(?:set-?up|turn-? ?on|start-? ?up)(?: delay)?(?: time)?|"
         r"einschaltverzögerung"),
        ("minimum_load", ("A",), False,
         r"min(?:imum|\.)? load|mindestlast|charge minimale|carga mínima|carico minimo|最小负载|最小負荷"),
        ("surge_power", ("W",), False,
         r"(?:surge|peak)(?: power)?|spitzenleistung|puissance de crête|potencia (?:de )?pico|potenza di picco|"
         r"峰值功率|ピーク電力"),
    )
)  # fmt: skip
_STARTS = tuple((one, re.compile(rf"(?:{one.words})(?![^\W\d_])", re.IGNORECASE)) for one in PHRASES)

# No rating of this program: said so, and left unread.
_NO_RATING = (
    (re.compile(r"withstand|isolation|insulation|hi-?pot|dielectric|prüfspannung|耐压|耐電圧", re.IGNORECASE),
     "a withstand voltage: it is not tested here, note it with the look-over"),
    (re.compile(r"open[- ]circuit|leerlaufspannung|空载电压", re.IGNORECASE),
     "an open-circuit voltage: measure it, it is no rating under load"),
    (re.compile(r"fuse|sicherung|fusible|fusibile|保险丝", re.IGNORECASE),
     "a fuse is entered with the look-over"),
)  # fmt: skip
FILLING = {
    "current", "time", "limit", "max", "max.", "min", "min.", "typ", "typ.", "typical", "of", "the", "is", "rated",
    "at", "strom", "zeit", "dc", "power", "voltage", "level", "cold", "start",
}  # fmt: skip
QUALIFIERS = {"typ": "typ.", "typ.": "typ.", "typical": "typ.", "min": "min.", "min.": "min.", "max": "max.",
              "max.": "max."}  # fmt: skip
AT = ("at", "@", "bei", "à", "a", "en", "con", "ad", "/", ",", "(", "and", "&", "und", "et")
HELD = ("for", ",", "/", "für", "pendant", "por", "per")
FULL = ("full load", "rated load", "nennlast", "volllast", "pleine charge", "plena carga", "pieno carico", "满载",
        "定格負荷")  # fmt: skip
LOW = ("low load", "part load", "light load", "teillast")
OF_RATING = ("rated power", "rated output power", "rated current", "rated load", "rated output current",
             "rated output voltage", "rated voltage", "output power", "output voltage")  # fmt: skip
SEPARATE: tuple[tuple[str, ...], ...] = ((), (",", "/", ";"))  # before the first value, before further ones
# Behind one of these another matter begins.
PARTS = (",", ";", "|", "·", "•")


def read_worded(line: LineReading) -> None:
    """Every figure of the table, as far as all about its number is understood."""
    at = 0
    while at < len(line.tokens):
        at = _one(line, at) or at + 1
    for n, token in enumerate(line.tokens):
        if n in line.used or token.kind != "word":
            continue
        for pattern, reason in _NO_RATING:
            if pattern.match(narrow(line.text), token.start):
                line.reasons.update(dict.fromkeys(range(len(line.tokens)), reason))


def _begins(line: LineReading, at: int) -> tuple[Phrase, int] | None:
    """The phrase that begins at a token, and the token behind it."""
    if at >= len(line.tokens) or at in line.used or line.tokens[at].kind not in ("word", "other"):
        return None
    token = line.tokens[at]
    text = narrow(line.text)
    for phrase, pattern in _STARTS:
        found = pattern.match(text, token.start)
        if found is None:
            continue
        behind = next((k for k in range(at, len(line.tokens)) if line.tokens[k].start >= found.end()), None)
        ends_well = behind is None or line.tokens[behind - 1].end == found.end()
        if ends_well and behind is not None:
            return phrase, behind
    return None


def _stands_alone(line: LineReading, at: int) -> bool:
    """Whether what stands before a phrase leaves it as it is: nothing, what is used, a new matter, a figure of
    watts (600W peak 1200W)."""
    before = line.tokens[at - 1] if at > 0 else None
    if before is None or at - 1 in line.used or before.kind in ("punct", "slash"):
        return before is None or before.text not in ("(", ")")
    if before.kind == "unit":  # watts of an output, not the load or the line at which: "10-100% efficiency 85%"
        k = at - 1
        while k >= 0 and line.tokens[k].kind in ("number", "unit", "dash", "slash"):
            k -= 1
        return unit_of(before.text) not in ("%", "degC", "deg", None) and word_at(line, k) not in AT[:7]
    return before.text.lower() in ("input", "output", "and", "&", "in", "out", "i/p", "o/p")


@dataclass
class _Where:
    """What a figure is printed to hold at."""

    volts: float | None = None
    hertz: float | None = None
    load_percent: float | None = None
    seconds: float | None = None


def _one(line: LineReading, at: int) -> int | None:
    lead = QUALIFIERS.get(word_at(line, at), "")  # typical efficiency 88%
    begun = _begins(line, at + bool(lead))
    if begun is None or not _stands_alone(line, at):
        return None
    phrase, here = begun
    found: list[LabelFigure] = []
    qualifier = lead
    while not found or _more(line, here, phrase):  # 20ms/230VAC 16ms/115VAC
        where = _Where()
        main, here, bound, said = _up_to_value(line, here, phrase, where, SEPARATE[bool(found)])
        qualifier = said or qualifier
        if main is None:
            return _leave(line, at, here)
        last, own = _behind(line, main, where, phrase)
        if bound and not _bound_fits(phrase, bound):
            return _leave(line, at, last)
        if bound and phrase.what in _EITHER:
            own = own or {"most": "max.", "least": "min."}[bound]
        found.append(_figure_of(phrase, main, where, own or qualifier))
        here = last + 1
    if not _ends(line, here) or (len(found) > 1 and len({(f.at_V, f.at_load_percent) for f in found}) < len(found)):
        return _leave(line, at, here)
    take(line, at, here - 1)
    line.items.extend(found)
    return here


def _up_to_value(
    line: LineReading, at: int, phrase: Phrase, where: _Where, separate: tuple[str, ...]
) -> tuple[Quantity | None, int, str, str]:
    """(value or None, its place, printed bound, qualifier): what may stand between a phrase and its number is heard."""
    bound = qualifier = ""
    while at < len(line.tokens):
        token, word = line.tokens[at], word_at(line, at)
        if token.kind == "below":
            bound = "most" if token.text[0] in "<≤" else "least"
            at += 1
        elif (step := _condition(line, at, where, phrase)) is not None:
            at = step
        elif (main := _main(line, at, phrase)) is not None:
            return main, at, bound, qualifier
        elif word in FILLING or token.text in (":", "(", "=", ")", *separate):
            qualifier = QUALIFIERS.get(word, qualifier)
            at += 1
        else:
            break
    return None, at, bound, qualifier


def _more(line: LineReading, at: int, phrase: Phrase) -> bool:
    while at < len(line.tokens) and (line.tokens[at].text in (",", "/", ";") or line.tokens[at].kind == "below"):
        at += 1
    return at < len(line.tokens) and phrase.units != ("",) and _main(line, at, phrase) is not None


def _leave(line: LineReading, first: int, last: int) -> int:
    """The number belongs to the phrase, and not all of it is understood: nothing of it is read."""
    end = last
    while end + 1 < len(line.tokens) and line.tokens[end + 1].text not in PARTS:
        end += 1
    refuse(line, first, min(end, len(line.tokens) - 1), "a word here decides what the number is, and is not understood")
    return min(end, len(line.tokens) - 1) + 1


def _main(line: LineReading, at: int, phrase: Phrase) -> Quantity | None:
    token = line.tokens[at]
    if phrase.units == ("",):
        bare = token.kind == "number" and (at + 1 >= len(line.tokens) or line.tokens[at + 1].kind != "unit")
        return Quantity([token.value], "", "", "+", at, at) if bare and 0.0 < token.value <= 1.0 else None
    q = quantity(line, at)
    if (
        q is None
        or q.unit not in phrase.units
        or q.sign == "-"
        or (q.sign == "±" and phrase.what != "cross_regulation")
    ):
        return None
    span = len(q.values) == 2 and q.joint == "dash" and phrase.spans
    return q if len(q.values) == 1 or span else None


def _condition(line: LineReading, at: int, where: _Where, phrase: Phrase) -> int | None:
    """``at 230 VAC 50 Hz``, ``@ full load``, ``(10 %)``, ``/230V``: the token behind it, None where none begins."""
    here, led = at, False
    while here < len(line.tokens) and (word_at(line, here) in AT or line.tokens[here].text in AT):
        here, led = here + 1, True
    if here >= len(line.tokens):
        return None
    if (after := _load_in_words(line, here, where)) is not None:
        return _closed(line, after)
    q = quantity(line, here) if led else None
    if q is None or len(q.values) != 1 or q.sign != "+":
        return None
    if q.unit in VOLTS and "V" not in phrase.units and where.volts is None:
        return _closed(line, _at_line(line, q, where))
    if q.unit == "%" and (word_at(line, q.last + 1) == "load" or line.tokens[at].text == "("):
        where.load_percent = q.values[0]
        return _closed(line, q.last + (2 if word_at(line, q.last + 1) == "load" else 1))
    return None


def _load_in_words(line: LineReading, at: int, where: _Where) -> int | None:
    """``full load``, ``low load``: the token behind it."""
    text = narrow(line.text)[line.tokens[at].start :].lower()
    for words, percent in (*((w, 100.0) for w in FULL), *((w, None) for w in LOW)):
        if text.startswith(words):
            end = line.tokens[at].start + len(words)
            where.load_percent = percent
            return next((k for k in range(at, len(line.tokens)) if line.tokens[k].start >= end), len(line.tokens))
    return None


def _at_line(line: LineReading, volts: Quantity, where: _Where) -> int:
    """The volts of a line, with the hertz that may follow: the token behind them."""
    where.volts = volts.values[0]
    after = volts.last + 1
    hertz = quantity(line, after)
    if hertz is None and after < len(line.tokens) and line.tokens[after].text in (",", "/", "~"):
        hertz = quantity(line, after + 1)
    if hertz is not None and hertz.unit == "Hz" and len(hertz.values) == 1:
        where.hertz, after = hertz.values[0], hertz.last + 1
    return after


def _closed(line: LineReading, at: int) -> int:
    return at + 1 if at < len(line.tokens) and line.tokens[at].text == ")" else at


def _behind(line: LineReading, main: Quantity, where: _Where, phrase: Phrase) -> tuple[int, str]:
    """(last token, qualifier) once what stands behind the number is heard."""
    here, qualifier = main.last + 1, ""
    while here < len(line.tokens):
        word = word_at(line, here)
        if word in QUALIFIERS:
            qualifier, here = QUALIFIERS[word], here + 1
            continue
        step = _condition(line, here, where, phrase)
        if step is not None:
            here = step
            continue
        text = narrow(line.text)[line.tokens[here].start :].lower()
        said = next((w for w in OF_RATING if text.startswith((w, f"of {w}"))), None) if main.unit == "%" else None
        if said is not None:
            end = line.tokens[here].start + text.index(said) + len(said)
            here = next((k for k in range(here, len(line.tokens)) if line.tokens[k].start >= end), len(line.tokens))
            continue
        if phrase.what == "surge_power":
            held = quantity(line, here + (word in HELD))
            if held is not None and held.unit == "s" and len(held.values) == 1 and where.seconds is None:
                where.seconds, here = held.values[0], held.last + 1
                continue
        break
    return here - 1, qualifier


def _ends(line: LineReading, at: int) -> bool:
    """Whether another matter begins, or nothing more comes."""
    if at >= len(line.tokens) or at in line.used:
        return True
    return line.tokens[at].text in (*PARTS, ")", "]", "/") or _begins(line, at) is not None


_LEAST = {"hold_up", "power_factor", "efficiency", "average_active_efficiency", "surge_power"}
_EITHER = {"overvoltage", "overcurrent"}  # a limit from which on, or at most at which, a protection acts


def _bound_fits(phrase: Phrase, bound: str) -> bool:
    """Whether the printed sign says what such a figure says: a power factor below 0.9 is no promise."""
    return phrase.what in _EITHER or bound == ("least" if phrase.what in _LEAST else "most")


def _figure_of(phrase: Phrase, main: Quantity, where: _Where, qualifier: str) -> LabelFigure:
    value: float | tuple[float, float] = (
        main.values[0] if len(main.values) == 1 else (min(main.values), max(main.values))
    )
    unit = "V" if main.unit in VOLTS else main.unit or "1"
    figure = LabelFigure(phrase.what, value, unit, qualifier=qualifier or None)
    return replace(figure, at_V=where.volts, at_Hz=where.hertz, at_load_percent=where.load_percent, at_s=where.seconds)
