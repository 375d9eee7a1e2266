"""The rows of a shot's speed: a number, backwards, freeze frames, the curve, what is in between."""

from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QMenu, QPushButton, QVBoxLayout, QWidget

from epiphane.desk.bench.speed_curve import SpeedCurvePicture
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.shot_time import ShotTimeDesk
from epiphane.desk.look.fields import (
    button,
    choice_field,
    label,
    number_field,
    row,
    show_choice,
)
from epiphane.document.timeline import Between, Ramp, cut_of
from epiphane.edits.speed import FASTEST, SHAPES, curve_of
from epiphane.facts.source_time import anchor_frame
from epiphane.facts.speed import speed_at
from epiphane.timing import frame_at

_BETWEENS = (
    (Between.NEAREST.value, "repeat pictures"),
    (Between.BLEND.value, "blend"),
    (Between.FLOW.value, "optical flow"),
)
_SPEED_WIDTH = 96
RAMPS = (
    (Ramp.BOTH, "ease in and out"),
    (Ramp.LINEAR, "straight"),
    (Ramp.IN, "ease in"),
    (Ramp.OUT, "ease out"),
    (Ramp.HOLD, "jump"),
)


class ShotSpeedRows(QWidget):
    """Speed of the selected shots; the curve is that of one."""

    def __init__(self, editor: Editor, times: ShotTimeDesk) -> None:
        super().__init__()
        self._editor, self._times = editor, times
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(7)
        most = 100 * FASTEST
        self._speed = number_field("Speed", low=-most, high=most, unit="%")
        self._speed.setDecimals(1)
        self._speed.setFixedWidth(_SPEED_WIDTH)
        self._speed.setSingleStep(5)
        self._speed.edited.connect(lambda value: times.set_speed(value / 100))
        reverse = button("Reverse", "Run the other way (U)", times.reverse)
        box.addWidget(row("Speed", self._speed, reverse, self._shapes()))
        self._frames = number_field("Frames of a freeze frame or a stutter", low=1, high=9999, unit="")
        self._frames.show_value(times.n_frames)
        self._frames.edited.connect(self._set_frames)
        freeze = button(
            "Freeze", "Hold the picture under the playhead for so many frames (Shift + F)", times.freeze
        )
        freeze_row = row("Freeze", self._frames, label("frames"), freeze)
        self.picture = SpeedCurvePicture()
        self.picture.added.connect(lambda frame: times.add_point(self._start + frame))
        self.picture.removed.connect(times.remove_point)
        self.picture.chosen.connect(lambda _: self._show_ramp())
        self.picture.moved.connect(lambda n, f, v: times.move_point(n, self._start + f, v, gesture="speed"))
        self.picture.nudged.connect(lambda n, f, v: times.move_point(n, self._start + f, v))
        self.picture.released.connect(editor.end_gesture)
        box.addWidget(self.picture)
        ramps = [(ramp.value, words) for ramp, words in RAMPS]
        self._ramp = choice_field("From this point to the next", ramps, self._set_ramp)
        remove = button("Delete point", "Delete the chosen point of the curve", self._remove)
        self._point_row = row("To the next", self._ramp, remove)
        box.addWidget(self._point_row)
        self._between = choice_field(
            "What is shown between the pictures of a slowed clip",
            _BETWEENS,
            lambda key: times.set_between(Between(key)),
        )
        self._remark = label("")
        self._remark.setWordWrap(True)
        box.addWidget(freeze_row)
        box.addWidget(row("In between", self._between))
        box.addWidget(self._remark)
        editor.playhead_changed.connect(self._on_playhead)

    def refresh(self) -> None:
        """Show the speed as it is now."""
        shot = self._editor.selected_shot()
        if shot is None or shot.footage is None:
            return
        cut, rate = cut_of(shot), self._editor.project.rate
        is_curve, is_one = isinstance(cut.speed, tuple), len(self._editor.selection.shots) == 1
        anchor = anchor_frame(shot, rate)
        here = self._editor.playhead
        at_here = speed_at(cut.speed, min(max(here, shot.start), shot.end - 1) - anchor)
        self._speed.show_value(round(100 * at_here, 1))
        self._speed.setToolTip(
            "Speed at the playhead: typing one takes the place of the curve"
            if is_curve
            else "Speed; below 0 backwards, 0 a freeze frame"
        )
        hit = None if shot.pin is None else frame_at(shot.pin.hit, rate) - shot.start
        self.picture.setVisible(is_one)
        self._point_row.setVisible(is_one and is_curve)
        self.picture.show_speed(
            cut.speed, shot.n_frames, anchor=anchor - shot.start, hit=hit, here=here - shot.start
        )
        self._show_ramp()
        show_choice(self._between, cut.between.value)
        self._remark.setVisible(bool(self._remark.text()))

    def show_remark(self, text: str) -> None:
        """Say how well in-betweens will look."""
        self._remark.setText(text)
        self._remark.setVisible(bool(text))

    @property
    def _start(self) -> int:
        shot = self._editor.selected_shot()
        return 0 if shot is None else shot.start

    def _shapes(self) -> QPushButton:
        """Return the button that offers ready curves."""
        made = QPushButton("Shape")
        menu = QMenu(made)
        menu.setToolTipsVisible(True)
        for shape in SHAPES:
            action = QAction(shape.label, menu)
            action.setToolTip(shape.words)
            action.triggered.connect(lambda _checked=False, key=shape.key: self._times.shape(key))
            menu.addAction(action)
        made.setMenu(menu)
        made.setToolTip("Ready curves about the hit of the moment, or the one nearest to the playhead")
        return made

    def _set_frames(self, value: float) -> None:
        self._times.n_frames = round(value)

    def _show_ramp(self) -> None:
        shot = self._editor.selected_shot()
        keys = () if shot is None or shot.footage is None else curve_of(shot)
        if self.picture.index < len(keys):
            show_choice(self._ramp, keys[self.picture.index].ramp.value)

    def _set_ramp(self, key: str) -> None:
        self._times.set_ramp(self.picture.index, Ramp(key))

    def _remove(self) -> None:
        self._times.remove_point(self.picture.index)

    def _on_playhead(self) -> None:
        if self.isVisible():
            self.refresh()
