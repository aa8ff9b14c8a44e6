"""Records to JSON and back: events and documents keep the shape of their dataclass."""

from __future__ import annotations

from typing import Any, TypeVar

from pydantic import TypeAdapter, ValidationError

from zincsmith.model.errors import BookError
from zincsmith.model.events import EVENTS, Event
from zincsmith.model.plan import Plan
from zincsmith.model.rig import Rig
from zincsmith.model.unit import Unit

DOCUMENTS: dict[str, type] = {"unit": Unit, "rig": Rig, "plan": Plan}
T = TypeVar("T")


_adapters: dict[Any, TypeAdapter[Any]] = {}


def _adapter(cls: Any) -> TypeAdapter[Any]:
    if cls not in _adapters:
        _adapters[cls] = TypeAdapter(cls)
    return _adapters[cls]


def dump(record: object) -> str:
    """One record as JSON."""
    return _adapter(type(record)).dump_json(record).decode()


def load(cls: type[T], body: str) -> T:
    """A record from JSON; BookError when the text does not fit it."""
    try:
        record: T = _adapter(cls).validate_json(body)
    except ValidationError as error:
        raise BookError(f"a {cls.__name__} in the book cannot be read: {error.errors()[0]['msg']}") from error
    return record


def load_event(kind: str, body: str) -> Event:
    if kind not in EVENTS:
        raise BookError(f"the book holds an event of a kind this version does not know: {kind}")
    event: Any = load(EVENTS[kind], body)
    return event  # type: ignore[no-any-return]
