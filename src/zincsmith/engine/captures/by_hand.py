"""A capture that a person takes: what to set on the scope in plain words, then the file it saved, or what was read."""

from __future__ import annotations

import re
from dataclasses import replace
from pathlib import Path
from urllib.parse import unquote, urlparse

from zincsmith.formats.columns import Columns, likely
from zincsmith.formats.entry import parse_entry
from zincsmith.formats.packing import Packed
from zincsmith.formats.table_file import read_columns
from zincsmith.model.actions import Capturing, WantedChannel
from zincsmith.model.address import name_of, port_of
from zincsmith.model.capture import TIMES, Capture
from zincsmith.model.errors import InputError
from zincsmith.model.quantities import QUANTITIES
from zincsmith.model.rig import Instrument
from zincsmith.procedures.catalogue import procedure
from zincsmith.procedures.intake import FigureRequest
from zincsmith.procedures.waveforms.findings import OfCaptures, TypedFigure
from zincsmith.procedures.waveforms.intake import WaveformIntake, as_channel
from zincsmith.procedures.waveforms.traces import Traces, traces_of

WANTS, OR_READ = "The file that the scope saved", ", or what you read off its screen"
DIVISIONS = {"div": ("V", "A"), "tdiv": ("s",)}  # at which figures were read: they give the resolution
RATES = ((1e9, "G"), (1e6, "M"), (1e3, "k"))


def setting_words(wanted: Capturing, scope: Instrument) -> str:
    """What to connect and set, in the order it is done: a heading and a line each."""
    span = next((f"{wanted.seconds / s:g} {u}" for s, u in TIMES if wanted.seconds >= s), f"{wanted.seconds:g} s")
    rate = wanted.samples / wanted.seconds
    large, many = next((r for r in RATES if rate >= r[0]), (1.0, ""))
    parts = [_channel_words(one, scope, wanted.then is None) for one in wanted.channels]
    parts.append(f"sample rate {rate / large:.3g} {many}S/s, or the most it has")
    limit = f"{wanted.bandwidth_Hz / 1e6:g} MHz" if wanted.bandwidth_Hz else "all it has, no limit switched on"
    parts.append(f"bandwidth {limit}")
    if wanted.trigger is not None:
        one = QUANTITIES[wanted.trigger.source]
        parts.append(
            f"single, on {one.inside} {wanted.trigger.slope} through {wanted.trigger.level:.3g} {one.unit}, "
            f"{100.0 * wanted.before:g} % of it before"
        )
    if wanted.why:
        parts.append(f"why: {wanted.why}")
    parts.append("probes as they were joined before power: ground by a spring or coax, never the long lead")
    if any(QUANTITIES[one.address].side == "input" for one in wanted.channels):
        parts.append("nothing on the input side is touched now: it counts as live")
    return "\n".join((f"{scope.name}: record {span}", *parts))


def _channel_words(one: WantedChannel, scope: Instrument, again: bool) -> str:
    """What is joined to which channel, and its range: a finer one where there can be a second look."""
    info = QUANTITIES[one.address]
    joined = next((c for c in scope.scope_channels if c.address == one.address), None)
    where = f"channel {joined.number}, " if joined is not None else ""
    probe = f", probe {joined.probe.ratio:g}:1" if joined is not None and joined.probe.ratio else ""
    around = f" around {one.centre:.3g} {info.unit}" if one.centre and one.coupling == "DC" else ""
    finer = ", finer while all of it is seen" if again else ""
    size = f"{one.span:.3g} {info.unit} from top to bottom{around}{finer}"
    return f"{where}{info.inside}{probe}: {one.coupling} coupled, {size}"


def wants_words(wanted: Capturing) -> str:
    """What a person is to give: figures of their own only where the record has some."""
    return WANTS + OR_READ if _typed_of(wanted) else WANTS


def asking_words(wanted: Capturing) -> str:
    """What is asked for once it was recorded."""
    typed = _typed_of(wanted)
    if not typed:
        return "drop the file here: of this record nothing is read off a screen"
    example = ", ".join(f"{one.key} {one.example}" for one in typed)
    divisions = " and ".join(d for d, units in DIVISIONS.items() if any(t.unit in units for t in typed))
    return f"drop the file here, or type {example}, with {divisions}: the size of a division it was read at"


def _typed_of(wanted: Capturing) -> tuple[TypedFigure, ...]:
    one = procedure(wanted.of)
    return one.typed_for(dict(wanted.said)) if isinstance(one, OfCaptures) else ()


def told(text: str, wanted: Capturing, scope: Instrument) -> tuple[Capture, list[Packed], Path | None]:
    """What was dropped or typed as a capture. InputError for what is neither."""
    said = text.strip().strip("'\"")
    file = Path(unquote(urlparse(said).path)) if said.startswith("file://") else Path(said)
    if said and file.is_file():
        return (*_from_file(file, wanted, scope), file)
    if not _typed_of(wanted):
        raise InputError(f"there is no file {said[:80]!r}; {asking_words(wanted)}")
    if "/" in said or file.suffix.lower() in (".csv", ".h5", ".npy", ".npz", ".json", ".txt"):
        raise InputError(f"there is no file {said[:80]!r}")
    return _from_screen(said, wanted, scope), [], None


def _from_file(file: Path, wanted: Capturing, scope: Instrument) -> tuple[Capture, list[Packed]]:
    found = read_columns(file)
    traces = _traces(found, wanted)
    channels, packed = [], []
    for asked in wanted.channels:
        one = traces.channels[name_of(asked.address)]
        channel, samples = as_channel(one)
        joined = next((c for c in scope.scope_channels if c.address == asked.address), None)
        row = scope.accuracy_of(name_of(asked.address))
        probe = joined.probe if joined is not None else None
        channels.append(
            replace(
                channel, port=port_of(asked.address), coupling=asked.coupling,
                ground=probe.ground if probe is not None else "", known=row is not None,
                span=row.range if row else None, reading_percent=row.reading_percent if row else 0.0,
                range_percent=row.range_percent if row else 0.0, offset_limit=row.offset if row else 0.0,
            )
        )  # fmt: skip
        packed.append(samples)
    before = max(0, round(-traces.begin_s / traces.step_s))
    capture = Capture(
        wanted.of, tuple(channels), traces.step_s, traces.count, before, wanted.trigger, scope.name, scope.how,
        file.name, 1e-4 * (scope.clock_ppm or 0.0), dict(wanted.said),
    )  # fmt: skip
    return capture, packed


def _traces(found: Columns, wanted: Capturing) -> Traces:
    """The columns of a file as the channels that were asked for: by their names, else in their order."""
    heads = list(found.values)
    time = likely(heads, ("time_s",)).get("time_s", heads[0])
    others = [h for h in heads if h != time]
    quantities = [name_of(c.address) for c in wanted.channels]
    known = _heads_of(wanted.of)
    named = {q: next((h for h in known.get(q, ()) if h in others), "") for q in quantities}
    if not all(named.values()):
        if len(others) != len(quantities):
            raise InputError(
                f"{len(quantities)} channels were asked for ({', '.join(quantities)}), the file has {len(others)} "
                f"columns beside the time: {', '.join(others[:8])}",
                file=str(found.file),
            )
        named = dict(zip(quantities, others, strict=True))
    asked = {q: ((named[q],), QUANTITIES[q].unit, "") for q in quantities}
    return traces_of(found, FigureRequest(time=time), asked, set())


def _heads_of(name: str) -> dict[str, tuple[str, ...]]:
    """By quantity the heads that a file of this procedure may have."""
    found = procedure(name).intakes
    heads = found[0].heads(FigureRequest()) if found and isinstance(found[0], WaveformIntake) else {}
    return {q: (*names, f"{q}_{unit}") for q, (names, unit, _) in heads.items()}


def _from_screen(text: str, wanted: Capturing, scope: Instrument) -> Capture:
    """``pp 52m, div 10m``: figures by their names, each with the division it was read at."""
    typed = _typed_of(wanted)
    figures = {one.key: one.unit for one in typed}
    known = figures | {d: next((u for u in units if u in figures.values()), units[0]) for d, units in DIVISIONS.items()}
    words = re.sub(r"[,;]\s|=", " ", text).split()  # a comma within a figure is a decimal comma
    read: list[tuple[str, str]] = []  # a name, and everything up to the next one: a unit may stand apart
    for word in words:
        if word.lower() in known:
            read.append((word.lower(), ""))
        elif not read:
            raise InputError(f"{word[:20]!r} is none of {', '.join(known)}")
        else:
            read[-1] = read[-1][0], f"{read[-1][1]} {word}"
    said: dict[str, str] = {}
    for name, value in read:
        number = parse_entry(value, known[name])
        if number is None:
            raise InputError(f"{value.strip()[:20]!r} is no figure; leave out what could not be read")
        said[f"typed {name}"] = repr(number)
    if not any(f"typed {one.key}" in said for one in typed):
        raise InputError(f"type a file, or figures by name: {asking_words(wanted)}")
    units = {one.unit for one in typed if f"typed {one.key}" in said}
    for division, of in DIVISIONS.items():
        if units.intersection(of) and f"typed {division}" not in said:
            raise InputError(f"say the size of a division it was read at, such as {division} 10m: how well it is known")
    first = wanted.channels[0]
    row = scope.accuracy_of(name_of(first.address))
    if row is not None:
        said["gain_percent"] = repr(row.reading_percent)
    said["port"] = port_of(first.address)
    return Capture(wanted.of, (), 0.0, 0, 0, wanted.trigger, scope.name, scope.how, said={**dict(wanted.said), **said})
