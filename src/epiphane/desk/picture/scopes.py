"""Scopes of the picture that is shown, in a strip below it, and what goes with judging colours."""

from collections.abc import Callable
from enum import Enum

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from epiphane.desk.control.shown_picture import ShownPicture
from epiphane.desk.look import theme
from epiphane.desk.look.fields import label, switch
from epiphane.effects.pixels import LUMA
from epiphane.render.scopes import (
    N_BINS,
    Counted,
    histograms,
    luma_of,
    sampled,
    vector_place,
    vectorscope,
    waveform,
)
from epiphane.types import Picture, Plane
from epiphane.wording import tr

_HEIGHT, _PAD, _GAP = 118, 4.0, 5.0
_COLUMNS = 200
_SATURATED = 0.75
_TARGETS = {
    "R": (0.0, 0.0, _SATURATED),
    "Y": (0.0, _SATURATED, _SATURATED),
    "G": (0.0, _SATURATED, 0.0),
    "C": (_SATURATED, _SATURATED, 0.0),
    "B": (_SATURATED, 0.0, 0.0),
    "M": (_SATURATED, 0.0, _SATURATED),
}
"""Blue, green and red of the colour bars of 75 per cent."""
_SKIN = (0.42, 0.58, 0.87)
"""Blue, green and red of a skin: all lie near one line, whatever their brightness."""


class Scope(Enum):
    """A kind of scope."""

    WAVEFORM = "waveform"
    PARADE = "parade"
    VECTORSCOPE = "vectorscope"
    HISTOGRAM = "histogram"


_LABELS = {
    Scope.WAVEFORM: (tr("Waveform"), tr("How bright each column of the picture is: luma, in per cent")),
    Scope.PARADE: (tr("Parade"), tr("The same for red, green and blue, beside each other")),
    Scope.VECTORSCOPE: (tr("Vectorscope"), tr("Which colours, and how strong: skin lies along the line")),
    Scope.HISTOGRAM: (tr("Histogram"), tr("How common each level is, from black to white")),
}


class ScopeStrip(QWidget):
    """Chosen scopes beside each other, with a line of switches above them.

    Signals
    -------
    stripes_wanted(is_on: bool)
        What is clipped is to be shown on the picture, or no longer.
    """

    stripes_wanted = pyqtSignal(bool)

    def __init__(self, shown: ShownPicture) -> None:
        super().__init__()
        self._shown = shown
        self._pointed = (-1.0, -1.0)
        self.view = ScopeView()
        self.values = label("")
        self.values.setFont(theme.numbers(9))
        self.switches: dict[Scope, QPushButton] = {}
        line = QHBoxLayout()
        line.setContentsMargins(8, 4, 8, 0)
        line.setSpacing(2)
        for scope, (text, tip) in _LABELS.items():
            self.switches[scope] = switch(text, tip, self._choose)
            line.addWidget(self.switches[scope])
        tip = tr("Stripes on the picture: where it is too bright for details, and where it is black")
        self.stripes = switch(tr("Clipping"), tip, self.stripes_wanted.emit)
        line.addStretch(1)
        line.addWidget(self.stripes)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 4)
        box.setSpacing(2)
        box.addLayout(line)
        box.addWidget(self.view)
        box.addWidget(self.values)
        self.values.setContentsMargins(10, 0, 10, 0)
        for scope in (Scope.WAVEFORM, Scope.VECTORSCOPE):
            self.switches[scope].setChecked(True)
        self._choose()
        self.tell_values(*self._pointed)
        shown.changed.connect(self.refresh)
        self.setVisible(False)

    def toggle(self) -> None:
        """Show the strip, or hide it; with it go the stripes."""
        self.setVisible(self.isHidden())
        if self.isHidden() and self.stripes.isChecked():
            self.stripes.setChecked(False)
            self.stripes_wanted.emit(False)
        self.refresh()

    def refresh(self) -> None:
        """Draw the scopes of the picture that is shown, where the strip is seen."""
        if self._shown.picture is not None and not self.isHidden():
            self.view.show_picture(self._shown.picture)
            self.tell_values(*self._pointed)

    def tell_values(self, across: float, down: float) -> None:
        """Tell the values of the picture at shares of it; below 0 the pointer is not on it."""
        self._pointed = across, down
        picture = self._shown.picture
        if picture is None or not (0 <= across < 1 and 0 <= down < 1):
            self.values.setText(tr("point at the picture for its values"))
            return
        height, width = picture.shape[:2]
        blue, green, red = (int(level) for level in picture[int(down * height), int(across * width)])
        luma = float(LUMA @ (blue, green, red)) / 255
        self.values.setText(
            f"R {red:3}  G {green:3}  B {blue:3}   {luma:4.0%}  #{red:02x}{green:02x}{blue:02x}"
        )

    def _choose(self, _: bool = True) -> None:
        self.view.scopes = tuple(scope for scope, one in self.switches.items() if one.isChecked())
        self.view.setVisible(bool(self.view.scopes))
        self.refresh()


class ScopeView(QWidget):
    """Draws scopes of one picture beside each other."""

    def __init__(self) -> None:
        super().__init__()
        self.scopes: tuple[Scope, ...] = ()
        self._picture: Picture | None = None
        self._traces: dict[Scope, QImage] = {}
        self._counts: list[list[float]] = []
        self.setFixedHeight(_HEIGHT)
        self.setAccessibleName(tr("Scopes"))

    def sizeHint(self) -> QSize:
        return QSize(440, _HEIGHT)

    def show_picture(self, picture: Picture) -> None:
        """Draw what the scopes show of a picture."""
        part = sampled(picture)
        made: dict[Scope, Callable[[Picture], QImage]] = {
            Scope.WAVEFORM: lambda one: _tinted(waveform(luma_of(one), _COLUMNS), theme.TEXT),
            Scope.PARADE: _parade,
            Scope.VECTORSCOPE: lambda one: _tinted(vectorscope(one), theme.TEXT),
        }
        self._traces = {scope: made[scope](part) for scope in self.scopes if scope in made}
        if Scope.HISTOGRAM in self.scopes:
            channels = (Counted.BLUE, Counted.GREEN, Counted.RED)
            self._counts = histograms(part, channels).tolist()
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        n_scopes = max(1, len(self.scopes))
        width = (self.width() - 2 * _PAD - (n_scopes - 1) * _GAP) / n_scopes
        for number, scope in enumerate(self.scopes):
            box = QRectF(_PAD + number * (width + _GAP), 0, width, self.height())
            painter.fillRect(box, theme.PICTURE_GROUND)
            inside = box.adjusted(5, 6, -5, -6)
            if scope is Scope.VECTORSCOPE:
                side = min(inside.width(), inside.height())
                square = QRectF(0, 0, side, side)
                square.moveCenter(inside.center())
                self._paint_vectors(painter, square)
            elif scope is Scope.HISTOGRAM:
                self._paint_histogram(painter, inside)
            else:
                self._paint_levels(painter, inside, scope)

    def _paint_levels(self, painter: QPainter, box: QRectF, scope: Scope) -> None:
        painter.setFont(theme.numbers(7))
        for percent in (0, 25, 50, 75, 100):
            y = box.bottom() - percent / 100 * box.height()
            painter.setPen(QPen(theme.RULE, 1))
            painter.drawLine(QPointF(box.left(), y), QPointF(box.right(), y))
        if scope in self._traces:
            painter.drawImage(box, self._traces[scope])
        painter.setPen(theme.QUIET)
        for percent, top in ((100, box.top() + 1), (0, box.bottom() - 11)):
            painter.drawText(QRectF(box.left() + 2, top, 40, 10), Qt.AlignmentFlag.AlignLeft, str(percent))

    def _paint_histogram(self, painter: QPainter, box: QRectF) -> None:
        painter.setCompositionMode(QPainter.CompositionMode.CompositionMode_Screen)
        for counts, colour in zip(self._counts, theme.CHANNEL_COLOURS, strict=False):
            step = box.width() / N_BINS
            tops = [
                QPointF(box.left() + (number + 0.5) * step, box.bottom() - share * box.height())
                for number, share in enumerate(counts)
            ]
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(colour.darker(160))
            painter.drawPolygon(QPolygonF([box.bottomLeft(), *tops, box.bottomRight()]))
        painter.setCompositionMode(QPainter.CompositionMode.CompositionMode_SourceOver)

    def _paint_vectors(self, painter: QPainter, box: QRectF) -> None:
        def place(colour: tuple[float, float, float]) -> QPointF:
            across, down = vector_place(colour)
            return QPointF(box.left() + across * box.width(), box.top() + down * box.height())

        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(theme.RULE, 1))
        painter.drawEllipse(box)
        painter.drawLine(box.center() - QPointF(5, 0), box.center() + QPointF(5, 0))
        painter.drawLine(box.center() - QPointF(0, 5), box.center() + QPointF(0, 5))
        skin = place(_SKIN) - box.center()
        length = box.width() / 2 / max((skin.x() ** 2 + skin.y() ** 2) ** 0.5, 1e-6)
        painter.setPen(QPen(theme.QUIET, 1, Qt.PenStyle.DotLine))
        painter.drawLine(box.center(), box.center() + skin * length)
        if Scope.VECTORSCOPE in self._traces:
            painter.drawImage(box, self._traces[Scope.VECTORSCOPE])
        painter.setFont(theme.words(7))
        for letter, colour in _TARGETS.items():
            at = place(colour)
            painter.setPen(QPen(_colour_of(colour), 1.4))
            painter.drawEllipse(at, 2.5, 2.5)
            away = (at - box.center()) * 0.24
            painter.drawText(
                QRectF(at.x() + away.x() - 6, at.y() + away.y() - 6, 12, 12),
                Qt.AlignmentFlag.AlignCenter,
                letter,
            )


def _parade(picture: Picture) -> QImage:
    """Return the waveforms of red, green and blue beside each other, each in its colour."""
    traces = [
        _rgba(
            waveform(np.ascontiguousarray(picture[..., channel]), _COLUMNS // 3),
            theme.CHANNEL_COLOURS[channel],
        )
        for channel in (2, 1, 0)
    ]
    return _image(np.concatenate(traces, axis=1))


def _tinted(trace: Plane, colour: QColor) -> QImage:
    return _image(_rgba(trace, colour))


def _rgba(trace: Plane, colour: QColor) -> Picture:
    """Return a trace in a colour, its levels as alpha, premultiplied, shape (height, width, 4), RGBA."""
    tint = np.array([colour.red(), colour.green(), colour.blue(), 255]) / 255
    return np.asarray(np.rint(trace[..., None] * tint), np.uint8)


def _image(pixels: Picture) -> QImage:
    pixels = np.ascontiguousarray(pixels)
    height, width = pixels.shape[:2]
    kind = QImage.Format.Format_RGBA8888_Premultiplied
    return QImage(pixels.tobytes(), width, height, 4 * width, kind).copy()


def _colour_of(colour: tuple[float, float, float]) -> QColor:
    blue, green, red = (0.25 + 0.75 * value for value in colour)
    return QColor.fromRgbF(red, green, blue)
