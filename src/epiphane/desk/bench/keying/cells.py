"""A step pattern: a row of cells that are clicked on and off, each with its strength."""

from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PyQt6.QtWidgets import QWidget

from epiphane.desk.look import theme
from epiphane.wording import tr

_PAD, _BAR_GAP = 2.0, 5.0
_STEP = 0.1
_KEYS = (Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_Return)


class PatternCells(QWidget):
    """The cells of a pattern, a gap between its bars.

    A click switches a cell, going on over others gives them the same; with Shift, or from the wheel, a cell
    becomes stronger or weaker.

    Signals
    -------
    changed(cells: tuple of float)
    released()
        The mouse has let go.
    """

    changed = pyqtSignal(object)
    released = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self._cells: tuple[float, ...] = ()
        self._n_bars = 1
        self._colour = QColor(theme.TEXT)
        self._chosen = 0
        self._playing = -1
        self._painting: float | None = None
        self.setMinimumSize(240, 44)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Step pattern"))
        self.setToolTip(
            tr(
                "Click cells on and off; Shift and drag, or the wheel, for their strength. "
                "Keys: ← → choose, Enter switches, ↑ ↓ change the strength"
            )
        )

    def sizeHint(self) -> QSize:
        return QSize(400, 44)

    def show_cells(self, cells: tuple[float, ...], n_bars: int, colour: QColor) -> None:
        """Show a pattern."""
        self._cells, self._n_bars, self._colour = cells, n_bars, colour
        self._chosen = min(self._chosen, max(0, len(cells) - 1))
        self.update()

    def show_playing(self, cell: int) -> None:
        """Mark the cell that the playhead is in."""
        if cell != self._playing:
            self._playing = cell
            self.update()

    def box(self, cell: int) -> QRectF:
        """Return where a cell is drawn."""
        n_bars = self._n_bars if len(self._cells) % self._n_bars == 0 else 1
        room = self.width() - 2 * _PAD - (n_bars - 1) * _BAR_GAP
        width = room / max(1, len(self._cells))
        gaps = cell * n_bars // max(1, len(self._cells))
        left = _PAD + cell * width + gaps * _BAR_GAP
        return QRectF(left + 1, _PAD, width - 2, self.height() - 2 * _PAD)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for cell, strength in enumerate(self._cells):
            box = self.box(cell)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.RAISED)
            painter.drawRoundedRect(box, 3, 3)
            if strength > 0:
                painter.setBrush(self._colour)
                filled = box.adjusted(0, box.height() * (1 - strength), 0, 0)
                painter.drawRoundedRect(filled, 3, 3)
            if cell == self._playing:
                painter.setBrush(theme.TEXT)
                painter.drawRoundedRect(QRectF(box.left(), box.bottom() - 3, box.width(), 3), 1.5, 1.5)
            if self.hasFocus() and cell == self._chosen:
                painter.setPen(QPen(theme.TEXT, 1.4))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRoundedRect(box, 3, 3)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or not self._cells:
            return
        self._chosen = self._cell_at(event.position())
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self._set(self._chosen, self._strength_at(event.position()))
        else:
            self._painting = 0.0 if self._cells[self._chosen] > 0 else 1.0
            self._set(self._chosen, self._painting)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or not self._cells or event.buttons() == Qt.MouseButton.NoButton:
            return
        if self._painting is None:
            self._set(self._chosen, self._strength_at(event.position()))
        else:
            self._chosen = self._cell_at(event.position())
            self._set(self._chosen, self._painting)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._painting = None
        self.released.emit()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None and self._cells and self.hasFocus():
            cell = self._cell_at(event.position())
            self._set(cell, self._cells[cell] + (_STEP if event.angleDelta().y() > 0 else -_STEP))
            self.released.emit()
            event.accept()

    def event(self, event: QEvent | None) -> bool:
        is_asking = isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride
        if isinstance(event, QKeyEvent) and is_asking and event.key() in _KEYS:
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None or event.key() not in _KEYS or not self._cells:
            super().keyPressEvent(event)
            return
        strength = self._cells[self._chosen]
        if event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            step = 1 if event.key() == Qt.Key.Key_Right else -1
            self._chosen = (self._chosen + step) % len(self._cells)
            self.update()
            return
        if event.key() == Qt.Key.Key_Return:
            self._set(self._chosen, 0.0 if strength > 0 else 1.0)
        else:
            self._set(self._chosen, strength + (_STEP if event.key() == Qt.Key.Key_Up else -_STEP))
        self.released.emit()

    def _set(self, cell: int, strength: float) -> None:
        strength = round(min(max(strength, 0.0), 1.0), 2)
        if self._cells[cell] != strength:
            cells = (*self._cells[:cell], strength, *self._cells[cell + 1 :])
            self.show_cells(cells, self._n_bars, self._colour)
            self.changed.emit(cells)

    def _cell_at(self, point: QPointF) -> int:
        away = [abs(self.box(cell).center().x() - point.x()) for cell in range(len(self._cells))]
        return away.index(min(away))

    def _strength_at(self, point: QPointF) -> float:
        box = self.box(self._chosen)
        return (box.bottom() - point.y()) / box.height()
