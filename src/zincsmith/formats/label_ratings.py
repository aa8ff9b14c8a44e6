"""Label lines, fourth step: the ratings of inputs and outputs."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace

from zincsmith.formats.label_figures import PORT, QUIET
from zincsmith.formats.label_line import LineReading, Quantity, quantity, refuse, take, word_at
from zincsmith.formats.label_tokens import is_rail
from zincsmith.model.label import LabelInput, LabelItem, LabelOutput, Mode, Programmable

MAINS_V = (85.0, 277.0)
RECTIFIED_V = 425.0  # a range as high as that in direct current is rectified mains, 120-370VDC
# What a product calls itself says nothing of the numbers behind it.
PRODUCT = {
    "adapter", "adaptor", "charger", "supply", "power", "switching", "driver", "led", "psu", "unit", "desktop", "usb",
    "adjustable", "variable", "regelbar", "einstellbar", "réglable", "regulable", "regolabile", "type-c", "pd", "qc",
    "mode", "netzteil", "ladegerät", "alimentation", "alimentatore", "fuente", "cargador", "transformer", "converter",
    "电源适配器", "适配器", "アダプター",
}  # fmt: skip
# Of these a label tells the volts they have, not those that are given.
STORES = {"battery", "batt", "akku", "batterie", "batteria", "batería", "bateria", "电池", "電池"}
UNSAID_V = 60.0  # above that nobody says output in direct current without saying so
STANDARDS = ("pd", "qc", "usb", "bc")
PLAIN_PORT = re.compile(r"usb[-_]?[ac]?\d*|ch\d+|port\d+|out\d+", re.IGNORECASE)  # named without a colon
PARTS = (",", ";", "|", "·", "•")  # behind one of these another matter begins
SIDES = {
    **dict.fromkeys(("input", "in", "i/p", "vin", "pri", "primary", "eingang", "entrée", "entree", "entrada",
                     "ingresso", "输入", "輸入", "入力"), "input"),
    **dict.fromkeys(("output", "out", "o/p", "vout", "sec", "secondary", "ausgang", "sortie", "salida", "uscita",
                     "输出", "輸出", "出力"), "output"),
}  # fmt: skip


def sections(line: LineReading) -> list[tuple[str, int, int]]:
    """(side or "", first, last) of the stretches that the words input and output cut the line into."""
    cuts = [(k, SIDES[_side_word(line, k)]) for k in range(len(line.tokens)) if _side_word(line, k) in SIDES]
    if not cuts:
        return [("", 0, len(line.tokens) - 1)]
    if len(cuts) == 1:  # "12V DC in 300W": one such word speaks for the whole line
        take(line, cuts[0][0], cuts[0][0] + (2 if "/" in _side_word(line, cuts[0][0]) else 0))
        return [(cuts[0][1], 0, len(line.tokens) - 1)]
    out = []
    for n, (at, side) in enumerate(cuts):
        take(line, at, at + (2 if "/" in _side_word(line, at) else 0))
        end = cuts[n + 1][0] - 1 if n + 1 < len(cuts) else len(line.tokens) - 1
        out.append((side, at, end))
    return out


def _side_word(line: LineReading, at: int) -> str:
    word = word_at(line, at)
    if word in ("i", "o") and word_at(line, at + 1) == "/" and word_at(line, at + 2) == "p":
        return f"{word}/p"
    return word.rstrip(".")


@dataclass
class Part:
    """What has been heard of one rail or mode."""

    name: str | None = None
    volts: Quantity | None = None
    hertz: Quantity | None = None
    amps: float | None = None
    amps_from: float | None = None  # of a range of amps, which ends at ``amps``
    watts: float | None = None
    type: str | None = None
    programmable: bool = False
    joined: bool = False  # volts and amps stand as one, 5V/3A or 5V-3A: what follows without a sign is another mode

    def lacks(self, unit: str) -> bool:
        """Whether volts stand here that still want these amps or watts."""
        return self.volts is not None and ((unit == "A" and self.amps is None) or (unit == "W" and self.watts is None))

    def empty(self) -> bool:
        return self.volts is None and self.hertz is None and self.amps is None and self.watts is None


def read_section(line: LineReading, side: str, first: int, last: int) -> None:
    rails: list[list[Part]] = [[Part()]]
    taken: list[tuple[int, int]] = []
    at = first
    behind = next((t.text for t in line.tokens if t.text.lower() in STORES), "")
    while at <= last:
        if behind and (q := quantity(line, at)) is not None:
            refuse(line, q.first, q.last, f"“{behind}” before it is not understood, so what it is nobody can say")
            at = q.last + 1
            continue
        step = _hear(line, rails, at, taken)
        if step is None and _hides(line, at):
            behind = line.tokens[at].text
        elif line.tokens[at].text in PARTS:
            behind = ""
        at = step if step is not None else at + 1
    parts = [[p for p in modes if not p.empty()] for modes in rails]
    parts = [modes for modes in parts if modes]
    if parts:
        _conclude(line, side, parts, taken)


def _conclude(line: LineReading, side: str, parts: list[list[Part]], taken: list[tuple[int, int]]) -> None:
    """Items from what has been heard, and what of the line they take."""
    chosen = side or ("input" if _is_mains(parts) else "output")
    done = _input(parts) if chosen == "input" else _outputs(parts)
    if done is None:
        for a, b in taken:
            line.reasons.update(dict.fromkeys(range(a, b + 1), "volts, amps and watts that do not belong together"))
        return
    hertz = [p.hertz for modes in parts for p in modes if p.hertz is not None] if chosen == "output" else []
    for q in hertz:  # there is no place for it in an output, so it is not quietly dropped
        reason = "the frequency of an output is not kept; note it with the unit"
        line.reasons.update(dict.fromkeys(range(q.first, q.last + 1), reason))
    for a, b in taken:
        if not any(q.first == a for q in hertz):
            take(line, a, b)
    line.items.extend(done)


def _hides(line: LineReading, at: int) -> bool:
    """Whether what was not understood here leaves open what the next number is: a word, a number, a sign right before
    digits (a smudge, a question mark)."""
    token = line.tokens[at]
    if token.kind == "word" and token.text.lower().rstrip(".") in PRODUCT:
        return False
    close = at + 1 < len(line.tokens) and line.tokens[at + 1].start == token.end
    if token.kind == "unit":  # one without a number: the name of a port, most likely
        return True
    return token.kind in ("word", "number") or (token.kind == "other" and close)


def _hear(line: LineReading, rails: list[list[Part]], at: int, taken: list[tuple[int, int]]) -> int | None:
    """Take one token or quantity into the part it belongs to; the next place, or None when it is not understood."""
    if at in line.used:
        return at + 1
    token = line.tokens[at]
    word = token.text.lower()
    q = quantity(line, at)
    if q is not None:
        step = _hear_quantity(rails, q, taken, line.tokens[q.first].kind in ("plus", "dash"), rail_name(line, q))
        if step is None:
            refuse(line, q.first, q.last, "does not fit with what stands before it")
        return step if step is not None else q.last + 1
    if _hear_sign(line, rails, at) or word in QUIET or token.kind in ("punct", "below"):
        taken.append((at, at))
        return at + 1
    return _hear_name(line, rails, at, taken)


def _hear_sign(line: LineReading, rails: list[list[Part]], at: int) -> bool:
    """A sign or word that says of what kind a part is, or that another begins."""
    part, token = rails[-1][-1], line.tokens[at]
    word = token.text.lower()
    if token.kind in ("ac", "dc") or word in ("ac", "dc", "a.c.", "d.c."):
        part.type = "ac" if token.kind == "ac" or word.startswith("a") else "dc"
    elif _goes_on(line, part, at):
        part.joined = part.joined or token.kind in ("slash", "dash") or token.text == "@"
    elif token.kind == "slash" or word in (";", "or"):
        if not part.empty():
            rails[-1].append(Part(type=part.type, programmable=part.programmable))
    elif word in ("pps", "programmable"):
        if not part.empty():
            rails[-1].append(Part())
        rails[-1][-1].programmable = True
    else:
        return word == ","  # the next volts begin the next rail, with or without it
    return True


def _hear_name(line: LineReading, rails: list[list[Part]], at: int, taken: list[tuple[int, int]]) -> int | None:
    """The name of a port, or of a standard with its edition."""
    token, word = line.tokens[at], line.tokens[at].text.lower()
    if _may_name(line, at) and PORT.fullmatch(token.text) and at + 1 < len(line.tokens):
        colon = line.tokens[at + 1].text == ":"
        if colon or (PLAIN_PORT.fullmatch(token.text) and line.tokens[at + 1].kind in ("number", "plus")):
            rails.append([Part(name=token.text)])
            taken.append((at, at + colon))
            return at + 1 + colon
    standard = word in STANDARDS and at + 1 < len(line.tokens) and line.tokens[at + 1].start == token.end
    if standard and line.tokens[at + 1].kind == "number":  # PD3.0: the number is that of an edition
        taken.append((at, at + 1))
        return at + 2
    return None


def _may_name(line: LineReading, at: int) -> bool:
    """Whether this can be the name of a port: a word, or the number right behind the word output ("OUT 1: 12 V")."""
    if line.tokens[at].kind == "number":
        return at > 0 and line.tokens[at - 1].text.lower() in ("out", "output")
    return line.tokens[at].kind in ("word", "unit")


def _goes_on(line: LineReading, part: Part, at: int) -> bool:
    """Whether a sign here only parts the volts of one thing from its amps or watts: 12V/2A, 12 V; 2 A, 5V@3A, 5V-3A."""
    token = line.tokens[at]
    if token.kind == "dash" and (token.before or token.after):
        return False
    if not (token.kind in ("slash", "dash") or token.text in (";", "@")):
        return False
    after = quantity(line, at + 1)
    return after is not None and after.sign == "+" and len(after.values) == 1 and part.lacks(after.unit)


def rail_name(line: LineReading, q: Quantity) -> str | None:
    """What a rail is called by the unit of its volts: 12V1, 5VSB."""
    unit = line.tokens[q.last].text
    return f"{q.values[0]:g}{unit.upper()}" if is_rail(unit) and q.sign != "-" else None


def _hear_quantity(
    rails: list[list[Part]], q: Quantity, taken: list[tuple[int, int]], signed: bool, name: str | None
) -> int | None:
    """``signed``: a plus or minus is printed, as for one of several rails; ``name`` what its unit calls it."""
    part = rails[-1][-1]
    volts = q.unit in ("V", "Vac", "Vdc")
    if volts:
        if part.volts is not None:
            if part.programmable and q.joint == "dash" and len(q.values) == 2 and part.amps is not None:
                rails[-1].append(Part(programmable=True, volts=q))  # PPS 3.3-5.9V 3A, 3.3-11V 2.25A
                taken.append((q.first, q.last))
                return q.last + 1
            if part.programmable or (len(rails[-1]) > 1 and part.amps is None and part.watts is None):
                return None
            one_port = part.joined or (rails[-1][0].name or "").lower().startswith("usb")
            if one_port and signed is False:
                rails[-1].append(Part(type=part.type))
            else:
                rails.append([Part(type=None)])
            part = rails[-1][-1]
        part.volts = q
        part.name = name or part.name
        part.type = {"Vac": "ac", "Vdc": "dc"}.get(q.unit, part.type)
    elif q.unit == "Hz" and part.hertz is None and len(q.values) <= 2 and q.sign == "+":
        part.hertz = q
    elif q.unit == "A" and part.amps is None and len(q.values) == 1 and q.sign == "+":
        part.amps = q.values[0]
    elif q.unit == "A" and part.amps is None and q.joint == "dash" and len(q.values) == 2 and q.sign == "+":
        part.amps_from, part.amps = min(q.values), max(q.values)
    elif q.unit == "W" and part.watts is None and len(q.values) == 1 and q.sign == "+":
        part.watts = q.values[0]
    else:
        return None
    taken.append((q.first, q.last))
    return q.last + 1


def _is_mains(rails: list[list[Part]]) -> bool:
    part = rails[0][0]
    if part.hertz is not None:
        return True
    v = part.volts
    top = RECTIFIED_V if v is not None and (v.unit == "Vdc" or part.type == "dc") else MAINS_V[1]
    return v is not None and len(v.values) > 1 and all(MAINS_V[0] <= x <= top for x in v.values)


def _input(rails: list[list[Part]]) -> list[LabelItem] | None:
    parts = [p for modes in rails for p in modes]
    if any(p.amps_from is not None for p in parts):
        return None
    if len(parts) > 1 and not _ranges_of_mains(parts):
        return None
    items = [_one_input(p) for p in parts]
    return None if any(one is None for one in items) else [one for one in items if one is not None]


def _ranges_of_mains(parts: list[Part]) -> bool:
    """Whether several volts of one line are ranges of one input fed by the mains (or by rectified mains), each with
    what belongs to it: 100-127V~ 1A / 200-240V~ 0.5A, 85-264VAC / 120-370VDC. A frequency behind the last is that of
    all; amps there are nobody's: whose are they?"""
    spans = []
    for p in parts:
        v = p.volts
        if v is None or v.sign == "±" or v.joint == "slash" or p.watts is not None:
            return False
        top = RECTIFIED_V if p.type == "dc" else MAINS_V[1]
        if not all(MAINS_V[0] <= x <= top for x in v.values):
            return False
        spans.append((p.type or "ac", min(v.values), max(v.values)))
    apart = all(a[0] != b[0] or a[2] < b[1] for a, b in zip(sorted(spans), sorted(spans)[1:], strict=False))
    amps = [p.amps is not None for p in parts]
    if not apart or (any(amps) and not all(amps)):
        return False
    hertz = [p.hertz for p in parts]
    if hertz[-1] is not None and all(h is None for h in hertz[:-1]):
        for p in parts:
            p.hertz = None if p.type == "dc" else hertz[-1]
    return True


def _one_input(part: Part) -> LabelInput | None:
    v = part.volts
    voltage = selector = None
    if v is not None:
        if v.sign == "±" or min(v.values) < 0.0 or (v.joint == "dash" and len(v.values) != 2):
            return None
        if v.joint == "slash":
            selector = tuple(v.values)
        else:
            voltage = (v.values[0], v.values[-1])
            if voltage[0] > voltage[1]:  # printed backwards
                voltage = (voltage[1], voltage[0])
    hertz = (min(part.hertz.values), max(part.hertz.values)) if part.hertz is not None else None
    kind = part.type or ("ac" if hertz or (v is not None and min(v.values) >= MAINS_V[0]) else "dc")
    return LabelInput(kind, voltage, selector, hertz, part.amps, part.watts)


def _outputs(rails: list[list[Part]]) -> list[LabelItem] | None:
    out: list[LabelItem] = []
    for modes in rails:
        made = _output(modes)
        if made is None:
            return None
        out += made
    return out


def _output(parts: list[Part]) -> list[LabelItem] | None:
    if any(p.hertz is not None and p.type == "dc" for p in parts):
        return None
    said = next((p.type for p in parts if p.type), None) or ("ac" if any(p.hertz for p in parts) else None)
    if said is None and any(abs(x) > UNSAID_V for p in parts if p.volts is not None for x in p.volts.values):
        return None  # the mains, most likely
    kind = said or "dc"
    base = LabelOutput(name=parts[0].name, type=kind)
    fixed, programmable = [p for p in parts if not p.programmable], [p for p in parts if p.programmable]
    ranges = []
    for p in programmable:
        if p.volts is None or p.volts.joint != "dash" or len(p.volts.values) != 2 or p.watts is not None:
            return None
        ranges.append(Programmable((p.volts.values[0], p.volts.values[1]), p.amps))
    base = replace(base, programmable=tuple(ranges))
    if not fixed:
        return [base]
    listed = fixed[0].volts
    if len(fixed) == 1 and (listed is None or listed.joint != "slash"):
        return _single(base, fixed[0])
    modes = []
    for p in fixed:
        if p.volts is None or p.volts.joint == "dash" or p.volts.sign == "±" or p.amps_from is not None:
            return None
        modes += [Mode(v, p.amps, p.watts) for v in p.volts.values]
    return [replace(base, modes=tuple(modes))]


def _single(base: LabelOutput, part: Part) -> list[LabelItem] | None:
    v = part.volts
    if v is None:
        return [replace(base, current_A=part.amps, current_from_A=part.amps_from, power_W=part.watts)]
    if v.joint == "dash":
        if len(v.values) != 2 or v.sign == "±":
            return None
        span, lowest = (v.values[0], v.values[1]), part.amps_from
        return [replace(base, voltage_V=span, current_A=part.amps, current_from_A=lowest, power_W=part.watts)]
    if part.amps_from is not None:
        return None  # "5 V 2..5 A": a slip of 2.5, most likely; amps have a range where volts have one
    both = (v.values[0], -v.values[0]) if v.sign == "±" else (v.values[0],)
    return [replace(base, voltage_V=x, current_A=part.amps, power_W=part.watts) for x in both]
