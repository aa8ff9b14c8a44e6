"""Readings with what it takes to know how good they are: the declared accuracy in force."""

from __future__ import annotations

import hashlib
from collections.abc import Collection, Mapping, Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from zincsmith.analysis.accuracy import limit_of_error
from zincsmith.analysis.resistor_load import base_percent, current_A
from zincsmith.analysis.shunt import heating_percent
from zincsmith.bench.instrument import Record
from zincsmith.formats.entry import parse_change, typed_value
from zincsmith.model.address import at_port, name_of, port_of
from zincsmith.model.errors import InputError
from zincsmith.model.quantities import NEVER_NEGATIVE, QUANTITIES
from zincsmith.model.reading import WORKED_OUT, Reading, Wave
from zincsmith.model.rig import Accuracy, Instrument, Rig
from zincsmith.planning.rig_facts import resistance_of

EntryError = InputError


def polled_reading(key: str, quantity: str, samples: Sequence[float], rig: Rig, row: Accuracy | None = None) -> Reading:
    """The mean of several polls; its spread is their standard deviation. ``row`` is the range it was read on."""
    one = rig.channels[quantity]
    spread = float(np.std(samples, ddof=1)) if len(samples) > 1 else None
    return reading_of(key, quantity, float(np.mean(samples)), one, row, spread=spread, count=len(samples))


def hand_reading(key: str, quantity: str, text: str, meter: Instrument, against: Reading | None = None) -> Reading:
    """What a person typed; InputError says why it is refused. A dash is a reading without a value. A change is added to
    ``against``: read with the meter's zero set there it errs as two readings do, read as a null only by what the range
    of the change errs."""
    unit = QUANTITIES[quantity].unit
    value = typed_value(text, unit, against.value if against is not None else None)
    if value is not None and value < 0.0 and name_of(quantity) in NEVER_NEGATIVE:
        raise InputError(f"{text.strip()!r} is below zero: {QUANTITIES[quantity].inside} never is")
    change = parse_change(text, unit)
    if change is None or against is None or not change[0]:
        return reading_of(key, quantity, value, meter, text=text.strip())
    row = meter.accuracy_for(name_of(quantity), abs(change[1]))
    return reading_of(
        key, quantity, value, meter, row, text=text.strip(), change=change[1], against=against.id,
        against_limit=limit_of_error(against),
    )  # fmt: skip


def resistor_current(
    key: str, address: str, readings: Sequence[Reading], rig: Rig, wanted_A: float, output_V: float
) -> list[Reading]:
    """The current through a load of resistors, from the volts just read across it; none where these are missing.

    ``wanted_A`` is what the load was set to, zero when it is off. The limit is that of resistance and volts together.
    """
    port = port_of(address)
    load = rig.instrument(at_port("load", port))
    made = resistance_of(load, wanted_A, output_V) if wanted_A > 0.0 else None
    voltage = next((r for r in readings if r.address == at_port("output_voltage", port)), None)
    if load is None or voltage is None or voltage.value is None:
        return []
    value = current_A(voltage.value, made.ohm) if made is not None else 0.0
    share = 100.0 * limit_of_error(voltage) / abs(voltage.value) if voltage.value and voltage.known else 0.0
    text = f"{voltage.value:.5g} V across {made.words}" if made is not None else "no resistor is connected"
    return [
        Reading(
            id=key, quantity="output_current", value=value, unit="A", role="load", source=load.name, how=WORKED_OUT,
            reading_percent=(made.percent if made is not None else 0.0) + share, known=True, text=text,
            port=port,
        )
    ]  # fmt: skip


def shunt_current(key: str, address: str, readings: Sequence[Reading], rig: Rig) -> list[Reading]:
    """The amps that the volts just read across a shunt tell; none where these are missing. The limit is that of shunt,
    volts and what the shunt heats itself, each a limit of its own."""
    port = port_of(address)
    one = rig.instrument(at_port("ammeter", port))
    voltage = next((r for r in readings if r.address == at_port("shunt_voltage", port)), None)
    if one is None or one.shunt is None or voltage is None or voltage.value is None:
        return []
    current = voltage.value / one.shunt.ohm
    heated = heating_percent(one.shunt, current)
    return [
        Reading(
            id=key, quantity="ammeter_current", value=current, unit="A", role="ammeter", source=one.name,
            how=WORKED_OUT, reading_percent=one.shunt.percent + heated, offset=limit_of_error(voltage) / one.shunt.ohm,
            known=voltage.known, text=f"{voltage.value:.5g} V across {one.shunt.ohm:g} ohm", port=port,
        )
    ]  # fmt: skip


def input_watts(key: str, readings: Sequence[Reading], rig: Rig) -> list[Reading]:
    """Volts times amps of a DC input, as they were just read; none where one is missing. Mean volts times mean amps is
    mean power where one of them is free of ripple."""
    read = [next((r for r in readings if r.address == name), None) for name in ("input_voltage", "input_current")]
    volts, amps = (r if r is not None and r.value is not None else None for r in read)
    if volts is None or amps is None:
        return []
    v, i = volts.value or 0.0, amps.value or 0.0
    limit = abs(v) * limit_of_error(amps) + abs(i) * limit_of_error(volts)
    one = rig.need("power_meter")
    return [
        Reading(
            id=key, quantity="input_power", value=v * i, unit="W", role="power_meter", source=one.name, how=WORKED_OUT,
            offset=limit, known=volts.known and amps.known, text=f"{v:.5g} V times {i:.5g} A",
        )
    ]  # fmt: skip


def derived_reading(
    key: str, address: str, readings: Sequence[Reading], rig: Rig, wanted_A: float, output_V: float
) -> list[Reading]:
    """What nobody reads but follows from what was read: amps of resistors and of a shunt, watts of direct current."""
    if name_of(address) == "input_power":
        return input_watts(key, readings, rig)
    if name_of(address) == "ammeter_current":
        return shunt_current(key, address, readings, rig)
    return resistor_current(key, address, readings, rig, wanted_A, output_V)


def with_base(
    readings: Sequence[Reading], base_ohm: Mapping[str, float], rig: Rig, polled: Collection[str]
) -> list[Reading]:
    """The amps with what a base load beside the load draws, V / R, and the limit of that; where both were polled its
    share is in the polls already."""
    found = []
    for one in readings:
        ohm, base = base_ohm.get(one.port, 0.0), rig.instrument(at_port("base_load", one.port))
        voltage = next((r for r in readings if r.address == at_port("output_voltage", one.port)), None)
        if one.quantity != "output_current" or not ohm or base is None or one.value is None:
            found.append(one)
            continue
        if voltage is None or voltage.value is None:  # nobody knows what the base draws
            found.append(replace(one, value=None, text=f"the volts across the {base.name} were not read"))
            continue
        drawn_A = abs(voltage.value) / ohm
        inside = {one.address, voltage.address} <= set(polled)
        limit = base_percent(base) / 100.0 * drawn_A + limit_of_error(voltage) / ohm
        # Of the load's own share alone the data sheet of the load speaks.
        limit -= one.reading_percent / 100.0 * drawn_A
        text = f"{drawn_A:.4g} A of it through {ohm:.4g} ohm of the {base.name}"
        value = one.value if inside else one.value + drawn_A
        found.append(replace(one, value=value, offset=one.offset + max(0.0, limit), text=text))
    return found


def waves_of(record: Record, rig: Rig) -> tuple[tuple[Wave, ...], dict[str, bytes]]:
    """A record of the power meter as a point names it, and its samples by hash."""
    waves, samples = [], {}
    for quantity, (codes, scale) in record.channels.items():
        info = QUANTITIES[quantity]
        one = rig.need(info.role)
        data = np.clip(codes, -32768, 32767).astype("<i2").tobytes()
        sha256 = hashlib.sha256(data).hexdigest()
        samples[sha256] = data
        waves.append(Wave(quantity, info.unit, record.step_s, len(codes), scale, sha256, info.role, one.name))
    return tuple(waves), samples


def reading_of(
    key: str, quantity: str, value: float | None, one: Instrument, row: Accuracy | None = None, **more: Any
) -> Reading:
    """A reading of a quantity, given by its address, with the accuracy in force: of the range it was read on, else as
    its instrument states it for a value of that size."""
    name, port = name_of(quantity), port_of(quantity)
    row = row or one.accuracy_for(name, abs(value or 0.0))
    stated = {
        name: getattr(row, name)
        for name in (
            "range",
            "reading_percent",
            "range_percent",
            "offset",
            "resolution",
            "noise",
            "nonlinearity_percent",
        )
        if row is not None
    }
    return Reading(
        id=key,
        quantity=name,
        port=port,
        value=value,
        unit=QUANTITIES[name].unit,
        role=one.role,
        source=one.name,
        known=row is not None,
        **stated,
        **{"how": one.how, **more},
    )
