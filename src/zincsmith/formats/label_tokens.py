"""Label lines, first step: from characters to tokens with their places."""

from __future__ import annotations

import re
import unicodedata
from dataclasses import dataclass

PREFIX = {"": 1.0, "m": 1e-3, "u": 1e-6, "µ": 1e-6, "μ": 1e-6, "k": 1e3, "K": 1e3}
DASHES = "-–—−‐‑"


@dataclass(frozen=True)
class Token:
    """``kind``: number, unit, word, sign, dash, slash, ac, dc, below, punct or other. ``value`` of a number.

    ``before`` and ``after`` tell whether white space stands on that side.
    """

    kind: str
    text: str
    start: int
    end: int
    value: float = 0.0
    before: bool = False
    after: bool = False
    reason: str = ""


_TAIL = r"(?:\d+(?!\d|[.,]\d))?"
_PATTERNS = (
    ("word", r"(?:IP\s?\d[0-9X][A-Z]?|IPX\d)\b"),
    # Thousands: an apostrophe between three digits; blank, point or comma only before a milli unit.
    ("number", r"[0-9]{1,3}(?:['’][0-9]{3})+(?![0-9])|[0-9]{1,3}[ .,][0-9]{3}(?=\s?m[AVW])"),
    ("number", r"[0-9]+[.,][0-9]+|[0-9]+|(?<![^\s(:/+-])[.,][0-9]+"),
    ("pair", r"(?:AC|DC)(?=[0-9]+(?:[.,][0-9]+)?\s?(?:[-–—~/V]|to\b))"),
    ("plusminus", r"\+\s?/\s?[-−–]|±"),
    ("dash", rf"[{DASHES}]|\.\.\.?|…"),
    ("plus", r"\+"),
    ("slash", r"/"),
    ("ac", r"[~∼∿～〜]|\bc\.a\."),
    ("dc", r"⎓|⎓|[=═]{1,3}|\bc\.c\."),
    ("below", r"<=|≤|<|>=|≥|>"),
    ("percent", r"%"),
    ("degree", r"℃|[°º]\s?[CcFf]?"),
    ("punct", r"[,;:()\[\]{}|·•、，]"),
    # Digits behind letters belong to the word (C1), unless they begin a number with decimals (A1.0A).
    ("word", rf"[^\W\d_]+(?:[-_][^\W\d_]+{_TAIL})*{_TAIL}(?:\.(?![0-9]))?"),
)
_SCANNER = re.compile("|".join(f"(?P<p{n}>{pattern})" for n, (_, pattern) in enumerate(_PATTERNS)), re.IGNORECASE)

# Words that carry a unit, after an optional prefix; capitals are as good as small letters but for the prefix.
_UNIT = re.compile(
    r"(?P<prefix>(?-i:[muµμkK])?)(?P<unit>volts?|vac|vdc|vp-?p|vpp|vrms|v|amps?|amperes?|a|watts?|va|w|hz|degc|deg|c)\.?",
    re.IGNORECASE,
)
# A point between unit and digit is asked back: 12V.5A may be 0.5 A or 5 A.
_UNIT_BEHIND = re.compile(_UNIT.pattern.removesuffix(r"\.?") + r"(?=\.?[0-9])", re.IGNORECASE)
UNITS = {
    "v": "V", "volt": "V", "volts": "V", "vac": "Vac", "vdc": "Vdc", "vpp": "Vpp", "vp-p": "Vpp", "vrms": "Vrms",
    "a": "A", "amp": "A", "amps": "A", "ampere": "A", "amperes": "A", "w": "W", "watt": "W", "watts": "W", "va": "VA",
    "hz": "Hz", "degc": "degC", "deg": "deg", "c": "degC",
}  # fmt: skip


def narrow(text: str) -> str:
    """Full-width signs as the plain ones they stand for, place by place."""
    return "".join(n if len(n := unicodedata.normalize("NFKC", c)) == 1 and c > "\u2fff" else c for c in text)


def tokens(text: str) -> list[Token]:
    """All tokens of a line, in order; white space is dropped, everything else is in one of them."""
    out: list[Token] = []
    text = narrow(text)
    at = 0
    while at < len(text):
        if text[at].isspace():
            at += 1
            continue
        found = _SCANNER.match(text, at)
        if found is None or found.end() == at:
            out.append(_token("other", text, at, at + 1))
            at += 1
            continue
        kind = _PATTERNS[int((found.lastgroup or "p0")[1:])][0]
        if kind == "ac" and _between_numbers(out, text, at):
            kind = "dash"
        if kind == "number" and (decimal := _UNIT_AS_POINT.match(text, at)) is not None:
            value = float(f"{decimal['whole']}.{decimal['part']}")
            out.append(_token("number", text, at, at + len(decimal["whole"]), value))
            out.append(_token("unit", text, at + len(decimal["whole"]), decimal.end(), 1.0))
            at = decimal.end()
            continue
        rail = _RAIL.match(text, at) if kind == "word" and out and _touches(out[-1], at) else None
        if rail is not None and (_signed(out) or not rail.group()[-1].isdigit()):
            out.append(_token("unit", text, at, rail.end(), 1.0))
            at = rail.end()
            continue
        close = _UNIT_BEHIND.match(text, at) if kind == "word" and out and _touches(out[-1], at) else None
        if close is not None and unit_of(close.group()) is not None:  # "5V5A": the unit ends where a digit begins
            out.append(_token("unit", text, at, close.end(), PREFIX[close.group("prefix") or ""]))
            at = close.end()
            continue
        made = _classify(kind, text, at, found.end(), bool(out) and out[-1].kind == "number")
        out.append(made)
        at = made.end
    return out


def _between_numbers(before: list[Token], text: str, at: int) -> bool:
    """A tilde right between two numbers is a dash: 100~240V; behind a range it is the sign of alternating current."""
    if not before or re.match(r"[+\-−–]?[0-9]", text[at + 1 :].lstrip(" ")[:2]) is None:
        return False
    if before[-1].kind == "number" and before[-1].end < at and text[at + 1] == " ":  # 115 ~ 140%: no unit, no AC yet
        return True
    if before[-1].kind == "unit" and before[-1].end == at:  # 100V~240V, but 230V~50Hz
        same = rf"[0-9]+(?:[.,][0-9]+)?\s?{re.escape(before[-1].text)}(?![0-9A-Za-z])"
        return re.match(same, text[at + 1 :]) is not None
    if not _touches(before[-1], at):
        return False
    # "100-240~50" is a range already; the dash of "-20~+60" is a sign.
    return len(before) < 2 or before[-2].kind != "dash" or len(before) < 3 or before[-3].kind not in ("number", "unit")


# 1A5, 3W3: the unit stands where the point would. Volts are asked back: +12V1 is the name of a rail.
_UNIT_AS_POINT = re.compile(r"(?P<whole>[0-9]{1,3})(?P<unit>[AW])(?P<part>[0-9]{1,2})(?![\w.,])")


def _signed(before: list[Token]) -> bool:
    return len(before) > 1 and before[-1].kind == "number" and before[-2].kind == "plus"


_RAIL = re.compile(r"V(?:[1-9]|SB|sb)(?![\w.,])")  # +12V1: the first of several rails of 12 V; 5VSB: the standby rail


def _touches(before: Token, at: int) -> bool:
    return before.kind == "number" and before.end == at


def _token(kind: str, text: str, start: int, end: int, value: float = 0.0, reason: str = "") -> Token:
    before = start == 0 or text[start - 1].isspace()
    after = end >= len(text) or text[end].isspace()
    return Token(kind, text[start:end], start, end, value, before, after, reason)


def _classify(kind: str, text: str, start: int, end: int, behind_number: bool) -> Token:
    piece = text[start:end]
    if kind == "pair":
        return _token(piece.lower(), text, start, end)
    if kind == "number":
        if _THOUSANDS.fullmatch(piece) and ("'" in piece or "’" in piece or _MILLI.match(text, end)):
            return _token("number", text, start, end, float(re.sub(r"\D", "", piece)))
        if re.fullmatch(r"\d+,\d{3}", piece) and not piece.startswith("0,"):
            reason = f"{piece.replace(',', '.')} or {piece.replace(',', '')}? Type it without a comma"
            return _token("other", text, start, end, reason=reason)
        if len(piece) > 12:
            return _token("other", text, start, end, reason="no rating has that many digits")
        return _token("number", text, start, end, float(piece.replace(",", ".")))
    if kind == "percent":
        return _token("unit", text, start, end, 1.0)
    if kind == "degree":
        return _token("unit", text, start, end, 1.0)
    if kind == "word":
        return _word(text, start, end, behind_number)
    return _token(kind, text, start, end)


_THOUSANDS = re.compile(r"[0-9]{1,3}(?:['’][0-9]{3})+|[0-9]{1,3}[ .,][0-9]{3}")
_MILLI = re.compile(r"\s?m[AVW]")


_SECONDS = re.compile(r"(?P<prefix>[mµμu]?)s(?:ec)?\.?")


def _word(text: str, start: int, end: int, behind_number: bool) -> Token:
    piece = text[start:end]
    found = _UNIT.fullmatch(piece)
    if found is not None and unit_of(piece) is not None:
        return _token("unit", text, start, end, PREFIX[found.group("prefix") or ""])
    if behind_number and piece == "MA":  # nobody prints mega-amperes
        return _token("unit", text, start, end, 1e-3)
    if behind_number and (seconds := _SECONDS.fullmatch(piece)) is not None:
        return _token("unit", text, start, end, PREFIX[seconds.group("prefix")])
    if behind_number and re.fullmatch(r"M[VW]", piece):
        return _token("other", text, start, end, reason="M means mega; type m for milli")
    return _token("word", text, start, end)


def is_rail(unit: str) -> bool:
    """Whether a unit carries the name of a rail: V1, VSB."""
    return _RAIL.fullmatch(unit) is not None


def unit_of(piece: str) -> str | None:
    """The unit a word or sign stands for: V, Vac, Vdc, Vpp, Vrms, A, W, VA, Hz, s, degC, deg, % or None."""
    if piece == "%":
        return "%"
    if piece == "℃":
        return "degC"
    if piece[:1] in "°º":
        return {"c": "degC", "": "deg"}.get(piece[1:].strip().lower())
    found = _UNIT.fullmatch(piece)
    if found is None:
        if _RAIL.fullmatch(piece):
            return "V"
        if _SECONDS.fullmatch(piece):
            return "s"
        # 1A5: what stands between whole and part
        return piece[0] if re.fullmatch(r"[AW][0-9]{1,2}", piece) else "A" if piece == "MA" else None
    prefix, unit = found.group("prefix"), UNITS[found.group("unit").lower()]
    return unit if not prefix or unit in ("V", "Vpp", "Vrms", "A", "W") else None
