"""Live figures with the uncertainty a reading of that size would carry."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from zincsmith.analysis.accuracy import column
from zincsmith.analysis.uncertainty import Column, Estimate, Values, propagate
from zincsmith.model.address import at_port, name_of, ports_in
from zincsmith.model.quantities import QUANTITIES
from zincsmith.model.reading import Reading
from zincsmith.model.rig import Rig
from zincsmith.procedures.given import Given

# What may be shown beside the usual eight, as somebody picks it.
FURTHER = ("input_frequency", "voltage_thd", "load_voltage", "case_temperature", "panel_voltage", "panel_current")
MEASURED = ("input_voltage", "input_current", "input_power", "power_factor")


@dataclass(frozen=True)
class LiveFigure:
    """``expanded`` covers 95.45 %, None where no accuracy is declared or there is no value."""

    words: str
    value: float | None
    expanded: float | None
    unit: str
    kind: str
    side: str


def live_figures(now: Mapping[str, float], rig: Rig | None) -> list[LiveFigure]:
    """Input volts, amps, watts, power factor; volts and amps of every output, watts of all, efficiency."""
    given = Given(ports_in(now, "output_voltage") or ("",))
    names = (*MEASURED, *given.names)
    columns = {q: column([_reading(q, now[q], rig)]) for q in names if q in now}
    figures = [_measured(q, columns.get(q), _accuracy_known(q, rig)) for q in names]
    power = _derived(columns, given.names, lambda v: given.watts(v)[0])
    eta = None
    drawn = sum(now.get(at_port("output_current", port), 0.0) for port in given.ports)
    if columns.get("input_power") is not None and columns["input_power"].values[0] > 0.05 and drawn > 0.01:
        eta = _derived(columns, given.with_input, lambda v: 100.0 * given.watts(v)[0] / v["input_power"][0])
    out = [LiveFigure("Output watts", *_pair(power), "W", "power", "output")]
    out.append(LiveFigure("Efficiency", *_pair(eta), "%", "efficiency", "none"))
    return figures + out


def further_figures(now: Mapping[str, float], rig: Rig | None) -> list[LiveFigure]:
    """What else the bench reads, and the losses: to be picked instead of one of the usual figures."""
    given = Given(ports_in(now, "output_voltage") or ("",))
    spots = tuple(sorted(q for q in now if name_of(q) == "spot_temperature"))
    wanted = (*FURTHER, *spots, *MEASURED, *given.names)
    columns = {q: column([_reading(q, now[q], rig)]) for q in wanted if q in now}
    known = {q: rig is not None and _accuracy_known(q, rig) for q in (*FURTHER, *spots)}
    lost = _derived(
        columns, given.with_input, lambda v: v["input_power"][0] - given.watts(v)[0],
    )  # fmt: skip
    found = [_measured(q, columns.get(q), known[q]) for q in (*FURTHER, *spots)]
    return [*found, LiveFigure("Losses", *_pair(lost), "W", "power", "none")]


def picked_figures(now: Mapping[str, float], rig: Rig | None, picked: Sequence[str]) -> list[LiveFigure]:
    """The figures by their words, in the order they were picked; the usual eight where nobody picked any."""
    usual = live_figures(now, rig)
    if not picked:
        return usual
    by = {f.words: f for f in (*usual, *further_figures(now, rig))}
    return [by[words] for words in picked if words in by]


def _reading(quantity: str, value: float, rig: Rig | None) -> Reading:
    info = QUANTITIES[quantity]
    one = rig.channels.get(quantity) if rig is not None else None
    row = one.accuracy_for(name_of(quantity), abs(value)) if one is not None else None
    reading = Reading("live", quantity, value, info.unit, info.role, info.role, "")
    if row is None:
        return reading
    return Reading(
        f"live {quantity}",
        quantity,
        value,
        info.unit,
        info.role,
        info.role,
        "",
        row.range,
        row.reading_percent,
        row.range_percent,
        row.offset,
    )


def _accuracy_known(quantity: str, rig: Rig | None) -> bool:
    one = rig.channels.get(quantity) if rig is not None else None
    return one is not None and one.accuracy_of(name_of(quantity)) is not None


def _measured(quantity: str, values: Column | None, known: bool) -> LiveFigure:
    info = QUANTITIES[quantity]
    unit = "" if info.unit == "1" else info.unit
    if values is None:
        return LiveFigure(info.words, None, None, unit, info.kind, info.side)
    estimate = propagate(lambda v: float(v["x"][0]), {"x": values})
    expanded = estimate.k * estimate.u if known else None
    return LiveFigure(info.words, estimate.value, expanded, unit, info.kind, info.side)


def _derived(
    columns: Mapping[str, Column], names: tuple[str, ...], formula: Callable[[Values], float]
) -> Estimate | None:
    if any(name not in columns for name in names):
        return None

    return propagate(lambda values: float(formula(values)), {name: columns[name] for name in names})


def _pair(estimate: Estimate | None) -> tuple[float | None, float | None]:
    return (estimate.value, estimate.k * estimate.u) if estimate is not None else (None, None)
