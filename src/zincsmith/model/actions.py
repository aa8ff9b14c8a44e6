"""What a procedure may ask for, and what it hears back. The engine, the rehearsal and tests interpret these."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, get_args

from zincsmith.model.capture import Trigger
from zincsmith.model.operating_point import NOWHERE, LoadLaw, Mode, OperatingPoint
from zincsmith.model.reading import Point

SENSES = ("glow", "smell", "sound", "indicator")  # in the order of their keys
TELLS = ("light", "tone", "display")  # how a unit tells its user something, likewise
SHOWS = ("lit", "fan")  # what it shows while it runs, each asked by itself


@dataclass(frozen=True)
class Begin:
    """A part of the plan begins. Watches of the part before it end."""

    part: int
    procedure: str
    version: int


@dataclass(frozen=True)
class End:
    """A part of the plan is over: complete, or skipped by a person."""

    part: int
    outcome: str = "complete"


@dataclass(frozen=True)
class Stage:
    """A named stretch of the plan begins."""

    title: str
    detail: str = ""


@dataclass(frozen=True)
class Confirm:
    """A gate: a person has to have done or checked something before the plan goes on. With ``record_s`` the capture
    taken last is what is to be looked at, its first so many seconds at first."""

    title: str
    text: str
    cautions: tuple[str, ...] = ()
    hands_in: bool = False  # hands go to the unit or its leads: not before what was charged has had time to empty
    record_s: float = 0.0


@dataclass(frozen=True)
class Reconfigure:
    """The unit has been changed, as was confirmed at the gate before: from here on it is in another configuration.
    ``restore`` is what has to be put back in the end, if anything has."""

    configuration: str
    changes: str = ""
    restore: str = ""


@dataclass(frozen=True)
class Observe:
    """A gate at which a person says what they see, smell and hear; the unit is live meanwhile. ``of`` is what they are
    asked about, by name: TELLS is how a unit tells its user something, which ends no run, SENSES otherwise."""

    title: str
    text: str
    of: tuple[str, ...] = ()


@dataclass(frozen=True)
class Dip:
    """The source goes to ``voltage_V`` rms, up or down, for so long, and back by itself."""

    voltage_V: float
    seconds: float


@dataclass(frozen=True)
class SetSource:
    """The source at an input: V rms, Hz, output on or off; ``phase_deg`` is where in its period that happens, None
    wherever it happens to; ``dip``: it stays on, and its volts go away for a moment."""

    voltage_V: float
    frequency_Hz: float
    on: bool
    port: str = ""
    phase_deg: float | None = None
    dip: Dip | None = None


@dataclass(frozen=True)
class Pulses:
    """What a load switch adds to a load, ``rate_Hz`` times a second for ``duty`` of the time: about ``current_A``."""

    current_A: float
    rate_Hz: float
    duty: float


@dataclass(frozen=True)
class SetLoad:
    """The load at an output, input on or off: the current it is to take, and by which law. ``level`` is what it is set
    to where that is not the current itself, in ohm, V or W; ``pulses`` what a load switch beside it adds. ``beyond``:
    the share of its rating that this may go to, where a procedure is about going beyond it; ``shorted``: the load's own
    short input, ``current_A`` then is what the load has to stand. ``next_A``: what comes next where it holds this, for
    people to see beforehand."""

    current_A: float
    on: bool
    port: str = ""
    law: LoadLaw = "CC"
    level: float | None = None
    pulses: Pulses | None = None
    beyond: float = 0.0
    shorted: bool = False
    next_A: float | None = None

    @property
    def set_to(self) -> float:
        """In the unit of its law."""
        return self.current_A if self.level is None else self.level


@dataclass(frozen=True)
class ChooseMode:
    """A port that can work in several modes is asked for one, by its name; UNPLUGGED: what asks is taken off it;
    HARD_RESET: what asks makes it start anew. An output that can be set is set: by the sink at it, by the unit's own
    interface, or by a person at its knobs."""

    mode: Mode
    port: str = ""


@dataclass(frozen=True)
class Dwell:
    """Wait ``seconds``; then, with ``quantity`` given, until it drifts less than ``percent`` over ``window_s``
    or until ``at_most_s`` have passed in all. With ``below``, until the quantity is below that.

    With ``rises_above`` the times that ``rising`` climbs above it are counted, polled every ``period_s``.
    ``warms`` marks a warm-up, which has to be made up for when a run is resumed. ``origin``: what the unit does from
    here on depends on the way it came, to the end of the stage; nobody jumps in, each setting is gone through again.
    """

    seconds: float
    why: str
    quantity: str | None = None
    percent: float = 0.0
    window_s: float = 0.0
    at_most_s: float = 0.0
    below: float | None = None
    rising: str | None = None
    rises_above: float = 0.0
    period_s: float | None = None
    warms: bool = False
    origin: bool = False


@dataclass(frozen=True)
class WantedChannel:
    """A channel of a capture, by the address of its quantity: ``span`` from end to end of the range, around ``centre``,
    in its unit."""

    address: str
    span: float
    centre: float = 0.0
    coupling: Literal["DC", "AC"] = "DC"


@dataclass(frozen=True)
class Capturing:
    """What a scope is to record: ``samples`` over ``seconds``, the share ``before`` of them ahead of the trigger.

    With ``then`` the scope is armed first, and what happens is that setting: a step of the load, the source that comes
    or goes, a port that is asked for another mode. ``first`` stands before it for ``first_s``. ``look`` takes a first
    record to choose the span by. ``of`` is the procedure whose figures it is for, ``said`` what was chosen where
    schools differ. ``works_out`` names figures and facts that what follows goes by: worked out at once, they are kept
    with the capture. ``why`` says what span and rate are for. ``logged``: no scope, but what was polled since the stage
    began.
    """

    of: str
    channels: tuple[WantedChannel, ...]
    seconds: float
    samples: int
    before: float = 0.0
    trigger: Trigger | None = None
    first: SetSource | SetLoad | ChooseMode | None = None
    first_s: float = 0.0
    then: SetSource | SetLoad | ChooseMode | None = None
    look: bool = False
    bandwidth_Hz: float | None = None
    said: tuple[tuple[str, str], ...] = ()
    works_out: tuple[str, ...] = ()
    why: str = ""
    logged: bool = False


@dataclass(frozen=True)
class Measure:
    """Average every quantity over ``over_s``, each given by its address; those read by hand are asked for. With
    ``record_s`` volts and amps of the input are then recorded that long, with ``capture`` the scope records.
    ``from_zero``: nobody knows whether it runs; what lies between zero and what is expected is no slip of a hand.
    ``likely`` is what a rehearsal reads of quantities that neither unit nor load tells, by address."""

    quantities: tuple[str, ...]
    over_s: float
    at: OperatingPoint = NOWHERE
    record_s: float = 0.0
    capture: Capturing | None = None
    from_zero: bool = False
    likely: tuple[tuple[str, float], ...] = ()


@dataclass(frozen=True)
class Watch:
    """From now on, to the end of the part: make safe when ``quantity`` leaves [low, high] on ``count`` polls in a row.

    A watch of the same ``quantity`` and ``whose`` takes the place of the earlier one. ``fed``: only while the input is
    on.
    """

    quantity: str
    low: float | None
    high: float | None
    whose: str  # where the limit comes from
    count: int = 2
    hard: bool = False  # of a part, or a ceiling: nobody goes on beyond it, whatever the reason
    fed: bool = False


@dataclass(frozen=True)
class Note:
    text: str


@dataclass(frozen=True)
class Stop:
    """The procedure ends the run, safe, for a reason found on the unit."""

    why: str


Action = (
    Begin
    | End
    | Stage
    | Confirm
    | Reconfigure
    | Observe
    | SetSource
    | SetLoad
    | ChooseMode
    | Dwell
    | Measure
    | Watch
    | Note
    | Stop
)
ACTIONS: dict[str, type[Action]] = {c.__name__: c for c in get_args(Action)}


@dataclass(frozen=True)
class Done:
    """The action was carried out."""


@dataclass(frozen=True)
class Settled:
    """A dwell ended after ``after_s``; ``stable`` is False when the ceiling ended it, None when not asked.

    ``rises`` counts what the dwell was asked to count.
    """

    stable: bool | None
    after_s: float
    rises: int = 0


@dataclass(frozen=True)
class Measured:
    point: Point


@dataclass(frozen=True)
class Reached:
    """A source that a person sets stands where it landed, in V."""

    voltage_V: float


@dataclass(frozen=True)
class Noticed:
    """What a person noticed of what they were asked about; None: nobody looked."""

    names: tuple[str, ...] | None


@dataclass(frozen=True)
class Skipped:
    """A person went on without it; ``part``: without the rest of this part of the plan."""

    part: bool = False


Outcome = Done | Settled | Measured | Reached | Noticed | Skipped
