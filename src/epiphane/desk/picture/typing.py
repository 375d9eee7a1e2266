"""Typing a text where it stands, on the picture itself."""

from msgspec.structs import replace
from PyQt6.QtCore import QEvent, QObject, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QFocusEvent, QKeyEvent, QPainter, QPen
from PyQt6.QtWidgets import QApplication, QPlainTextEdit, QWidget

from epiphane.desk.control.editor import Editor
from epiphane.desk.control.titles import REST_MILLISECONDS, TitleDesk
from epiphane.desk.engine.debounce import debounced
from epiphane.desk.look import theme
from epiphane.desk.picture.handles import placed
from epiphane.desk.picture.view import PictureView
from epiphane.document.timeline import Item
from epiphane.document.titles import TextFill
from epiphane.edits.items.titles import FRESH_TEXT
from epiphane.facts.framing import item_framing
from epiphane.titles.layout import Block, block_of, fitted_size, text_size
from epiphane.wording import tr

_SPACE = 0.25
"""How wide a space is drawn behind the last letter, in sizes."""


class TypingOnPicture(QObject):
    """Has a text written on the picture: a double click on it begins, Escape or a click elsewhere ends."""

    is_always_seen = True

    def __init__(self, editor: Editor, view: PictureView, titles: TitleDesk) -> None:
        super().__init__(view)
        self._editor, self._view, self._titles = editor, view, titles
        self.field = _HiddenField(view)
        self._before: QWidget | None = None
        self.field.textChanged.connect(self._write)
        self._resting = debounced(self, REST_MILLISECONDS, titles.end_writing)
        self.field.cursorPositionChanged.connect(view.update)
        self.field.left.connect(self.end)
        view.double_clicked.connect(self._begin)
        view.add_handles(self)
        editor.selection_changed.connect(self.end)

    @property
    def is_typing(self) -> bool:
        """Whether keys go into a text."""
        return self.field.isVisible()

    def end(self) -> None:
        """Let the keys do what they did before."""
        if self.is_typing:
            had_focus = self.field.hasFocus()
            self.field.hide()
            if had_focus and self._before is not None and self._before.isVisible():
                self._before.setFocus()  # or it goes to whatever comes next
            self._resting.stop()
            self._titles.end_writing()
            self._view.update()

    def paint(self, painter: QPainter, room: QRectF) -> None:
        """Paint where the next letter comes."""
        item = self._text()
        if item is None or not self.is_typing or not isinstance(item.content, TextFill):
            return
        cursor = self.field.textCursor()
        x, y = caret_at(block_of(item.content), item.content, cursor.blockNumber(), cursor.positionInBlock())
        project = self._editor.project
        size = fitted_size(item.content, project.width / project.height)
        here = placed(item_framing(item, self._editor.playhead), (1.0, size), room)
        here = replace(here, width=here.height)  # so that places are in sizes of the letters
        for pen in (QPen(theme.GROUND, 4), QPen(theme.TEXT, 2)):
            painter.setPen(pen)
            painter.drawLine(here.point(x, y - 0.85), here.point(x, y + 0.15))

    def cursor_at(self, at: QPointF, room: QRectF) -> Qt.CursorShape:
        """Return the pointer over a text that is being written."""
        return Qt.CursorShape.IBeamCursor if self.is_typing else Qt.CursorShape.ArrowCursor

    def press(self, at: QPointF, room: QRectF) -> bool:
        """End the writing; what is pressed may be held by others."""
        self.end()
        return False

    def move(self, at: QPointF, room: QRectF) -> None:
        """Nothing is held."""

    def release(self) -> None:
        """Nothing is held."""

    def _text(self) -> Item | None:
        item = self._editor.chosen.item
        is_here = item is not None and item.start <= self._editor.playhead < item.end
        return item if is_here and item is not None and isinstance(item.content, TextFill) else None

    def _begin(self, across: float, down: float) -> None:
        item = self._text()
        if item is None or not isinstance(item.content, TextFill):
            return
        project, framing = self._editor.project, item_framing(item, self._editor.playhead)
        wide, high = text_size(item.content, project.width / project.height)
        away = abs(across - 0.5 - framing.x), abs(down - 0.5 - framing.y)
        half = max(wide * framing.scale / 2, 0.05), max(high * framing.scale / 2, 0.05)
        if away[0] <= half[0] and away[1] <= half[1]:
            self._before = QApplication.focusWidget()
            self.field.begin(item.content.text)
            self._view.update()

    def _write(self) -> None:
        if self.is_typing:
            self._titles.change(text=self.field.toPlainText())
            self._resting.start()


def caret_at(block: Block, fill: TextFill, line: int, column: int) -> tuple[float, float]:
    """Return where the next letter of a line comes, in sizes of the letters about the middle of the block."""
    lines = fill.text.split("\n")
    down = 0.35 + (line - (len(lines) - 1) / 2) * fill.leading
    letters = [one for one in block.letters if one.line == line]
    before = [one for one in letters if one.column < column]
    if before:
        last = max(before, key=lambda one: one.column)
        behind = lines[line][last.column + 1 : column] if line < len(lines) else ""
        spaces = len(behind) if not behind.strip() else 0
        return last.x + last.width / 2 + spaces * _SPACE, last.y
    if letters:
        return min(one.x - one.width / 2 for one in letters), letters[0].y
    return 0.0, down


class _HiddenField(QPlainTextEdit):
    """Takes the keys that are typed on the picture; what is written is seen there, not here.

    Signals
    -------
    left()
        Escape was pressed, or the keys go elsewhere.
    """

    left = pyqtSignal()

    def __init__(self, view: PictureView) -> None:
        super().__init__(view)
        self.setAccessibleName(tr("The text on the picture"))
        self.setGeometry(-200, -200, 100, 60)
        self.hide()

    def begin(self, text: str) -> None:
        """Take keys from now on, behind a text, or in place of one that was never written."""
        self.hide()
        self.setPlainText(text)
        if text == FRESH_TEXT.text:
            self.selectAll()
        else:
            self.moveCursor(self.textCursor().MoveOperation.End)
        self.show()
        self.setFocus()

    def event(self, event: QEvent | None) -> bool:
        is_escape = isinstance(event, QKeyEvent) and event.key() == Qt.Key.Key_Escape
        if event is not None and is_escape and event.type() == QEvent.Type.ShortcutOverride:
            event.accept()  # it ends the writing, and does nothing in the window
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() == Qt.Key.Key_Escape:
            self.left.emit()
            return
        super().keyPressEvent(event)

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        super().focusOutEvent(event)
        self.left.emit()
