"""What ports give together, and what the one that was there notices."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace

import numpy as np

from zincsmith.model.address import at_port
from zincsmith.model.finding import Contribution, Doubt, Finding, Working
from zincsmith.model.operating_point import Feed, OperatingPoint, Purpose
from zincsmith.model.reading import Evidence, Point, Samples
from zincsmith.procedures.base import Curves, Section
from zincsmith.procedures.finding_of import finding_of
from zincsmith.procedures.rows import carrying
from zincsmith.procedures.usb_modes.figures import volts_asked

STEADY = ("held", 1.0)
HOLDS = 0.9  # of the volts of its mode: below, a port has let go
AWAY = 0.9
IN_USE = "in use: "


def in_use(ports: Iterable[str]) -> str:
    """How a point, a finding and a claim say which ports are in use together."""
    return f"{IN_USE}{' + '.join(sorted(ports))}"


def findings_of_sharing(evidence: Evidence) -> list[Finding]:
    """By combination in the order they were taken: watts of each port; then what the first of them noticed."""
    found: list[Finding] = []
    for point in evidence.points:
        if point.at.step is None and len(point.at.draws) > 1:
            for port in [d.port for d in point.at.draws]:
                found += _watts(point, port)
        elif point.at.step in (Purpose.RISING, Purpose.FALLING) and evidence.traces is not None:
            found += _noticed(point, evidence.traces)
    return found


def _at(point: Point) -> OperatingPoint:
    stated = tuple(one for one in point.at.stated if one[0].startswith(IN_USE))
    return OperatingPoint((Feed(*point.at.line),), modes=point.at.modes, stated=stated)


def _together(point: Point) -> str:
    return next((name.removeprefix(IN_USE) for name, _ in point.at.stated if name.startswith(IN_USE)), "")


def _watts(point: Point, port: str) -> list[Finding]:
    """Volts times amps of a port that held its volts, with all of them loaded."""
    volts, amps = at_port("output_voltage", port), at_port("output_current", port)
    if not carrying([point], [volts, amps]):
        return []
    title = f"Watts of {port} with {_together(point)}"
    nominal = volts_asked(point.at.mode(port))
    made = finding_of(
        "shared_power", title, "W", [point], [volts, amps], lambda v: float(v[volts][0] * v[amps][0]), "P = V I",
        _at(point), f"asked for {point.at.mode(port)}", doubts_of=lambda _p, _q: [],
    )  # fmt: skip
    if abs(point.need(volts).number) < HOLDS * nominal:
        text = f"{port} fell to {point.need(volts).number:.3g} V of {nominal:g} V under its share."
        made = replace(made, doubts=(*made.doubts, Doubt("let_go", text, "Find what it holds with less.")))
    return [replace(made, output=port)]


def _noticed(point: Point, traces: Samples) -> list[Finding]:
    """The lowest volts of the port that was there, and for how long it had less than 90 % of what it is asked for."""
    port = point.at.about
    capture = next((c for c in point.captures if any(ch.quantity == "output_voltage" for ch in c.channels)), None)
    if capture is None:
        return []
    channel = next(ch for ch in capture.channels if ch.quantity == "output_voltage")
    volts = np.abs(traces.read(channel))
    nominal, comes = volts_asked(point.at.mode(port)), point.at.step is Purpose.RISING
    away = float(np.count_nonzero(volts < AWAY * nominal)) * capture.step_s
    lowest = float(volts.min())
    happened = f"{point.at.draws[-1].port} plugged in" if comes else "the others taken off"
    limit = (
        channel.reading_percent * lowest + channel.range_percent * (channel.span or 0.0)
    ) / 100.0 + channel.offset_limit
    part = Contribution("limit of the volts", limit / 3.0**0.5, True, rectangular=True)
    poll = Contribution("between two polls", capture.step_s / 3.0**0.5, False, rectangular=True)
    facts = Working(
        "polled while another sink was plugged in or out", ("lowest / V", "away / s"),
        ({"lowest / V": round(lowest, 4), "away / s": round(away, 3)},), f"{port} asked for {point.at.mode(port)}",
    )  # fmt: skip
    doubts: tuple[Doubt, ...] = ()
    if away:
        text = f"{port} fell to {lowest:.3g} V for {away:.2g} s, {happened}: what hangs on it restarts."
        doubts = (Doubt("neighbour_interrupted", text, "Do not feed what must not restart from a shared adapter."),)
    at = _at(point)
    return [
        Finding("neighbour_lowest", f"Lowest volts of {port}, {happened}", lowest, "V", part.effect, 2.0,
                at=at, output=port, working=facts, contributions=(part,), doubts=doubts),
        Finding("neighbour_away", f"{port} below 90 %, {happened}", away, "s", poll.effect, 2.0,
                at=at, output=port, working=facts, contributions=(poll,)),
    ]  # fmt: skip


def table(findings: Sequence[Finding]) -> Section | None:
    """By combination what each port gave."""
    rows = []
    for one in findings:
        if one.name != "shared_power" or one.value is None:
            continue
        together = next((n.removeprefix(IN_USE) for n, _ in one.at.stated if n.startswith(IN_USE)), "")
        rows.append((together, one.output, str(one.at.mode(one.output)), f"{one.value:.2f} W"))
    if not rows:
        return None
    text = "Each port with its share, all of a combination loaded together."
    return Section("Sharing of ports", (text,), ("in use", "port", "mode", "watts"), tuple(rows))


def curves(points: Sequence[Point]) -> list[Curves]:
    """Watts of each port over how many ports are in use: of several combinations the least."""
    least: dict[str, dict[int, float]] = {}
    for point in points:
        if point.at.step is not None:
            continue
        for draw in point.at.draws:
            read = [point.get(at_port(name, draw.port)) for name in ("output_voltage", "output_current")]
            values = [r.value for r in read if r is not None and r.value is not None]
            if len(values) == len(read):
                own, count = least.setdefault(draw.port, {}), len(point.at.draws)
                own[count] = min(values[0] * values[1], own.get(count, np.inf))
    lines = tuple((port, [float(n) for n in sorted(own)], [own[n] for n in sorted(own)]) for port, own in least.items())
    if not lines:
        return []
    return [Curves("Watts of ports in use together", "ports in use", "", "output", "W", "power", lines)]
