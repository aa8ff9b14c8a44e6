"""Unit files: the nameplate of one unit as TOML."""

from __future__ import annotations

from pathlib import Path

from zincsmith.formats.plate_check import check_nameplate
from zincsmith.formats.toml_file import Strict, line_of, read, read_text
from zincsmith.model.errors import InputError
from zincsmith.model.unit import InputRating, Nameplate, OutputRating, RuleChoice, Unit


class _Input(Strict):
    voltage_V: list[float]
    frequency_Hz: list[float] = [50.0, 60.0]
    current_A: float | None = None


class _Output(Strict):
    voltage_V: float
    current_A: float
    power_W: float | None = None
    tolerance_percent: float | None = None
    load_regulation_percent: float | None = None
    line_regulation_percent: float | None = None


class _Claims(Strict):
    average_efficiency_percent: float | None = None
    no_load_power_W: float | None = None


class _Rule(Strict):
    set: str
    supply_class: str


class _Unit(Strict):
    tag: str
    maker: str
    model: str
    serial: str = ""
    configuration: str = "as received"
    place: str = ""
    marks: list[str] = []
    input: _Input
    output: _Output
    claims: _Claims = _Claims()
    rule: list[_Rule] = []


def read_unit(file: Path) -> Unit:
    """Read a unit file. InputError names file, line, key and reason."""
    data = read(file, _Unit)
    if len(data.input.voltage_V) != 2:
        raise _at(file, "input.voltage_V", "must be a range of two numbers, such as [100, 240]")
    if not data.tag.strip():
        raise _at(file, "tag", "must not be empty: it identifies the unit in the book")
    unit = Unit(
        tag=data.tag.strip(),
        maker=data.maker,
        model=data.model,
        serial=data.serial,
        configuration=data.configuration,
        place=data.place,
        nameplate=Nameplate(
            input=InputRating(
                data.input.voltage_V[0], data.input.voltage_V[1], tuple(data.input.frequency_Hz), data.input.current_A
            ),
            output=OutputRating(**data.output.model_dump()),
            average_efficiency_percent=data.claims.average_efficiency_percent,
            no_load_power_W=data.claims.no_load_power_W,
            rules=tuple(RuleChoice(rule.set, rule.supply_class) for rule in data.rule),
            marks=tuple(data.marks),
        ),
    )
    for problem in check_nameplate(unit.nameplate):
        raise _at(file, problem.field, problem.message)
    return unit


def _at(file: Path, key: str, message: str) -> InputError:
    return InputError(message, file=str(file), key=key, line=line_of(read_text(file), key.split(".")))
