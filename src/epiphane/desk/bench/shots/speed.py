"""The rows of a shot's speed: a number, backwards, freeze frames, the curve, what is in between."""

from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QMenu, QPushButton

from epiphane.desk.bench.page import Rows
from epiphane.desk.bench.shots.speed_curve import SpeedCurvePicture
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.shot_time import ShotTimeDesk
from epiphane.desk.look.fields import (
    button,
    choice_field,
    label,
    number_field,
    show_choice,
    wrapped,
)
from epiphane.document.timeline import Between, Item, Ramp, cut_of
from epiphane.edits.shots.speed import FASTEST, SHAPES, curve_of
from epiphane.facts.source_time import anchor_frame
from epiphane.facts.speed import speed_at
from epiphane.timing import frame_at
from epiphane.wording import tr

_BETWEENS = (
    (Between.NEAREST.value, tr("repeat pictures")),
    (Between.BLEND.value, tr("blend")),
    (Between.FLOW.value, tr("optical flow")),
)
_SPEED_WIDTH = 96
_TYPED = tr("Speed; below 0 backwards, 0 a freeze frame")
_TYPED_OVER = tr("Speed at the playhead: typing one takes the place of the curve")
RAMPS = (
    (Ramp.BOTH, tr("ease in and out")),
    (Ramp.LINEAR, tr("straight")),
    (Ramp.IN, tr("ease in")),
    (Ramp.OUT, tr("ease out")),
    (Ramp.HOLD, tr("jump")),
)


class ShotSpeedRows(Rows[Item]):
    """Speed of the selected shots; the curve is that of one."""

    def __init__(self, editor: Editor, times: ShotTimeDesk) -> None:
        super().__init__()
        self._editor, self._times = editor, times
        most = 100 * FASTEST
        speed = self.number(
            tr("Speed"),
            self._speed_here,
            times.set_speed,
            limits=(-most, most),
            unit="%",
            factor=100,
            decimals=1,
            step=5,
            width=_SPEED_WIDTH,
        )
        self.shows(lambda shot: speed.setToolTip(_TYPED_OVER if _has_curve(shot) else _TYPED))
        reverse = button(tr("Reverse"), tr("Run the other way (U)"), times.reverse)
        frames = number_field(tr("Frames of a freeze frame or a stutter"), low=1, high=9999, unit="")
        frames.show_value(times.n_frames)
        frames.edited.connect(self._set_frames)
        tip = tr("Hold the picture under the playhead for so many frames (Shift + F)")
        freeze = button(tr("Freeze"), tip, times.freeze)
        self._make_picture()
        ramps = [(ramp.value, words) for ramp, words in RAMPS]
        self._ramp = choice_field(tr("From this point to the next"), ramps, self._set_ramp)
        self.shows(lambda _: self._show_ramp())
        remove = button(tr("Delete point"), tr("Delete the chosen point of the curve"), self._remove)
        between = self.choice(
            tr("What is shown between the pictures of a slowed clip"),
            _BETWEENS,
            lambda shot: cut_of(shot).between.value,
            lambda key: times.set_between(Between(key)),
        )
        self._remark = wrapped("")
        self.row(tr("Speed"), speed, reverse, self._shapes())
        self.add(self.picture, when=lambda _: self._is_one())
        self.row(tr("To the next"), self._ramp, remove, when=lambda shot: self._is_one() and _has_curve(shot))
        self.row(tr("Freeze"), frames, label(tr("frames")), freeze)
        self.row(tr("In between"), between)
        self.add(self._remark, when=lambda _: bool(self._remark.text()))
        editor.playhead_changed.connect(self._on_playhead)

    def _make_picture(self) -> None:
        """Make the picture of the curve, and have it show that of the shot."""
        editor, times = self._editor, self._times
        self.picture = SpeedCurvePicture()
        self.picture.added.connect(lambda frame: times.add_point(self._start + frame))
        self.picture.removed.connect(times.remove_point)
        self.picture.chosen.connect(lambda _: self._show_ramp())
        self.picture.moved.connect(lambda n, f, v: times.move_point(n, self._start + f, v, gesture="speed"))
        self.picture.released.connect(editor.end_gesture)

        def show(shot: Item) -> None:
            rate = editor.project.rate
            self.picture.show_speed(
                cut_of(shot).speed,
                shot.n_frames,
                anchor=anchor_frame(shot, rate) - shot.start,
                hit=None if shot.pin is None else frame_at(shot.pin.hit, rate) - shot.start,
                here=editor.playhead - shot.start,
            )

        self.shows(show)

    def _is_one(self) -> bool:
        return len(self._editor.selection.shots) == 1

    def _speed_here(self, shot: Item) -> float:
        """Return the speed on the frame of the shot that is nearest to the playhead."""
        here = min(max(self._editor.playhead, shot.start), shot.end - 1)
        return speed_at(cut_of(shot).speed, here - anchor_frame(shot, self._editor.project.rate))

    def show_remark(self, text: str) -> None:
        """Say how well in-betweens will look."""
        self._remark.setText(text)
        self._remark.setVisible(bool(text))

    @property
    def _start(self) -> int:
        shot = self._editor.chosen.shot
        return 0 if shot is None else shot.start

    def _shapes(self) -> QPushButton:
        """Return the button that offers ready curves."""
        made = QPushButton(tr("Shape"))
        menu = QMenu(made)
        menu.setToolTipsVisible(True)
        for shape in SHAPES:
            action = QAction(shape.label, menu)
            action.setToolTip(shape.words)
            action.triggered.connect(lambda _checked=False, key=shape.key: self._times.shape(key))
            menu.addAction(action)
        made.setMenu(menu)
        made.setToolTip(tr("Ready curves about the hit of the moment, or the one nearest to the playhead"))
        return made

    def _set_frames(self, value: float) -> None:
        self._times.n_frames = round(value)

    def _show_ramp(self) -> None:
        shot = self._editor.chosen.shot
        keys = () if shot is None or shot.footage is None else curve_of(shot)
        if self.picture.index < len(keys):
            show_choice(self._ramp, keys[self.picture.index].ramp.value)

    def _set_ramp(self, key: str) -> None:
        self._times.set_ramp(self.picture.index, Ramp(key))

    def _remove(self) -> None:
        self._times.remove_point(self.picture.index)

    def _on_playhead(self) -> None:
        shot = self._editor.chosen.shot
        if self.isVisible() and shot is not None and shot.footage is not None:
            self.show_thing(shot)


def _has_curve(shot: Item) -> bool:
    return isinstance(cut_of(shot).speed, tuple)
