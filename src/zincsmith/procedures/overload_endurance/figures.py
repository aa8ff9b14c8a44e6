"""How long an overload was stood, how hot it got, and when it was back."""

from __future__ import annotations

import numpy as np

from zincsmith.procedures.overcurrent.figures import protection_figures
from zincsmith.procedures.waveforms.traces import Choices, Traces
from zincsmith.recorded.result import Analysed, Figure

ABOVE = 1.02  # times the rated current


def endurance_figures(traces: Traces, choices: Choices) -> Analysed:
    """Those of the protection, with how long the overload was delivered and the hottest reading."""
    out = protection_figures(traces, choices)
    asked = traces.maybe("load_set")
    amps = np.abs(traces.values("output_current"))
    over = (asked if asked is not None else amps) > ABOVE * choices.rated()
    given = over & (amps > ABOVE * choices.rated())
    step = traces.step_s
    out.figures["held"] = Figure(
        float(np.sum(given)) * step, "s", step / 6.0**0.5, effects={"one sample of the log": step / 6.0**0.5}
    )
    degC = traces.maybe("case_temperature")
    channel = traces.channels.get("case_temperature")
    if degC is not None and channel is not None:
        u = channel.offset_u if channel.known else None
        out.figures["hottest"] = Figure(
            float(np.max(degC)), "degC", u, effects={"case_temperature: offset": u or 0.0} if u is not None else {}
        )
    return out
