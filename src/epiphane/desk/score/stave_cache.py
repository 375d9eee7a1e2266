"""A cache of painted staves, of which single rows are painted again when their content changes.

A stave takes tens of milliseconds to paint, so one that is not seen yet is painted row by row.
"""

from collections.abc import Iterator, Sequence
from contextlib import contextmanager

from msgspec import Struct
from PyQt6.QtCore import QSize
from PyQt6.QtGui import QPainter, QPixmap

from epiphane.desk.look import theme
from epiphane.desk.score.layout import ScoreLayout, Stave
from epiphane.desk.score.rows import Row

ABOVE, BELOW = 6, 6
"""How much more than a stave its picture holds, px."""


_DONE = object()


class _Kept(Struct, eq=False):
    """A stave as it was painted, and what it showed: rows that are painted together, and each other one."""

    together: object
    pixmap: QPixmap
    apart: dict[int, object]


class StavePictures:
    """The pictures of staves by their number."""

    def __init__(self) -> None:
        self._kept: dict[int, _Kept] = {}
        self._doubted: set[int] = set()
        self._begun: dict[int, Iterator[None]] = {}

    def forget(self) -> None:
        """Paint everything anew."""
        self._kept.clear()
        self._begun.clear()

    def doubt(self) -> None:
        """Look, before a picture is used again, whether what it shows has changed."""
        self._doubted = set(self._kept)
        self._begun.clear()

    def is_ready(self, stave: Stave) -> bool:
        """Whether the picture of a stave need not be painted, nor looked at."""
        return stave.index in self._kept and stave.index not in self._doubted

    def picture(self, layout: ScoreLayout, rows: Sequence[Row], stave: Stave, ratio: float) -> QPixmap:
        """Return the picture of a stave, and some room around it; `ratio` is device pixels for one."""
        if not self.is_ready(stave):
            for _ in self._begun.pop(stave.index, None) or self._painted(layout, rows, stave, ratio):
                pass
        return self._kept[stave.index].pixmap

    def paint_row(self, layout: ScoreLayout, rows: Sequence[Row], stave: Stave, ratio: float) -> None:
        """Paint the next row of a stave that is not ready."""
        painting = self._begun.get(stave.index) or self._painted(layout, rows, stave, ratio)
        self._begun[stave.index] = painting
        if next(painting, _DONE) is _DONE:
            del self._begun[stave.index]

    def _painted(
        self, layout: ScoreLayout, rows: Sequence[Row], stave: Stave, ratio: float
    ) -> Iterator[None]:
        """Bring the picture of a stave up to date, and yield after each row that was painted."""
        kept = self._kept.get(stave.index)
        joined = [row for row in rows if not row.is_apart]
        together = (layout.look(stave), *(row.content(layout, stave) for row in joined))
        if kept is None or kept.together != together:
            pixmap = QPixmap(QSize(round(layout.width), round(stave.height + ABOVE + BELOW)) * ratio)
            pixmap.setDevicePixelRatio(ratio)
            pixmap.fill(theme.GROUND)
            for row in joined:
                with _painting(pixmap, stave) as painter:
                    row.paint(painter, layout, stave)
                yield
            kept = _Kept(together, pixmap, {})
        apart = {number: row.content(layout, stave) for number, row in enumerate(rows) if row.is_apart}
        for number, content in apart.items():
            if kept.apart.get(number) != content:
                with _painting(kept.pixmap, stave) as painter:
                    rows[number].paint(painter, layout, stave)
                kept.apart[number] = content
                yield
        kept.apart = apart
        self._kept[stave.index] = kept
        self._doubted.discard(stave.index)


@contextmanager
def _painting(pixmap: QPixmap, stave: Stave) -> Iterator[QPainter]:
    """Give a painter on the picture of a stave, in the coordinates of the score."""
    painter = QPainter(pixmap)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.translate(0, ABOVE - stave.top)
    yield painter
    painter.end()
