"""What hangs on each line of the label: the parts of the plate and the claims that would change if the line went."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from zincsmith.formats.label_plate import merge
from zincsmith.judge.claims import all_claims
from zincsmith.model.unit import Nameplate


@dataclass(frozen=True)
class Link:
    """``parts`` are ``input N`` and ``output N`` (from 0), ``total`` and ``marks``; ``claims`` keys of claims."""

    parts: frozenset[str]
    claims: frozenset[str]


def links(plate: Nameplate, lines: Sequence[str]) -> tuple[Link, ...]:
    """One link a line, found by taking the line away."""
    claims = {c.key: (c.low, c.high) for c in all_claims(plate) if not c.published}
    return tuple(_link(plate, tuple(lines), n, claims) for n in range(len(lines)))


def _link(plate: Nameplate, lines: tuple[str, ...], n: int, claims: Mapping[str, tuple[float | None, ...]]) -> Link:
    left = merge(plate, lines, (*lines[:n], *lines[n + 1 :]))
    still = {c.key: (c.low, c.high) for c in all_claims(left) if not c.published}
    parts = {f"input {k}" for k, one in enumerate(plate.inputs) if one not in left.inputs}
    parts |= {f"output {k}" for k, one in enumerate(plate.outputs) if one not in left.outputs}
    parts |= {"total"} if plate.total_power_W != left.total_power_W else set()
    parts |= {"marks"} if plate.marks != left.marks else set()
    return Link(frozenset(parts), frozenset(key for key, bounds in claims.items() if still.get(key) != bounds))
