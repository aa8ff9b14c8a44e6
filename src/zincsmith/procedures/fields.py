"""The options of a procedure as people choose and type them: words, choices, how an entry is read, and its bounds."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from zincsmith.formats.words import duration
from zincsmith.model.errors import InputError
from zincsmith.model.operating_point import LoadLaw
from zincsmith.model.plan import Line, Options

LONGEST_S = 86400.0


@dataclass(frozen=True)
class Choosing:
    """One option with its choices: words and value; with several fields, parted by blanks, a value for each."""

    words: str
    field: str
    choices: tuple[tuple[str, Any], ...]

    def of(self, part: Options) -> Any:
        """The value in force."""
        fields = self.field.split()
        values = tuple(getattr(part, f) for f in fields)
        return values if len(fields) > 1 else values[0]


@dataclass(frozen=True)
class Typing:
    """One option that is typed; ``read`` may raise InputError."""

    words: str
    field: str
    show: Callable[[Any], str]
    read: Callable[[str], Any]


Field = Choosing | Typing


def times(*seconds: float) -> tuple[tuple[str, float], ...]:
    """Choices of a time, none for zero."""
    return tuple((duration(s) if s else "none", s) for s in seconds)


def lines_words(lines: Sequence[Line]) -> str:
    return ", ".join(f"{x.voltage_V:g} {f'{x.frequency_Hz:g}' if x.frequency_Hz else 'DC'}" for x in lines)


def read_lines(text: str) -> tuple[Line, ...]:
    """``100 60, 230 50`` or ``9 DC, 36 DC`` as lines; units may be written. InputError for anything else."""
    found = []
    for piece in text.replace("V", " ").replace("Hz", " ").split(","):
        numbers = ["0" if word.upper() == "DC" else word for word in piece.split()]
        if not numbers:
            continue
        try:
            voltage, hertz = map(float, numbers)
        except ValueError:
            raise InputError(f"{piece.strip()!r} is no line: volts and hertz, such as 230 50, or 12 DC") from None
        found.append(Line(voltage, hertz))
    return tuple(found)


def read_loads(text: str) -> tuple[float, ...]:
    """``100 75 50`` as loads in percent. InputError for anything else."""
    try:
        return tuple(float(word) for word in text.replace("%", " ").replace(",", " ").split())
    except ValueError:
        raise InputError("loads are numbers in percent, such as 100 75 50 25 10 0") from None


def read_number(text: str) -> float:
    """InputError for anything else."""
    try:
        return float(text)
    except ValueError:
        raise InputError("one number is wanted, such as 0.005") from None


def read_words(text: str) -> str:
    """What is said in words, without blanks around it."""
    return " ".join(text.split())


def read_line(text: str) -> Line:
    """InputError for none, or several."""
    found = read_lines(text)
    if len(found) != 1:
        raise InputError("one line is wanted: volts and hertz, such as 115 60, or 12 DC")
    return found[0]


LOAD_LAWS: tuple[tuple[str, LoadLaw], ...] = (
    ("constant current", "CC"),
    ("constant resistance", "CR"),
    ("constant power", "CP"),
)
LINES = Typing("Lines, V Hz", "lines", lines_words, read_lines)
LINE = Typing("Line, V Hz", "line", lambda x: lines_words((x,)), read_line)
LOADS = Typing("Loads, %", "loads_percent", lambda x: " ".join(f"{v:g}" for v in x), read_loads)


# Bounds: each raises InputError, with the key of the option, for what no bench can carry out


def between(least: float, most: float, **values_s: float) -> None:
    for name, seconds in values_s.items():
        if not least <= seconds <= most:
            raise InputError(f"must lie between {least:g} and {most:g} s", key=f"part.{name}")


def check_lines(lines: Sequence[Line], key: str = "lines") -> None:
    if not lines or any(not _can_be(x) for x in lines):
        raise InputError("name at least one line of 1 to 1000 V and 40 to 440 Hz, or DC", key=f"part.{key}")


def _can_be(line: Line) -> bool:
    return 1.0 <= line.voltage_V <= 1000.0 and (line.frequency_Hz == 0.0 or 40.0 <= line.frequency_Hz <= 440.0)


def check_loads(loads: Sequence[float]) -> None:
    if not loads or any(not 0.0 <= x <= 110.0 for x in loads) or len(set(loads)) != len(loads):
        raise InputError("loads must differ and lie between 0 and 110 %", key="part.loads_percent")
