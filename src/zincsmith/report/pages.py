"""What every report shares: its template, and how it is written."""

from __future__ import annotations

import os
from collections.abc import Sequence
from functools import cache
from importlib import resources
from pathlib import Path

from jinja2 import Environment, StrictUndefined, Template

from zincsmith.formats.words import duration, where_words
from zincsmith.model.errors import InputError


@cache
def template(name: str) -> Template:
    """One of those that ship; what is not given to it is an error, what it shows is escaped."""
    environment = Environment(autoescape=True, undefined=StrictUndefined, trim_blocks=True, lstrip_blocks=True)
    environment.filters.update(duration=duration, where=where_words)
    return environment.from_string((resources.files("zincsmith.report") / "templates" / name).read_text("utf-8"))


def write_pages(text: str, out: Path, attached: Sequence[tuple[str, str, str]] = ()) -> None:
    """The file whole or not at all, as PDF when its name says so, with what is ``attached`` in it: (name, JSON, what it
    is). InputError when it cannot be written."""
    if out.suffix.lower() == ".pdf":
        from zincsmith.report.pdf import pdf_of

        content = pdf_of(text, attached)
    else:
        content = text.encode("utf-8")
    write_whole(content, out)


def write_whole(content: bytes, out: Path) -> None:
    """The file whole or not at all. InputError when it cannot be written."""
    beside = out.with_name(f".{out.name}.part")
    try:
        beside.write_bytes(content)
        os.replace(beside, out)
    except OSError as error:
        raise InputError(f"the report cannot be written ({error.strerror})", file=str(out)) from None
