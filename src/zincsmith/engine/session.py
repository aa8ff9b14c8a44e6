"""One book open for writing: what was left unfinished, and runs begun on it. Shared by window and command line."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from itertools import pairwise

from zincsmith import __version__
from zincsmith.bench.bench import Bench
from zincsmith.bench.link import warm_up
from zincsmith.bench.make_safe import make_safe
from zincsmith.bench.roles import to_switch_off
from zincsmith.bench.signs import Seen, seen_of
from zincsmith.book.reader import BookReader, RunRow
from zincsmith.book.writer import BookWriter
from zincsmith.engine.event_log import EventLog
from zincsmith.engine.known_bench import confirm, refuse_unknown
from zincsmith.engine.operator_interface import OperatorInterface
from zincsmith.engine.replay import Replayed, as_left, replay, typed_readings
from zincsmith.engine.runner import BugInRun, Runner
from zincsmith.guard.sleep_inhibitor import SleepInhibitor
from zincsmith.guard.watch_over import Found, Guard, GuardLost, NoGuard, takeover_of
from zincsmith.model.errors import InputError, InstrumentError
from zincsmith.model.events import (
    BenchSettled,
    Effected,
    Emptied,
    Failed,
    Polled,
    Remarked,
    RunClosed,
    RunOpened,
    RunResumed,
    Signed,
)
from zincsmith.model.plan import Plan
from zincsmith.model.port import UNPLUGGED, output_volts
from zincsmith.model.rig import Rig
from zincsmith.model.states import RESUMABLE, UNSAFE, State, allowed
from zincsmith.model.unit import Unit
from zincsmith.planning.limits import Limits, whole_run
from zincsmith.planning.rehearsal import rehearse
from zincsmith.planning.rig_facts import context, source_kind
from zincsmith.planning.step_sequence import StepSequence
from zincsmith.procedures.catalogue import packages_of, procedure
from zincsmith.procedures.planning import Planned
from zincsmith.suitability.check import refuse_stops

NOBODY = "unnamed"
BYTES_A_SECOND = 2000.0  # of bench time; a run on the stand-in writes a quarter of that
RESERVE_BYTES = 20e6
SLOW_S, HOPELESS_S = 0.1, 2.0  # of one commit


class NotSettled(InputError):
    """An earlier run's bench has not been confirmed to be off: nothing else is begun."""


@dataclass(frozen=True)
class Start:
    """What a person states when starting. ``auto_gates``: gates are passed without one, which is recorded.

    ``unattended``: the run goes on when the window is gone, as far as the program can switch everything.
    ``confirmed``: this person confirms the addresses that the rig names, before anything is sent to them.
    ``answers`` names the file that answers come from, if they do.
    """

    operator: str
    ambient_degC: float
    auto_gates: bool = False
    unattended: bool = False
    confirmed: bool = False
    answers: str = ""


def beyond_the_rating(plan: Plan) -> str:
    """The first procedure of a plan that nobody leaves alone; empty where there is none."""
    return next((p.procedure.replace("_", " ") for p in plan.parts if isinstance(p, Planned) and p.attended), "")


class Session:
    """Opens with the runs that nobody closed marked as interrupted, and with what a guardian did taken in.

    ``guard`` is started with each run and makes the bench safe when this process dies.
    """

    def __init__(self, book: BookWriter, operator_interface: OperatorInterface, guard: Guard | None = None) -> None:
        self.book, self.operator_interface = book, operator_interface
        self.guard: Guard = guard or NoGuard()
        self.event_log = EventLog(book, operator_interface)
        self.sleep_inhibitor = SleepInhibitor()
        self.missing = ""
        self._commit_s = 0.0
        self.interrupted = self._close_interrupted()
        self.left = self._left()

    def _close_interrupted(self) -> list[int]:
        """A run without an end was killed. The guardian's record says whether anybody switched off."""
        runs = self.book.unfinished()
        taken_over = takeover_of(self.book.path)
        for run in runs:
            self.event_log.run = run
            if taken_over is not None and taken_over.run in (run, 0):
                self._take_in(taken_over, f"the program ended in the middle of the run: {taken_over.why}")
            else:
                why = "the program ended in the middle of the run"
                with BookReader(self.book.path) as reader:
                    rig = reader.rig(reader.run(run).rig_n)
                self.event_log.append(RunClosed("interrupted", why, False, to_switch_off(rig)))
                self.event_log.become("found interrupted", why)
            if run != runs[-1]:
                self.event_log.state = State.IDLE
        self.event_log.run = None
        if taken_over is not None:
            taken_over.take_away()
        return runs

    def _take_in(self, found: Found, why: str) -> RunClosed:
        """What a guardian did becomes the end of the run that it watched over."""
        closed = RunClosed("interrupted", why, found.safe, found.unconfirmed, found.seen)
        self.event_log.append(*found.events, closed)
        self.event_log.become("found taken over" if found.safe else "found unconfirmed", why)
        return closed

    def _left(self) -> RunRow | None:
        """The run that left a bench behind which nobody has read back, or said by name, to be off; None: none did.

        Only the latest run can have: no other begins before that is settled.
        """
        with BookReader(self.book.path) as reader:
            runs = reader.runs()
            if not runs:
                return None
            ends = (RunClosed, BenchSettled, RunResumed)
            last = [w.event for w in reader.events(run=runs[-1].id, kinds=ends)][-1:]
        if not last or not isinstance(last[0], RunClosed) or last[0].safe:
            return None
        if self.event_log.state is State.IDLE:  # left behind by an earlier session: nothing has changed since
            self.event_log.state = State.NOT_CONFIRMED
        return runs[-1]

    # Runs

    def run(self, unit_key: str, start: Start, addresses: Mapping[str, str]) -> RunClosed:
        """Run the plan of the book on its rig; then, as long as every run comes to its end and the bench is confirmed
        off, with each unit that the plan names after it. Returns how the last run ended. InputError, with nothing
        begun, when it cannot be armed, or the plan cannot be carried out with one of these units."""
        _, rig, plan = self._documents(unit_key)
        queue = [tag for tag in plan.then_units if tag != unit_key]
        for tag in queue:
            if self.book.head("unit", tag) is None:
                raise InputError(f"the plan goes on with {tag}, and the book holds no such unit", key="then_units")
            self._refuse("start", self._documents(tag)[0], rig, plan, start)
        closed = self._run_one(unit_key, start, addresses)
        for before, tag in pairwise([unit_key, *queue]):
            if closed.outcome != "complete" or not closed.safe:
                break
            closed = self._run_one(tag, start, addresses, before)
        return closed

    def _run_one(self, unit_key: str, start: Start, addresses: Mapping[str, str], after_unit: str = "") -> RunClosed:
        unit, rig, plan = self._documents(unit_key)
        self._refuse("start", unit, rig, plan, start)
        opened = RunOpened(
            unit=unit_key,
            unit_n=self.book.head("unit", unit_key) or 0,
            rig_n=self.book.head("rig", "bench") or 0,
            plan_n=self.book.head("plan", "plan") or 0,
            procedures=tuple((one.name, one.version) for one in (procedure(p.procedure) for p in plan.parts)),
            operator=start.operator,
            ambient_degC=start.ambient_degC,
            auto_gates=start.auto_gates,
            program=f"zincsmith {__version__}",
            packages=packages_of(plan.parts),
            after_unit=after_unit,
        )
        step_sequence = StepSequence(unit, rig, plan, start.ambient_degC, after_unit)
        bench = self._bench(rig, addresses, unit)
        run = self.book.open_run(opened)
        self.event_log.run, self.event_log.step, self.event_log.clock = run, None, None
        return self._carry_out(run, bench, unit, rig, plan, start, step_sequence, None)

    def resume(self, run: int | None, start: Start, addresses: Mapping[str, str]) -> RunClosed:
        """Go on with a run that ended early, the latest unless told, where its book says that it stopped.

        InputError, with nothing begun, when it is complete, or unit, rig, plan or a procedure have changed since.
        """
        with BookReader(self.book.path) as reader:
            row = reader.run(run)
            opened = reader.opened(row.id)
            if row.outcome not in RESUMABLE or row.id != reader.run().id:
                raise InputError(f"run {row.id} cannot be resumed: only the latest run, when it ended early, can be")
            if any(True for _ in reader.events(run=row.id, kinds=(Signed,))):
                raise InputError(f"run {row.id} is signed: it is amended, never changed. Begin a new run")
            changed = reader.unit(row.unit) == as_left(reader, row)  # what the run itself has made of it is no edit
            heads = (
                row.unit_n if changed else self.book.head("unit", row.unit), self.book.head("rig", "bench"),
                self.book.head("plan", "plan"),
            )  # fmt: skip
            for was, now, what in zip((row.unit_n, row.rig_n, row.plan_n), heads, ("unit", "rig", "plan"), strict=True):
                if was != now:
                    raise InputError(f"run {row.id} cannot be resumed: the {what} was edited since; undo that, or begin"
                                     " a new run")  # fmt: skip
            unit, rig, plan = reader.unit(row.unit, row.unit_n), reader.rig(row.rig_n), reader.plan(row.plan_n)
            self._refuse("resume run", unit, rig, plan, start)
            room = opened.ambient_degC if opened.ambient_degC is not None else start.ambient_degC
            step_sequence = StepSequence(unit, rig, plan, room, opened.after_unit)
            stands = replay(reader, row.id, step_sequence)
            stands.typed = typed_readings(reader, row.id)
            stands.bench_s = max((w.bench_s or 0.0 for w in reader.events(run=row.id, kinds=(Polled,))), default=0.0)
        bench = self._bench(rig, addresses, unit)
        self.event_log.run, self.event_log.step, self.event_log.clock = row.id, None, None
        self.event_log.append(RunResumed(start.operator, start.ambient_degC, stands.step, f"zincsmith {__version__}"))
        return self._carry_out(row.id, bench, unit, rig, plan, start, step_sequence, stands)

    def _refuse(self, do: str, unit: Unit, rig: Rig, plan: Plan, start: Start) -> None:
        if not allowed(self.event_log.state, do):
            raise InputError(
                f"no run can be started while the bench is {self.event_log.state.value}; make it safe first"
            )
        check_start(start)
        real = [i for i in rig.instruments if i.how == "connected"]
        if real and start.operator == NOBODY:
            raise InputError(
                f"the {real[0].role.replace('_', ' ')} at {real[0].address} is a real instrument: say who runs it",
                key="operator",
            )
        beyond = beyond_the_rating(plan)
        if start.auto_gates and beyond and rig.clock != "simulated":
            raise InputError(
                f"{beyond} goes beyond the rating of the unit: somebody stays with it and passes its gates",
                key="yes",
            )
        if start.confirmed:
            confirm(rig, start.operator)
        refuse_unknown(rig)
        itinerary = rehearse(unit, rig, plan, start.ambient_degC)  # refuses what goes beyond a limit
        refuse_stops(unit, rig, plan)
        self._refuse_disk(itinerary.most_s)

    def _refuse_disk(self, seconds: float) -> None:
        """A run needs room for its events, and a disk that keeps up with the watches."""
        wanted, free = seconds * BYTES_A_SECOND + RESERVE_BYTES, self.book.free_bytes()
        if free < wanted:
            raise InputError(
                f"{free / 1e6:.0f} MB are left on the disk of the book, this run may need {wanted / 1e6:.0f} MB: free "
                "some space or move the book"
            )
        self._commit_s = self.book.commit_s()
        if self._commit_s > HOPELESS_S:
            raise InputError(
                f"one commit takes {self._commit_s:.1f} s on the disk of the book: watches could not act in time; move "
                "it to a quicker disk"
            )

    def _bench(self, rig: Rig, addresses: Mapping[str, str], unit: Unit) -> Bench:
        return Bench(
            rig, addresses, self.guard.beat, self.guard.is_there, output_volts(unit.nameplate), unit.nameplate.nodes
        )

    def _carry_out(
        self,
        run: int,
        bench: Bench,
        unit: Unit,
        rig: Rig,
        plan: Plan,
        start: Start,
        step_sequence: StepSequence,
        stands: Replayed | None,
    ) -> RunClosed:
        known = context(unit, rig)
        runner = Runner(
            bench,
            self.event_log,
            self.operator_interface,
            Limits.of(unit, rig, start.ambient_degC),
            unit,
            start.ambient_degC,
            start.operator,
            whole_run(unit, rig, plan, known.polled, known.measured),
            stands.bench_s if stands is not None else 0.0,
        )
        alone = start.unattended and source_kind(rig) == "settable" and not rig.by_hand("load")
        # A simulated bench counts as attended; a real one is left by nobody while its unit is overloaded.
        runner.operator.unattended = alone and (rig.clock == "simulated" or not beyond_the_rating(plan))
        try:
            if self._commit_s > SLOW_S:
                words = f"One commit takes {self._commit_s:.2f} s on the disk of the book: polls and watches come that"
                self.event_log.append(Remarked(f"{words} much later. A quicker disk is better."))
            if start.answers:
                self.event_log.append(Remarked(f"Answers come from a file: {start.answers}."))
            if rig.clock != "simulated" and (asleep := self.sleep_inhibitor.hold()):
                self.event_log.append(Remarked(asleep))
            warm_up()
            self.guard.begin(self.book.path, run, bench, self.event_log.try_append, output_volts(unit.nameplate))
            self.event_log.busy = self.guard.busy
            closed = runner.run(step_sequence, stands)
            self.guard.end()  # only once make-safe has returned
        except GuardLost as error:  # only from its start: once it runs, the runner deals with its loss
            closed = RunClosed("failed", str(error), True)
            self.event_log.append(Failed(str(error), error.role, error.address), closed)
            self.guard.end()
        except BugInRun as bug:
            self.guard.end()
            closed = bug.closed
            raise
        except BaseException as error:  # make-safe itself went wrong: the guardian does it instead
            closed = self._handed_over(bench, rig, error)
            raise BugInRun(closed) from error
        finally:
            self.sleep_inhibitor.release()
            self.event_log.busy = lambda _what, _at_most_s: None
            self.event_log.run = self.event_log.step = self.event_log.clock = None
            self.left = self._left()
        return closed

    def _handed_over(self, bench: Bench, rig: Rig, error: BaseException) -> RunClosed:
        """The way to safety did not come to its end: whoever watches over it goes it instead, and that is the end."""
        why = f"a bug in the program, while the bench was made safe ({type(error).__name__}: {error})"
        bench.close()
        took_over = self.guard.hand_over(why)
        found = takeover_of(self.book.path) if took_over else None
        self.event_log.state = State.IDLE
        if found is None or found.run not in (self.event_log.run, 0):
            closed = RunClosed("failed", why, False, to_switch_off(rig))
            self.event_log.try_append(closed)
            self.event_log.state = State.NOT_CONFIRMED
            return closed
        closed = self._take_in(found, why)
        found.take_away()
        return closed

    # At rest

    def after_interruption(self, addresses: Mapping[str, str]) -> None:
        """Before a new run on a book whose last run left a bench behind that nobody has read back: that bench, not the
        one of the new run, is made safe first. InputError when it cannot be, or its addresses were never confirmed."""
        if self.event_log.state not in UNSAFE or self.make_safe(addresses, said=""):
            return
        raise NotSettled(
            f"the bench of run {self.left.id if self.left else '?'} could not be confirmed to be off: {self.missing}. "
            "Switch it off by hand, and say by name that it is off"
        )

    def settle(self, by: str) -> None:
        """Somebody says by name that a bench is off which the program cannot reach any more; that stands in the book.
        InputError without a name, or when nothing is to be settled."""
        if not by.strip() or by == NOBODY:
            raise InputError("whoever says that the bench is off gives a name", key="by")
        if self.left is None:
            raise InputError("no earlier run has left a bench behind")
        how = "it was not reached again; said by a person"
        self.event_log.append_to(self.left.id, BenchSettled(self.left.id, by.strip(), how))
        self.event_log.try_become("make safe", f"{by.strip()} says that it is off")
        self.event_log.try_become("confirmed", f"{by.strip()} says that it is off")
        self.left = None

    def make_safe(self, addresses: Mapping[str, str], said: str = "said by whoever pressed Make safe") -> bool:
        """Make an idle bench safe; True when everything was read back.

        ``said`` confirms what only a person can switch off: pressing Make safe does. Empty: nobody was there to.
        The bench is that of the run which left one behind, with what that run saw of its signs, else the present one.
        """
        rig, seen = self._to_make_safe()
        refuse_unknown(rig)
        if rig.clock == "simulated" and "clock" not in addresses:  # its stand-in ended with the program that began it
            self._settled("its stand-in bench ended with the program that had started it")
            return True
        bench = Bench(rig, addresses, guarded=True)  # switching off needs nobody to watch over it
        if seen is not None:
            bench.seen = seen
        self.event_log.try_become("make safe", "asked for while nothing was running")
        try:
            bench.open_clock()
        except InstrumentError as error:  # what answers is made safe all the same
            self.event_log.try_append(Failed(str(error), error.role, error.address))
        safety = make_safe(bench, self.event_log.try_append, lambda _role, _words: said)
        bench.close()
        self.missing = "; ".join(safety.unconfirmed)
        seen_words = "; ".join(safety.seen)
        self.event_log.try_become("confirmed" if safety.confirmed else "unconfirmed", self.missing or seen_words)
        if safety.confirmed and self.left is not None:
            self.event_log.append_to(self.left.id, BenchSettled(self.left.id, said, f"made safe later: {seen_words}"))
            self.left = None
        return safety.confirmed

    def _settled(self, how: str) -> None:
        self.event_log.try_become("make safe", how)
        self.event_log.try_become("confirmed", how)
        if self.left is not None:
            self.event_log.append_to(self.left.id, BenchSettled(self.left.id, "", how))
            self.left = None

    def _to_make_safe(self) -> tuple[Rig, Seen | None]:
        """The rig to be made safe, and what its run saw of its signs."""
        if self.left is None:
            return self.book.rig(), None
        with BookReader(self.book.path) as reader:
            rig = reader.rig(self.left.rig_n)
            seen = seen_of(rig, output_volts(reader.unit(self.left.unit, self.left.unit_n).nameplate))
            bare: set[str] = set()
            for written in reader.events(run=self.left.id, kinds=(Polled, Emptied, Effected)):
                match written.event:
                    case Polled(values, source_on):
                        if source_on:
                            seen.feeds(output_due=False)
                        seen.observe(written.bench_s or 0.0, values, source_on, bare)
                    case Effected("ChooseMode", body):
                        port = str(body.get("port", ""))
                        nothing = body.get("mode") == UNPLUGGED or body.get("on") is False
                        (bare.add if nothing else bare.discard)(port)
                    case Emptied("output", after_s):
                        seen.emptied_s = max(seen.emptied_s or 0.0, after_s)
                    case _:
                        pass
        return rig, seen

    def _documents(self, unit_key: str) -> tuple[Unit, Rig, Plan]:
        return self.book.unit(unit_key), self.book.rig(), self.book.plan()


def check_start(start: Start) -> None:
    """InputError when operator or ambient make no sense."""
    if not start.operator.strip():
        raise InputError("say who runs it: a run carries its operator", key="operator")
    if not -40.0 <= start.ambient_degC <= 85.0:
        raise InputError(
            f"an ambient of {start.ambient_degC:g} °C is no room; it must lie between −40 and 85 °C", key="ambient"
        )
