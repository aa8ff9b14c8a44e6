"""What was polled since a stage began, as a capture: volts, amps, watts and what the load was set to over time."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from zincsmith.engine.poll_loop import Logged
from zincsmith.formats.packing import Packed
from zincsmith.model.actions import Capturing
from zincsmith.model.address import name_of, port_of
from zincsmith.model.capture import Capture, CaptureChannel
from zincsmith.model.errors import InputError
from zincsmith.model.rig import Rig
from zincsmith.procedures.waveforms.intake import as_channel
from zincsmith.procedures.waveforms.traces import Channel

LEAST = 16  # polls: fewer are no log
ASKED = "load_set"
LOG = "log"  # what stands for the instrument: several meters are behind it


def logged(wanted: Capturing, log: Sequence[Logged], rig: Rig) -> tuple[Capture, list[Packed]]:
    """The channels that were wanted, on times that come evenly: a poll stands until the next one comes. InputError for
    fewer than sixteen polls."""
    if len(log) < LEAST:
        raise InputError(f"{len(log)} polls are no log of what happened: {LEAST} at least")
    times = np.array([t for t, _, _ in log])
    step = max(1e-3, float(np.median(np.diff(times))))
    even = np.arange(times[0], times[-1] + 0.5 * step, step)
    at = np.clip(np.searchsorted(times, even + 1e-9, side="right") - 1, 0, len(times) - 1)
    channels, packed = [], []
    for one in wanted.channels:
        values = _column(one.address, log)[at]
        channel, samples = as_channel(Channel(name_of(one.address), values))
        channels.append(_known(replace(channel, port=port_of(one.address)), one.address, values, rig))
        packed.append(samples)
    capture = Capture(
        wanted.of, tuple(channels), step, len(even), 0, instrument=LOG, how="connected", said=dict(wanted.said)
    )
    return capture, packed


def _column(address: str, log: Sequence[Logged]) -> NDArray[np.float64]:
    """What was polled, or asked of the load; where a poll misses it the one before stands."""
    port, last, found = port_of(address), 0.0, []
    for _, values, asked in log:
        last = asked.get(port, 0.0) if name_of(address) == ASKED else values.get(address, last)
        found.append(last)
    return np.array(found)


def _known(channel: CaptureChannel, address: str, values: NDArray[np.float64], rig: Rig) -> CaptureChannel:
    """With what the data sheet of its meter says; what the load was set to is known."""
    meter = rig.channels.get(address)
    row = meter.accuracy_for(name_of(address), float(np.max(np.abs(values)))) if meter is not None else None
    if name_of(address) == ASKED:
        return replace(channel, known=True, span=0.0)
    if row is None:
        return channel
    return replace(
        channel, known=True, span=row.range, reading_percent=row.reading_percent, range_percent=row.range_percent,
        offset_limit=row.offset,
    )  # fmt: skip
