"""Limits on live quantities. A watch that cannot read is a trip."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass

from zincsmith.model.actions import Watch


@dataclass(frozen=True)
class Trip:
    """``value`` is None when the quantity could not be read."""

    watch: Watch
    value: float | None


class Watches:
    """Checked with every poll; ``count`` hits in a row trip.

    Those of the whole run stay; those of a part of the plan end with it. Quantities that nobody can poll (``typed``)
    are judged the moment a person has typed them, by ``beyond``.
    """

    def __init__(self, whole_run: Iterable[Watch] = (), typed: Collection[str] = ()) -> None:
        self._whole = list(whole_run)
        self._typed = frozenset(typed)
        self._part: list[Watch] = []
        self._hits: dict[tuple[str, str], int] = {}

    @property
    def all(self) -> tuple[Watch, ...]:
        return (*self._whole, *self._part)

    def begin_part(self) -> None:
        self._part.clear()

    def add(self, watch: Watch) -> None:
        """A watch of the same quantity and owner takes the place of the earlier one."""
        key = (watch.quantity, watch.whose)
        self._part = [w for w in self._part if (w.quantity, w.whose) != key]
        self._part.append(watch)
        self._hits.pop(key, None)

    def check(self, values: Mapping[str, float], fed: bool = True) -> Trip | None:
        """What tripped, the tightest first, or None; ``fed``: the input is on."""
        trips = []
        for watch in self.all:
            key = (watch.quantity, watch.whose)
            if watch.fed and not fed:
                self._hits.pop(key, None)
                continue
            if watch.quantity in self._typed:
                continue
            value = values.get(watch.quantity)
            inside = value is not None and (
                (watch.low is None or value >= watch.low) and (watch.high is None or value <= watch.high)
            )
            self._hits[key] = 0 if inside else self._hits.get(key, 0) + 1
            if self._hits[key] >= watch.count:
                trips.append(Trip(watch, value))
        return min(trips, key=_tightness, default=None)

    def beyond(self, quantity: str, value: float) -> Trip | None:
        """What a typed value lies beyond, a limit that nobody may pass first; None when it lies within all."""
        trips = [
            Trip(w, value)
            for w in self.all
            if w.quantity == quantity
            and ((w.low is not None and value < w.low) or (w.high is not None and value > w.high))
        ]
        return min(trips, key=lambda t: (not t.watch.hard, _tightness(t)), default=None)


def tightest(watches: Iterable[Watch]) -> list[Watch]:
    """Of each quantity the least upper and the greatest lower bound: those that would trip first."""
    high: dict[str, Watch] = {}
    low: dict[str, Watch] = {}
    for watch in watches:
        top, bottom = high.get(watch.quantity), low.get(watch.quantity)
        if watch.high is not None and (top is None or top.high is None or watch.high < top.high):
            high[watch.quantity] = watch
        if watch.low is not None and (bottom is None or bottom.low is None or watch.low > bottom.low):
            low[watch.quantity] = watch
    return list(dict.fromkeys([*high.values(), *low.values()]))


def _tightness(trip: Trip) -> float:
    """Unread quantities first, then by upper bound."""
    if trip.value is None:
        return float("-inf")
    return trip.watch.high if trip.watch.high is not None else float("inf")
