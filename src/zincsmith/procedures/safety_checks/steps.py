"""The gates before power, in their place in the order, and what has to be put back at the end."""

from __future__ import annotations

from zincsmith.model.actions import Confirm, Note, Stage
from zincsmith.model.finding import Doubt, Finding
from zincsmith.model.intake import SafetyTest
from zincsmith.model.reading import Evidence, Point
from zincsmith.model.unit import Nameplate, Unit
from zincsmith.procedures.base import Context, Conventions, Procedure, Steps
from zincsmith.procedures.beginning import ALWAYS, open_words, selector_words, stands_words
from zincsmith.procedures.cautions import cautions_for, probing
from zincsmith.procedures.ports import outputs_words
from zincsmith.procedures.safety_checks.options import SafetyOptions

NAME = "safety_checks"
DISCHARGE = (
    "Switch off, unplug, wait, prove dead: test the meter, measure, test the meter.",
    "Loading the output has not emptied the bulk capacitor. Discharge it through a rated resistor, measure again, "
    "leave the clip on.",
    "Local rules and licensed practice come first.",
)


class SafetyChecks(Procedure):
    name = NAME
    title = "Safety checks"
    version = 1
    needs: tuple[str, ...] = ()
    serves = "gates before power: what was seen, terminals, wiring; at the end what has to be restored"
    options = SafetyOptions

    def steps(self, ctx: Context) -> Steps:
        """Before power: records, terminals, wiring. At the end: discharge and restore."""
        unit = ctx.unit
        if ctx.asked(SafetyOptions).restore:
            yield Stage("Discharge and restore", "nothing is live")
            if unit.to_restore:
                things = "; ".join(one.what for one in unit.to_restore)
                lifted = [one.what for one in unit.to_restore if one.effect]
                again = (
                    f" Then bring it up again, from nothing: it ran without {' and '.join(lifted)}." if lifted else ""
                )
                text = f"Discharged first, then put back as it was: {things}.{again}"
                yield Confirm("Put back", text, DISCHARGE, hands_in=True)
            else:
                yield Note("nothing has to be restored")
            return
        yield Stage("Safety gates", "nothing is live")
        missing = missing_records(unit)
        if missing:
            yield Confirm(
                "Safety records",
                f"Not recorded: {', '.join(missing)}. Record them at Nameplate, or go on if whoever is responsible for "
                "this bench has decided that this unit may be powered without.",
                ("These tests are done by whoever is qualified; limits defer to local code.",),
            )
        unchecked = [t.name for t in unit.terminals if t.checked != "measured"]
        if unchecked or not unit.terminals:
            which = ", ".join(unchecked) if unchecked else "the output terminals"
            yield Confirm(
                "Terminals",
                f"Identity and polarity not measured: {which}. Find out before a load or a device is attached; the "
                "load stays off until the output was seen to be right.",
            )
        yield Confirm(
            "Wiring checked",
            f"{stands_words(unit)} The source is wired through the power meter to its input, the "
            f"load to {outputs_words(ctx)} with the voltmeter at the unit's terminals. {selector_words(unit)}"
            f"{open_words(ctx)}"
            "Fuse, emergency stop and cover are in place.",
            (*cautions_for(unit).values(), *probing(ctx.captured), *ALWAYS),
        )

    def tidy(self, ctx: Context) -> Steps:
        """Nothing was switched."""
        yield from ()

    def doubts(self, point: Point) -> list[Doubt]:
        """None: it takes no points."""
        return []

    def findings(self, evidence: Evidence, nameplate: Nameplate, conventions: Conventions) -> list[Finding]:
        """Gates yield no figures; safety records stand with the unit."""
        return []


def missing_records(unit: Unit) -> list[SafetyTest]:
    """The safety tests this unit should have and has not. Earth continuity needs an earth: class I only."""
    mains = any(i.type == "ac" for i in unit.nameplate.inputs)
    double = any(m.strip().upper() in {"II", "CLASS II"} for m in unit.nameplate.marks)
    wanted: list[SafetyTest] = []
    if mains:
        wanted = ["insulation resistance", "touch current"] if double else ["earth continuity", "insulation resistance"]
    return [test for test in wanted if all(r.test != test for r in unit.safety)]


SPEC = SafetyChecks()
