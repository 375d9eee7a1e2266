"""The shape of a fade, as a curve that is dragged."""

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from epiphane.audio.song_gain import fade_level
from epiphane.desk.look import theme
from epiphane.wording import tr

_SIZE = QSize(64, 30)
_INSET = 4.0


class FadePicture(QWidget):
    """The curve of both fades; dragging it up makes them quick, down slow.

    Signals
    -------
    bent(bend: float)
        -1 to 1.
    released()
        A drag has ended.
    """

    bent = pyqtSignal(float)
    released = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self._bend = 0.0
        self.setFixedSize(_SIZE)
        self.setAccessibleName(tr("Shape of the fades"))
        self.setToolTip(tr("Shape of the fades: drag up to come quickly, down to come slowly"))
        self.setCursor(Qt.CursorShape.SizeVerCursor)

    def show_bend(self, bend: float) -> None:
        """Show a shape without a signal."""
        self._bend = bend
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(self.rect()).adjusted(_INSET, _INSET, -_INSET, -_INSET)
        painter.fillRect(self.rect(), theme.STRIP)
        shares = np.linspace(0, 1, 24)
        levels = fade_level(shares, self._bend)
        curve = [
            QPointF(box.left() + float(share) * box.width(), box.bottom() - float(level) * box.height())
            for share, level in zip(shares, levels, strict=True)
        ]
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.WAVE[0])
        painter.drawPolygon(QPolygonF([*curve, box.bottomRight()]))
        painter.setPen(QPen(theme.TEXT if self.isEnabled() else theme.QUIET, 1.4))
        painter.drawPolyline(QPolygonF(curve))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            self._drag(event.position().y())

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.buttons() & Qt.MouseButton.LeftButton:
            self._drag(event.position().y())

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self.released.emit()

    def _drag(self, y: float) -> None:
        share = 1 - 2 * (y - _INSET) / (self.height() - 2 * _INSET)
        bend = round(min(max(share, -1.0), 1.0), 2)
        if bend != self._bend:
            self.show_bend(bend)
            self.bent.emit(bend)
