"""Trying a dialect on an instrument, safely: what can be switched off is off first and last."""

from __future__ import annotations

from collections.abc import Iterator

from zincsmith.bench.instrument import ScpiInstrument
from zincsmith.bench.link import Link
from zincsmith.model.dialect import Dialect
from zincsmith.model.roles import SWITCHES


def try_dialect(dialect: Dialect, address: str) -> Iterator[str]:
    """One sentence for each thing that worked. InstrumentError from the first that does not, switched off or not.

    Only what is harmless: identity, switch-off with its read-back, every question, one reading.
    """
    instrument = ScpiInstrument(Link(dialect.role, address, dialect.quirks.termination), dialect)
    instrument.link.open()
    switch = SWITCHES.get(dialect.role)
    try:
        yield f"answers as {instrument.link.identity}"
        if switch is not None:
            instrument.set(switch, False)
            yield f"{switch} is off" + ("" if dialect.quirks.reads_back else ", as far as it can say")
        for name in dialect.operation:
            if name.startswith("get_"):
                what = name.removeprefix("get_")
                asked = dialect.operation[name].query or ""
                if "{channel}" in asked:
                    yield f"{name}, channel 1: {instrument.link.query(asked.format(channel=1))}"
                elif dialect.operation[name].reply == "word":
                    yield f"{name}: {instrument.word(what)}"
                else:
                    yield f"{name}: {instrument.get(what):g}"
        if "read" in dialect.operation:
            readings = instrument.read()
            yield "reads " + ", ".join(f"{quantity} {value:g}" for quantity, value in readings.items())
    finally:
        try:
            if switch is not None and instrument.link.is_open:
                instrument.set(switch, False)
        finally:
            instrument.link.close()
