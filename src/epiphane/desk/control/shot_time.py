"""Commands of time inside shots: speed, backwards, freeze frames, curves, in-betweens."""

from collections.abc import Callable
from itertools import pairwise

from PyQt6.QtCore import QObject

from epiphane.desk.control.editor import Editor
from epiphane.desk.control.snapping import Snapping
from epiphane.document.footage import FootageKind
from epiphane.document.project import Project
from epiphane.document.timeline import Between, Item, Ramp
from epiphane.edits.shots.cutting import TrimMode
from epiphane.edits.shots.shots import beat_frames
from epiphane.edits.shots.speed import (
    add_key,
    change_speed,
    freeze_at,
    move_key,
    remove_key,
    reverse_shot,
    set_between,
    set_ramp,
    shape_speed,
    stretch_to_fit,
)
from epiphane.facts.source_time import anchor_frame, shot_at
from epiphane.timing import frame_at
from epiphane.wording import tr


class ShotTimeDesk(QObject):
    """What the user does with the time inside the selected shots."""

    def __init__(self, editor: Editor, snapping: Snapping) -> None:
        super().__init__()
        self._editor = editor
        self._snapping = snapping
        self.n_frames = 8
        """How many frames a freeze frame or a stutter takes."""

    def set_speed(self, speed: float) -> None:
        """Have the shots run at a speed; 1 is as filmed."""
        self._each(lambda p, shot: change_speed(p, shot.id, speed), tr("speed of a shot"))

    def reverse(self) -> None:
        """Have the shots run the other way."""
        self._each(lambda p, shot: reverse_shot(p, shot.id), tr("reversal of a shot"))

    def freeze(self) -> None:
        """Hold the picture under the playhead for some frames."""
        here = self._editor.playhead
        shot = shot_at(self._editor.project, here)
        if shot is None:
            self._editor.said.emit(tr("Go to the frame of a shot that is to be held"), False)
            return
        self._editor.apply(lambda p: freeze_at(p, shot.id, here, self.n_frames), tr("freeze frame"))

    def stretch_here(self) -> None:
        """Have the shot end at the playhead and show all it did, slower or faster; the rest moves along."""
        here = self._editor.playhead
        shot = self._editor.chosen.shot or shot_at(self._editor.project, here)
        if shot is not None:
            self._editor.apply(
                lambda p: stretch_to_fit(p, shot.id, max(here, shot.start + 1), TrimMode.RIPPLE),
                tr("stretch of a shot"),
            )

    def shape(self, key: str) -> None:
        """Give the shots a ready curve about the hit of their moment, or the one nearest to the playhead."""

        def edit(p: Project, shot: Item) -> Project:
            frame = self._hit_frame(p, shot)
            beat = _beat_at(p, frame)
            return shape_speed(p, shot.id, key, frame, beat=beat, n_frames=self.n_frames)

        self._each(edit, tr("speed curve"))

    def set_between(self, between: Between) -> None:
        """Choose what is shown between the pictures of the shots' clips."""
        ids = self._editor.selection.shots
        self._editor.apply(lambda p: set_between(p, ids, between=between), tr("pictures in between"))

    # The points of the curve of the one shot that is selected

    def add_point(self, frame: int) -> None:
        """Put a point on the curve, on a frame of the project."""
        rate = self._editor.project.rate
        self._one(lambda p, s: add_key(p, s.id, frame - anchor_frame(s, rate)), tr("point of a curve"))

    def move_point(self, index: int, frame: int, speed: float, *, gesture: str | None = None) -> None:
        """Move a point of the curve to a frame of the project and a speed."""
        rate = self._editor.project.rate
        self._one(
            lambda p, s: move_key(p, s.id, index, frame=frame - anchor_frame(s, rate), speed=speed),
            tr("point of a curve"),
            gesture=gesture,
        )

    def remove_point(self, index: int) -> None:
        """Take a point off the curve."""
        self._one(lambda p, s: remove_key(p, s.id, index), tr("deletion of a point"))

    def set_ramp(self, index: int, ramp: Ramp) -> None:
        """Choose how the speed changes from a point to the next one."""
        self._one(lambda p, s: set_ramp(p, s.id, index, ramp), tr("ramp of a curve"))

    def _one(
        self, edit: Callable[[Project, Item], Project], label: str, *, gesture: str | None = None
    ) -> None:
        shot = self._editor.chosen.shot
        if shot is not None:
            self._editor.apply(lambda p: edit(p, shot), label, gesture=gesture)

    def _each(self, edit: Callable[[Project, Item], Project], label: str) -> None:
        """Do an edit of each selected shot, or of the one under the playhead; stills stay as they are."""
        project = self._editor.project
        under = shot_at(project, self._editor.playhead)
        shots = self._editor.chosen.shots or ([] if under is None else [under])
        clips = {one.id for one in project.footage if one.kind is FootageKind.VIDEO}
        moving = [shot for shot in shots if shot.footage in clips]

        def of_all(p: Project) -> Project:
            for shot in moving or shots[:1]:  # of a still alone it is said why not
                p = edit(p, shot)
            return p

        if shots:
            self._editor.apply(of_all, label)

    def _hit_frame(self, project: Project, shot: Item) -> int:
        if shot.pin is not None:
            return frame_at(shot.pin.hit, project.rate)
        here = self._editor.playhead
        inside = [frame for frame in self._snapping.frames(project) if shot.start <= frame < shot.end]
        fallback = here if shot.start <= here < shot.end else shot.start
        return min(inside, key=lambda frame: abs(frame - here), default=fallback)


def _beat_at(project: Project, frame: int) -> int:
    """Return how many frames the beat has in which a frame lies."""
    around = [after - before for before, after in pairwise(beat_frames(project)) if before <= frame < after]
    return around[0] if around else max(1, round(project.rate / 2))
