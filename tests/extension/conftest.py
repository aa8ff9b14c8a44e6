"""An installed package, as it lies on the path."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest
from tests.extension.installed import installed


@pytest.fixture
def site() -> Iterator[Path]:
    """The package is installed; afterwards it is gone without a trace."""
    with installed() as place:
        yield place
