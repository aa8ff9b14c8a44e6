"""Overcurrent: a gentle ramp beyond the rating, what the unit does then, and how it comes back."""

from __future__ import annotations

import math
from collections.abc import Generator, Sequence
from dataclasses import replace

from zincsmith.model.actions import (
    Action,
    Capturing,
    Confirm,
    Dwell,
    Measure,
    Note,
    Outcome,
    SetSource,
    Stage,
    Stop,
    WantedChannel,
)  # fmt: skip
from zincsmith.model.address import at_port
from zincsmith.model.finding import Finding
from zincsmith.model.plan import Line
from zincsmith.model.port import UNPLUGGED, of_output
from zincsmith.model.reading import Evidence
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.base import Context, Conventions, Curves, Steps
from zincsmith.procedures.beginning import BACK, COMES_UP_S, POLL_S, comes_back, gate, is_back, volts_of
from zincsmith.procedures.intake import Intake
from zincsmith.procedures.overcurrent.by_hand import findings_by_hand, steps_by_hand, typed_paths
from zincsmith.procedures.overcurrent.combined import findings_together, together
from zincsmith.procedures.overcurrent.figures import protection_figures
from zincsmith.procedures.overcurrent.intake import OverloadLog
from zincsmith.procedures.overcurrent.options import MOST_TRIPS, OvercurrentOptions
from zincsmith.procedures.overcurrent.share import HOLDS, RATED, RELEASED, beyond, told_its_user
from zincsmith.procedures.overcurrent.trials import (
    RELEASED_TO,
    over_all_trials,
    paths,
    rearming,
    restart_load,
    with_what_it_told,
    without_trip,
)
from zincsmith.procedures.ports import RAMP_PERCENT, ask, asked_ports, at_load, draw, plugged_in, ramp
from zincsmith.procedures.ripple.steps import riding
from zincsmith.procedures.waveforms.findings import Named, OfCaptures, Seen
from zincsmith.procedures.waveforms.intake import WORKS_FROM
from zincsmith.procedures.waveforms.traces import Choices, Traces
from zincsmith.recorded.result import Analysed

NAME = "overcurrent"
RELEASES = (100.0, 75.0, 50.0, 25.0, 10.0)  # percent, one after the other
LOGGED = 2000  # polls of a trial, about
CAUTIONS = (
    "The unit is driven beyond its rating on purpose: stay with it, watch it, smell it; F12 makes safe at once.",
    "Load, leads and clips carry more than the rated current: what they stand is what the rig says.",
)
Trial = Generator[Action, Outcome, bool]


class Overcurrent(OfCaptures):
    """Worked out of the log of each trial."""

    name = NAME
    title = "Overcurrent"
    version = 3
    needs: tuple[str, ...] = ("load", "voltmeter")
    serves = "where it lets go, what it does then, and how it comes back"
    options = OvercurrentOptions
    intakes: tuple[Intake, ...] = (OverloadLog(),)
    of = "output_voltage"

    def steps(self, ctx: Context) -> Steps:
        """At each line and output: the first trip by steps, its interval halved, then repeats with rest."""
        options = ctx.asked(OvercurrentOptions)
        ctx = replace(ctx, law=options.law)
        yield from gate(ctx)
        yield Confirm(
            "Beyond the rating",
            f"Each output goes up to {options.ceiling_percent:g} % of its rated current in steps of "
            f"{options.step_percent:g} %, and stays beyond it for {options.observe_s:g} s at a time. Watch "
            "how the unit tells its user: you are asked afterwards.", CAUTIONS,
        )  # fmt: skip
        for line in ctx.reachable(options.lines):
            yield SetSource(line.voltage_V, line.frequency_Hz, True)
            yield Dwell(COMES_UP_S, "output comes up")
            for port in ctx.outputs:
                polled = {at_port(q, port) for q in ("output_voltage", "output_current")} <= ctx.polled
                go = _of_a_port if polled and not ctx.load_by_hand else steps_by_hand
                for about in _each_mode(replace(ctx, about=port if len(ctx.outputs) > 1 else ""), port):
                    yield from ask(about)
                    if port in asked_ports(ctx) and not (yield from is_back(about, line, port)):
                        yield Note(f"{port} does not give {about.modes[port]}: it is not loaded beyond it")
                        continue
                    yield from go(about, options, line, port)
                if port in asked_ports(ctx):
                    yield from plugged_in(ctx)
            if options.together and len(ctx.outputs) > 1:
                yield from together(ctx, options, line)

    def work_out(self, traces: Traces, choices: Choices, backgrounds: Sequence[Traces]) -> Analysed:
        return protection_figures(traces, choices, by_settings=True)

    def plots(self, evidence: Evidence) -> list[Curves]:
        """The V-I path of each trial, then the logs."""
        return [*paths(evidence, NAME), *typed_paths(evidence), *super().plots(evidence)]

    def findings(self, evidence: Evidence, nameplate: Nameplate, conventions: Conventions) -> list[Finding]:
        """What held is no finding of its own where something higher did not; where nothing let go that is told."""
        typed = [*findings_by_hand(evidence, nameplate), *rearming(evidence), *restart_load(evidence, nameplate)]
        alone = without_trip([*super().findings(evidence, nameplate, conventions), *typed])
        return [*with_what_it_told(alone, evidence), *findings_together(evidence, nameplate)]

    def gathered(self, finding: Finding, seen: Sequence[Seen]) -> Finding:
        """The limit in the light of all trials: the highest that held, and where it first did not."""
        return over_all_trials(finding, seen) if finding.name == "overcurrent" else finding

    def named(self, found: Analysed) -> Sequence[Named]:
        f, facts = found.figures, found.facts
        sequence = facts["sequence"]
        told = (
            " then ".join(map(str, sequence)) if isinstance(sequence, list) and sequence else str(facts["protection"])
        )
        if facts["protection"] in ("none", "not-seen"):
            return (Named("highest_overload", "Highest overload applied", "A", f["highest_current"], told),)
        wanted = [
            Named("overcurrent", "Overcurrent limit", "A", f.get("held_current", f["limit_current"]), told),
            Named("overcurrent_power", "Greatest output power", "W", f["limit_power"], told),
            Named("voltage_before_trip", "Output volts just before", "V", f["voltage_before"], told),
        ]
        more = (
            ("hiccup_period", "hiccup_period", "Hiccup, from start to start"),
            ("recovery_time", "overload_recovery", f"Recovery, {facts['recovery']}"),
            ("time_to_shutdown", "overload_shutdown", "From the overload to the shutdown"),
        )
        return (
            *wanted,
            *(Named(name, title, "s", f[key], told) for key, name, title in more if f[key].value is not None),
        )


def _each_mode(ctx: Context, port: str) -> list[Context]:
    """As it stands; of a port that is asked for what it gives, in each of its modes, nothing plugged in elsewhere."""
    if port not in asked_ports(ctx):
        return [ctx]
    modes = [m.name for m in of_output(ctx.envelope.output(port)).modes if m.law == "fixed"]
    return [replace(ctx, modes={p: m if p == port else UNPLUGGED for p in asked_ports(ctx)}) for m in modes]


def _of_a_port(ctx: Context, options: OvercurrentOptions, line: Line, port: str) -> Steps:
    """InputError where a limit of rig or unit lies below the first step beyond the rating."""
    good, bad, trips = RATED, math.inf, 0
    first = True
    for _ in range(options.repeats + MOST_TRIPS):
        fine = not first and bad - good > options.resolution_percent
        if not first and not fine and (trips >= options.repeats or math.isinf(bad)):
            return
        begin = RATED if first or not fine else good
        shares = _shares(options, begin, bad, fine, first)
        reached: list[float] = []
        tripped = yield from _trial(ctx, options, line, port, shares, reached, trips + 1)
        if tripped:
            trips += 1
            below = reached[-2] if len(reached) > 1 else RATED
            good, bad = (max(good, below) if below < reached[-1] else good), min(bad, reached[-1])
        else:
            good = max(good, reached[-1])
            if first:
                return  # nothing up to the ceiling: a figure of its own
        first = False
        if trips >= MOST_TRIPS:
            return


def _shares(options: OvercurrentOptions, begin: float, bad: float, fine: bool, first: bool) -> list[float]:
    """What a trial goes through, in percent: the whole ramp at first, half of the interval left, or the trip once
    more."""
    if first:
        count = math.floor((options.ceiling_percent - RATED) / options.step_percent + 1e-9)
        return [RATED + options.step_percent * k for k in range(1, count + 1)]
    return [0.5 * (begin + bad)] if fine else [bad]


def _trial(
    ctx: Context, options: OvercurrentOptions, line: Line, port: str, shares: Sequence[float], reached: list[float],
    number: int,
) -> Trial:  # fmt: skip
    """From the rated load through these shares until it lets go; watched, released, brought back, kept as a log."""
    yield Stage("Overcurrent", f"{line.words}, {f'{port}, ' if port else ''}trial {number}, to {shares[-1]:.4g} %")
    yield from ramp(ctx, RAMP_PERCENT)
    yield Dwell(2.0, "at its rating", period_s=POLL_S)
    before = yield from volts_of(ctx, line, port)
    tripped = before is None or abs(before) < BACK * abs(ctx.volts[port])  # it let go on the way to its rating
    if tripped:
        reached.append(RATED)
    for share, after in zip(shares, (*shares[1:], None), strict=True) if not tripped else ():
        reached.append(share)
        yield beyond(ctx, share, port, options.ceiling_percent, after)
        yield Dwell(options.step_s, "does it hold?", period_s=POLL_S)
        now = yield from volts_of(ctx, line, port)
        if before is not None and now is not None and abs(now) < HOLDS * abs(before):
            tripped = True
            break
        if options.ripple and number == 1:  # on the way up to the first trip
            yield Measure((), 0.0, at_load(ctx, line, share), capture=riding(ctx))
    if tripped:
        yield Dwell(options.observe_s, "what it does", period_s=POLL_S)
    yield from _release(ctx, options, line, port, tripped)
    yield from comes_back(ctx, options.recover_s, line, port, tripped)
    said = (("law", ctx.law), ("trial", f"{number}"))
    yield Measure((), 0.0, at_load(ctx, line, RATED), capture=log_of(ctx, NAME, port, said))
    if not (yield from is_back(ctx, line, port)):  # a finding, and the end: nobody overloads what does not run
        whose = f"the output {port}" if port else "the output"
        yield Stop(f"{whose} did not come back after trial {number}: released, unloaded, its input cycled")
    if tripped and number == 1:
        yield from told_its_user(ctx, line)
    yield Dwell(options.rest_s, "rests")
    return tripped


def _release(ctx: Context, options: OvercurrentOptions, line: Line, port: str, tripped: bool) -> Steps:
    """The overload goes: to half the rating, or in steps until it is back."""
    if not tripped or options.release == "at once":
        yield from draw(ctx, RELEASED)
        return
    for share in RELEASES:
        yield from draw(ctx, share)
        yield Dwell(options.recover_s, f"released to {share:g} %: does it come back?", period_s=POLL_S)
        if (yield from is_back(ctx, line, port, ((RELEASED_TO, share),))):
            return


def log_of(ctx: Context, of: str, port: str, said: tuple[tuple[str, str], ...]) -> Capturing:
    """What was polled of an output since the stage began, with the input and a temperature where they are polled."""
    wanted = (
        at_port("output_voltage", port), at_port("output_current", port), at_port("load_set", port),
        *(q for q in ("input_power", "input_voltage", "case_temperature") if q in ctx.polled),
    )  # fmt: skip
    if port in ctx.least_load_V:
        said += ((WORKS_FROM, f"{ctx.least_load_V[port]:g}"),)
    return Capturing(of, tuple(WantedChannel(q, 1.0) for q in wanted), 0.0, LOGGED, logged=True, said=said)


SPEC = Overcurrent()
