"""The rig itself, before it is believed: zero and background readings, source, leads, two meters against each other."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from zincsmith.analysis.accuracy import limit_of_error, scatter_u
from zincsmith.analysis.envelope import Envelope
from zincsmith.analysis.periodic import fundamental
from zincsmith.analysis.wave_doubts import DISTORTED
from zincsmith.analysis.waves import samples_of
from zincsmith.model.actions import Dwell, Measure, SetSource, Stage
from zincsmith.model.finding import Doubt, Finding, Working
from zincsmith.model.operating_point import Draw, Feed, OperatingPoint, Purpose
from zincsmith.model.plan import Line
from zincsmith.model.port import output_ports
from zincsmith.model.quantities import QUANTITIES
from zincsmith.model.reading import Evidence, Point, Reading
from zincsmith.model.roles import SOURCE
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.base import Context, Conventions, Procedure, Steps
from zincsmith.procedures.finding_of import finding_of
from zincsmith.procedures.ports import draw, everywhere, idle
from zincsmith.procedures.rig_check.options import RigCheckOptions
from zincsmith.procedures.rows import upright

Array = NDArray[np.float64]

NAME = "rig_check"
BACKGROUNDS = (Purpose.BACKGROUND_BEFORE, Purpose.BACKGROUND_AFTER)
CODES = 32767  # of a 16-bit converter, to each side
AT_REST = ("input_voltage", "input_current", "input_power", "output_voltage", "output_current", "load_voltage")
LIVE = ("input_voltage", "input_frequency", "voltage_thd", "output_voltage", "output_current", "load_voltage")
BACKGROUND = ("input_power", "input_current")  # an output may still be falling; the mains side is at rest at once
SOURCE_TOLERANCE = 0.01  # of the nominal input, for compliance points (IEC 62301; value from memory)
SAME_SPREADS = 3.0  # beyond this many standard deviations two backgrounds differ
MEASURED_S = 2.0
RECORD_S = 0.4  # twenty periods: enough to see each channel
LEAST_HEADROOM = 1.15  # end of the range over the greatest sample
SAME_HERTZ = 0.005


class RigCheck(Procedure):
    name = NAME
    title = "Rig check"
    version = 2
    needs: tuple[str, ...] = (SOURCE, "power_meter", "load", "voltmeter")
    serves = "zero and background, quality of the source, lead drop, two meters at a known load, channels of the meter"
    options = RigCheckOptions

    def steps(self, ctx: Context) -> Steps:
        """One look at rest, or two points live: no load and the known load."""
        options = ctx.asked(RigCheckOptions)
        if options.when != "live":
            off = (*idle(ctx), SetSource(0.0, options.line.frequency_Hz, False))
            stage = Stage("Background, unit off", "after the work" if options.when == "after" else "before the work")
            yield from (a for a in ((*off, stage) if options.when == "after" else (stage, *off)))
            yield Dwell(MEASURED_S, "everything is connected, nothing is energised")
            wanted = tuple(q for q in everywhere(ctx, AT_REST) if q in ctx.polled)
            yield Measure(
                wanted,
                options.readings_s,
                OperatingPoint(step=Purpose.BACKGROUND_AFTER if options.when == "after" else Purpose.BACKGROUND_BEFORE),
            )
            return
        line = ctx.reachable((options.line,))[0]
        yield Stage("Source, leads and meters", f"{line.words}, none and {options.load_percent:g} % load")
        yield from idle(ctx)
        yield SetSource(line.voltage_V, line.frequency_Hz, True)
        yield Dwell(5.0, "output comes up")
        stated = (("lead_ohm", ctx.lead_ohm),) if ctx.lead_ohm is not None else ()
        for percent in (0.0, options.load_percent):
            yield from draw(ctx, percent)
            yield Dwell(MEASURED_S, "settles")
            yield Measure(
                tuple(q for q in everywhere(ctx, LIVE) if q in ctx.polled),
                options.readings_s,
                replace(_at(ctx, line, percent), stated=stated),
                RECORD_S if ctx.records and percent > 0.0 else 0.0,
            )

    def tidy(self, ctx: Context) -> Steps:
        """Leave the unit at no load."""
        yield from idle(ctx)

    def doubts(self, point: Point) -> list[Doubt]:
        """Of a background point what is not zero, of a live one what is wrong with the source."""
        return _off_zero(point) if point.at.step in BACKGROUNDS else source_doubts(point)

    def findings(self, evidence: Evidence, nameplate: Nameplate, conventions: Conventions) -> list[Finding]:
        """Source, lead resistance and the difference of the two meters; background where it changed."""
        found: list[Finding] = []
        for point in evidence.points:
            if point.at.step in BACKGROUNDS:
                found += _background(point, evidence)
        live = [p for p in evidence.points if p.at.loaded]
        found += [f for p in live[:1] for f in _source(p)]
        for port in output_ports(nameplate):
            mine = upright([p.seen_from(port) for p in live], Envelope(nameplate).voltage_V(port))
            title = f"{{}}, {port}".format if port else str
            found += [replace(f, output=port, title=title(f.title)) for f in (*_meters(mine), *_leads(mine))]
        found += [f for p in live if (f := channels(p, evidence.samples)) is not None]
        return found


def _at(ctx: Context, line: Line, percent: float) -> OperatingPoint:
    draws = tuple(Draw(percent, port=port) for port in ctx.outputs)
    return OperatingPoint((Feed(line.voltage_V, line.frequency_Hz),), draws)


def _value(point: Point, quantity: str) -> Reading | None:
    reading = point.get(quantity)
    return reading if reading is not None and reading.value is not None else None


def _background(point: Point, evidence: Evidence) -> list[Finding]:
    reading = _value(point, "input_power")
    if reading is None:
        return []
    after = point.at.step is Purpose.BACKGROUND_AFTER
    before = next((p for p in evidence.earlier if p.at.step is Purpose.BACKGROUND_BEFORE), None)

    def doubts(p: Point, _quantities: object) -> list[Doubt]:
        return [*_off_zero(p), *(_changed(before, p) if after and before is not None else [])]

    return [
        finding_of(
            "background_after" if after else "background_before",
            f"Background watts, {'after' if after else 'before'}",
            "W",
            [point],
            ["input_power"],
            lambda v: float(v["input_power"][0]),
            "mean, everything connected",
            OperatingPoint(),
            doubts_of=doubts,
        )
    ]


def _off_zero(point: Point) -> list[Doubt]:
    """What a meter shows with nothing energised has to be within what its data sheet allows at zero."""
    found = []
    for reading in point.readings:
        if reading.value is None or not reading.known or reading.quantity not in BACKGROUND:
            continue
        allowed = limit_of_error(reading) + 3.0 * (reading.spread or 0.0)
        if abs(reading.value) > allowed:
            words = QUANTITIES[reading.quantity].words
            found.append(
                Doubt(
                    "background_not_zero",
                    f"{words} read {reading.value:.3g} {reading.unit} with the unit off; {reading.source} may show "
                    f"{allowed:.2g} {reading.unit} at zero.",
                    "Look for what else is fed through the meter, or zero it; low powers carry this error.",
                )
            )
    return found


def _changed(before: Point, after: Point) -> list[Doubt]:
    found = []
    for late in after.readings:
        early = _value(before, late.quantity)
        if late.quantity not in BACKGROUND or early is None or late.value is None or early.value is None:
            continue
        spread = math.hypot(early.spread or 0.0, late.spread or 0.0)
        floor = math.hypot(scatter_u(early), scatter_u(late))
        if abs(late.value - early.value) > SAME_SPREADS * max(spread, floor, 1e-9):
            found.append(
                Doubt(
                    "background_changed",
                    f"{QUANTITIES[late.quantity].words} with the unit off: {early.value:.3g} {late.unit} before, "
                    f"{late.value:.3g} {late.unit} after.",
                    "Something else came on or was moved during the work. Find it; repeat what is near that size.",
                )
            )
    return found


def _source(point: Point) -> list[Finding]:
    voltage = _value(point, "input_voltage")
    if voltage is None:
        return []
    nominal = point.at.line_V
    at = point.at.at_line
    return [
        finding_of(
            "source_error",
            "Source against its setting",
            "1",
            [point],
            ["input_voltage"],
            lambda v: float(v["input_voltage"][0]) / nominal - 1.0,
            "Vin / V set − 1",
            at,
            doubts_of=lambda p, _q: source_doubts(p),
        )
    ]


def source_doubts(point: Point) -> list[Doubt]:
    """What a source must not do at compliance points: volts off, frequency off, distortion."""
    found = []
    nominal, hertz = point.at.line_V, point.at.frequency_Hz
    voltage = _value(point, "input_voltage")
    frequency, thd = (_value(point, q) if hertz else None for q in ("input_frequency", "voltage_thd"))
    bad = []
    if voltage is not None and voltage.value is not None and abs(voltage.value / nominal - 1.0) > SOURCE_TOLERANCE:
        bad.append(f"{voltage.value:.1f} V instead of {nominal:g} V")
    if frequency is not None and frequency.value is not None and abs(frequency.value / hertz - 1.0) > SOURCE_TOLERANCE:
        bad.append(f"{frequency.value:.2f} Hz instead of {hertz:g} Hz")
    if thd is not None and thd.value is not None and thd.value > DISTORTED:
        bad.append(f"{100 * thd.value:.1f} % distortion, {100 * DISTORTED:g} % allowed")
    if bad:
        found.append(
            Doubt(
                "source_out_of_tolerance",
                f"The source gives {'; '.join(bad)}.",
                "Set it by the power meter, or use another; compliance points need it within ±1 %.",
            )
        )
    return found


def channels(point: Point, samples: Mapping[str, bytes]) -> Finding | None:
    """Before an analyzer's watts are believed: what each of its channels shows, from a record of both. The figure is
    the crest headroom of the amps, the end of their range over their greatest sample."""
    waves = {w.quantity: w for w in point.waves}
    voltage, current = waves.get("input_voltage"), waves.get("input_current")
    if voltage is None or current is None or not {voltage.sha256, current.sha256} <= samples.keys():
        return None
    v, i = (samples_of(w, samples) for w in (voltage, current))
    hertz = [fundamental(x, voltage.step_s) for x in (v, i)]
    peak = float(np.max(np.abs(i)))
    end = CODES * current.scale if current.code == "i2" else math.inf
    headroom = end / peak if peak > 0.0 and math.isfinite(end) else None
    said = ", ".join(
        f"{name} {f'{f:.2f} Hz' if f is not None else 'no period'}"
        for name, f in zip(("volts", "amps"), hertz, strict=True)
    )
    return Finding(
        "channel_headroom", "Crest headroom of the amps channel", headroom, "1", at=point.at.at_place,
        working=Working("end of the range / greatest sample", note=said),
        doubts=tuple(_channel_doubts(point, v, i, hertz, headroom)),
    )  # fmt: skip


def _channel_doubts(
    point: Point, voltage: Array, current: Array, hertz: list[float | None], headroom: float | None
) -> list[Doubt]:
    wanted, found = point.at.frequency_Hz, []
    for name, seen in zip(("volts", "amps"), hertz, strict=True):
        wrong = seen is not None if wanted == 0.0 else seen is None or abs(seen / wanted - 1.0) > SAME_HERTZ
        if wrong:
            shows = "no period" if seen is None else f"{seen:.2f} Hz"
            found.append(
                Doubt(
                    "channel_frequency",
                    f"The {name} channel shows {shows} where the line has {wanted:g} Hz: it is not synchronized to it, "
                    "or not connected to it.",
                    "See which signal the meter follows, and what is on that channel.",
                )
            )
    if float(np.mean(voltage * current)) < 0.0:
        found.append(
            Doubt(
                "channel_polarity",
                "Volts times amps are negative on average while the unit is loaded: one channel is reversed.",
                "Turn the current input round before any watts are believed.",
            )
        )
    if headroom is not None and headroom < LEAST_HEADROOM:
        found.append(
            Doubt(
                "channel_headroom",
                f"The amps reach {100.0 / headroom:.0f} % of the end of their range: the next higher crest is cut.",
                "Take the next range.",
            )
        )
    return found


def _meters(live: list[Point]) -> list[Finding]:
    """Voltmeter and load read the same output: at no load, where the leads drop nothing."""
    open_ = next((p for p in live if p.at.load_percent == 0.0), None)
    both = ["output_voltage", "load_voltage"]
    if open_ is None or any(_value(open_, q) is None for q in both):
        return []
    difference = finding_of(
        "meter_difference",
        "Load's voltmeter against the voltmeter, no load",
        "V",
        [open_],
        both,
        lambda v: float(v["load_voltage"][0] - v["output_voltage"][0]),
        "V load − V",
        OperatingPoint(),
        doubts_of=lambda _p, _q: [],
    )
    value, u, k = difference.value, difference.u, difference.k
    if value is None or u is None or k is None or abs(value) <= k * u:
        return [difference]
    doubt = Doubt(
        "meters_disagree",
        f"At no load the two meters of the output differ by {1000 * value:.1f} mV; together they explain "
        f"{1000 * k * u:.1f} mV.",
        "Compare both with a third. The load's own meter is the likelier culprit; its readings enter no figure.",
    )
    return [replace(difference, doubts=(*difference.doubts, doubt))]


def _leads(live: list[Point]) -> list[Finding]:
    """Resistance of the leads to the load: the change of the difference of the two meters with the current."""
    both = ["output_voltage", "load_voltage", "output_current"]
    rows = [p for p in live if all(_value(p, q) is not None for q in both)]
    if len(rows) < 2:
        return []
    stated = rows[0].at.fact("lead_ohm")
    found = finding_of(
        "lead_resistance",
        "Leads to the load, both wires",
        "ohm",
        rows,
        both,
        lambda v: float(
            ((v["output_voltage"] - v["load_voltage"])[1] - (v["output_voltage"] - v["load_voltage"])[0])
            / (v["output_current"][1] - v["output_current"][0])
        ),
        "R = Δ(V − V load) / ΔI",
        OperatingPoint(),
        f"from gauge and length {1000 * stated:.1f} mΩ" if stated is not None else "",
        doubts_of=lambda _p, _q: [],
    )
    if stated is None or found.value is None or found.u is None or found.k is None:
        return [found]
    if found.value - found.k * found.u <= 2.0 * stated + 0.005:
        return [found]
    doubt = Doubt(
        "lead_resistance_high",
        f"The leads to the load have {1000 * found.value:.0f} mΩ; gauge and length say {1000 * stated:.0f} mΩ.",
        "Tighten the terminals, look for a thin or long lead. It gets hot there at full load.",
    )
    return [replace(found, doubts=(*found.doubts, doubt))]


SPEC = RigCheck()
