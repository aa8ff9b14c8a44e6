"""The decimal mark of the person's locale on screen; files keep the point."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zincsmith.formats.decimal_marks import on_screen, use_mark
from zincsmith.formats.entry import parse_entry


@pytest.fixture(autouse=True)
def comma() -> Iterator[None]:
    use_mark(",")
    yield
    use_mark(".")


@pytest.mark.parametrize(
    ("written", "shown"),
    [
        ("24.03 V ±0.05", "24,03 V ±0,05"), ("≤ 0.3 W; 1.25kΩ", "≤ 0,3 W; 1,25kΩ"), ("at 2.5.", "at 2,5."),
        ("1.2e-3 s", "1,2e-3 s"), ("−0.5 A (k = 1.65)", "−0,5 A (k = 1,65)"), ("0.2.0", "0.2.0"),
        ("127.0.0.1", "127.0.0.1"), ("hollin-1.5.zbook", "hollin-1.5.zbook"), ("run.1", "run.1"), ("C1.5x", "C1.5x"),
        ("2026-11-20", "2026-11-20"), ("5 V", "5 V"),
    ],
)  # fmt: skip
def test_numbers_are_shown_so_and_names_are_left(written: str, shown: str) -> None:
    assert on_screen(written) == shown
    use_mark(".")
    assert on_screen(written) == written


@given(st.floats(-1e5, 1e5, allow_nan=False))
def test_what_is_shown_can_be_typed_again(value: float) -> None:
    use_mark(",")
    text = f"{value:.4f}"
    assert parse_entry(on_screen(text), "V") == pytest.approx(float(text))


def test_a_mark_that_is_neither_is_the_point() -> None:
    use_mark("٫")
    assert on_screen("1.5 V") == "1.5 V"
