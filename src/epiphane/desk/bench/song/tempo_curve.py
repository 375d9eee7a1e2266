"""How the tempo goes through the song, as a curve."""

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen, QPixmap, QPolygonF
from PyQt6.QtWidgets import QWidget

from epiphane.desk.control.editor import Editor
from epiphane.desk.look import theme
from epiphane.timing import frame_at, frame_start
from epiphane.wording import tr

_HEIGHT = 46
_LEFT, _RIGHT = 52, 8
_LEAST_SPAN = 0.02


class TempoCurve(QWidget):
    """The tempo between every two beats; a click goes there."""

    def __init__(self, editor: Editor) -> None:
        super().__init__()
        self._editor = editor
        self._painted: object = None
        self._picture = QPixmap()
        self.setFixedHeight(_HEIGHT)
        self.setAccessibleName(tr("Tempo curve"))
        self.setToolTip(tr("The tempo through the song; click to go there"))
        editor.project_changed.connect(lambda *_: self.update())
        editor.playhead_changed.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(300, _HEIGHT)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Paint the curve, which is kept while the song is the same, and the playhead over it."""
        song = self._editor.project.song
        wanted = (song, self.size(), self.devicePixelRatioF())
        if wanted != self._painted:
            self._picture = QPixmap(self.size() * self.devicePixelRatioF())
            self._picture.setDevicePixelRatio(self.devicePixelRatioF())
            self._picture.fill(Qt.GlobalColor.transparent)
            self._paint_curve(QPainter(self._picture))
            self._painted = wanted
        painter = QPainter(self)
        painter.drawPixmap(0, 0, self._picture)
        if song is not None and len(song.beats) > 1:
            share = frame_start(self._editor.playhead, self._editor.project.rate) / max(song.duration, 1e-6)
            here = _LEFT + share * (self.width() - _LEFT - _RIGHT)
            painter.setPen(QPen(theme.QUIET, 1))
            painter.drawLine(QPointF(here, 4), QPointF(here, _HEIGHT - 4))

    def _paint_curve(self, painter: QPainter) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(_LEFT, 4, self.width() - _LEFT - _RIGHT, _HEIGHT - 8)
        painter.fillRect(box, theme.STRIP)
        song = self._editor.project.song
        beats = song.beats if song is not None else ()
        if song is None or len(beats) < 2:
            painter.setPen(theme.QUIET)
            painter.setFont(theme.words(8.5))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, tr("no beats yet"))
            return
        times = np.array([beat.time for beat in beats])
        tempi = 60 / np.diff(times)
        usual = float(np.median(tempi))
        shown = np.clip(tempi, usual / 1.6, usual * 1.6)
        span = max(float(np.abs(shown / usual - 1).max()), _LEAST_SPAN)
        low, high = usual * (1 - span), usual * (1 + span)

        def x(seconds: float) -> float:
            return box.left() + seconds / max(song.duration, 1e-6) * box.width()

        def y(tempo: float) -> float:
            return box.bottom() - 2 - (tempo - low) / (high - low) * (box.height() - 4)

        painter.setPen(QPen(theme.RULE, 1))
        painter.drawLine(QPointF(box.left(), y(usual)), QPointF(box.right(), y(usual)))
        step = max(1, round(len(shown) / (2 * box.width())))  # of an hour's beats two for each pixel
        points = zip(times[:-1:step].tolist(), shown[::step].tolist(), strict=True)
        curve = QPolygonF([QPointF(x(time), y(tempo)) for time, tempo in points])
        painter.setPen(QPen(theme.TEXT, 1.4))
        painter.drawPolyline(curve)
        painter.setFont(theme.numbers(8))
        painter.setPen(theme.QUIET)
        right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        for tempo, top in ((high, box.top() - 2), (low, box.bottom() - 10)):
            painter.drawText(QRectF(0, top, _LEFT - 6, 12), right, f"{tempo:.1f}")

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        song = self._editor.project.song
        if event is None or song is None:
            return
        share = (event.position().x() - _LEFT) / max(self.width() - _LEFT - _RIGHT, 1)
        self._editor.go_to(frame_at(min(max(share, 0.0), 1.0) * song.duration, self._editor.project.rate))
