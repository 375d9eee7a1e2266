"""The first page: open a song, a project or the demo."""

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QAction, QPainter, QPaintEvent, QPen, QShowEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from epiphane.desk.look import theme
from epiphane.desk.look.cue_outline import CueOutline
from epiphane.desk.look.cue_path import cue_path
from epiphane.desk.look.fields import label
from epiphane.document.envelope import Envelope
from epiphane.effects.declare import Family
from epiphane.files.settings import recent_projects
from epiphane.wording import tr

_STAFF_HEIGHT = 132
_MOST_RECENTS = 5


class Welcome(QWidget):
    """Drop a song here, open something, or try the demo.

    Signals
    -------
    opened(path: Path)
        A project that was open before is wanted again.
    """

    opened = pyqtSignal(object)

    def __init__(self, actions: dict[str, QAction]) -> None:
        super().__init__()
        title = QLabel(tr("Drop a song here"))
        title.setFont(theme.words(24, weight=600))
        said = label(
            tr(
                "Epiphane listens to it and finds its beats. Then drop clips, put an effect on a pulse,\n"
                "and every hit of the music fires it. Or have a rough cut made of song and clips in one step."
            )
        )
        said.setFont(theme.words(11))
        self._song = _button(tr("Open a song…"), "music", actions["song"], is_main=True)
        self._project = _button(tr("Open a project…"), "folder-open", actions["open"])
        self._cut = _button(tr("Rough cut…"), "play", actions["rough_cut"])
        self._demo = _button(tr("Try the demo"), "film", actions["demo"])
        row = QHBoxLayout()
        row.setSpacing(10)
        for button in (self._song, self._cut, self._project, self._demo):
            row.addWidget(button)
        row.addStretch(1)
        self._lost = _button(tr("Unsaved work…"), "undo-2", actions["lost_work"])
        self._lost.hide()
        row.insertWidget(4, self._lost)
        box = QVBoxLayout(self)
        box.setContentsMargins(72, 0, 48, 0)
        box.addStretch(3)
        box.addSpacing(_STAFF_HEIGHT + 24)
        box.addWidget(title)
        box.addSpacing(6)
        box.addWidget(said)
        box.addSpacing(22)
        box.addLayout(row)
        box.addSpacing(26)
        self._recents = QVBoxLayout()
        self._recents.setSpacing(2)
        box.addLayout(self._recents)
        box.addStretch(4)
        self._title = title
        self.setFocusProxy(self._song)

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self.show_recents()

    def show_recents(self) -> None:
        """Offer the projects that were open last and are still there."""
        while (old := self._recents.takeAt(0)) is not None:
            if (widget := old.widget()) is not None:
                widget.deleteLater()
        paths = recent_projects()[:_MOST_RECENTS]
        if paths:
            self._recents.addWidget(label(tr("Open again")))
        for path in paths:
            button = QPushButton(path.stem.replace("&", "&&"))
            button.setProperty("quiet", True)
            button.setStyleSheet("text-align: left; padding: 4px 8px; margin-left: -9px")
            button.setToolTip(theme.plain(str(path)))
            button.setSizePolicy(QSizePolicy.Policy.Maximum, QSizePolicy.Policy.Fixed)
            button.clicked.connect(lambda _checked=False, path=path: self.opened.emit(path))
            self._recents.addWidget(button)

    def show_lost_work(self, number: int) -> None:
        """Offer unsaved work of lost sessions, if there is any."""
        self._lost.setVisible(number > 0)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Paint an empty stave on which a few cues already stand."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), theme.GROUND)
        left, right = 72.0, self.width() - 48.0
        top = self._title.geometry().top() - _STAFF_HEIGHT - 24
        painter.setPen(QPen(theme.RULE, 1))
        for line in range(5):
            y = top + 24 + 16 * line
            painter.drawLine(QPointF(left, y), QPointF(right, y))
        step = (right - left) / 16
        envelope = Envelope(rise=2, fall=9)
        for beat in range(17):
            x = left + beat * step
            tall = beat % 4 == 0
            painter.setPen(QPen(theme.TEXT if tall else theme.QUIET, 1.6 if tall else 1))
            painter.drawLine(QPointF(x, top + 14 - (12 if tall else 5)), QPointF(x, top + 14))
            if beat == 16 or beat in (3, 7, 11, 14):
                continue
            height = 50.0 if tall else 26.0
            shape = CueOutline(x - step * 0.14, x, x, x + step * 0.66, height)
            colour = theme.FAMILY_COLOURS[Family.LIGHT if tall else Family.MOTION]
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(colour)
            painter.drawPath(cue_path(shape, envelope, top + 24 + 64))
        painter.fillRect(QRectF(left, top + 24 + 64, right - left, 1), theme.RULE)


def _button(text: str, icon: str, action: QAction, *, is_main: bool = False) -> QPushButton:
    button = QPushButton(text)
    theme.put_icon(button, icon, theme.GROUND if is_main else theme.TEXT)
    button.setProperty("main", is_main)
    button.setToolTip(action.toolTip())
    button.setMinimumHeight(36)
    button.clicked.connect(action.trigger)
    return button
