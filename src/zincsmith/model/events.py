"""The events of the book, one frozen record a kind. They are appended and never changed."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any, get_args

from zincsmith.model.actions import SENSES, SHOWS, TELLS
from zincsmith.model.capture import Cursors
from zincsmith.model.reading import Point, Reading


@dataclass(frozen=True)
class Revised:
    """A document got a new revision, or its head was moved by undo or redo (``moved``)."""

    document: str
    key: str
    n: int
    why: str
    moved: bool = False


@dataclass(frozen=True)
class RunOpened:
    """A run begins; it cites the document revisions it uses, and each procedure with its version, in order."""

    unit: str
    unit_n: int
    rig_n: int
    plan_n: int
    procedures: tuple[tuple[str, int], ...]
    operator: str
    ambient_degC: float | None
    auto_gates: bool
    program: str
    packages: tuple[tuple[str, str, str], ...] = ()  # procedure, package and its version, of those that do not ship
    after_unit: str = ""  # the one before it in a queue: the run begins with the gate at which they are changed over


@dataclass(frozen=True)
class DocumentsBound:
    """The documents that a run cites, bound into its chain: (kind, key, n, SHA-256 of the body as stored)."""

    documents: tuple[tuple[str, str, int, str], ...]


@dataclass(frozen=True)
class RunResumed:
    """A run that had ended early goes on from ``step``; everything before it is kept."""

    operator: str
    ambient_degC: float | None
    step: int
    program: str


@dataclass(frozen=True)
class PartBegan:
    """A procedure of the plan begins; ``part`` counts from 0."""

    part: int
    procedure: str
    version: int


@dataclass(frozen=True)
class PartEnded:
    """``outcome``: complete or skipped. A part without one ended early."""

    part: int
    outcome: str


@dataclass(frozen=True)
class StageBegan:
    title: str
    detail: str


@dataclass(frozen=True)
class Intended:
    """Committed before anything is done about an action. ``body`` is the action as plain data, which resuming compares
    with what the procedure asks for then."""

    action: str
    body: dict[str, Any]


@dataclass(frozen=True)
class Effected:
    """What the instrument reads back after the setting."""

    action: str
    body: dict[str, float | str | bool | None]


@dataclass(frozen=True)
class Polled:
    """All live quantities of one slice; a quantity nobody reads at the moment is absent."""

    values: dict[str, float]
    source_on: bool
    load_on: bool


@dataclass(frozen=True)
class GateOpened:
    """``record_s``: the capture taken last is shown, its first so many seconds at first; 0 for none."""

    title: str
    text: str
    cautions: tuple[str, ...]
    record_s: float = 0.0


@dataclass(frozen=True)
class GatePassed:
    by: str
    automatic: bool


@dataclass(frozen=True)
class EntryAsked:
    """A person is asked to read a meter; the span is what the rehearsal expects."""

    quantity: str
    unit: str
    what: str
    spot: str
    expected_low: float | None
    expected_high: float | None
    setting: str = ""  # function, range and jack that the meter is read on
    against: float | None = None  # the reading that a change may be typed from instead


@dataclass(frozen=True)
class EntryRefused:
    text: str
    reason: str


@dataclass(frozen=True)
class EntryTaken:
    reading: Reading


@dataclass(frozen=True)
class Waited:
    """A dwell ended; ``rises`` counts what it was asked to count."""

    why: str
    after_s: float
    stable: bool | None
    rises: int = 0


@dataclass(frozen=True)
class PointTaken:
    point: Point


@dataclass(frozen=True)
class PointRejected:
    """A person does not trust a point. It stays in the book; findings do without it."""

    part: int
    number: int
    take: int
    reason: str
    by: str


@dataclass(frozen=True)
class CursorsRead:
    """A person's figure off a capture, beside the program's."""

    cursors: Cursors
    by: str


@dataclass(frozen=True)
class EntryCorrected:
    """A person corrects a typed reading; the first value stays in the book."""

    reading: Reading
    first: float | None
    reason: str
    by: str


@dataclass(frozen=True)
class Passed:
    """A step of the plan was skipped by a person, or the whole rest of its part."""

    by: str
    part: bool = False


@dataclass(frozen=True)
class Remarked:
    """What a procedure notes."""

    text: str


@dataclass(frozen=True)
class Reconfigured:
    """The unit is in another configuration from here on; its document got a revision that says so."""

    configuration: str
    changes: str = ""
    restore: str = ""


@dataclass(frozen=True)
class Marked:
    """A moment a person marks, with the conditions of that moment."""

    text: str
    values: dict[str, float]


@dataclass(frozen=True)
class HandSetting:
    """A person is asked to set or switch what the program cannot; the state is that of a gate.

    ``switch_off_at`` says at which readings to switch off first and type later; ``target_V`` is where a source is to be
    set that lands where it lands: the volts reached are typed.
    """

    role: str
    text: str
    switch_off_at: tuple[str, ...] = ()
    target_V: float | None = None
    wants: str = ""  # what is typed, or dropped, instead of a yes


@dataclass(frozen=True)
class HandSet:
    """A person says it is done; ``reached_V`` is where a source landed that was set by hand."""

    role: str
    by: str
    automatic: bool
    reached_V: float | None = None


@dataclass(frozen=True)
class StopRuleMet:
    """What a person typed lies beyond a limit: nothing is raised any further before they decide. ``may_continue`` is
    false for limits of parts and for ceilings."""

    quantity: str
    value: float
    low: float | None
    high: float | None
    whose: str
    may_continue: bool
    words: str


@dataclass(frozen=True)
class Overridden:
    """A person went on beyond a stop rule, for a reason that stands beside every finding of the part."""

    quantity: str
    value: float
    whose: str
    reason: str
    by: str
    part: int


@dataclass(frozen=True)
class SensesAsked:
    """A person is asked what they notice at the live unit; ``of`` what they are asked about, the senses otherwise."""

    title: str
    text: str
    of: tuple[str, ...] = ()


@dataclass(frozen=True)
class SensesTold:
    """What a person noticed; ``observed`` is false where nobody looked."""

    by: str
    observed: bool
    glow: bool = False  # of SENSES
    smell: bool = False
    sound: bool = False
    indicator: bool = False
    light: bool = False  # of TELLS
    tone: bool = False
    display: bool = False
    lit: bool = False  # of SHOWS
    fan: bool = False

    @property
    def noticed(self) -> tuple[str, ...]:
        return tuple(name for name in (*SENSES, *TELLS, *SHOWS) if getattr(self, name))


@dataclass(frozen=True)
class WatchSet:
    quantity: str
    low: float | None
    high: float | None
    whose: str
    count: int = 2
    part: int | None = None  # None: for the whole run
    hard: bool = False


@dataclass(frozen=True)
class Tripped:
    quantity: str
    value: float | None
    low: float | None
    high: float | None
    whose: str


@dataclass(frozen=True)
class Failed:
    """An instrument or the program failed; the text is what the person is told."""

    text: str
    role: str = ""
    address: str = ""


@dataclass(frozen=True)
class Noted:
    """What a person notes, with the conditions of that moment and the hash of a photograph, if there is one."""

    text: str
    values: dict[str, float] = field(default_factory=dict)
    photo: str = ""


@dataclass(frozen=True)
class Retried:
    """An instrument failed and was tried again, as its dialect says."""

    text: str
    role: str
    times: int


@dataclass(frozen=True)
class GuardianSaid:
    """What the guardian did, taken in when the book was next opened, or that it was lost and replaced."""

    text: str
    at: str = ""


@dataclass(frozen=True)
class StateChanged:
    state: str
    why: str


@dataclass(frozen=True)
class SafeStep:
    """One step of making safe: what was done, what the instrument reads back, whether that is as it should be."""

    step: str
    role: str
    readback: str
    confirmed: bool


@dataclass(frozen=True)
class Emptied:
    """How long something took to fall after a switch-off: ``what`` is output or bulk. Later gates wait at least that
    long."""

    what: str
    after_s: float


@dataclass(frozen=True)
class RunClosed:
    """``outcome``: complete, aborted, made safe, tripped, stopped, failed or interrupted.

    ``unconfirmed`` lists what has to be switched off or measured by hand; ``seen`` tells what was seen, a claim each.
    ``safe`` is true when nothing was missing. ``inside`` are the nodes that nobody has seen fall.
    """

    outcome: str
    why: str
    safe: bool
    unconfirmed: tuple[str, ...] = field(default_factory=tuple)
    seen: tuple[str, ...] = field(default_factory=tuple)
    inside: tuple[str, ...] = field(default_factory=tuple)


@dataclass(frozen=True)
class BenchSettled:
    """An earlier run had left the bench not confirmed off: it was made safe after all, or ``by`` says, by name and
    without reaching it, that it is off. ``how`` tells which, and what was seen."""

    run: int
    by: str
    how: str


@dataclass(frozen=True)
class FileTaken:
    """A recorded file was taken in as evidence; the book keeps it under its hash. ``instrument`` recorded it where that
    was none of the rig; ``notes`` tell what was passed over when it was read."""

    name: str
    sha256: str
    holds: str
    instrument: str = ""
    notes: tuple[str, ...] = ()


@dataclass(frozen=True)
class KeptRow:
    """One finding as it was told: figure, conditions and claim in words, value, standard uncertainty, both verdicts."""

    name: str
    conditions: str
    claim: str
    value: float | None
    u: float | None
    verdict: str
    simple: str


@dataclass(frozen=True)
class FindingsKept:
    """The findings of a run as they were told, with what they depend on: judging old evidence again is compared with
    them. ``evidence`` is the hash of the points, ``rules`` are rule sets with theirs, ``versions`` those of the
    procedures."""

    evidence: str
    conventions: dict[str, str]
    rules: tuple[str, ...]
    versions: tuple[tuple[str, int], ...]
    program: str
    rows: tuple[KeptRow, ...]


@dataclass(frozen=True)
class Signed:
    """Somebody answers for the run as it stands; from here on it is amended, never changed."""

    by: str
    evidence: str


@dataclass(frozen=True)
class Amended:
    """What was added after a run was signed."""

    by: str
    text: str


@dataclass(frozen=True)
class DoubtEnded:
    """Somebody has dealt with a doubt: what it says, how it was ended, by which evidence. It stays visible."""

    doubt: str
    how: str
    evidence: str
    by: str


Event = (
    Revised
    | RunOpened
    | DocumentsBound
    | RunResumed
    | PartBegan
    | PartEnded
    | StageBegan
    | Intended
    | Effected
    | Polled
    | GateOpened
    | GatePassed
    | HandSetting
    | HandSet
    | StopRuleMet
    | Overridden
    | SensesAsked
    | SensesTold
    | EntryAsked
    | EntryRefused
    | EntryTaken
    | EntryCorrected
    | Waited
    | PointTaken
    | PointRejected
    | CursorsRead
    | Passed
    | WatchSet
    | Tripped
    | Failed
    | Retried
    | Remarked
    | Reconfigured
    | Noted
    | Marked
    | GuardianSaid
    | StateChanged
    | SafeStep
    | Emptied
    | RunClosed
    | BenchSettled
    | FileTaken
    | FindingsKept
    | Signed
    | Amended
    | DoubtEnded
)
Turn = GateOpened | HandSetting | SensesAsked | StopRuleMet  # what a gate puts to a person
EVENTS: dict[str, type[Event]] = {cls.__name__: cls for cls in get_args(Event)}
