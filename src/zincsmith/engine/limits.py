"""The engine holds the limits: every setting is checked against the least of what anybody allows, and what is
live is watched against the same."""

from __future__ import annotations

from collections.abc import Collection, Iterator
from dataclasses import dataclass

from zincsmith.analysis.envelope import Envelope
from zincsmith.model.actions import SetLoad, SetSource, Watch
from zincsmith.model.errors import InputError, LimitError
from zincsmith.model.plan import Plan
from zincsmith.model.quantities import WATCHABLE
from zincsmith.model.rig import Rig
from zincsmith.model.unit import Unit

LOAD_CEILING = 1.10  # of the rated current: the plan's own ceiling for steady-state work
OVER_VOLTAGE = 1.15  # of nominal output
CEILING = 1.2  # of nominal output, where no part says what it stands; common practice, no source
CEILING_WORDS = "1.2 times the rated output"
OVER_LINE = 1.10  # of the upper end of the rated input: what mains may reach for a while
HOTTEST_CASE_DEGC = 90.0  # common practice, no source


@dataclass(frozen=True)
class Bound:
    value: float
    whose: str


def _least(*bounds: Bound | None) -> Bound:
    return min((b for b in bounds if b is not None), key=lambda b: b.value)


@dataclass(frozen=True)
class Limits:
    """The greatest input voltage in V, load current in A, and the frequencies the unit is rated for in Hz."""

    source_V: Bound
    load_A: Bound
    frequency_Hz: tuple[float, float]

    @classmethod
    def of(cls, unit: Unit, rig: Rig, ambient_degC: float | None = None) -> Limits:
        nameplate = unit.nameplate
        envelope = Envelope(nameplate)

        def instrument(role: str, key: str) -> Bound | None:
            one = rig.instrument(role)
            return Bound(one.most[key], f"the most {one.name} can do") if one and key in one.most else None

        parts = [
            Bound(p.rated_V, f"what {p.name} is marked for")
            for p in unit.look.parts
            if p.what in ("X capacitor", "input capacitor") and p.rated_V is not None
        ]
        ceiling = LOAD_CEILING * envelope.full_A()
        derated = None
        if ambient_degC is not None and (share := envelope.share_at(ambient_degC)) < 1.0:
            derated = Bound(share * envelope.full_A(), f"the rated current derated for {ambient_degC:g} °C")
        return cls(
            source_V=_least(
                Bound(nameplate.input.voltage_max_V, "the upper end of the unit's rated input"),
                instrument("ac_source", "voltage_V"),
                *parts,
            ),
            load_A=_least(
                Bound(ceiling, f"{100 * LOAD_CEILING:.0f} % of the unit's rated current"),
                instrument("load", "current_A"),
                derated,
            ),
            frequency_Hz=(min(nameplate.input.frequency_Hz), max(nameplate.input.frequency_Hz)),
        )

    def check(self, action: SetSource | SetLoad) -> None:
        """LimitError, before anything is sent, when a setting would go beyond."""
        if isinstance(action, SetSource):
            self._compare(action.voltage_V, self.source_V, "V", "source")
            low, high = self.frequency_Hz
            if not low - 0.5 <= action.frequency_Hz <= high + 0.5:
                raise LimitError(
                    f"the plan wants {action.frequency_Hz:g} Hz; the unit is rated for {low:g} to {high:g} Hz"
                )
        else:
            self._compare(action.current_A, self.load_A, "A", "load")

    @staticmethod
    def _compare(wanted: float, bound: Bound, unit: str, what: str) -> None:
        if not 0.0 <= wanted <= bound.value * (1.0 + 1e-9):
            raise LimitError(f"the plan wants the {what} at {wanted:g} {unit}; {bound.whose} is {bound.value:g} {unit}")


def whole_run(unit: Unit, rig: Rig, plan: Plan, polled: Collection[str], measured: Collection[str]) -> list[Watch]:
    """The watches of nameplate, parts, rig and plan, which stand from the first setting to the end of the run: on what
    is ``polled``, and on what else is ``measured`` as soon as it is typed. InputError for one that nothing can meet."""
    wanted = (*_nameplate(unit), *_parts(unit), *_rig(rig), *_plan(plan))
    worked_out = {"run_time", *({"input_energy"} if "input_power" in polled else ())}
    if {"output_voltage", "output_current"} <= set(measured):
        worked_out.add("output_power")
    return [w for w in wanted if w.quantity in measured or w.quantity in worked_out]


def _nameplate(unit: Unit) -> Iterator[Watch]:
    plate = unit.nameplate
    yield Watch(
        "output_voltage", None, OVER_VOLTAGE * plate.output.voltage_V, "115 % of the nameplate's output voltage"
    )
    yield Watch(
        "input_voltage", None, OVER_LINE * plate.input.voltage_max_V, "110 % of the upper end of the rated input"
    )
    yield Watch("case_temperature", None, HOTTEST_CASE_DEGC, "what a case may reach before hands are hurt")


def _parts(unit: Unit) -> Iterator[Watch]:
    for part in unit.look.parts:
        if part.what == "output capacitor" and part.rated_V is not None:
            yield Watch("output_voltage", None, part.rated_V, f"what {part.name} is marked for", hard=True)
        elif part.what == "fuse" and part.rated_A is not None:
            yield Watch("input_current", None, part.rated_A, f"what {part.name} of the unit is marked for", hard=True)
        elif part.what in ("X capacitor", "input capacitor") and part.rated_V is not None:
            yield Watch("input_voltage", None, part.rated_V, f"what {part.name} is marked for", hard=True)
    if not any(p.what == "output capacitor" and p.rated_V is not None for p in unit.look.parts):
        ceiling = CEILING * abs(unit.nameplate.output.voltage_V)
        yield Watch("output_voltage", None, ceiling, CEILING_WORDS, hard=True)


def _rig(rig: Rig) -> Iterator[Watch]:
    for gear in rig.gear:
        if gear.what == "fuse" and gear.rated_A is not None:
            yield Watch("input_current", None, gear.rated_A, "the fuse ahead of the unit")
    source, load = rig.instrument("ac_source"), rig.instrument("load")
    if source is not None and "current_A" in source.most:
        yield Watch("input_current", None, source.most["current_A"], f"the most {source.name} can do")
    if load is not None and "current_A" in load.most:
        yield Watch("output_current", None, load.most["current_A"], f"the most {load.name} can do")
    if load is not None and "power_W" in load.most:
        yield Watch("output_power", None, load.most["power_W"], f"the most {load.name} can take")


def _plan(plan: Plan) -> Iterator[Watch]:
    for one in plan.watches:
        if one.low is not None and one.high is not None and one.low > one.high:
            raise InputError(
                f"a watch on {WATCHABLE[one.quantity].words.lower()} from {one.low:g} to {one.high:g} can never be "
                "met: its lower bound lies above its upper one",
                key="watch",
            )
        yield Watch(one.quantity, one.low, one.high, "the plan")
