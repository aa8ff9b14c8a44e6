"""The worksheet: a person goes from stage to stage with a meter; each reading says which comes next, or what is broken.

Every reading is a gate of its own. Unplugged ones come first, each on a unit that is proven dead; a live one is taken
with clips that were put on unplugged, behind what limits.
"""

from __future__ import annotations

import math
from collections.abc import Generator, Sequence
from dataclasses import replace

from zincsmith.analysis.worksheet import (
    OPEN,
    Fault,
    Readings,
    Way,
    beside_good,
    fault_of,
    next_of,
    out_of_span,
    read_good,
    sheet_of,
)  # fmt: skip
from zincsmith.analysis.worksheet import (
    Stage as SheetStage,
)
from zincsmith.model.actions import Action, Confirm, Dwell, Measure, Measured, Note, Outcome, SetSource, Stage
from zincsmith.model.errors import InputError
from zincsmith.model.finding import Doubt, Finding, Working
from zincsmith.model.operating_point import Feed, OperatingPoint
from zincsmith.model.plan import Line
from zincsmith.model.reading import Evidence, Point
from zincsmith.model.roles import SOURCE
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.base import Context, Conventions, Curves, Procedure, Section, Steps
from zincsmith.procedures.beginning import ALWAYS
from zincsmith.procedures.cautions import cautions_for
from zincsmith.procedures.fault_finding.options import REPORTED, WHEN, FaultOptions
from zincsmith.procedures.ports import emptied

NAME = "fault_finding"
STAGE, LIVE, REPORTED_AS, CORRECTED = "stage", "live", "reported", "corrected"  # stated with a point
SOUND_LOW, SOUND_HIGH, WHEN_SHOWN = "sound_from", "sound_to", "shows_when"  # likewise; the span of a sound one
BEYOND = 1e12  # ohm: stands for open
QUANTITY: dict[Way, str] = {"unplugged": "stage_resistance", "live": "stage_voltage"}
STANDS_S = 3.0  # live, until what is read has settled; common practice, no source
DISCHARGE = (
    "Unplugged. The bulk capacitor is discharged through a resistor made for it (some kohm, several watts), never by a "
    "screwdriver, and read before anything is touched. No ohmmeter and no LCR meter before that.",
    "A sound look clears no capacitor, and neither does a high leakage resistance.",
)
PROBING = (
    "Clips are put on with the unit unplugged, probes and meter rated for mains of its category, one hand only.",
    "The primary side is live against earth: no scope ground, no hand goes there while it is fed.",
)
REPAIR = (
    "Fuse, fusible resistors, X and Y capacitors and optocouplers are replaced by the same class and rating, never by "
    "better ones; other parts by the same rating or above.",
    "A repair on the mains side ends with earth continuity and insulation tests, by whoever is qualified.",
    "The repaired unit comes up behind a series lamp or a source that limits, and the tests that the repair touches "
    "are made again (a retest of the plan).",
)


class FaultFinding(Procedure):
    name = NAME
    title = "Fault finding"
    version = 2
    needs: tuple[str, ...] = (SOURCE,)
    serves = "which stage is broken, by the safest readings that tell it"
    options = FaultOptions
    tested_as = "fault finding"

    def steps(self, ctx: Context) -> Steps:
        """Each reading is proposed by those before it, and ends the part once one decides."""
        options = ctx.asked(FaultOptions)
        line = ctx.reachable((options.line,))[0]
        sheet = sheet_of(ctx.nameplate, line.voltage_V, options.corrected)
        try:
            sheet = beside_good(sheet, read_good(options.known_good, sheet))
        except ValueError as error:
            raise InputError(str(error), key="part.known_good") from None
        read: dict[tuple[str, Way], float] = {}
        told = f" {options.history}." if options.history else ""
        yield Stage("Worksheet", f"reported: {options.symptom}")
        yield Confirm(
            "Before it is opened",
            f"Reported: {options.symptom}.{told} The unit is unplugged. A fault that only the load it fed shows is "
            f"looked for with that load.{_when(options)}",
            (*cautions_for(ctx.unit).values(), *DISCHARGE, *ALWAYS),
            hands_in=True,
        )
        while (wanted := next_of(sheet, read, options.symptom)) is not None:
            stage, way = wanted
            value = yield from _read(options, line, sheet.index(stage), stage, way)
            if value is None:
                yield Note(f"{stage.name}: not read; nothing is said of it")
                value = _middle(stage, way)
            read[stage.name, way] = value
        found = fault_of(sheet, read)
        yield Note(_words(found, read))

    def tidy(self, ctx: Context) -> Steps:
        """The input off, the unit emptied as far as it lets itself be."""
        yield from emptied(ctx, 50.0 if ctx.nameplate.input.type == "ac" else 0.0)

    def doubts(self, point: Point) -> list[Doubt]:
        return []

    def plots(self, evidence: Evidence) -> list[Curves]:
        return []

    def findings(self, evidence: Evidence, nameplate: Nameplate, conventions: Conventions) -> list[Finding]:
        """Each reading of a stage, the one that decides doubted with the parts that it points to."""
        rows, sheet, read = _sheet_read(evidence.points, nameplate)
        decides = fault_of(sheet, read) if sheet else None
        found = []
        for (name, way), point in rows.items():
            stage = next(s for s in sheet if s.name == name)
            value = read[name, way]
            fault = out_of_span(stage, way, value)
            doubts: tuple[Doubt, ...] = ()
            if fault is not None:
                told = "It decides. " if decides is not None and (name, way) == _key(decides) else ""
                doubts = (Doubt("stage_out", f"{fault.words}. {told}It points to: {fault.parts}.", REPAIR[0]),)
            unit = "ohm" if way == "unplugged" else "V"
            at = replace(point.at, stated=())
            shown = None if math.isinf(value) else value
            span = stage.span(way)
            words = (
                f"{stage.probes}; sound: {span[0]:.4g} to {span[1]:.4g} {unit}" if span is not None else stage.probes
            )
            when = WHEN[int(point.at.fact(WHEN_SHOWN) or 0.0)]
            words += f"; read {when.partition(',')[0]}" if when else ""
            found.append(Finding(f"stage_{'resistance' if way == 'unplugged' else 'voltage'}", f"{_title(name)}, {way}",
                                 shown, unit, at=at, working=Working(words, (), ()), doubts=doubts))  # fmt: skip
        return found

    def section(self, findings: Sequence[Finding]) -> Section | None:
        """The worksheet as it was filled, and what a repair ends with."""
        mine = [f for f in findings if f.name in ("stage_resistance", "stage_voltage")]
        if not mine:
            return None
        rows = tuple(
            (f.title, "open, or not read" if f.value is None else f"{f.value:.4g} {f.unit}",
             f.working.formula if f.working is not None else "", "; ".join(d.text for d in f.doubts))
            for f in mine
        )  # fmt: skip
        return Section("Worksheet of fault finding", REPAIR, ("stage", "read", "where", "what it says"), rows)


def _as_asked(sheet: tuple[SheetStage, ...], points: Sequence[Point]) -> tuple[SheetStage, ...]:
    """The spans that readings were held against while they were taken; books of earlier forms do not state them."""
    for point in points:
        low, high, number = (point.at.fact(key) for key in (SOUND_LOW, SOUND_HIGH, STAGE))
        if low is None or high is None or number is None or int(number) >= len(sheet):
            continue
        span = (low, OPEN if high >= BEYOND else high)
        one = sheet[int(number)]
        one = replace(one, volts=span) if point.at.fact(LIVE) else replace(one, ohms=span)
        sheet = tuple(one if n == int(number) else s for n, s in enumerate(sheet))
    return sheet


def _when(options: FaultOptions) -> str:
    return f" It shows {options.shows_when}: each reading is taken so." if options.shows_when else ""


def _title(name: str) -> str:
    return f"{name[:1].upper()}{name[1:]}"


def _read(
    options: FaultOptions, line: Line, number: int, stage: SheetStage, way: Way
) -> Generator[Action, Outcome, float | None]:
    """One reading at one stage; what a meter shows as open is typed as a dash."""
    reported = float(REPORTED.index(options.symptom))
    low, high = stage.span(way) or (0.0, 0.0)
    stated = ((STAGE, float(number)), (LIVE, float(way == "live")), (REPORTED_AS, reported),
              (CORRECTED, float(options.corrected)), (SOUND_LOW, low), (SOUND_HIGH, min(high, BEYOND)),
              (WHEN_SHOWN, float(WHEN.index(options.shows_when))))  # fmt: skip
    at = OperatingPoint((Feed(line.voltage_V, line.frequency_Hz),), (), stated=stated)
    side = "primary side" if stage.primary else "output side"
    if way == "unplugged":
        yield Confirm(
            f"{_title(stage.name)}: ohms, unplugged",
            f"Unplugged and proven dead. Ohms {stage.probes}, {side}; wait until it stands still. Beyond its range "
            f"type a dash: it is open.{_when(options)}",
            DISCHARGE,
            hands_in=True,
        )
        came = yield Measure((QUANTITY[way],), 0.0, at, from_zero=True)
    else:
        yield SetSource(line.voltage_V, line.frequency_Hz, False)
        yield Confirm(
            f"{_title(stage.name)}: volts, live",
            f"Unplugged, clips are put on {stage.probes}, {side}. Then it is fed behind what limits, and read from "
            f"where you stand.{_when(options)}",
            PROBING,
            hands_in=True,
        )
        yield SetSource(line.voltage_V, line.frequency_Hz, True)
        yield Dwell(STANDS_S, "it stands, or tries")
        came = yield Measure((QUANTITY[way],), 0.0, at, from_zero=True)
        yield SetSource(line.voltage_V, line.frequency_Hz, False)
    reading = came.point.get(QUANTITY[way]) if isinstance(came, Measured) else None
    if reading is None:
        return _middle(stage, way)  # a rehearsal reads nothing there
    return OPEN if reading.value is None and way == "unplugged" else reading.value


def _middle(stage: SheetStage, way: Way) -> float:
    low, high = stage.span(way) or (0.0, 0.0)
    return 2.0 * low + 1.0 if math.isinf(high) else 0.5 * (low + high)


def _key(fault: Fault) -> tuple[str, Way]:
    return fault.stage.name, fault.way


def _words(found: Fault | None, read: Readings) -> str:
    if found is None:
        return (
            f"nothing is out after {len(read)} readings: it is not reproduced under these conditions; try it warm, "
            "cold and with what it fed"
        )
    return f"{found.words}. It points to: {found.parts}"


def _sheet_read(
    points: Sequence[Point], plate: Nameplate
) -> tuple[dict[tuple[str, Way], Point], tuple[SheetStage, ...], dict[tuple[str, Way], float]]:
    """(points by stage and way, the sheet they were read by, their values; infinite where it read open)."""
    mine = [p for p in points if p.at.fact(STAGE) is not None and p.at.feeds]
    if not mine:
        return {}, (), {}
    line_V = mine[0].at.line[0] or 0.0
    sheet = _as_asked(sheet_of(plate, line_V, bool(mine[0].at.fact(CORRECTED))), mine)
    rows: dict[tuple[str, Way], Point] = {}
    read: dict[tuple[str, Way], float] = {}
    for point in mine:
        way: Way = "live" if point.at.fact(LIVE) else "unplugged"
        reading = point.get(QUANTITY[way])
        number = int(point.at.fact(STAGE) or 0.0)
        if reading is None or number >= len(sheet) or (reading.value is None and way == "live"):
            continue
        rows[sheet[number].name, way] = point
        read[sheet[number].name, way] = OPEN if reading.value is None else reading.value
    return rows, sheet, read


SPEC = FaultFinding()
