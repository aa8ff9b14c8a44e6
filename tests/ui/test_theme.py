"""Contrast of every text colour on every ground, glyphs of every sign, and a steady reference count of None."""

import gc
import sys
import threading
from collections.abc import Callable
from pathlib import Path

import pytest
from PySide6.QtGui import QColor, QFontMetricsF, QImage, QPainter
from pytestqt.qtbot import QtBot
from tests.ui.conftest import Hands

from zincsmith.ui.other_scripts import missing_words
from zincsmith.ui.theme import (
    DARK,
    DARK_CONTRAST,
    LIGHT,
    LIGHT_CONTRAST,
    OTHER,
    Theme,
    font,
    theme_for,
)

GROUNDS = ("ground", "paper", "strip", "chosen")
SIGNS = "Ωµμηδφ≤≥±²°–—…·−σΣ¼ ×“”→•"


def luminance(color: QColor) -> float:
    """Relative luminance, WCAG 2.1 (from memory)."""

    def linear(c: float) -> float:
        return c / 12.92 if c <= 0.03928 else ((c + 0.055) / 1.055) ** 2.4

    return 0.2126 * linear(color.redF()) + 0.7152 * linear(color.greenF()) + 0.0722 * linear(color.blueF())


def contrast(a: str, b: str) -> float:
    x, y = sorted((luminance(QColor(a)), luminance(QColor(b))), reverse=True)
    return (x + 0.05) / (y + 0.05)


@pytest.mark.parametrize("theme", [LIGHT_CONTRAST, DARK_CONTRAST], ids=lambda t: t.name)
def test_high_contrast_keeps_seven_to_one(theme: Theme) -> None:
    """WCAG 2.1, level AAA, for text; 4.5 for what only marks (from memory)."""
    for ground in GROUNDS:
        named = {"ink": theme.ink, "ink2": theme.ink2, **theme.text, **theme.hue}
        for name, color in named.items():
            ratio = contrast(color, getattr(theme, ground))
            assert ratio >= 7.0, f"{name} on {ground}, {theme.name}: {ratio:.2f}"
    pairs = [(theme.button_ink, theme.button), (theme.spine_ink, theme.spine), (theme.doubt_ink, theme.doubt_ground)]
    pairs += [(theme.alarm, theme.alarm_ground), *((color, theme.paper) for color in theme.verdict.values())]
    assert all(contrast(ink, ground) >= 7.0 for ink, ground in pairs)
    assert all(contrast(line, theme.paper) >= 3.0 for line in (theme.edge, theme.line, theme.focus))
    assert OTHER[OTHER[theme.name].name] is theme, "F11 leaves the contrast as it is"


def test_who_asks_for_contrast_gets_it() -> None:
    assert theme_for(False, True) is LIGHT_CONTRAST
    assert theme_for(True, True) is DARK_CONTRAST
    assert theme_for(True, False) is DARK


def test_contrast_of_black_on_white_is_21() -> None:
    assert contrast("#000000", "#ffffff") == pytest.approx(21.0)


@pytest.mark.parametrize("theme", [LIGHT, DARK], ids=["light", "dark"])
def test_small_text_keeps_four_and_a_half_to_one(theme: Theme) -> None:
    for ground in GROUNDS:
        for name, color in {"ink": theme.ink, "ink2": theme.ink2, **theme.text}.items():
            ratio = contrast(color, getattr(theme, ground))
            assert ratio >= 4.5, f"{name} on {ground} of the {theme.name} theme: {ratio:.2f}"
    for ink, ground in (
        (theme.button_ink, theme.button),
        (theme.spine_ink, theme.spine),
        (theme.doubt_ink, theme.doubt_ground),
        (theme.alarm, theme.alarm_ground),
        (theme.alarm, theme.paper),
    ):
        assert contrast(ink, ground) >= 4.5


@pytest.mark.parametrize("theme", [LIGHT, DARK], ids=["light", "dark"])
def test_marks_and_large_figures_keep_three_to_one(theme: Theme) -> None:
    for color in (*theme.hue.values(), *theme.verdict.values()):
        assert contrast(color, theme.paper) >= 3.0


def test_every_sign_has_a_glyph() -> None:
    metrics = QFontMetricsF(font(13))
    assert [sign for sign in SIGNS if not metrics.inFontUcs4(ord(sign))] == []


def test_figures_are_tabular() -> None:
    metrics = QFontMetricsF(font(20))
    widths = {round(metrics.horizontalAdvance(digit * 10), 3) for digit in "0123456789"}
    assert len(widths) == 1


def test_painting_does_not_lose_references_to_none() -> None:
    """Some versions of the binding lose one reference a void call, until the process aborts."""
    image = QImage(50, 50, QImage.Format.Format_ARGB32)
    painter = QPainter(image)
    before = sys.getrefcount(None)
    for k in range(1000):
        painter.drawLine(0, k % 50, 50, 0)
    after = sys.getrefcount(None)
    painter.end()
    assert abs(after - before) < 200


def test_signs_that_no_typeface_has_are_named(qtbot: QtBot, monkeypatch: pytest.MonkeyPatch) -> None:
    """Latin and Greek come with the program; of another script a typeface of the system is used, or it is said."""
    assert missing_words("INPUT 100-240V~ Ω µ η") == ""
    monkeypatch.setattr("zincsmith.ui.other_scripts._families", lambda _system: 0)
    said = missing_words("输入 100-240V~")
    assert "Chinese or Japanese" in said
    assert "U+5165" in said
    monkeypatch.setattr("zincsmith.ui.other_scripts._families", lambda _system: 3)
    assert missing_words("输入 100-240V~") == ""


def test_garbage_is_collected_in_the_thread_of_the_window(
    open_window: Callable[[Path], Hands], make_book: Callable[..., Path]
) -> None:
    """What judges beside the window may make as much garbage as it likes: nothing that belongs to the window is
    destroyed in its thread. Once the window is closed Python collects by itself again."""

    class Loop:
        def __init__(self) -> None:
            self.me = self

        def __del__(self) -> None:
            where.append(threading.current_thread())

    where: list[threading.Thread] = []
    assert gc.isenabled()
    hands = open_window(make_book())
    assert not gc.isenabled()
    Loop()

    def busy() -> None:
        for _ in range(5000):
            Loop()

    other = threading.Thread(target=busy)
    other.start()
    other.join()
    assert not where, "nobody collects in another thread"
    hands.until(lambda: len(where) > 5000)
    assert {one is threading.main_thread() for one in where} == {True}
    hands.window.session.close()
    assert gc.isenabled()
