"""Bodies of events as earlier versions stored them, read as records of today. What is stored is never rewritten."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import asdict
from typing import Any

from zincsmith.model.operating_point import operating_point

Body = dict[str, Any]


def as_of_today(kind: str, body: str) -> str:
    """The body in the form of today; itself where it has that form already."""
    for mark, read in EARLIER.get(kind, ()):
        if mark in body:
            body = json.dumps(read(json.loads(body)))
    return body


def _conditions(body: Body) -> Body:
    """Before 0.2 a point stood at numbers by name."""
    point = body["point"]
    if "at" in point:
        return body
    left = {k: v for k, v in point.items() if k != "conditions"}
    return {**body, "point": {**left, "at": asdict(operating_point(point["conditions"]))}}


# By kind of event: what only the earlier form has in its text, and how it is read.
EARLIER: dict[str, tuple[tuple[str, Callable[[Body], Body]], ...]] = {"PointTaken": (('"conditions":', _conditions),)}
