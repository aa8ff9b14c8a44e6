"""How a scope is joined to the unit: what its clips earth, what probes and inputs stand, what they show."""

from __future__ import annotations

import math
from collections.abc import Iterator
from itertools import pairwise

from zincsmith.model.quantities import QUANTITIES
from zincsmith.model.rig import NO_CONTACT, Probe, ScopeChannel
from zincsmith.suitability.case import Case, Fault, Severity

BLOCKS_V = 5.0  # DC into a 50-ohm input without a capacitor; common practice, no source
FIFTY = 50.0
LINE_RIPPLE_HZ = 100.0  # of a rectified 50 Hz line: a high-pass above it takes line ripple away
SWITCHING_MHZ = 0.1  # at which a derated probe is looked at; common practice, no source


def probe_ready(case: Case) -> Iterator[Fault]:
    scope = case.rig.instrument("scope")
    if scope is None:
        return
    costs = case.needing("scope")
    probes = [probe for _, probe in scope.voltage_probes]
    uncompensated = [p for p in probes if p.ratio is not None and p.ratio > 1.0 and not p.compensated]
    if not probes or any(probe.ratio is None for probe in probes):
        yield Fault(
            "probe_ratio",
            Severity.DOUBT,
            "scope",
            "The attenuation of the scope's probe is not stated: a factor of ten goes unnoticed.",
            "Enter the ratio that both probe and channel are set to.",
            costs,
        )
    elif uncompensated:
        yield Fault(
            "probe_uncompensated",
            Severity.DOUBT,
            "scope",
            f"The x{uncompensated[0].ratio:g} probe is not known to be compensated: edges read too high or too low.",
            "Compensate it on the scope's square wave.",
            costs,
        )
    if scope.deskewed is False:
        yield Fault(
            "not_deskewed",
            Severity.DOUBT,
            "scope",
            "Voltage and current channel are not deskewed: power from their product is wrong at edges.",
            "Deskew them on one common edge.",
            case.touched("efficiency", "inrush"),
        )


def primary_probe(case: Case) -> Iterator[Fault]:
    scope = case.rig.instrument("scope")
    inside = {node.name for node in case.unit.nameplate.nodes if node.side == "primary"}
    on_primary = [
        probe
        for channel, probe in (scope.voltage_probes if scope is not None else ())
        if probe.on == "primary" or QUANTITIES[channel.quantity].side == "input" or channel.port in inside
    ]
    if all(probe.apart for probe in on_primary):
        return
    last_resort = case.isolated
    yield Fault(
        "primary_without_differential",
        Severity.DOUBT if last_resort else Severity.STOP,
        "scope",
        "The scope's clip earths a primary node; on an isolated source all else is then live to it."
        if last_resort
        else "The scope's clip on the primary shorts the mains to earth.",
        "Use a differential probe on the primary.",
    )


def probing(case: Case) -> Iterator[Fault]:
    scope = case.rig.instrument("scope")
    for channel, probe in scope.voltage_probes if scope is not None else ():
        if channel.quantity == "output_voltage":
            yield from _probed(case, probe)


def _probed(case: Case, probe: Probe) -> Iterator[Fault]:
    """How one probe looks at an output."""
    ripple = case.touched("ripple", "ripple_rms", "load_step")
    if probe.ground == "long lead" and ripple:
        yield Fault(
            "long_ground_lead",
            Severity.DOUBT,
            "scope",
            "The probe is grounded by its long lead: it picks up spikes that are not at the output.",
            "Use a ground spring or coax at the output terminals.",
            ripple,
        )
    if probe.ratio == 1.0 and probe.impedance_ohm != 50 and ripple:
        yield Fault(
            "x1_probe_bandwidth",
            Severity.REMARK,
            "scope",
            "An x1 probe ends at 6 to 10 MHz: what it shows is not a 20 MHz figure.",
            "Say so with the figure, or use coax into 50 ohm.",
            ripple,
        )


def references(case: Case) -> Iterator[Fault]:
    """Through the plain clips of its channels a scope joins every node they stand on."""
    scope = case.rig.instrument("scope")
    plain = [c for c, probe in (scope.voltage_probes if scope is not None else ()) if not probe.apart]
    named = {c.reference.strip() or f"the return of {_port(c)}": c for c in plain}
    told = {name.lower() for name in named}
    if len(told) < 2 or not any(c.reference.strip() for c in plain):
        return
    both = " and ".join(f"channel {c.number} against {name}" for name, c in named.items())
    yield Fault(
        "channels_of_two_references",
        Severity.STOP,
        "scope",
        f"The clips of the scope are one node, and they stand on several: {both}.",
        "Give all plain probes one reference, or use differential probes for the others.",
    )


def _port(channel: ScopeChannel) -> str:
    return "the input" if QUANTITIES[channel.quantity].side == "input" else "the output"


def differential_rating(case: Case) -> Iterator[Fault]:
    """A differential probe on the mains side or at a node: its volts, its category, and what is left of them where
    the node switches."""
    scope = case.rig.instrument("scope")
    nodes = {one.name: one for one in case.unit.nameplate.nodes}
    for channel, probe in scope.voltage_probes if scope is not None else ():
        node = nodes.get(channel.port)
        most_V = node.rated_V if node is not None else None
        mains = case.mains and QUANTITIES[channel.quantity].side == "input"
        if mains:
            most_V = 2.0**0.5 * max(i.voltage_max_V for i in case.unit.nameplate.inputs)
        if not probe.differential or probe.ground == NO_CONTACT or most_V is None:
            continue
        where = node.name if node is not None else "the input"
        stands = probe.rated_V if node is None or not probe.derates else derated_V(probe, SWITCHING_MHZ)
        if stands is None:
            yield Fault(
                "differential_unrated",
                Severity.DOUBT,
                "scope",
                f"What the differential probe on channel {channel.number} stands is not stated.",
                f"Enter its rated volts: up to {most_V:.0f} V stand at {where}.",
            )
        elif stands < most_V:
            yield Fault(
                "differential_overvolted",
                Severity.STOP,
                "scope",
                f"The differential probe on channel {channel.number} stands {stands:.4g} V, {where} reaches "
                f"{most_V:.0f} V.",
                "Use one that is made for it; what it stands falls with frequency.",
            )
        if mains and not probe.category:
            yield Fault(
                "category_unstated",
                Severity.REMARK,
                "scope",
                f"The measurement category of the probe on channel {channel.number} is not stated; the mains wants "
                "CAT II at a socket.",
                "Read it off the probe, and enter it.",
            )


def derated_V(probe: Probe, at_MHz: float) -> float | None:
    """What a probe stands at a frequency: between two stated points on a straight line of both logarithms, beyond them
    the nearest; its rated volts where none are stated."""
    points = sorted(probe.derates)
    if not points:
        return probe.rated_V
    if at_MHz <= points[0][0]:
        return points[0][1]
    for (low, low_V), (high, high_V) in pairwise(points):
        if at_MHz <= high:
            share = math.log(at_MHz / low) / math.log(high / low)
            return float(low_V * (high_V / low_V) ** share)
    return points[-1][1]


def fifty_ohm(case: Case) -> Iterator[Fault]:
    """An input of 50 ohm: its capacitor, what the capacitor takes away, and what the input stands."""
    scope = case.rig.instrument("scope")
    for channel, probe in scope.voltage_probes if scope is not None else ():
        if probe.impedance_ohm != FIFTY or channel.quantity != "output_voltage":
            continue
        nominal_V = abs(case.output_at(channel.port).voltage_V)
        most_V = probe.input_most_V
        blocked = probe.blocking_uF is not None or probe.coupling == "AC"
        if not blocked and nominal_V > (BLOCKS_V if most_V is None else most_V):
            yield Fault(
                "fifty_ohm_overload",
                Severity.STOP,
                "scope",
                f"{nominal_V:g} V DC straight into a 50 ohm input burn it.",
                "Put a blocking capacitor in series, and state it.",
            )
        ripple = case.touched("ripple", "ripple_rms")
        if most_V is None and ripple:
            yield Fault(
                "fifty_ohm_limit_unstated",
                Severity.DOUBT,
                "scope",
                f"What the 50 ohm input of channel {channel.number} stands is not stated; while its capacitor charges, "
                f"the whole {nominal_V:g} V stand across it.",
                "Enter the most volts of the input.",
                ripple,
            )
        if probe.blocking_uF:
            cut_Hz = 1e6 / (2.0 * math.pi * FIFTY * probe.blocking_uF)
            if cut_Hz > LINE_RIPPLE_HZ and ripple and case.mains:
                yield Fault(
                    "blocking_cut",
                    Severity.DOUBT,
                    "scope",
                    f"{probe.blocking_uF:g} µF into 50 ohm let nothing through below {_hertz(cut_Hz)}: ripple of the "
                    "line is not in the figure.",
                    "Take line ripple at 1 MΩ, or use a larger capacitor: some 320 µF for 10 Hz.",
                    ripple,
                )


def _hertz(value: float) -> str:
    return f"{value / 1e3:.3g} kHz" if value >= 1e3 else f"{value:.3g} Hz"


RULES = (probe_ready, primary_probe, probing, references, differential_rating, fifty_ohm)
