"""How a rig is wired, in words and in the order the current flows."""

from __future__ import annotations

from zincsmith.model.rig import Instrument, Lead, Rig
from zincsmith.model.roles import ROLES


def wiring_words(rig: Rig) -> list[str]:
    """One sentence for each piece of the way, from the source to the load, then what is earthed through what."""
    out = []
    source = rig.instrument("ac_source") or rig.instrument("dc_source")
    if source is not None:
        isolated = {True: ", isolated from the mains", False: ", not isolated", None: ""}[source.isolated]
        out.append(f"Source: {source.name}{isolated}")
    out += [
        f"{g.what[:1].upper()}{g.what[1:]}{f', {g.rated_A:g} A' if g.rated_A is not None else ''}" for g in rig.gear
    ]
    meter = rig.instrument("power_meter")
    if meter is not None:
        tap = {"source": "; its volts are tapped at the source", "unit": "; its volts are tapped at the unit"}
        out.append(f"Power meter: {meter.name}{tap.get(meter.tap, '')}")
    second = rig.instrument("second_power_meter")
    if second is not None:
        out.append(f"Second power meter: {second.name}")
    out.append("Unit under test")
    out += [_lead(one) for one in rig.leads]
    load = rig.instrument("load")
    if load is not None:
        out.append(f"Load: {load.name}{_mode(load)}")
    voltmeter = rig.instrument("voltmeter")
    if voltmeter is not None:
        out.append(f"Voltmeter: {voltmeter.name}, at the {rig.sense}")
    for one in (*rig.of("second_voltmeter"), *rig.of("ac_voltmeter"), *rig.of("ammeter"), *rig.of("node_voltmeter")):
        made = f", across a shunt of {one.shunt.ohm:g} ohm" if one.shunt is not None else ""
        at = f" at {one.port}" if one.port else ""
        counts = ", whose amps count" if one.role == "ammeter" and rig.amps_by == "ammeter" else ""
        out.append(f"{ROLES[one.role]}: {one.name}{at}{made}{counts}")
    thermometer = rig.instrument("thermometer")
    if thermometer is not None:
        out.append(f"Thermometer: {thermometer.name}{f', {thermometer.spot}' if thermometer.spot else ''}")
    out += [f"Thermometer at {one.port or 'no spot'}: {one.name}" for one in rig.of("spot_thermometer")]
    out += [f"Earthed: {e.node} through {e.through}" for e in rig.earthed]
    return out


def _lead(lead: Lead) -> str:
    between = lead.between.replace(" ", " to ").replace("_", " ")
    return f"Leads, {between}: {lead.length_m:g} m, {lead.size_words}"


def _mode(load: Instrument) -> str:
    return f", {load.mode}" if load.mode else ""
