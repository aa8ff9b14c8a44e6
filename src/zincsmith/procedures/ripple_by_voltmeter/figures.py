"""Figures of ripple from the AC volts that a voltmeter showed, and why each is to be doubted."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import replace

from zincsmith.analysis.point_doubts import point_doubts
from zincsmith.model.finding import Doubt, Finding
from zincsmith.model.operating_point import Purpose
from zincsmith.model.reading import Evidence, Point, Reading
from zincsmith.model.rig import AcRange
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.finding_of import finding_of
from zincsmith.procedures.plotting import value

SHAPES = {"sawtooth": 2.0 * math.sqrt(3.0), "sine": 2.0 * math.sqrt(2.0)}  # peak to peak over rms, closed form
STATED = "peak_to_peak_over_rms"
# What a meter that takes the mean, scaled for a sine, shows of a shape over its rms: of a sawtooth the mean of its
# absolute value is a quarter of the peak to peak.
MEAN_SCALED = {"sawtooth": math.pi / (2.0 * math.sqrt(2.0)) * math.sqrt(3.0) / 2.0, "sine": 1.0}
NEAR = 10.0 ** (3.0 / 20.0)  # 3 dB
NOT_AC = 0.3  # of the output volts: so much ripple has no supply that regulates; the meter shows the DC volts
SWITCHES = "switching_frequency"


def findings_of(evidence: Evidence, plate: Nameplate) -> list[Finding]:
    """One for each point, one more where a shape was stated."""
    quiet = [p for p in evidence.points if p.at.step is Purpose.BACKGROUND_BEFORE]
    found: list[Finding] = []
    for point in (p for p in evidence.points if p.at.step is None and p.get("output_ac_voltage")):
        found += _of(point, quiet, plate)
    return found


def millivolts(point: Point) -> float | None:
    """What the meter showed."""
    shown = value(point, "output_ac_voltage")
    return None if shown is None else 1000.0 * shown


def _of(point: Point, quiet: Sequence[Point], plate: Nameplate) -> list[Finding]:
    reading = point.need("output_ac_voltage")
    ac, shape = reading.ac or AcRange(), _shape(point)
    doubts = tuple(_doubts(point, reading, ac, shape, quiet, plate))
    shows_dc = any(d.code == "meter_shows_dc" for d in doubts)
    taken = 1.0 / MEAN_SCALED[shape] if shape and ac.true_rms is False else 1.0
    words = "as read" if taken == 1.0 else f"reading / {1.0 / taken:.4g}: a mean, scaled for a sine, of a {shape}"
    found = [_finding("ripple_rms", "Ripple by a voltmeter, rms", taken, words, point, doubts)]
    if shape:
        ratio = SHAPES[shape] * taken
        more = Doubt(
            "shape_stated", f"That the ripple is a {shape} was stated, not seen.",
            "Look at it with a scope where the peak to peak decides.",
        )  # fmt: skip
        said = f"reading x {ratio:.4g}, peak to peak of a {shape}"
        found.append(_finding("ripple", f"Ripple by a voltmeter, peak to peak of a {shape}", ratio, said, point,
                              (*doubts, more)))  # fmt: skip
    return [_without(one) if shows_dc else one for one in found]


def _shape(point: Point) -> str:
    stated = point.at.fact(STATED)
    return next((name for name, ratio in SHAPES.items() if stated and abs(ratio - stated) < 0.01), "")


def _finding(name: str, title: str, times: float, words: str, point: Point, doubts: tuple[Doubt, ...]) -> Finding:
    return finding_of(
        name, title, "V", [point], ("output_ac_voltage",), lambda v: times * float(v["output_ac_voltage"][0]),
        words, point.at.at_place, "by a voltmeter on its AC range",
        doubts_of=lambda p, q: [*point_doubts(p, q), *doubts],
    )  # fmt: skip


def _without(finding: Finding) -> Finding:
    return replace(finding, value=None, u=None, k=None, dof=None, contributions=())


def _doubts(
    point: Point, reading: Reading, ac: AcRange, shape: str, quiet: Sequence[Point], plate: Nameplate
) -> Iterator[Doubt]:
    volts = value(point, "output_voltage")
    shown = reading.value
    if ac.blocks_dc is False or (volts and shown is not None and shown > NOT_AC * abs(volts)):
        yield Doubt(
            "meter_shows_dc",
            f"{reading.source} does not keep the DC volts out of its AC range, or is not on it"
            + (f": it shows {shown:.4g} V of {abs(volts):.4g} V." if volts and shown is not None else "."),
            "Put a capacitor in series, or take a meter that shows nothing on a battery.",
        )
    elif ac.blocks_dc is None:
        yield Doubt(
            "meter_may_show_dc", f"Nobody stated whether the AC range of {reading.source} keeps DC volts out.",
            "Try it on a battery: it has to show nothing. State it at Rig.",
        )  # fmt: skip
    if ac.true_rms is None or (ac.true_rms is False and not shape):
        told = "takes the mean and scales it for a sine" if ac.true_rms is False else "may not read true rms"
        yield Doubt(
            "meter_not_true_rms",
            f"{reading.source} {told}: of a sawtooth that is 3.8 % less than its rms, of narrow pulses far less.",
            "State at Rig how it reads, and the shape if it is known.",
        )
    hertz = _switches_at(plate)
    most = 1000.0 * ac.up_to_kHz if ac.up_to_kHz else None
    if hertz is None or most is None or hertz > most:
        reads = f"{reading.source} reads up to {ac.up_to_kHz:g} kHz" if most else f"how far {reading.source} reads"
        yield Doubt(
            "ripple_by_voltmeter",
            (f"{reads}, and the unit switches at {hertz / 1e3:.4g} kHz" if most and hertz else
             f"{reads} is known, not where the unit switches" if most else f"Nobody stated {reads}")
            + ": on a switching supply a voltmeter can show millivolts where there is a tenth of the output.",
            "Take it with a scope. Of a supply that does not switch, the figure stands.",
        )  # fmt: skip
    floors = [v for p in quiet if (v := value(p, "output_ac_voltage")) is not None]
    if floors and shown is not None and shown < NEAR * max(floors):
        yield Doubt(
            "noise_floor_dominates",
            f"With the unit off it shows {max(floors):.3g} V, with the unit on {shown:.3g} V: within 3 dB.",
            "Twist its leads, keep them short, find what else is on in the room.",
        )


def _switches_at(plate: Nameplate) -> float | None:
    """The highest frequency that a paper states the unit switches at; None where none does."""
    stated = [v for c in plate.claims if c.figure == SWITCHES and c.kept for v in (c.low, c.high) if v is not None]
    return max(stated, default=None)
