"""The first line of the window: project, transport, where we are, tempo, export."""

from PyQt6.QtCore import QEvent, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QAction, QFocusEvent, QKeyEvent, QResizeEvent
from PyQt6.QtWidgets import (
    QButtonGroup,
    QFrame,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QToolButton,
    QWidget,
)

from epiphane.desk.control.editor import Editor
from epiphane.desk.control.playback import Playback
from epiphane.desk.look import theme
from epiphane.desk.look.fields import in_a_row, label
from epiphane.desk.look.narrow import fit_across
from epiphane.desk.score.view import BARS_PER_LINE, ScoreView
from epiphane.desk.shell.finder import FindField
from epiphane.desk.shell.level_meter import METER_WIDTH, LevelMeter
from epiphane.errors import ParameterError
from epiphane.facts.metre import time_signature
from epiphane.facts.places import parse_place, place_text
from epiphane.timing import aspect_text, rate_text, timecode
from epiphane.wording import tr

_NAME_WIDTH, _SHORT_NAME = 230, 100


class Header(QFrame):
    """Project · transport · bar.beat and timecode · tempo · shape · finder · export.

    Signals
    -------
    shape_asked()
        The shape of the film is to be changed.
    """

    shape_asked = pyqtSignal()

    def __init__(
        self, editor: Editor, playback: Playback, score: ScoreView, actions: dict[str, QAction]
    ) -> None:
        super().__init__()
        self._editor = editor
        self._playback = playback
        self._score = score
        self._is_narrow = False
        self._fitted: tuple[object, ...] = ()
        self.setProperty("panel", True)
        self.setFixedHeight(48)
        box = QHBoxLayout(self)
        box.setContentsMargins(16, 0, 14, 0)
        box.setSpacing(6)
        self._box = box
        self._add_name(box)
        box.addStretch(2)
        self._add_transport(box, actions)
        box.addSpacing(8)
        self._add_place(box)
        box.addStretch(3)
        self._bars = self._lines()
        box.addWidget(self._bars)
        box.addSpacing(4)
        self.find_field = FindField()
        box.addWidget(self.find_field)
        box.addSpacing(4)
        box.addWidget(_tool(actions["keys"]))
        self._export = QPushButton(tr("Export"))
        self._export.setProperty("main", True)
        self._export.setToolTip(tr("Make a film of the project (Ctrl+E)"))
        self._export.clicked.connect(actions["export"].trigger)
        box.addWidget(self._export)
        editor.project_changed.connect(self.refresh)
        editor.file_changed.connect(self.refresh)
        editor.playhead_changed.connect(self._show_place)
        playback.state_changed.connect(self.refresh)
        score.lines_changed.connect(self._show_lines)
        self.refresh()

    def refresh(self) -> None:
        """Show everything as it is now."""
        project = self._editor.project
        self._show_name()
        self._changed.setVisible(self._editor.is_changed)
        song = project.song
        self._tempo.setVisible(song is not None and bool(song.beats))
        if song is not None and song.beats:
            self._tempo.setText(f"{song.tempo:.2f} · {time_signature(song.beats)}")
            clock = tr("steady as a machine's") if song.is_steady else tr("free")
            self._tempo.setToolTip(tr("Beats a minute and beats a bar; the tempo is {clock}", clock=clock))
        size = (project.width, project.height)
        self._shape.setText(f"{aspect_text(*size)} · {rate_text(project.rate)}")
        told = tr(
            "The film is {width} × {height} at {rate} fps; a click leads to others",
            width=size[0],
            height=size[1],
            rate=rate_text(project.rate),
        )
        self._shape.setToolTip(told)
        self._shape.setVisible(song is not None or bool(project.footage))
        has_frames = project.n_frames > 0
        for widget in (self._play, self._loop, self._export):
            widget.setEnabled(has_frames)
        playing = self._playback.is_playing
        self._play.setIcon(theme.icon("square" if playing else "play", theme.TEXT, 18))
        self._loop.setChecked(self._playback.loop is not None)
        self._show_late()
        self._show_place()
        QTimer.singleShot(0, self._fit)  # once what is told has its sizes

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Leave out what has keys or another place where there is no room for all of it."""
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        """Fit into the width, where it or what is told has changed."""
        told = (self.width(), self._tempo.text(), self._shape.text(), self._editor.title)
        if told == self._fitted:
            return
        self._fitted = told
        fit_across(
            self._box,
            self.width(),
            (
                self._bars.setHidden,
                self._levels.setHidden,
                self._shorten_name,
                self._facts.setHidden,
            ),
        )

    def _shorten_name(self, is_narrow: bool) -> None:
        self._is_narrow = is_narrow
        self._show_name()

    def _show_name(self) -> None:
        room = _SHORT_NAME if self._is_narrow else _NAME_WIDTH
        title = self._name.fontMetrics().elidedText(self._editor.title, Qt.TextElideMode.ElideRight, room - 2)
        self._name.setText(title)

    def _add_name(self, box: QHBoxLayout) -> None:
        self._name = QLabel()
        self._name.setTextFormat(Qt.TextFormat.PlainText)
        self._name.setFont(theme.words(10.5, weight=600))
        self._name.setMaximumWidth(_NAME_WIDTH)
        self._changed = QLabel("●")
        self._changed.setStyleSheet(f"color: {theme.QUIET.name()}; font-size: 9px")
        self._changed.setToolTip(tr("There are changes that are not saved (Ctrl+S)"))
        policy = self._changed.sizePolicy()
        policy.setRetainSizeWhenHidden(True)  # nothing beside it moves
        self._changed.setSizePolicy(policy)
        box.addWidget(self._name)
        box.addWidget(self._changed)

    def _add_transport(self, box: QHBoxLayout, actions: dict[str, QAction]) -> None:
        for key in ("undo", "redo"):
            box.addWidget(_tool(actions[key]))
        box.addSpacing(4)
        self._play, self._loop = _tool(actions["play"]), _tool(actions["loop"])
        self._play.setStyleSheet("padding: 6px 14px")
        box.addWidget(self._play)
        box.addWidget(self._loop)

    def _add_place(self, box: QHBoxLayout) -> None:
        self._beat, self._time, self._frame = QLabel(), QLabel(), label("")
        self._beat.setFont(theme.numbers(14, weight=500))
        # Room for the longest, so that nothing moves while it plays.
        self._beat.setFixedWidth(self._beat.fontMetrics().horizontalAdvance("188.4"))
        self._beat.setToolTip(tr("Bar and beat at the playhead; Ctrl+G goes to one that you type"))
        self._time.setFont(theme.numbers(12))
        self._time.setToolTip(tr("Minutes, seconds, frames"))
        self._frame.setFont(theme.numbers(9.5))
        self._frame.setFixedWidth(self._frame.fontMetrics().horizontalAdvance("f 88888"))
        self._tempo = QLabel()
        self._tempo.setFont(theme.numbers(9))
        self._tempo.setStyleSheet(f"background: {theme.RAISED.name()}; border-radius: 12px; padding: 0 8px;")
        self._tempo.setFixedHeight(24)
        for widget in (self._beat, self._time, self._frame):
            box.addWidget(widget)
            box.addSpacing(3)
        self._shape = QPushButton()
        self._shape.setProperty("quiet", True)
        self._shape.setStyleSheet("padding: 3px 7px")
        self._shape.setFont(theme.numbers(9))
        self._shape.setAccessibleName(tr("Shape of the film"))
        self._shape.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self._shape.clicked.connect(self.shape_asked)
        self._facts = in_a_row(self._tempo, self._shape, spacing=6)
        box.addWidget(self._facts)
        self.meter = LevelMeter(self._playback)
        self._late = label("")
        self._late.setFont(theme.numbers(9))
        widest = self._late.fontMetrics().horizontalAdvance(tr("{share:.0%} on time", share=1.0))
        self._late.setFixedWidth(max(METER_WIDTH, widest))
        self._levels = in_a_row(self.meter, self._late, spacing=6)
        box.addWidget(self._levels)
        self._place_field = _PlaceField(self)
        self._place_field.returnPressed.connect(self._go_to_place)

    def ask_place(self) -> None:
        """Let a place be typed where the playhead's own is told; Enter goes there, Escape gives it up."""
        if self._editor.project.n_frames == 0:
            return
        first, last = self._beat.geometry(), self._frame.geometry()
        self._place_field.setGeometry(first.left() - 6, 9, last.right() - first.left() + 6, 30)
        self._place_field.clear()
        self._place_field.show()
        self._place_field.raise_()
        self._place_field.setFocus()

    def _go_to_place(self) -> None:
        try:
            frame = parse_place(self._place_field.text(), self._editor.bars, self._editor.project.rate)
        except ParameterError as error:
            self._editor.said.emit(str(error), False)
            return
        self._score.setFocus()
        self._place_field.hide()
        self._editor.go_to(frame)

    def _show_late(self) -> None:
        count = self._playback.punctuality
        is_told = count.n_due > 30 and not self._playback.is_playing
        self._late.setText(tr("{share:.0%} on time", share=count.share) if is_told else "")
        self._late.setVisible(is_told)
        self.meter.setVisible(not is_told)
        self._late.setToolTip(
            tr(
                "{n_shown} of {n_due} pictures were shown while they were due",
                n_shown=count.n_shown,
                n_due=count.n_due,
            )
        )

    def _show_place(self) -> None:
        project, frame = self._editor.project, self._editor.playhead
        self._time.setText(timecode(frame, project.rate))
        self._frame.setText(f"f {frame}")
        self._beat.setText(place_text(frame, self._editor.bars, project.rate))
        for widget in (self._beat, self._time, self._frame):
            widget.setVisible(project.n_frames > 0)

    def _lines(self) -> QWidget:
        made = QWidget()
        line = QHBoxLayout(made)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(0)
        words = label(tr("bars"))
        line.addWidget(words)
        line.addSpacing(4)
        self._group = QButtonGroup(self)
        for number in BARS_PER_LINE:
            button = QPushButton(str(number))
            button.setCheckable(True)
            button.setProperty("quiet", True)
            button.setFixedWidth(25)
            button.setStyleSheet("padding: 5px 0")
            button.setToolTip(tr("{number} bars a line ({number})", number=number))
            button.setAccessibleName(tr("{number} bars a line", number=number))
            self._group.addButton(button, number)
            line.addWidget(button)
        self._group.idClicked.connect(self._score.set_bars_per_line)
        self._show_lines()
        return made

    def _show_lines(self) -> None:
        button = self._group.button(self._score.bars_per_line)
        if button is not None:
            button.setChecked(True)


def _tool(action: QAction) -> QToolButton:
    button = QToolButton()
    button.setDefaultAction(action)
    button.setProperty("quiet", True)
    button.setAccessibleName(action.text())
    button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
    return button


class _PlaceField(QLineEdit):
    """A field for a place, there only while one is typed."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setAccessibleName(tr("Go to"))
        self.setPlaceholderText("12.3, 1:04.5, f 350")
        self.setToolTip(tr("A bar (12), a beat of it (12.3), a time (1:04.5 or 64.5 s), or a frame (f 350)"))
        self.setMaxLength(40)
        self.setFont(theme.numbers(10))
        self.hide()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() == Qt.Key.Key_Escape:
            self.hide()
        else:
            super().keyPressEvent(event)
        if event is not None:
            event.accept()  # Enter is for this field, and not for the button that has the keyboard next

    def event(self, event: QEvent | None) -> bool:
        is_asking = isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride
        if isinstance(event, QKeyEvent) and is_asking and event.key() == Qt.Key.Key_Escape:
            event.accept()
            return True
        return super().event(event)

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        super().focusOutEvent(event)
        self.hide()
