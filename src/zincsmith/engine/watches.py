"""Limits on live quantities. A watch that cannot read is a trip."""

from __future__ import annotations

from collections.abc import Mapping

from zincsmith.model.actions import Watch


class Watches:
    """Checked with every poll; ``count`` hits in a row trip."""

    def __init__(self) -> None:
        self._watches: list[Watch] = []
        self._hits: dict[int, int] = {}

    def add(self, watch: Watch) -> None:
        self._watches.append(watch)

    def check(self, values: Mapping[str, float]) -> tuple[Watch, float | None] | None:
        """The watch that tripped with the value it saw (None: it could not read), or None."""
        for at, watch in enumerate(self._watches):
            value = values.get(watch.quantity)
            inside = value is not None and (
                (watch.low is None or value >= watch.low) and (watch.high is None or value <= watch.high)
            )
            self._hits[at] = 0 if inside else self._hits.get(at, 0) + 1
            if self._hits[at] >= watch.count:
                return watch, value
        return None
