"""Overload endurance: more than the rating until it shuts down, and how it comes back."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from zincsmith.model.actions import Confirm, Dwell, Measure, SetSource, Stage, Stop
from zincsmith.model.address import at_port
from zincsmith.model.finding import Finding
from zincsmith.model.plan import Line
from zincsmith.model.reading import Evidence
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.base import Context, Conventions, Steps
from zincsmith.procedures.beginning import BACK, COMES_UP_S, comes_back, gate, is_back, volts_of
from zincsmith.procedures.overcurrent.share import HOLDS, RELEASED, beyond
from zincsmith.procedures.overcurrent.steps import CAUTIONS, log_of
from zincsmith.procedures.overload_endurance.by_hand import endurance_by_hand, overloaded_by_hand
from zincsmith.procedures.overload_endurance.figures import endurance_figures
from zincsmith.procedures.overload_endurance.options import EnduranceOptions
from zincsmith.procedures.ports import RAMP_PERCENT, at_load, draw, ramp
from zincsmith.procedures.waveforms.findings import Named, OfCaptures
from zincsmith.procedures.waveforms.traces import Choices, Traces
from zincsmith.recorded.result import Analysed

NAME = "overload_endurance"
POLL_S = 1.0
LOOKS_S = 10.0  # from look to look while it cools


class OverloadEndurance(OfCaptures):
    """Worked out of the log of each overload."""

    name = NAME
    title = "Overload endurance"
    version = 1
    needs: tuple[str, ...] = ("load", "voltmeter")
    serves = "how long it stands an overload, how hot it gets, when it is back"
    options = EnduranceOptions
    of = "output_voltage"

    def steps(self, ctx: Context) -> Steps:
        """At each line and output from the gentlest overload up; the next one only where the last left a unit that
        runs."""
        options = ctx.asked(EnduranceOptions)
        yield from gate(ctx)
        listed = ", ".join(f"{p:g}" for p in options.loads_percent)
        yield Confirm(
            "Beyond the rating",
            f"Each output is loaded with {listed} % of its rated current, {options.minutes:g} min at most each time, "
            "or until it shuts down. Somebody stays with it all the while.", CAUTIONS,
        )  # fmt: skip
        for line in ctx.reachable(options.lines):
            yield SetSource(line.voltage_V, line.frequency_Hz, True)
            yield Dwell(COMES_UP_S, "output comes up")
            for port in ctx.outputs:
                about = replace(ctx, about=port if len(ctx.outputs) > 1 else "")
                polled = {at_port(q, port) for q in ("output_voltage", "output_current")} <= ctx.polled
                go = _overloaded if polled and not ctx.load_by_hand else overloaded_by_hand
                for percent in options.loads_percent:
                    yield from go(about, options, line, port, percent)

    def work_out(self, traces: Traces, choices: Choices, backgrounds: Sequence[Traces]) -> Analysed:
        return endurance_figures(traces, choices)

    def findings(self, evidence: Evidence, nameplate: Nameplate, conventions: Conventions) -> list[Finding]:
        """Out of logs, and of what was typed look by look."""
        return [*super().findings(evidence, nameplate, conventions), *endurance_by_hand(evidence, nameplate)]

    def named(self, found: Analysed) -> Sequence[Named]:
        f, did = found.figures, str(found.facts["protection"])
        shut = f["time_to_shutdown"].value is not None
        title = "Overload until it shut down" if shut else "Overload that it held"
        wanted = [Named("overload_endurance" if shut else "overload_held", title, "s", f["held"], did)]
        if f["recovery_time"].value is not None and shut:
            wanted.append(Named("overload_restart", "Back after the shutdown", "s", f["recovery_time"], did))
        if "hottest" in f:
            wanted.append(Named("overload_hottest", "Hottest case in the overload", "degC", f["hottest"], did))
        return wanted


def _overloaded(ctx: Context, options: EnduranceOptions, line: Line, port: str, percent: float) -> Steps:
    """One overload, from the rated load and back to half of it, kept as a log."""
    yield Stage(
        "Endurance", f"{line.words}, {f'{port}, ' if port else ''}{percent:g} %, {options.minutes:g} min at most"
    )
    yield from ramp(ctx, RAMP_PERCENT)
    yield Dwell(2.0, "at its rating", period_s=POLL_S)
    before = yield from volts_of(ctx, line, port)
    nominal = abs(ctx.volts[port])
    if before is None or abs(before) < BACK * nominal:
        yield Stop(f"it does not carry its rating at {line.words}: nothing beyond that is asked of it")
    yield beyond(ctx, percent, port, max(options.loads_percent))
    yield Dwell(
        1.0, f"{percent:g} % until it shuts down", quantity=at_port("output_voltage", port),
        below=HOLDS * nominal if ctx.volts[port] > 0.0 else None, at_most_s=60.0 * options.minutes, period_s=POLL_S,
    )  # fmt: skip
    yield from draw(ctx, RELEASED)
    for _ in range(max(1, round(60.0 * options.cools_min / LOOKS_S))):
        yield Dwell(LOOKS_S, "cools, comes back?", period_s=POLL_S)
        if (yield from is_back(ctx, line, port)):
            break
    else:
        yield from comes_back(ctx, LOOKS_S, line, port, True)
    at = at_load(ctx, line, percent)
    yield Measure((), 0.0, at, capture=log_of(ctx, NAME, port, (("law", ctx.law),)))
    if not (yield from is_back(ctx, line, port)):
        yield Stop(f"it did not come back from {percent:g} %: released, unloaded, its input cycled")


SPEC = OverloadEndurance()
