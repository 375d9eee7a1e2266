"""Pictures of staves, kept: what has changed of one is painted again, if it can be a lane's strip alone."""

from collections.abc import Iterator, Sequence
from contextlib import contextmanager

from msgspec import Struct
from PyQt6.QtCore import QSize
from PyQt6.QtGui import QPainter, QPixmap

from epiphane.desk.score.layout import ScoreLayout, Stave
from epiphane.desk.score.paint import StavePainter
from epiphane.desk.shell import theme

ABOVE, BELOW = 6, 6
"""How much more than a stave its picture holds, px."""


class _Kept(Struct, eq=False):
    """A stave as it was painted, and what of the project that shows: above the lanes, and of each lane."""

    content: object
    pixmap: QPixmap
    lanes: Sequence[object]


class StavePictures:
    """The pictures of staves by their number."""

    def __init__(self, painter: StavePainter) -> None:
        self._painter = painter
        self._kept: dict[int, _Kept] = {}
        self._doubted: set[int] = set()

    def forget(self) -> None:
        """Paint everything anew."""
        self._kept.clear()

    def doubt(self) -> None:
        """Look, before a picture is used again, whether what it shows has changed."""
        self._doubted = set(self._kept)

    def is_ready(self, stave: Stave) -> bool:
        """Whether the picture of a stave need not be painted, nor looked at."""
        return stave.index in self._kept and stave.index not in self._doubted

    def picture(self, layout: ScoreLayout, stave: Stave, ratio: float) -> QPixmap:
        """Return the picture of a stave, and some room around it; `ratio` is device pixels for one."""
        kept = self._kept.get(stave.index)
        if kept is not None and self.is_ready(stave):
            return kept.pixmap
        self._doubted.discard(stave.index)
        content = self._painter.content(layout, stave)
        if kept is None or kept.content != content:
            pixmap = QPixmap(QSize(round(layout.width), round(stave.height + ABOVE + BELOW)) * ratio)
            pixmap.setDevicePixelRatio(ratio)
            pixmap.fill(theme.GROUND)
            kept = self._kept[stave.index] = _Kept(content, pixmap, [])
            with _painting(pixmap, stave) as painter:
                self._painter.paint(painter, layout, stave)
        lanes = [
            (lane in layout.shown_lanes, self._painter.lane_content(stave, number))
            for number, lane in enumerate(layout.lanes)
        ]
        with _painting(kept.pixmap, stave) as painter:
            if layout.is_folded and kept.lanes != lanes:
                self._painter.paint_fold(painter, layout, stave)
            for number, new in enumerate(lanes):
                old = kept.lanes[number] if number < len(kept.lanes) else None
                is_shown = new[0]
                if old != new and is_shown:
                    self._painter.paint_lane(painter, layout, stave, number)
        kept.lanes = lanes
        return kept.pixmap


@contextmanager
def _painting(pixmap: QPixmap, stave: Stave) -> Iterator[QPainter]:
    """Give a painter on the picture of a stave, in the coordinates of the score."""
    painter = QPainter(pixmap)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.translate(0, ABOVE - stave.top)
    yield painter
    painter.end()
