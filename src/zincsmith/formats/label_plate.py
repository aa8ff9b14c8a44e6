"""From label lines to the ratings of a nameplate, and what a person has edited beside them kept.

The lines are folded in order; what a later edit of the lines changes, changes on the plate, and what was typed into
fields stays: a three-way merge of the old lines, the plate as it stands and the new lines.
"""

from __future__ import annotations

import dataclasses
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import Any, TypeVar

from zincsmith.formats.label import parse_line
from zincsmith.formats.label_print import print_item
from zincsmith.model.claim import Condition, StatedClaim
from zincsmith.model.figures import FIGURES
from zincsmith.model.label import LabelFigure, LabelInput, LabelItem, LabelMark, LabelOutput
from zincsmith.model.record import Span
from zincsmith.model.unit import CombinedLimit, InputRange, InputRating, Nameplate, OutputRating, Sharing, mode_power_W

ONE_BY_ONE = ("inputs", "outputs", "claims")
R = TypeVar("R", bound=InputRating | OutputRating)


@dataclass(frozen=True)
class Folded:
    """The ratings that stand on the lines; ``left`` is what a plate has no place for, by line number."""

    plate: Nameplate
    left: tuple[tuple[int, str], ...]


@dataclass
class _Fold:
    inputs: list[InputRating] = field(default_factory=list)
    outputs: list[OutputRating] = field(default_factory=list)
    whole: dict[str, Any] = field(default_factory=dict)
    marks: list[str] = field(default_factory=list)
    limits: list[tuple[CombinedLimit, int, str]] = field(default_factory=list)  # with the line it stands on
    sharing: list[Sharing] = field(default_factory=list)
    claims: list[StatedClaim] = field(default_factory=list)
    left: list[tuple[int, str]] = field(default_factory=list)
    waiting: tuple[float, tuple[int, str]] | None = None  # volts without a current yet, and where they stand
    shares: list[tuple[LabelFigure, int]] = field(default_factory=list)  # limits in shares of a rating, and their line
    input_line: int = -1  # that the last input stands on


def fold(lines: Sequence[str]) -> Folded:
    """Read label lines in order. What is stated twice: the later line counts."""
    found = _Fold()
    for number, text in enumerate(lines):
        first = len(found.outputs)
        for item in parse_line(text).items:
            if not _take(found, item, first, number):
                found.left.append((number, print_item(item)))
    outputs = _named(found.outputs)
    names = {one.name for one in outputs}
    known = []
    for one, number, text in found.limits:
        limit = replace(one, outputs=tuple(_by_volts(port, outputs) for port in one.outputs))
        if set(limit.outputs) <= names:
            known.append(limit)
        else:
            found.left.append((number, text))
    shared = [one for one in found.sharing if set(one.ports) <= names]
    _shares_of_ratings(found, outputs)
    plate = Nameplate(
        inputs=tuple(found.inputs),
        outputs=tuple(outputs),
        marks=tuple(dict.fromkeys(found.marks)),
        limits=tuple(known),
        sharing=tuple(shared),
        claims=tuple(found.claims),
        **found.whole,
    )
    return Folded(plate, tuple(found.left))


def merge(plate: Nameplate, before: Sequence[str], after: Sequence[str]) -> Nameplate:
    """The plate once its label lines have changed from ``before`` to ``after``."""
    base, new = fold(before).plate, fold(after).plate
    changes: dict[str, Any] = {}
    for one in dataclasses.fields(Nameplate):
        if one.name not in ONE_BY_ONE:
            was, now = getattr(base, one.name), getattr(new, one.name)
            if was != now:
                changes[one.name] = now
    if "marks" in changes:
        kept = [m for m in plate.marks if m not in base.marks]
        changes["marks"] = tuple(dict.fromkeys([*kept, *new.marks]))
    changes["inputs"] = _merged(plate.inputs, base.inputs, new.inputs)
    changes["outputs"] = _merged(plate.outputs, base.outputs, new.outputs)
    changes["claims"] = (*(c for c in plate.claims if c not in base.claims), *new.claims)
    return replace(plate, **changes)


def _merged(old: tuple[R, ...], base: tuple[R, ...], new: tuple[R, ...]) -> tuple[R, ...]:
    if base == new:
        return old
    out: list[R] = []
    used: set[int] = set()
    for n, one in enumerate(new):
        at = next((k for k, o in enumerate(old) if o.name == one.name and k not in used), None)
        if at is None and n < len(old) and n not in used and (not old[n].name or n < len(base)):
            at = n
        if at is None:
            out.append(one)
            continue
        used.add(at)
        out.append(_over(old[at], base[at] if at < len(base) else None, one))
    # What was added in the fields, and never stood on a line, stays.
    added: list[R] = [o for k, o in enumerate(old) if k not in used and k >= len(base) and base]
    return tuple(out + added)


def _over(old: R, base: R | None, new: R) -> R:
    """``new`` with what a person had typed over the line: fields that differ from what the line gave, or that no
    line speaks of."""
    keep: dict[str, Any] = {}
    for one in dataclasses.fields(new):
        now, was = getattr(new, one.name), getattr(old, one.name)
        line = getattr(base, one.name) if base is not None else _default(one)
        if now == line and was != line:
            keep[one.name] = was
    return replace(new, **keep)


def _default(one: dataclasses.Field[Any]) -> Any:
    return one.default_factory() if one.default_factory is not dataclasses.MISSING else one.default


def _take(found: _Fold, item: LabelItem, first: int, number: int) -> bool:
    match item:
        case LabelMark(text):
            found.marks.append(text)
        case LabelInput():
            return _input(found, item, number)
        case LabelOutput():
            return _output(found, item, number)
        case LabelFigure():
            return _figure(found, item, first, number)
    return True


def _by_volts(port: str, outputs: Sequence[OutputRating]) -> str:
    """A rail that a line names by its volts, 3.3V, by the name it has; what is ambiguous stays as it is."""
    if any(one.name == port for one in outputs) or not port.endswith("V"):
        return port
    same = [one.name for one in outputs if f"{one.voltage_V:g}V" == port and not one.standby]
    return same[0] if len(same) == 1 else port


def _shares_of_ratings(found: _Fold, outputs: Sequence[OutputRating]) -> None:
    """Limits of protections in percent, of the one output that they can speak of."""
    for item, number in found.shares:
        if len(outputs) != 1 or not outputs[0].fixed:
            found.left.append((number, print_item(item)))
            continue
        rated = abs(outputs[0].voltage_V) if item.what == "overvoltage" else outputs[0].current_A
        value = item.value
        of_it = tuple(rated * v / 100.0 for v in value) if isinstance(value, tuple) else rated * (value or 0.0) / 100.0
        if not _claimed(found, replace(item, value=of_it), f"line {number + 1}"):  # type: ignore[arg-type]
            found.left.append((number, print_item(item)))


def _input(found: _Fold, item: LabelInput, number: int) -> bool:
    voltage = item.voltage_V or ((min(item.selector_V), max(item.selector_V)) if item.selector_V else None)
    hertz = tuple(dict.fromkeys(item.frequency_Hz)) if item.frequency_Hz is not None else None
    if voltage is None:
        if not found.inputs:
            return False
        last = found.inputs[-1]
        found.inputs[-1] = replace(
            last,
            frequency_Hz=hertz or last.frequency_Hz,
            current_A=item.current_A if item.current_A is not None else last.current_A,
            power_W=item.power_W if item.power_W is not None else last.power_W,
        )
        return True
    standard = (50.0, 60.0) if item.type == "ac" else ()
    if found.input_line == number:  # a further range of the same input
        found.inputs[-1] = _with_range(found.inputs[-1], item, voltage, hertz or standard)
        return True
    found.input_line = number
    found.inputs.append(
        InputRating(
            voltage_V=voltage,
            frequency_Hz=hertz or standard,
            current_A=item.current_A,
            power_W=item.power_W,
            type="ac" if item.type == "ac" else "dc",
            selector_V=item.selector_V or (),
            name="" if not found.inputs else f"input {len(found.inputs) + 1}",
        )
    )
    return True


def _with_range(one: InputRating, item: LabelInput, voltage: Span, hertz: tuple[float, ...]) -> InputRating:
    first = InputRange(one.voltage_V, one.current_A, one.type, one.frequency_Hz)
    further = InputRange(voltage, item.current_A, "ac" if item.type == "ac" else "dc", hertz)
    ranges = (*(one.ranges or (first,)), further)
    own = [r for r in ranges if r.type == one.type]
    return replace(
        one,
        voltage_V=(min(r.voltage_V[0] for r in own), max(r.voltage_V[1] for r in own)),
        frequency_Hz=tuple(dict.fromkeys(f for r in own for f in r.frequency_Hz)),
        current_A=max((r.current_A for r in own if r.current_A is not None), default=None),
        ranges=ranges,
    )


def _output(found: _Fold, item: LabelOutput, number: int) -> bool:
    name, kind = item.name or "", "ac" if item.type == "ac" else "dc"
    if item.programmable and not item.modes and item.voltage_V is None and found.outputs:
        at = next((k for k, o in enumerate(found.outputs) if o.name == name), len(found.outputs) - 1)
        last = found.outputs[at]
        found.outputs[at] = replace(last, programmable=(*last.programmable, *item.programmable))
        return True
    voltage = item.voltage_V
    if voltage is None and not item.modes and not item.programmable:
        if found.waiting is None or item.current_A is None:
            return _watts_alone(found, item)
        (voltage, place), found.waiting = found.waiting, None
        found.left.remove(place)
    span = voltage if isinstance(voltage, tuple) else None
    top = span[1] if span is not None else voltage if isinstance(voltage, float) else None
    current = item.current_A
    if current is None and top and item.power_W is not None:
        current = abs(item.power_W / top)
    if item.modes or item.programmable:
        rated = [(m.voltage_V, m.current_A, mode_power_W(m) or 0.0) for m in item.modes if m.current_A is not None]
        rated += [(p.voltage_V[1], p.current_A, 0.0) for p in item.programmable if p.current_A is not None]
        if not rated:
            return False
        top, current, _ = max(rated, key=lambda r: r[2])
    if top is None:
        return False
    if current is None:
        found.waiting = (top, (number, print_item(item)))
        return False
    found.outputs.append(
        OutputRating(
            voltage_V=top,
            current_A=current,
            power_W=item.power_W,
            name=name,
            type=kind,  # type: ignore[arg-type]
            adjustable_V=span,
            adjustable_A=(item.current_from_A, current) if item.current_from_A is not None else None,
            modes=item.modes,
            programmable=item.programmable,
            standby=name.endswith("SB"),
        )
    )
    return True


def _watts_alone(found: _Fold, item: LabelOutput) -> bool:
    """Watts on a line of their own are those of the one output before them that has none."""
    if item.power_W is None or item.current_A is not None or len(found.outputs) != 1:
        return False
    last = found.outputs[-1]
    if last.power_W is not None:
        return False
    found.outputs[-1] = replace(last, power_W=item.power_W)
    return True


def _named(outputs: list[OutputRating]) -> list[OutputRating]:
    """Several outputs need names: those without one get their volts."""
    if len(outputs) < 2:
        return outputs
    out: list[OutputRating] = []
    for one in outputs:
        name = one.name or f"{one.voltage_V:g} V"
        taken = sum(o.name == name or o.name.startswith(f"{name} #") for o in out)
        out.append(replace(one, name=f"{name} #{taken + 1}" if taken else name))
    return out


def _figure(found: _Fold, item: LabelFigure, first: int, number: int) -> bool:
    single = item.value if isinstance(item.value, float) else None
    if single is not None and (item.what, item.unit) in ON_OUTPUTS:
        return _on_outputs(found, first, **{ON_OUTPUTS[item.what, item.unit]: single})
    if single is not None and (item.what, item.unit) in ON_THE_ONE:
        held = {"surge_s": item.at_s} if item.at_s is not None else {}
        change = {ON_THE_ONE[item.what, item.unit]: single, **held}
        return len(found.outputs) == 1 and _on_outputs(found, first, **change)
    if item.ports:
        return _of_several(found, item, number)
    if item.what == "temperature":
        return _temperature(found, item)
    if item.what in ("overvoltage", "overcurrent") and item.unit == "%":
        found.shares.append((item, number))
        return True
    bare = item.at_V is None and not item.qualifier
    if single is not None and item.what in OF_THE_WHOLE and (bare or item.what != "average_active_efficiency"):
        found.whole[OF_THE_WHOLE[item.what]] = single
        return True
    return _claimed(found, item, f"line {number + 1}")


# Figures of the outputs before them, of the one output there is, and of the unit as a whole: the fields they fill.
ON_OUTPUTS = {
    ("tolerance", "%"): "tolerance_percent",
    ("load_regulation", "%"): "load_regulation_percent",
    ("line_regulation", "%"): "line_regulation_percent",
    ("ripple", "V"): "ripple_V",
}
ON_THE_ONE = {("minimum_load", "A"): "minimum_A", ("surge_power", "W"): "surge_W"}
OF_THE_WHOLE = {
    "total_power": "total_power_W",
    "no_load_power": "no_load_power_W",
    "average_active_efficiency": "average_efficiency_percent",
}


def _of_several(found: _Fold, item: LabelFigure, number: int) -> bool:
    """What several ports share, or have together."""
    ports, single = item.ports or (), item.value if isinstance(item.value, float) else None
    if item.each_W is not None:
        found.sharing.append(Sharing(ports, item.each_W))
        return True
    if single is None:
        return False
    if item.what == "total_power" and len(ports) == 1:
        found.whole["total_power_W"] = single
        return True
    limit = CombinedLimit(ports, single) if item.what == "total_power" else CombinedLimit(ports, current_A=single)
    found.limits.append((limit, number, print_item(item)))
    return True


def _temperature(found: _Fold, item: LabelFigure) -> bool:
    if isinstance(item.value, tuple):
        found.whole["ambient_degC"] = item.value
        return True
    if item.value is None or "derate" not in (item.qualifier or ""):
        return False
    found.whole["derating"] = ((item.value, 100.0),)
    return True


FLOORS = ("efficiency", "average_active_efficiency", "power_factor", "hold_up")


def _claimed(found: _Fold, item: LabelFigure, where: str) -> bool:
    """A figure that becomes exactly the claim that is printed. A typical one promises nothing; a single limit of a
    protection does not say on which side of it the protection acts."""
    if item.what not in FIGURES or "typ" in (item.qualifier or ""):
        return False
    scale = 0.01 if item.unit == "%" and FIGURES[item.what].unit == "1" else 1.0
    ends = item.value if isinstance(item.value, tuple) else (item.value, item.value)
    if ends[0] is None or ends[1] is None:
        return False
    low, high = ends[0] * scale, ends[1] * scale
    least, most = (low, None) if item.what in FLOORS else (None, high)
    if isinstance(item.value, tuple):
        least, most = low, high
    elif item.what in ("overvoltage", "overcurrent"):
        if item.qualifier not in ("min.", "max."):
            return False
        least, most = (low, None) if item.qualifier == "min." else (None, high)
    elif item.what == "cross_regulation":
        least, most = -high, high
    line = (item.at_V, item.at_V) if item.at_V is not None else None
    load = (item.at_load_percent, item.at_load_percent) if item.at_load_percent is not None else None
    note = item.qualifier if item.what in FLOORS and item.qualifier else ""
    condition = Condition(line_V=line, frequency_Hz=item.at_Hz, load_percent=load, note=note)
    found.claims.append(StatedClaim(item.what, least, most, where=where, condition=condition))
    return True


def _on_outputs(found: _Fold, first: int, **change: float) -> bool:
    """A figure speaks of the outputs on its line; on a line of its own, of all before it."""
    at = range(first, len(found.outputs)) if len(found.outputs) > first else range(len(found.outputs))
    for k in at:
        found.outputs[k] = replace(found.outputs[k], **change)  # type: ignore[arg-type]
    return bool(at)
