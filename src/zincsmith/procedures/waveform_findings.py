"""Findings from captures: the arithmetic of files and runs is one, here its figures become findings."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from zincsmith.analysis.uncertainty import factor_of
from zincsmith.model.capture import Capture, CaptureChannel
from zincsmith.model.finding import Contribution, Doubt, Finding, Working
from zincsmith.model.operating_point import OperatingPoint
from zincsmith.model.reading import Evidence, Point, Samples
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.base import Context, Conventions, Procedure, Steps
from zincsmith.procedures.ports import idle
from zincsmith.procedures.traces import Channel, Choices, Traces
from zincsmith.procedures.waveform_intake import choices_of
from zincsmith.recorded.result import Analysed, Figure

RECTANGULAR = 3.0**-0.5
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
    channels = {c.quantity: _channel(c, samples, capture) for c in capture.channels if c.port in ("", seen_from)}
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


class OfCaptures(Procedure):
    """A procedure whose points are captures."""

    def tidy(self, ctx: Context) -> Steps:
        """Leave the unit at no load."""
        yield from idle(ctx)

    def work_out(self, traces: Traces, choices: Choices, background: Traces | None) -> Analysed:
        """Everything that one capture shows."""
        raise NotImplementedError

    def named(self, found: Analysed) -> Sequence[Named]:
        """Its figures as findings; those without a value are told as not read."""
        raise NotImplementedError

    def findings(self, evidence: Evidence, nameplate: Nameplate, conventions: Conventions) -> list[Finding]:
        """Of every capture of its points."""
        return [
            one
            for point in evidence.points
            for capture in point.captures
            if point.at.step is None
            for port in _outputs_of(capture)
            for one in self._of(point.seen_from(port), capture, port, evidence, nameplate)
        ]

    def _of(self, point: Point, capture: Capture, port: str, evidence: Evidence, plate: Nameplate) -> list[Finding]:
        if (samples := evidence.traces) is None:
            return []
        choices = choices_of(capture.said, nominal_V(plate, port), line_Hz(point.at))
        quiet = next(
            (c for p in evidence.points for c in p.captures if p.at.step is not None and c.of == capture.of), None
        )
        background = traces_from(quiet, samples, port) if quiet is not None else None
        traces = traces_from(capture, samples, port)
        found = self.work_out(traces, choices, background)
        doubts = tuple(found.doubts) if traces.known else (*found.doubts, UNKNOWN)
        facts = "; ".join(f"{name.replace('_', ' ')}: {_words(fact)}" for name, fact in found.facts.items())
        made = []
        for one in self.named(found):
            working = Working(
                one.note or one.title, ("load / %", "samples", "step / s"),
                ({"point": point.number, **point.at.conditions, "samples": capture.count, "step / s": capture.step_s,
                  "readings": []},), facts,
            )  # fmt: skip
            contributions = tuple(
                Contribution(f"{capture.instrument}: {source}", effect, True, rectangular=source.endswith(LIMITS))
                for source, effect in one.figure.effects.items()
            )
            k = factor_of(contributions, None) if one.figure.u is not None else None
            made.append(
                Finding(
                    one.name, one.title, one.figure.value, one.unit, one.figure.u, k, None,
                    replace(point.at.at_place, configuration=point.at.configuration), working, contributions, doubts,
                    output=port,
                )
            )  # fmt: skip
        return made


def _outputs_of(capture: Capture) -> tuple[str, ...]:
    """The ports that it has volts of."""
    return tuple(dict.fromkeys(c.port for c in capture.channels if c.quantity == "output_voltage"))


def nominal_V(plate: Nameplate, port: str) -> float | None:
    """Nominal volts of an output."""
    out = next((o for o in plate.outputs if o.name == port), plate.outputs[0] if plate.outputs else None)
    return out.voltage_V if out is not None else None


def line_Hz(at: OperatingPoint) -> float | None:
    """The frequency of the line; None for direct current, or where nobody said."""
    return at.feed.frequency_Hz or None


def _words(fact: object) -> str:
    if isinstance(fact, list):
        return ", ".join(map(_words, fact))
    return {True: "yes", False: "no"}.get(fact, str(fact)) if isinstance(fact, bool) else str(fact)


def largest(figures: Sequence[Figure]) -> Figure:
    """The one of the greatest value; one without a value where any has none."""
    if not figures or any(f.value is None for f in figures):
        return Figure(None, figures[0].unit if figures else "")
    return max(figures, key=lambda f: float(np.abs(f.value or 0.0)))
