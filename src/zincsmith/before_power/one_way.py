"""What a gate costs that cannot be taken back: claims that are not tested behind it, and the minutes they take now."""

from __future__ import annotations

from collections.abc import Callable, Set

from zincsmith.judge.claims import claims_of
from zincsmith.model.figures import TESTS
from zincsmith.model.plan import Plan
from zincsmith.model.unit import Unit
from zincsmith.procedures.hands_in.options import HandsInOptions
from zincsmith.procedures.hands_in.steps import OPEN_CASE


def one_way_price(unit: Unit, plan: Plan, seconds_to_test: Callable[[Set[str]], float]) -> str:
    """In words, for the gate before the case is opened; empty for a plan that opens none.

    Claims count that a procedure tests which this plan does not carry out before that gate.
    """
    at = next((n for n, p in enumerate(plan.parts) if isinstance(p, HandsInOptions) and p.act == OPEN_CASE), None)
    if at is None:
        return ""
    before = {part.procedure for part in plan.parts[:at]}
    wanted = [c for c in claims_of(unit.nameplate) if TESTS.get(c.procedure) not in {None, *before}]
    if not wanted:
        return "Every claim that a procedure tests is tested before this gate."
    names = "; ".join(dict.fromkeys(f"{c.title} {c.text}" for c in wanted))
    seconds = seconds_to_test({TESTS[c.procedure] for c in wanted})
    cost = f"Testing them now costs about {seconds / 60.0:.0f} min." if seconds else "This rig cannot test them now."
    return f"Cannot be taken back. Behind this gate these are not tested on a closed unit any more: {names}. {cost}"
