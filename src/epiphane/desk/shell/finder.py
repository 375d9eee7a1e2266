"""The finder: everything that can be done, laid or gone to, found by its words in three columns."""

from collections.abc import Callable, Iterable
from enum import Enum
from pathlib import Path
from typing import TYPE_CHECKING

from msgspec import Struct
from PyQt6.QtCore import QEvent, QModelIndex, QRect, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFocusEvent, QKeyEvent, QPainter
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QFrame,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
)

from epiphane.desk.control.overlays import FILLS, ON_HITS
from epiphane.desk.control.selection import (
    FootageSelection,
    LaneSelection,
    PartSelection,
    PulseSelection,
    Selection,
)
from epiphane.desk.engine.debounce import debounced
from epiphane.desk.look import theme
from epiphane.desk.look.fields import label
from epiphane.desk.look.lanes import lane_label
from epiphane.desk.shelf.panel import ShelfPage
from epiphane.desk.shelf.search import best_first
from epiphane.desk.shell.actions import ACTIONS, OTHER_WORDS, key_text
from epiphane.desk.shell.menus import actions_for
from epiphane.document.ids import FootageId
from epiphane.edits.shots.shots import footage_name
from epiphane.effects.declare import EFFECTS
from epiphane.errors import ParameterError
from epiphane.facts.form import part_words, parts_of
from epiphane.facts.places import parse_place
from epiphane.files.settings import recent_projects
from epiphane.media.shipped import shipped_overlays
from epiphane.timing import clock_text, frame_at
from epiphane.transitions.declare import TRANSITIONS
from epiphane.wording import tr

if TYPE_CHECKING:
    from epiphane.desk.shell.window import Window

_MOST_ROWS = 80
_WAIT_MILLISECONDS = 40
_ROW, _HEIGHT, _LEAST_WIDTH = 26, 470, 760
_LEAVES = (Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Escape)
_TURNS = (Qt.Key.Key_Tab, Qt.Key.Key_Backtab)


class Column(Enum):
    """What an entry is for."""

    DO = tr("Do")
    LAY = tr("Lay")
    GO = tr("Go to")


class Entry(Struct, frozen=True):
    """One thing that can be found: what it is called, in other words, and of what kind; what it does.

    The kind is told beside it: keys of an action, the family of an effect.
    """

    column: Column
    name: str
    words: str
    kind: str
    act: Callable[[], object]
    colour: QColor | None = None


def entries_of(window: "Window") -> list[Entry]:
    """Return everything that can be found in a window as it is now."""
    return [*_actions(window), *_to_lay(window), *_places(window)]


def offered(window: "Window") -> list[Entry]:
    """Return what is shown while nothing is typed: what can be done with the selection, and all the rest."""
    entries = entries_of(window)
    groups = actions_for(window.editor.selection, window.actions_by_id)
    texts = [action.text() for group in groups for action in group]
    done = {one.name: one for one in entries if one.column is Column.DO}
    return [done[text] for text in texts] + [one for one in entries if one.column is not Column.DO]


def _actions(window: "Window") -> Iterable[Entry]:
    for spec in ACTIONS:
        action = window.actions_by_id[spec.id]
        if action.isEnabled() and spec.id != "find":
            words = f"{tr(spec.group)} {OTHER_WORDS.get(spec.id)}"
            yield Entry(Column.DO, action.text(), words, key_text(spec.keys[0]), action.trigger)


def _to_lay(window: "Window") -> Iterable[Entry]:
    def lay(key: str) -> Callable[[], object]:
        return lambda: window.lanes.add(key)

    def put(name: str) -> Callable[[], object]:
        return lambda: window.overlays.put(name, window.lanes.usual_target(), None)

    def use(path: str) -> Callable[[], object]:
        return lambda: window.recipes.use(path)

    for effect in EFFECTS.all():
        words = tr(
            "{keywords} {summary} {names} effect",
            keywords=effect.keywords,
            summary=effect.summary,
            names=" ".join(one.label for one in effect.parameters),
        )
        kind, colour = tr(effect.family.value), theme.FAMILY_COLOURS[effect.family]
        yield Entry(Column.LAY, effect.label, words, kind, lay(effect.key), colour)
    for one in TRANSITIONS.all():
        words, colour = f"{one.keywords} {one.summary}", theme.FAMILY_COLOURS[one.family]
        yield Entry(Column.LAY, one.label, words, tr("transition"), lay(one.key), colour)
    for name in (*(shipped.name for shipped in shipped_overlays()), ON_HITS, *FILLS):
        yield Entry(
            Column.LAY, tr(name).capitalize(), tr("texture layer shape title"), tr("overlay"), put(name)
        )
    for kept in window.recipes.kept:
        words = tr("{about} preset template look", about=kept.recipe.about)
        yield Entry(Column.LAY, kept.recipe.name, words, tr("recipe"), use(str(kept.path)))


def _places(window: "Window") -> Iterable[Entry]:
    editor, project = window.editor, window.editor.project

    def show_footage(footage: FootageId) -> Callable[[], object]:
        def show() -> None:
            window.shelf.open_page(ShelfPage.FOOTAGE)
            editor.select(FootageSelection(footage))

        return show

    def select(selection: Selection, frame: int | None = None) -> Callable[[], object]:
        def go() -> None:
            editor.select(selection)
            if frame is not None:
                editor.go_to(frame)

        return go

    def open_again(path: Path) -> Callable[[], object]:
        return lambda: window.files.leave_for(path)

    for number, part in enumerate(parts_of(project.song)):
        words, start = tr("part section {kind}", kind=tr(part.kind)), frame_at(part.start, project.rate)
        yield Entry(
            Column.GO, part_words(part), words, clock_text(part.start), select(PartSelection(number), start)
        )
    for pulse in project.pulses:
        yield Entry(Column.GO, pulse.name, tr("hits drum"), tr("pulse"), select(PulseSelection(pulse.id)))
    for lane in project.lanes:
        yield Entry(Column.GO, lane_label(lane), tr("effect"), tr("lane"), select(LaneSelection(lane.id)))
    for path in recent_projects():
        if path != editor.path:
            yield Entry(
                Column.GO,
                path.stem,
                tr("recent {folder}", folder=path.parent),
                tr("project"),
                open_again(path),
            )
    for footage in project.footage:
        kind = tr(footage.kind.value)
        yield Entry(
            Column.GO, footage_name(footage), tr("clip {kind}", kind=kind), kind, show_footage(footage.id)
        )


def _typed_place(window: "Window", text: str) -> Iterable[Entry]:
    """Return where one gets by a place that is typed: a bar, a time, a frame."""
    editor = window.editor
    if not editor.project.n_frames or not any(letter.isdigit() for letter in text):
        return
    try:
        frame = parse_place(text, editor.bars, editor.project.rate)
    except ParameterError:
        return
    kind = clock_text(float(frame / editor.project.rate))
    yield Entry(Column.GO, text.strip(), "", kind, lambda: editor.go_to(frame))


class FindField(QLineEdit):
    """The field in the header in which one says what is looked for.

    Signals
    -------
    entered(), gone()
        It has the keyboard, or no longer.
    pressed(key: int)
        A key that moves within what was found, takes it, or gives it up.
    """

    entered = pyqtSignal()
    gone = pyqtSignal()
    pressed = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.setPlaceholderText(tr("Find anything"))
        self.setAccessibleName(tr("Find anything"))
        self.setToolTip(tr("Find what can be done, laid or gone to, by any word for it (F10)"))
        self.setMaxLength(80)
        self.setFixedWidth(108)
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)

    def event(self, event: QEvent | None) -> bool:
        if isinstance(event, QKeyEvent):
            if event.type() == QEvent.Type.ShortcutOverride and event.key() in _LEAVES:
                event.accept()
                return True
            if event.type() == QEvent.Type.KeyPress and event.key() in (*_LEAVES, *_TURNS):
                self.pressed.emit(event.key())
                return True
        return super().event(event)

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        super().focusInEvent(event)
        self.entered.emit()

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        super().focusOutEvent(event)
        self.gone.emit()


class Finder(QFrame):
    """The sheet below the header: what was found, to be done, laid or gone to."""

    def __init__(self, window: "Window") -> None:
        super().__init__(window)
        self._window = window
        self._entries: list[Entry] = []
        self.setAccessibleName(tr("What was found"))
        self.setObjectName("finder")
        self.setStyleSheet(
            f"QFrame#finder {{ background: {theme.PANEL.name()}; border: 1px solid {theme.RULE.name()};"
            " border-top: none; border-bottom-left-radius: 8px; border-bottom-right-radius: 8px; }"
        )
        self._lists = {column: _List(column.value) for column in Column}
        self._titles = {column: QLabel(column.value) for column in Column}
        self._more = {column: label("") for column in Column}
        box = QVBoxLayout(self)
        box.setContentsMargins(18, 12, 18, 8)
        across = QHBoxLayout()
        across.setSpacing(18)
        for column, listed in self._lists.items():
            down = QVBoxLayout()
            down.setSpacing(4)
            self._titles[column].setFont(theme.words(10.5, weight=600))
            for widget in (self._titles[column], listed, self._more[column]):
                down.addWidget(widget)
            down.addStretch(0)
            listed.itemClicked.connect(lambda item: self._take(item.data(_ENTRY)))
            across.addLayout(down, 1)
        box.addLayout(across, 1)
        self._hint = label(tr("Enter takes what is marked · Tab goes to the next column · Escape closes"))
        box.addWidget(self._hint)
        self._look = debounced(self, _WAIT_MILLISECONDS, self._show_found)
        self.hide()

    def use_field(self, field: FindField) -> None:
        """Show what is looked for in a field."""
        self._field = field
        field.entered.connect(self.open)
        field.gone.connect(self.close_sheet)
        field.textEdited.connect(lambda _: self._look.start())
        field.pressed.connect(self._press)

    @property
    def marked(self) -> Entry | None:
        """What Enter would take."""
        item = next((one.currentItem() for one in self._lists.values() if one.is_active), None)
        return None if item is None else item.data(_ENTRY)

    def ask(self) -> None:
        """Have something be looked for, or close what is open."""
        if self._field.hasFocus():
            self._leave()
        else:
            self._field.setFocus()
            if self.isHidden():  # a window that is not active gets no keyboard, and nobody is told
                self.open()

    def open(self) -> None:
        """Show below the field what could be found."""
        self._entries = entries_of(self._window)
        self._field.selectAll()
        self._show_found()
        self.place()
        self.show()
        self.raise_()

    def place(self) -> None:
        """Hang below the header, over the score."""
        top = self._window.header.mapTo(self._window, self._window.header.rect().bottomLeft()).y() + 1
        room = self._window.size() - QSize(0, top + 40)
        beside = self._window.width() - self._window.bench.width()
        width, height = min(max(beside, _LEAST_WIDTH), room.width()), min(_HEIGHT, room.height())
        self.setGeometry(QRect(self._window.width() - width, top, width, height))

    def close_sheet(self) -> None:
        """Show nothing, and look for nothing."""
        self.hide()
        self._field.clear()

    def _show_found(self) -> None:
        self._look.stop()
        text = self._field.text().strip()
        if text:
            found = [*_typed_place(self._window, text)]
            found += best_first(self._entries, text, lambda one: one.name, lambda one: one.words)
        else:
            found = offered(self._window)
        for column, listed in self._lists.items():
            entries = [one for one in found if one.column is column]
            listed.show_entries(entries[:_MOST_ROWS])
            more = len(entries) - _MOST_ROWS
            nothing = tr("Nothing here for “{words}”", words=text) if text else tr("Nothing yet")
            words = (
                tr("and {more:,} more: type more of its name", more=more)
                if more > 0
                else ""
                if entries
                else nothing
            )
            self._more[column].setText(words)
            listed.setVisible(bool(entries))
        with_what = (
            "" if text else self._window.subjects[type(self._window.editor.selection)].title()[0].lower()
        )
        self._titles[Column.DO].setText(tr("Do with the {thing}", thing=with_what) if with_what else tr("Do"))
        best = next((one.column for one in found), None)
        self._mark(best)

    def _mark(self, column: Column | None) -> None:
        """Have the first of a column be what Enter takes."""
        for one, listed in self._lists.items():
            listed.activate(one is column)

    def _press(self, key: int) -> None:
        if self._look.isActive():
            self._show_found()
        filled = [one for one, listed in self._lists.items() if listed.count()]
        active = next((one for one in filled if self._lists[one].is_active), None)
        if key == Qt.Key.Key_Escape:
            self._leave()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            if self.marked is not None:
                self._take(self.marked)
        elif active is not None and key in _TURNS:
            step = 1 if key == Qt.Key.Key_Tab else -1
            self._mark(filled[(filled.index(active) + step) % len(filled)])
        elif active is not None:
            listed = self._lists[active]
            row = listed.currentRow() + (1 if key == Qt.Key.Key_Down else -1)
            listed.setCurrentRow(min(max(row, 0), listed.count() - 1))

    def _take(self, entry: Entry) -> None:
        self._leave()
        entry.act()

    def _leave(self) -> None:
        self.close_sheet()
        self._window.take_keyboard()


_ENTRY = Qt.ItemDataRole.UserRole


class _List(QListWidget):
    """What was found of one column."""

    def __init__(self, name: str) -> None:
        super().__init__()
        self.is_active = False
        self.setAccessibleName(name)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setUniformItemSizes(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setItemDelegate(_RowPainter(self))

    def show_entries(self, entries: Iterable[Entry]) -> None:
        """Show these in place of what there was."""
        self.clear()
        for entry in entries:
            item = QListWidgetItem(entry.name)
            item.setData(_ENTRY, entry)
            item.setToolTip(theme.plain(f"{entry.name} · {entry.kind}" if entry.kind else entry.name))
            self.addItem(item)

    def activate(self, is_active: bool) -> None:
        """Have its first entry be marked, or none."""
        self.is_active = is_active
        self.setCurrentRow(0 if is_active and self.count() else -1)


class _RowPainter(QStyledItemDelegate):
    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        return QSize(80, _ROW)

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        entry = index.data(_ENTRY)
        if painter is None or not isinstance(entry, Entry):
            return
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(option.rect)
        is_marked = bool(option.state & QStyle.StateFlag.State_Selected)
        if is_marked or option.state & QStyle.StateFlag.State_MouseOver:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.RULE if is_marked else theme.RAISED)
            painter.drawRoundedRect(box, 4, 4)
        painter.setFont(theme.numbers(8))
        wide = painter.fontMetrics().horizontalAdvance(entry.kind)
        painter.setPen(theme.QUIET if entry.colour is None else entry.colour)
        right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        painter.drawText(box.adjusted(0, 0, -8, 0), right, entry.kind)
        painter.setFont(theme.words(9.5))
        painter.setPen(theme.TEXT)
        name = box.adjusted(8, 0, -wide - 18, 0)
        text = painter.fontMetrics().elidedText(entry.name, Qt.TextElideMode.ElideRight, round(name.width()))
        painter.drawText(name, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, text)
        painter.restore()
