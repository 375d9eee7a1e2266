"""A cache of painted staves, of which single rows are painted again when their content changes."""

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

    def forget(self) -> None:
        """Paint everything anew."""
        self._kept.clear()

    def doubt(self) -> None:
        """Look, before a picture is used again, whether what it shows has changed."""
        self._doubted = set(self._kept)

    def is_ready(self, stave: Stave) -> bool:
        """Whether the picture of a stave need not be painted, nor looked at."""
        return stave.index in self._kept and stave.index not in self._doubted

    def picture(self, layout: ScoreLayout, rows: Sequence[Row], stave: Stave, ratio: float) -> QPixmap:
        """Return the picture of a stave, and some room around it; `ratio` is device pixels for one."""
        kept = self._kept.get(stave.index)
        if kept is not None and self.is_ready(stave):
            return kept.pixmap
        self._doubted.discard(stave.index)
        joined = [row for row in rows if not row.is_apart]
        together = (layout.look(stave), *(row.content(layout, stave) for row in joined))
        if kept is None or kept.together != together:
            pixmap = QPixmap(QSize(round(layout.width), round(stave.height + ABOVE + BELOW)) * ratio)
            pixmap.setDevicePixelRatio(ratio)
            pixmap.fill(theme.GROUND)
            kept = self._kept[stave.index] = _Kept(together, pixmap, {})
            with _painting(pixmap, stave) as painter:
                for row in joined:
                    row.paint(painter, layout, stave)
        apart = {number: row.content(layout, stave) for number, row in enumerate(rows) if row.is_apart}
        with _painting(kept.pixmap, stave) as painter:
            for number, content in apart.items():
                if kept.apart.get(number) != content:
                    rows[number].paint(painter, layout, stave)
        kept.apart = apart
        return kept.pixmap


@contextmanager
def _painting(pixmap: QPixmap, stave: Stave) -> Iterator[QPainter]:
    """Give a painter on the picture of a stave, in the coordinates of the score."""
    painter = QPainter(pixmap)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.translate(0, ABOVE - stave.top)
    yield painter
    painter.end()
