"""The engine holds the limits: every setting is checked against the least of what anybody allows."""

from __future__ import annotations

from dataclasses import dataclass

from zincsmith.model.actions import SetLoad, SetSource
from zincsmith.model.errors import LimitError
from zincsmith.model.rig import Rig
from zincsmith.model.unit import Nameplate

LOAD_CEILING = 1.10  # of the rated current: the plan's own ceiling for steady-state work


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
    def of(cls, nameplate: Nameplate, rig: Rig) -> Limits:
        def instrument(role: str, key: str) -> Bound | None:
            one = rig.instrument(role)
            return Bound(one.most[key], f"the most {one.name} can do") if one and key in one.most else None

        ceiling = LOAD_CEILING * nameplate.output.current_A
        return cls(
            source_V=_least(
                Bound(nameplate.input.voltage_max_V, "the upper end of the unit's rated input"),
                instrument("ac_source", "voltage_V"),
            ),
            load_A=_least(
                Bound(ceiling, f"{100 * LOAD_CEILING:.0f} % of the unit's rated current"),
                instrument("load", "current_A"),
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
