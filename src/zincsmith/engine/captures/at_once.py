"""What the next step of a procedure goes by, worked out of a capture as soon as it is there."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from zincsmith.formats.packing import Packed, unsqueezed
from zincsmith.model.actions import Capturing, SetSource
from zincsmith.model.capture import WORKED_OUT, Capture, CaptureChannel
from zincsmith.model.errors import InputError
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.catalogue import procedure
from zincsmith.procedures.waveforms.findings import OfCaptures, nominal_V, rated_A, traces_from
from zincsmith.procedures.waveforms.intake import choices_of

Array = NDArray[np.float64]


@dataclass(frozen=True)
class _JustPacked:
    """Samples on their way into a book, read as those of a book are."""

    packed: dict[str, Packed]

    def read(self, channel: CaptureChannel, start: int = 0, stop: int | None = None) -> Array:
        one = self.packed[channel.sha256]
        codes = np.concatenate([unsqueezed(chunk, one.code) for chunk in one.chunks])
        return np.asarray(channel.offset + channel.scale * codes[start:stop], dtype=np.float64)

    def drawn(
        self, channel: CaptureChannel, count: int, begin_s: float, step_s: float, columns: int
    ) -> tuple[Array, Array]:
        every = max(1, count // columns)
        values = self.read(channel)[::every]
        return np.asarray(begin_s + step_s * every * np.arange(len(values)), dtype=np.float64), values


def worked_out(wanted: Capturing, capture: Capture, packed: list[Packed], plate: Nameplate) -> Capture:
    """The capture with the figures and facts that ``wanted`` names; nothing is said of those that it does not show, or
    that were read off a screen."""
    one = procedure(wanted.of)
    if not wanted.works_out or not capture.channels or not isinstance(one, OfCaptures):
        return capture
    port = capture.channels[0].port
    fed = next((s for s in (wanted.first, wanted.then) if isinstance(s, SetSource)), None)
    choices = choices_of(
        capture.said, nominal_V(plate, port), fed.frequency_Hz if fed is not None else None, rated_A(plate, port)
    )
    # How well it is known is asked later: here the figure has to be there soon.
    plain = replace(capture, channels=tuple(replace(c, known=False) for c in capture.channels))
    traces = traces_from(plain, _JustPacked({p.sha256: p for p in packed}), port)
    try:
        found = one.work_out(traces, choices, ())
    except InputError:  # told where the figures are; the next step does without
        return capture
    values = {name: figure.value for name, figure in found.figures.items()} | found.facts
    said = {
        f"{WORKED_OUT} {name}": repr(float(value))
        for name in wanted.works_out
        if isinstance(value := values.get(name), int | float)
    }
    return replace(capture, said={**capture.said, **said})
