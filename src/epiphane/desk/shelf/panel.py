"""The shelf: footage and effects as tiles to drag onto the score, and the pulses of the project."""

from collections.abc import Callable

from PyQt6.QtCore import QMimeData, QPoint, QRect, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QDrag, QImage, QKeyEvent, QPainter, QPainterPath, QPen, QPixmap
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QButtonGroup,
    QFrame,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QStackedWidget,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
)

from epiphane.desk import theme
from epiphane.desk.bench.fields import label
from epiphane.desk.carry import carry_effect, carry_footage
from epiphane.desk.editor import Editor
from epiphane.desk.shelf.pulses import PulsePage
from epiphane.desk.thumbs import Thumbnails
from epiphane.document.model import Footage, FootageId
from epiphane.edits.footage import footage_name, remove_footage
from epiphane.effects.registry import all_effects, effect_named
from epiphane.timing import clock_text

_TILE = QSize(112, 92)
_PICTURE = QSize(104, 58)
_KEY, _LINE, _NOTE, _IMAGE = (Qt.ItemDataRole.UserRole + n for n in range(4))


class Tiles(QListWidget):
    """Tiles in a row that wraps; dragged onto the score, or taken with Enter or a double click.

    Signals
    -------
    taken(keys: list)
        What was chosen, by key.
    """

    taken = pyqtSignal(object)
    removed = pyqtSignal(object)

    def __init__(self, name: str, carry: Callable[[list[object]], QMimeData]) -> None:
        super().__init__()
        self._carry = carry
        self.setAccessibleName(name)
        self.setViewMode(QListWidget.ViewMode.IconMode)
        self.setResizeMode(QListWidget.ResizeMode.Adjust)
        self.setMovement(QListWidget.Movement.Static)
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.setDragEnabled(True)
        self.setGridSize(_TILE)
        self.setSpacing(0)
        self.setUniformItemSizes(True)
        self.setItemDelegate(_TileDelegate(self))
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.itemDoubleClicked.connect(lambda item: self.taken.emit([item.data(_KEY)]))

    def show_tiles(self, tiles: list[tuple[object, str, str, QColor | None, str]]) -> None:
        """Show tiles: key, name, note, line colour, tooltip; those still there keep their picture."""
        keys = [self.item(n).data(_KEY) for n in range(self.count())]  # type: ignore[union-attr]
        if keys != [tile[0] for tile in tiles]:
            self.clear()
            for _ in tiles:
                self.addItem(QListWidgetItem())
        for number, (key, name, note, line, tip) in enumerate(tiles):
            item = self.item(number)
            assert item is not None
            item.setText(name)
            item.setToolTip(tip)
            item.setData(_KEY, key)
            item.setData(_NOTE, note)
            item.setData(_LINE, line)

    def show_picture(self, number: int, image: QImage | None) -> None:
        """Put a picture on a tile."""
        item = self.item(number)
        if item is not None and image is not None:
            item.setData(_IMAGE, image)

    def chosen(self) -> list[object]:
        """Return the keys of the selected tiles, in order."""
        items = [self.item(n) for n in range(self.count())]
        return [item.data(_KEY) for item in items if item is not None and item.isSelected()]

    def startDrag(self, actions: Qt.DropAction) -> None:
        keys = self.chosen()
        if keys:
            drag = QDrag(self)
            drag.setMimeData(self._carry(keys))
            image = next((i.data(_IMAGE) for i in self.selectedItems() if i.data(_IMAGE)), None)
            if isinstance(image, QImage):
                drag.setPixmap(QPixmap.fromImage(image.scaled(_PICTURE)))
                drag.setHotSpot(QPoint(_PICTURE.width() // 2, _PICTURE.height() // 2))
            drag.exec(Qt.DropAction.CopyAction)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.chosen():
            self.taken.emit(self.chosen())
        elif event is not None and event.key() == Qt.Key.Key_Delete and self.chosen():
            self.removed.emit(self.chosen())
        else:
            super().keyPressEvent(event)


class _TileDelegate(QStyledItemDelegate):
    def sizeHint(self, option: QStyleOptionViewItem, index: object) -> QSize:
        return _TILE

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: object) -> None:
        assert painter is not None
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        box = QRect(option.rect.left() + 4, option.rect.top() + 4, _PICTURE.width(), _PICTURE.height())
        outline = QPainterPath()
        outline.addRoundedRect(QRectF(box), 5, 5)
        painter.fillPath(outline, theme.RAISED)
        image, line = index.data(_IMAGE), index.data(_LINE)  # type: ignore[attr-defined]
        if isinstance(image, QImage):
            painter.setClipPath(outline)
            painter.drawImage(box, image)
            painter.setClipping(False)
        if isinstance(line, QColor):
            painter.fillRect(QRect(box.left(), box.bottom() + 2, box.width(), 3), line)
        is_chosen = bool(option.state & QStyle.StateFlag.State_Selected)
        if is_chosen:
            painter.setPen(QPen(theme.TEXT, 2))
            painter.drawPath(outline)
        self._write(painter, box, str(index.data()), str(index.data(_NOTE)))  # type: ignore[attr-defined]
        painter.restore()

    def _write(self, painter: QPainter, box: QRect, name: str, note: str) -> None:
        row = QRect(box.left(), box.bottom() + 7, box.width(), 18)
        note_width = 0
        if note:
            painter.setFont(theme.numbers(8))
            note_width = painter.fontMetrics().horizontalAdvance(note) + 4
            painter.setPen(theme.QUIET)
            painter.drawText(row, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, note)
        painter.setFont(theme.words(9))
        painter.setPen(theme.TEXT)
        text = painter.fontMetrics().elidedText(name, Qt.TextElideMode.ElideRight, row.width() - note_width)
        painter.drawText(row, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, text)


class ShelfPanel(QFrame):
    """Footage and effects in a drawer that folds away.

    Signals
    -------
    add_footage(), add_song()
        The editor wants to choose files.
    footage_taken(ids), effects_taken(keys)
        To be put on the score.
    pulse_made(kind: str)
        A new pulse is wanted: of a band, tapped, at a tempo, of two others, or of a unit.
    """

    add_footage = pyqtSignal()
    add_song = pyqtSignal()
    pulse_made = pyqtSignal(str)
    footage_taken = pyqtSignal(object)
    effects_taken = pyqtSignal(object)

    def __init__(self, editor: Editor, thumbnails: Thumbnails) -> None:
        super().__init__()
        self._editor = editor
        self._thumbnails = thumbnails
        self.setProperty("panel", True)
        self.footage = Tiles("Footage", lambda keys: carry_footage([FootageId(int(str(k))) for k in keys]))
        self.effects = Tiles("Effects", lambda keys: carry_effect(str(keys[0])))
        self.effects.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.footage.taken.connect(self.footage_taken)
        self.effects.taken.connect(self.effects_taken)
        self.footage.removed.connect(self._remove)
        self._pages = QStackedWidget()
        self._empty = label(
            "No footage yet. Drop clips or a folder anywhere on the window, or press “Gather footage”."
        )
        self._empty.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.pulses = PulsePage(editor)
        self.pulses.pulse_made.connect(self.pulse_made)
        for page in (self.footage, self.effects, self.pulses, self._empty):
            self._pages.addWidget(page)
        box = QVBoxLayout(self)
        box.setContentsMargins(14, 6, 14, 4)
        box.setSpacing(2)
        box.addLayout(self._head())
        box.addWidget(self._pages, 1)
        editor.project_changed.connect(self.refresh)
        thumbnails.ready.connect(self._refresh_pictures)
        self._show_page(0)
        self.refresh()

    @property
    def is_folded(self) -> bool:
        """Whether only the first line is seen."""
        return self._pages.isHidden()

    def fold(self, is_folded: bool) -> None:
        """Hide everything but the first line, or show it again."""
        self._pages.setVisible(not is_folded)
        self.setMaximumHeight(46 if is_folded else 16_777_215)
        self._fold.setIcon(theme.icon("chevron-up" if is_folded else "chevron-down", theme.QUIET, 16))

    def open_page(self, number: int) -> None:
        """Show footage (0), effects (1) or pulses (2)."""
        self.fold(False)
        self._show_page(number)

    def refresh(self) -> None:
        """Show the project's footage and all effects."""
        used = {shot.footage for shot in self._editor.project.shots}
        self.footage.show_tiles(
            [
                (
                    f.id,
                    footage_name(f),
                    clock_text(f.duration),
                    theme.QUIET if f.id in used else None,
                    _about(f),
                )
                for f in self._editor.project.footage
            ]
        )
        self.effects.show_tiles(
            [
                (e.key, e.label, e.family.value, theme.FAMILY_COLOURS[e.family], f"{e.label}: {e.summary}")
                for e in all_effects()
            ]
        )
        self._refresh_pictures()
        self._show_page(self._group.checkedId())

    def _refresh_pictures(self) -> None:
        project = self._editor.project
        for number, footage in enumerate(project.footage):
            self.footage.show_picture(number, self._thumbnails.get(footage, 0.45 * footage.duration))
        sample = project.footage[0] if project.footage else None
        for number, effect in enumerate(all_effects()):
            if sample is not None:
                found = self._thumbnails.with_effect(sample, effect_named(effect.key))
                self.effects.show_picture(number, found)

    def _head(self) -> QHBoxLayout:
        line = QHBoxLayout()
        line.setSpacing(4)
        self._group = QButtonGroup(self)
        for number, (text, key) in enumerate((("Footage", "F"), ("Effects", "E"), ("Pulses", "P"))):
            button = QPushButton(text)
            button.setCheckable(True)
            button.setProperty("quiet", True)
            button.setToolTip(f"{text} ({key})")
            self._group.addButton(button, number)
            line.addWidget(button)
        self._group.idClicked.connect(self.open_page)
        line.addStretch(1)
        for text, icon, signal, tip in (
            ("Song…", "music", self.add_song, "Open another song (Ctrl+M)"),
            ("Gather footage…", "plus", self.add_footage, "Choose clips to put on the shelf (Ctrl+I)"),
        ):
            button = QPushButton(text)
            theme.put_icon(button, icon, theme.QUIET, 15)
            button.setProperty("quiet", True)
            button.setToolTip(tip)
            button.clicked.connect(signal)
            line.addWidget(button)
        self._fold = QPushButton(theme.icon("chevron-down", theme.QUIET, 16), "")
        self._fold.setProperty("quiet", True)
        self._fold.setAccessibleName("Fold the shelf")
        self._fold.setToolTip("Fold the shelf away, or open it (Ctrl+B)")
        self._fold.clicked.connect(lambda: self.fold(not self.is_folded))
        line.addWidget(self._fold)
        return line

    def _show_page(self, number: int) -> None:
        button = self._group.button(max(number, 0))
        if button is not None:
            button.setChecked(True)
        is_empty = number <= 0 and not self._editor.project.footage
        self._pages.setCurrentWidget(
            self._empty if is_empty else (self.footage, self.effects, self.pulses)[max(number, 0)]
        )

    def _remove(self, ids: list[FootageId]) -> None:
        self._editor.apply(lambda p: remove_footage(p, ids), "removal of footage")


def _about(footage: Footage) -> str:
    size = f"{footage.width} × {footage.height}"
    return f"{footage.path}\n{size}, {float(footage.rate):.4g} fps, {footage.duration:.2f} s"
