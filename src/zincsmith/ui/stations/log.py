"""Log: what happened, in order of time; readings folded under their point; notes, photographs and marks."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QSize, Qt, QTimer
from PySide6.QtGui import QBrush, QIcon, QKeySequence, QPixmap, QShortcut
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QPushButton, QTreeWidget, QTreeWidgetItem, QVBoxLayout

from zincsmith.book.reader import Written
from zincsmith.formats.words import counted
from zincsmith.history.ran import Ran
from zincsmith.judge.judging import JudgedRun
from zincsmith.model.commands import Mark, Note
from zincsmith.ui.connection.session import Session
from zincsmith.ui.leaving.files import Leaving
from zincsmith.ui.photos.photo_note import PhotoNote
from zincsmith.ui.station import Station
from zincsmith.ui.theme import font, theme
from zincsmith.ui.widgets.first_page import FirstPage
from zincsmith.ui.widgets.panel import Panel, button, heading_row, key_button, label, tip
from zincsmith.ui.widgets.ran_tape import RanTape
from zincsmith.ui.widgets.say_line import Saying, SayLine
from zincsmith.ui.widgets.shown_items import ShownItems
from zincsmith.words.log_words import Entry, Kind, LogBook, News

THUMB = 56
WINDOW = 200  # events that are loaded at once; half of them are exchanged at either end
TAPE_ROWS = 1000
KEPT = "(x) "  # in front of what is kept but not counted


class LogStation(Station):
    """A tree in order of time below the tape; buttons above leave kinds out of sight."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.book, self.ran = LogBook(), Ran()
        self.run: JudgedRun | None = None
        self._run_seen: tuple[object, ...] = ()
        self._seq = self._first = self._tape_seq = 0
        self._last: int | None = None  # the last event that is loaded; None: nothing was yet
        self._tail, self._moving = True, False  # what is loaded reaches to the end of the book; it is being moved
        self._tape_timer = QTimer(self)
        self._tape_timer.setInterval(0)
        self._tape_timer.timeout.connect(self._read_tape)
        self._item_of: dict[int, QTreeWidgetItem] = {}
        self._counts: Counter[Kind] = Counter()
        self._hidden: set[Kind] = set()
        self._lay_out()
        self.tree.verticalScrollBar().valueChanged.connect(self._scrolled)
        QShortcut(QKeySequence("Ctrl+F"), self).activated.connect(self.finder.setFocus)

    def _lay_out(self) -> None:
        outer = QVBoxLayout(self)
        outer.setContentsMargins(16, 8, 16, 12)
        outer.setSpacing(9)
        row, _ = heading_row("Log")
        self.count = label("", 13, 400, "second")
        row.addWidget(self.count)
        self.finder = QLineEdit()
        self.finder.setPlaceholderText("Find  Ctrl+F")
        self.finder.setAccessibleName("Find in the log")
        self.finder.setFont(font(14))
        self.finder.setFixedWidth(240)
        self.finder.textChanged.connect(self._filter)
        self.finder.returnPressed.connect(self._next)
        row.addWidget(self.finder)
        self.found = label("", 13, 400, "second")
        row.addWidget(self.found)
        self.say = SayLine()
        self.say.said.connect(self.session.send)
        self.say.left.connect(self.take_focus)
        row.addWidget(self.say, 1)
        row.addStretch()
        self._photos = PhotoNote(self, self.session)
        note = Saying("Note: Enter keeps it, Esc leaves", Note)
        mark = Saying("Mark: what is it? Enter marks this moment, Esc leaves", Mark, empty=True)
        for words, act in (
            ("Note  F2", lambda: self.say.begin(note)),
            ("Photo  F3", self._photos.take),
            ("Mark  F4", lambda: self.say.begin(mark)),
        ):
            row.addWidget(key_button(words, act, self))
        outer.addLayout(row)
        outer.addWidget(self.say.problem)
        panel = Panel("", "")
        self.tape = RanTape()
        self.tape.sought.connect(self._seek)
        panel.body.addWidget(self.tape)
        panel.body.addLayout(self._kinds())
        self.tree = QTreeWidget()
        self.tree.setItemDelegate(ShownItems(self.tree))
        self.tree.setAccessibleName("Log")
        self.tree.setColumnCount(3)
        self.tree.setHeaderLabels(["Time", "What", ""])
        self.tree.setFont(font(13))
        self.tree.header().setFont(font(12))
        self.tree.setColumnWidth(0, 130)
        self.tree.setColumnWidth(1, 330)
        self.tree.setIconSize(QSize(THUMB, THUMB))
        self.tree.setUniformRowHeights(False)
        panel.body.addWidget(self.tree, 1)
        panel.body.addWidget(
            label("Right opens, Left folds; (x) stands before what is kept but not counted", 12, 400, "second")
        )
        columns = QHBoxLayout()
        columns.setSpacing(12)
        columns.addWidget(panel, 1)
        columns.addWidget(self._leaving_panel())
        outer.addLayout(columns, 1)

    def _leaving_panel(self) -> Panel:
        panel = Panel("Report", "its first page")
        panel.setFixedWidth(330)
        self.first_page = FirstPage()
        panel.body.addWidget(self.first_page, 1)
        self.leaving = Leaving(self)
        self.left_word = label("", 13, 400, "second", wrap=True)
        self.leaving.said.connect(self.left_word.setText)
        panel.body.addWidget(self.left_word)
        row = QHBoxLayout()
        self.save, self.export = button("Save report…  Ctrl+S", "main"), button("Export…  Ctrl+E")
        for made, keys, act in (
            (self.save, "Ctrl+S", self.leaving.ask_report),
            (self.export, "Ctrl+E", self.leaving.ask_folder),
        ):
            made.setShortcut(keys)
            made.clicked.connect(lambda _checked=False, act=act: self._leave(act))
            row.addWidget(made)
        panel.body.addLayout(row)
        return panel

    def _leave(self, act: Callable[[Path, JudgedRun], None]) -> None:
        if self.run is not None:
            act(self.session.book_path, self.run)

    def _show_run(self) -> None:
        """The latest run, judged when it is first seen and when it has ended: judging takes a while."""
        view = self.session.view
        if view.active and self.run is not None and self.run.row.id == view.run:
            return
        seen = (view.run, len(view.points), view.closed, view.answered, self.session.unit)
        if seen == self._run_seen:
            return
        found = self.session.judging()
        if found is None:
            return
        self._run_seen, self.run = seen, found.run  # Findings says why there is none
        self.first_page.show_run(self.run)
        for made in (self.save, self.export):
            made.setEnabled(self.run is not None)

    def _show_tape(self) -> None:
        rows = [self.tree.itemAt(4, y) for y in (4, self.tree.viewport().height() - 4)]
        first, last = ((r.data(0, Qt.ItemDataRole.UserRole).seq if r is not None else None) for r in rows)
        self.tape.show_ran(self.ran, (first or 0, last if last is not None else self._seq))

    def _seek(self, seq: int) -> None:
        """Bring the entry of that moment to the top of the list, fetched if it is not there."""
        reader = self.session.reader
        if reader is not None and self._last is not None and not self._first <= seq <= self._last:
            self._moving = True
            events = [*reader.told(before=seq + 1, most=WINDOW // 2), *reader.told(after=seq, most=WINDOW // 2)]
            self._show_window(events, not events or not reader.told(after=events[-1].seq, most=1))
            self._moving = False
        self._bring(seq, QTreeWidget.ScrollHint.PositionAtTop)
        self._show_tape()

    def _kinds(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(6)
        self.kinds: dict[Kind, QPushButton] = {}
        for kind in Kind:
            made = button(kind.value)
            made.setCheckable(True)
            made.setChecked(True)
            made.setObjectName("segment")
            made.toggled.connect(lambda on, k=kind: self._show_kind(k, on))
            self.kinds[kind] = made
            row.addWidget(made)
        row.addStretch()
        return row

    def refresh(self) -> None:
        reader = self.session.reader
        if reader is None:
            return
        self._tape_timer.start()
        if self._last is None:
            self._show_window(reader.told(most=WINDOW), tail=True)
        elif self._tail:
            fresh = reader.told(after=self._last, most=WINDOW)
            if len(fresh) == WINDOW or len(self._item_of) + len(fresh) > 2 * WINDOW:
                self._show_window(reader.told(most=WINDOW), tail=True)
            elif fresh:
                self._last = fresh[-1].seq
                self._append(self.book.take(fresh))
        self._seq = reader.last_seq()
        self.count.setText(counted(self._seq, "event"))
        self._show_run()

    def _show_window(self, events: list[Written], tail: bool) -> None:
        """Show these events and no others: the tree holds what is seen, however long the book is."""
        self.book, self._item_of, self._counts = LogBook(), {}, Counter()
        self.tree.setUpdatesEnabled(False)
        self.tree.clear()
        self.tree.setUniformRowHeights(True)  # until a photograph comes: otherwise every row is measured
        self._tail = tail
        self._first = events[0].seq if events else 0
        self._last = events[-1].seq if events else 0
        self._append(self.book.take(events))
        self.tree.setUpdatesEnabled(True)
        self._show_tape()

    def _scrolled(self, value: int) -> None:
        """At either end of what is loaded, fetch what lies beyond; where the eye was stays in sight."""
        reader, bar = self.session.reader, self.tree.verticalScrollBar()
        if reader is None or self._moving or self._last is None:
            return
        top = value <= bar.minimum()
        events: list[Written] = []
        if top and (earlier := reader.told(before=self._first, most=WINDOW // 2)):
            seen = self._first
            events = [*earlier, *reader.told(after=earlier[-1].seq, most=WINDOW // 2)]
        elif value >= bar.maximum() and not self._tail:
            seen = self._last
            events = [*reader.told(before=seen + 1, most=WINDOW // 2), *reader.told(after=seen, most=WINDOW // 2)]
        if events:
            self._moving = True
            self._show_window(events, not reader.told(after=events[-1].seq, most=1))
            self._bring(seen, QTreeWidget.ScrollHint.PositionAtTop if top else QTreeWidget.ScrollHint.PositionAtBottom)
            self._moving = False
        self._show_tape()

    def _bring(self, seq: int, where: QTreeWidget.ScrollHint) -> None:
        items = [i for i in self._items() if i.data(0, Qt.ItemDataRole.UserRole).seq <= seq and not i.isHidden()]
        if items:
            found = max(items, key=lambda i: i.data(0, Qt.ItemDataRole.UserRole).seq)
            self.tree.setCurrentItem(found)
            self.tree.scrollToItem(found, where)

    def _read_tape(self) -> None:
        """The tape is made of every poll: some thousands at a time, while the window stays free."""
        reader = self.session.reader
        rows = reader.tape_rows(self._tape_seq, TAPE_ROWS) if reader is not None else []
        if len(rows) < TAPE_ROWS:
            self._tape_timer.stop()
        if rows:
            self._tape_seq = rows[-1][0]
            self.ran.take(rows)
            self._show_tape()

    def _append(self, news: list[News]) -> None:
        """Add what is new to the end, and mark what is not counted any more; nothing else is touched."""
        if not news:
            return
        bar = self.tree.verticalScrollBar()
        at_end = bar.value() >= bar.maximum() - 4
        for under, entry in news:
            known = self._item_of.get(id(entry))
            if known is not None:
                self._mark_kept(known, entry)
                continue
            parent = self.tree.invisibleRootItem() if under is None else self._item_of[id(under)]
            self._add(parent, entry)
            self._counts[entry.kind] += 1
        for kind, made in self.kinds.items():
            made.setText(f"{kind.value} {self._counts[kind]}")
        if self._hidden or self.finder.text().strip():
            self._filter()
        if at_end:
            self.tree.scrollToBottom()

    @staticmethod
    def _mark_kept(item: QTreeWidgetItem, entry: Entry) -> None:
        item.setText(1, f"{KEPT if entry.kept else ''}{entry.text}")
        for column in range(3):
            item.setForeground(column, QBrush(theme().color("ink2")))

    def _add(self, parent: QTreeWidgetItem, entry: Entry) -> None:
        item = QTreeWidgetItem(parent, [entry.time, f"{KEPT if entry.kept else ''}{entry.text}", entry.detail])
        item.setData(0, Qt.ItemDataRole.UserRole, entry)
        self._item_of[id(entry)] = item
        item.setToolTip(2, tip(entry.detail))
        if entry.heading:
            for column in range(3):
                item.setFont(column, font(14, 700) if column < 2 else font(13, 400))
                item.setBackground(column, QBrush(theme().color("strip")))
        if entry.kept:
            for column in range(3):
                item.setForeground(column, QBrush(theme().color("ink2")))
        if entry.kind is Kind.STOPS and not entry.heading:
            item.setFont(1, font(13, 700))
        if entry.photo:
            data = self.session.photo(entry.photo)
            if data is not None:
                self.tree.setUniformRowHeights(False)
                picture = QPixmap()
                picture.loadFromData(data)
                item.setIcon(1, QIcon(picture))
        item.setExpanded(entry.heading)
        if not entry.heading:  # what stands under a heading comes as news of its own
            for below in entry.under:
                self._add(item, below)

    def _items(self) -> list[QTreeWidgetItem]:
        stack = [self.tree.topLevelItem(n) for n in range(self.tree.topLevelItemCount())]
        found = []
        while stack:
            if (item := stack.pop()) is None:
                continue
            found.append(item)
            stack += [item.child(n) for n in range(item.childCount())]
        return found

    @staticmethod
    def _key(item: QTreeWidgetItem) -> tuple[int, str]:
        entry = item.data(0, Qt.ItemDataRole.UserRole)
        return entry.seq, entry.text

    def _show_kind(self, kind: Kind, on: bool) -> None:
        (self._hidden.discard if on else self._hidden.add)(kind)
        self._filter()

    def _filter(self) -> None:
        """Hide what is not wanted; a heading stays while something under it does."""
        wanted = self.finder.text().strip()
        hits = 0
        for item in self._items():
            entry = item.data(0, Qt.ItemDataRole.UserRole)
            hidden = entry.kind in self._hidden and not entry.heading
            missed = bool(wanted) and not entry.holds(wanted)
            parent = item.parent()
            if missed and parent is not None and not parent.data(0, Qt.ItemDataRole.UserRole).heading:
                missed = False  # readings stay with the point that was found
            item.setHidden(hidden or missed)
            hits += bool(wanted) and not entry.heading and not missed and not hidden and entry.holds(wanted)
        self.found.setText(f"{hits} found, Enter next" if wanted else "")

    def _next(self) -> None:
        wanted = self.finder.text().strip()
        items = sorted(
            (i for i in self._items() if not i.isHidden() and i.data(0, Qt.ItemDataRole.UserRole).holds(wanted)),
            key=self._key,
        )
        leaves = [i for i in items if not i.data(0, Qt.ItemDataRole.UserRole).heading]
        current = self.tree.currentItem()
        at = self._key(current)[0] if current is not None else 0
        if wanted and not any(self._key(i)[0] > at for i in leaves) and self.session.reader is not None:
            beyond = self.session.reader.told_with(wanted, max(at, self._last or 0))
            if beyond is not None:
                self._seek(beyond)
                self._filter()
                return
        if not wanted or not leaves:
            return
        after = [i for i in leaves if current is not None and self._key(i) > self._key(current)]
        self.tree.setCurrentItem((after or leaves)[0])
        self.tree.scrollToItem((after or leaves)[0])

    def take_focus(self) -> None:
        self.tree.setFocus()

    def restyle(self) -> None:
        """Colours belong to the theme: the tree is made anew."""
        self.ran, self._tape_seq, self._last, self._run_seen = Ran(), 0, None, ()
        self.refresh()
