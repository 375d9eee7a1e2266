"""The pulses of the project on the shelf, and the ways to make another."""

from PyQt6.QtCore import QPoint, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QScrollArea, QVBoxLayout, QWidget

from epiphane.desk.control.editor import Editor
from epiphane.desk.control.selection import PulseSelection
from epiphane.desk.look import theme
from epiphane.desk.look.fields import label
from epiphane.desk.look.marks import head_of, paint_head
from epiphane.document.pulse import Pulse, PulseUnit
from epiphane.wording import tr

_ROW_HEIGHT = 24
_NAME_WIDTH, _COUNT_WIDTH = 150, 124
_KINDS = (
    (tr("Band"), "band", tr("Hits where a band of the spectrum rises over a threshold")),
    (tr("Tapped"), "tapped", tr("Hits that you tap while it plays")),
    (
        tr("Off-beats"),
        PulseUnit.OFF_BEAT.value,
        tr("Midway between beats; its bench offers halves, thirds, quarters, drums, low, mid and high hits"),
    ),
    (tr("Tempo"), "tempo", tr("Hits at a bare tempo, for a song that is not there yet")),
    (
        tr("Form"),
        PulseUnit.PART.value,
        tr("First beats of parts; its bench offers drops and the bars that lead to them"),
    ),
    (tr("Two pulses"), "combined", tr("This pulse and also, without, or only where another one is")),
)


class PulsePage(QWidget):
    """A line for each pulse with its hits through the whole song; a click shows it on the bench.

    Signals
    -------
    pulse_made(kind: str)
        A new pulse is wanted.
    """

    pulse_made = pyqtSignal(str)

    def __init__(self, editor: Editor) -> None:
        super().__init__()
        self.lines = PulseLines(editor)
        scroll = QScrollArea()
        scroll.setWidget(self.lines)
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QScrollArea.Shape.NoFrame)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        scroll.setStyleSheet("QScrollArea, QScrollArea > QWidget > QWidget { background: transparent; }")
        self._scroll, self._editor = scroll, editor
        editor.selection_changed.connect(self._reveal)
        buttons = QHBoxLayout()
        buttons.setSpacing(6)
        buttons.addWidget(label(tr("New pulse")))
        for text, kind, tip in _KINDS:
            button = QPushButton(text)
            button.setToolTip(tip)
            button.clicked.connect(lambda _checked=False, kind=kind: self.pulse_made.emit(kind))
            buttons.addWidget(button)
        buttons.addStretch(1)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(4)
        box.addLayout(buttons)
        box.addWidget(scroll, 1)

    def _reveal(self) -> None:
        ids = [pulse.id for pulse in self._editor.project.pulses]
        chosen = self._editor.selection.pulse
        if chosen in ids:
            at = self.lines.point_of(ids.index(chosen))
            self._scroll.ensureVisible(at.x(), at.y(), 0, _ROW_HEIGHT)


class PulseLines(QWidget):
    """The pulses under each other."""

    def __init__(self, editor: Editor) -> None:
        super().__init__()
        self._editor = editor
        self.setAccessibleName(tr("Pulses"))
        self.setToolTip(
            tr("Click a pulse to change it on the bench; drop an effect on its line in the score")
        )
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        editor.project_changed.connect(self._refresh)
        for signal in (editor.selection_changed, editor.ticking_changed):
            signal.connect(self.update)
        self._refresh()

    def sizeHint(self) -> QSize:
        return QSize(400, _ROW_HEIGHT * max(1, len(self._editor.project.pulses)))

    def point_of(self, number: int) -> QPoint:
        """Return the middle of a pulse's name."""
        return QPoint(60, round(_ROW_HEIGHT * (number + 0.5)))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        pulses = self._editor.project.pulses
        if not pulses:
            painter.setPen(theme.QUIET)
            painter.drawText(
                self.rect(), Qt.AlignmentFlag.AlignCenter, tr("No pulse yet: open a song, or make one.")
            )
        for number, pulse in enumerate(pulses):
            self._paint_pulse(painter, pulse, QRectF(0, number * _ROW_HEIGHT, self.width(), _ROW_HEIGHT))

    def _paint_pulse(self, painter: QPainter, pulse: Pulse, box: QRectF) -> None:
        is_chosen = pulse.id == self._editor.selection.pulse
        if is_chosen:
            painter.fillRect(box.adjusted(0, 1, 0, -1), theme.RAISED)
        middle = box.center().y()
        paint_head(painter, head_of(pulse), box.left() + 12, middle, 1.0)
        painter.setPen(theme.TEXT)
        painter.setFont(theme.words(9.5))
        name = painter.fontMetrics().elidedText(pulse.name, Qt.TextElideMode.ElideRight, _NAME_WIDTH - 30)
        painter.drawText(QRectF(box.left() + 24, box.top(), _NAME_WIDTH, box.height()), _LEFT, name)
        hits = self._editor.hits_of(pulse)
        painter.setPen(theme.QUIET)
        painter.setFont(theme.numbers(8.5))
        ticks = " · tick" if pulse.id in self._editor.ticking else ""
        count = QRectF(box.left() + _NAME_WIDTH, box.top(), _COUNT_WIDTH, box.height())
        painter.drawText(count, _LEFT, tr("{count} hits{ticks}", count=len(hits), ticks=ticks))
        left, right = box.left() + _NAME_WIDTH + _COUNT_WIDTH, box.right() - 10
        project = self._editor.project
        duration = max(float(project.n_frames / project.rate), 1e-6)
        painter.setPen(QPen(theme.RULE, 1))
        painter.drawLine(QPointF(left, middle), QPointF(right, middle))
        painter.setPen(QPen(theme.TEXT if is_chosen else theme.QUIET, 1))
        for hit in hits:
            x = left + hit.time / duration * (right - left)
            reach = 2 + 6 * hit.strength
            painter.drawLine(QPointF(x, middle - reach), QPointF(x, middle + reach))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            self._choose(int(event.position().y() // _ROW_HEIGHT))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        steps = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}
        if event is None or event.key() not in steps:
            super().keyPressEvent(event)
            return
        ids = [pulse.id for pulse in self._editor.project.pulses]
        chosen = self._editor.selection.pulse
        self._choose(ids.index(chosen) + steps[Qt.Key(event.key())] if chosen in ids else 0)

    def _choose(self, number: int) -> None:
        pulses = self._editor.project.pulses
        if 0 <= number < len(pulses):
            self._editor.select(PulseSelection(pulses[number].id))

    def _refresh(self) -> None:
        self.setMinimumHeight(self.sizeHint().height())
        self.updateGeometry()
        self.update()


_LEFT = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
