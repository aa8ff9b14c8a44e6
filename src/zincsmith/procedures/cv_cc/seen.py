"""A set output on a scope: whose it is, and what is left behind."""

from __future__ import annotations

from zincsmith.model.actions import ChooseMode
from zincsmith.model.capture import Capture
from zincsmith.procedures.base import Context, Steps
from zincsmith.procedures.ports import idle, set_ports, top_of
from zincsmith.procedures.waveforms.findings import OfCaptures

PORT = "port"  # said with a capture


class OfASetOutput(OfCaptures):
    """What the procedures share that record an output as it is set, held or switched."""

    def tidy(self, ctx: Context) -> Steps:
        """No load, and every output as other parts have it."""
        yield from idle(ctx)
        for port in set_ports(ctx):
            yield ChooseMode(top_of(ctx, port), port)

    def ports_in(self, capture: Capture) -> tuple[str, ...]:
        return (capture.said[PORT],) if capture.channels and PORT in capture.said else super().ports_in(capture)
