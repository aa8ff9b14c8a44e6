"""A small model of the unit, made from its nameplate alone: what the rehearsal expects to read."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

from zincsmith.analysis.envelope import Envelope
from zincsmith.analysis.explained import resting_current_A, resting_power_W, running_current_A, running_power_W
from zincsmith.model.address import at_port
from zincsmith.model.operating_point import Mode, SetPoint
from zincsmith.model.port import can_be_set, gives_nothing, output_ports
from zincsmith.model.quantities import QUANTITIES
from zincsmith.model.unit import Nameplate, Node

NO_MODES: Mapping[str, Mode] = {}
EFFICIENCY = 0.88
FIXED_LOSS_SHARE = 0.005  # of rated power
POWER_FACTOR = 0.55  # of a rectifier with a bulk capacitor; common practice, no source
STARTS_SHARE = 0.8  # of the lowest rated input
MAY_RUN_SHARE = 0.5  # of the lowest rated input: from here on a unit may run, below it only tries to
LIMIT_MET = 0.99  # of the amps that were set
RESTING_W = 0.05  # of a unit that is fed and does not run, at the lower end of its input
CASE_K_AT_FULL_LOSS = (10.0, 45.0)  # rise of a case at full load, least and most


@dataclass(frozen=True)
class Expected:
    """Expected values with the span in which a reading is not surprising."""

    value: float
    low: float
    high: float


def expected_input_A(plate: Nameplate) -> float:
    """Input current in A (rms on AC) to expect at full load from the first input at its lowest voltage."""
    rating = plate.input
    watts = plate.rated_power_W * (1.0 / EFFICIENCY + FIXED_LOSS_SHARE)
    return watts / (rating.voltage_min_V * (POWER_FACTOR if rating.type == "ac" else 1.0))


def expected(
    plate: Nameplate,
    input_V: float,
    draws_A: Mapping[str, float],
    ambient_degC: float,
    modes: Mapping[str, Mode] = NO_MODES,
) -> dict[str, Expected]:
    """What to expect at one point, by address; used for the operating map, hand entry and limits shown beside the
    rehearsal. ``draws_A`` is what is drawn from each port, ``modes`` what each was asked for.

    Below STARTS_SHARE of the lowest rated input the unit is expected not to run: what it may then take is what a
    resting unit explains, from MAY_RUN_SHARE on also what one explains that runs without load.
    """
    runs = input_V >= STARTS_SHARE * plate.input.voltage_min_V
    envelope = Envelope(plate, modes)
    # What nobody has set yet stands wherever its last user left it.
    left = {p for p, one in zip(output_ports(plate), plate.outputs, strict=False) if can_be_set(one) and p not in modes}
    # A limit that is met holds the volts wherever the load has them.
    set_by_user = [p for p, one in zip(output_ports(plate), plate.outputs, strict=False) if can_be_set(one)]
    met = {
        p for p in set_by_user
        if isinstance(m := modes.get(p), SetPoint) and draws_A.get(p, 0.0) >= LIMIT_MET * m.current_A > 0.0
    }  # fmt: skip
    gives = {p: runs and p not in left and not gives_nothing(modes.get(p, "")) for p in output_ports(plate)}
    voltage = {port: envelope.voltage_V(port) if gives[port] else 0.0 for port in gives}
    amps_of = {port: draws_A.get(port, 0.0) if runs else 0.0 for port in voltage}
    power = sum(abs(voltage[port]) * amps_of[port] for port in voltage)
    rated = plate.rated_power_W
    idle = FIXED_LOSS_SHARE * rated if runs else RESTING_W * (input_V / plate.input.voltage_min_V) ** 2
    pin = power + idle + (1.0 / EFFICIENCY - 1.0) * power
    hertz = plate.input.hertz[0]
    factor = POWER_FACTOR if hertz else 1.0
    current = pin / (factor * input_V) if input_V else 0.0
    share = power / rated if rated else 0.0
    low, high = (ambient_degC + share * rise for rise in CASE_K_AT_FULL_LOSS)
    watts, rms = Expected(pin, 0.9 * pin, 1.25 * pin), Expected(current, 0.5 * current, 1.5 * current)
    if any(can_be_set(one) for one in plate.outputs):  # a pass element may stand ahead of it
        watts = Expected(pin, power, running_power_W(plate, power))
        rms = Expected(current, 0.3 * current, running_current_A(plate, input_V, power) if input_V else 0.0)
    tries = not runs and input_V >= MAY_RUN_SHARE * plate.input.voltage_min_V
    if not runs:
        may_run = input_V >= MAY_RUN_SHARE * plate.input.voltage_min_V
        watts = Expected(pin, 0.0, running_power_W(plate, 0.0) if may_run else resting_power_W(plate, input_V))
        most_A = running_current_A(plate, input_V, 0.0) if may_run else resting_current_A(plate, input_V, hertz)
        rms = Expected(current, 0.0, most_A)
    line = Expected(input_V, 0.99 * input_V, 1.01 * input_V)
    return {
        "input_voltage": line,
        "second_input_voltage": line,
        "second_input_current": rms,
        "second_input_power": watts,
        "second_power_factor": Expected(factor, 0.35, 1.0),
        "input_current": rms,
        "input_power": watts,
        "power_factor": Expected(factor, 0.35, 1.0),
        "input_frequency": Expected(hertz, 0.99 * hertz, 1.01 * hertz),
        "voltage_thd": Expected(0.003, 0.0, 0.02),
        "case_temperature": Expected((low + high) / 2.0, low, high),
        **_alternating(plate, power, runs),
        **{at_port("node_voltage", one.name): _node(one, input_V) for one in plate.nodes},
        **{
            name: one
            for port in voltage
            for name, one in _output(
                envelope, port, voltage[port], amps_of[port], tries or (runs and port in left | met)
            ).items()
        },
    }


def _alternating(plate: Nameplate, power: float, runs: bool) -> dict[str, Expected]:
    """What a power meter at an output that alternates is expected to read; nothing where none does."""
    out = next((one for one in plate.outputs if one.type == "ac"), None)
    if out is None:
        return {}
    hertz = min(out.frequency_Hz, default=50.0) if runs else 0.0
    return {
        "output_real_power": Expected(power, 0.9 * power, 1.1 * power),
        "output_frequency": Expected(hertz, 0.9 * hertz, 1.1 * hertz),
        "output_thd": Expected(0.03, 0.0, 0.5),
        "output_crest": Expected(2.0**0.5, 1.0, 2.0),
        "output_dc": Expected(0.0, -2.0, 2.0),
    }


def _node(one: Node, input_V: float) -> Expected:
    """Of a node on the primary the crest of the input is all that is known, else what its parts stand."""
    crest = math.sqrt(2.0) * input_V
    most = one.rated_V or max(crest, 60.0)
    return Expected(min(crest, most) if one.side == "primary" else most / 2.0, 0.0, most)


def _output(envelope: Envelope, port: str, voltage: float, current: float, tries: bool) -> dict[str, Expected]:
    """What to expect at one output; one that ``tries`` to run may show anything up to its volts."""
    span = (0.0, 1.05 * envelope.voltage_V(port)) if tries else (0.95 * voltage, 1.05 * voltage)
    out = Expected(voltage, *sorted(span))
    stated = next((o.ripple_V for o in envelope.plate.outputs if o.name in ("", port) or not port), None)
    found = {
        "output_voltage": out,
        "output_ac_voltage": Expected(0.0, 0.0, stated or USUAL_RIPPLE_V),
        "output_current": Expected(current, 0.98 * current, 1.02 * current),
        "panel_voltage": out,
        "panel_current": Expected(current, 0.9 * current, 1.1 * current),
        "ammeter_current": Expected(current, 0.98 * current, 1.02 * current),
        "second_output_voltage": out,
        "load_voltage": out,
        "offered_power": Expected(0.0, 0.0, FAR_OFF * max(1.0, envelope.output(port).rated_power_W)),
    }
    return {at_port(name, port): one for name, one in found.items()}


USUAL_RIPPLE_V = 0.1  # peak to peak: what a decent supply stays below; common practice, no source
FAR_OFF = 4.0  # times the middle of the expected span; a slip of a decimal point is ten
BESIDE = {"voltage": 0.05, "current": 0.10, "power": 0.25}  # of the nearer end of the span, by kind; common practice


def far_off(quantity: str, value: float, low: float, high: float) -> str:
    """What is odd about a typed value, held against the span that the state of the unit explains; empty when nothing
    is. It is asked again, never forbidden."""
    if quantity == "power_factor" and not -1.0 <= value <= 1.0:
        return "A power factor lies between -1 and 1."
    if low <= value <= high:
        return ""
    middle = (low + high) / 2.0
    if middle > 0.0 and not FAR_OFF > value / middle > 1.0 / FAR_OFF:
        times = value / middle
        how = f"{times:.3g} times" if times >= 1.0 else f"one {1.0 / times:.3g}th of" if times > 0.0 else "nothing like"
        return f"That is {how} what is expected. A decimal point, a prefix?"
    share = BESIDE.get(QUANTITIES[quantity].kind)
    edge = low if value < low else high if value > high else None
    if share is None or edge is None or abs(value - edge) <= share * abs(edge):
        return ""
    return f"That is {'below' if value < low else 'above'} what is expected, {low:.4g} to {high:.4g}."
