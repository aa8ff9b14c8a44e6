"""One book open for writing: what was left unfinished, and runs begun on it. Shared by window and command line."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from zincsmith import __version__
from zincsmith.bench.bench import Bench
from zincsmith.bench.make_safe import make_safe
from zincsmith.book.writer import BookWriter
from zincsmith.engine.desk import Desk
from zincsmith.engine.journal import Journal
from zincsmith.engine.limits import Limits
from zincsmith.engine.rehearsal import context, rehearse
from zincsmith.engine.runner import Runner
from zincsmith.engine.states import State, allowed
from zincsmith.model.errors import InputError, InstrumentError
from zincsmith.model.events import Failed, RunClosed, RunOpened, StateChanged
from zincsmith.model.plan import Plan
from zincsmith.model.rig import Rig
from zincsmith.model.unit import Unit
from zincsmith.procedures.catalogue import procedure
from zincsmith.suitability.check import refuse_stops


@dataclass(frozen=True)
class Start:
    """What a person states when starting. ``auto_gates``: gates are passed without one, which is recorded."""

    operator: str
    ambient_degC: float
    auto_gates: bool = False


class Session:
    """Opens with the runs that nobody closed marked as interrupted."""

    def __init__(self, book: BookWriter, desk: Desk) -> None:
        self.book, self.desk = book, desk
        self.journal = Journal(book, desk)
        self.interrupted = self._close_interrupted()

    def _close_interrupted(self) -> list[int]:
        """A run without an end was killed. Nobody switched anything off, as far as the book can tell."""
        runs = self.book.unfinished()
        for run in runs:
            why = "the program ended in the middle of the run"
            self.book.append(RunClosed("interrupted", why, False, self._to_switch_off()), run)
            self.book.append(StateChanged(State.NOT_CONFIRMED.value, why), run)
            self.journal.state = State.NOT_CONFIRMED
        return runs

    def _to_switch_off(self) -> tuple[str, ...]:
        rig = self.book.document("rig", "bench")
        assert isinstance(rig, Rig)
        out = []
        for role, what in (("ac_source", "switch it off, or pull its plug"), ("load", "switch its input off")):
            one = rig.instrument(role)
            if one is not None:
                out.append(f"{role.replace('_', ' ')} {one.name}: {what}")
        return tuple(out)

    def run(self, unit_key: str, start: Start, addresses: Mapping[str, str]) -> RunClosed:
        """Run the plan of the book on its rig. InputError, with nothing begun, when it cannot be armed."""
        unit, rig, plan = self._documents(unit_key)
        if not allowed(self.journal.state, "start"):
            raise InputError(f"no run can be started while the bench is {self.journal.state.value}; make it safe first")
        check_start(start)
        rehearse(unit.nameplate, rig, plan, start.ambient_degC)  # refuses what goes beyond a limit
        refuse_stops(unit, rig, plan)
        bench = Bench(rig, addresses)
        one = procedure(plan.procedure)
        opened = RunOpened(
            unit=unit_key,
            unit_n=self.book.head("unit", unit_key) or 0,
            rig_n=self.book.head("rig", "bench") or 0,
            plan_n=self.book.head("plan", "plan") or 0,
            procedure=one.name,
            procedure_version=one.version,
            operator=start.operator,
            ambient_degC=start.ambient_degC,
            auto_gates=start.auto_gates,
            program=f"zincsmith {__version__}",
        )
        self.journal.run, self.journal.step, self.journal.clock = self.book.open_run(opened), None, None
        ctx = context(unit.nameplate, rig, plan)
        limits = Limits.of(unit.nameplate, rig)
        runner = Runner(bench, self.journal, self.desk, limits, ctx, start.ambient_degC, start.operator)
        try:
            return runner.run(one)
        finally:
            self.journal.run = self.journal.step = self.journal.clock = None

    def after_interruption(self, addresses: Mapping[str, str]) -> None:
        """Before a new run on a book whose last run was interrupted: make the bench safe first."""
        if self.journal.state is State.NOT_CONFIRMED and not self.make_safe(addresses):
            raise InputError("the bench could not be confirmed safe after an interrupted run; switch it off by hand")

    def make_safe(self, addresses: Mapping[str, str]) -> bool:
        """Make an idle bench safe; True when everything was read back."""
        rig = self.book.document("rig", "bench")
        assert isinstance(rig, Rig)
        bench = Bench(rig, addresses)
        self.journal.try_become("make safe", "asked for while nothing was running")

        try:
            bench.open_clock()
        except InstrumentError as error:  # what answers is made safe all the same
            self.journal.try_append(Failed(str(error), error.role, error.address))
        safety = make_safe(bench, self.journal.try_append)
        bench.close()
        left = "; ".join(safety.unconfirmed)
        self.journal.try_become("confirmed" if safety.confirmed else "unconfirmed", left or "everything was read back")
        return safety.confirmed

    def _documents(self, unit_key: str) -> tuple[Unit, Rig, Plan]:
        unit = self.book.document("unit", unit_key)
        rig = self.book.document("rig", "bench")
        plan = self.book.document("plan", "plan")
        assert isinstance(unit, Unit)
        assert isinstance(rig, Rig)
        assert isinstance(plan, Plan)
        return unit, rig, plan


def check_start(start: Start) -> None:
    """InputError when operator or ambient make no sense."""
    if not start.operator.strip():
        raise InputError("say who runs it: a run carries its operator", key="operator")
    if not -40.0 <= start.ambient_degC <= 85.0:
        raise InputError(
            f"an ambient of {start.ambient_degC:g} °C is no room; it must lie between −40 and 85 °C", key="ambient"
        )
