"""What it started into, and what it took back."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

from zincsmith.model.finding import Contribution, Doubt, Finding, Working
from zincsmith.model.operating_point import Draw, Feed, OperatingPoint
from zincsmith.model.quantities import TOUCH_LIMIT_V
from zincsmith.model.reading import Point
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.beginning import BACK
from zincsmith.procedures.finding_of import alone, finding_of, with_parts
from zincsmith.procedures.rows import carrying

KIND, CAPACITOR = "start_into", "start_with"  # stated with a point: which trial, and µF or the V that it was held at
UNDER_LAW, UNDER_CAPACITOR, FED_BACK, BIASED, STARTED = 1.0, 2.0, 3.0, 4.0, 5.0
MARKED_WITHIN = 0.2  # of what is printed on an electrolytic capacitor; common practice, no source
SAGS = 0.95  # of what holds the output: below, it is held down by what it takes
LAWS = {"CC": ("starts_into_cc", "Starts into constant current"), "CR": ("starts_into_cr", "Starts into a resistance")}


def findings_of_starts(points: Sequence[Point], plate: Nameplate) -> list[Finding]:
    """Loads as shares of the rating, F, A and V."""
    rows = [p for p in points if p.at.fact(KIND) is not None]
    found: list[Finding] = []
    for law, (name, title) in LAWS.items():
        mine = [p for p in _of(rows, UNDER_LAW) if p.at.draw.law == law]
        if mine:
            found.append(_most(name, title, "1", mine, plate, lambda p: p.at.load_percent / 100.0))
    behind = _of(rows, UNDER_CAPACITOR)
    if behind:
        made = _most("starts_into_capacitance", "Starts into a capacitor of", "F", behind, plate,
                     lambda p: 1e-6 * (p.at.fact(CAPACITOR) or 0.0))  # fmt: skip
        marked = Contribution("the capacitor as it is marked", MARKED_WITHIN * (made.value or 0.0) / 3.0**0.5, False,
                              rectangular=True)  # fmt: skip
        found.append(with_parts(made, marked) if made.value else made)
    return found + _taken_back(rows) + _held(rows, plate)


def _of(rows: Sequence[Point], kind: float) -> list[Point]:
    return [p for p in rows if p.at.fact(KIND) == kind]


def _started(point: Point, plate: Nameplate) -> bool:
    """Every output at its volts."""
    volts = {o.name if len(plate.outputs) > 1 else "": abs(o.voltage_V) for o in plate.outputs}
    for port, nominal in volts.items():
        reading = point.seen_from(port).get("output_voltage")
        if reading is None or reading.value is None or abs(reading.value) < BACK * nominal:
            return False
    return True


def _most(
    name: str, title: str, unit: str, rows: Sequence[Point], plate: Nameplate, of: Callable[[Point], float]
) -> Finding:
    """The greatest that it started into: it starts into that at least, which is what papers promise."""
    did = [of(p) for p in rows if _started(p, plate)]
    value = max(did, default=None)
    ended = any(of(p) > (value or 0.0) for p in rows if not _started(p, plate))
    told = "; ".join(f"{of(p):.4g} {unit if unit != '1' else 'of the load'}: "
                     f"{'starts' if _started(p, plate) else 'does not'}" for p in rows)  # fmt: skip
    doubts: tuple[Doubt, ...] = ()
    if value is None:
        doubts = (Doubt("starts_into_none", "It started into none of those that were tried.",
                        "See whether it starts without a load at all; a latch may still hold it."),)  # fmt: skip
    elif not ended:
        doubts = (Doubt("started_into_all", "It started into all that were tried: the end lies beyond.",
                        "Try more, as far as its rating goes."),) if unit == "F" else ()  # fmt: skip
    loads = (Draw(rows[0].at.load_percent),) if unit == "F" else ()
    return Finding(
        name, title, value, unit, None if value is None else 0.0, None if value is None else 2.0,
        at=OperatingPoint((Feed(*rows[0].at.line),), loads),
        working=Working(f"the greatest that was tried; {told}", (), ()),
        doubts=doubts,
    )  # fmt: skip


def _taken_back(rows: Sequence[Point]) -> list[Finding]:
    found = []
    for point in carrying(_of(rows, FED_BACK), ["output_voltage"]):
        held_V = point.at.fact(CAPACITOR) or 0.0
        stood = abs(point.need("output_voltage").number)
        where = replace(point.at, stated=())
        doubts = []
        if stood < SAGS * held_V:
            doubts.append(Doubt("takes_all_that_is_given", f"Held at {held_V:.4g} V it stood at {stood:.4g} V: "
                                "it takes all that the source gives.",
                                "A battery behind it would feed it without a limit: put a diode between."))  # fmt: skip
        fed = point.get("input_voltage")
        if fed is not None and fed.value is not None and abs(fed.value) > TOUCH_LIMIT_V:
            text = f"Its input stands at {fed.value:.3g} V, fed from its output."
            doubts.append(Doubt("input_live_from_behind", text, "Treat the input side as live."))
        name = "fed_back_current" if carrying([point], ["fed_back_current"]) else "output_voltage"
        title = "Taken back while it is off" if name == "fed_back_current" else "Stands, held from behind, at"
        unit = "A" if name == "fed_back_current" else "V"
        made = finding_of(name if unit == "A" else "held_voltage", title, unit, [point], [name], alone(name),
                          f"held at {held_V:.4g} V, its input off", where, doubts_of=lambda _p, _q: [])  # fmt: skip
        found.append(replace(made, doubts=(*made.doubts, *doubts)))
    return found


def _held(rows: Sequence[Point], plate: Nameplate) -> list[Finding]:
    """Whether it starts with its output held at a share of its volts."""
    found = []
    for point in carrying(_of(rows, STARTED), ["output_voltage"]):
        held_V = point.at.fact(CAPACITOR) or 0.0
        made = finding_of("biased_start", f"Volts after a start held at {held_V:.4g} V", "V", [point],
                          ["output_voltage"],
                          alone("output_voltage"), "a source of 0.1 A holds the output as the input comes on",
                          replace(point.at, stated=()), doubts_of=lambda _p, _q: [])  # fmt: skip
        if not _started(point, plate):
            doubt = Doubt("no_start_when_held", f"Held at {held_V:.4g} V it does not start.",
                          "Beside other sources, or before a battery, it stays off.")  # fmt: skip
            made = replace(made, doubts=(*made.doubts, doubt))
        found.append(made)
    return found
