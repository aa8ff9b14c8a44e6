"""How a record that a scope saved is taken in: one way for every kind."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import replace
from typing import ClassVar

import numpy as np
from numpy.typing import NDArray

from zincsmith.formats.columns import Columns
from zincsmith.formats.packing import Packed, pack
from zincsmith.formats.table_file import read_columns
from zincsmith.model.capture import Capture, CaptureChannel
from zincsmith.model.commands import FileRequest
from zincsmith.model.errors import InputError
from zincsmith.model.operating_point import Draw, Feed, OperatingPoint, Purpose
from zincsmith.model.plan import Options
from zincsmith.model.quantities import QUANTITIES
from zincsmith.model.reading import FROM_FILE
from zincsmith.procedures.intake import FigureRequest, Intake, Taken, TakenAt
from zincsmith.procedures.waveforms.traces import Channel, Choices, Traces, bandwidth_of, quantum_of, traces_of
from zincsmith.recorded.file_point import FilePoint
from zincsmith.recorded.result import Analysed

MOST_SAMPLES = 10_000_000


class WaveformIntake(Intake):
    """A kind of record over time. ``optional`` are the quantities that may be missing; ``asks``: a part of a plan as
    its procedure has it."""

    optional: ClassVar[frozenset[str]] = frozenset()
    asks: ClassVar[type[Options]]
    asks_load = True

    def heads(self, asked: FigureRequest) -> Mapping[str, tuple[tuple[str, ...], str, str]]:
        """By quantity the heads it may have, its unit, and the option that names another."""
        raise NotImplementedError

    def work_out(self, traces: Traces, choices: Choices) -> Analysed:
        """The figures of such a record."""
        raise NotImplementedError

    def figures(self, found: Columns, asked: FigureRequest) -> Analysed:
        """Figures of the file alone."""
        try:
            return self.work_out(self._traces(found, asked), self._asked(asked))
        except InputError as error:
            raise error if error.file else InputError(error.message, file=str(found.file), key=error.key) from None

    def _asked(self, asked: FigureRequest) -> Choices:
        return Choices(
            asked.nominal_V, asked.threshold, asked.band, asked.about, asked.start_s, asked.line_Hz, asked.bandwidth_Hz,
            rated_A=asked.rated_current_A,
        )  # fmt: skip

    def _traces(self, found: Columns, asked: FigureRequest) -> Traces:
        return traces_of(found, asked, self.heads(asked), set(self.optional))

    def points(self, found: Columns, asked: FileRequest, at: TakenAt) -> Taken:
        """One point with its capture, and one of the background where that is named."""
        columns = FigureRequest(asked.time, asked.voltage, asked.current, input=asked.input, output=asked.output)
        outputs = at.unit.nameplate.outputs
        if len(outputs) > 1 and asked.port not in [o.name for o in outputs]:
            there = ", ".join(o.name for o in outputs)
            raise InputError(f"which output was recorded? There are: {there} (--rail)", key="port")
        rated = next((o for o in outputs if o.name == asked.port), outputs[0])
        line_Hz = asked.line.frequency_Hz or None if asked.line is not None else None
        traces, procedure = self._traces(found, columns), self.asks().procedure
        # What nothing can be worked out of is refused now.
        self.work_out(traces, choices_of(asked.choices, rated.voltage_V or None, line_Hz, rated.current_A))
        points = [_point(traces, found, procedure, asked, at, None)]
        if asked.background is not None:
            quiet = read_columns(asked.background)
            points.append(_point(self._traces(quiet, columns), quiet, procedure, asked, at, Purpose.BACKGROUND_BEFORE))
        return Taken(points, self.asks(), traces.notes)


WORKS_FROM = "load_works_from_V"  # said with a log
SHORT_OHM, LEAD_MM2 = "short_ohm", "lead_mm2"
SOURCE_OHM, SOURCE_LIMIT = "source_ohm", "source_limit_A"


def choices_of(
    said: Mapping[str, str], nominal_V: float | None, line_Hz: float | None, rated_A: float | None = None
) -> Choices:
    """What was chosen for a capture, as it is kept with it. InputError for what is no such choice."""
    named = said.get("start")
    behind_ohm, behind_A, mm2 = (float(said[k]) if k in said else None for k in (SOURCE_OHM, SOURCE_LIMIT, LEAD_MM2))
    return Choices(
        nominal_V, said.get("threshold", ""), said.get("band", "1%"), said.get("about", "nominal"),
        float(named) if named else None, line_Hz, bandwidth_of(said.get("bandwidth", "20MHz")), said.get("record", ""),
        rated_A, float(said.get(WORKS_FROM, 0.0)), float(said.get(SHORT_OHM, 0.0)),
        behind_ohm, behind_A, mm2, said,
    )  # fmt: skip


def _point(
    traces: Traces, found: Columns, procedure: str, asked: FileRequest, at: TakenAt, step: Purpose | None
) -> FilePoint:
    if traces.count > MOST_SAMPLES:
        raise InputError(
            f"{traces.count} samples are more than {MOST_SAMPLES}: cut it to the stretch that is needed",
            file=str(found.file),
        )
    channels, packed = [], []
    port = asked.port if len(at.unit.nameplate.outputs) > 1 else ""
    for one in traces.channels.values():
        channel, samples = as_channel(one)
        channel = replace(channel, port=port if QUANTITIES[one.quantity].side == "output" else "")
        channels.append(channel)
        packed.append(samples)
    capture = Capture(
        procedure, tuple(channels), traces.step_s, traces.count, max(0, round(-traces.begin_s / traces.step_s)),
        instrument=asked.instrument or at.recorded_by, how=FROM_FILE, file=found.file.name, said=dict(asked.choices),
    )  # fmt: skip
    feeds = (Feed(asked.line.voltage_V, asked.line.frequency_Hz),) if asked.line is not None else ()
    draws = (Draw(asked.load_percent, port=port),) if step is None else ()
    return FilePoint(OperatingPoint(feeds, draws, step=step), {}, captures=(capture,), packed=tuple(packed))


# Numbers of a file as codes


def as_channel(one: Channel) -> tuple[CaptureChannel, Packed]:
    """The numbers of a file as codes: of 16 bits where they keep to steps of a converter that fit, else of 32, of which
    one is a part in four thousand million of the span."""
    low, high = float(np.min(one.values)), float(np.max(one.values))
    quantum = one.quantum or quantum_of(one.values)
    unit = QUANTITIES[one.quantity].unit
    if quantum and (high - low) / quantum < 60_000.0:
        offset = low + round((high - low) / quantum / 2.0) * quantum
        codes = _codes(one.values, offset, quantum, 32_000.0).astype("<i2")
        packed, scale = pack(codes, "i2"), quantum
    else:
        scale = (high - low) / 2.0**32 or 1.0
        offset = round((low + high) / 2.0 / scale) * scale  # so that nothing is told as exactly zero
        packed = pack(_codes(one.values, offset, scale, 2.0**31 - 1.0).astype("<i4"), "i4")
    if not math.isfinite(scale):
        raise InputError("its numbers are beyond anything on this bench", key=one.quantity)
    return CaptureChannel(one.quantity, unit, packed.sha256, scale, offset, packed.code, quantum=quantum), packed


def _codes(values: NDArray[np.float64], offset: float, scale: float, most: float) -> NDArray[np.float64]:
    return np.clip(np.round((values - offset) / scale), -most, most)


# Heads


def volts_and_amps(asked: FigureRequest) -> Mapping[str, tuple[tuple[str, ...], str, str]]:
    """Of one output."""
    return {
        "output_voltage": ((asked.voltage, "output_V", "output_voltage_V"), "V", "--voltage"),
        "output_current": ((asked.current, "output_current_A", "load_current_A"), "A", "--current"),
    }


def volts(asked: FigureRequest) -> Mapping[str, tuple[tuple[str, ...], str, str]]:
    """Of one output, alone."""
    return {"output_voltage": ((asked.voltage, "output_V", "output_voltage_V"), "V", "--voltage")}


def two_voltages(asked: FigureRequest) -> Mapping[str, tuple[tuple[str, ...], str, str]]:
    """Of input and output, and of a signal that says whether the outputs are good, where the file has one."""
    return {
        "output_voltage": ((asked.output, "output_voltage_V"), "V", "--output"),
        "input_voltage": ((asked.input, "input_voltage_V"), "V", "--input"),
        "signal_voltage": (("power_good_V",), "V", ""),
    }
