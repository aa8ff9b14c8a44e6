"""What a package of one's own may use to bring a procedure along; the rest of the program may change at any time.

A package names its procedure in the entry point group ``zincsmith.procedures``: ``release_rise = "its_module:SPEC"``,
where ``SPEC`` is an instance of a class derived from ``Procedure`` whose ``options`` is a frozen dataclass derived from
``Planned``. It is then in plans, runs, findings, report, command line and JSON; nothing else has to be touched.

``API`` is raised when something here changes so that an earlier package would not work any more.
"""

from __future__ import annotations

from zincsmith.formats.columns import Columns
from zincsmith.formats.words import duration
from zincsmith.model.actions import (
    ChooseMode,
    Confirm,
    Dwell,
    Measure,
    Measured,
    Note,
    Noticed,
    Observe,
    SetLoad,
    SetSource,
    Settled,
    Stage,
    Stop,
    Watch,
)
from zincsmith.model.address import at_port
from zincsmith.model.commands import FileRequest
from zincsmith.model.figures import Figure
from zincsmith.model.finding import Contribution, Doubt, Finding, Working
from zincsmith.model.operating_point import Draw, Feed, OperatingPoint
from zincsmith.model.plan import LINES, Line, Options
from zincsmith.model.port import Port, PortMode, output_ports
from zincsmith.model.reading import Evidence, Point, Reading
from zincsmith.model.unit import Nameplate, Unit
from zincsmith.procedures.base import (
    Context,
    Conventions,
    Curves,
    Procedure,
    Section,
    Steps,
    fed_by_one_input,
    fed_by_one_mains,
)
from zincsmith.procedures.beginning import feed, gate
from zincsmith.procedures.catalogue import API
from zincsmith.procedures.fields import Choosing, Typing, between, check_lines, check_loads, read_lines, times
from zincsmith.procedures.finding_of import finding_of
from zincsmith.procedures.intake import FigureRequest, Intake, Taken, TakenAt, line_of
from zincsmith.procedures.planning import Facts, Planned, Refit
from zincsmith.procedures.ports import at_load, draw, everywhere, idle, ramp, watch_outputs
from zincsmith.recorded.file_point import FilePoint, Value, at_line
from zincsmith.recorded.result import Analysed

__all__ = [
    "API",
    "LINES",
    "Analysed",
    "ChooseMode",
    "Choosing",
    "Columns",
    "Confirm",
    "Context",
    "Contribution",
    "Conventions",
    "Curves",
    "Doubt",
    "Draw",
    "Dwell",
    "Evidence",
    "Facts",
    "Feed",
    "Figure",
    "FigureRequest",
    "FilePoint",
    "FileRequest",
    "Finding",
    "Intake",
    "Line",
    "Measure",
    "Measured",
    "Nameplate",
    "Note",
    "Noticed",
    "Observe",
    "OperatingPoint",
    "Options",
    "Planned",
    "Point",
    "Port",
    "PortMode",
    "Procedure",
    "Reading",
    "Refit",
    "Section",
    "SetLoad",
    "SetSource",
    "Settled",
    "Stage",
    "Steps",
    "Stop",
    "Taken",
    "TakenAt",
    "Typing",
    "Unit",
    "Value",
    "Watch",
    "Working",
    "at_line",
    "at_load",
    "at_port",
    "between",
    "check_lines",
    "check_loads",
    "draw",
    "duration",
    "everywhere",
    "fed_by_one_input",
    "fed_by_one_mains",
    "feed",
    "finding_of",
    "gate",
    "idle",
    "line_of",
    "output_ports",
    "ramp",
    "read_lines",
    "times",
    "watch_outputs",
]
