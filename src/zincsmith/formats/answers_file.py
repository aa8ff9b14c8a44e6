"""Answers for a run by hand from a file: a table in the order of the prompts, CSV with the columns prompt and answer.

A row answers the next prompt of its kind; where ``prompt`` is empty, whatever comes next. docs/answers-file.md tells
the kinds.
"""

from __future__ import annotations

import csv
import hashlib
import io
from dataclasses import dataclass, field
from pathlib import Path

from zincsmith.formats.toml_file import read_text
from zincsmith.model.errors import InputError
from zincsmith.model.quantities import QUANTITIES

GATE, SOURCE, LOAD, SENSES, RECORD = "gate", "source", "load", "senses", "record"
KINDS = (GATE, SOURCE, LOAD, SENSES, RECORD, *QUANTITIES)
MOST_ROWS = 10_000


@dataclass
class Answers:
    """``sha256`` is of the file as it was read."""

    name: str = ""
    sha256: str = ""
    rows: list[tuple[str, str]] = field(default_factory=list)

    def take(self, kind: str) -> str | None:
        """The answer to a prompt of a kind, used up; None when the next row answers another one."""
        if self.rows and self.rows[0][0] in (kind, ""):
            return self.rows.pop(0)[1]
        return None


def read_answers(file: Path) -> Answers:
    """Read the table. InputError names file, line and reason."""
    text = read_text(file)
    reader = csv.reader(io.StringIO(text))
    try:
        head = [name.strip().lower() for name in next(reader, [])]
        if "answer" not in head:
            raise InputError("the first line names the columns, and one of them is answer", file=str(file), line=1)
        rows = []
        for cells in reader:
            if not any(c.strip() for c in cells):
                continue
            row = dict(zip(head, (c.strip() for c in cells), strict=False))
            kind, answer = row.get("prompt", ""), row.get("answer", "")
            if kind and kind not in KINDS:
                message = f"there is no prompt {kind[:40]!r}; there are: {', '.join(KINDS)}"
                raise InputError(message, file=str(file), line=reader.line_num, column=1)
            if not answer:
                raise InputError("the answer is missing", file=str(file), line=reader.line_num)
            rows.append((kind, answer))
            if len(rows) > MOST_ROWS:
                raise InputError(f"more than {MOST_ROWS} answers", file=str(file), line=reader.line_num)
    except csv.Error as error:
        raise InputError(f"is no table ({error})", file=str(file), line=reader.line_num) from None
    return Answers(file.name, hashlib.sha256(text.encode("utf-8", "surrogateescape")).hexdigest(), rows)
