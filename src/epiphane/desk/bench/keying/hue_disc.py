"""A disc of hues: the colour that is added to a range of levels, by its hue and how much of it."""

import math
from typing import NamedTuple

from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QConicalGradient,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QRadialGradient,
)
from PyQt6.QtWidgets import QWidget

from epiphane.desk.look import theme
from epiphane.wording import tr

_SIDE, _EDGE, _REACH = 104, 8.0, 12.0
_STEPS = {
    Qt.Key.Key_Left: (-3, 0),
    Qt.Key.Key_Right: (3, 0),
    Qt.Key.Key_Up: (0, 2),
    Qt.Key.Key_Down: (0, -2),
}
"""By how many degrees and per cent a key moves the colour."""
_N_HUES = 12


class Tint(NamedTuple):
    """A colour: degrees of hue (0 red, 120 green, 240 blue) and how much of it, per cent."""

    hue: float
    amount: float


class HueDisc(QWidget):
    """Two colours on a disc, at rest (a ring) and at the peak (a disc), as on the bars below it.

    Red is at the top and hues go clockwise; there is the more of a colour the farther out it is.

    Signals
    -------
    changed(rest: Tint, peak: Tint)
    released()
        A drag, or a step by a key, has ended.
    """

    changed = pyqtSignal(object, object)
    released = pyqtSignal()

    def __init__(self, name: str, colour: QColor) -> None:
        super().__init__()
        self._colour = colour
        self._rest = self._peak = Tint(0, 0)
        self._holds_rest: bool | None = None
        self.setMinimumSize(_SIDE, _SIDE)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("{name}: colour", name=name))
        self.setToolTip(
            tr(
                "{name}: drag the disc to a colour (the ring: at rest); a double click takes it away."
                " Keys: ← → turn the hue, ↑ ↓ more or less of it",
                name=name,
            )
        )

    def sizeHint(self) -> QSize:
        return QSize(_SIDE, _SIDE)

    def show_tints(self, rest: Tint, peak: Tint) -> None:
        """Show colours without a signal."""
        if (rest, peak) != (self._rest, self._peak):
            self._rest, self._peak = rest, peak
            self.update()

    def point_of(self, tint: Tint) -> QPointF:
        """Return where a colour lies."""
        turn, away = math.radians(tint.hue), tint.amount / 100 * self._radius
        return self._middle + QPointF(math.sin(turn) * away, -math.cos(turn) * away)

    @property
    def _middle(self) -> QPointF:
        return QPointF(self.width() / 2, self.height() / 2)

    @property
    def _radius(self) -> float:
        return min(self.width(), self.height()) / 2 - _EDGE

    def _tint_at(self, point: QPointF, hue: float) -> Tint:
        away = point - self._middle
        amount = min(math.hypot(away.x(), away.y()) / self._radius, 1.0) * 100
        if amount < 1:
            return Tint(hue, 0)
        return Tint(round(math.degrees(math.atan2(away.x(), -away.y())) % 360), round(amount))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(0, 0, 2 * self._radius, 2 * self._radius)
        box.moveCenter(self._middle)
        hues = QConicalGradient(self._middle, 90)
        for step in range(_N_HUES + 1):  # a gradient goes the other way round
            hues.setColorAt(step / _N_HUES, QColor.fromHsvF(1 - step / _N_HUES, 0.75, 0.62))
        painter.setPen(QPen(theme.TEXT if self.hasFocus() else theme.RULE, 1.4))
        painter.setBrush(hues)
        painter.drawEllipse(box)
        dark = QRadialGradient(self._middle, self._radius)
        inner, outer = QColor(theme.PANEL), QColor(theme.PANEL)
        outer.setAlpha(70)
        dark.setColorAt(0, inner)
        dark.setColorAt(1, outer)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(dark)
        painter.drawEllipse(box.adjusted(0.7, 0.7, -0.7, -0.7))
        self._paint_tints(painter)

    def _paint_tints(self, painter: QPainter) -> None:
        rest, peak = self.point_of(self._rest), self.point_of(self._peak)
        painter.setPen(QPen(self._colour, 3, cap=Qt.PenCapStyle.RoundCap))
        painter.drawLine(rest, peak)
        painter.setPen(QPen(theme.QUIET, 1.5))
        painter.setBrush(theme.PANEL)
        painter.drawEllipse(rest, 4, 4)
        painter.setPen(QPen(theme.GROUND, 1.5))
        painter.setBrush(self._colour)
        painter.drawEllipse(peak, 6, 6)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        to_rest, to_peak = (
            math.dist((at.x(), at.y()), (event.position().x(), event.position().y()))
            for at in (self.point_of(self._rest), self.point_of(self._peak))
        )
        self._holds_rest = to_rest < to_peak and to_rest < _REACH
        self._set(self._tint_at(event.position(), self._held.hue))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._holds_rest is not None:
            self._set(self._tint_at(event.position(), self._held.hue))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._holds_rest is not None:
            self._holds_rest = None
            self.released.emit()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        """Take the colour away, at rest and at the peak."""
        self._holds_rest = None
        if (self._rest.amount, self._peak.amount) != (0, 0):
            self._rest, self._peak = self._rest._replace(amount=0), self._peak._replace(amount=0)
            self._tell()
            self.released.emit()

    @property
    def _held(self) -> Tint:
        return self._rest if self._holds_rest else self._peak

    def _set(self, tint: Tint) -> None:
        if tint == self._held:
            return
        if self._holds_rest:
            self._rest = tint
        else:
            self._peak = tint
        if self._rest.amount == 0:  # where there is no colour, its hue goes with the other's
            self._rest = self._rest._replace(hue=self._peak.hue)
        self._tell()

    def _tell(self) -> None:
        self.update()
        self.changed.emit(self._rest, self._peak)

    def event(self, event: QEvent | None) -> bool:
        """Keep the arrow keys from the window's shortcuts."""
        is_asking = isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride
        if isinstance(event, QKeyEvent) and is_asking and event.key() in _STEPS:
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None or event.key() not in _STEPS:
            super().keyPressEvent(event)
            return
        turn, more = _STEPS[Qt.Key(event.key())]
        hue, amount = self._peak
        self._set(Tint((hue + turn) % 360, min(max(amount + more, 0), 100)))
        self.released.emit()
