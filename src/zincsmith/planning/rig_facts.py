"""What a rig means for procedures and limits."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from zincsmith.analysis.leads import area_of, lead_resistance
from zincsmith.analysis.resistor_load import MEASURED_PERCENT, bank_ohm, bank_steps
from zincsmith.bench.dialect import dialect_for, laws_of
from zincsmith.model.address import at_port
from zincsmith.model.errors import InputError
from zincsmith.model.fed import as_fed, left_open
from zincsmith.model.plan import Line
from zincsmith.model.port import top_set_points
from zincsmith.model.rig import Dummy, Instrument, Rig
from zincsmith.model.roles import MEASURING
from zincsmith.model.unit import Unit
from zincsmith.procedures.base import Context, SourceKind
from zincsmith.procedures.safety_checks.options import SafetyOptions


def context(unit: Unit, rig: Rig, ambient_degC: float = 23.0) -> Context:
    """What a procedure may know about this rig; each part of a plan puts its own options in."""
    polled: set[str] = set()
    for role in MEASURING:
        for one in rig.of(role):
            if one.how != "by hand":
                read = dialect_for(role, one.dialect, one.dialect_text).operation["read"].quantities
                polled |= {at_port(quantity, port) for quantity in read for port in one.ports}
    by_hand = set(rig.read_by_hand)
    measured = polled | by_hand | derived(rig)
    lead = rig.lead("unit load")
    return Context(
        as_fed(unit, rig),
        SafetyOptions(),
        frozenset(polled),
        frozenset(measured),
        source_kind(rig),
        outlet_of(rig),
        lead_resistance(lead) if lead is not None else None,
        ambient_degC,
        lead_mm2=area_of(lead) * lead.wires if lead is not None else None,
        records=records(rig),
        load_by_hand=rig.by_hand("load"),
        captured=captured(rig),
        phased=phased(rig),
        switched_ohm={
            one.port: one.switched.ohm + one.switched.on_ohm
            for one in rig.of("load_switch")
            if one.switched is not None
        },
        least_load_V={one.port: one.least_V for one in rig.of("load") if one.least_V is not None},
        modes=top_set_points(unit.nameplate),
        left_open=left_open(unit.nameplate, rig),
        laws={one.port: laws_of(one) for one in rig.of("load")},
        contactors=frozenset(one.port for one in rig.of("contactor") if one.short_ohm is not None),
        source_ohm=source.output_ohm if (source := rig.source("ac")) is not None else None,
        source_limit_A=min(limits_of(source), default=None),
    )


def limits_of(source: Instrument | None) -> list[float]:
    """What a source gives at most by itself, A, as far as it is stated: its limit as it is set, its crest."""
    stated = (source.limit_A, source.most.get("peak_A")) if source is not None else ()
    return [one for one in stated if one is not None]


def records(rig: Rig) -> bool:
    """Whether the power meter gives waveforms of volts and amps."""
    meter = rig.instrument("power_meter")
    if meter is None or meter.how == "by hand":
        return False
    return dialect_for(meter.role, meter.dialect, meter.dialect_text).records


def captured(rig: Rig) -> frozenset[str]:
    """What a scope records, by wire or with a person at its knobs, by address."""
    scope = rig.instrument("scope")
    return frozenset(c.address for c in scope.scope_channels) if scope is not None else frozenset()


def phased(rig: Rig) -> bool:
    """Whether the source can be told where in its period it switches: the rig says so, its dialect has the words."""
    source = rig.source("ac")
    if source is None or source.how == "by hand" or not source.sets_phase:
        return False
    return "set_phase" in dialect_for(source.role, source.dialect, source.dialect_text).operation


def dips(rig: Rig) -> bool:
    """Whether the source lets its volts go away for a moment by itself: its dialect has the words."""
    source = rig.source("ac")
    if source is None or source.how == "by hand":
        return False
    return "dip" in dialect_for(source.role, source.dialect, source.dialect_text).operation


@dataclass(frozen=True)
class Resistance:
    """A load made of resistors as it is switched: ohm, the half-width of its limit in percent, and how in words."""

    ohm: float
    percent: float
    words: str


def _made_of_resistors(load: Instrument | None) -> Dummy | None:
    made = load.dummy if load is not None and load.how == "by hand" else None
    if made is None:
        return None
    if made.kind == "resistor":
        return made if made.measured_ohm or made.nominal_ohm else None
    return made if made.kind == "binary bank" and made.steps_W and made.at_V else None


def resistance_of(load: Instrument | None, wanted_A: float, output_V: float) -> Resistance | None:
    """The load as it stands for a wanted current, where it is made of resistors: a plain one as it measures hot or else
    as it is marked, a bank by the steps nearest to that current. None for any other load, and a bank with no step on.
    """
    made = _made_of_resistors(load)
    if made is None:
        return None
    if made.kind == "resistor":
        ohm = made.measured_ohm or made.nominal_ohm or 0.0
        percent = MEASURED_PERCENT if made.measured_ohm else made.tolerance_percent
        return Resistance(ohm, percent, f"{ohm:g} ohm")
    steps = bank_steps(made.steps_W, made.at_V or 0.0, output_V, wanted_A)
    if not steps:
        return None
    ohm = bank_ohm(steps, made.at_V or 0.0)
    if made.measured_ohm:  # of the whole bank: what it is off its marking, every step is taken to be off
        ohm *= made.measured_ohm / bank_ohm(made.steps_W, made.at_V or 0.0)
    percent = MEASURED_PERCENT if made.measured_ohm else made.tolerance_percent
    return Resistance(ohm, percent, f"{ohm:.4g} ohm ({step_words(steps)})")


def step_words(steps_W: Sequence[float]) -> str:
    return " + ".join(f"{w:g} W" for w in steps_W)


def derived(rig: Rig) -> frozenset[str]:
    """What nobody reads, by address, as it follows from others: of direct current also watts from volts and amps."""
    resistors = (at_port("output_current", one.port) for one in rig.of("load") if _made_of_resistors(one) is not None)
    shunts = (at_port("ammeter_current", one.port) for one in rig.of("ammeter") if one.shunt is not None)
    return frozenset((*resistors, *shunts, *(("input_power",) if rig.multiplies_watts else ())))


def source_kind(rig: Rig) -> SourceKind:
    source = rig.source()
    if source is None or source.how != "by hand":
        return "settable"
    return "fixed" if source.outlet is not None else "by hand"


def outlet_of(rig: Rig) -> Line | None:
    """The line of a source that nobody can set. InputError when it is stated wrongly."""
    source = rig.source("ac")
    if source is None or source.outlet is None:
        return None
    voltage, hertz = source.outlet
    if not 1.0 <= voltage <= 1000.0 or not 40.0 <= hertz <= 440.0:
        raise InputError("an outlet has 1 to 1000 V and 40 to 440 Hz", key="instrument.ac_source.outlet")
    return Line(voltage, hertz)
