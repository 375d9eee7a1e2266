"""The picture, on neutral grey, as large as it fits."""

import cv2
import numpy as np
from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QEnterEvent, QImage, QMouseEvent, QPainter, QPaintEvent, QPen, QResizeEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from epiphane.desk.engine.thumbnails import image_of
from epiphane.desk.look import theme
from epiphane.desk.picture.handles import Handles
from epiphane.render.scopes import clipped
from epiphane.types import Picture, Size
from epiphane.wording import tr

_MOST_SHARE = 0.46
"""Of the window's height, for a picture that is taller than wide."""
_LOW_WINDOW, _LOW_SHARE = 640, 0.36
"""Below this height, px, a wide picture has no more than this share of it: the bench needs the rest."""
TITLE_SAFE = 0.9
_STRIPE_PIXELS = 5
_SAFE_SHARES = (0.93, TITLE_SAFE)


def stripes_of(picture: Picture) -> QImage:
    """Return stripes where a picture is clipped: red on what is too bright, blue on what is black."""
    bright, dark = clipped(picture)
    height, width = bright.shape
    across, down = np.arange(width)[None, :], np.arange(height)[:, None]
    pixels = np.zeros((height, width, 4), np.uint8)
    blue, _, red = theme.CHANNEL_COLOURS
    pixels[(bright > 0) & ((across + down) // _STRIPE_PIXELS % 2 == 0)] = red.getRgb()
    pixels[(dark > 0) & ((across - down) // _STRIPE_PIXELS % 2 == 0)] = blue.getRgb()
    kind = QImage.Format.Format_RGBA8888_Premultiplied
    return QImage(pixels.tobytes(), width, height, 4 * width, kind).copy()


class PictureView(QWidget):
    """Shows one picture.

    Signals
    -------
    resized()
        The room for the picture has changed.
    handle_dragged(across: float, down: float), handle_released()
        The handle was moved to shares of the picture.
    double_clicked(across: float, down: float)
        At shares of the picture.
    pointed(across: float, down: float)
        The pointer is at shares of the picture; -1, -1 where it has left.
    """

    resized = pyqtSignal()
    handle_dragged = pyqtSignal(float, float)
    handle_released = pyqtSignal()
    double_clicked = pyqtSignal(float, float)
    pointed = pyqtSignal(float, float)

    def __init__(self) -> None:
        super().__init__()
        self._picture: Picture | None = None
        self._image: QImage | None = None
        self._guest: QImage | None = None
        self._guest_words = ("", "")
        self._handle: QPointF | None = None
        self._all_handles: list[Handles] = []
        self._held_handles: Handles | None = None
        self._is_over = False
        self._is_held = False
        self._shape: Size = (1280, 720)
        self._zoom: float | None = None
        self._pan, self._pan_from = QPointF(), QPointF()
        self._is_panned = self._has_guides = self._is_free = self._has_stripes = False
        self._stripes: QImage | None = None
        self.setAccessibleName(tr("Picture"))
        self.setMinimumSize(240, 135)
        policy = QSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)
        policy.setHeightForWidth(True)
        self.setSizePolicy(policy)

    def heightForWidth(self, width: int) -> int:
        """Return how tall the picture is that fills a width; an upright one leaves room for what is below."""
        window = self.window()
        tall = window.height() if window else 0
        wide = round(width * 9 / 16) + 1
        if 0 < tall < _LOW_WINDOW:  # as where text is large on a small screen
            wide = min(wide, round(_LOW_SHARE * tall))
        most = max(wide, round(_MOST_SHARE * tall) if self._aspect < 1 else 0)
        return min(round(width / self._aspect), most)

    @property
    def _aspect(self) -> float:
        return self._shape[0] / self._shape[1]

    def sizeHint(self) -> QSize:
        return QSize(456, self.heightForWidth(456))

    def set_shape(self, size: Size) -> None:
        """Keep room for pictures of a project's width and height."""
        if size != self._shape:
            self._shape, self._image = size, None
            self.updateGeometry()
            self.update()

    def set_free(self, is_free: bool) -> None:
        """Take all the room there is, or as much as the picture's shape asks for."""
        self._is_free = is_free
        policy = self.sizePolicy()
        policy.setHeightForWidth(not is_free)
        wanted = QSizePolicy.Policy.Expanding if is_free else QSizePolicy.Policy.Preferred
        policy.setVerticalPolicy(wanted)
        self.setSizePolicy(policy)
        self.updateGeometry()

    def set_zoom(self, zoom: float | None) -> None:
        """Show a pixel of the project as so many of the screen, to be moved by dragging; None: as fits."""
        self._zoom, self._image, self._pan = zoom, None, QPointF()
        self.resized.emit()
        self.update()

    def set_guides(self, has_guides: bool) -> None:
        """Show safe areas and the centre, or no longer."""
        self._has_guides = has_guides
        self.update()

    def set_stripes(self, has_stripes: bool) -> None:
        """Show by stripes what is clipped, or no longer."""
        self._has_stripes = has_stripes
        self._stripe()
        self.update()

    def show_picture(self, picture: Picture | None) -> None:
        """Show a picture, or none."""
        self._picture = picture
        self._image = None
        self._stripe()
        self.update()

    def _stripe(self) -> None:
        wanted = self._picture if self._has_stripes else None
        self._stripes = None if wanted is None else stripes_of(wanted)

    def show_guest(self, picture: Picture | None, words: str, other_words: str = "") -> None:
        """Show a frame of a clip over the project's picture, and which it is; None takes it away.

        Where two frames are beside each other in it, `other_words` say which the right one is.
        """
        self._guest = None if picture is None else image_of(picture).copy()
        self._guest_words = words, other_words
        self.update()

    def add_handles(self, handles: Handles) -> None:
        """Have something that is dragged over the picture while the pointer is there."""
        self._all_handles.append(handles)
        self.setMouseTracking(True)

    def add_handles_first(self, handles: Handles) -> None:
        """Have something that comes before all others that are dragged over the picture."""
        self._all_handles.insert(0, handles)
        self.setMouseTracking(True)

    def set_handle(self, point: QPointF | None) -> None:
        """Show a handle at shares of the picture's width and height, or none."""
        if point != self._handle:
            self._handle = point
            self.setCursor(Qt.CursorShape.ArrowCursor if point is None else Qt.CursorShape.CrossCursor)
            self.setToolTip("" if point is None else tr("Drag the centre of the effect"))
            self.update()

    def point_of(self, across: float, down: float) -> QPointF:
        """Return where shares of the picture lie in the view."""
        room = self._room()
        return QPointF(room.left() + across * room.width(), room.top() + down * room.height())

    def picture_room(self) -> QRectF:
        """Return where the picture lies in the view."""
        return self._room()

    @property
    def has_guest(self) -> bool:
        """Whether a clip is shown in place of the project."""
        return self._guest is not None

    def device_pixels(self) -> Size:
        """Return the size of the picture on screen, in its pixels."""
        room = self._room()
        ratio = self.devicePixelRatioF()
        return max(2, round(room.width() * ratio)), max(2, round(room.height() * ratio))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.PICTURE_GROUND)
        if self._guest is not None:
            self._paint_guest(painter, self._guest)
            return
        if self._picture is None:
            painter.setPen(theme.QUIET)
            painter.setFont(theme.words(9.5))
            painter.drawText(
                QRectF(self.rect()), Qt.AlignmentFlag.AlignCenter, tr("The picture appears here")
            )
            return
        if self._zoom is not None:
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, self._zoom < 2)
            painter.drawImage(self._room(), image_of(self._picture))
        else:
            if self._image is None:
                self._image = self._fitted(self._picture)
            painter.drawImage(QPointF(self._room().topLeft()), self._image)
        if self._stripes is not None:
            painter.drawImage(self._room(), self._stripes)
        if self._has_guides:
            self._paint_guides(painter)
        for handles in self._all_handles:
            if self._is_over or self._held_handles is not None or handles.is_always_seen:
                handles.paint(painter, self._room())
        if self._handle is not None:
            self._paint_handle(painter, self.point_of(self._handle.x(), self._handle.y()))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._handle is not None and event.button() == Qt.MouseButton.LeftButton:
            self._is_held = True
            self._drag(event.position())
        elif event is not None and self._press_handles(event):
            pass
        elif event is not None and self._zoom is not None:
            self._is_panned, self._pan_from = True, event.position() - self._pan
            self.setCursor(Qt.CursorShape.ClosedHandCursor)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            room, at = self._room(), event.position()
            self.pointed.emit((at.x() - room.left()) / room.width(), (at.y() - room.top()) / room.height())
        if event is not None and self._is_held:
            self._drag(event.position())
        elif event is not None and self._held_handles is not None:
            self._held_handles.move(event.position(), self._room())
        elif event is not None and self._is_panned:
            self._pan = event.position() - self._pan_from
            self.update()
        elif event is not None and self._handle is None:
            cursors = (one.cursor_at(event.position(), self._room()) for one in self._all_handles)
            arrow = Qt.CursorShape.ArrowCursor
            self.setCursor(next((one for one in cursors if one is not arrow), arrow))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._is_held:
            self._is_held = False
            self.handle_released.emit()
        if self._is_panned:
            self._is_panned = False
            self.unsetCursor()
        if self._held_handles is not None:
            held, self._held_handles = self._held_handles, None
            held.release()
            self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            room, at = self._room(), event.position()
            across, down = (at.x() - room.left()) / room.width(), (at.y() - room.top()) / room.height()
            self.double_clicked.emit(across, down)

    def enterEvent(self, event: QEnterEvent | None) -> None:
        self._is_over = True
        self.update()

    def leaveEvent(self, event: QEvent | None) -> None:
        self._is_over = False
        self.pointed.emit(-1.0, -1.0)
        self.update()

    def _press_handles(self, event: QMouseEvent) -> bool:
        """Hold what lies there; False where nothing does."""
        if event.button() == Qt.MouseButton.LeftButton:
            at, room = event.position(), self._room()
            self._held_handles = next((one for one in self._all_handles if one.press(at, room)), None)
        return self._held_handles is not None

    def _drag(self, at: QPointF) -> None:
        room = self._room()
        across, down = (at.x() - room.left()) / room.width(), (at.y() - room.top()) / room.height()
        self.handle_dragged.emit(min(max(across, 0.0), 1.0), min(max(down, 0.0), 1.0))

    def _paint_handle(self, painter: QPainter, at: QPointF) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for pen in (QPen(theme.GROUND, 4), QPen(theme.TEXT, 1.6)):
            painter.setPen(pen)
            painter.drawEllipse(at, 8, 8)
            for x, y in ((1, 0), (-1, 0), (0, 1), (0, -1)):
                painter.drawLine(at + QPointF(5 * x, 5 * y), at + QPointF(13 * x, 13 * y))

    def _paint_guides(self, painter: QPainter) -> None:
        """Paint the safe areas for action and for titles (SMPTE ST 2046-1: 93 % and 90 %), and the centre."""
        room = self._room()
        painter.setBrush(Qt.BrushStyle.NoBrush)
        middle = room.center()
        for pen in (QPen(theme.GROUND, 3), QPen(theme.TEXT, 1)):
            painter.setPen(pen)
            for share in _SAFE_SHARES:
                across, down = (1 - share) / 2 * room.width(), (1 - share) / 2 * room.height()
                painter.drawRect(room.adjusted(across, down, -across, -down))
            painter.drawLine(middle - QPointF(9, 0), middle + QPointF(9, 0))
            painter.drawLine(middle - QPointF(0, 9), middle + QPointF(0, 9))

    def _paint_guest(self, painter: QPainter, guest: QImage) -> None:
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.drawImage(self._room(), guest)
        painter.setFont(theme.numbers(9))
        room = self._room()
        for left, words in zip((room.left(), room.center().x()), self._guest_words, strict=True):
            if words:
                width = painter.fontMetrics().horizontalAdvance(words) + 14
                theme.paint_badge(painter, QRectF(left + 8, room.bottom() - 28, width, 20), words)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self._image = None
        self.resized.emit()

    def _fitted(self, picture: Picture) -> QImage:
        size = self.device_pixels()
        height, width = picture.shape[:2]
        if (width, height) != size:
            method = cv2.INTER_AREA if width > 1.5 * size[0] else cv2.INTER_LINEAR
            picture = np.asarray(cv2.resize(picture, size, interpolation=method), np.uint8)
        self._picture = picture  # the image shares its memory
        image = image_of(picture)
        image.setDevicePixelRatio(self.devicePixelRatioF())
        return image

    def _room(self) -> QRectF:
        """Return where the picture lies: as large as fits, in the middle; zoomed, where it was dragged to."""
        if self._zoom is not None:
            ratio = self.devicePixelRatioF()
            width, height = (side * self._zoom / ratio for side in self._shape)
            spare_x, spare_y = abs(self.width() - width) / 2, abs(self.height() - height) / 2
            x = min(max(self._pan.x(), -spare_x), spare_x) if width > self.width() else 0.0
            y = min(max(self._pan.y(), -spare_y), spare_y) if height > self.height() else 0.0
            return QRectF((self.width() - width) / 2 + x, (self.height() - height) / 2 + y, width, height)
        width = min(self.width(), self.height() * self._aspect)
        height = width / self._aspect
        return QRectF((self.width() - width) // 2, (self.height() - height) // 2, width, height)
