"""Level meters of lanes: which effect is firing at the playhead, and how strongly."""

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFontMetrics, QMouseEvent, QPainter, QPaintEvent, QResizeEvent
from PyQt6.QtWidgets import QFrame, QScrollArea, QWidget

from epiphane.desk.control.editor import Editor
from epiphane.desk.control.selection import LaneSelection
from epiphane.desk.look import theme
from epiphane.desk.look.lanes import lane_colour, lane_family, lane_label
from epiphane.desk.look.marks import paint_family
from epiphane.wording import tr

_ROW, _MARGIN = 22, 6
_MOST_ROWS = 5.5
"""So that the bench has room below; half of a lamp tells that there are more."""
_LEAST_WIDTH, _MOST_WIDTH, _LAMP_WIDTH = 100, 300, 34


class LaneMetersArea(QScrollArea):
    """The room for the lamps of all lanes: as high as they are, up to a few rows, then it scrolls."""

    def __init__(self, editor: Editor) -> None:
        super().__init__()
        self._editor = editor
        self.meters = LaneMeters(editor)
        self.setWidget(self.meters)
        self.setWidgetResizable(True)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.meters.fitted.connect(self._fit)
        editor.selection_changed.connect(self._reveal)
        self._fit()

    def _fit(self) -> None:
        self.setFixedHeight(min(self.meters.height(), round(_MOST_ROWS * _ROW) + 2 * _MARGIN))
        self._reveal()

    def _reveal(self) -> None:
        box = self.meters.box_of_chosen()
        if box is not None:
            centre = box.center().toPoint()
            self.ensureVisible(centre.x(), centre.y(), 0, _ROW)


class LaneMeters(QWidget):
    """The lamps of all lanes, in as many rows as their names need; clicking one selects its lane.

    Signals
    -------
    fitted()
        It has as many rows as its lanes need.
    """

    fitted = pyqtSignal()

    def __init__(self, editor: Editor) -> None:
        super().__init__()
        self._editor = editor
        self._fit()
        self.setAccessibleName(tr("Pulse lamps"))
        self.setToolTip(
            tr("Each lamp shows how strongly its lane fires at the playhead; click to select the lane")
        )
        editor.project_changed.connect(self._fit)
        editor.playhead_changed.connect(self.update)
        editor.selection_changed.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(400, self.height())

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fit()

    def levels(self) -> list[float]:
        """Return each lane's level at the playhead."""
        frame = self._editor.playhead
        return [
            max(0.0, float(lane.levels[frame])) if frame < len(lane.levels) else 0.0
            for lane in self._editor.cues.lanes
        ]

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), theme.PANEL)
        painter.setFont(theme.words(9))
        lanes = self._editor.project.lanes
        if not lanes:
            painter.setPen(theme.QUIET)
            text = tr("No lanes yet: drop an effect on the score") if self._editor.project.n_frames else ""
            painter.drawText(QRectF(self.rect()).adjusted(16, 0, 0, 0), _LEFT, text)
            return
        shown = [one.lane for one in self._editor.cues.lanes]  # those whose levels are known
        n_columns = self._n_columns()
        for index, (lane, level) in enumerate(zip(shown, self.levels(), strict=True)):
            box = self._box(index, n_columns)
            colour = lane_colour(lane)
            centre = QPointF(box.left() + 14, box.center().y())
            family, lit = lane_family(lane), min(level, 1.0)
            paint_family(painter, family, centre, 7, _mixed(theme.RAISED, colour, 0.25))
            paint_family(
                painter, family, centre, 3 + 4 * lit, _mixed(theme.RAISED, colour, 0.25 + 0.75 * lit)
            )
            is_chosen = lane.id == self._editor.selection.lane
            painter.setPen(theme.TEXT if is_chosen or level > 0.5 else theme.QUIET)
            name = painter.fontMetrics().elidedText(
                lane_label(lane), Qt.TextElideMode.ElideRight, round(box.width() - _LAMP_WIDTH + 4)
            )
            painter.drawText(box.adjusted(27, 0, 0, 0), _LEFT, name)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        lanes = self._editor.project.lanes
        if event is None or not lanes:
            return
        n_columns = self._n_columns()
        for index, lane in enumerate(lanes):
            if self._box(index, n_columns).contains(event.position()):
                self._editor.select(LaneSelection(lane.id))

    def _fit(self) -> None:
        n_rows = -(-len(self._editor.project.lanes) // self._n_columns()) or 1
        self.setFixedHeight(n_rows * _ROW + 2 * _MARGIN)
        self.update()
        self.fitted.emit()

    def box_of_chosen(self) -> QRectF | None:
        """Return where the lamp of the chosen lane is, if there is one."""
        chosen = self._editor.selection.lane
        numbers = (number for number, lane in enumerate(self._editor.project.lanes) if lane.id == chosen)
        number = next(numbers, None)
        return None if number is None else self._box(number, self._n_columns())

    def _n_columns(self) -> int:
        """Return how many names stand in a row, so that the longest is whole if there is room for it."""
        metrics = QFontMetrics(theme.words(9))
        names = [metrics.horizontalAdvance(lane_label(lane)) for lane in self._editor.project.lanes]
        wanted = max(_LEAST_WIDTH, max(names, default=0) + _LAMP_WIDTH)
        return max(1, self.width() // min(wanted, max(self.width() // 2, 1)))

    def _box(self, index: int, n_columns: int) -> QRectF:
        width = min(_MOST_WIDTH, self.width() / n_columns)
        row, column = divmod(index, n_columns)
        return QRectF(2 + column * width, _MARGIN + row * _ROW, width, _ROW)


def _mixed(first: QColor, second: QColor, share: float) -> QColor:
    return QColor(
        *(
            round(a + (b - a) * share)
            for a, b in zip(first.getRgb()[:3], second.getRgb()[:3], strict=True)
            if a is not None and b is not None
        )
    )


_LEFT = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
