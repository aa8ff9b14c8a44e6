"""The events of the book, one frozen record a kind. They are appended and never changed."""

from __future__ import annotations

from dataclasses import dataclass, field

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
    """A run begins; it cites the document revisions it uses."""

    unit: str
    unit_n: int
    rig_n: int
    plan_n: int
    procedure: str
    procedure_version: int
    operator: str
    ambient_degC: float | None
    auto_gates: bool
    program: str


@dataclass(frozen=True)
class StageBegan:
    title: str
    detail: str


@dataclass(frozen=True)
class Intended:
    """Committed before the command is sent. ``body`` is the action as plain data."""

    action: str
    body: dict[str, float | str | bool | None]


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
    title: str
    text: str
    cautions: tuple[str, ...]


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


@dataclass(frozen=True)
class EntryRefused:
    text: str
    reason: str


@dataclass(frozen=True)
class EntryTaken:
    reading: Reading


@dataclass(frozen=True)
class Waited:
    """A dwell ended."""

    why: str
    after_s: float
    stable: bool | None


@dataclass(frozen=True)
class PointTaken:
    point: Point


@dataclass(frozen=True)
class WatchSet:
    quantity: str
    low: float | None
    high: float | None
    whose: str


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
    text: str


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
class RunClosed:
    """``outcome``: complete, aborted, made safe, tripped, failed or interrupted. ``unconfirmed`` lists what has to
    be switched off by hand."""

    outcome: str
    why: str
    safe: bool
    unconfirmed: tuple[str, ...] = field(default_factory=tuple)


EVENTS = {
    cls.__name__: cls
    for cls in (
        Revised,
        RunOpened,
        StageBegan,
        Intended,
        Effected,
        Polled,
        GateOpened,
        GatePassed,
        EntryAsked,
        EntryRefused,
        EntryTaken,
        Waited,
        PointTaken,
        WatchSet,
        Tripped,
        Failed,
        Noted,
        StateChanged,
        SafeStep,
        RunClosed,
    )
}

Event = (
    Revised
    | RunOpened
    | StageBegan
    | Intended
    | Effected
    | Polled
    | GateOpened
    | GatePassed
    | EntryAsked
    | EntryRefused
    | EntryTaken
    | Waited
    | PointTaken
    | WatchSet
    | Tripped
    | Failed
    | Noted
    | StateChanged
    | SafeStep
    | RunClosed
)
