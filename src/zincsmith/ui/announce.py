"""What changed, told to whoever listens to a screen reader instead of looking."""

from __future__ import annotations

from PySide6.QtGui import QAccessible, QAccessibleAnnouncementEvent
from PySide6.QtWidgets import QWidget

from zincsmith.model.events import EntryAsked, HandSetting, StopRuleMet, Turn


def announce(of: QWidget, words: str, at_once: bool = False) -> None:
    """``at_once``: before whatever is being read out just now."""
    if not words:
        return
    event = QAccessibleAnnouncementEvent(of, words)
    politeness = QAccessible.AnnouncementPoliteness
    event.setPoliteness(politeness.Assertive if at_once else politeness.Polite)
    QAccessible.updateAccessibility(event)


def announced_words(asks: Turn | EntryAsked | None) -> str:
    """What a gate or a prompt wants, in a line."""
    if asks is None:
        return ""
    if isinstance(asks, EntryAsked):
        return f"type {asks.what}"
    if isinstance(asks, HandSetting):
        return asks.text
    return asks.words if isinstance(asks, StopRuleMet) else asks.title
