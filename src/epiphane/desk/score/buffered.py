"""Painting over the ruler: which frames around the playhead are rendered ahead, and the loop."""

from collections.abc import Sequence
from fractions import Fraction

from PyQt6.QtCore import QObject, QRectF, pyqtSignal
from PyQt6.QtGui import QPainter

from epiphane.desk.engine.debounce import debounced
from epiphane.desk.engine.frames import FrameServer
from epiphane.desk.look import theme
from epiphane.desk.score.layout import ScoreLayout
from epiphane.timing import frame_start

_TELLING_MILLISECONDS = 150


class Preparedness(QObject):
    """Tells now and then which of the wanted frames are ready: pictures come many times a second.

    Signals
    -------
    changed(frames: tuple of int)
    """

    changed = pyqtSignal(object)

    def __init__(self, frames: FrameServer, parent: QObject) -> None:
        super().__init__(parent)
        self._frames = frames
        self._timer = debounced(self, _TELLING_MILLISECONDS, self._tell)
        frames.drawn.connect(self._on_drawn)
        self._is_resting = False

    def rest(self, is_resting: bool) -> None:
        """Tell nothing while something plays: what is ready then is gone again at once."""
        self._is_resting = is_resting
        if is_resting:
            self.changed.emit(())

    def _on_drawn(self, _frame: int) -> None:
        if not self._timer.isActive() and not self._is_resting:
            self._timer.start()

    def _tell(self) -> None:
        if not self._is_resting:
            self.changed.emit(self._frames.ready())


def paint_prepared(
    painter: QPainter, layout: ScoreLayout, rate: Fraction, frames: Sequence[int], *, offset: int
) -> None:
    """Show for which frames, ascending, a picture is ready: a thin line under the ruler."""
    starts = [n for n, frame in enumerate(frames) if n == 0 or frame != frames[n - 1] + 1]
    ends = [*starts[1:], len(frames)] if starts else []
    for first, end in zip(starts, ends, strict=True):
        start, stop = frame_start(frames[first], rate), frame_start(frames[end - 1] + 1, rate)
        for stave in layout.staves:
            if start < stave.end and stop > stave.start:
                left = layout.x_at(stave, max(start, stave.start))
                right = layout.x_at(stave, min(stop, stave.end))
                top = layout.sound_top(stave.top) - offset - 4
                painter.fillRect(QRectF(left, top, right - left, 2), theme.QUIET)


def paint_loop(
    painter: QPainter, layout: ScoreLayout, rate: Fraction, loop: tuple[int, int], *, offset: int
) -> None:
    """Show from which frame to before which other one it plays round: a bracket over the ruler."""
    start, stop = (frame_start(frame, rate) for frame in loop)
    for stave in layout.staves:
        if start >= stave.end or stop <= stave.start:
            continue
        left, right = (layout.x_at(stave, min(max(one, stave.start), stave.end)) for one in (start, stop))
        top = layout.ruler_top(stave.top) - offset + 1
        painter.fillRect(QRectF(left, top, right - left, 3), theme.TEXT)
        for x, is_end in ((left, start >= stave.start), (right - 2, stop <= stave.end)):
            if is_end:
                painter.fillRect(QRectF(x, top, 2, 11), theme.TEXT)
