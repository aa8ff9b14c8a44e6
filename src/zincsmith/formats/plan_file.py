"""Plans by name, or as TOML files."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from zincsmith.formats.toml_file import Strict, read
from zincsmith.model.errors import InputError
from zincsmith.model.plan import GridOptions, Line, Plan

NAMED = {"static-grid": Plan("Static grid", "static_grid")}


class _Options(Strict):
    lines: list[list[float]] | None = None
    loads_percent: list[float] | None = None
    warm_up_s: float | None = None
    rewarm_s: float | None = None
    settle_s: float | None = None
    settle_at_most_s: float | None = None
    settled_percent: float | None = None
    settled_window_s: float | None = None
    average_s: float | None = None
    temperature_loads_percent: list[float] | None = None


class _Plan(Strict):
    name: str
    procedure: str
    options: _Options = _Options()


def find_plan(name: str) -> Plan:
    """A plan by its name, or from a file of that name. InputError when there is neither."""
    if name in NAMED:
        return NAMED[name]
    file = Path(name)
    if not name.endswith(".toml"):
        raise InputError(f"there is no plan {name!r}; there are: {', '.join(NAMED)}, or the path of a plan file")
    data = read(file, _Plan)
    if data.procedure not in {plan.procedure for plan in NAMED.values()}:
        raise InputError(f"there is no procedure {data.procedure!r}", file=name, key="procedure")
    given: dict[str, Any] = {k: v for k, v in data.options.model_dump().items() if v is not None}
    if "lines" in given:
        if any(len(line) != 2 for line in given["lines"]):
            raise InputError("each line is volts and hertz, such as [115.0, 60.0]", file=name, key="options.lines")
        given["lines"] = tuple(Line(v, f) for v, f in given["lines"])
    for key in ("loads_percent", "temperature_loads_percent"):
        if key in given:
            given[key] = tuple(given[key])
    plan = Plan(data.name, data.procedure, GridOptions(**given))
    check_options(plan.options, name)
    return plan


def check_options(options: GridOptions, file: str | None = None) -> None:
    """InputError for options that no bench can carry out."""
    loads = options.loads_percent
    times = (options.warm_up_s, options.rewarm_s, options.settle_s, options.settle_at_most_s)
    if not options.lines or any(
        not 1.0 <= x.voltage_V <= 1000.0 or not 40.0 <= x.frequency_Hz <= 440.0 for x in options.lines
    ):
        raise InputError("name at least one line of 1 to 1000 V and 40 to 440 Hz", file=file, key="options.lines")
    if not loads or any(not 0.0 <= x <= 110.0 for x in loads) or len(set(loads)) != len(loads):
        raise InputError("loads must differ and lie between 0 and 110 %", file=file, key="options.loads_percent")
    if any(not 0.0 <= t <= 86400.0 for t in times):
        raise InputError("times must lie between 0 and 86400 s", file=file, key="options")
    if not 1.0 <= options.average_s <= 3600.0:
        raise InputError("must lie between 1 and 3600 s", file=file, key="options.average_s")
    if not 4.0 <= options.settled_window_s <= 3600.0 or options.settled_percent <= 0.0:
        raise InputError("a window of 4 to 3600 s and a drift above zero are needed", file=file, key="options")
