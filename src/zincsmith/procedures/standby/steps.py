"""Standby: real power with the output open, recorded until it is steady (IEC 62301), or as the mean of two periods.

A load that is switched off still leaks, and so do its leads: a gate asks for them to be taken off, or what they may
take is stated and stands in the budget.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

import numpy as np

from zincsmith.analysis.point_doubts import point_doubts
from zincsmith.analysis.standby import Standby, allowed_W, cut_bursts, limit_W_per_h, standby
from zincsmith.analysis.uncertainty import factor_of
from zincsmith.analysis.waves import recorded_of
from zincsmith.model.actions import Confirm, Dwell, Measure, Measured, SetSource, Stage
from zincsmith.model.finding import Contribution, Doubt, Finding
from zincsmith.model.plan import Line
from zincsmith.model.reading import Evidence, Point, Reading
from zincsmith.model.roles import SOURCE
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.base import Context, Conventions, Curves, Procedure, Steps
from zincsmith.procedures.finding_of import finding_of
from zincsmith.procedures.plotting import by_line, value
from zincsmith.procedures.ports import everywhere, idle
from zincsmith.procedures.rows import at_line
from zincsmith.procedures.standby.intake import WattsOverTime
from zincsmith.procedures.standby.options import StandbyOptions

NAME = "standby"
PERIOD_S = 600.0  # of the average method, each
SETTLES_S = 1800.0
LEAST_BLOCKS = 6
RECORD_S = 1.0  # of volts and amps in the first block, for the maximum current ratio
LIVE = ("input_power", "input_voltage", "input_current", "power_factor", "output_voltage")
CAUTIONS = (
    "Once you have said go, the input is live with nothing at the output: then the output terminals are not touched.",
    "The bulk capacitor stays charged after switch-off.",
)


class StandbyPower(Procedure):
    name = NAME
    title = "Standby power"
    version = 3
    needs: tuple[str, ...] = (SOURCE, "power_meter")
    serves = "no-load power, steady after IEC 62301, with its own uncertainty"
    options = StandbyOptions
    tested_as = "standby power"
    intakes = (WattsOverTime(),)

    def steps(self, ctx: Context) -> Steps:
        """Load's leads off with the input off, then every line until it is steady; leads back at the end."""
        options = _options(ctx)
        lines = ctx.reachable(options.lines)
        removed = options.leads == "removed"
        yield Stage("Load off", "the input is off")
        yield SetSource(lines[0].voltage_V, lines[0].frequency_Hz, False)
        yield from idle(ctx)
        if removed:
            yield Confirm(
                "Take the load off",
                "Take the load's leads and its sense leads off the output. A load that is switched off still leaks, "
                "and what it takes would count as standby power. USB units: nothing plugged in.",
                CAUTIONS,
                hands_in=True,
            )
        for line in lines:
            yield Stage("Standby", line.words)
            yield SetSource(line.voltage_V, line.frequency_Hz, True)
            if options.method == "sampling" and "input_power" in ctx.polled:
                yield Dwell(options.warm_up_s, "settles with the output open", warms=True)
                yield from self._blocks(ctx, line)
            else:
                yield Dwell(max(options.warm_up_s, SETTLES_S), "settles with the output open", warms=True)
                for period in (1.0, 2.0):
                    yield _measure(ctx, line, PERIOD_S, period * PERIOD_S)
        if removed:
            yield Stage("Load back", "the input is off")
            yield SetSource(lines[-1].voltage_V, lines[-1].frequency_Hz, False)
            yield Confirm(
                "Put the load back",
                "Put the load's leads and its sense leads back to the output, polarity checked.",
                (),
                hands_in=True,
            )

    def _blocks(self, ctx: Context, line: Line) -> Steps:
        """One mean after another until the standard calls it stable, or the longest time is over."""
        options = _options(ctx)
        times: list[float] = []
        watts: list[float] = []
        elapsed = 0.0
        while elapsed < options.at_most_s:
            elapsed += options.block_s
            record_s = RECORD_S if ctx.records and not times else 0.0
            answer = yield _measure(ctx, line, options.block_s, elapsed, record_s)
            reading = answer.point.get("input_power") if isinstance(answer, Measured) else None
            if reading is None or reading.value is None:
                if not isinstance(answer, Measured):
                    return  # skipped: the rest of this line with it
                continue
            times.append(elapsed - options.block_s / 2.0)
            watts.append(reading.value)
            if elapsed >= options.at_least_s and len(watts) >= LEAST_BLOCKS and _judged(times, watts).stable:
                return

    def tidy(self, ctx: Context) -> Steps:
        """Leave the load off."""
        yield from idle(ctx)

    def doubts(self, point: Point) -> list[Doubt]:
        """Source and range of one block; whether it is steady is seen over all of them."""
        return point_doubts(replace(point, settled=None), ("input_power",))

    def plots(self, evidence: Evidence) -> list[Curves]:
        """Watts over time, a curve a line."""
        blocks = [p for p in evidence.points if p.at.elapsed_s is not None]
        lines = by_line(blocks, lambda p: value(p, "input_power"), lambda p: (p.at.elapsed_s or 0.0) / 60.0)
        return [Curves("Standby power", "time", "min", "input", "W", "power", tuple(lines))]

    def findings(self, evidence: Evidence, nameplate: Nameplate, conventions: Conventions) -> list[Finding]:
        """The no-load power at each line, on direct current the amps too."""
        by_line: dict[tuple[float, float], list[Point]] = {}
        for point in evidence.points:
            reading = point.get("input_power")
            if reading is not None and reading.value is not None and point.at.elapsed_s is not None:
                by_line.setdefault((point.at.line_V, point.at.frequency_Hz), []).append(point)
        found = [_finding(line, points, _mcr(points, evidence.samples)) for line, points in by_line.items()]
        return [*found, *(f for line, points in by_line.items() if not line[1] for f in _quiescent(line, points))]


def _options(ctx: Context) -> StandbyOptions:
    return ctx.asked(StandbyOptions)


def _measure(ctx: Context, line: Line, seconds: float, elapsed: float, record_s: float = 0.0) -> Measure:
    typed = {"input_power"} if line.frequency_Hz else {"input_power", "input_voltage", "input_current"}
    wanted = tuple(q for q in everywhere(ctx, LIVE) if q in ctx.polled or (q in typed and q in ctx.measured))
    leakage = _options(ctx).leakage_W if _options(ctx).leads == "connected" else 0.0
    at = replace(at_line((line.voltage_V, line.frequency_Hz), 0.0), elapsed_s=elapsed)
    at = replace(at, stated=(("leakage_W", leakage),)) if leakage else at
    return Measure(wanted, seconds, at, record_s)


def _judged(times: Sequence[float], watts: Sequence[float]) -> Standby:
    return standby(np.asarray(times), np.asarray(watts))


def _watts(point: Point) -> Reading:
    return point.need("input_power")


def _mcr(points: list[Point], samples: Mapping[str, bytes]) -> float | None:
    """Maximum current ratio, crest factor over power factor, of the first record of a line; None without one."""
    for point in points:
        recorded = recorded_of(point, samples)
        if recorded is not None and recorded.power.current_crest and recorded.power.power_factor:
            return recorded.power.current_crest / recorded.power.power_factor
    return None


def _finding(line: tuple[float, float], points: list[Point], mcr: float | None) -> Finding:
    values = [float(_watts(p).value or 0.0) for p in points]
    times = [p.at.elapsed_s or 0.0 for p in points]
    if len(points) >= LEAST_BLOCKS:
        seen = _judged(times, values)
        used = [p for p, t in zip(points, times, strict=True) if seen.used_s[0] <= t <= seen.used_s[1]]
        slope, limit, stable = seen.slope_W_per_h, seen.limit_W_per_h, seen.stable
        words = "mean of the last two thirds"
    else:
        used = points
        slope, limit, stable = _of_two(times, values)
        words = "mean of both periods" if len(points) > 1 else "one period"
    powers = np.array([_watts(p).value for p in used], dtype=np.float64)
    mean = float(np.mean(powers))
    spread = float(np.std(powers, ddof=1)) if len(used) > 1 else None
    first = _watts(used[0])
    # One setting, one meter, one range: its limit of error is one and the same in every block, so the blocks are one
    # reading whose repeats are the blocks.
    merged = replace(first, value=mean, spread=spread, count=len(used))
    others = tuple(r for r in used[0].readings if r.quantity != "input_power")
    row = replace(used[0], readings=(merged, *others))
    finding = finding_of(
        "no_load_power",
        "No-load power",
        "W",
        [row],
        ["input_power"],
        lambda v: float(v["input_power"][0]),
        f"P, {words}",
        at_line(line),
        f"{len(used)} blocks; slope {1000.0 * slope:+.2f} mW/h, {1000.0 * limit:.3g} mW/h allowed"
        + (f"; crest over power factor (MCR) {mcr:.0f}" if mcr is not None else ""),
        doubts_of=lambda p, q: point_doubts(replace(p, settled=None), q),
    )
    readings = [_watts(p).id for p in used]
    rows = ({**finding.working.rows[0], "readings": readings},)
    finding = replace(finding, working=replace(finding.working, rows=rows))
    finding = _with_leakage(finding, used[0])
    by = "IEC 62301:2011, from memory" if mcr is not None else "IEC 62301:2011, from memory; no record shows the MCR"
    found = _doubts(finding, stable, row)
    if cut_bursts(powers, 0):
        found.append(
            Doubt(
                "burst_cut",
                f"At {line[0]:g} V the blocks differ by bursts that are longer than a block: their mean hangs on where "
                "it begins and ends.",
                "Take longer blocks, whole bursts each.",
            )
        )
    return replace(
        finding,
        doubts=(*finding.doubts, *found),
        permitted=allowed_W(mean, mcr),
        permitted_by=by,
    )


def _quiescent(line: tuple[float, float], points: list[Point]) -> list[Finding]:
    """The amps that go in at no load, of an input of direct current."""
    read = [p for p in points if (r := p.get("input_current")) is not None and r.value is not None]
    if not read:
        return []
    values = np.array([p.need("input_current").value for p in read], dtype=np.float64)
    spread = float(np.std(values, ddof=1)) if len(read) > 1 else None
    first = read[0].need("input_current")
    merged = replace(first, value=float(np.mean(values)), spread=spread, count=len(read))
    row = replace(read[0], readings=(merged,))
    return [
        finding_of(
            "quiescent_current", "Quiescent current", "A", [row], ["input_current"],
            lambda v: float(v["input_current"][0]), "mean of the input amps at no load", at_line(line),
            f"{len(read)} readings", doubts_of=lambda p, q: point_doubts(replace(p, settled=None), q),
        )
    ]  # fmt: skip


def _of_two(times: Sequence[float], values: Sequence[float]) -> tuple[float, float, bool]:
    """(slope in W/h, its limit, whether it is below) between the two periods of the average method."""
    mean = float(np.mean(values))
    limit = limit_W_per_h(mean)
    if len(values) < 2:
        return 0.0, limit, False
    slope = (values[-1] - values[0]) / (times[-1] - times[0]) * 3600.0
    return slope, limit, abs(slope) < limit


def _with_leakage(finding: Finding, point: Point) -> Finding:
    """What a load that stays connected may take: a rectangular half-width that a person stated."""
    leakage = point.at.fact("leakage_W")
    if not leakage or finding.u is None:
        return finding
    part = Contribution("leakage of the load and its leads", leakage / 3.0**0.5, True, rectangular=True)
    u = (finding.u**2 + part.effect**2) ** 0.5
    dof = finding.dof * (u / finding.u) ** 4 if finding.dof is not None and finding.u > 0.0 else None
    return replace(
        finding,
        u=u,
        dof=dof,
        k=factor_of((*finding.contributions, part), dof),
        contributions=(*finding.contributions, part),
    )


def _doubts(finding: Finding, stable: bool, point: Point) -> list[Doubt]:
    found = []
    where = f"{point.at.line_V:g} V"
    if not stable:
        found.append(
            Doubt(
                "not_stable",
                f"At {where} the power was not steady: {finding.working.note}.",
                "Let it run longer with the output open, and take it again.",
            )
        )
    factor = point.get("power_factor")
    if factor is not None and factor.value is not None and factor.value < LOW_FACTOR:
        found.append(
            Doubt(
                "low_power_factor",
                f"At {where} the power factor is {factor.value:.3f}: volts times amps say nothing here, and the "
                "meter's phase error counts.",
                "See that its data sheet speaks of such a power factor.",
            )
        )
    return found


LOW_FACTOR = 0.1


SPEC = StandbyPower()
