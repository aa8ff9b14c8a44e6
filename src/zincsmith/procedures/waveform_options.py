"""How procedures that work on captures are put into a plan."""

from __future__ import annotations

from zincsmith.model.port import ports_of
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.base import fed_by_one_mains
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
        """Beyond files: a bench takes captures of what is fed by one AC input, with a scope."""
        if facts.rig.instrument("scope") is None:
            return "the rig has no scope; record with what is there, and take the file in"
        return fed_by_one_mains(facts.unit.nameplate)


class FromRecords(OnOutputs):
    """So far records are taken in; no bench takes them yet."""

    def unmet(self, facts: Facts) -> str:
        return "so far it is worked out of recorded files; no bench carries it out yet"
