"""The base of records that people write as files: nothing unknown, nothing of the wrong type, nothing infinite."""

from __future__ import annotations

from typing import Any, ClassVar

Span = tuple[float, float]


class Record:
    """Whoever checks such a record from outside finds the rules for it here (see formats/ and book/codec.py)."""

    __pydantic_config__: ClassVar[dict[str, Any]] = {"extra": "forbid", "strict": True, "allow_inf_nan": False}
