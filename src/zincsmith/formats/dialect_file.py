"""Dialect files: the commands of one kind of instrument as TOML. docs/dialect-file.md describes the keys."""

from __future__ import annotations

import re
from collections.abc import Iterator
from pathlib import Path

from zincsmith.formats.plate_check import Problem
from zincsmith.formats.record_file import bind
from zincsmith.formats.toml_file import key_text, line_of, load_toml, read_text
from zincsmith.model.dialect import Dialect, Operation, known_operations
from zincsmith.model.errors import InputError
from zincsmith.model.quantities import QUANTITIES
from zincsmith.model.roles import NEEDED, SWITCHES

REPLIES = {
    "get": ("number", "boolean", "word"),
    "place": ("numbers",),
    "read": ("numbers",),
    "capture": ("block",),
    "next_error": ("error",),
}
MOST_PLACES = 64
LONGEST_SETTLE_S = 0.8  # no instrument may keep the engine waiting longer than it keeps its guardian


def read_dialect(file: Path) -> Dialect:
    """Read a dialect file. InputError names file, line, key and reason."""
    return parse_dialect(read_text(file), str(file))


def parse_dialect(text: str, name: str) -> Dialect:
    """A dialect from the text of its file. InputError names file, line, key and reason."""
    dialect = bind(Dialect, load_toml(text, name), name, text)
    for problem in check_dialect(dialect):
        path = problem.field.split(".")
        raise InputError(problem.message, file=name, key=key_text(path), line=line_of(text, path))
    return dialect


def check_dialect(dialect: Dialect) -> list[Problem]:
    """What cannot be true of a dialect, by the key in its file."""
    if dialect.role not in NEEDED:
        return [Problem("role", f"no such role; there are: {', '.join(NEEDED)}")]
    known = known_operations(dialect.role)
    found: list[Problem] = []
    for name, operation in dialect.operation.items():
        at = f"operation.{name}"
        if name not in known:
            found.append(Problem(at, f"no such operation of this role; there are: {', '.join(known)}"))
        else:
            found += _operation(name, operation, at, dialect.role)
    return [*found, *_accuracies(dialect), *_missing(dialect), *_limits(dialect)]


def _accuracies(dialect: Dialect) -> Iterator[Problem]:
    mine = {q.name for q in QUANTITIES.values() if q.role == dialect.role}
    for n, row in enumerate(dialect.accuracy):
        if row.quantity not in mine:
            yield Problem(f"accuracy.{n}.quantity", f"no such quantity of this role: {row.quantity}")
        elif row.range <= 0.0:
            yield Problem(f"accuracy.{n}.range", "must be above zero")
    if not 0 <= dialect.quirks.retries <= 3:
        yield Problem("quirks.retries", "0 to 3: an instrument that needs more is not to be relied on")


def _missing(dialect: Dialect) -> Iterator[Problem]:
    """Operations that the role needs, and read-backs of what is set."""
    unasked = () if dialect.quirks.reads_back else tuple(n for n in NEEDED[dialect.role] if n.startswith("get_"))
    for name in NEEDED[dialect.role]:
        if name not in dialect.operation and name not in unasked:
            yield Problem("operation", f"{name} is missing: a {dialect.role.replace('_', ' ')} needs it")
    for name in dialect.operation:
        asked = name.replace("set_", "get_", 1)
        if name.startswith("set_") and asked not in dialect.operation and dialect.quirks.reads_back:
            yield Problem(f"operation.{name}", f"{asked} is missing: what is set is read back")


def _limits(dialect: Dialect) -> Iterator[Problem]:
    for what, (low, high) in dialect.limits.items():
        if what == SWITCHES.get(dialect.role):
            yield Problem(f"limits.{what}", "a switch has no limits: off must always be possible")
        elif f"set_{what}" not in dialect.operation:
            yield Problem(f"limits.{what}", "nothing of that name is set")
        elif low > high:
            yield Problem(f"limits.{what}", f"the lower end, {low:g}, is above the upper end, {high:g}")


def _operation(name: str, one: Operation, at: str, role: str) -> Iterator[Problem]:
    if (one.command is None) == (one.query is None):
        yield Problem(at, "an operation is a command, or a query with a reply format")
        return
    if one.command is None:
        yield from _asks(name, one, at, role)
        return
    if name.startswith("get_") or name in REPLIES:
        yield Problem(f"{at}.command", "this one asks: it is a query with a reply format")
    else:
        yield from _command(one.command, at, role, name)
    if not 0.0 <= one.settle_s <= LONGEST_SETTLE_S:
        yield Problem(f"{at}.settle_s", f"0 to {LONGEST_SETTLE_S:g} s; longer waits belong in the plan")


def _asks(name: str, one: Operation, at: str, role: str) -> Iterator[Problem]:
    """What is wrong with an operation that is a query."""
    if one.settle_s:
        yield Problem(f"{at}.settle_s", "only a command has a time to settle")
    if one.place is not None and (one.reply != "numbers" or not 1 <= one.place <= MOST_PLACES):
        yield Problem(f"{at}.place", f"which number of a reply of numbers is meant, 1 to {MOST_PLACES}")
    if name.startswith("set_") or name == "advance":
        yield Problem(f"{at}.query", "this one sets: it is a command with {value} in it")
    first = "place" if one.place is not None else name.partition("_")[0]
    wanted = REPLIES.get(first if name.startswith("get_") else name, ())
    if one.reply is None:
        yield Problem(at, "the reply format is missing")
    elif wanted and one.reply not in wanted:
        yield Problem(f"{at}.reply", f"must be {' or '.join(wanted)} here, not {one.reply}")
    mine = {q.name for q in QUANTITIES.values() if q.role == role}
    if name == "read" and not one.quantities:
        yield Problem(at, f"quantities are missing; of this role: {', '.join(sorted(mine))}")
    for quantity in one.quantities:
        if quantity not in mine:
            yield Problem(
                f"{at}.quantities", f"no such quantity of this role: {quantity}; there are: {', '.join(mine)}"
            )
    if len(set(one.quantities)) < len(one.quantities):
        yield Problem(f"{at}.quantities", "a quantity is named twice")


VALUELESS = ("arm", "force", "reset", "dip")  # commands that set nothing


def _command(command: str, at: str, role: str, name: str) -> Iterator[Problem]:
    """The value, and nothing else, goes into the braces, in a form that numbers can take; of a scope the number of the
    channel too."""
    fields = [f for f in re.findall(r"\{(\w*)", command) if role != "scope" or f != "channel"]
    if fields != ([] if name in VALUELESS else ["value"]):
        yield Problem(f"{at}.command", "must hold {value} once, such as VOLT {value:.3f}")
        return
    try:
        command.format(value="CURR" if command.endswith("{value}") else 1, channel=1)
    except (ValueError, IndexError, KeyError):
        yield Problem(f"{at}.command", "the form behind the colon in {value:...} fits no number")
