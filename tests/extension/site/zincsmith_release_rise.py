"""An invented characterization: how far an output rises by itself while it stands without load after full load."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import ClassVar, Literal

from zincsmith import api

STEPS = 4  # readings while it stands
LEAST_S = 20.0  # shorter, and it has not settled


@dataclass(frozen=True)
class RiseOptions(api.Planned):
    """``stand_s``: how long it stands without load, read ``STEPS`` times; at one line."""

    procedure: Literal["release_rise"] = "release_rise"
    line: api.Line = api.LINES[1]
    stand_s: float = 40.0

    form: ClassVar = (
        api.Choosing("Stands without load", "stand_s", api.times(20.0, 40.0, 120.0)),
        api.Typing("At, V Hz", "line", lambda x: f"{x.voltage_V:g} {x.frequency_Hz:g}",
                   lambda text: api.read_lines(text)[0]),
    )  # fmt: skip

    @property
    def lines_used(self) -> tuple[api.Line, ...]:
        return (self.line,)

    def check(self) -> None:
        api.check_lines((self.line,), "line")
        api.between(8.0, 3600.0, stand_s=self.stand_s)

    @classmethod
    def proposed(cls, facts: api.Facts) -> tuple[api.Options, ...]:
        return (cls(line=facts.first),)

    def refitted(self, to: api.Refit) -> api.Options:
        return replace(self, line=to.line(self.line))

    def told(self) -> tuple[tuple[str, str], ...]:
        return (("Release rise", f"read {STEPS} times in {api.duration(self.stand_s)} without load"),)


class VoltsAfterRelease(api.Intake):
    """A record of the output volts from the release of the load on."""

    kind = "release"
    words = "volts over time after the load is released"
    wanted: ClassVar[Mapping[str, str]] = {"time_s": "time", "voltage_V": "output volts"}
    tells = ()

    def points(self, found: api.Columns, asked: api.FileRequest, at: api.TakenAt) -> api.Taken:
        """Each row a point."""
        line = api.line_of(asked)
        times, volts = found.need(asked.time, "s", "--time"), found.need(asked.voltage, "V", "--voltage")
        points = [
            api.FilePoint(
                replace(api.at_line(line, 0.0), elapsed_s=float(t)),
                {"output_voltage": api.Value(float(v), f"{found.file.name}, {t:g} s")},
            )
            for t, v in zip(times, volts, strict=True)
        ]
        return api.Taken(points, RiseOptions(line=line, stand_s=float(times[-1])))


class ReleaseRise(api.Procedure):
    name = "release_rise"
    title = "Release rise"
    version = 2
    needs: tuple[str, ...] = ("ac_source", "load", "voltmeter")
    serves = "how far the output rises by itself without load, after full load"
    options = RiseOptions
    tested_as = "release rise"
    intakes = (VoltsAfterRelease(),)
    figures = (
        api.Figure("release_rise", "Rise after the load is released", "V", "voltage", "most", "output",
                   ("release_rise",), "release rise", ("voltmeter",)),
    )  # fmt: skip

    def steps(self, ctx: api.Context) -> api.Steps:
        options = ctx.options
        assert isinstance(options, RiseOptions)
        line = ctx.reachable((options.line,))[0]
        yield api.Stage("Release rise", "nothing is live")
        yield api.Confirm("Release rise", "The load is at the output; nobody touches it while it is switched off.")
        yield from api.feed(ctx, "Release rise", line.words, line)
        yield from api.watch_outputs(ctx, None, 1.12, "of this procedure: 112 % of nominal")
        yield from api.ramp(ctx)
        yield api.Dwell(5.0, "full load")
        yield from api.idle(ctx)
        for n in range(STEPS):
            yield api.Dwell(options.stand_s / STEPS - 2.0, "stands without load")
            at = replace(api.at_load(ctx, line, 0.0), elapsed_s=(n + 1) * options.stand_s / STEPS)
            yield api.Measure(tuple(q for q in api.everywhere(ctx, ("output_voltage",)) if q in ctx.measured), 2.0, at)

    def tidy(self, ctx: api.Context) -> api.Steps:
        yield from api.idle(ctx)

    def findings(
        self, evidence: api.Evidence, nameplate: api.Nameplate, conventions: api.Conventions
    ) -> list[api.Finding]:
        rows = [p for p in evidence.points if (r := p.get("output_voltage")) is not None and r.value is not None]
        if len(rows) < 2:
            return []
        first, last = rows[0], rows[-1]
        found = api.finding_of(
            "release_rise", "Rise after the load is released", "V", [first, last], ["output_voltage"],
            lambda v: float(v["output_voltage"][1] - v["output_voltage"][0]), "V last − V first", first.at.at_line,
        )  # fmt: skip
        stood = (last.at.elapsed_s or 0.0) - (first.at.elapsed_s or 0.0)
        if stood >= LEAST_S:
            return [found]
        doubt = api.Doubt("rise_cut_short", f"It stood for {stood:g} s only.", "Let it stand for longer.")
        return [replace(found, doubts=(*found.doubts, doubt))]

    def plots(self, evidence: api.Evidence) -> list[api.Curves]:
        rows = [(p.at.elapsed_s or 0.0, r.value) for p in evidence.points
                if (r := p.get("output_voltage")) is not None and r.value is not None]  # fmt: skip
        line = ("without load", [x for x, _ in rows], [y for _, y in rows])
        return [api.Curves("Release rise", "time", "s", "output", "V", "voltage", (line,))]

    def section(self, findings: Sequence[api.Finding]) -> api.Section | None:
        mine = [f for f in findings if f.name == "release_rise" and f.value is not None]
        rows = tuple((f.at.words, f"{1000.0 * (f.value or 0.0):.2f} mV") for f in mine)
        words = "What an output does by itself once nothing is drawn from it any more."
        return api.Section("Release rise", (words,), ("line", "rise"), rows) if rows else None


SPEC = ReleaseRise()
