"""The sums there are, each loaded when it is first asked for."""

from __future__ import annotations

from importlib import import_module, resources

from zincsmith.model.errors import InputError
from zincsmith.workshop.base import Sum


def names() -> tuple[str, ...]:
    """In the order of the alphabet: a file each."""
    files = (resources.files("zincsmith.workshop") / "sums").iterdir()
    return tuple(sorted(f.name.removesuffix(".py") for f in files if f.name.endswith(".py") and f.name[0] != "_"))


def sum_of(name: str) -> Sum:
    """InputError where there is none of that name."""
    key = name.replace("-", "_")
    if key not in names():
        raise InputError(f"there is no sum {name!r}; there are: {', '.join(n.replace('_', '-') for n in names())}",
                         key="sum")  # fmt: skip
    found: Sum = import_module(f"zincsmith.workshop.sums.{key}").SPEC
    return found
