"""Command dialects: how the operations of a role are said to one kind of instrument."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

from zincsmith.model.quantities import QUANTITIES
from zincsmith.model.record import Record, Span
from zincsmith.model.rig import Accuracy

# What not every instrument of a role can do: modes of a load besides constant current, records of a power meter.
RECORDED = ("input_voltage", "input_current")  # what a power meter records together
FURTHER: dict[str, tuple[str, ...]] = {
    "power_meter": (
        "set_record",
        "get_record",
        "get_record_rate",
        *(f"{do}_{q}" for q in RECORDED for do in ("record", "get_step")),
    ),
    "load": tuple(f"{do}_{what}" for what in ("mode", "resistance", "voltage", "power") for do in ("set", "get")),
    "scope": ("set_offset", "get_offset", "set_coupling", "get_coupling"),
}
# What every dialect of a role must be able to say; whatever is set is also asked for.
NEEDED: dict[str, tuple[str, ...]] = {
    "ac_source": ("set_voltage", "get_voltage", "set_frequency", "get_frequency", "set_output", "get_output"),
    "load": ("set_current", "get_current", "set_input", "get_input", "read"),
    "power_meter": ("read",),
    "voltmeter": ("read",),
    "thermometer": ("read",),
    "dc_source": ("set_voltage", "get_voltage", "set_current", "get_current", "set_output", "get_output"),
    "scope": ("set_scale", "get_scale", "set_rate", "get_rate", "set_depth", "get_depth", "capture", "get_step"),
    "sink_controller": ("get_modes", "set_mode", "get_mode"),
    "lcr_meter": ("get_capacitance", "get_esr"),
    "clock": ("advance", "get_time"),
}
RECORDING = FURTHER["power_meter"]
SWITCHES = {"ac_source": "output", "dc_source": "output", "load": "input"}  # what is switched off to be harmless


def known_operations(role: str) -> tuple[str, ...]:
    """Everything a dialect of a role may say: what is needed, ranges of what it reads, the error queue."""
    ranges = [f"{do}_range_{q.name}" for q in QUANTITIES.values() if q.role == role for do in ("set", "get")]
    return (*NEEDED[role], *FURTHER.get(role, ()), *ranges, "next_error")


@dataclass(frozen=True)
class Operation(Record):
    """Either a command with ``{value}`` in it, or a query with the form of its reply.

    ``quantities`` names what the numbers of a reading are, in their order; ``settle_s`` is waited after a command,
    before anything else is asked.
    """

    command: str | None = None
    query: str | None = None
    reply: Literal["number", "numbers", "boolean", "word", "error"] | None = None
    quantities: tuple[str, ...] = ()
    settle_s: float = 0.0


@dataclass(frozen=True)
class Quirks(Record):
    """``termination`` ends a line both ways; ``completion`` asks whether a setting is done before going on;
    ``reads_back`` False is an instrument that cannot say what it was set to; ``retries`` is how often something that
    failed is tried again, over a fresh connection, before the instrument is given up."""

    termination: Literal["LF", "CR LF", "CR"] = "LF"
    completion: bool = False
    reads_back: bool = True
    retries: int = 0


@dataclass(frozen=True)
class Dialect(Record):
    """``limits`` holds by what is set (voltage, current ...) the least and the most this instrument takes.

    ``accuracy`` is its data sheet by range, for a rig that states none of its own.
    """

    role: str
    words: str
    operation: dict[str, Operation]
    limits: dict[str, Span] = field(default_factory=dict)
    quirks: Quirks = Quirks()
    accuracy: tuple[Accuracy, ...] = ()

    @property
    def records(self) -> bool:
        """Whether it gives waveforms."""
        return all(name in self.operation for name in RECORDING)
