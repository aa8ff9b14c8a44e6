"""How procedures that work on captures are put into a plan."""

from __future__ import annotations

from zincsmith.model.port import ports_of
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.planning import Facts, Planned


class OnOutputs(Planned):
    """Of any unit with an output of direct current."""

    @classmethod
    def suits(cls, plate: Nameplate) -> str:
        given = [p for p in ports_of(plate) if p.side == "out"]
        if not given:
            return "the nameplate states no output yet"
        return "" if any(p.kind == "dc" for p in given) else "no procedure yet for an output that alternates"

    def unmet(self, facts: Facts) -> str:
        return "" if facts.rig.instrument("scope") is not None else "the rig has no scope"


class FromRecords(OnOutputs):
    """So far records are taken in; no bench takes them yet."""

    def unmet(self, facts: Facts) -> str:
        return "so far it is worked out of recorded files; no bench carries it out yet"
