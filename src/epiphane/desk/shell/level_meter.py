"""How loud what plays is: a bar for either side, and whether it clips."""

from PyQt6.QtCore import QRectF, QSize, QTimer
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from epiphane.audio.mix import decibels_too_loud
from epiphane.desk.control.playback import Playback
from epiphane.desk.look import theme
from epiphane.wording import tr

METER_WIDTH = 68
_LOWEST_DECIBELS = -48.0
_MILLISECONDS = 40
_FALL = 1.5
"""Decibels that a bar falls by in a step."""


class LevelMeter(QWidget):
    """Shows the peak level of both channels from -48 dB to 0; a block at the end says that it clips."""

    def __init__(self, playback: Playback) -> None:
        super().__init__()
        self._playback = playback
        self._levels = [_LOWEST_DECIBELS, _LOWEST_DECIBELS]
        self._has_clipped = False
        self.setFixedSize(QSize(METER_WIDTH, 18))
        self.setAccessibleName(tr("Level"))
        self._timer = QTimer(self)
        self._timer.setInterval(_MILLISECONDS)
        self._timer.timeout.connect(self._step)
        playback.state_changed.connect(self._on_state)
        self.show_peak(0.0)

    def show_peak(self, peak: float) -> None:
        """Say whether the mix clips anywhere; `peak` is its largest level."""
        self._has_clipped = decibels_too_loud(peak) > 0
        words = tr("it clips: take gain down") if self._has_clipped else tr("it does not clip")
        self.setToolTip(tr("Level of what plays, from -48 dB to 0; {words}", words=words))
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        wide = self.width() - 10
        for row, level in enumerate(self._levels):
            box = QRectF(0, 2 + 8 * row, wide, 5)
            painter.fillRect(box, theme.STRIP)
            share = 1 - max(level, _LOWEST_DECIBELS) / _LOWEST_DECIBELS
            painter.fillRect(QRectF(0, box.top(), wide * share, 5), theme.QUIET)
        painter.fillRect(QRectF(wide + 2, 2, 6, 13), theme.TEXT if self._has_clipped else theme.STRIP)

    def _on_state(self) -> None:
        if self._playback.is_playing:
            self._timer.start()

    def _step(self) -> None:
        heard = self._playback.level_decibels() if self._playback.is_playing else None
        news = heard or (_LOWEST_DECIBELS, _LOWEST_DECIBELS)
        self._levels = [max(new, old - _FALL) for new, old in zip(news, self._levels, strict=True)]
        if heard is None and max(self._levels) <= _LOWEST_DECIBELS:
            self._timer.stop()
        self.update()
