"""What set points say: how far volts and amps lie off what was set and off what is shown, what load and line do, how
sharp the corner between both is, and what the pass element turns into heat."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

from zincsmith.analysis.uncertainty import Values
from zincsmith.model.address import at_port
from zincsmith.model.finding import Doubt, Finding
from zincsmith.model.operating_point import OperatingPoint, Purpose, SetPoint
from zincsmith.model.port import output_ports
from zincsmith.model.reading import Point
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.base import Curves
from zincsmith.procedures.finding_of import finding_of
from zincsmith.procedures.rows import carrying

Formula = Callable[[Values], float]
# What is set, what a meter reads of it, what the unit shows of it: by wire, or on a display read by a person.
VOLTS, AMPS = "output_voltage", "output_current"
SHOWN = {VOLTS: ("readback_voltage", "panel_voltage"), AMPS: ("readback_current", "panel_current")}
UNIT = {VOLTS: "V", AMPS: "A"}
WORDS = {VOLTS: "Volts", AMPS: "Amps"}
SMALL, FOLLOWED = "step_V", 0.5  # what a small step is stated as; it may come out wrong by so much of itself
LEAST_HELD = 0.5  # of what was set: with less the unit does not hold its current, the load takes none


def findings_of_settings(points: Sequence[Point], plate: Nameplate) -> list[Finding]:
    """By output, those of volts before those of amps."""
    found: list[Finding] = []
    for port in output_ports(plate):
        mine = [p for p in points if p.at.set_point(port) is not None and p.at.about == port]
        if not mine:
            continue
        bare, loaded, held, corner = _kinds(mine, port)
        found += [f for p in bare for f in _against(VOLTS, p, port, _set(p, port).voltage_V)]
        found += [f for p in held if p.at.fact("held_at_percent") == 50.0
                  for f in _against(AMPS, p, port, _set(p, port).current_A)]  # fmt: skip
        found += _load_effects(bare, loaded, port)
        found += _line_regulation(loaded, port)
        found += _current_regulation(held, port)
        found += _held_over_lines(held, port)
        found += _corner(corner, port)
        found += _heat(held, port)
        found += _least_step(mine, port)
        found = [replace(f, output=port) if f.output == "" else f for f in found]
    return found


def _kinds(points: list[Point], port: str) -> tuple[list[Point], list[Point], list[Point], list[Point]]:
    """(without load, with load clear of the limit, at the limit, through the corner)."""
    volts = carrying(points, [at_port(VOLTS, port)])
    plain = [p for p in volts if p.at.step is None and p.at.draw.law == "CC"]
    both = carrying(points, [at_port(q, port) for q in (VOLTS, AMPS)])
    return (
        [p for p in plain if not p.at.draw.level],
        [p for p in plain if p.at.draw.level],
        [p for p in both if p.at.step is None and p.at.draw.law != "CC"],
        [p for p in both if p.at.step is Purpose.TURN and p.at.fact(SMALL) is None],
    )


def _set(point: Point, port: str) -> SetPoint:
    return point.at.set_point(port) or SetPoint(0.0, 0.0)


def _at(point: Point, port: str, line: bool = True) -> OperatingPoint:
    at = OperatingPoint(point.at.at_line.feeds if line else (), modes=(("", _set(point, port)),))
    share = point.at.draw.share_percent
    return replace(at, draws=(replace(point.at.draw, port="", level=None, share_percent=share),)) if share else at


def _made(
    name: str, title: str, unit: str, rows: list[Point], addresses: list[str], formula: Formula, words: str,
    at: OperatingPoint,
) -> Finding:  # fmt: skip
    return finding_of(name, title, unit, rows, addresses, formula, words, at, doubts_of=lambda _p, _q: [])


def _against(what: str, point: Point, port: str, asked: float) -> list[Finding]:
    """One set point: off what was set, and what is shown off what is there, in the unit and in percent of it."""
    address, unit = at_port(what, port), UNIT[what]
    kind = "voltage" if what == VOLTS else "current"
    at = _at(point, port)
    made = _made(f"set_{kind}_error", f"{WORDS[what]} off what was set", unit, [point], [address],
                 lambda v: float(v[address][0]) - asked, f"{unit} - {unit} set", at)  # fmt: skip
    if what == AMPS and point.need(address).number < LEAST_HELD * asked:
        text = f"It was set to {asked:.4g} A and gave {point.need(address).number:.3g} A: its limit did not act here."
        made = replace(made, doubts=(*made.doubts, Doubt("limit_not_seen", text, "Take a load that drags it lower.")))
    found = [made]
    for shown in SHOWN[what]:
        if carrying([point], [shown_at := at_port(shown, port)]):
            says, name = point.need(shown_at).number, f"shown_{kind}_error"
            found.append(_made(name, f"{WORDS[what]} shown, off what is there", unit, [point], [address],
                               lambda v, says=says: says - float(v[address][0]),  # type: ignore[misc]
                               f"{says:.6g} {unit} as shown - {unit}", at))  # fmt: skip
            found.append(_made(f"{name}_percent", f"{WORDS[what]} shown, off in percent", "1", [point], [address],
                               lambda v, says=says: says / float(v[address][0]) - 1.0,  # type: ignore[misc]
                               f"{says:.6g} {unit} as shown / {unit} - 1", at))  # fmt: skip
    return found


def _load_effects(bare: list[Point], loaded: list[Point], port: str) -> list[Finding]:
    """At each set point, from no load to clear of the limit."""
    address = at_port(VOLTS, port)
    found = []
    for more in loaded:
        same = [p for p in bare if _set(p, port) == _set(more, port) and p.at.line == more.at.line]
        if same:
            found.append(_made("cv_load_effect", "Volts, change from no load to load", "V", [same[0], more], [address],
                               lambda v: float(v[address][1] - v[address][0]), "V loaded - V at no load",
                               _at(more, port)))  # fmt: skip
    return found


def _over_lines(points: list[Point], port: str) -> list[list[Point]]:
    """(lowest line, highest line) of what was taken at several with nothing else changed."""
    pairs = []
    for key in dict.fromkeys((_set(p, port), p.at.draw, p.at.stated) for p in points):
        rows = [p for p in points if (_set(p, port), p.at.draw, p.at.stated) == key]
        rows = sorted({p.at.line: p for p in rows}.values(), key=lambda p: p.at.line_V)
        pairs += [[rows[0], rows[-1]]] if len(rows) > 1 else []
    return pairs


def _line_regulation(loaded: list[Point], port: str) -> list[Finding]:
    """What the line does to volts that are held, of what was set."""
    address, found = at_port(VOLTS, port), []
    for rows in _over_lines(loaded, port):
        asked = _set(rows[0], port).voltage_V
        found.append(_made("line_regulation", "Line regulation", "1", rows, [address],
                           lambda v, asked=asked: float(v[address][1] - v[address][0]) / asked,  # type: ignore[misc]
                           "change of V to the highest line / V set", _at(rows[0], port, line=False)))  # fmt: skip
    return found


def _held_over_lines(held: list[Point], port: str) -> list[Finding]:
    """What the line does to amps that are held."""
    address = at_port(AMPS, port)
    return [
        _made("cc_line_effect", "Held amps, change over the lines", "A", rows, [address],
              lambda v: float(v[address][1] - v[address][0]), "I at the highest - I at the lowest line",
              _at(rows[0], port, line=False))
        for rows in _over_lines(held, port)
    ]  # fmt: skip


def _current_regulation(held: list[Point], port: str) -> list[Finding]:
    """How the held current changes from 90 to 10 % of the volts, of what was set."""
    address = at_port(AMPS, port)
    found = []
    for to, line in dict.fromkeys((_set(p, port), p.at.line) for p in held):
        by_share = {p.at.fact("held_at_percent"): p for p in held if (_set(p, port), p.at.line) == (to, line)}
        if {10.0, 90.0} <= set(by_share) and to.current_A:
            rows = [by_share[10.0], by_share[90.0]]
            asked = to.current_A
            found.append(_made("current_regulation", "Current regulation", "1", rows, [address],
                               lambda v, asked=asked: float(v[address][1] - v[address][0]) / asked,  # type: ignore[misc]
                               "(I at 90 % - I at 10 % of the volts) / I set", _at(rows[0], port)))  # fmt: skip
    return found


def _corner(points: list[Point], port: str) -> list[Finding]:
    """How far below both lines the output lies nearest to the corner: the greatest lack of volts while its amps are
    below what it holds, in percent of what was set; what an ideal corner has none of."""
    volts, amps = at_port(VOLTS, port), at_port(AMPS, port)
    rows = sorted(points, key=lambda p: p.at.step_number)
    if len(rows) < 4:
        return []
    first, last = rows[0], rows[-1]  # clear of it on both sides: there it is as it holds
    if not first.need(volts).number or not last.need(amps).number:
        return []  # it held neither: there is no corner
    worst = max(rows[1:-1], key=lambda p: min(1.0 - p.need(volts).number / first.need(volts).number,
                                        1.0 - p.need(amps).number / last.need(amps).number))  # fmt: skip

    def lack(v: Values) -> float:
        return min(1.0 - float(v[volts][1] / v[volts][0]), 1.0 - float(v[amps][1] / v[amps][2]))

    rows = [first, worst, last]
    made = _made("crossover_lack", "Lack at the corner of volts and amps", "1", rows, [volts, amps], lack,
                 "least of 1 - V / V held, 1 - I / I held", _at(worst, port))  # fmt: skip
    return [made]


def _heat(held: list[Point], port: str) -> list[Finding]:
    """The most that stays inside: at the greatest current and the lowest volts that were taken."""
    volts, amps = at_port(VOLTS, port), at_port(AMPS, port)
    rows = carrying(held, ["input_power"])
    if not rows:
        return []
    worst = max(rows, key=lambda p: p.need("input_power").number - p.need(volts).number * p.need(amps).number)

    def heat(v: Values) -> float:
        return float(v["input_power"][0] - v[volts][0] * v[amps][0])

    title, read = "Watts that stay inside, at worst", ["input_power", volts, amps]
    return [_made("heat_inside", title, "W", [worst], read, heat, "Pin - V I", _at(worst, port))]


def _least_step(points: list[Point], port: str) -> list[Finding]:
    """What the volts do at the least step that they follow, and every greater one: its size within half of it."""
    address = at_port(VOLTS, port)
    pairs: dict[float | None, list[Point]] = {}
    for point in carrying([p for p in points if p.at.fact(SMALL) is not None], [address]):
        pairs.setdefault(point.at.fact(SMALL), []).append(point)
    taken = sorted((step, rows) for step, rows in pairs.items() if step and len(rows) == 2)
    if not taken:
        return []
    follows = [abs(b.need(address).number - a.need(address).number - step) <= FOLLOWED * step for step, (a, b) in taken]
    first = next((n for n in range(len(taken)) if all(follows[n:])), len(taken) - 1)
    step, rows = taken[first]
    made = _made("least_step", "Least step of volts that it follows", "V", rows, [address],
                 lambda v: float(v[address][1] - v[address][0]), f"V after {1e3 * step:g} mV more was set - V before",
                 _at(rows[0], port, False))  # fmt: skip
    if follows[-1] and made.u is not None and 2.0 * made.u > step:
        text = f"Steps of less than {2e3 * made.u:.2g} mV are not told apart by this meter: it may follow smaller ones."
        made = replace(made, doubts=(*made.doubts, Doubt("meter_too_coarse", text, "Read with a finer range.")))
    if not follows[-1]:
        text = f"It did not follow a step of {1e3 * step:g} mV, the greatest that was tried, to within half of it."
        made = replace(made, doubts=(*made.doubts, Doubt("no_step_followed", text, "Look at how its volts are set.")))
    return [made]


def curves(points: Sequence[Point]) -> list[Curves]:
    """Volts and amps off what was set, and the path through the corner."""
    at_rest = [p for p in points if p.at.step is None and p.at.set_point(p.at.about) is not None]
    plain = [p for p in at_rest if p.at.draw.law == "CC"]
    of_volts = _lines(VOLTS, [p for p in plain if not p.at.draw.level], "no load")
    of_volts += _lines(VOLTS, [p for p in plain if p.at.draw.level], "loaded")
    of_amps = _lines(AMPS, [p for p in at_rest if p.at.fact("held_at_percent") == 50.0], "held")
    found = []
    if of_volts:
        found.append(Curves("Volts off what was set", "set", "V", "off by", "mV", "voltage", tuple(of_volts)))
    if of_amps:
        found.append(Curves("Amps off what was set", "set", "A", "off by", "mA", "current", tuple(of_amps)))
    return found + _path(points)


def _lines(what: str, points: list[Point], words: str) -> list[tuple[str, list[float], list[float]]]:
    """By output how far it lies off over what was set, in thousandths."""
    lines = []
    for port in dict.fromkeys(p.at.about for p in points):
        rows = []
        for point in carrying([p for p in points if p.at.about == port], [at_port(what, port)]):
            to = _set(point, port)
            asked = to.voltage_V if what == VOLTS else to.current_A
            rows.append((asked, 1e3 * (point.need(at_port(what, port)).number - asked)))
        if rows:
            x, y = ([float(v) for v in axis] for axis in zip(*sorted(rows), strict=True))
            lines.append((f"{port}, {words}" if port else words, x, y))
    return lines


def _path(points: Sequence[Point]) -> list[Curves]:
    """Volts over amps through the corner."""
    lines = []
    for port in dict.fromkeys(p.at.about for p in points):
        rows = carrying([p for p in points if p.at.about == port and p.at.step is Purpose.TURN
                         and p.at.fact(SMALL) is None],
                        [at_port(q, port) for q in (VOLTS, AMPS)])  # fmt: skip
        rows = sorted(rows, key=lambda p: p.at.step_number)
        if rows:
            x, y = ([p.need(at_port(q, port)).number for p in rows] for q in (AMPS, VOLTS))
            lines.append((port or "output", x, y))
    return [Curves("Where its limit takes over", "amps", "A", "volts", "V", "voltage", tuple(lines))] if lines else []
