"""The picture, on neutral grey, as large as it fits."""

import cv2
import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QMouseEvent, QPainter, QPaintEvent, QPen, QResizeEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from epiphane.desk.engine.thumbnails import image_of
from epiphane.desk.shell import theme
from epiphane.types import Picture, Size

_MOST_SHARE = 0.46
"""Of the window's height, for a picture that is taller than wide."""


class PictureView(QWidget):
    """Shows one picture.

    Signals
    -------
    resized()
        The room for the picture has changed.
    handle_dragged(across: float, down: float), handle_released()
        The handle was moved to shares of the picture.
    """

    resized = pyqtSignal()
    handle_dragged = pyqtSignal(float, float)
    handle_released = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self._picture: Picture | None = None
        self._image: QImage | None = None
        self._guest: QImage | None = None
        self._guest_words = ("", "")
        self._handle: QPointF | None = None
        self._is_held = False
        self._aspect = 16 / 9
        self.setAccessibleName("Picture")
        self.setMinimumSize(240, 135)
        policy = QSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)
        policy.setHeightForWidth(True)
        self.setSizePolicy(policy)

    def heightForWidth(self, width: int) -> int:
        """Return how tall the picture is that fills a width; an upright one leaves room for what is below."""
        window = self.window()
        most = max(round(width * 9 / 16) + 1, round(_MOST_SHARE * (window.height() if window else 0)))
        return min(round(width / self._aspect), most)

    def sizeHint(self) -> QSize:
        return QSize(456, self.heightForWidth(456))

    def set_aspect(self, size: Size) -> None:
        """Keep room for pictures of a project's width and height."""
        aspect = size[0] / size[1]
        if aspect != self._aspect:
            self._aspect = aspect
            self.updateGeometry()
            self.update()

    def show_picture(self, picture: Picture | None) -> None:
        """Show a picture, or none."""
        self._picture = picture
        self._image = None
        self.update()

    def show_guest(self, picture: Picture | None, words: str, other_words: str = "") -> None:
        """Show a frame of a clip over the project's picture, and which it is; None takes it away.

        Where two frames are beside each other in it, `other_words` say which the right one is.
        """
        self._guest = None if picture is None else image_of(picture).copy()
        self._guest_words = words, other_words
        self.update()

    def set_handle(self, point: QPointF | None) -> None:
        """Show a handle at shares of the picture's width and height, or none."""
        if point != self._handle:
            self._handle = point
            self.setCursor(Qt.CursorShape.ArrowCursor if point is None else Qt.CursorShape.CrossCursor)
            self.setToolTip("" if point is None else "Drag the centre of the effect")
            self.update()

    def point_of(self, across: float, down: float) -> QPointF:
        """Return where shares of the picture lie in the view."""
        room = self._room()
        return QPointF(room.left() + across * room.width(), room.top() + down * room.height())

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
            painter.drawText(QRectF(self.rect()), Qt.AlignmentFlag.AlignCenter, "The picture appears here")
            return
        if self._image is None:
            self._image = self._fitted(self._picture)
        painter.drawImage(QPointF(self._room().topLeft()), self._image)
        if self._handle is not None:
            self._paint_handle(painter, self.point_of(self._handle.x(), self._handle.y()))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._handle is not None and event.button() == Qt.MouseButton.LeftButton:
            self._is_held = True
            self._drag(event.position())

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._is_held:
            self._drag(event.position())

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._is_held:
            self._is_held = False
            self.handle_released.emit()

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
        """Return where the picture lies: as large as fits, in the middle."""
        width = min(self.width(), self.height() * self._aspect)
        height = width / self._aspect
        return QRectF((self.width() - width) // 2, (self.height() - height) // 2, width, height)
