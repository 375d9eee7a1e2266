"""The score as a list: all that it has in rows, which a screen reader reads and keys walk through."""

from collections.abc import Sequence
from typing import Any

from PyQt6.QtCore import (
    QAbstractItemModel,
    QEvent,
    QItemSelection,
    QItemSelectionModel,
    QModelIndex,
    QObject,
    Qt,
    pyqtSignal,
)
from PyQt6.QtGui import QKeyEvent, QShowEvent
from PyQt6.QtWidgets import QAbstractItemView, QFrame, QHeaderView, QTreeView

from epiphane.desk.control.editor import Editor
from epiphane.desk.control.selection import (
    CuesSelection,
    LaneSelection,
    Selection,
    ShotSelection,
    SongSelection,
    lanes_selected,
    shots_selected,
)
from epiphane.desk.engine.debounce import debounced
from epiphane.desk.look import theme
from epiphane.desk.score.listing import Listed, listed_score, selected_keys
from epiphane.facts.places import place_text
from epiphane.timing import timecode
from epiphane.wording import tr

_COLUMNS = (tr("What"), tr("Bar"), tr("Time"), tr("About"))
_IN_NUMBERS = (1, 2)
_NAME_WIDTH = 250
_WAIT_MILLISECONDS = 60
_WALKS = (
    Qt.Key.Key_Up,
    Qt.Key.Key_Down,
    Qt.Key.Key_Left,
    Qt.Key.Key_Right,
    Qt.Key.Key_Home,
    Qt.Key.Key_End,
    Qt.Key.Key_PageUp,
    Qt.Key.Key_PageDown,
    Qt.Key.Key_Return,
    Qt.Key.Key_Enter,
)
"""What moves within the list, alone or with Shift, in place of what it does in the score."""


class ScoreList(QTreeView):
    """Everything that the score has, as a tree; what is selected in it is selected in the editor.

    Signals
    -------
    entered()
        What is selected is to be changed on the bench.
    """

    entered = pyqtSignal()

    def __init__(self, editor: Editor) -> None:
        super().__init__()
        self._editor = editor
        self._model = _ScoreModel(editor, self)
        self._is_following = False
        self.setModel(self._model)
        self.setAccessibleName(tr("Score as a list"))
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setUniformRowHeights(True)
        self.setAllColumnsShowFocus(True)
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        header = self.header()
        assert header is not None
        header.setSectionResizeMode(QHeaderView.ResizeMode.Interactive)
        header.setStretchLastSection(True)
        header.resizeSection(0, _NAME_WIDTH)
        for column, widest in ((1, "000.00"), (2, timecode(0, editor.project.rate))):
            header.resizeSection(column, self.fontMetrics().horizontalAdvance(widest) + 24)
        self._renewing = debounced(self, _WAIT_MILLISECONDS, self._renew)
        editor.project_changed.connect(self._on_project)
        editor.song_changed.connect(self._on_project)
        editor.selection_changed.connect(self._follow)
        self.activated.connect(lambda _: self.entered.emit())

    def _on_project(self) -> None:
        if self.isVisible():
            self._renewing.start()

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self._renew()

    def _renew(self) -> None:
        """List what there is now; rows that are open stay so."""
        if not self._model.renew():
            open_rows = [index for index in self._model.known() if self.isExpanded(index)]
            keys = [self._model.path(index) for index in open_rows]
            self._model.reset()
            for key in keys:
                index = self._model.at_path(key)
                if index.isValid():
                    self.expand(index)
        self._follow()

    # The selection: the editor's and the list's.

    def _follow(self) -> None:
        """Mark what is selected, and open what it lies in."""
        if not self.isVisible() or self._is_following:
            return
        indexes = self._model.indexes_of(self._editor.selection)
        marks = self.selectionModel()
        if marks is None or set(marks.selectedRows()) == set(indexes):
            return
        self._is_following = True
        try:
            marks.clearSelection()
            rows = QItemSelection()
            for index in indexes:
                rows.select(index, index)
            marks.select(rows, _AND_ROWS)
            if indexes:
                marks.setCurrentIndex(indexes[0], QItemSelectionModel.SelectionFlag.NoUpdate)
                self.scrollTo(indexes[0])
        finally:
            self._is_following = False

    def selectionChanged(self, selected: QItemSelection, deselected: QItemSelection) -> None:
        super().selectionChanged(selected, deselected)
        marks = self.selectionModel()
        if self._is_following or marks is None:
            return
        marked = [self._model.listed(index) for index in marks.selectedRows()]
        fresh = [self._model.listed(index) for index in selected.indexes() if index.column() == 0]
        last = next(reversed(fresh or marked), None)
        if last is None:
            return
        # On a heading nothing is selected: Delete must not reach what was before.
        chosen = last.selection or SongSelection()
        self._is_following = True
        try:
            self._editor.select(selection_of([one.selection for one in marked], chosen))
            if last.frame is not None:
                self._editor.go_to(last.frame)
        finally:
            self._is_following = False

    # Keys

    def event(self, event: QEvent | None) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride:
            held = event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier
            if event.key() in _WALKS and held in (_ALONE, Qt.KeyboardModifier.ShiftModifier):
                event.accept()
                return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Go by Left to what a closed row lies in, and by Right to the first that an open row has."""
        here = self.currentIndex().siblingAtColumn(0)
        is_plain = event is not None and event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier == _ALONE
        is_open = self.isExpanded(here) and self._model.rowCount(here) > 0
        to = QModelIndex()
        if event is not None and is_plain and event.key() == Qt.Key.Key_Left and not is_open:
            to = here.parent()
        elif event is not None and is_plain and event.key() == Qt.Key.Key_Right and is_open:
            to = self._model.index(0, 0, here)
        if to.isValid():
            self.setCurrentIndex(to)
        else:
            super().keyPressEvent(event)


_ALONE = Qt.KeyboardModifier.NoModifier
_AND_ROWS = QItemSelectionModel.SelectionFlag.Select | QItemSelectionModel.SelectionFlag.Rows


def selection_of(marked: Sequence[Selection | None], last: Selection) -> Selection:
    """Return the one selection of all rows that are marked: many cues, shots or lanes, else the last one."""
    alike = [one for one in marked if type(one) is type(last)]
    match last:
        case CuesSelection():
            return CuesSelection(last.lane, frozenset(key for one in alike if one for key in one.cues))
        case ShotSelection():
            return shots_selected([one.shot for one in alike if one and one.shot is not None], last.shot)
        case LaneSelection():
            return lanes_selected([one.lane for one in alike if one and one.lane is not None], last.lane)
        case _:
            return last


class _Node:
    """A row: what is listed, the row it lies in, and its own rows once they were asked for."""

    def __init__(self, listed: Listed, above: "_Node | None", row: int) -> None:
        self.listed, self.above, self.row = listed, above, row
        self.made: list[_Node] | None = None

    @property
    def inner(self) -> "list[_Node]":
        """The rows that it has."""
        if self.made is None:
            self.made = [_Node(one, self, row) for row, one in enumerate(self.listed.inner())]
        return self.made

    def renew(self, listed: Listed) -> bool:
        """Take what it lists now, with all rows that were made; return whether they are the same rows."""
        self.listed = listed
        if self.made is None:
            return True
        inner = listed.inner()
        if [one.key for one in inner] != [node.listed.key for node in self.made]:
            return False
        return not [node for node, one in zip(self.made, inner, strict=True) if not node.renew(one)]


class _ScoreModel(QAbstractItemModel):
    """The rows of `listed_score`, made when they are first seen."""

    def __init__(self, editor: Editor, parent: QObject) -> None:
        super().__init__(parent)
        self._editor = editor
        self._root = _Node(self._everything(), None, 0)

    def _everything(self) -> Listed:
        return Listed("", None, "", None, lambda: listed_score(self._editor))

    def renew(self) -> bool:
        """Take what there is now; return False where there are other rows than before: it wants a reset."""
        if not self._root.renew(self._everything()):
            return False
        for node in self._nodes(self._root):
            if node.made:
                first, last = node.made[0], node.made[-1]
                self.dataChanged.emit(self._index(first), self._index(last, len(_COLUMNS) - 1))
        return True

    def reset(self) -> None:
        """Have the rows made anew."""
        self.beginResetModel()
        self._root = _Node(self._everything(), None, 0)
        self.endResetModel()

    def known(self) -> list[QModelIndex]:
        """Return all rows that were made and have others."""
        return [self._index(node) for node in self._nodes(self._root) if node.made and node.above]

    def _nodes(self, node: _Node) -> list[_Node]:
        return [node, *(below for one in node.made or () if one.made for below in self._nodes(one))]

    def listed(self, index: QModelIndex) -> Listed:
        """Return what a row lists."""
        return self._node(index).listed

    def path(self, index: QModelIndex) -> tuple[object, ...]:
        """Return the keys of a row and of all that it lies in, from the outermost."""
        node, keys = self._node(index), []
        while node.above is not None:
            keys.append(node.listed.key)
            node = node.above
        return tuple(reversed(keys))

    def at_path(self, path: Sequence[object]) -> QModelIndex:
        """Return the row with these keys, invalid where there is none."""
        node: _Node | None = self._root
        for key in path:
            inner = () if node is None else node.inner
            node = next((one for one in inner if one.listed.key == key), None)
        return QModelIndex() if node is None or node is self._root else self._index(node)

    def indexes_of(self, selection: Selection) -> list[QModelIndex]:
        """Return the rows of all that a selection selects."""
        wanted = set(selected_keys(selection))
        found: list[_Node] = []
        for heading in self._root.inner:
            for node in heading.inner:
                if node.listed.key in wanted:
                    found.append(node)
                has_cues = isinstance(selection, CuesSelection) and _lane_of(node) in _lanes_of(selection)
                is_around = has_cues or _holds(node.listed.selection, selection)
                found += [one for one in node.inner if one.listed.key in wanted] if is_around else []
        return [self._index(node) for node in found]

    def _index(self, node: _Node, column: int = 0) -> QModelIndex:
        return self.createIndex(node.row, column, node)

    def _node(self, index: QModelIndex) -> _Node:
        if not index.isValid():
            return self._root
        node = index.internalPointer()
        assert isinstance(node, _Node)
        return node

    # Qt's questions

    def rowCount(self, parent: QModelIndex = QModelIndex()) -> int:  # noqa: B008
        return 0 if parent.column() > 0 else len(self._node(parent).inner)

    def columnCount(self, parent: QModelIndex = QModelIndex()) -> int:  # noqa: B008
        return len(_COLUMNS)

    def index(self, row: int, column: int, parent: QModelIndex = QModelIndex()) -> QModelIndex:  # noqa: B008
        inner = self._node(parent).inner
        return self._index(inner[row], column) if 0 <= row < len(inner) else QModelIndex()

    def parent(self, child: QModelIndex = QModelIndex()) -> QModelIndex:  # type: ignore[override]  # noqa: B008
        above = self._node(child).above if child.isValid() else None
        return QModelIndex() if above is None or above is self._root else self._index(above)

    def headerData(
        self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole
    ) -> str | None:
        is_text = orientation == Qt.Orientation.Horizontal and role == Qt.ItemDataRole.DisplayRole
        return _COLUMNS[section] if is_text else None

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        cells, column = self._cells(self._node(index).listed), index.column()
        match role:
            case Qt.ItemDataRole.DisplayRole:
                return cells[column]
            case Qt.ItemDataRole.AccessibleTextRole:
                return cells[column] if column else self._sentence(cells)
            case Qt.ItemDataRole.ToolTipRole:
                return theme.plain(cells[column])
            case Qt.ItemDataRole.FontRole:
                return theme.numbers(9.5) if column in _IN_NUMBERS else None
            case Qt.ItemDataRole.ForegroundRole:
                return theme.QUIET if column else None
            case _:
                return None

    def _cells(self, listed: Listed) -> tuple[str, str, str, str]:
        """Return what stands in the columns of a row."""
        if listed.frame is None:
            return listed.name, "", "", listed.about
        rate = self._editor.project.rate
        place = place_text(listed.frame, self._editor.bars, rate)
        return listed.name, place, timecode(listed.frame, rate), listed.about

    @staticmethod
    def _sentence(cells: tuple[str, str, str, str]) -> str:
        """Return a whole row as it is read aloud."""
        name, place, time, about = cells
        where = tr("bar {place}, {time}", place=place, time=time) if place else ""
        return ", ".join(one for one in (name, where, about.replace(" · ", ", ")) if one)


def _lane_of(node: _Node) -> object:
    return None if node.listed.selection is None else node.listed.selection.lane


def _lanes_of(selection: CuesSelection) -> set[object]:
    return {lane for lane, _ in selection.cues}


def _holds(outer: Selection | None, selection: Selection) -> bool:
    """Return whether what is selected may lie in a track or a pulse."""
    if outer is None:
        return False
    return (outer.track is not None and selection.item is not None) or (
        outer.pulse is not None and outer.pulse == selection.pulse
    )
