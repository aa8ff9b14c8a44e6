"""The way through a plan: its parts one after another, as one stream of actions. Rehearsal and runner follow it."""

from __future__ import annotations

from dataclasses import replace

from zincsmith.model.actions import Action, Begin, Confirm, End, Measure, Outcome, Skipped, Stage
from zincsmith.model.errors import InputError
from zincsmith.model.fed import as_fed
from zincsmith.model.plan import Options, Plan
from zincsmith.model.rig import Rig
from zincsmith.model.unit import Unit, reconfigured
from zincsmith.planning.rig_facts import context
from zincsmith.procedures.base import Context, Steps
from zincsmith.procedures.catalogue import planned, procedure
from zincsmith.procedures.cautions import CAUTIONS
from zincsmith.procedures.planning import FIRST


class StepSequence:
    """``next`` takes what came of the last action and gives the next one, None at the end.

    ``after_unit`` is the one before it
    in a queue. InputError when a procedure does not fit the unit. A part that is skipped is still tidied up.
    """

    def __init__(self, unit: Unit, rig: Rig, plan: Plan, ambient_degC: float = 23.0, after_unit: str = "") -> None:
        plate = as_fed(unit, rig).nameplate
        for options in plan.parts:
            unfit = planned(options).suits(plate)
            if unfit:
                raise InputError(f"{procedure(options.procedure).title}: {unfit}")
        self._steps = _walk(context(unit, rig, ambient_degC), plan.parts, after_unit)
        self._begun = False

    def next(self, answer: Outcome | None = None) -> Action | None:
        try:
            if not self._begun:
                self._begun = True
                return next(self._steps)
            if answer is None:
                raise ValueError("the step sequence waits for what came of the last action")
            return self._steps.send(answer)
        except StopIteration:
            return None


def _walk(ctx: Context, parts: tuple[Options, ...], after_unit: str = "") -> Steps:
    # The safety gates come first, wherever they were put; everything else keeps its order.
    order = sorted(range(len(parts)), key=lambda n: not _gates(parts[n]))
    changing = any(planned(one).becomes for one in parts)
    configuration = ctx.unit.configuration if changing else ""
    for at, n in enumerate(order):
        options = parts[n]
        one = procedure(options.procedure)
        mine = replace(ctx, options=options, before=tuple(parts[m].procedure for m in order[:at]))
        yield Begin(n, one.name, one.version)
        if after_unit and at == 0:
            yield from _change_over(after_unit, ctx.unit)
        whole = yield from _in_configuration(_until_skipped(one.steps(mine)), configuration)
        yield from one.tidy(mine)
        yield End(n, "complete" if whole else "skipped")
        becomes = planned(options).becomes
        if becomes and whole:
            configuration = becomes
            unit = reconfigured(ctx.unit, becomes, getattr(options, "changes", ""), getattr(options, "restore", ""))
            ctx = replace(ctx, unit=unit)


def _change_over(before: str, unit: Unit) -> Steps:
    """The gate between two units of a queue."""
    yield Stage("Change over", f"{before} off, {unit.tag} on; nothing is live")
    name = " ".join(x for x in (unit.maker, unit.model, unit.serial and f"serial {unit.serial}") if x)
    yield Confirm(
        f"Change over to {unit.tag}",
        f"Take {before} off and put {unit.tag} ({name}) in its place: input, load and sense leads as before, polarity "
        "checked. What is read from here on belongs to it.",
        (CAUTIONS["discharge"], CAUTIONS["bulk"]),
        hands_in=True,
    )


def _gates(options: Options) -> bool:
    return planned(options).rank == FIRST


def _in_configuration(steps, configuration: str):  # type: ignore[no-untyped-def]
    """The steps of a part, each of its points said to be of this configuration; as they are where it is empty."""
    answer: Outcome | None = None
    while True:
        try:
            action = steps.send(answer) if answer is not None else next(steps)
        except StopIteration as end:
            return end.value
        if configuration and isinstance(action, Measure):
            action = replace(action, at=replace(action.at, configuration=configuration))
        answer = yield action


def _until_skipped(steps: Steps):  # type: ignore[no-untyped-def]
    answer: Outcome | None = None
    while True:
        try:
            action = steps.send(answer) if answer is not None else next(steps)
        except StopIteration:
            return True
        answer = yield action
        if isinstance(answer, Skipped) and answer.part:
            steps.close()
            return False
