"""Curves of a grade, drawn over the histogram of the picture and dragged by their points."""

from collections.abc import Callable, Sequence

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QLinearGradient, QPainter, QPaintEvent, QPen, QPolygonF, QShowEvent
from PyQt6.QtWidgets import QComboBox, QPushButton

from epiphane.declare.parameters import CurveParameter, setting_of, text_value
from epiphane.declare.point_curves import (
    LEVEL,
    MOST_POINTS,
    CurveAcross,
    CurvePoints,
    curve_points,
    curve_text,
    curve_values,
)
from epiphane.desk.bench.page import Rows
from epiphane.desk.bench.point_curve import PointCurve
from epiphane.desk.look import theme
from epiphane.desk.look.fields import button, choice_field, in_a_row, show_choice, show_options
from epiphane.document.lane import Settings
from epiphane.render.scopes import N_BINS, Counted, histograms, sampled
from epiphane.types import FloatArray, Picture
from epiphane.wording import tr

_PAD, _STEP, _BETWEEN, _LEAST = 9.0, 0.01, 0.012, 16
_STRAIGHT: CurvePoints = ((0.0, 0.0), (1.0, 1.0))
_N_HUES = 12


_COLOURS = dict(zip((Counted.BLUE, Counted.GREEN, Counted.RED), theme.CHANNEL_COLOURS, strict=True))


def counted_of(parameter: CurveParameter) -> Counted:
    """Return what a curve runs over: a channel where it is named after one."""
    if parameter.across is CurveAcross.HUES:
        return Counted.HUE
    channels = {"blue_curve": Counted.BLUE, "green_curve": Counted.GREEN, "red_curve": Counted.RED}
    return channels.get(parameter.name, Counted.LUMA)


class LevelCurve(PointCurve[int]):
    """A curve through points.

    Signals
    -------
    changed(text: str)
        The points are these now, as a parameter has them.
    """

    changed = pyqtSignal(str)

    def __init__(self, colour: QColor) -> None:
        super().__init__(
            tr("Curve"),
            tr(
                "Drag a point; double-click to add one, or to remove the one there."
                " Keys: its number chooses a point, ← → ↑ ↓ move it, Delete removes it"
            ),
            width=200,
            height=150,
        )
        self._lane_colour = self._colour = colour
        self._points: CurvePoints = ()
        self._across, self._counted = CurveAcross.LEVELS, Counted.LUMA
        self._counts: FloatArray = np.zeros(N_BINS)

    def sizeHint(self) -> QSize:
        return QSize(380, 170)

    @property
    def points(self) -> CurvePoints:
        """The points that are seen: one over levels has its ends besides those that were set."""
        return self._points or (_STRAIGHT if self._across is CurveAcross.LEVELS else ())

    def show_curve(self, parameter: CurveParameter, text: str) -> None:
        """Show a curve by its points."""
        self._across, self._counted = parameter.across, counted_of(parameter)
        self._colour = _COLOURS.get(self._counted, self._lane_colour)
        points = curve_points(text) or ()
        if points and self._across is CurveAcross.LEVELS:
            before = () if points[0][0] < _BETWEEN else _STRAIGHT[:1]
            after = () if points[-1][0] > 1 - _BETWEEN else _STRAIGHT[1:]
            points = (*before, *points, *after)
        self._points = points
        self.update()

    def show_picture(self, picture: Picture) -> None:
        """Draw the histogram of a picture behind the curve."""
        self._counts = histograms(sampled(picture), [self._counted])[0]
        self.update()

    # What a curve of points asks for

    def handles(self) -> Sequence[int]:
        """Return the numbers of all points."""
        return range(len(self.points))

    def place(self, handle: int) -> QPointF:
        """Return where a point is drawn."""
        return self._at(*self.points[handle]) if handle < len(self.points) else QPointF(-100, -100)

    def drag_to(self, handle: int, at: QPointF) -> None:
        """Move a point between its neighbours."""
        box = self._box()
        self._move(handle, (at.x() - box.left()) / box.width(), (box.bottom() - at.y()) / box.height())

    def step(self, handle: int, across: int, up: int) -> None:
        """Move a point by hundredths."""
        if handle < len(self.points):
            x, y = self.points[handle]
            self._move(handle, x + _STEP * across, y + _STEP * up)

    def add_at(self, at: QPointF) -> None:
        """Add a point on the curve, above or below the pointer where that is on none."""
        box = self._box()
        x = min(max((at.x() - box.left()) / box.width(), 0.0), 1.0)
        is_full = len(self.points) >= MOST_POINTS
        if is_full or any(abs(x - other) < _BETWEEN for other, _ in self.points):
            return
        y = min(max((box.bottom() - at.y()) / box.height(), 0.0), 1.0)
        self._set(tuple(sorted((*self.points, (x, y)))))
        self.released.emit()

    def remove(self, handle: int) -> None:
        """Remove a point; a curve over levels keeps its ends."""
        is_end = self._across is CurveAcross.LEVELS and handle in (0, len(self.points) - 1)
        if handle < len(self.points) and not is_end:
            self._set((*self.points[:handle], *self.points[handle + 1 :]))
            self.released.emit()

    def _move(self, handle: int, x: float, y: float) -> None:
        points = self.points
        if handle >= len(points):  # it was undone while it was held
            return
        low = points[handle - 1][0] + _BETWEEN if handle else 0.0
        high = points[handle + 1][0] - _BETWEEN if handle + 1 < len(points) else 1.0
        moved = (min(max(x, low), high), min(max(y, 0.0), 1.0))
        self._set((*points[:handle], moved, *points[handle + 1 :]))

    def _set(self, points: CurvePoints) -> None:
        self._points = points
        self.update()
        is_straight = self._across is CurveAcross.LEVELS and points == _STRAIGHT
        self.changed.emit("" if is_straight else curve_text(points))

    # Drawing

    def _box(self) -> QRectF:
        return QRectF(self.rect()).adjusted(_PAD, _PAD, -_PAD, -_PAD)

    def _at(self, x: float, y: float) -> QPointF:
        box = self._box()
        return QPointF(box.left() + x * box.width(), box.bottom() - y * box.height())

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = self._box()
        painter.fillRect(box, theme.STRIP)
        self._paint_histogram(painter, box)
        painter.setPen(QPen(theme.RULE, 1))
        for share in (0.25, 0.5, 0.75):
            painter.drawLine(self._at(share, 0), self._at(share, 1))
            painter.drawLine(self._at(0, share), self._at(1, share))
        straight = (0.0, 1.0) if self._across is CurveAcross.LEVELS else (LEVEL, LEVEL)
        painter.setPen(QPen(theme.QUIET, 1, Qt.PenStyle.DotLine))
        painter.drawLine(self._at(0, straight[0]), self._at(1, straight[1]))
        at = np.linspace(0, 1, max(_LEAST, round(box.width() / 2)))
        if self._across is CurveAcross.HUES:
            at[-1] -= 1e-9
        values = np.clip(curve_values(self._points, self._across, at), 0, 1)
        painter.setPen(QPen(self._colour, 2))
        painter.drawPolyline(
            QPolygonF([self._at(x, y) for x, y in zip(at.tolist(), values.tolist(), strict=True)])
        )
        for handle in self.handles():
            self.paint_handle(painter, handle, self._colour)

    def _paint_histogram(self, painter: QPainter, box: QRectF) -> None:
        brush = QLinearGradient(box.topLeft(), box.topRight())
        if self._counted is Counted.HUE:
            for step in range(_N_HUES + 1):
                brush.setColorAt(step / _N_HUES, QColor.fromHsvF(step % _N_HUES / _N_HUES, 0.6, 0.55))
        else:
            colour = QColor(_COLOURS.get(self._counted, theme.QUIET))
            colour.setAlpha(70)
            brush.setColorAt(0, colour)
            brush.setColorAt(1, colour)
        tops = [self._at((bin_ + 0.5) / N_BINS, share) for bin_, share in enumerate(self._counts.tolist())]
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(brush)
        painter.drawPolygon(QPolygonF([box.bottomLeft(), *tops, box.bottomRight()]))
        if self._counted is Counted.HUE:  # which hue is where, also of those that the picture has not
            painter.drawRect(QRectF(box.left(), box.bottom() + 1, box.width(), 5))


class CurveRows(Rows[Settings]):
    """One of some curves at a time, chosen by its name; those that are bent have a mark.

    Signals
    -------
    changed(parameter: CurveParameter, text: str, gesture: str or None)
    released()
    """

    changed = pyqtSignal(object, str, object)
    released = pyqtSignal()

    def __init__(self, parameters: Sequence[CurveParameter], colour: QColor) -> None:
        super().__init__(spacing=4)
        self._parameters = {one.name: one for one in parameters}
        self._shown = parameters[0].name
        self._settings: Settings = ()
        self._picture: Callable[[], Picture | None] = lambda: None
        self.which: QComboBox = choice_field(tr("Which curve"), (), self._choose)
        self.straighten: QPushButton = button(
            tr("Straighten"), tr("Take all its points away"), self._straighten
        )
        self.curve = LevelCurve(colour)
        self.curve.changed.connect(self._tell)
        self.curve.released.connect(self.released)
        self.add(in_a_row(self.which, right=(self.straighten,)), self.curve)
        self.shows(self._show)

    def read_picture(self, of: Callable[[], Picture | None]) -> None:
        """Have the histogram be of the picture that `of` returns."""
        self._picture = of
        self.refresh_histogram()

    def refresh_histogram(self) -> None:
        """Count the picture's levels anew, where the curve is seen."""
        picture = self._picture()
        if picture is not None and self.isVisible():
            self.curve.show_picture(picture)

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self.refresh_histogram()

    def _show(self, settings: Settings) -> None:
        self._settings = settings
        marks = {name: " •" if self._text(one) else "" for name, one in self._parameters.items()}
        show_options(self.which, [(name, one.label + marks[name]) for name, one in self._parameters.items()])
        show_choice(self.which, self._shown)
        parameter = self._parameters[self._shown]
        self.which.setToolTip(parameter.help)
        self.straighten.setEnabled(bool(self._text(parameter)))
        self.curve.show_curve(parameter, self._text(parameter))

    def _text(self, parameter: CurveParameter) -> str:
        return text_value(parameter, setting_of(parameter, self._settings))

    def _choose(self, name: str) -> None:
        self._shown = name
        self._show(self._settings)
        self.refresh_histogram()

    def _tell(self, text: str) -> None:
        self.changed.emit(self._parameters[self._shown], text, self._shown)

    def _straighten(self) -> None:
        self.changed.emit(self._parameters[self._shown], "", None)
