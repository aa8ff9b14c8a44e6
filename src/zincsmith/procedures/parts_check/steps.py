"""Capacitors one by one: each behind a gate of its own, on a unit that is unplugged and discharged."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from zincsmith.analysis.capacitors import BESIDE, LOST, TANGENT_WORN, esr_limit_ohm, leakage_limit_A
from zincsmith.model.actions import Confirm, Measure, Stage
from zincsmith.model.finding import Doubt, Finding
from zincsmith.model.intake import Part
from zincsmith.model.operating_point import OperatingPoint
from zincsmith.model.reading import Evidence, Point
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.base import Context, Conventions, Curves, Procedure, Section, Steps
from zincsmith.procedures.cautions import cautions_for
from zincsmith.procedures.finding_of import alone, finding_of
from zincsmith.procedures.parts_check.options import CAPACITORS, PartsOptions, capacitors_of
from zincsmith.procedures.ports import emptied
from zincsmith.procedures.rows import carrying

NAME = "parts_check"
# Stated with a point: its marking, so that what it is held against stands with what was read.
PART, LIFTED, HERTZ, MARKED_F, MARKED_V = "part", "lifted", "meter_Hz", "marked_F", "marked_V"
KIND = "kind_of_part"
ELECTROLYTIC = ("bulk capacitor", "input capacitor", "output capacitor")
READ_S = 2.0
LEAKAGE = " Leakage: after two minutes at its rated volts behind 1 kohm; a dash where nobody reads it."
DISCHARGE = (
    "Unplugged. The bulk capacitor is discharged through a resistor made for it (some kohm, several watts), never by a "
    "screwdriver, and read before anything is touched. No LCR meter before that.",
    "A sound look clears no capacitor, and neither does a high leakage resistance.",
)


class PartsCheck(Procedure):
    name = NAME
    title = "Capacitors, read"
    version = 1
    needs: tuple[str, ...] = ("lcr_meter",)
    serves = "which capacitors have aged, against their markings and what such parts are sold with"
    options = PartsOptions
    tested_as = "capacitors, read"

    def steps(self, ctx: Context) -> Steps:
        """One after the other, in the order in which they were noted."""
        options = ctx.asked(PartsOptions)
        yield Stage("Capacitors, read", "unplugged")
        yield from emptied(ctx, 50.0 if ctx.nameplate.input.type == "ac" else 0.0)
        cautions = tuple(cautions_for(ctx.unit).values())
        for number, part in enumerate(capacitors_of(ctx.unit)):
            how = "one leg lifted" if options.lifted else "in its circuit: what lies beside it is read with it"
            yield Confirm(
                f"{part.name}: capacitance and ESR",
                f"{part.what}, {part.marked or _marking(part)}. Unplugged and read dead; {how}. The meter at "
                f"{options.hertz:g} Hz, its clips on {part.name}."
                f"{LEAKAGE if options.lifted and part.what in ELECTROLYTIC else ''}",
                (*(cautions if not number else ()), *DISCHARGE), hands_in=True,
            )  # fmt: skip
            farad, volts = (part.capacitance_F or 0.0), part.rated_V or 0.0
            stated = ((PART, float(number)), (LIFTED, float(options.lifted)), (HERTZ, options.hertz),
                      (MARKED_F, farad), (MARKED_V, volts), (KIND, float(CAPACITORS.index(part.what))))  # fmt: skip
            esr = esr_limit_ohm(volts or 25.0, farad, options.hertz)
            leaks = ("part_leakage",) if options.lifted and part.what in ELECTROLYTIC else ()
            wanted = tuple(q for q in ("part_capacitance", "part_esr", *leaks) if q in ctx.measured)
            yield Measure(wanted, READ_S, OperatingPoint(stated=stated), from_zero=True,
                          likely=(("part_capacitance", farad), ("part_esr", 0.5 * esr),
                                  ("part_leakage", 0.1 * leakage_limit_A(volts, farad))))  # fmt: skip
        yield Confirm("Clips off", "The meter is away from the parts; lifted legs are soldered again.", hands_in=True)

    def doubts(self, point: Point) -> list[Doubt]:
        return []

    def plots(self, evidence: Evidence) -> list[Curves]:
        return []

    def findings(self, evidence: Evidence, nameplate: Nameplate, conventions: Conventions) -> list[Finding]:
        """Of each part, by the number it was noted with."""
        found = []
        for point in evidence.points:
            if point.at.fact(PART) is not None:
                found += _of_part(point)
        return found

    def section(self, findings: Sequence[Finding]) -> Section | None:
        """The parts as a table, capacitance and ESR beside what they are held against."""
        mine = [f for f in findings if f.name in ("part_capacitance", "part_esr", "part_leakage")]
        if not mine:
            return None
        rows = tuple(
            (f.title, "not read" if f.value is None else f"{f.value:.4g} {f.unit}", f.working.note,
             "; ".join(d.text for d in f.doubts)) for f in mine
        )  # fmt: skip
        return Section("Capacitors, read", DISCHARGE[1:], ("part", "read", "against", "what it says"), rows)


def _marking(part: Part) -> str:
    volts = f", {part.rated_V:g} V" if part.rated_V else ""
    return f"{1e6 * (part.capacitance_F or 0.0):.4g} µF{volts}"


def _title(point: Point) -> str:
    kind = CAPACITORS[int(point.at.fact(KIND) or 0.0)]
    return f"{kind[:1].upper()}{kind[1:]} {int(point.at.fact(PART) or 0.0) + 1}"


def _of_part(point: Point) -> list[Finding]:
    found = []
    marked, volts = point.at.fact(MARKED_F) or 0.0, point.at.fact(MARKED_V) or 0.0
    hertz, lifted = point.at.fact(HERTZ) or 0.0, bool(point.at.fact(LIFTED))
    where, title = replace(point.at, stated=()), _title(point)
    electrolytic = CAPACITORS[int(point.at.fact(KIND) or 0.0)] in ELECTROLYTIC
    how = "one leg lifted" if lifted else "in its circuit"
    if carrying([point], ["part_capacitance"]):
        made = finding_of("part_capacitance", f"{title}, capacitance", "F", [point], ["part_capacitance"],
                          alone("part_capacitance"), how, where, f"marked {1e6 * marked:.4g} µF",
                          doubts_of=lambda _p, _q: [])  # fmt: skip
        found.append(replace(made, doubts=_of_capacitance(made.number / marked if marked else 1.0, lifted, title)))
    if carrying([point], ["part_esr"]) and electrolytic:
        most = esr_limit_ohm(volts or 25.0, marked, hertz)
        made = finding_of("part_esr", f"{title}, ESR", "ohm", [point], ["part_esr"], alone("part_esr"), how, where,
                          f"such parts are sold with {most:.3g} Ω at most, at {hertz:g} Hz",
                          doubts_of=lambda _p, _q: [])  # fmt: skip
        worn = made.number / most
        doubts: tuple[Doubt, ...] = ()
        if worn > TANGENT_WORN:
            doubts = (Doubt("esr_worn", f"{title} reads {worn:.3g} times the most that such a part is sold with: the "
                            "ripple that it leaves grows with it.",
                            "Replace it; measure ripple before and after."),)  # fmt: skip
        found.append(replace(made, doubts=doubts))
    if carrying([point], ["part_leakage"]) and electrolytic and volts:
        most = leakage_limit_A(volts, marked)
        made = finding_of("part_leakage", f"{title}, leakage", "A", [point], ["part_leakage"], alone("part_leakage"),
                          how, where, f"0.01 C V after two minutes: {1e6 * most:.3g} µA",
                          doubts_of=lambda _p, _q: [])  # fmt: skip
        leaks = (Doubt("leaks", f"{title} leaks {made.number / most:.3g} times what it may.",
                       "Let it form for some minutes and read it again; then replace it."),)  # fmt: skip
        found.append(replace(made, doubts=leaks if made.number > most else ()))
    return found


def _of_capacitance(share: float, lifted: bool, title: str) -> tuple[Doubt, ...]:
    if share < 1.0 - LOST:
        text = f"{title} has {100.0 * share:.3g} % of its marking left: what it holds up, it holds up for as much less."
        return (Doubt("capacitance_lost", text, "Replace it; measure hold-up and ripple before and after."),)
    if share > BESIDE and not lifted:
        text = f"{title} reads {share:.3g} times its marking: others lie beside it."
        return (Doubt("read_with_others", text, "Lift one leg, or read all of them as one."),)
    return ()


SPEC = PartsCheck()
