"""What an output gives for hours, in one picture: amps against input volts, each border named by what sets it."""

from __future__ import annotations

from collections.abc import Iterator

from zincsmith.analysis.envelope import Envelope
from zincsmith.judge.judging import JudgedRun
from zincsmith.model.figures import DROPOUT
from zincsmith.model.finding import Finding
from zincsmith.model.port import output_ports
from zincsmith.model.unit import Unit
from zincsmith.procedures.base import Curve, Curves

TITLE = "What it gives for hours"
# The findings that are a border, by the name that stands at it.
AT_A_LOAD = {"dropout_input": DROPOUT}
AT_A_LINE = {"overcurrent": "limit", "largest_continuous_load": "heat", "greatest_power": "gives way"}


def borders(run: JudgedRun) -> list[Curves]:
    """A picture for each output of which two borders are known, the part's beside them: the highest input that rated
    input and parts allow."""
    plate = run.unit.nameplate
    drawn = []
    for port in output_ports(plate):
        lines = dict(_of_output([j.finding for j in run.judged], run, port))
        if len(lines) < 2:
            continue
        name, highest = _part(run.unit)
        most = max(amps for rows in lines.values() for amps, _ in rows)
        lines[name] = [(0.0, highest), (most, highest)]
        curves: tuple[Curve, ...] = tuple(
            (name, [x for x, _ in rows], [y for _, y in rows]) for name, rows in lines.items()
        )
        title = f"{TITLE}, {port}" if port else TITLE
        drawn.append(Curves(title, "output", "A", "input", "V", "voltage", curves))
    return drawn


def _part(unit: Unit) -> tuple[str, float]:
    """The highest input that its rating and its parts allow, and whose that is."""
    bounds = [("rated input", unit.nameplate.input.voltage_max_V)]
    bounds += [
        (f"part {p.name}", p.rated_V)
        for p in unit.look.parts
        if p.what in ("X capacitor", "input capacitor") and p.rated_V is not None
    ]
    return min(bounds, key=lambda one: one[1])


def _of_output(found: list[Finding], run: JudgedRun, port: str) -> Iterator[tuple[str, list[tuple[float, float]]]]:
    envelope = Envelope(run.unit.nameplate)
    for name, called in AT_A_LOAD.items():
        rows = [
            (envelope.load_A(f.at.draw.share_percent, port), f.value)
            for f in found
            if f.name == name and f.value is not None and f.at.draw.share_percent is not None
        ]
        if rows:
            yield called, sorted(rows)
    for name, called in AT_A_LINE.items():
        rows = []
        for f in found:
            if f.name == name and f.value is not None and f.output in ("", port) and f.at.feed.voltage_V is not None:
                amps = f.value if f.unit == "A" else f.value / abs(envelope.voltage_V(port))
                rows.append((amps, f.at.feed.voltage_V))
        if rows:
            yield called, sorted(rows, key=lambda row: row[1])
