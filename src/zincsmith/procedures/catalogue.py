"""The procedures there are: those that ship, each loaded when it is first asked for, and those of installed packages.

A package names its procedures in the entry point group ``zincsmith.procedures``, each by the name it has in a plan. One
that does not load, or says too little, is told by name with the reason, and does no harm to the others.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from functools import cache
from importlib import import_module
from typing import Any

from zincsmith.model.errors import InputError
from zincsmith.model.figures import FIGURES, TESTS
from zincsmith.model.plan import Options
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.base import Procedure
from zincsmith.procedures.intake import Intake
from zincsmith.procedures.planning import Planned

GROUP = "zincsmith.procedures"
API = 1  # of what a package may use: see zincsmith.api
# In the order in which a plan is composed where their ranks are equal; a folder of that name holds each.
SHIPPED = (
    "safety_checks",
    "rig_check",
    "fault_finding",
    "parts_check",
    "bring_up",
    "static_grid",
    "cross_regulation",
    "usb_modes",
    "port_sharing",
    "cv_cc",
    "inverter_output",
    "output_wave",
    "power_factor_regimes",
    "display_accuracy",
    "harmonics",
    "standby",
    "control_signals",
    "touch_current",
    "regulator_inside",
    "hands_in",
    "another_configuration",
    "ripple",
    "reflected_ripple",
    "load_transient",
    "mode_changes",
    "programming_speed",
    "held_noise",
    "crossover",
    "turn_on",
    "hold_up",
    "inrush",
    "plug_volts",
    "line_dips",
    "short_circuit",
    "switching_node",
    "ripple_by_voltmeter",
    "overcurrent",
    "overload_endurance",
    "overvoltage",
    "surge_load",
    "charging",
    "dropout",
    "soft_leads",
    "starts",
    "power_envelope",
    "thermal_soak",
    "drift",
)
WANTED = {"name": str, "title": str, "version": int, "needs": tuple, "serves": str, "options": type}


@dataclass(frozen=True)
class Package:
    """Where a procedure comes from that does not ship."""

    name: str
    version: str


@dataclass(frozen=True)
class Broken:
    """An installed procedure that cannot be used, and why."""

    name: str
    package: str
    why: str


def procedure(name: str) -> Procedure:
    """One by name; the hyphens of a published name count as underscores. InputError when there is none."""
    name = name.replace("-", "_")
    if name in SHIPPED:
        return _shipped(name)
    found = _installed()
    if name in found[0]:
        return found[0][name][0]
    broken = next((f": the one that is installed does not load ({b.why})" for b in found[1] if b.name == name), "")
    raise InputError(f"there is no procedure {name!r}{broken}; there are: {', '.join(names())}")


def every() -> Iterator[Procedure]:
    """All of them, those that ship first."""
    return (procedure(name) for name in names())


def intakes() -> dict[str, tuple[Procedure, Intake]]:
    """The kinds of files that can be taken in, by their published names, each with whose points it becomes."""
    return {intake.kind: (one, intake) for one in every() for intake in one.intakes}


def evidence() -> dict[str, tuple[Procedure, Intake]]:
    """Those that become points of a run."""
    return {kind: found for kind, found in intakes().items() if found[1].evidence}


def intake(kind: str) -> tuple[Procedure, Intake]:
    """One by its published name. InputError where no procedure takes such files in."""
    known = intakes()
    if kind not in known:
        raise InputError(f"nobody takes in files of the kind {kind!r}; there are: {', '.join(known)}", key="kind")
    return known[kind]


def names() -> tuple[str, ...]:
    return (*SHIPPED, *_installed()[0])


def in_order(those: Iterable[str]) -> list[str]:
    """Those procedures, each once, as they are listed; what is not installed here is left out."""
    wanted = set(those)
    return [name for name in (SHIPPED if wanted <= set(SHIPPED) else names()) if name in wanted]


def broken() -> tuple[Broken, ...]:
    """Installed procedures that cannot be used."""
    return _installed()[1]


def package_of(name: str) -> Package | None:
    """None for one that ships."""
    return None if name in SHIPPED or name not in _installed()[0] else _installed()[0][name][1]


def packages_of(parts: Iterable[Options]) -> tuple[tuple[str, str, str], ...]:
    """(procedure, package, its version) of the parts whose procedure does not ship, each once."""
    found = ((part.procedure, package_of(part.procedure)) for part in parts)
    return tuple(dict.fromkeys((name, p.name, p.version) for name, p in found if p is not None))


def options_of(name: str) -> type[Planned] | None:
    """The record of a procedure's options, without loading more than that; None for one that is not there."""
    if name in SHIPPED:
        module = import_module(f"zincsmith.procedures.{name}.options")
        return next(
            one for one in vars(module).values()
            if isinstance(one, type) and issubclass(one, Planned) and one.__module__ == module.__name__
        )  # fmt: skip
    return planned_record(_installed()[0][name][0]) if name in _installed()[0] else None


def planned_record(one: Procedure) -> type[Planned]:
    """The record of its options. TypeError where it cannot be planned with: `_loaded` lets none of these in."""
    if not issubclass(one.options, Planned):
        raise TypeError(f"the options of {one.name} are no Planned record")
    return one.options


def planned(part: Options) -> Planned:
    """A part of a plan with all that planning asks of it. InputError for one whose procedure is not installed."""
    if not isinstance(part, Planned):
        procedure(part.procedure)
        raise InputError(f"{part.procedure} cannot be planned here")
    return part


@cache
def _shipped(name: str) -> Procedure:
    found: Procedure = import_module(f"zincsmith.procedures.{name}.steps").SPEC
    return found


@cache
def _installed() -> tuple[dict[str, tuple[Procedure, Package]], tuple[Broken, ...]]:
    from importlib.metadata import entry_points  # takes its time, and few need it

    found: dict[str, tuple[Procedure, Package]] = {}
    bad: list[Broken] = []
    for point in entry_points(group=GROUP):
        package = Package(point.dist.name, point.dist.version) if point.dist is not None else Package("?", "?")
        try:
            one = _loaded(point)
            if one.name in found or one.name in SHIPPED:
                raise InputError(f"there is another procedure {one.name!r}")
            _bring_in(one)
        except Exception as error:  # noqa: BLE001 - whatever another package does, the others go on
            bad.append(Broken(point.name, f"{package.name} {package.version}", f"{type(error).__name__}: {error}"))
            continue
        found[one.name] = one, package
    return found, tuple(bad)


def _loaded(point: Any) -> Procedure:
    one = point.load()
    if not isinstance(one, Procedure):
        raise InputError("it is no zincsmith.api.Procedure")
    for attribute, kind in WANTED.items():
        if not isinstance(getattr(one, attribute, None), kind):
            raise InputError(f"its {attribute} is missing, or no {kind.__name__}")
    if one.name != point.name:
        raise InputError(f"it calls itself {one.name!r}")
    if not issubclass(one.options, Planned) or getattr(one.options(), "procedure", "") != one.name:
        raise InputError("its options are no Planned record of that procedure")
    return one


def _bring_in(one: Procedure) -> None:
    """Its claimable figures, so that papers can state them."""
    for figure in one.figures:
        if FIGURES.knows(figure.name):
            raise InputError(f"there is a figure {figure.name!r} already")
    FIGURES.update({figure.name: figure for figure in one.figures})
    if one.tested_as:
        TESTS[one.tested_as] = one.name


def suits(name: str, plate: Nameplate) -> str:
    """Why a procedure does not fit a unit, without loading more than its options; empty when it does."""
    record = options_of(name)
    return record.suits(plate) if record is not None else f"there is no procedure {name!r} here"


def look_again() -> None:
    """Forget which packages are installed: something was put on the path, or taken off it."""
    _installed.cache_clear()
