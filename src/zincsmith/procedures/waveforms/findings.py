"""Findings from captures: the arithmetic of files and runs is one, here its figures become findings."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from zincsmith.analysis.uncertainty import factor_of
from zincsmith.model.capture import BEFORE, Capture, CaptureChannel, time_unit
from zincsmith.model.finding import Contribution, Doubt, Finding, Working
from zincsmith.model.operating_point import Mode, OperatingPoint
from zincsmith.model.port import gives_nothing, seen_from
from zincsmith.model.quantities import QUANTITIES
from zincsmith.model.reading import Evidence, Point, Samples
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.base import Context, Conventions, Curves, Procedure, Steps
from zincsmith.procedures.ports import idle
from zincsmith.procedures.waveforms.intake import choices_of
from zincsmith.procedures.waveforms.traces import CLIPPED, Channel, Choices, Traces, combined
from zincsmith.recorded.result import Analysed, Figure, Mark

RECTANGULAR = 3.0**-0.5
SIGNAL = "signal_voltage"
LIMITS = ("gain", "offset", "time base")  # sources that a data sheet limits
UNKNOWN = Doubt(
    "accuracy_unknown",
    "An instrument behind this figure states no accuracy, so its uncertainty is not known.",
    "Enter the accuracy from its data sheet in the rig.",
)


@dataclass(frozen=True)
class Named:
    """A figure under the name that a finding has; ``note`` says how it was got."""

    name: str
    title: str
    unit: str
    figure: Figure
    note: str = ""


def traces_from(capture: Capture, samples: Samples, seen_from: str = "") -> Traces:
    """The channels of a capture, in their units; those of one port without its name. BookError where samples are gone
    or damaged."""
    channels = {
        c.quantity: _channel(c, samples, capture)
        for c in capture.channels
        if c.port in ("", seen_from) or c.quantity == SIGNAL  # which is of the unit as a whole
    }
    return Traces(
        capture.step_s, capture.begin_s, channels, capture.clock_percent / 100.0 * RECTANGULAR, name=capture.file
    )


def _channel(one: CaptureChannel, samples: Samples, capture: Capture) -> Channel:
    gain_u = offset_u = None
    if one.known:
        gain_u = one.reading_percent / 100.0 * RECTANGULAR
        offset_u = (one.range_percent / 100.0 * (one.span or 0.0) + one.offset_limit) * RECTANGULAR
    return Channel(
        one.quantity, samples.read(one), one.quantum, gain_u, offset_u, one.coupling, one.ground, one.bandwidth_Hz,
        capture.instrument,
    )  # fmt: skip


@dataclass(frozen=True)
class TypedFigure:
    """A figure that a person may read off a screen instead: what it is typed as, and the finding it becomes."""

    key: str
    name: str
    title: str
    unit: str
    example: str


@dataclass(frozen=True)
class Worked:
    """What one capture shows: figures by the names of findings, facts in words, doubts."""

    named: tuple[Named, ...]
    facts: str
    doubts: tuple[Doubt, ...]
    marks: tuple[Mark, ...] = ()
    told: Mapping[str, object] = field(default_factory=dict)  # the facts as they are


@dataclass(frozen=True)
class Seen:
    """A capture with the point it belongs to, as the output sees it, and what it shows."""

    point: Point
    capture: Capture
    worked: Worked


class OfCaptures(Procedure):
    """A procedure whose points are captures. ``of`` is the quantity that its figures are of, at
    each of its ports; ``least`` names the findings whose least of several repeats counts; of the
    others it is the greatest."""

    of: str = "output_voltage"
    least: tuple[str, ...] = ()
    typed: tuple[TypedFigure, ...] = ()

    def typed_for(self, said: Mapping[str, str]) -> tuple[TypedFigure, ...]:
        """What a person may read off a screen of the record that this was said of."""
        return self.typed

    def tidy(self, ctx: Context) -> Steps:
        """Leave the unit at no load."""
        yield from idle(ctx)

    def work_out(self, traces: Traces, choices: Choices, backgrounds: Sequence[Traces]) -> Analysed:
        """Everything that one capture shows."""
        raise NotImplementedError

    def named(self, found: Analysed) -> Sequence[Named]:
        """Its figures as findings; those without a value are told as not read."""
        raise NotImplementedError

    def findings(self, evidence: Evidence, nameplate: Nameplate, conventions: Conventions) -> list[Finding]:
        """Of every place that captures were taken at; of several taken at one place the one that is worst, with the
        span of them all."""
        places: dict[tuple[object, ...], list[Seen]] = {}
        evidence = evidence.captured_for(self.name)
        quiet = _quiet(evidence, self.name)
        for point in evidence.points:
            for capture in point.captures if not point.at.background else ():
                for port in self.ports_in(capture):
                    own = point.seen_from(port)
                    worked = self._worked(own, capture, port, self._at(port, quiet), evidence, nameplate)
                    place = (
                        port,
                        own.at.at_place,
                        own.at.mode(),
                        own.at.configuration,
                        own.at.state,
                        capture.said.get("record"),
                    )
                    places.setdefault(place, []).append(Seen(own, capture, worked))
        return [one for place, seen in places.items() for one in self._of(str(place[0]), seen)]

    def ports_in(self, capture: Capture) -> tuple[str, ...]:
        """The outputs that it shows figures of."""
        return _ports_of(capture, self.of)

    def _at(self, port: str, quiet: Sequence[Capture]) -> list[Capture]:
        """The backgrounds that were taken at an output: those of another say nothing of it."""
        return [one for one in quiet if port in self.ports_in(one)]

    def marks(self, point: Point, capture: Capture, evidence: Evidence, plate: Nameplate) -> tuple[Mark, ...]:
        """The moments that the figures of a capture go by, of all its outputs, as far as they were worked out."""
        quiet = _quiet(evidence, self.name)
        known = (
            _KNOWN.get(self._of_what(point.seen_from(port), capture, port, self._at(port, quiet), plate))
            for port in self.ports_in(capture)
        )
        return tuple(mark for one in known if one is not None for mark in one.marks)

    def plots(self, evidence: Evidence) -> list[Curves]:
        """The volts of every place, one over the other; of several at a place the first."""
        places: dict[tuple[str, OperatingPoint, str], tuple[str, Capture, CaptureChannel]] = {}
        for point in evidence.points:
            for capture in point.captures if point.at.step is None else ():
                for channel in capture.channels:
                    if channel.quantity == self.of:
                        key = (channel.port, point.at.at_place, capture.said.get("record", ""))
                        places.setdefault(key, (point.at.words, capture, channel))
        titles: dict[str, list[tuple[str, list[float], list[float]]]] = {}
        info = QUANTITIES[self.of]
        if (samples := evidence.traces) is None:
            return []
        for (port, _, record), (words, capture, channel) in places.items():
            title = ", ".join(x for x in (self.title, f"{record} record" if record else "", port) if x)
            x, y = samples.drawn(channel, capture.count, capture.begin_s, capture.step_s, COLUMNS)
            titles.setdefault(title, []).append((words, [1e3 * float(v) for v in x], [float(v) for v in y]))
        return [
            Curves(title, "time", "ms", info.inside, info.unit, info.kind, tuple(lines[:MOST_DRAWN]), trace=True)
            for title, lines in titles.items()
        ]

    def _worked(
        self,
        point: Point,
        capture: Capture,
        port: str,
        quiet: Sequence[Capture],
        evidence: Evidence,
        plate: Nameplate,
    ) -> Worked:
        """Worked out once for the same samples and choices: they are named by their hashes."""
        key = self._of_what(point, capture, port, quiet, plate)
        if not capture.channels:
            return _read_off(capture, self.of, self.typed_for(capture.said))
        if key not in _KNOWN and evidence.traces is not None:
            while len(_KNOWN) >= MOST_KNOWN:
                _KNOWN.pop(next(iter(_KNOWN)))
            traces = traces_from(capture, evidence.traces, port)
            backgrounds = [traces_from(one, evidence.traces, port) for one in quiet]
            seen = in_mode(plate, port, point)
            choices = choices_of(capture.said, nominal_V(seen, port), line_Hz(point.at), rated_A(seen, port))
            found = self.work_out(traces, choices, backgrounds)
            stood = [f"{name} {words}" for name, words in capture.said.items() if name.endswith(BEFORE)]
            facts = "; ".join((*(_fact(name, fact) for name, fact in found.facts.items()), *stood))
            doubts = (*found.doubts, *_doubts(capture), *(() if traces.known else (UNKNOWN,)))
            _KNOWN[key] = Worked(
                tuple(self.named(found)), facts, doubts, tuple(sorted(found.marks, key=lambda m: m.time_s)), found.facts
            )
        return _KNOWN.get(key, Worked((), "", ()))

    def _of_what(
        self, point: Point, capture: Capture, port: str, quiet: Sequence[Capture], plate: Nameplate
    ) -> tuple[object, ...]:
        """Everything that its figures depend on."""
        hertz, plate = line_Hz(point.at), in_mode(plate, port, point)
        return (
            self.name, self.version, _key(capture), tuple(map(_key, quiet)), port, nominal_V(plate, port),
            rated_A(plate, port), hertz,
        )  # fmt: skip

    def _of(self, port: str, seen: Sequence[Seen]) -> list[Finding]:
        names = dict.fromkeys(one.name for each in seen for one in each.worked.named)
        return [self.gathered(self._finding(port, name, seen), seen) for name in names]

    def gathered(self, finding: Finding, seen: Sequence[Seen]) -> Finding:
        """A figure of a place in the light of all captures there."""
        return finding

    def _finding(self, port: str, name: str, seen: Sequence[Seen]) -> Finding:
        told = [(each, one) for each in seen for one in each.worked.named if one.name == name]
        there = [(each, one) for each, one in told if one.figure.value is not None]
        worst = min if name in self.least else max
        lacking = len(there) < len(told)
        each, one = worst(there, key=lambda two: two[1].figure.value or 0.0) if there and not lacking else told[0]
        values = [x.figure.value for _, x in there if x.figure.value is not None]
        note = one.note or one.title
        if len(told) > 1:
            which = "least" if name in self.least else "greatest"
            span = f", from {min(values):.4g} to {max(values):.4g}" if values else ""
            note += f"; the {which} of {len(told)}{span}"
        figure = replace(one.figure, value=None, u=None) if lacking else one.figure
        contributions = tuple(
            # What a data sheet limits, two captures share; what is random in one is its own.
            Contribution(
                _source(each.capture, source), effect, source.endswith(LIMITS), rectangular=source.endswith(LIMITS)
            )
            for source, effect in figure.effects.items()
        )
        rows: tuple[dict[str, object], ...] = tuple(
            {"point": e.point.number, **e.point.at.conditions, "value": x.figure.value, **recorded(e.capture),
             "readings": []}
            for e, x in told
        )  # fmt: skip
        behind = told if lacking else [(each, one)]
        doubts = tuple(dict.fromkeys(d for e, _ in behind for d in e.worked.doubts))
        at = each.point.at
        return Finding(
            name, one.title, figure.value, one.unit, figure.u,
            factor_of(contributions, None) if figure.u is not None else None, None,
            replace(at.at_place, configuration=at.configuration, state=at.state, modes=_own_mode(at)),
            Working(note, ("load / %", "value", *RECORDED), rows, each.worked.facts), contributions, doubts,
            output=port,
        )  # fmt: skip


COLUMNS, MOST_DRAWN = 500, 4  # of a plot: stretches with their least and greatest, and curves
MOST_KNOWN = 512
_KNOWN: dict[tuple[object, ...], Worked] = {}


RECORDED = ("samples", "step")


def recorded(capture: Capture) -> dict[str, object]:
    """How long and how finely a capture was recorded, as the rows of a working tell it."""
    step = capture.step_s
    scale, unit = time_unit(step)
    return dict(zip(RECORDED, (f"{capture.count:,}".replace(",", " "), f"{step / scale:.4g} {unit}"), strict=True))


def _key(capture: Capture) -> tuple[object, ...]:
    return (*capture.channels, capture.step_s, capture.before, tuple(sorted(capture.said.items())))


def _doubts(capture: Capture) -> list[Doubt]:
    """What the way it was taken gives reason to doubt."""
    found = []
    if capture.said.get("trigger") == "none came":
        text = "The scope waited for its trigger in vain and was made to record: what was looked for may not be there."
        found.append(Doubt("no_trigger", text, "Look at the record; choose another level, or see whether it happened."))
    for one in capture.channels:
        if one.clipped > CLIPPED:
            share, what = 100.0 * one.clipped, one.quantity.replace("_", " ")
            text = f"{share:.2g} % of the samples of {what} stand at an end of the range."
            found.append(Doubt("clipped", text, "Take it once more with more volts of span."))
    return found


READ_TO = 0.1  # of a division: how closely anybody reads a screen, at either end; common practice, no source


def _read_off(capture: Capture, quantity: str, typed: Sequence[TypedFigure]) -> Worked:
    """What was typed off a screen: known to a tenth of the division at either end, and to the gain of the scope."""
    said = {key.removeprefix("typed "): float(v) for key, v in capture.said.items() if key.startswith("typed ")}
    gain = float(capture.said["gain_percent"]) / 100.0 * RECTANGULAR if "gain_percent" in capture.said else None
    named = []
    for one in typed:
        if one.key in said:
            division = said.get("tdiv" if one.unit == "s" else "div", 0.0)
            effects = {"reading off the screen": 2.0**0.5 * READ_TO * division * RECTANGULAR}
            if one.unit != "s":
                effects |= {f"{quantity}: gain": (gain or 0.0) * said[one.key]}
            known = gain is not None or one.unit == "s"
            figure = Figure(said[one.key], one.unit, combined(effects) if known else None, effects=effects)
            named.append(Named(one.name, one.title, one.unit, figure, "read off the screen by a person"))
    off = Doubt(
        "read_off_screen", "The figure was read off a screen; no record stands behind it.",
        "Let the scope save its record, and drop the file at the prompt.",
    )  # fmt: skip
    unknown = () if all(one.figure.u is not None for one in named) else (UNKNOWN,)
    return Worked(tuple(named), "", (off, *unknown))


def _source(capture: Capture, source: str) -> str:
    """``output_voltage: gain`` as a budget names it."""
    quantity, _, what = source.partition(": ")
    if not what:
        return f"{capture.instrument} {source}"
    return f"{capture.instrument} {what} of {QUANTITIES[quantity].inside}"


def _quiet(evidence: Evidence, name: str) -> list[Capture]:
    """The captures of the background that a procedure took, in their order; of an earlier part where this one took
    none."""

    def taken(points: Sequence[Point]) -> list[Capture]:
        return [c for p in points for c in p.captures if p.at.background and c.of == name]

    return taken(evidence.points) or taken(evidence.earlier)


def _ports_of(capture: Capture, quantity: str) -> tuple[str, ...]:
    """The ports that it has a quantity of, or was read at."""
    if not capture.channels:
        return (capture.said.get("port", ""),)
    return tuple(dict.fromkeys(c.port for c in capture.channels if c.quantity == quantity))


def _own_mode(at: OperatingPoint) -> tuple[tuple[str, Mode], ...]:
    return (("", at.mode()),) if at.mode() else ()


def in_mode(plate: Nameplate, port: str, point: Point) -> Nameplate:
    """The plate of an output in the mode that it was in, as it sees itself."""
    mode = point.at.mode()
    return seen_from(plate, port, mode) if mode and not gives_nothing(mode) else plate


def nominal_V(plate: Nameplate, port: str) -> float | None:
    """Nominal volts of an output."""
    out = next((o for o in plate.outputs if o.name == port), plate.outputs[0] if plate.outputs else None)
    return out.voltage_V if out is not None else None


def rated_A(plate: Nameplate, port: str) -> float | None:
    """Rated amps of an output."""
    out = next((o for o in plate.outputs if o.name == port), plate.outputs[0] if plate.outputs else None)
    return out.current_A if out is not None else None


def line_Hz(at: OperatingPoint) -> float | None:
    """The frequency of the line; None for direct current, or where nobody said."""
    return at.feed.frequency_Hz or None


UNITS = {
    "_A_per_us": " A/µs",
    "_s": " s",
    "_Hz": " Hz",
    "_V": " V",
    "_A": " A",
    "_W": " W",
    "_degC": " °C",
    "_deg": "°",
}


HERTZ = ((1e9, "GHz"), (1e6, "MHz"), (1e3, "kHz"), (1.0, "Hz"))


def _number(fact: object) -> float | None:
    try:
        return float(str(fact))
    except ValueError:
        return None


def _fact(name: str, fact: object) -> str:
    """``phase_deg`` as ``phase 40.1°``."""
    end = next((e for e in UNITS if name.endswith(e)), "")
    if end == "_Hz" and (hertz := _number(fact)) is not None:
        scale, unit = next(((s, u) for s, u in HERTZ if hertz >= s), HERTZ[-1])
        fact, end = f"{hertz / scale:.6g} {unit}", ""
        name = name.removesuffix("_Hz")
    return f"{name.removesuffix(end).replace('_', ' ')} {_words(fact)}{UNITS.get(end, '')}"


def _words(fact: object) -> str:
    if isinstance(fact, list):
        return ", ".join(map(_words, fact))
    return {True: "yes", False: "no"}.get(fact, str(fact)) if isinstance(fact, bool) else str(fact)


def largest(figures: Sequence[Figure]) -> Figure:
    """The one of the greatest value; one without a value where any has none."""
    if not figures or any(f.value is None for f in figures):
        return Figure(None, figures[0].unit if figures else "")
    return max(figures, key=lambda f: float(np.abs(f.value or 0.0)))
