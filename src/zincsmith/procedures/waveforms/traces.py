"""Records of volts and amps over time, wherever they come from: what every procedure that reads them starts from, and
what all of them doubt alike."""

from __future__ import annotations

import math
from collections.abc import Callable, Container, Mapping
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from zincsmith.analysis.levels import noise_of
from zincsmith.analysis.ripple import clipped_share
from zincsmith.formats.columns import Columns
from zincsmith.formats.entry import parse_entry
from zincsmith.model.errors import InputError
from zincsmith.procedures.intake import FigureRequest
from zincsmith.recorded.even import evenly, rising_times
from zincsmith.recorded.result import Analysed, Figure

Array = NDArray[np.float64]

CLIPPED = 1e-4  # of the samples
COUNTS = 5.0  # of the converter: a change of fewer says nothing
FACTOR = 10.0  # what a probe set wrongly makes of the volts
FACTOR_WITHIN = 0.15  # of that factor
AC_LEFT = 0.05  # of nominal: what stands within it on either side of a step has lost its level
RESTS = 1e-5  # of the span: a record with less noise shows nothing of the end of its range
LEVELS = 4096  # different values in a piece of a record: more are no steps of a converter
LOOKED_AT = 100_000
OF_TIME = ("time", "delay")  # end the names of figures of time
SCATTERED = 8  # times that noise is laid over a record


@dataclass(frozen=True)
class Channel:
    """One channel: ``values`` (n,) in the unit of its quantity. ``gain_u`` (relative), ``offset_u`` are standard
    uncertainties, None where nobody stated them; ``quantum`` is one step of the converter, 0 where none shows."""

    quantity: str
    values: Array
    quantum: float = 0.0
    gain_u: float | None = None
    offset_u: float | None = None
    coupling: str = ""
    ground: str = ""
    bandwidth_Hz: float | None = None
    source: str = ""

    @property
    def known(self) -> bool:
        return self.gain_u is not None and self.offset_u is not None


@dataclass(frozen=True)
class Traces:
    """Channels of one moment by quantity, ``step_s`` apart from ``begin_s`` on (0 is the trigger, where one is known).
    ``timebase_u`` is relative."""

    step_s: float
    begin_s: float
    channels: Mapping[str, Channel]
    timebase_u: float = 0.0
    notes: tuple[str, ...] = ()
    name: str = ""

    @property
    def count(self) -> int:
        return len(next(iter(self.channels.values())).values)

    @property
    def known(self) -> bool:
        return all(c.known for c in self.channels.values())

    def values(self, quantity: str) -> Array:
        return self.channels[quantity].values

    def maybe(self, quantity: str) -> Array | None:
        return self.channels[quantity].values if quantity in self.channels else None

    @property
    def upright(self) -> Traces:
        """With the output volts of a negative rail turned round: figures go by absolute value."""
        one = self.channels["output_voltage"]
        far = one.values[np.abs(one.values) >= 0.5 * float(np.max(np.abs(one.values)))]
        if float(np.median(far)) >= 0.0:
            return self
        return replace(self, channels={**self.channels, "output_voltage": replace(one, values=-one.values)})


@dataclass(frozen=True)
class Choices:
    """Where schools differ, and what the record does not say by itself. Thresholds are texts: ``90%`` of nominal, or
    volts."""

    nominal_V: float | None = None
    threshold: str = ""
    band: str = "1%"
    about: str = "nominal"
    start_s: float | None = None
    line_Hz: float | None = None
    bandwidth_Hz: float = 20e6
    record: str = ""  # short or long, where a procedure takes both
    rated_A: float | None = None
    load_works_from_V: float = 0.0  # the electronic load that drew it
    short_ohm: float = 0.0  # what it was shorted with on purpose, where that was no short input
    source_ohm: float | None = None  # what stands between source and unit
    source_limit_A: float | None = None
    lead_mm2: float | None = None  # copper of a lead to the load
    said: Mapping[str, str] = field(default_factory=dict)  # what was chosen for the record, in the words it is kept in

    def number(self, key: str, otherwise: float) -> float:
        """What was chosen by a name. InputError for what is no number."""
        return read_number(self.said[key], key) if key in self.said else otherwise

    def nominal(self) -> float:
        """Nominal volts without their sign. InputError where nobody states them."""
        if self.nominal_V is None or self.nominal_V == 0.0:
            raise InputError("the nominal volts of the output are wanted, such as 12", key="nominal")
        return abs(self.nominal_V)

    def rated(self) -> float:
        """InputError where nobody states the rated current."""
        if not self.rated_A or self.rated_A < 0.0:
            raise InputError("the rated current of the output is wanted, such as 5", key="rated_current")
        return self.rated_A

    def threshold_V(self, otherwise: str) -> float:
        return level_V(self.threshold or otherwise, self.nominal(), "threshold")

    def band_V(self) -> float:
        return level_V(self.band, self.nominal(), "band")


def level_V(text: str, nominal_V: float, key: str) -> float:
    """``90%`` of nominal, ``0.1V``, ``50 mV``, or plain volts. InputError for anything else, and for what is not above
    zero."""
    try:
        if text.strip().endswith("%"):
            share = parse_entry(text.strip()[:-1], "%")
            value = share / 100.0 * nominal_V if share is not None else None
        else:
            value = parse_entry(text, "V")
    except InputError:
        value = None
    if value is None or not value > 0.0:
        raise InputError(f"{text!r} is no level: a share of nominal such as 90%, or volts such as 0.1V", key=key)
    return value


def read_number(text: str, key: str) -> float:
    """InputError for anything else."""
    try:
        return float(text)
    except ValueError:
        raise InputError(f"{text!r} is no number", key=key) from None


def bandwidth_of(text: str) -> float:
    """``20MHz``, ``1e6``, ``250 kHz``. InputError for anything else, and for what no bandwidth is."""
    try:
        value = parse_entry(text, "Hz")
    except InputError:
        value = None
    if value is None or not 1e3 <= value <= 1e11:
        raise InputError(f"{text!r} is no bandwidth: such as 20MHz", key="bandwidth")
    return value


# From a file


def traces_of(
    found: Columns, asked: FigureRequest, wanted: Mapping[str, tuple[tuple[str, ...], str, str]], optional: set[str]
) -> Traces:
    """``wanted`` names by quantity the heads it may have, its unit and the option that names another. InputError for
    what is no such record."""
    times = rising_times(found, asked.time)
    columns: dict[str, Array] = {}  # by quantity
    for quantity, (heads, unit, option) in wanted.items():
        column = next((c for head in heads if (c := found.find(head, unit)) is not None), None)
        if column is None and quantity not in optional:
            column = found.need(heads[0], unit, option)
        if column is not None:
            columns[quantity] = column
    even = evenly(found, times, tuple(columns.values()), asked.time)
    channels = {
        quantity: Channel(quantity, values, quantum_of(values))
        for quantity, values in zip(columns, even.columns, strict=True)
    }
    traces = Traces(even.step_s, even.begin_s, channels, notes=(*found.notes, *even.notes), name=found.file.name)
    if traces.count < LEAST:
        raise InputError(f"{traces.count} samples are no record: {LEAST} at least", file=str(found.file))
    return traces


LEAST = 16


def quantum_of(values: Array) -> float:
    """One step of the converter, where the values keep to such steps; 0 where none shows."""
    levels = np.unique(values[:LOOKED_AT])
    if not 2 < len(levels) < min(LEVELS, len(values) / 4):
        return 0.0
    gaps = np.diff(levels)
    step = float(np.min(gaps[gaps > 1e-9 * float(np.max(np.abs(levels)))], initial=math.inf))
    if not math.isfinite(step):
        return 0.0
    off = np.abs(gaps / step - np.round(gaps / step))
    return step if float(np.max(off)) < 0.05 else 0.0


# Uncertainty: every source by itself, through the same arithmetic

Work = Callable[[Traces], dict[str, float | None]]


def errors_of(
    work: Work, traces: Traces, value: dict[str, float | None], leave_out: Container[str] = ()
) -> dict[str, dict[str, float]]:
    """By figure, what one standard uncertainty of each source does to it: gain and offset of each channel, what is
    random in it and its steps, and the clock. ``leave_out`` names quantities whose part is told otherwise."""
    found: dict[str, dict[str, float]] = {name: {} for name in value}
    for quantity, channel in traces.channels.items():
        if quantity in leave_out:
            continue
        for source, u, moved in _moves(channel):
            if u > 0.0:
                shifted = work(_with(traces, replace(channel, values=moved)))
                _note(found, f"{quantity}: {source}", value, shifted, traces.count * traces.step_s)
        for name, effect in _scattered(work, traces, channel, value).items():
            found[name][f"{quantity}: noise and steps"] = effect
    for name, effects in found.items():
        was = value[name]
        if was is not None and traces.timebase_u and name.endswith(OF_TIME):
            effects["time base"] = was * traces.timebase_u
    return found


def _note(
    found: dict[str, dict[str, float]],
    source: str,
    value: Mapping[str, float | None],
    shifted: Mapping[str, float | None],
    length_s: float,
) -> None:
    """What a source does, of two ways the larger. A time that is not there any more may lie anywhere in the record."""
    for name, was in value.items():
        if was is None:
            continue
        now = shifted.get(name)
        effect = now - was if now is not None else length_s if name.endswith(OF_TIME) else 0.0
        if abs(effect) > abs(found[name].get(source, 0.0)):
            found[name][source] = effect


def _moves(channel: Channel) -> list[tuple[str, float, Array]]:
    """Gain and offset, either way."""
    gain, offset = channel.gain_u or 0.0, channel.offset_u or 0.0
    values = channel.values
    return [
        *(("gain", gain, values * (1.0 + way * gain)) for way in (1.0, -1.0)),
        *(("offset", offset, values + way * offset) for way in (1.0, -1.0)),
    ]


def _scattered(work: Work, traces: Traces, channel: Channel, value: Mapping[str, float | None]) -> dict[str, float]:
    """What is random in a channel does to each figure: the same noise laid over the record once more, a few times, and
    how far the figures go from where they were, in square. What noise pushes one way, as it does an extreme, it pushes
    once more: that is in it too."""
    scatter = scatter_of(channel.values, channel.quantum)
    if not scatter > 0.0:
        return {}
    squares: dict[str, list[float]] = {name: [] for name in value}
    dice = np.random.default_rng(SCATTERED)  # the same for the same record
    for _ in range(SCATTERED):
        noisy = channel.values + scatter * dice.standard_normal(len(channel.values))
        for name, now in work(_with(traces, replace(channel, values=noisy))).items():
            was = value.get(name)
            if was is not None and now is not None:
                squares[name].append((now - was) ** 2)
    return {name: math.sqrt(sum(of) / len(of)) for name, of in squares.items() if of and sum(of) > 0.0}


def _with(traces: Traces, channel: Channel) -> Traces:
    return replace(traces, channels={**traces.channels, channel.quantity: channel})


def scatter_of(values: Array, quantum: float) -> float:
    """The standard deviation of what is random in a record, its steps among it; ``values`` (n,) in its unit."""
    return math.hypot(noise_of(values[:LOOKED_AT]), quantum / math.sqrt(12.0))


def extreme_of(channel: Channel) -> float:
    """By how much noise and steps push the extreme of so many samples outwards, in its unit."""
    scatter = scatter_of(channel.values, channel.quantum)
    return scatter * math.sqrt(2.0 * math.log(max(2, len(channel.values))))


def combined(effects: Mapping[str, float]) -> float:
    return math.sqrt(sum(e * e for e in effects.values()))


def figure_of(name: str, value: float | None, unit: str, effects: dict[str, dict[str, float]] | None) -> Figure:
    """A figure with its uncertainty, where the instruments behind it say how good they are."""
    if effects is None or value is None:
        return Figure(value, unit)
    return Figure(value, unit, combined(effects[name]), effects=effects[name])


# Doubts that all records share


def doubt_alike(out: Analysed, traces: Traces, nominal_V: float | None) -> None:
    """What reading left, what stands at the end of a range, and a factor of a probe."""
    for note in traces.notes:
        out.doubt("read_with_a_note", f"{note[:1].upper()}{note[1:]}.")
    for quantity, channel in traces.channels.items():
        share = clipped_share(channel.values) if _may_clip(channel) else 0.0
        if share > CLIPPED:
            out.doubt(
                "clipped",
                f"{100.0 * share:.2g} % of the samples of {quantity.replace('_', ' ')} stand at the end of the range, "
                "several in a row.",
                "Take it once more with more volts of span.",
            )
    voltage = traces.maybe("output_voltage")
    if nominal_V is not None and voltage is not None:
        largest = float(np.quantile(np.abs(voltage[:: max(1, len(voltage) // LOOKED_AT)]), 0.9))
        for factor, words in ((FACTOR, "ten times"), (1.0 / FACTOR, "a tenth of")):
            if abs(largest / (factor * abs(nominal_V)) - 1.0) < FACTOR_WITHIN:
                out.doubt(
                    "probe_ratio",
                    f"The output stands at {largest:.3g} V, {words} its nominal {abs(nominal_V):g} V.",
                    "Set the ratio of the probe to what the scope was told, or the other way round.",
                )


def _may_clip(channel: Channel) -> bool:
    """A record without noise rests at its levels; noise tells whether a flat end is one of the range."""
    noise = noise_of(channel.values[:LOOKED_AT])
    return noise > RESTS * float(np.ptp(channel.values)) and channel.quantum <= 4.0 * noise


def doubt_few_steps(out: Analysed, channel: Channel, change: float, what: str) -> None:
    """A change of few steps of the converter."""
    if channel.quantum and abs(change) < COUNTS * channel.quantum:
        out.doubt(
            "scope_for_regulation",
            f"{what} is {abs(change):.3g} V, one step of the converter {channel.quantum:.3g} V.",
            "Read levels with a voltmeter; take steps on a smaller span with an offset.",
        )
