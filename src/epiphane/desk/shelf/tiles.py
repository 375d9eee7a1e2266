"""Tiles in a row that wraps: clips and effects, to drag onto the score."""

from collections.abc import Callable, Mapping, Sequence

from msgspec import Struct
from PyQt6.QtCore import QEvent, QMimeData, QPoint, QPointF, QRect, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QContextMenuEvent,
    QDrag,
    QHelpEvent,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPen,
    QPixmap,
)
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QListWidget,
    QListWidgetItem,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
)

from epiphane.desk.look import theme
from epiphane.desk.look.marks import paint_pin

TILE = QSize(112, 92)
PICTURE = QSize(104, 58)
STAR = "star"
"""The icon of a favourite."""
_KEY, _TILE, _IMAGE, _PEEK = (Qt.ItemDataRole.UserRole + n for n in range(4))


class Mark(Struct, frozen=True):
    """A pin on a tile's picture, at a share of its width; hollow while it is only proposed."""

    share: float
    is_filled: bool


class Tile(Struct, frozen=True):
    """What a tile shows: its key, name and note, a line of colours under its picture, an icon, pins on it.

    `content` tells what its picture is of: a tile of the same key and other content gets another picture.
    """

    key: object
    name: str
    note: str = ""
    line: tuple[QColor, ...] = ()
    tip: str = ""
    icon: str = ""
    marks: tuple[Mark, ...] = ()
    content: str = ""


class Tiles(QListWidget):
    """Tiles, dragged onto the score, or taken with Enter or a double click.

    Signals
    -------
    taken(keys: list), removed(keys: list)
        What was chosen, by key.
    starred(keys: list)
        The user keeps them as favourites, or no longer.
    menu_asked(key, at: QPoint)
        What can be done with it is to be offered, at a point of the screen.
    pointed(key or None, share: float)
        What the pointer is over, and at which share of its picture's width.
    """

    taken = pyqtSignal(object)
    removed = pyqtSignal(object)
    starred = pyqtSignal(object)
    menu_asked = pyqtSignal(object, QPoint)
    pointed = pyqtSignal(object, float)

    def __init__(self, name: str, carry: Callable[[list[object]], QMimeData]) -> None:
        super().__init__()
        self._carry = carry
        self._tiles: tuple[Tile, ...] = ()
        self._under: QListWidgetItem | None = None
        self.setAccessibleName(name)
        self.setViewMode(QListWidget.ViewMode.IconMode)
        self.setResizeMode(QListWidget.ResizeMode.Adjust)
        self.setMovement(QListWidget.Movement.Static)
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.setDragEnabled(True)
        self.setGridSize(TILE)
        self.setSpacing(0)
        self.setUniformItemSizes(True)
        self.setMouseTracking(True)
        self.setItemDelegate(_TileDelegate(self))
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.itemDoubleClicked.connect(lambda item: self.taken.emit([item.data(_KEY)]))

    def show_tiles(self, tiles: Sequence[Tile]) -> None:
        """Show tiles; those still there keep their picture and stay chosen."""
        shown = tuple(tiles)
        if shown == self._tiles:
            return
        if [tile.key for tile in shown] != [tile.key for tile in self._tiles]:
            self._put_in_order(shown)
        contents = {tile.key: tile.content for tile in self._tiles}
        self._tiles = shown
        for number, tile in enumerate(shown):
            item = self.item(number)
            assert item is not None
            if contents.get(tile.key) != tile.content:
                item.setData(_IMAGE, None)
            item.setText(tile.name)
            item.setToolTip(theme.plain(tile.tip))
            item.setData(_KEY, tile.key)
            item.setData(_TILE, tile)

    def _put_in_order(self, tiles: Sequence[Tile]) -> None:
        old = {tile.key: self.item(number) for number, tile in enumerate(self._tiles)}
        kept = {key: (item.data(_IMAGE), item.isSelected()) for key, item in old.items() if item is not None}
        self._leave()
        self.blockSignals(True)
        self.clear()
        for tile in tiles:
            item = QListWidgetItem()
            self.addItem(item)
            image, is_chosen = kept.get(tile.key, (None, False))
            item.setData(_IMAGE, image)
            item.setSelected(is_chosen)
        self.blockSignals(False)

    def show_pictures(self, pictures: Mapping[object, QImage | None]) -> None:
        """Put pictures on the tiles of some keys, as far as they are ready."""
        for number, tile in enumerate(self._tiles):
            item, image = self.item(number), pictures.get(tile.key)
            if item is not None and image is not None and item.data(_IMAGE) is not image:
                item.setData(_IMAGE, image)

    def show_peek(self, key: object, image: QImage, share: float | None) -> None:
        """Show another picture on the tile under the pointer, with a line at a share of its width."""
        if self._under is not None and self._under.data(_KEY) == key:
            self._under.setData(_PEEK, (image, share))

    def choose(self, key: object) -> None:
        """Have one tile chosen, if it is not already."""
        if key not in self.chosen():
            self.blockSignals(True)
            for number, tile in enumerate(self._tiles):
                item = self.item(number)
                if item is not None:
                    item.setSelected(tile.key == key)
                    if tile.key == key:
                        self.setCurrentItem(item)
            self.blockSignals(False)

    def n_below(self) -> int:
        """Return how many tiles lie, for the most part, below what is seen."""
        paper = self.viewport()
        assert paper is not None
        boxes = (self.visualItemRect(self.item(number)) for number in range(self.count()))
        return sum(box.center().y() > paper.height() for box in boxes)

    def enter(self) -> None:
        """Take the keyboard, with the first tile chosen if none is."""
        self.setFocus()
        if self.count() and not self.chosen():
            self.setCurrentRow(0)

    def chosen(self) -> list[object]:
        """Return the keys of the selected tiles, in order."""
        items = [self.item(n) for n in range(self.count())]
        return [item.data(_KEY) for item in items if item is not None and item.isSelected()]

    def point_of(self, key: object, share: float = 0.5) -> QPoint:
        """Return where the picture of a tile lies in the viewport, at a share of its width."""
        number = next(n for n, tile in enumerate(self._tiles) if tile.key == key)
        box = picture_box(self.visualItemRect(self.item(number)))
        return QPoint(round(box.left() + share * box.width()), box.center().y())

    def startDrag(self, actions: Qt.DropAction) -> None:
        keys = self.chosen()
        if keys:
            drag = QDrag(self)
            drag.setMimeData(self._carry(keys))
            image = next((i.data(_IMAGE) for i in self.selectedItems() if i.data(_IMAGE)), None)
            if isinstance(image, QImage):
                drag.setPixmap(QPixmap.fromImage(image.scaled(PICTURE)))
                drag.setHotSpot(QPoint(PICTURE.width() // 2, PICTURE.height() // 2))
            drag.exec(Qt.DropAction.CopyAction)

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        """Choose the tile under the pointer, and let the page offer what can be done with it."""
        if event is None:
            return
        by_key = event.reason() == QContextMenuEvent.Reason.Keyboard
        item = self.currentItem() if by_key else self.itemAt(event.pos())
        if item is None:
            event.ignore()
            return
        if not item.isSelected():
            self.clearSelection()
            self.setCurrentItem(item)
            item.setSelected(True)
        at = self.visualItemRect(item).center() if by_key else event.pos()
        paper = self.viewport()
        assert paper is not None
        if self.receivers(self.menu_asked):
            self.menu_asked.emit(item.data(_KEY), paper.mapToGlobal(at))
        else:
            event.ignore()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.chosen():
            self.taken.emit(self.chosen())
        elif event is not None and event.key() == Qt.Key.Key_Delete and self.chosen():
            self.removed.emit(self.chosen())
        elif event is not None and event.key() == Qt.Key.Key_Asterisk and self.chosen():
            self.starred.emit(self.chosen())
        else:
            super().keyPressEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        super().mouseMoveEvent(event)
        if event is None or event.buttons() != Qt.MouseButton.NoButton:
            return
        item = self.itemAt(event.position().toPoint())
        if item is not self._under:
            self._leave()
            self._under = item
        if item is not None:
            box = picture_box(self.visualItemRect(item))
            if event.position().y() > box.bottom():
                self._leave()
                return
            share = (event.position().x() - box.left()) / box.width()
            self.pointed.emit(item.data(_KEY), min(max(share, 0.0), 1.0))

    def viewportEvent(self, event: QEvent | None) -> bool:
        """Tell of a tile below its picture only: on it, what is told would hide what is skimmed."""
        if isinstance(event, QHelpEvent):
            item = self.itemAt(event.pos())
            if item is not None and item.data(_PEEK) is not None:
                return True
        return super().viewportEvent(event)

    def leaveEvent(self, event: QEvent | None) -> None:
        super().leaveEvent(event)
        self._leave()

    def _leave(self) -> None:
        if self._under is not None:
            self._under.setData(_PEEK, None)
            self._under = None
            self.pointed.emit(None, 0.0)


def picture_box(rect: QRect) -> QRect:
    """Return where the picture of a tile lies."""
    return QRect(rect.left() + 4, rect.top() + 4, PICTURE.width(), PICTURE.height())


class _TileDelegate(QStyledItemDelegate):
    def sizeHint(self, option: QStyleOptionViewItem, index: object) -> QSize:
        return TILE

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: object) -> None:
        assert painter is not None
        tile = index.data(_TILE)  # type: ignore[attr-defined]
        if not isinstance(tile, Tile):
            return
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        box = picture_box(option.rect)
        outline = QPainterPath()
        outline.addRoundedRect(QRectF(box), 5, 5)
        painter.fillPath(outline, theme.RAISED)
        image, peek = index.data(_IMAGE), index.data(_PEEK)  # type: ignore[attr-defined]
        if peek is not None:
            image = peek[0]
        painter.setClipPath(outline)
        if isinstance(image, QImage):
            painter.drawImage(box, image)
        if tile.icon:
            _paint_icon(painter, box, tile.icon, is_alone=not isinstance(image, QImage))
        for mark in tile.marks:
            paint_pin(painter, box.left() + mark.share * box.width(), box.bottom() + 1, mark.is_filled)
        if peek is not None and peek[1] is not None:
            x = box.left() + peek[1] * box.width()
            painter.setPen(QPen(theme.TEXT, 1))
            painter.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))
        painter.setClipping(False)
        for number, colour in enumerate(tile.line):
            left, right = (box.left() + box.width() * n / len(tile.line) for n in (number, number + 1))
            painter.fillRect(QRectF(left, box.bottom() + 2, right - left - (right < box.right()), 3), colour)
        if option.state & QStyle.StateFlag.State_Selected:
            painter.setPen(QPen(theme.TEXT, 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPath(outline)
        _write(painter, box, tile)
        painter.restore()


def _paint_icon(painter: QPainter, box: QRect, icon: str, *, is_alone: bool) -> None:
    size = 22 if is_alone else 14
    at = box.center() - QPoint(size // 2, size // 2) if is_alone else box.topLeft() + QPoint(4, 4)
    if not is_alone:
        ground = QColor(theme.GROUND)
        ground.setAlpha(170)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(ground)
        painter.drawRoundedRect(QRectF(at.x() - 2, at.y() - 2, size + 4, size + 4), 4, 4)
    colour = theme.QUIET if is_alone else theme.TEXT
    painter.drawPixmap(at, theme.icon_pixmap(icon, colour.name(), size))


def _write(painter: QPainter, box: QRect, tile: Tile) -> None:
    """Write the note on the picture's corner, so that the name has all the width below it."""
    row = QRect(box.left(), box.bottom() + 7, box.width(), 18)
    if tile.note:
        painter.setFont(theme.numbers(8))
        wide = painter.fontMetrics().horizontalAdvance(tile.note) + 8
        corner = QRectF(box.right() - wide - 3, box.top() + 4, wide, 14)
        theme.paint_badge(painter, corner, tile.note)
    painter.setFont(theme.words(9))
    painter.setPen(theme.TEXT)
    text = painter.fontMetrics().elidedText(tile.name, Qt.TextElideMode.ElideRight, row.width())
    painter.drawText(row, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, text)
