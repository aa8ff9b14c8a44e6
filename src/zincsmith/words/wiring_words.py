"""How a rig is wired, in words and in the order the current flows."""

from __future__ import annotations

from zincsmith.model.rig import Instrument, Lead, Rig


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
    out.append("Unit under test")
    out += [_lead(one) for one in rig.leads]
    load = rig.instrument("load")
    if load is not None:
        out.append(f"Load: {load.name}{_mode(load)}")
    voltmeter = rig.instrument("voltmeter")
    if voltmeter is not None:
        out.append(f"Voltmeter: {voltmeter.name}, at the {rig.sense}")
    thermometer = rig.instrument("thermometer")
    if thermometer is not None:
        out.append(f"Thermometer: {thermometer.name}{f', {thermometer.spot}' if thermometer.spot else ''}")
    out += [f"Earthed: {e.node} through {e.through}" for e in rig.earthed]
    return out


def _lead(lead: Lead) -> str:
    between = lead.between.replace(" ", " to ").replace("_", " ")
    return f"Leads, {between}: {lead.length_m:g} m, {lead.size_words}"


def _mode(load: Instrument) -> str:
    return f", {load.mode}" if load.mode else ""
