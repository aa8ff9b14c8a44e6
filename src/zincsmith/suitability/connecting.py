"""Before connecting: what must be right before anything is joined to anything."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date

from zincsmith.analysis.parts import line_peak_V
from zincsmith.model.roles import OF_THE_UNIT
from zincsmith.suitability.case import Case, Fault, Severity

DAYS_A_MONTH = 30.44
CREST = 2.5  # of a rectifier's input current; 2 to 5, common practice, no source


def worth_powering(case: Case) -> Iterator[Fault]:
    if case.unit.look.blocks:
        yield Fault(
            "not_worth_powering",
            Severity.STOP,
            "unit",
            "The look-over found this unit not worth powering.",
            "Change the verdict at Nameplate, or state there why it is powered all the same, and who decided.",
        )


def range_switch(case: Case) -> Iterator[Fault]:
    for one in case.unit.nameplate.inputs:
        if not one.selector_V:
            continue
        positions = ", ".join(f"{v:g}" for v in one.selector_V)
        if one.selector_set_V is None:
            yield Fault(
                "selector_position",
                Severity.STOP,
                "unit",
                f"The unit has a range switch ({positions} V) and its position is not stated.",
                "Look at the switch and enter its position at Nameplate.",
            )
            continue
        off = [x.voltage_V for x in case.plan.lines if not _near(x.voltage_V, one.selector_set_V)]
        if off:
            burst = (
                f" At {max(off):g} V a doubler would charge its bulk capacitors to {2 * line_peak_V(max(off)):.0f} V."
                if max(off) > 1.2 * one.selector_set_V
                else ""
            )
            yield Fault(
                "selector_position",
                Severity.STOP,
                "unit",
                f"The range switch stands at {one.selector_set_V:g} V; the plan feeds {_list(off)} V.{burst}",
                "Plan only lines of the position it is in; move the switch unplugged and discharged.",
            )


def _near(voltage: float, position: float) -> bool:
    return 0.75 * position <= voltage <= 1.2 * position


def _list(values: list[float]) -> str:
    return " and ".join(f"{v:g}" for v in sorted(set(values)))


def terminals(case: Case) -> Iterator[Fault]:
    unit = case.unit
    open_ = [t.name for t in unit.terminals if t.checked != "measured"]
    known = {t.output for t in unit.terminals}
    missing = [o.name or "the output" for o in unit.nameplate.outputs if o.name not in known and "" not in known]
    if open_ or missing:
        what = ", ".join([*open_, *(f"{m} (no terminal named)" for m in missing)][:4])
        yield Fault(
            "terminals_unchecked",
            Severity.DOUBT,
            "terminals",
            f"Identity and polarity are not measured: {what}.",
            "Measure them with a meter before a load or a device is attached, and note it at Nameplate.",
        )


def probe_direction(case: Case) -> Iterator[Fault]:
    for one in case.rig.instruments:
        if one.direction_checked is False:
            yield Fault(
                "probe_direction",
                Severity.DOUBT,
                one.role,
                f"The direction of the current probe of {one.name} is not checked: watts could read negative.",
                "Turn it so that a known current reads positive.",
                case.touched("efficiency", "average_active_efficiency", "input_current"),
            )


def source_there(case: Case) -> Iterator[Fault]:
    for n, kind in enumerate(dict.fromkeys(i.type for i in case.unit.nameplate.inputs)):
        role = f"{kind}_source"
        if case.rig.instrument(role) is None:
            yield Fault(
                "source_missing",
                Severity.DOUBT if n else Severity.STOP,
                role,
                f"The unit is fed with {kind.upper()} and the rig has no {kind.upper()} source.",
                "Add the source, connected or by hand.",
            )


def source(case: Case) -> Iterator[Fault]:
    one, need = case.source, case.input_A
    if one is None:
        return
    able = one.most.get("current_A")
    if able is not None and able < need:
        yield Fault(
            "source_too_small",
            Severity.STOP,
            one.role,
            f"{one.name} gives {able:g} A; the unit draws some {need:.2g} A at full load and lowest input.",
            "Use a stronger source, or plan less load.",
        )
    peak = one.most.get("peak_A")
    if peak is not None and peak < CREST * need:
        yield Fault(
            "source_crest",
            Severity.DOUBT,
            one.role,
            f"{one.name} gives peaks of {peak:g} A; a rectifier draws some {CREST * need:.2g} A at its crest: "
            "the volts would be clipped.",
            "Use a source with more crest, and watch its waveform.",
            case.touched("input_current", "average_active_efficiency", "efficiency", "power_factor", "inrush"),
        )
    voltage = one.most.get("voltage_V")
    top = max((x.voltage_V for x in case.plan.lines), default=0.0)
    if voltage is not None and case.mains and voltage < top:
        yield Fault(
            "source_volts",
            Severity.STOP,
            one.role,
            f"{one.name} reaches {voltage:g} V; the plan feeds {top:g} V.",
            "Use another source, or drop that line.",
        )


def source_limit(case: Case) -> Iterator[Fault]:
    one = case.source
    if one is not None and one.limit_A is not None and one.limit_A < 1.1 * case.input_A:
        yield Fault(
            "source_limit_engaged",
            Severity.STOP,
            one.role,
            f"The current limit of {one.name} is set to {one.limit_A:g} A; full load draws some {case.input_A:.2g} A: "
            "its volts would sag while figures are taken.",
            "Raise the limit above what full load draws, or use the low limit for the first power-up only.",
            case.touched("line_regulation", "average_active_efficiency", "efficiency", "input_current"),
        )


def calibration(case: Case) -> Iterator[Fault]:
    for one in case.rig.instruments:
        if not one.accuracy:
            continue
        if one.role in OF_THE_UNIT:
            continue
        if not one.calibrated:
            yield Fault(
                "calibration_unknown",
                Severity.DOUBT,
                one.role,
                f"{one.name} carries no calibration date: its stated limits may no longer hold.",
                "Enter the date from its certificate or label.",
            )
            continue
        days = (case.today - date.fromisoformat(one.calibrated)).days
        over = days - one.calibration_months * DAYS_A_MONTH
        if over > 0.0:
            yield Fault(
                "calibration_overdue",
                Severity.DOUBT,
                one.role,
                f"{one.name} was calibrated {days} days ago, {over:.0f} days beyond its "
                f"{one.calibration_months:g} months.",
                "Have it calibrated, or compare it with a second meter and say so.",
            )


def surroundings(case: Case) -> Iterator[Fault]:
    if case.rig.humidity_percent is None:
        yield Fault(
            "surroundings_unnoted",
            Severity.REMARK,
            "unit",
            "The humidity is not noted. Operator, ambient and line frequency are noted with every run.",
            "Read it once and enter it in the rig.",
        )


RULES = (
    worth_powering,
    range_switch,
    terminals,
    probe_direction,
    source_there,
    source,
    source_limit,
    calibration,
    surroundings,
)
