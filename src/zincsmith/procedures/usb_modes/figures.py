"""What the modes of a port say: its volts in each, against the limits of the standard; which were seen."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from zincsmith.model.address import at_port
from zincsmith.model.finding import Doubt, Finding, Working
from zincsmith.model.operating_point import Draw, Feed, Mode, OperatingPoint, Purpose
from zincsmith.model.port import of_output, output_ports
from zincsmith.model.reading import Point
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.base import Curves
from zincsmith.procedures.finding_of import at_most, finding_of
from zincsmith.procedures.rows import carrying
from zincsmith.procedures.usb_modes.ranges import findings_of_ranges

# USB Power Delivery 3.1, values from memory: fixed volts within 5 % of nominal, 5 V by vSafe5V; with nothing plugged in
# vSafe0V.
SAFE_5_V, SAFE_0_V, FIXED = (4.75, 5.5), 0.8, 0.05
BY = "USB PD 3.1, from memory"
SEEN = 0.1  # of the volts that were asked for: so near it counts as given


def findings_of_modes(points: Sequence[Point], plate: Nameplate) -> list[Finding]:
    """By port in the order of the plate."""
    found: list[Finding] = []
    for output, port in zip(plate.outputs, output_ports(plate), strict=True):
        mine = [p for p in points if p.at.about == port]
        if not mine:
            continue
        found += _bare(mine, port)
        asked = {m.name: m.voltage_V[0] for m in of_output(output).modes if m.law == "fixed"}
        for mode, nominal in asked.items():
            found += _mode(mine, port, mode, nominal)
        found += _seen(mine, port, asked)
        found += findings_of_ranges(mine, port)
    return found


def _bare(points: Sequence[Point], port: str) -> list[Finding]:
    found = []
    for step, name, title in (
        (Purpose.BACKGROUND_BEFORE, "volts_before_attach", "Volts before anything is plugged in"),
        (Purpose.BACKGROUND_AFTER, "volts_after_detach", "Volts 1 s after it was taken off"),
    ):
        rows = carrying([p for p in points if p.at.step is step], [at_port("output_voltage", port)])
        found += [_volts(name, title, port, rows[:1], at_line(rows[0]), SAFE_0_V)] if rows else []
    return found


def at_line(point: Point) -> OperatingPoint:
    return OperatingPoint((Feed(*point.at.line),))


def _volts(
    name: str, title: str, port: str, rows: list[Point], at: OperatingPoint, most: float | None = None
) -> Finding:  # fmt: skip
    address = at_port("output_voltage", port)
    made = finding_of(
        name, f"{title}, {port}", "V", rows, [address], lambda v: float(v[address][0]), "V as read", at,
        doubts_of=lambda _p, _q: [],
    )  # fmt: skip
    made = replace(made, output=port)
    return made if most is None else at_most(made, most, BY)


def _mode(points: Sequence[Point], port: str, mode: str, nominal: float) -> list[Finding]:
    """Its volts without a load and with its amps, which have to keep the limits of the standard."""
    low, high = SAFE_5_V if abs(nominal - 5.0) < 1e-6 else ((1.0 - FIXED) * nominal, (1.0 + FIXED) * nominal)
    found = []
    for point in carrying(points, [at_port("output_voltage", port)]):
        if point.at.mode(port) != mode or point.at.step is not None:
            continue
        share = point.at.draw.share_percent or 0.0
        at = replace(at_line(point), draws=(Draw(share),), modes=(("", mode),))
        one = _volts("mode_voltage", f"Volts of {mode}", port, [point], at)
        if one.value is not None and not low <= one.value <= high:
            text = f"{port} gave {one.value:.4g} V as {mode}; {low:.4g} to {high:.4g} V are allowed ({BY})."
            doubt = Doubt(
                "mode_out_of_limits", text, "Ask again, with another cable; a sink that trusts it is at risk."
            )
            one = replace(one, doubts=(*one.doubts, doubt))
        found.append(one)
    return found


def _seen(points: Sequence[Point], port: str, asked: dict[str, float]) -> list[Finding]:
    """How many of the modes of the label were given when they were asked for, with those that were not by name."""
    address = at_port("output_voltage", port)
    given = set()
    tried = set()
    for point in carrying(points, [address]):
        mode = point.at.mode(port)
        if mode not in asked or point.at.step is not None:
            continue
        tried.add(mode)
        if abs(point.need(address).number - asked[mode]) <= SEEN * asked[mode]:
            given.add(mode)
    if not tried:
        return []
    rows = tuple({"mode": m, "asked / V": v, "given": "yes" if m in given else "not seen"} for m, v in asked.items()
                 if m in tried)  # fmt: skip
    working = Working("modes that stood within 10 % when they were asked for", ("mode", "asked / V", "given"), rows)
    missing = [m for m in asked if m in tried and m not in given]
    doubts: tuple[Doubt, ...] = ()
    if missing:
        text = f"{port} did not give {', '.join(missing)}: not seen with this sink and cable, which is not absent."
        doubts = (Doubt("mode_not_seen", text, "Try another sink, a marked cable, and once more from unplugged."),)
    count = [r.value for p in points if (r := p.get(at_port("offered_modes", port))) is not None and r.value]
    beyond = round(max(count, default=0.0)) - len(asked)
    if beyond > 0:
        text = f"{port} offers {round(max(count))} modes, {beyond} more than the label says."
        doubts = (*doubts, Doubt("more_than_the_label", text, "Ask what it offers, and put it on the unit's plate."))
    offered = at_port("offered_power", port)
    watts = [r.value for p in points if (r := p.get(offered)) is not None and r.value is not None]
    found = [
        Finding("modes_seen", f"Modes of the label seen, {port}", float(len(given)), "1", output=port,
                at=at_line(points[0]), working=working, doubts=doubts),
    ]  # fmt: skip
    if watts:
        best = max((p for p in points if p.get(offered) is not None), key=lambda p: p.need(offered).value or 0.0)
        said = ({"W": best.need(offered).value},)
        made = Finding("offered_power", f"Watts on offer, alone, {port}", max(watts), "W", output=port,
                       at=at_line(points[0]),
                       working=Working("the most that the port said", ("W",), said))  # fmt: skip
        found.append(made)
    return found


def curves(points: Sequence[Point]) -> list[Curves]:
    """How far each mode lies from what was asked for, by port, without a load and with its amps."""
    lines = []
    for port in dict.fromkeys(p.at.about for p in points):
        for share, words in ((0.0, "no load"), (100.0, "loaded")):
            rows = [
                (asked, 100.0 * (r.value / asked - 1.0))
                for p in points
                if p.at.about == port and p.at.step is None and (p.at.draw.share_percent or 0.0) == share
                if (asked := volts_asked(p.at.mode(port))) > 0.0
                if (r := p.get(at_port("output_voltage", port))) is not None and r.value is not None
            ]
            if rows:
                x, y = ([float(v) for v in axis] for axis in zip(*sorted(rows), strict=True))
                lines.append((f"{port}, {words}", x, y))
    if not lines:
        return []
    return [Curves("Volts of the modes", "asked for", "V", "off by", "%", "voltage", tuple(lines))]


def volts_asked(mode: Mode) -> float:
    """Of a fixed mode by its name; 0 for anything else."""
    try:
        return float(mode.removesuffix(" V")) if isinstance(mode, str) else 0.0
    except ValueError:
        return 0.0
