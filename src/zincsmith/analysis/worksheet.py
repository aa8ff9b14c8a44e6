"""What each stage of a supply should read, from the input on, unplugged and live; and which reading comes next.

Unplugged readings come before any live one, and a live one is proposed only while no unplugged one decides. Spans are
common practice, no source: they tell a short from a part, and an open from a part, not one part from another.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Literal

from zincsmith.model.unit import Nameplate

Way = Literal["unplugged", "live"]
Span = tuple[float, float]
OPEN = math.inf  # what an ohmmeter shows as beyond its range

# What people report, with the stages that are looked at first for it.
SYMPTOMS: dict[str, tuple[str, ...]] = {
    "dead": (),
    "blows its fuse": ("bulk",),
    "tries again and again": ("output", "controller supply"),
    "volts too low": ("reference",),
    "volts too high": ("reference",),
    "ripples or hums": ("bulk",),
}


@dataclass(frozen=True)
class Stage:
    """``ohms`` and ``volts`` are the spans of a sound one, None where it is not read that way; ``probes`` says where.
    What a reading below and above points to, by way: the parts to be looked at, the likeliest first."""

    name: str
    probes: str
    ohms: Span | None
    volts: Span | None
    short: str = ""
    open: str = ""
    low: str = ""
    high: str = ""
    primary: bool = True

    def span(self, way: Way) -> Span | None:
        return self.ohms if way == "unplugged" else self.volts


@dataclass(frozen=True)
class Fault:
    """The stage whose reading decides, which way it was read, what is out and the parts that this points to."""

    stage: Stage
    way: Way
    value: float
    words: str
    parts: str


Readings = Mapping[tuple[str, Way], float]


def sheet_of(plate: Nameplate, line_V: float, corrected: bool = False) -> tuple[Stage, ...]:
    """From the input on; of a switching supply on mains, and of a converter fed with direct current."""
    out = abs(plate.output.voltage_V)
    output = Stage(
        "output", "across the output terminals, no load", (30.0, OPEN), (0.97 * out, 1.03 * out),
        short="output rectifier, output capacitor, or what protects the output, shorted",
        low="controller, optocoupler or output rectifier: the stages before it are there",
        high="feedback: optocoupler, reference, the divider's upper resistor", primary=False,
    )  # fmt: skip
    reference = Stage(
        "reference", "at the reference of the feedback, against output minus", (300.0, 100e3), (2.42, 2.58),
        short="reference, or a capacitor across it, shorted", open="a resistor of the divider, or a joint, open",
        low="reference, or the divider's upper resistor gone high", high="the divider's lower resistor gone high",
        primary=False,
    )  # fmt: skip
    controller = Stage(
        "controller supply", "across the capacitor of the controller's supply", (400.0, OPEN), (8.0, 24.0),
        short="controller, or the capacitor of its supply, shorted",
        low="start resistor open, or the capacitor of the supply dried out",
        high="its winding's rectifier, or no load on it",
    )  # fmt: skip
    if plate.input.type == "dc":
        fed = Stage(
            "input", "across the input capacitor", (100.0, OPEN), (0.95 * line_V, 1.05 * line_V),
            short="switch, input capacitor or polarity diode shorted", low="fuse, inductor or polarity diode open",
        )  # fmt: skip
        return (fed, controller, output, reference)
    peak = math.sqrt(2.0) * line_V
    bulk = (360.0, 410.0) if corrected else (0.9 * peak, 1.05 * peak)
    return (
        Stage("fuse", "from the live pin of the plug to behind the fuse", (0.0, 30.0), None,
              open="the fuse; what blew it is looked for before another goes in"),
        Stage("bulk", "across the bulk capacitor, once it is proven dead", (20e3, OPEN), bulk,
              short="switch, bridge or bulk capacitor shorted or leaking",
              low="bridge, thermistor or track open; a bulk capacitor that has dried out stands low and hums"),
        controller, output, reference,
    )  # fmt: skip


# What another piece of the model, known to be good, may differ by: ohms with its capacitors and their charge, volts
# with line and tolerances. Common practice, no source.
OHMS_APART, VOLTS_APART, AS_OPEN = 3.0, 0.1, 1e6


def beside_good(sheet: tuple[Stage, ...], good: Readings) -> tuple[Stage, ...]:
    """The sheet with the spans that a known good piece of the model gives where it was read."""
    return tuple(
        replace(
            stage,
            ohms=_around(good.get((stage.name, "unplugged")), "unplugged", stage.ohms),
            volts=_around(good.get((stage.name, "live")), "live", stage.volts),
        )
        for stage in sheet
    )


def _around(value: float | None, way: Way, span: Span | None) -> Span | None:
    if value is None:
        return span
    if way == "live":
        return tuple(sorted(((1.0 - VOLTS_APART) * value, (1.0 + VOLTS_APART) * value)))  # type: ignore[return-value]
    return (AS_OPEN, OPEN) if math.isinf(value) else (value / OHMS_APART, value * OHMS_APART)


def read_good(text: str, sheet: tuple[Stage, ...]) -> dict[tuple[str, Way], float]:
    """``bulk 412k, output 2.2k, bulk 322 V, fuse open``: ohms unplugged, volts live. ValueError, with what is wrong,
    for anything else."""
    found: dict[tuple[str, Way], float] = {}
    names = [s.name for s in sheet]
    for piece in (p.strip() for p in text.split(",") if p.strip()):
        name = next((n for n in sorted(names, key=len, reverse=True) if piece.lower().startswith(n)), None)
        if name is None:
            raise ValueError(f"{piece!r} names no stage; there are: {', '.join(names)}")
        rest = piece[len(name) :].strip().lower()
        way: Way = "live" if rest.endswith("v") else "unplugged"
        number = rest.removesuffix("v").removesuffix("ohm").strip()
        if number == "open":
            found[name, way] = OPEN
            continue
        scale = {"k": 1e3, "m": 1e6}.get(number[-1:], 1.0) if way == "unplugged" else 1.0
        try:
            found[name, way] = float(number.rstrip("km ")) * scale
        except ValueError:
            raise ValueError(f"{piece!r}: ohms such as 412k, or volts such as 322 V, are wanted") from None
    return found


def out_of_span(stage: Stage, way: Way, value: float) -> Fault | None:
    """What a reading points to; None for a sound one."""
    span = stage.span(way)
    if span is None or span[0] <= value <= span[1]:
        return None
    told = (stage.short, stage.open) if way == "unplugged" else (stage.low, stage.high)
    parts = told[value > span[1]]
    should = f"{_ohms(span[0])} to {_ohms(span[1])}" if way == "unplugged" else f"{span[0]:.4g} to {span[1]:.4g} V"
    shown = _ohms(value) if way == "unplugged" else f"{value:.4g} V"
    return Fault(
        stage, way, value, f"{stage.name}, {way}: {shown}, {should} are sound", parts or "what stands before it"
    )


def _ohms(value: float) -> str:
    if math.isinf(value):
        return "open"
    scale, unit = (1e6, "Mohm") if value >= 1e6 else (1e3, "kohm") if value >= 1e3 else (1.0, "ohm")
    return f"{value / scale:.3g} {unit}"


def fault_of(sheet: tuple[Stage, ...], read: Readings) -> Fault | None:
    """The reading that decides: unplugged before live; an open fuse is followed up, since something blew it, and so is
    an output that is off but there, which the reference explains or does not."""
    found = [f for (name, way), value in read.items()
             if (stage := next((s for s in sheet if s.name == name), None)) is not None
             and (f := out_of_span(stage, way, value)) is not None]  # fmt: skip
    others = [f for f in found if f.stage.name != "fuse"]
    order = {s.name: n for n, s in enumerate(sheet)}
    ranked = sorted(others or found, key=lambda f: (f.way == "live", order[f.stage.name]))
    if len(ranked) > 1 and _is_off(ranked[0]) and ranked[1].stage.name == "reference":
        return ranked[1]
    return ranked[0] if ranked else None


def _is_off(found: Fault) -> bool:
    """An output that is there, and off its volts."""
    span = found.stage.volts
    return found.stage.name == "output" and found.way == "live" and span is not None and found.value > THERE * span[0]


THERE = 0.1  # of its volts


def next_of(sheet: tuple[Stage, ...], read: Readings, symptom: str) -> tuple[Stage, Way] | None:
    """The safest reading that still tells something; None once one has decided, or nothing is left to read."""
    found = fault_of(sheet, read)
    if found is not None and _is_off(found) and ("reference", "live") not in read:
        return next((s, "live") for s in sheet if s.name == "reference")
    if found is not None and (found.stage.name != "fuse" or ("bulk", "unplugged") in read):
        return None
    first = SYMPTOMS.get(symptom, ())
    ordered = sorted(sheet, key=lambda s: (s.name not in first, first.index(s.name) if s.name in first else 0))
    ways: tuple[Way, ...] = ("unplugged", "live")
    for way in ways:
        if way == "live" and found is not None:  # nothing is fed behind an open fuse
            return None
        for stage in ordered if way == "unplugged" else sheet:
            if stage.span(way) is not None and (stage.name, way) not in read:
                return stage, way
    return None
