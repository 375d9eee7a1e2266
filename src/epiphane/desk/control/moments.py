"""Commands of the clip on the bench: its moments, its takes, the part of it that is used."""

from PyQt6.QtCore import QObject

from epiphane.desk.control.clip_player import ClipPlayer
from epiphane.desk.control.editor import Editor
from epiphane.document.footage import Footage, Moment, take_at
from epiphane.edits.footage import (
    accept_moment,
    add_moment,
    change_footage,
    move_moment,
    remove_moment,
    use_take,
)
from epiphane.wording import tr


class MomentDesk(QObject):
    """What the user does with the clip that is looked at, where it is looked at."""

    def __init__(self, editor: Editor, player: ClipPlayer) -> None:
        super().__init__()
        self._editor, self._player = editor, player

    def here(self) -> Moment | None:
        """Return the moment of the frame that is shown."""
        footage, now = self._player.footage, self._player.seconds
        if footage is None:
            return None
        half = 0.5 / float(footage.rate) + 1e-4
        near = [moment for moment in footage.moments if abs(moment.time - now) < half]
        return min(near, key=lambda moment: abs(moment.time - now), default=None)

    def set_moment(self) -> None:
        """Set a moment where the clip is, also while it plays."""
        footage = self._player.footage
        if footage is not None:
            seconds = _frame_seconds(footage, self._player.seconds)
            self._editor.apply(lambda p: add_moment(p, footage.id, seconds), tr("setting of a moment"))

    def toggle_accepted(self) -> None:
        """Accept the moment where the clip is, or make it a proposal again."""
        footage, here = self._player.footage, self.here()
        if footage is not None and here is not None:
            self._editor.apply(
                lambda p: accept_moment(p, footage.id, here.time, is_accepted=not here.is_accepted),
                tr("accepting of a moment"),
            )

    def remove_here(self) -> None:
        """Remove the moment where the clip is."""
        footage, here = self._player.footage, self.here()
        if footage is not None and here is not None:
            self._editor.apply(lambda p: remove_moment(p, footage.id, here.time), tr("removal of a moment"))

    def step_to_moment(self, direction: int) -> None:
        """Go to the next (1) or last (-1) moment."""
        footage = self._player.footage
        if footage is not None:
            half = 0.5 / float(footage.rate)
            times = [m.time for m in footage.moments if (m.time - self._player.seconds) * direction > half]
            if times:
                self._player.go_to(min(times) if direction > 0 else max(times))

    def move_here(self, n_frames: int) -> None:
        """Move the moment where the clip is by some frames, and go along."""
        footage, here = self._player.footage, self.here()
        if footage is not None and here is not None:
            to = _frame_seconds(footage, here.time + n_frames / float(footage.rate))
            self.move(here.time, to)
            self._editor.end_gesture()

    def toggle_take(self, seconds: float | None = None) -> None:
        """Leave the take at an instant, or where the clip is, out of fillings, or use it again."""
        footage = self._player.footage
        if footage is not None and len(footage.takes) > 1:
            at = self._player.seconds if seconds is None else seconds
            is_used = not take_at(footage, at).is_used
            self._editor.apply(lambda p: use_take(p, footage.id, at, is_used=is_used), tr("use of a take"))

    def use_from_here(self, *, is_end: bool) -> None:
        """Use the clip from the shown frame on, or up to it and no further."""
        footage = self._player.footage
        if footage is not None:
            seconds = _frame_seconds(footage, self._player.seconds)
            self.use(is_end=is_end, seconds=seconds + is_end / float(footage.rate))

    def set_at(self, seconds: float) -> None:
        """Go to an instant of the clip, and set a moment there."""
        self._player.go_to(seconds)
        self.set_moment()

    def move(self, old: float, new: float) -> None:
        """Move the moment at an instant of the clip to another, and go along; part of a drag."""
        footage = self._player.footage
        if footage is not None and self._editor.apply(
            lambda p: move_moment(p, footage.id, old, to=new), tr("move of a moment"), gesture="moment"
        ):
            self._player.go_to(new)

    def use(self, *, is_end: bool, seconds: float, gesture: str | None = None) -> None:
        """Use the clip from an instant on, or up to it."""
        footage = self._player.footage
        if footage is None:
            return
        if is_end:
            used_to = None if seconds >= footage.duration - 1e-3 else round(seconds, 6)
            if used_to is None or used_to > footage.used_from:
                self._change(footage, gesture, used_to=used_to)
        elif seconds < footage.end:
            self._change(footage, gesture, used_from=round(seconds, 6))

    def _change(self, footage: Footage, gesture: str | None, **changes: object) -> None:
        self._editor.apply(
            lambda p: change_footage(p, footage.id, **changes), tr("used part of a clip"), gesture=gesture
        )


def _frame_seconds(footage: Footage, seconds: float) -> float:
    """Return the first instant of the picture at an instant."""
    rate = float(footage.rate)
    return max(0, int(seconds * rate + 0.01)) / rate
