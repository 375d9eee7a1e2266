"""A clip from its first picture to its last: skimmed, its moments as pins, the ends of its used part."""

from enum import Enum

from msgspec import Struct
from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from epiphane.desk.engine.thumbnails import Thumbnails
from epiphane.desk.look import theme
from epiphane.desk.look.marks import paint_pin
from epiphane.document.footage import Footage, FootageKind, Moment, Passage, passage_spans, take_spans
from epiphane.wording import tr

_HEIGHT, _PIN_ROOM, _TAKE_ROOM = 84, 16, 12
_GRAB = 6


class _Grip(Enum):
    PLACE = "place"
    MOMENT = "moment"
    TAKE = "take"
    FROM = "from"
    TO = "to"


class _Held(Struct, frozen=True):
    grip: _Grip
    moment: float = 0.0


class ClipStrip(QWidget):
    """The clip as a strip of thumbnails.

    Signals
    -------
    gone_to(seconds: float)
        Another instant is to be shown.
    peeked(seconds: float), left()
        The pointer is over an instant, or has left.
    moment_moved(old: float, new: float), moment_set(seconds: float)
    used_changed(is_end: bool, seconds: float)
    take_toggled(seconds: float)
        The take at an instant is to be used, or not.
    released()
        A drag has ended.
    """

    gone_to = pyqtSignal(float)
    peeked = pyqtSignal(float)
    left = pyqtSignal()
    moment_moved = pyqtSignal(float, float)
    moment_set = pyqtSignal(float)
    used_changed = pyqtSignal(bool, float)
    take_toggled = pyqtSignal(float)
    released = pyqtSignal()

    def __init__(self, thumbnails: Thumbnails) -> None:
        super().__init__()
        self._thumbnails = thumbnails
        self._footage: Footage | None = None
        self._seconds = 0.0
        self._held: _Held | None = None
        self.setMinimumHeight(_HEIGHT)
        self.setMouseTracking(True)
        self.setAccessibleName(tr("Clip"))
        self.setToolTip(
            tr(
                "Click or drag to go there; double-click sets a moment; drag a pin to move it, an end "
                "to use less"
            )
        )
        self._tip = self.toolTip()
        thumbnails.ready.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(400, _HEIGHT)

    def show_footage(self, footage: Footage, seconds: float) -> None:
        """Show a clip, and where in it we are."""
        self._footage, self._seconds = footage, seconds
        self.update()

    def x_at(self, seconds: float) -> float:
        """Return where an instant lies."""
        length = max(self._footage.duration, 1e-6) if self._footage is not None else 1.0
        return 1 + seconds / length * (self.width() - 2)

    def seconds_at(self, x: float) -> float:
        """Return the first instant of the picture at a place, in seconds."""
        if self._footage is None:
            return 0.0
        share = min(max((x - 1) / max(self.width() - 2, 1), 0.0), 1.0)
        rate = float(self._footage.rate)
        last = max(self._footage.duration - 1 / rate, 0.0)
        return float(min(int(share * self._footage.duration * rate + 1e-6) / rate, last))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        footage = self._footage
        if footage is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        box = self._box()
        outline = QPainterPath()
        outline.addRoundedRect(box, 4, 4)
        painter.fillPath(outline, theme.RAISED)
        painter.setClipPath(outline)
        self._paint_pictures(painter, box, footage)
        self._paint_flaws(painter, box, footage)
        painter.setClipping(False)
        self._paint_takes(painter, box, footage)
        self._paint_ends(painter, box, footage)
        x = self.x_at(self._seconds)
        painter.setPen(QPen(theme.TEXT, 1.5))
        painter.drawLine(QPointF(x, _PIN_ROOM - 4), QPointF(x, box.bottom() + 2))
        for moment in footage.moments:
            height = 20 if moment.is_accepted else 9 + 11 * moment.strength
            paint_pin(painter, self.x_at(moment.time), _PIN_ROOM + 8, moment.is_accepted, height=height)

    def _paint_pictures(self, painter: QPainter, box: QRectF, footage: Footage) -> None:
        if footage.kind is FootageKind.SOUND:
            pixmap = theme.icon_pixmap("music", theme.QUIET.name(), 22)
            painter.drawPixmap(box.center() - QPointF(11, 11), pixmap)
            return
        wide = max(24.0, box.height() * footage.width / footage.height)
        if footage.kind is FootageKind.STILL:
            image = self._thumbnails.get(footage, 0.0)
            if image is not None:
                painter.drawImage(QRectF(box.center().x() - wide / 2, box.top(), wide, box.height()), image)
            return
        n_pictures = max(1, round(box.width() / wide))
        wide = box.width() / n_pictures
        for number in range(n_pictures):
            image = self._thumbnails.get(footage, (number + 0.5) / n_pictures * footage.duration)
            if image is not None:
                painter.drawImage(QRectF(box.left() + number * wide, box.top(), wide, box.height()), image)

    def _box(self) -> QRectF:
        """Return where the pictures lie; takes stand below them, where there are some."""
        below = _TAKE_ROOM if self._footage is not None and len(self._footage.takes) > 1 else 0
        return QRectF(1, _PIN_ROOM, self.width() - 2, self.height() - _PIN_ROOM - below - 1)

    def _paint_flaws(self, painter: QPainter, box: QRectF, footage: Footage) -> None:
        """Paint what is better not shown darker, with a word that says why."""
        painter.setFont(theme.words(8, weight=500))
        for (first, end), passage in passage_spans(footage):
            if passage.flaw is None:
                continue
            left, right = self.x_at(first), self.x_at(end)
            part = QRectF(left, box.top(), right - left, box.height())
            painter.fillRect(part, _shade(150))
            painter.setPen(theme.TEXT)
            if painter.fontMetrics().horizontalAdvance(tr(passage.flaw.value)) < part.width() - 4:
                painter.drawText(part, Qt.AlignmentFlag.AlignCenter, tr(passage.flaw.value))

    def _paint_takes(self, painter: QPainter, box: QRectF, footage: Footage) -> None:
        """Paint a bar below each take, hollow where it is not used."""
        if len(footage.takes) < 2:
            return
        for (first, end), take in take_spans(footage):
            left, right = self.x_at(first), self.x_at(end)
            if not take.is_used:
                painter.fillRect(QRectF(left, box.top(), right - left, box.height()), _shade(190))
            if first > 0:
                painter.fillRect(QRectF(left - 1, box.top(), 2, box.height()), theme.GROUND)
            bar = QRectF(left + 1.5, box.bottom() + 5.5, max(right - left - 3, 2), 5)
            painter.setPen(QPen(theme.QUIET, 1))
            painter.setBrush(theme.QUIET if take.is_used else Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(bar, 2, 2)

    def _tell(self, at: QPointF) -> str:
        """Return what there is to say of what lies at a point."""
        footage = self._footage
        if footage is None:
            return ""
        if self._grip_at(at).grip is _Grip.TAKE:
            return tr("Click: whether filling shows this take")
        here = self._flawed_at(footage, self.seconds_at(at.x()))
        return (
            self._tip
            if here is None or here.flaw is None
            else tr("{flaw}: filling leaves it out", flaw=tr(here.flaw.value))
        )

    def _flawed_at(self, footage: Footage, seconds: float) -> Passage | None:
        return next(
            (p for (a, b), p in passage_spans(footage) if p.flaw is not None and a <= seconds < b), None
        )

    def _paint_ends(self, painter: QPainter, box: QRectF, footage: Footage) -> None:
        if footage.kind is FootageKind.STILL:
            return
        shade = _shade(190)
        first, end = self.x_at(footage.used_from), self.x_at(footage.end)
        painter.fillRect(QRectF(box.left(), box.top(), first - box.left(), box.height()), shade)
        painter.fillRect(QRectF(end, box.top(), box.right() - end, box.height()), shade)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.QUIET)
        for x in (first, end - 3):
            painter.drawRoundedRect(QRectF(x, box.top(), 3, box.height()), 1, 1)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            self._held = self._grip_at(event.position())
            if self._held.grip is _Grip.MOMENT:
                self.gone_to.emit(self._held.moment)
            elif self._held.grip is _Grip.TAKE:
                self.take_toggled.emit(self.seconds_at(event.position().x()))
            elif self._held.grip is _Grip.PLACE:
                self.gone_to.emit(self.seconds_at(event.position().x()))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        seconds = self.seconds_at(event.position().x())
        held = self._held
        if held is None:
            grip = self._grip_at(event.position()).grip
            is_side = grip in (_Grip.FROM, _Grip.TO, _Grip.MOMENT)
            self.setCursor(Qt.CursorShape.SizeHorCursor if is_side else Qt.CursorShape.ArrowCursor)
            self.setToolTip(theme.plain(self._tell(event.position())))
            self.peeked.emit(seconds)
        elif held.grip is _Grip.TAKE:
            return
        elif held.grip is _Grip.PLACE:
            self.gone_to.emit(seconds)
        elif held.grip is _Grip.MOMENT:
            if seconds != held.moment:
                self.moment_moved.emit(held.moment, seconds)
                self._held = _Held(_Grip.MOMENT, seconds)
        else:
            self.used_changed.emit(held.grip is _Grip.TO, self._edge_at(event.position().x()))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._held = None
        self.released.emit()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._grip_at(event.position()).grip is _Grip.PLACE:
            self.moment_set.emit(self.seconds_at(event.position().x()))

    def leaveEvent(self, event: QEvent | None) -> None:
        self.left.emit()

    def _edge_at(self, x: float) -> float:
        """Return the edge between two pictures that is nearest to a place, in seconds."""
        if self._footage is None:
            return 0.0
        share = min(max((x - 1) / max(self.width() - 2, 1), 0.0), 1.0)
        rate = float(self._footage.rate)
        return round(share * self._footage.duration * rate) / rate

    def _grip_at(self, at: QPointF) -> _Held:
        footage = self._footage
        if footage is None or footage.kind is not FootageKind.VIDEO:
            return _Held(_Grip.PLACE)
        if len(footage.takes) > 1 and at.y() > self._box().bottom() + 2:
            return _Held(_Grip.TAKE)
        near: list[Moment] = [m for m in footage.moments if abs(self.x_at(m.time) - at.x()) <= _GRAB]
        if near and at.y() < _PIN_ROOM + _GRAB:
            best = min(near, key=lambda moment: abs(self.x_at(moment.time) - at.x()))
            return _Held(_Grip.MOMENT, best.time)
        if at.y() >= _PIN_ROOM:
            if abs(self.x_at(footage.used_from) - at.x()) <= _GRAB:
                return _Held(_Grip.FROM)
            if abs(self.x_at(footage.end) - at.x()) <= _GRAB:
                return _Held(_Grip.TO)
        return _Held(_Grip.PLACE)


def _shade(alpha: int) -> QColor:
    """Return the ground, to be seen through."""
    shade = QColor(theme.GROUND)
    shade.setAlpha(alpha)
    return shade
