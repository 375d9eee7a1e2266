"""Dragging shots on the score: cuts, ends, what a shot shows, and the shot itself.

Every step starts from the project as it was when the button went down, so that going back gives it back.
"""

from collections.abc import Callable
from enum import Enum

from msgspec import Struct
from msgspec.structs import replace
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QPainter

from epiphane.desk.control.editor import Editor
from epiphane.desk.control.snapping import Snapping
from epiphane.desk.look import theme
from epiphane.desk.score.gesture import Gesture, Pointer
from epiphane.desk.score.hit_testing import shots_near
from epiphane.desk.score.layout import Place, ScoreLayout, Strip
from epiphane.document.footage import Footage
from epiphane.document.project import Project, find
from epiphane.document.timeline import Item, Pin, cut_of
from epiphane.edits.shots.arranging import move_shots
from epiphane.edits.shots.cutting import TrimMode, roll_cut, slide_shots, slip_shots, trim_shots
from epiphane.edits.shots.shots import pin_shot, started_at
from epiphane.edits.shots.speed import speed_text, stretch_to_fit
from epiphane.errors import EditError
from epiphane.facts.source_time import frame_showing
from epiphane.timing import frame_at, frame_start
from epiphane.wording import plural, tr

_CUT_GRAB = 4
_END_GRAB = 7
_REACH = 9
"""How far from a shot something of it can be held, px."""
NAME_HEIGHT = 15
"""Of the lower part of a shot, by which the shot itself is dragged, in pixels."""


class ShotGrip(Enum):
    """What of a shot is held: a cut, an end, an end that stretches it, what it shows, or the shot itself."""

    ROLL = "roll"
    START = "start"
    END = "end"
    FIT = "fit"
    SLIP = "slip"
    MOVE = "move"
    SLIDE = "slide"


CURSORS = {
    ShotGrip.ROLL: Qt.CursorShape.SplitHCursor,
    ShotGrip.START: Qt.CursorShape.SizeHorCursor,
    ShotGrip.END: Qt.CursorShape.SizeHorCursor,
    ShotGrip.SLIP: Qt.CursorShape.SizeAllCursor,
    ShotGrip.MOVE: Qt.CursorShape.OpenHandCursor,
}

WORDS = {
    ShotGrip.ROLL: tr("drag: roll this cut"),
    ShotGrip.START: tr("drag: trim, and what follows moves along; Ctrl: this shot alone"),
    ShotGrip.END: tr(
        "drag: trim, and what follows moves along; Ctrl: this shot alone; Ctrl + Shift: stretch"
    ),
    ShotGrip.SLIP: tr("drag: slip what it shows"),
    ShotGrip.MOVE: tr("drag: move it elsewhere; Ctrl: slide it between its neighbours"),
}


class Held(Struct, frozen=True):
    """What is under the pointer in the strip of shots: a grip, and the shot that it is of."""

    grip: ShotGrip
    shot: Item


def grip_under(editor: Editor, layout: ScoreLayout, place: Place, at: QPointF) -> Held | None:
    """Return what would be dragged at a point of the strip of shots; None where there is no shot.

    The ends of a selected shot can be held, and what it shows; of every other one the cut and the name.
    """
    project, stave = editor.project, place.stave
    if place.strip is not Strip.SHOTS or at.x() < layout.left(stave) - _CUT_GRAB:
        return None

    def x_of(frame: int) -> float:
        return layout.x_at(stave, frame_start(frame, project.rate))

    chosen = editor.selection.shots
    around = shots_near(project, layout, stave, at.x(), _REACH)
    near = [shot for shot in around if x_of(shot.start) - _REACH < at.x() < x_of(shot.end) + _REACH]
    for shot in near:
        grab = min(_END_GRAB, (x_of(shot.end) - x_of(shot.start)) / 3)
        if shot.id in chosen and x_of(shot.start) - 2 <= at.x() < x_of(shot.start) + grab:
            return Held(ShotGrip.START, shot)
        if shot.id in chosen and x_of(shot.end) - grab < at.x() <= x_of(shot.end) + 2:
            return Held(ShotGrip.END, shot)
    for shot in near:
        follows = any(other.start == shot.end for other in near)
        if follows and abs(at.x() - x_of(shot.end)) <= _CUT_GRAB:
            return Held(ShotGrip.ROLL, shot)
    under = next((shot for shot in near if x_of(shot.start) <= at.x() < x_of(shot.end)), None)
    if under is None:
        return None
    is_slipped = under.id in chosen and not is_name(layout, place, at)
    return Held(ShotGrip.SLIP if is_slipped else ShotGrip.MOVE, under)


def is_name(layout: ScoreLayout, place: Place, at: QPointF) -> bool:
    """Whether a point is in the lower part of a shot, where its name stands and by which it is moved."""
    return at.y() >= layout.shots_top(place.stave.top) + layout.heights.shots - NAME_HEIGHT


class ShotDrag(Gesture):
    """A shot that is dragged, or something of it.

    Parameters
    ----------
    editor : Editor
    snapping : Snapping
    held : Held
    frame : int
        Of the project, on which the button went down.
    is_alone : bool
        Whether only this shot is meant: its end without those after it, or itself between its neighbours.
    is_fitting : bool
        Whether an end that is dragged stretches the shot.
    """

    def __init__(
        self,
        editor: Editor,
        snapping: Snapping,
        held: Held,
        frame: int,
        *,
        is_alone: bool,
        is_fitting: bool,
    ) -> None:
        self._editor, self._snapping = editor, snapping
        self._before = editor.project
        self._shot, self._origin, self._is_alone = held.shot, frame, is_alone
        self._grip = held.grip
        if held.grip is ShotGrip.MOVE and is_alone:
            self._grip = ShotGrip.SLIDE
        elif held.grip is ShotGrip.END and is_fitting:
            self._grip = ShotGrip.FIT
        self._ids = editor.selection.shots if held.shot.id in editor.selection.shots else {held.shot.id}
        self._place: int | None = None

    def move(self, pointer: Pointer) -> None:
        """Do what the pointer means where it has come to."""
        if pointer.place is None:
            return
        frame, reach = frame_at(pointer.place.seconds, self._before.rate), pointer.reach(self._before)
        by = frame - self._origin
        if self._grip is ShotGrip.MOVE:
            self._point_at(frame)
        elif self._grip is ShotGrip.SLIP:
            self._slip(by, reach)
        elif self._grip is ShotGrip.SLIDE:
            self._slide(by, reach)
        else:
            self._trim(by, reach)

    def end(self) -> None:
        """Do what was shown only: move the shots where they would go; tell what has gone over the end."""
        place = self._place
        if place is not None:
            self._editor.apply(lambda p: move_shots(p, self._ids, place), tr("move of a shot"))
        n_gone = len(self._before.shots) - len(self._editor.project.shots)
        if n_gone > 0:
            shots = plural(n_gone, "1 shot has", "{} shots have")
            self._editor.said.emit(
                tr("{shots} gone past the end of the song; Ctrl+Z brings them back.", shots=shots), False
            )

    def paint(self, painter: QPainter, layout: ScoreLayout, *, offset: int) -> None:
        """Show the cut before which moved shots would go."""
        if self._place is None:
            return
        seconds = frame_start(self._place, self._before.rate)
        stave = layout.stave_at(seconds)
        x, top = layout.x_at(stave, seconds), layout.shots_top(stave.top) - offset
        painter.fillRect(round(x) - 2, round(top) - 4, 4, layout.heights.shots + 8, theme.TEXT)

    def _point_at(self, frame: int) -> None:
        edges = {edge for shot in self._before.shots for edge in (shot.start, shot.end)}
        nearest = min(edges, key=lambda edge: abs(edge - frame))
        is_where_it_is = self._shot.start <= frame < self._shot.end
        self._place = None if is_where_it_is else nearest
        self.words = "stays" if is_where_it_is else tr("goes before frame {nearest}", nearest=nearest)

    def _trim(self, by: int, reach: int) -> None:
        """Move a cut or an end: to a hit near to where the pointer has taken it."""
        shot = self._shot
        old = shot.start if self._grip is ShotGrip.START else shot.end
        frame = self._snapping.snapped(self._before, old + by, reach)
        ripples, shot_id, ids = not self._is_alone, shot.id, self._ids
        edits: dict[ShotGrip, Callable[[Project], Project]] = {
            ShotGrip.ROLL: lambda p: roll_cut(p, shot_id, frame),
            ShotGrip.START: lambda p: trim_shots(p, ids, frame - old, is_end=False, ripple=ripples),
            ShotGrip.END: lambda p: trim_shots(p, ids, frame - old, is_end=True, ripple=ripples),
            ShotGrip.FIT: lambda p: stretch_to_fit(p, shot_id, max(frame, shot.start + 1), TrimMode.RIPPLE),
        }
        if not self._apply(edits[self._grip]):
            return
        now = find(self._editor.project.shots, shot_id, "shot")
        cut = now.start if self._grip is ShotGrip.START else now.end
        self.pair = cut - 1, cut
        change = now.n_frames - shot.n_frames
        self.words = tr("{n_frames} frames ({change:+d})", n_frames=now.n_frames, change=change)
        if self._grip is ShotGrip.ROLL:
            self.words = tr("cut on frame {cut} ({by:+d})", cut=cut, by=cut - shot.end)
        elif self._grip is ShotGrip.FIT:
            self.words += f" at {speed_text(cut_of(now).speed)}"

    def _slide(self, by: int, reach: int) -> None:
        by = self._snapping.snapped(self._before, self._shot.start + by, reach) - self._shot.start
        if self._apply(lambda p: slide_shots(p, self._ids, by)):
            now = find(self._editor.project.shots, self._shot.id, "shot")
            self.pair = now.start - 1, now.end
            self.words = tr(
                "begins on frame {start} ({last:+d})", start=now.start, last=now.start - self._shot.start
            )

    def _slip(self, by: int, reach: int) -> None:
        """Slip what the shots show along with the pointer; a moment that comes near a hit goes on it."""
        pin = self._pin_near(by, reach) if len(self._ids) == 1 else None
        if pin is not None:
            done = self._apply(lambda p: pin_shot(p, self._shot.id, pin))
            self.words = tr("its moment is on a hit")
        else:
            done = self._apply(lambda p: slip_shots(p, self._ids, -by))
            self.words = tr(
                "shows what was {by} frames {side}",
                by=abs(by),
                side=tr("before") if by > 0 else tr("after"),
            )
        if done:
            self.pair = self._shot.start, self._shot.end - 1

    def _pin_near(self, by: int, reach: int) -> Pin | None:
        shot, project = self._shot, self._before
        footage = find(project.footage, cut_of(shot).footage, "footage")
        if reach == 0 or not self._snapping.is_on:
            return None
        hits = {
            frame_at(time, project.rate): time
            for time in self._snapping.times(project)
            if shot.start <= frame_at(time, project.rate) < shot.end
        }
        near = [
            (abs(frame + by - hit), Pin(moment, hits[hit]))
            for moment, frame in self._moments(footage)
            for hit in hits
            if abs(frame + by - hit) <= reach
        ]
        return min(near, key=lambda one: one[0], default=(0, None))[1]

    def _moments(self, footage: Footage) -> list[tuple[float, int]]:
        """Return the moments of the footage, and the frames on which the shot would show them."""
        rate, shot = self._before.rate, self._shot
        wide = started_at(shot, shot.start - shot.n_frames, rate)
        wide = replace(wide, n_frames=3 * shot.n_frames)
        frames = [(moment.time, frame_showing(wide, moment.time, rate)) for moment in footage.moments]
        return [(time, frame) for time, frame in frames if frame is not None]

    def _apply(self, edit: Callable[[Project], Project]) -> bool:
        """Do an edit of the project as it was; False where it was refused, which is told once at its end."""
        try:
            made = edit(self._before)
        except EditError as error:
            self.words = str(error)
            return False
        return self._editor.apply(lambda _: made, _LABELS[self._grip], gesture="shot")


_LABELS = {
    ShotGrip.ROLL: tr("roll of a cut"),
    ShotGrip.START: tr("trim of a shot"),
    ShotGrip.END: tr("trim of a shot"),
    ShotGrip.FIT: tr("stretch of a shot"),
    ShotGrip.SLIP: tr("slip of a shot"),
    ShotGrip.SLIDE: tr("slide of a shot"),
    ShotGrip.MOVE: tr("move of a shot"),
}
