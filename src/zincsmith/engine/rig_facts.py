"""What a rig means for procedures and limits."""

from __future__ import annotations

from zincsmith.analysis.leads import lead_resistance
from zincsmith.analysis.resistor_load import MEASURED_PERCENT
from zincsmith.bench.bench import MEASURING
from zincsmith.bench.dialect import dialect_for
from zincsmith.model.errors import InputError
from zincsmith.model.plan import GridOptions, Line
from zincsmith.model.quantities import QUANTITIES
from zincsmith.model.rig import Rig
from zincsmith.model.unit import Unit
from zincsmith.procedures.base import Context, SourceKind


def context(unit: Unit, rig: Rig, ambient_degC: float = 23.0) -> Context:
    """What a procedure may know about this rig; each part of a plan puts its own options in."""
    polled: set[str] = set()
    for role in MEASURING:
        one = rig.instrument(role)
        if one is not None and one.how != "by hand":
            polled |= set(dialect_for(role, one.dialect).operation["read"].quantities)
    by_hand = {q.name for q in QUANTITIES.values() if (one := rig.instrument(q.role)) and one.how == "by hand"}
    measured = polled | by_hand
    lead = rig.lead("unit load")
    return Context(
        unit,
        GridOptions(),
        frozenset(polled),
        frozenset(measured),
        source_kind(rig),
        outlet_of(rig),
        lead_resistance(lead) if lead is not None else None,
        ambient_degC,
        records=records(rig),
    )


def records(rig: Rig) -> bool:
    """Whether the power meter gives waveforms of volts and amps."""
    meter = rig.instrument("power_meter")
    return meter is not None and meter.how != "by hand" and dialect_for(meter.role, meter.dialect).records


def resistor_of(rig: Rig) -> tuple[float, float] | None:
    """(ohm, half-width of its limit in percent) of a load that is a plain resistor, as it measures while hot or else as
    it is marked; None for any other load."""
    load = rig.instrument("load")
    made = load.dummy if load is not None and load.how == "by hand" else None
    if made is None or made.kind != "resistor":
        return None
    if made.measured_ohm:
        return made.measured_ohm, MEASURED_PERCENT
    return (made.nominal_ohm, made.tolerance_percent) if made.nominal_ohm else None


def derived(rig: Rig) -> frozenset[str]:
    """Quantities that nobody reads, as they follow from others."""
    return frozenset({"output_current"}) if resistor_of(rig) is not None else frozenset()


def source_kind(rig: Rig) -> SourceKind:
    source = rig.instrument("ac_source")
    if source is None or source.how != "by hand":
        return "settable"
    return "fixed" if source.outlet is not None else "by hand"


def outlet_of(rig: Rig) -> Line | None:
    """The line of a source that nobody can set. InputError when it is stated wrongly."""
    source = rig.instrument("ac_source")
    if source is None or source.outlet is None:
        return None
    volts, hertz = source.outlet
    if not 1.0 <= volts <= 1000.0 or not 40.0 <= hertz <= 440.0:
        raise InputError("an outlet has 1 to 1000 V and 40 to 440 Hz", key="instrument.ac_source.outlet")
    return Line(volts, hertz)
