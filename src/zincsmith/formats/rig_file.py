"""Rig files: instruments in their roles, with accuracy and wiring, as TOML, in and out."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import replace
from datetime import date
from pathlib import Path
from typing import Any

from zincsmith.formats.accuracy_text import parse_accuracy
from zincsmith.formats.dialect_file import parse_dialect
from zincsmith.formats.plate_check import Problem
from zincsmith.formats.record_file import bind, listed, plain, raw_of, toml_text
from zincsmith.formats.toml_file import key_text, line_of, read_text
from zincsmith.model.errors import InputError
from zincsmith.model.quantities import QUANTITIES
from zincsmith.model.rig import MOST_STEPS, Accuracy, Dummy, Instrument, Rig
from zincsmith.model.roles import OF_THE_UNIT, ROLES

TABLES = {"instruments": "instrument", "leads": "lead"}


def read_rig(file: Path) -> Rig:
    """Read a rig file; the path of a stand-in is taken relative to it. InputError names file, key and reason."""
    raw, text = raw_of(file)

    def refuse(key: str, message: str) -> InputError:
        path = key.split(".")
        return InputError(message, file=str(file), key=key_text(path), line=line_of(text, path))

    shaped = {key: value for key, value in raw.items() if key not in TABLES.values()}
    given = raw.get("instrument", {})
    for problem in _shape(shaped, given):
        raise refuse(problem.field, problem.message)
    by_role = isinstance(given, dict)
    shaped["instruments"] = [{"role": role, **one} for role, one in given.items()] if by_role else given
    shaped["leads"] = listed(raw, "lead")

    def path(place: Iterable[Any]) -> list[Any]:
        parts = list(place)
        if parts[:1] == ["instruments"] and len(parts) > 1:
            return ["instrument", list(given)[parts[1]] if by_role else parts[1], *parts[2:]]
        return [TABLES.get(parts[0], parts[0]), *parts[1:]] if parts else []

    rig = bind(Rig, shaped, str(file), text, path)
    try:
        rig = replace(rig, instruments=tuple(_read_texts(one, key_of(rig, one)) for one in rig.instruments))
    except InputError as error:
        raise refuse(error.key or "", error.message) from None
    for problem in check_rig(rig):
        raise refuse(problem.field, problem.message)
    if rig.standin is not None:
        rig = replace(rig, standin=replace(rig.standin, file=str((file.parent / rig.standin.file).resolve())))
    return replace(rig, instruments=tuple(carry_dialect(one, file.parent) for one in rig.instruments))


def _shape(shaped: dict[str, Any], given: Any) -> Iterator[Problem]:
    """What is wrong with the tables of a rig file, before anything is bound to them: instruments are tables by role,
    or a list of tables that name role and port."""
    for key in TABLES:
        if key in shaped:
            yield Problem(key, "unknown key")
    if isinstance(given, list):
        for n, one in enumerate(given):
            if not isinstance(one, dict) or one.get("role") not in ROLES:
                yield Problem(f"instrument.{n}.role", f"no such role; there are: {', '.join(ROLES)}")
        return
    if not isinstance(given, dict):
        yield Problem("instrument", "instruments are tables by role, such as [instrument.load]")
        return
    for role, one in given.items():
        if role not in ROLES:
            yield Problem(f"instrument.{role}", f"no such role; there are: {', '.join(ROLES)}")
        if not isinstance(one, dict) or "role" in one:
            yield Problem(f"instrument.{role}", "must be a table without a role of its own")


def carry_dialect(one: Instrument, folder: Path) -> Instrument:
    """A dialect that is a file of its own, named relative to ``folder``, is read now, by whoever picked it: from here
    on its text goes with the instrument and no path is opened again. InputError when it cannot be read."""
    if not one.dialect.endswith(".toml") or one.dialect_text:
        return one
    file = folder / one.dialect
    text = read_text(file)
    parse_dialect(text, str(file))
    return replace(one, dialect=file.name, dialect_text=text)


def rig_text(rig: Rig) -> str:
    """The rig as a TOML file; reading it gives the same rig."""
    values = plain(rig)
    instruments = values.pop("instruments")
    ported = any(one.port for one in rig.instruments)
    values["instrument"] = instruments if ported else {one.pop("role"): one for one in instruments}
    return toml_text({TABLES.get(key, key): value for key, value in values.items()})


def key_of(rig: Rig, one: Instrument) -> str:
    """The key of an instrument in the file of its rig: its role, or its number where ports are named."""
    ported = any(i.port for i in rig.instruments)
    return f"instrument.{rig.instruments.index(one)}" if ported else f"instrument.{one.role}"


def _read_texts(one: Instrument, at: str) -> Instrument:
    rows = []
    for row in one.accuracy:
        key = f"{at}.accuracy"
        if row.quantity not in QUANTITIES:
            raise InputError(f"no such quantity: {row.quantity}", key=key)
        if row.printed and row == replace(_bare(row), printed=row.printed):
            try:
                row = parse_accuracy(row.printed, row, QUANTITIES[row.quantity].unit)
            except InputError as error:
                raise InputError(f"{row.printed}: {error.message}", key=key) from None
        rows.append(row)
    return replace(one, accuracy=tuple(rows))


def _bare(row: Accuracy) -> Accuracy:
    return Accuracy(row.quantity, row.range, counts=row.counts)


def check_rig(rig: Rig) -> list[Problem]:
    """What cannot be true of a rig, by the key in its file."""
    found = []
    if rig.standin is not None and not 0.0 <= rig.standin.pace <= 10000.0:
        found.append(Problem("standin.pace", "must lie between 0 (as fast as it will go) and 10000"))
    for one in rig.instruments:
        found += [*_instrument(one, rig), *_battery(one)]
    return [*found, *_leads(rig)]


def _battery(one: Instrument) -> list[Problem]:
    if (one.cells is None) != (one.cell_floor_V is None):
        return [Problem(f"instrument.{one.role}.cells", "a battery states both: cells in series, cell_floor_V of each")]
    wrong = one.cells is not None and not (1 <= one.cells <= 500 and 0.3 <= (one.cell_floor_V or 0.0) <= 15.0)
    words = "1 to 500 cells, each with a floor between 0.3 and 15 V"
    return [Problem(f"instrument.{one.role}.cells", words)] if wrong else []


def _leads(rig: Rig) -> list[Problem]:
    found = []
    ends = {"unit", *(one.place for one in rig.instruments)}
    for n, lead in enumerate(rig.leads):
        joined = lead.between.split(" ", 1)  # a port may have a space in its name
        if len(joined) != 2 or joined[0] == joined[1] or not ends.issuperset(joined):
            words = f"a lead joins two of: {', '.join(sorted(ends))}; {lead.between[:60]!r} names none such"
            found.append(Problem(f"lead.{n}.between", words))
        if (lead.area_mm2 is None) == (lead.awg is None):
            found.append(Problem(f"lead.{n}.area_mm2", "state area_mm2 or awg, one of them"))
        if not (0.0 < lead.length_m <= 100.0 and 0.0 < (lead.area_mm2 or 1.0) <= 400.0):
            found.append(Problem(f"lead.{n}.length_m", "length lies between 0 and 100 m, area between 0 and 400 mm2"))
        if lead.awg is not None and not -3 <= lead.awg <= 40:
            found.append(Problem(f"lead.{n}.awg", "the gauge lies between -3 (4/0) and 40"))
        if not 1 <= lead.wires <= 20 or not 0 <= lead.contacts <= 50 or not 0.0 <= lead.contact_ohm <= 1.0:
            found.append(Problem(f"lead.{n}.wires", "1 to 20 wires each way, up to 50 contacts of 0 to 1 ohm"))
        if lead.rated_A is not None and not 0.0 < lead.rated_A <= 5000.0:
            found.append(Problem(f"lead.{n}.rated_A", "is above 0, up to 5000 A"))
        if not -40.0 <= lead.temperature_degC <= 200.0:
            found.append(Problem(f"lead.{n}.temperature_degC", "a lead lies between -40 and 200 degC"))
    return found


def _dummy(made: Dummy, at: str) -> list[Problem]:
    found = []
    ohms = [o for o in (made.nominal_ohm, made.measured_ohm) if o is not None]
    if any(o <= 0.0 for o in ohms):
        found.append(Problem(f"{at}.nominal_ohm", "a resistance is above zero"))
    if made.kind == "binary bank":
        if len(made.steps_W) > MOST_STEPS or any(w <= 0.0 for w in made.steps_W):
            found.append(Problem(f"{at}.steps_W", f"up to {MOST_STEPS} steps, each above zero"))
        if made.at_V is not None and made.at_V <= 0.0:
            found.append(Problem(f"{at}.at_V", "the volts at which the steps take their watts are above zero"))
    return found


def _further(one: Instrument, at: str) -> list[Problem]:
    """Of a shunt, and of a load that takes more for a while."""
    found = []
    if one.shunt is not None and not (
        0.0 < one.shunt.ohm <= 100.0 and 0.0 < one.shunt.percent <= 50.0 and 0.0 <= one.shunt.ppm_per_W <= 1e5
    ):
        found.append(Problem(f"{at}.shunt", "a shunt has up to 100 ohm and a limit of up to 50 %"))
    if (one.shunt is not None) != (one.role == "ammeter" and one.dialect == "ammeter_shunt") and one.how != "by hand":
        found.append(
            Problem(f"{at}.shunt", "a voltmeter across a shunt speaks the dialect ammeter_shunt, and no other does")
        )
    if one.visits and (one.port or one.role != "voltmeter" or len(set(one.visits)) != len(one.visits)):
        found.append(Problem(f"{at}.visits", "a voltmeter visits ports, each once, instead of standing at one"))
    if one.short_ohm is not None and not (one.role in ("load", "contactor") and 0.0 < one.short_ohm <= 1.0):
        found.append(Problem(f"{at}.short_ohm", "a load's short input, or a contactor, has up to 1 ohm"))
    if one.role == "contactor" and one.how == "by hand":
        found.append(Problem(f"{at}.how", "no short is made by hand: its contact bounces, and hands are at the output"))
    made = one.switched
    if made is not None and one.role != "load_switch":
        found.append(Problem(f"{at}.switched", "only a load switch has a resistor that it switches"))
    if made is not None and not (made.ohm > 0.0 and made.on_ohm >= 0.0 and 1.0 <= made.most_Hz <= 1e6):
        found.append(Problem(f"{at}.switched", "a resistor above 0 ohm, driven at 1 Hz to 1 MHz"))
    if one.ac is not None and one.ac.up_to_kHz is not None and not 0.0 < one.ac.up_to_kHz <= 1e6:
        found.append(Problem(f"{at}.ac", "a voltmeter reads AC volts up to some kHz, above zero"))
    if any(not (power > 0.0 and minutes > 0.0) for power, minutes in one.endures):
        found.append(Problem(f"{at}.endures", "each is [W, minutes], both above zero"))
    return found


def _accuracies(one: Instrument, at: str) -> list[Problem]:
    found = []
    for row in one.accuracy:
        parts = (
            row.range, row.reading_percent, row.range_percent, row.offset, row.resolution, row.noise,
            row.nonlinearity_percent, row.transfer_reading_percent, row.transfer_range_percent, row.transfer_min,
            row.per_K_reading_percent, row.per_K_range_percent, row.valid_days or 0.0,
        )  # fmt: skip
        if min(parts) < 0.0 or row.range <= 0.0 or (row.counts is not None and row.counts < 10):
            found.append(Problem(f"{at}.accuracy", "a range must be above zero and no part below"))
    return found


def _instrument(one: Instrument, rig: Rig) -> list[Problem]:
    at: str = key_of(rig, one)
    found: list[Problem] = []
    mine, before = set(one.ports), rig.instruments[: rig.instruments.index(one)]
    if any(i.role == one.role and mine & set(i.ports) for i in before):
        found.append(Problem(f"{at}.port", f"another {ROLES[one.role].lower()} is at this port already"))
    if one.role in OF_THE_UNIT and one.how != "by hand":
        found.append(Problem(f"{at}.how", "a display of the unit is read by a person: by hand"))
    if one.shares and (one.address or not any(i.place == one.shares and not i.shares for i in rig.instruments)):
        why = "names the place of another instrument of the rig, whose address counts"
        found.append(Problem(f"{at}.shares", why))
    if one.how == "connected" and not one.address and not one.shares:
        found.append(Problem(f"{at}.address", "a connected instrument needs an address"))
    if one.how == "simulated" and rig.standin is None:
        found.append(Problem(f"{at}.how", "a simulated instrument needs a [standin] section in this file"))
    found += _accuracies(one, at)
    if one.dummy is not None:
        found += _dummy(one.dummy, f"{at}.dummy")
    if any(value <= 0.0 for value in one.most.values()):
        found.append(Problem(f"{at}.most", "what it can be set to is above zero"))
    found += _further(one, at)
    if one.calibrated:
        try:
            date.fromisoformat(one.calibrated)
        except ValueError:
            found.append(Problem(f"{at}.calibrated", "is a date, such as 2026-03-04"))
    return found
