"""Figures of an output that alternates."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

from zincsmith.analysis.uncertainty import Values
from zincsmith.model.finding import Doubt, Finding
from zincsmith.model.operating_point import Draw, Feed, OperatingPoint, Purpose
from zincsmith.model.reading import Point
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.base import Curves
from zincsmith.procedures.finding_of import finding_of, unlooked, with_parts
from zincsmith.procedures.rows import carrying

RUNS = 0.5  # of nominal
SINGLE = (  # (quantity, finding, title, unit): at each load as it is read
    ("output_frequency", "output_frequency", "Output frequency", "Hz"),
    ("output_thd", "voltage_thd", "Distortion of the output, THD", "1"),
    ("output_crest", "output_crest", "Crest factor of the output", "1"),
    ("output_dc", "output_dc", "Direct part of the output", "V"),
)
DC_LOUD = 0.005  # of nominal: a transformer at it would saturate; house convention


def findings_of_output(points: Sequence[Point], plate: Nameplate) -> list[Finding]:
    """Of the one output; over its loads before over its input."""
    volts = carrying([p for p in points if p.at.step is None], ["output_voltage"])
    if not volts:
        return []
    found = [*_volts(volts), *_regulation(volts, abs(plate.output.voltage_V))]
    for quantity, name, title, unit in SINGLE:
        rows = carrying(volts, [quantity])
        found += [_one(name, title, unit, p, quantity, plate) for p in rows if p.at.line == volts[0].at.line]
    found += _input_amps(volts)
    found += _efficiency(volts)
    return found + _battery(points, abs(plate.output.voltage_V))


def _place(point: Point) -> OperatingPoint:
    return OperatingPoint((Feed(*point.at.line),), (Draw(point.at.draw.share_percent),))


def _line(point: Point) -> OperatingPoint:
    return OperatingPoint((Feed(*point.at.line),))


def _volts(rows: Sequence[Point]) -> list[Finding]:
    """The ends of what the output stood at."""
    found = []
    for name, title, pick in (
        ("output_voltage_min", "Output voltage, lowest", min), ("output_voltage_max", "Output voltage, highest", max),
    ):  # fmt: skip
        point = pick(rows, key=lambda p: p.need("output_voltage").number)
        found.append(_made(name, title, "V", [point], ["output_voltage"], lambda v: float(v["output_voltage"][0]),
                           "V as read", _place(point)))  # fmt: skip
    return found


def _regulation(rows: Sequence[Point], nominal: float) -> list[Finding]:
    found = []
    first = [p for p in rows if p.at.line == rows[0].at.line]
    least, most = (pick(first, key=lambda p: p.at.load_percent) for pick in (min, max))

    def change(v: Values) -> float:
        return float(v["output_voltage"][1] - v["output_voltage"][0]) / nominal

    if least is not most:
        found.append(_made("load_regulation", "Load regulation", "1", [least, most], ["output_voltage"], change,
                           "(V loaded - V at no load) / V nominal", _line(most)))  # fmt: skip
    over = {p.at.line_V: p for p in rows if p.at.load_percent == most.at.load_percent}
    if len(over) > 1:
        ends = [over[min(over)], over[max(over)]]
        found.append(_made("line_regulation", "Line regulation", "1", ends, ["output_voltage"], change,
                           "(V at the highest - V at the lowest input) / V nominal",
                           OperatingPoint(draws=(Draw(most.at.load_percent),))))  # fmt: skip
    return found


def _one(name: str, title: str, unit: str, point: Point, quantity: str, plate: Nameplate) -> Finding:
    made = _made(name, title, unit, [point], [quantity], lambda v: float(v[quantity][0]), "as read", _place(point))
    if name == "output_dc" and made.value is not None and abs(made.value) > DC_LOUD * abs(plate.output.voltage_V):
        text = f"The output has {made.value:+.2g} V of direct current in it: a transformer or motor at it saturates."
        made = replace(made, doubts=(*made.doubts, Doubt("direct_part", text, "Read it with a meter that averages.")))
    return made


def _input_amps(rows: Sequence[Point]) -> list[Finding]:
    """The most it takes, at its greatest load and lowest input."""
    read = carrying(rows, ["input_current"])
    if not read:
        return []
    most = max(read, key=lambda p: p.need("input_current").number)
    return [_made("input_current", "Input current", "A", [most], ["input_current"],
                  lambda v: float(v["input_current"][0]), "as read", _place(most))]  # fmt: skip


def _efficiency(rows: Sequence[Point]) -> list[Finding]:
    """At each load, by real watts where they are read."""
    found = []
    for point in carrying(rows, ["input_power"]):
        real = bool(carrying([point], ["output_real_power"]))
        if not point.at.load_percent or not (real or carrying([point], ["output_current"])):
            continue
        names = ["output_real_power", "input_power"] if real else ["output_voltage", "output_current", "input_power"]

        def share(v: Values, real: bool = real) -> float:
            out = v["output_real_power"][0] if real else v["output_voltage"][0] * v["output_current"][0]
            return float(out / v["input_power"][0])

        made = _made("efficiency", "Efficiency", "1", [point], names, share,
                     "W out / Pin" if real else "V I / Pin", _place(point))  # fmt: skip
        if not real:
            text = "Nobody read the real watts of the output: volts times amps are that of a plain resistance alone."
            made = replace(made, doubts=(*made.doubts, Doubt("apparent_as_real", text, "Put a power meter at it.")))
        found.append(made)
    return found


def _battery(points: Sequence[Point], nominal: float) -> list[Finding]:
    """The input at which it stopped, coming from above, and at which it ran again."""
    found = []
    for step, name, title, ran in (
        (Purpose.STOP, "stop_voltage", "Input at which it stops", False),
        (Purpose.START, "start_voltage", "Input at which it starts", True),
    ):
        rows = carrying([p for p in points if p.at.step is step], ["output_voltage", "input_voltage"])
        hit = next((p for p in rows if (abs(p.need("output_voltage").number) > RUNS * nominal) is ran), None)
        if hit is None:
            continue
        before = [p for p in rows if p.number < hit.number]
        gap = abs(before[-1].at.line_V - hit.at.line_V) if before else 0.0
        way = 0.5 * gap if step is Purpose.STOP else -0.5 * gap
        made = _made(name, title, "V", [hit], ["input_voltage"],
                     lambda v, way=way: float(v["input_voltage"][0]) + way,  # type: ignore[misc]
                     "middle between two steps of the input", OperatingPoint((Feed(frequency_Hz=0.0),)))  # fmt: skip
        found.append(with_parts(made, unlooked(0.5 * gap, "between two steps")) if gap else made)
    return found


def _made(
    name: str, title: str, unit: str, rows: Sequence[Point], quantities: list[str], formula: Callable[[Values], float],
    words: str, at: OperatingPoint,
) -> Finding:  # fmt: skip
    return finding_of(name, title, unit, rows, quantities, formula, words, at)


def curves(points: Sequence[Point]) -> list[Curves]:
    """Efficiency, volts and distortion over the load."""
    rows = carrying([p for p in points if p.at.step is None], ["output_voltage"])
    by_line: dict[str, list[Point]] = {}
    for point in rows:
        by_line.setdefault(point.at.at_line.words, []).append(point)
    found = []
    for title, unit, kind, value in (
        ("Efficiency over the load", "%", "efficiency", _share),
        ("Output volts over the load", "V", "voltage", lambda p: p.need("output_voltage").number),
        ("Distortion of the output over the load", "%", "plain", _thd),
    ):
        lines = []
        for words, mine in by_line.items():
            pairs = sorted((p.at.load_percent, y) for p in mine if (y := value(p)) is not None)
            if len(pairs) > 1:
                lines.append((words, [x for x, _ in pairs], [y for _, y in pairs]))
        if lines:
            found.append(Curves(title, "load", "%", title.partition(" over")[0].lower(), unit, kind, tuple(lines)))
    return found


def _share(point: Point) -> float | None:
    if not point.at.load_percent or not carrying([point], ["output_real_power", "input_power"]):
        return None
    return 100.0 * point.need("output_real_power").number / point.need("input_power").number


def _thd(point: Point) -> float | None:
    return 100.0 * point.need("output_thd").number if carrying([point], ["output_thd"]) else None
