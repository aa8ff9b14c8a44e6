"""What a person may ask of the engine, by wire from a window or by hand at a terminal: one record a command.

``do`` is its name in the table of states (``model/states.py``) and on the wire. To add one: its record here, and its
handler where it is obeyed (``engine/service.py`` at rest, ``engine/operator.py`` in a run).
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import ClassVar

from zincsmith.model.capture import Cursors
from zincsmith.model.plan import Line


@dataclass(frozen=True)
class FileRequest:
    """What a person says about a file: what it holds (``kind``), ``line`` and ``load_percent`` where it does not say
    them itself, ``instrument`` where it was recorded by something that is not on the rig, columns by their heads."""

    kind: str
    files: tuple[Path, ...]
    operator: str
    ambient_degC: float | None = None
    line: Line | None = None
    load_percent: float = 100.0
    instrument: str = ""
    accuracy: Path | None = None
    time: str = "time_s"
    voltage: str = "voltage_V"
    current: str = "current_A"
    power: str = "power_W"
    called: Mapping[str, str] = field(default_factory=dict)  # what is wanted -> the head that a person said it has
    input: str = "input_V"
    output: str = "output_V"
    port: str = ""  # the output that was recorded, of several
    background: Path | None = None  # of ripple, with the unit off
    choices: Mapping[str, str] = field(default_factory=dict)  # of a capture, where schools differ: see Capture.said


@dataclass(frozen=True)
class Command:
    """Something asked of the engine."""

    do: ClassVar[str] = ""


@dataclass(frozen=True)
class Here(Command):
    """The window's event loop goes round."""

    do: ClassVar[str] = "here"


@dataclass(frozen=True)
class Gone(Command):
    """Nobody is left to ask; never sent, but noticed."""

    do: ClassVar[str] = "gone"
    why: str = ""


# Documents, at any time


@dataclass(frozen=True)
class DocumentCommand(Command):
    """Something done to a document of the book; answered once each."""


@dataclass(frozen=True)
class Revise(DocumentCommand):
    """``body`` is the record as JSON."""

    do: ClassVar[str] = "revise"
    document: str
    key: str
    body: str
    why: str = "edited"


@dataclass(frozen=True)
class Choose(DocumentCommand):
    do: ClassVar[str] = "choose"
    document: str
    key: str


@dataclass(frozen=True)
class Undo(DocumentCommand):
    do: ClassVar[str] = "undo"
    document: str
    key: str


@dataclass(frozen=True)
class Redo(DocumentCommand):
    do: ClassVar[str] = "redo"
    document: str
    key: str


@dataclass(frozen=True)
class KeepPhoto(DocumentCommand):
    """A prepared photograph waits in ``file``, which is removed once it is in the book; its size in pixels."""

    do: ClassVar[str] = "photo"
    file: Path
    sha256: str
    type: str
    width: int
    height: int


# At rest


@dataclass(frozen=True)
class StartRun(Command):
    do: ClassVar[str] = "start"
    unit: str
    operator: str
    ambient_degC: float
    unattended: bool = False


@dataclass(frozen=True)
class ResumeRun(Command):
    do: ClassVar[str] = "resume run"
    operator: str
    ambient_degC: float
    unattended: bool = False


@dataclass(frozen=True)
class Settle(Command):
    """Somebody says by name that a bench left behind is off."""

    do: ClassVar[str] = "settle"
    by: str


@dataclass(frozen=True)
class TryInstrument(Command):
    do: ClassVar[str] = "try"
    role: str


@dataclass(frozen=True)
class Scan(Command):
    """``hosts`` as typed: names with ports, or nothing for what is at this computer."""

    do: ClassVar[str] = "scan"
    hosts: str


@dataclass(frozen=True)
class TakeIn(Command):
    do: ClassVar[str] = "take in"
    unit: str
    request: FileRequest


@dataclass(frozen=True)
class AnswerFor(Command):
    """Somebody answers for a run by name."""

    run: int
    by: str


@dataclass(frozen=True)
class Sign(AnswerFor):
    """``kept``: the findings as shown, as JSON."""

    do: ClassVar[str] = "sign"
    kept: str


@dataclass(frozen=True)
class Amend(AnswerFor):
    do: ClassVar[str] = "amend"
    text: str


@dataclass(frozen=True)
class EndDoubt(AnswerFor):
    do: ClassVar[str] = "end doubt"
    doubt: str
    how: str
    evidence: str


@dataclass(frozen=True)
class ReadCursors(AnswerFor):
    """A figure off a capture, of the run under way or of one that ended and is not signed."""

    do: ClassVar[str] = "read cursors"
    cursors: Cursors


# In a run


@dataclass(frozen=True)
class MakeSafe(Command):
    do: ClassVar[str] = "make safe"
    why: str = "the operator pressed Make safe"


@dataclass(frozen=True)
class Abort(Command):
    do: ClassVar[str] = "abort"
    why: str = "aborted by the operator"


@dataclass(frozen=True)
class Pause(Command):
    do: ClassVar[str] = "pause"


@dataclass(frozen=True)
class Resume(Command):
    do: ClassVar[str] = "resume"


@dataclass(frozen=True)
class SkipStep(Command):
    do: ClassVar[str] = "skip"


@dataclass(frozen=True)
class SkipPart(Command):
    do: ClassVar[str] = "skip part"


@dataclass(frozen=True)
class Note(Command):
    """``photo``: the digest of one that goes with it."""

    do: ClassVar[str] = "note"
    text: str
    photo: str = ""


@dataclass(frozen=True)
class Mark(Command):
    do: ClassVar[str] = "mark"
    text: str = ""


@dataclass(frozen=True)
class Repeat(Command):
    """``point`` 0: the latest."""

    do: ClassVar[str] = "repeat"
    reason: str
    point: int = 0


@dataclass(frozen=True)
class Reject(Command):
    """``point`` 0: the latest."""

    do: ClassVar[str] = "reject"
    reason: str
    point: int = 0


@dataclass(frozen=True)
class Correct(Command):
    """A typed reading, by its id, should have been ``text``."""

    do: ClassVar[str] = "correct"
    reading: str
    text: str
    reason: str


# Asked for


@dataclass(frozen=True)
class Pass(Command):
    """``text`` where the gate asks for volts; ``senses`` what was noticed, None when nobody looked; ``of`` the event
    that is answered, 0 for whatever is asked: a key that was pressed twice answers nothing that came after."""

    do: ClassVar[str] = "pass"
    text: str = ""
    senses: Mapping[str, bool] | None = None
    automatic: bool = False
    of: int = 0


@dataclass(frozen=True)
class Enter(Command):
    """A reading as typed; ``of`` as with a gate."""

    do: ClassVar[str] = "enter"
    text: str
    of: int = 0


@dataclass(frozen=True)
class GoDown(Command):
    """At a stop rule: go down and switch off."""

    do: ClassVar[str] = "go down"


@dataclass(frozen=True)
class Mistyped(Command):
    do: ClassVar[str] = "mistyped"


@dataclass(frozen=True)
class GoOn(Command):
    """Beyond a stop rule, with the reason; ``of`` as with a gate."""

    do: ClassVar[str] = "continue"
    reason: str
    of: int = 0


def answers(command: Pass | Enter | GoOn, asked: int) -> bool:
    """Whether it is about what is asked now, an event by its number; 0 where that is not known."""
    return not asked or command.of in (0, asked)


def _named(of: type[Command]) -> dict[str, type[Command]]:
    below = {name: kind for one in of.__subclasses__() for name, kind in _named(one).items()}
    return {of.do: of, **below} if of.do else below


COMMANDS: Mapping[str, type[Command]] = _named(Command)
