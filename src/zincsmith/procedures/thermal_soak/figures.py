"""Figures of a soak: where each spot ends, its rise over the room, and what that means in another room."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from zincsmith.analysis.heating import LEAST, STEADY_K, STEADY_S, Warming, warming_of
from zincsmith.analysis.uncertainty import Values, factor_of
from zincsmith.model.address import at_port, name_of, port_of
from zincsmith.model.finding import Contribution, Doubt, Finding, Working
from zincsmith.model.operating_point import Draw, Feed, OperatingPoint
from zincsmith.model.quantities import ROOM
from zincsmith.model.reading import FROM_FILE, Evidence, Point
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.base import Curve, Curves
from zincsmith.procedures.finding_of import finding_of, unlooked, with_parts

Array = NDArray[np.float64]
LIMIT, AT = "limit_degC", "at_degC"  # stated with a point: what no spot may pass, in a room of so many degC
OPEN = "open_case"  # stated with a point: air goes where it does not once the case is closed
TEMPERATURES = ("case_temperature", "spot_temperature")
ROOM_K = 1.0  # limit of error of a room whose temperature was said once; common practice, no source
FELL = 0.3  # of a rise, from one reading to the next: no body of that size cools so fast
DREW = 0.9  # of its input watts: as loaded as before
GONE = 0.5  # of nominal


def spots_of(points: Iterable[Point]) -> tuple[str, ...]:
    """The addresses of what was read of the unit: the room is none of it."""
    found = {r.address for p in points for r in p.readings if r.quantity in TEMPERATURES and r.value is not None}
    return tuple(sorted(a for a in found if port_of(a) != ROOM))


def spot_words(address: str) -> str:
    return port_of(address) if name_of(address) == "spot_temperature" else "case"


def series(points: Sequence[Point], address: str) -> tuple[Array, Array]:
    """(s from the first point, degC) of what was read."""
    rows = [(_when(p), r.value) for p in points if (r := p.get(address)) is not None and r.value is not None]
    times, degC = (np.array(column, dtype=np.float64) for column in zip(*rows, strict=True)) if rows else (
        np.zeros(0), np.zeros(0)
    )  # fmt: skip
    return times - times[:1].sum(), degC


def _when(point: Point) -> float:
    """s it has stood so; a file says that itself, and while a run goes on its clock does. A run that was interrupted
    warmed the unit anew for as long as it had been, so that its clock alone would count a pause as warming."""
    if any(r.how == FROM_FILE for r in point.readings):
        return point.at.elapsed_s or 0.0
    return point.held_s if point.held_s is not None else point.bench_s


def warming(points: Sequence[Point], address: str) -> Warming | None:
    """None for too few readings."""
    times, degC = series(points, address)
    return warming_of(times, degC) if len(times) >= LEAST else None


def fell_off(points: Sequence[Point], room_degC: float) -> str:
    """The spot whose reading fell at once while the unit went on as before; empty where none did."""
    if len(points) < 2:
        return ""
    before, now = points[-2], points[-1]
    drew = [p.get("input_power") for p in (before, now)]
    watts = [r.value for r in drew if r is not None and r.value is not None]
    if len(watts) == 2 and watts[1] < DREW * watts[0]:
        return ""
    for address in spots_of((before, now)):
        was, is_now = (r.value if (r := p.get(address)) is not None else None for p in (before, now))
        if was is not None and is_now is not None and was - is_now > max(3.0, FELL * (was - room_degC)):
            return f"{spot_words(address)} fell from {was:.4g} to {is_now:.4g} °C"
    return ""


def stopped(points: Sequence[Point], plate: Nameplate) -> bool:
    """Whether the output had gone by the last point."""
    reading = points[-1].get("output_voltage") if points else None
    nominal = abs(plate.output.voltage_V) if plate.outputs else 0.0
    return reading is not None and reading.value is not None and abs(reading.value) < GONE * nominal


def findings_of_soak(evidence: Evidence, plate: Nameplate) -> list[Finding]:
    """By line and load in the order they were taken: each spot's end and rise, and the hottest."""
    found: list[Finding] = []
    for points in soaks(evidence.points):
        warm, gone = _until_gone(points, plate)
        ends = [end for address in spots_of(warm) if (end := _end(warm, address, evidence)) is not None]
        for found_end in ends:
            found += [found_end, *_with_it(found_end, warm, evidence)]
        told = [end for end in ends if end.value is not None]
        if told:
            hottest = max(told, key=lambda end: end.number)
            spot = hottest.title.rpartition(", ")[2]
            found.append(replace(
                hottest, name="hot_spot", title="Hottest part", doubts=(*hottest.doubts, *_elsewhere(told, warm)),
                working=replace(hottest.working, note=f"{spot}; {hottest.working.note}"),
            ))  # fmt: skip
        found += [*_drift(warm), *_per_kelvin(warm)]
        if gone is not None:
            found += _shutdown(warm, gone)
    return found + _largest(evidence, plate)


def _largest(evidence: Evidence, plate: Nameplate) -> list[Finding]:
    """By line the largest load that kept every spot under the limit that was asked for, in the room it was asked for;
    between it and the next one that did not nobody looked."""
    by_line: dict[tuple[object, ...], list[tuple[float, bool, Point]]] = {}
    for points in soaks(evidence.points):
        limit, at_degC = (points[-1].at.fact(key) for key in (LIMIT, AT))
        warm, gone = _until_gone(points, plate)
        if limit is None or not warm:
            continue
        room, _ = room_of(warm, evidence.ambient_degC)
        more = (at_degC - room) if at_degC is not None and room is not None else 0.0
        finals = [one.final_degC for address in spots_of(warm) if (one := warming(warm, address)) is not None]
        kept = gone is None and bool(finals) and all(end is not None and end + more <= limit for end in finals)
        by_line.setdefault((points[-1].at.line, points[-1].at.about), []).append(
            (points[-1].at.load_percent, kept, warm[-1])
        )
    found = [(loads[0][2].at.about, most) for loads in by_line.values() if (most := _largest_of(loads)) is not None]
    return [replace(most, output=alone) if alone else most for alone, most in found]


def _largest_of(loads: Sequence[tuple[float, bool, Point]]) -> Finding | None:
    kept, hot = ([row for row in loads if row[1] is way] for way in (True, False))
    limit, at_degC = (loads[0][2].at.fact(key) for key in (LIMIT, AT))
    alone = loads[0][2].at.about
    at = OperatingPoint((loads[0][2].at.feed,), about=alone)
    words = f"every spot under {limit:g} °C in a room of {at_degC:g} °C"
    name, title = "largest_continuous_load", f"Largest load for good{f', {alone} alone' if alone else ''}"
    if not kept:
        least = min(row[0] for row in hot)
        doubt = Doubt("no_load_small_enough", f"At {least:g} % load it already passes the limit.", "Try a lighter one.")
        return Finding(name, title, None, "A", at=at, working=Working(words), doubts=(doubt,))
    best = max(kept, key=lambda row: row[0])
    reading = best[2].get(at_port("output_current", best[2].at.draw.port))
    if reading is None or reading.value is None:
        return None
    amps = reading.address
    found = finding_of(
        name, title, "A", [best[2]], [amps], lambda v: float(v[amps][0]), words, at, doubts_of=lambda _p, _q: []
    )
    beyond = min((row for row in hot if row[0] > best[0]), default=None, key=lambda row: row[0])
    if beyond is None:
        doubt = Doubt("no_limit_seen", "It kept to the limit at the greatest load that was tried.", "It carries more.")
        return replace(found, doubts=(*found.doubts, doubt))
    gap = reading.value * (beyond[0] / best[0] - 1.0)
    note = f"{best[0]:g} % of its rating; {beyond[0]:g} % was too hot"
    found = with_parts(found, unlooked(gap, "between the last two loads"))
    return replace(found, working=replace(found.working, note=note))


def soaks(points: Iterable[Point]) -> list[list[Point]]:
    """Points of one line, load and output that was loaded alone, in their order."""
    found: dict[tuple[object, ...], list[Point]] = {}
    for point in points:
        if point.at.elapsed_s is not None and point.at.loaded:
            found.setdefault((*point.at.place, point.at.about), []).append(point)
    return list(found.values())


def _until_gone(points: list[Point], plate: Nameplate) -> tuple[list[Point], Point | None]:
    for n in range(1, len(points) + 1):
        if stopped(points[:n], plate):
            return points[: n - 1], points[n - 1]
    return points, None


def room_of(points: Sequence[Point], evidence_degC: float | None) -> tuple[float | None, bool]:
    """(degC, whether it was read): by a thermometer called room, in the later half; else as it was said."""
    _, degC = series(points, f"spot_temperature@{ROOM}")
    if len(degC):
        return float(np.mean(degC[len(degC) // 2 :])), True
    return evidence_degC, False


def _at(points: Sequence[Point]) -> OperatingPoint:
    at = points[-1].at
    return OperatingPoint((Feed(at.feed.voltage_V, at.feed.frequency_Hz),), (Draw(at.draw.share_percent),))


def _end(points: Sequence[Point], address: str, evidence: Evidence) -> Finding | None:
    """Where a spot ends: as it stood, or by an exponential through its readings."""
    own = [p for p in points if (r := p.get(address)) is not None and r.value is not None]
    one = warming(own, address)
    words = spot_words(address)
    title = f"Final temperature, {words}"
    if one is None:
        text = f"{words} was read {len(own)} times: too few for its end, {LEAST} at least."
        doubt = Doubt("no_end_in_sight", text, "Read more often, or longer.")
        return Finding("final_temperature", title, None, "degC", at=_at(points), doubts=(doubt,)) if own else None
    last = own[-1]
    found = finding_of(
        "final_temperature", title, "degC", [last], [address], lambda v: float(v[address][0]),
        _how(one), _at(points), _note(own, one), doubts_of=lambda _p, _q: [],
    )  # fmt: skip
    doubts = (*found.doubts, *_unsure(words, one))
    if one.final_degC is None or one.final_u is None:
        return replace(found, value=None, u=None, k=None, contributions=(), doubts=doubts)
    part = Contribution("end of the readings", one.final_u, False)
    parts = (*found.contributions, part)
    u = math.hypot(found.u, one.final_u) if found.u is not None else None
    room, _ = room_of(points, evidence.ambient_degC)
    return replace(
        found, value=one.final_degC, u=u, k=factor_of(parts, None) if u is not None else None, contributions=parts,
        doubts=doubts, final_in_room=room,
    )  # fmt: skip


def _how(one: Warming) -> str:
    if one.final_degC is None:
        return "its readings do not bend enough to tell an end"
    return "it stood: under 1 K in 30 min" if one.tau_s is None else "Tf of T(t) = Tf - (Tf - T0) exp(-t / tau)"


def _note(points: Sequence[Point], one: Warming) -> str:
    minutes = (_when(points[-1]) - _when(points[0])) / 60.0
    drift = f", {one.drift_K:+.2g} K in the last 30 min" if one.drift_K is not None else ""
    return f"{len(points)} readings in {minutes:.0f} min{drift}"


def _unsure(words: str, one: Warming) -> Iterable[Doubt]:
    if one.final_degC is None:
        yield Doubt(
            "no_end_in_sight", f"{words} climbs too straight for its end to be told.",
            "Soak longer: one time constant at least, better to where it drifts less than 1 K in 30 min.",
        )  # fmt: skip
    elif not one.steady:
        yield Doubt(
            "not_steady", f"{words} was not steady in the end: where it goes is extrapolated.",
            f"Soak on until it drifts less than {STEADY_K:g} K in {STEADY_S / 60.0:g} min where that decides.",
        )  # fmt: skip


def _with_it(end: Finding, points: Sequence[Point], evidence: Evidence) -> Iterable[Finding]:
    """The rise over the room and the time constant of a spot that has an end."""
    if end.value is None:
        return
    words = end.title.rpartition(", ")[2]
    room, read = room_of(points, evidence.ambient_degC)
    if room is not None:
        part = Contribution("room", (0.5 if read else ROOM_K) / math.sqrt(3.0), False, rectangular=True)
        parts = (*end.contributions, part)
        u = math.hypot(end.u, part.effect) if end.u is not None else None
        said = "as it was read" if read else "as it was said when the run began"
        yield replace(
            end, name="temperature_rise", title=f"Rise over the room, {words}", unit="K", value=end.number - room,
            u=u, k=factor_of(parts, None) if u is not None else None, contributions=parts, final_in_room=None,
            working=replace(end.working, formula="final temperature less the room", note=f"room {room:.4g} °C, {said}"),
        )  # fmt: skip
    one = warming(points, next(a for a in spots_of(points) if spot_words(a) == words))
    if one is not None and one.tau_s is not None:
        yield Finding("thermal_time_constant", f"Time constant, {words}", one.tau_s / 60.0, "min", at=end.at,
                      working=replace(end.working, rows=()))  # fmt: skip


def _elsewhere(told: Sequence[Finding], points: Sequence[Point]) -> Iterable[Doubt]:
    """What keeps the hottest that was read from being the hottest there is."""
    if all(one.title.endswith(", case") for one in told):
        yield Doubt(
            "probe_on_the_case", "Only the case was read: the parts inside it are hotter.",
            "Hold a probe to the part that gets hottest, the output rectifier or the transformer as a rule.",
        )  # fmt: skip
    if points[-1].at.fact(OPEN):
        yield Doubt(
            "open_case", "It was soaked open: closed in its case it gets hotter.",
            "Soak it in its case, with a thin probe led out.",
        )  # fmt: skip


def _drift(points: Sequence[Point]) -> list[Finding]:
    """What the output moved from the first reading, cold as the unit came, to the last."""
    ends = [p for p in points if (r := p.get("output_voltage")) is not None and r.value is not None]
    if len(ends) < LEAST:
        return []
    return [finding_of(
        "soak_drift", "Output, end of the soak less its beginning", "V", [ends[0], ends[-1]], ["output_voltage"],
        lambda v: float(v["output_voltage"][1] - v["output_voltage"][0]), "last less first", _at(points),
        doubts_of=lambda _p, _q: [],
    )]  # fmt: skip


LEAST_K = 3.0  # a rise of less says nothing of what a kelvin does; common practice, no source


def _per_kelvin(points: Sequence[Point]) -> list[Finding]:
    """What the output moves by with each kelvin of its case, or of its first spot: the slope of a straight line."""
    spots = spots_of(points)
    address = "case_temperature" if "case_temperature" in spots else next(iter(spots), "")
    rows = [p for p in points if all((r := p.get(n)) is not None and r.value is not None
                                     for n in ("output_voltage", address))] if address else []  # fmt: skip
    if len(rows) < LEAST or float(np.ptp([p.need(address).number for p in rows])) < LEAST_K:
        return []

    def slope(values: Values) -> float:
        kelvin = values[address] - np.mean(values[address])
        return float(np.sum(kelvin * values["output_voltage"]) / np.sum(kelvin**2))

    return [finding_of(
        "temperature_coefficient", "Output, for each kelvin", "V/K", rows, ["output_voltage", address], slope,
        f"slope of the volts over the {spot_words(address)} temperature, as it warmed", _at(points),
        doubts_of=lambda _p, _q: [],
    )]  # fmt: skip


def _shutdown(warm: Sequence[Point], gone: Point) -> list[Finding]:
    """It shut itself down: at which temperature of its hottest spot, and when."""
    last = warm[-1] if warm else gone
    addresses = spots_of([last])
    if not addresses:
        return []
    hottest = max(addresses, key=lambda a: last.need(a).number)
    minutes = (_when(gone) - _when(warm[0])) / 60.0 if warm else 0.0
    doubt = Doubt(
        "shut_down_hot", f"It shut down after {minutes:.0f} min: it does not carry this load for good in this room.",
        "Find the load that it carries; see that nothing covers it and that a fan runs.",
    )  # fmt: skip
    found = finding_of(
        "shutdown_temperature", f"Shut down at, {spot_words(hottest)}", "degC", [last], [hottest],
        lambda v: float(v[hottest][0]), "the last reading before the output went", _at([gone]),
        doubts_of=lambda _p, _q: [],
    )  # fmt: skip
    return [replace(found, doubts=(*found.doubts, doubt))]


# What is drawn


def temperatures(evidence: Evidence) -> list[Curves]:
    """Each spot over time, with where it goes as long as that is told, and its band."""
    drawn = []
    for points in soaks(evidence.points):
        lines: list[Curve] = []
        for address in spots_of(points):
            times, degC = series(points, address)
            one = warming_of(times, degC) if len(times) >= LEAST else None
            told = one is not None and one.tau_s is not None
            lines.append(("" if told else spot_words(address), (times / 60.0).tolist(), degC.tolist()))
            if one is None or one.final_degC is None or one.tau_s is None or one.final_u is None:
                continue
            ahead = np.linspace(times[-1], times[-1] + 2.0 * one.tau_s, 40)
            to_go = (one.final_degC - degC[-1]) * -np.expm1(-(ahead - times[-1]) / one.tau_s)
            reached = -np.expm1(-(ahead - times[-1]) / one.tau_s)
            band = 2.0 * one.final_u
            name = f"{spot_words(address)} to {one.final_degC:.1f} ±{band:.1f} °C"
            for called, off in ((name, 0.0), ("", band), ("", -band)):  # in the end as wide as its U
                lines.append((called, (ahead / 60.0).tolist(), (degC[-1] + to_go + off * reached).tolist()))
        if lines:
            title = f"Temperatures, {_at(points).words}"
            drawn.append(Curves(title, "time", "min", "temperature", "°C", "temperature", tuple(lines), marked=False))
    return drawn
