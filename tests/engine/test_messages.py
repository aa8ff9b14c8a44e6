"""What goes over the wire between window and engine comes back as it was; what nobody sends is refused."""

from __future__ import annotations

from dataclasses import fields
from pathlib import Path
from typing import get_args

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zincsmith.engine.messages import answer_of, command_of, line_of
from zincsmith.model.answers import ANSWERS, Answer, News, Ready, Refused, Scanned, TakenIn, Tried
from zincsmith.model.capture import Cursors, Measure
from zincsmith.model.commands import COMMANDS, Command, FileRequest
from zincsmith.model.errors import BookError
from zincsmith.model.plan import Line
from zincsmith.model.states import TABLE, State

REQUEST = FileRequest("power", (Path("a b.csv"), Path("ä.csv")), "M. Hale", None, Line(230.0, 50.0), called={"V": "u"})
TEXT = st.text(st.characters(exclude_categories=("Cs",)))
# A value of each kind of field, by its annotation.
TIME = st.floats(-1.0, 1.0)
VALUES = {
    "str": TEXT, "int": st.integers(0, 10**9), "float": st.floats(allow_nan=False, allow_infinity=False),
    "bool": st.booleans(), "Path": st.just(Path("/x/y z.jpg")), "FileRequest": st.just(REQUEST),
    "Cursors": st.builds(
        Cursors, st.integers(0, 99), st.integers(1, 9), st.sampled_from(get_args(Measure)), *3 * [TIME], TEXT, TEXT,
        st.integers(0, 3), TEXT,
    ),
    "Mapping[str, bool] | None": st.none() | st.dictionaries(TEXT, st.booleans()),
}  # fmt: skip
ANSWERED = [
    Ready(State.TAKEN_OVER, (1, 2)), News(7, State.GATE), Refused("try", "tab\there"), TakenIn(3),
    Tried("voltmeter", "A,B,C,D", {"output_voltage": (0.1, -1e-9)}), Scanned((("TCPIP::x", "A,B"), ("y", ""))),
]  # fmt: skip


@given(st.data())
def test_every_command_comes_back_as_it_was_said(data: st.DataObject) -> None:
    """Tabs, line ends and any script in what was typed included; one line each."""
    kind = data.draw(st.sampled_from(sorted(COMMANDS.values(), key=lambda k: k.do)))
    command = kind(**{f.name: data.draw(VALUES[str(f.type)]) for f in fields(kind)})
    line = line_of(command)
    assert (line.count(b"\n"), line[-1:]) == (1, b"\n")
    assert command_of(line.rstrip(b"\n")) == command


@pytest.mark.parametrize("answer", ANSWERED)
def test_every_answer_comes_back_as_it_was_said(answer: Answer) -> None:
    assert answer_of(line_of(answer).rstrip(b"\n")) == answer


def test_half_a_character_is_told_not_lost() -> None:
    """What no file can hold is written out, as the book does."""
    command = command_of(line_of(COMMANDS["note"](text="\udc80 smells")).rstrip(b"\n"))  # type: ignore[call-arg]
    assert str(getattr(command, "text", "")).endswith("smells")


@pytest.mark.parametrize("line", [b"fly\t{}", b"start\t{}", b"start", b"\xff\t{}", b"pass\t[1]", b"start\t{"])
def test_what_is_no_command_is_refused_in_words(line: bytes) -> None:
    with pytest.raises(BookError, match="engine"):
        command_of(line)


def test_names_are_those_of_the_table_of_states() -> None:
    """What a button asks the table for can be sent; what happens by itself is no command."""
    by_itself = {"found interrupted", "found taken over", "found unconfirmed", "gate", "go on", "ask", "confirmed",
                 "unconfirmed"}  # fmt: skip
    assert {do for _, do in TABLE} - by_itself <= set(COMMANDS)
    assert all(issubclass(kind, Command) and kind.do == do for do, kind in COMMANDS.items())
    assert len(ANSWERS) == len(ANSWERED) + 1, "one of each above, and that documents changed"
