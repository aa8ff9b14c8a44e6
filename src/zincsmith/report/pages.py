"""What every report shares: its template, and how it is written."""

from __future__ import annotations

import os
from importlib import resources
from pathlib import Path
from typing import Any

from jinja2 import Environment, StrictUndefined, Template

from zincsmith.model.errors import InputError


def template(name: str, **filters: Any) -> Template:
    """One of those that ship; what is not given to it is an error, what it shows is escaped."""
    environment = Environment(autoescape=True, undefined=StrictUndefined, trim_blocks=True, lstrip_blocks=True)
    environment.filters.update(filters)
    return environment.from_string((resources.files("zincsmith.report") / "templates" / name).read_text("utf-8"))


def write_pages(text: str, out: Path) -> None:
    """The file whole or not at all, as PDF when its name says so. InputError when it cannot be written."""
    if out.suffix.lower() == ".pdf":
        from zincsmith.report.pdf import pdf_of

        content = pdf_of(text)
    else:
        content = text.encode("utf-8")
    beside = out.with_name(f".{out.name}.part")
    try:
        beside.write_bytes(content)
        os.replace(beside, out)
    except OSError as error:
        raise InputError(f"the report cannot be written ({error.strerror})", file=str(out)) from None
