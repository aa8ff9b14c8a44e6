"""Records to JSON and back: events and documents keep the shape of their dataclass."""

from __future__ import annotations

import json
from typing import TYPE_CHECKING, Any, TypeVar

from pydantic import TypeAdapter, ValidationError
from pydantic_core import PydanticSerializationError

from zincsmith.book.earlier_forms import as_of_today
from zincsmith.formats.plain_text import storable
from zincsmith.model.errors import BookError
from zincsmith.model.feeding import Feeding
from zincsmith.model.plan import Plan
from zincsmith.model.practice import Practice
from zincsmith.model.recipe import Recipe
from zincsmith.model.rig import Rig
from zincsmith.model.unit import Unit

if TYPE_CHECKING:
    from zincsmith.model.events import Event

DOCUMENTS: dict[str, type] = {
    "unit": Unit,
    "rig": Rig,
    "plan": Plan,
    "recipe": Recipe,
    "feeding": Feeding,
    "practice": Practice,
}
T = TypeVar("T")


_adapters: dict[Any, TypeAdapter[Any]] = {}


def _adapter(cls: Any) -> TypeAdapter[Any]:
    if cls not in _adapters:
        _adapters[cls] = TypeAdapter(cls)
    return _adapters[cls]


def dump(record: object) -> str:
    """One record as JSON. Half surrogates, which no file can hold, are written out."""
    adapter = _adapter(type(record))
    try:
        return adapter.dump_json(record).decode()
    except PydanticSerializationError:
        plain = _storable(adapter.dump_python(record))
        return json.dumps(plain, ensure_ascii=False, separators=(",", ":"), default=str)


def _storable(value: Any) -> Any:
    if isinstance(value, str):
        return storable(value)
    if isinstance(value, dict):
        return {_storable(k): _storable(v) for k, v in value.items()}
    return [_storable(v) for v in value] if isinstance(value, list | tuple) else value


def load(cls: type[T], body: str) -> T:
    """A record from JSON; BookError when the text does not fit it."""
    try:
        record: T = _adapter(cls).validate_json(body)
    except ValidationError as error:
        raise BookError(f"a {cls.__name__} in the book cannot be read: {error.errors()[0]['msg']}") from error
    return record


def load_event(kind: str, body: str) -> Event:
    from zincsmith.model.events import EVENTS  # a book without a run opens without them

    if kind not in EVENTS:
        raise BookError(f"the book holds an event of a kind this version does not know: {kind}")
    event: Any = load(EVENTS[kind], as_of_today(kind, body))
    return event  # type: ignore[no-any-return]
