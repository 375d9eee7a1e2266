"""Shot commands: put clips in, fill the song, cut, move, copy, delete."""

from collections.abc import Callable
from itertools import pairwise
from pathlib import Path

from msgspec import Struct
from msgspec.structs import replace
from PyQt6.QtCore import QObject

from epiphane.desk.control.editor import Editor
from epiphane.desk.control.selection import FillingSelection
from epiphane.desk.control.snapping import Snapping
from epiphane.desk.control.tracks import TrackDesk
from epiphane.desk.engine.busy import shown_busy
from epiphane.document.footage import FootageKind
from epiphane.document.ids import FootageId, ItemId, TrackId
from epiphane.document.project import Project, footage_of
from epiphane.document.timeline import Item, Pin
from epiphane.edits.history import History
from epiphane.edits.shots.arranging import move_shots, paste_shots, put_footage, shots_every, swap_shots
from epiphane.edits.shots.cutting import (
    TrimMode,
    close_gap,
    delete_shots,
    end_shot,
    join_shots,
    roll_cut,
    slide_shots,
    slip_shots,
    split_at,
    stretch_shot,
    trim_shots,
)
from epiphane.edits.shots.filling import default_filling, fill_song
from epiphane.edits.shots.shots import (
    change_shots,
    cutting_hits,
    exchange_shots,
    footage_name,
    lay_in_row,
    move_shot,
    pin_shot,
    take_out,
)
from epiphane.errors import EditError
from epiphane.facts.form import parts_of
from epiphane.facts.grid import bar_at, bar_frames
from epiphane.facts.source_time import frame_showing, running_seconds, shot_at
from epiphane.timing import frame_at, frame_start
from epiphane.wording import plural, tr


class ShotPlace(Struct, frozen=True):
    """Where clips are put: in the place of a shot, on a frame, or without either after the last shot.

    On a frame they `cover` what lies there, or what follows moves along; where they are to lie `over` the
    shots, they go on a track, a new one unless it is given.
    """

    shot: ItemId | None = None
    frame: int | None = None
    covers: bool = False
    is_over: bool = False
    track: TrackId | None = None

    @property
    def words(self) -> str:
        """What is done with clips there."""
        if self.is_over:
            return tr("on a new track over the shots") if self.track is None else tr("on this track")
        if self.covers:
            return tr("over what lies here")
        if self.frame is not None:
            return tr("between: what follows moves along")
        return tr("in the place of this shot") if self.shot is not None else tr("after the last shot")


class ShotDesk(QObject):
    """What the user does with clips and shots.

    Parameters
    ----------
    editor : Editor
    snapping : Snapping
    tracks : TrackDesk
        What is done with clips that are to lie over the shots.
    open_song : from a path
        What becomes of a sound that is taken from the shelf.
    """

    def __init__(
        self, editor: Editor, snapping: Snapping, tracks: TrackDesk, open_song: Callable[[Path], None]
    ) -> None:
        super().__init__()
        self._tracks = tracks
        self._editor = editor
        self._snapping = snapping
        self._open_song = open_song
        self._chosen: tuple[FootageId, ...] = ()
        self._copied: tuple[History, tuple[Item, ...]] | None = None

    # Clips

    def remember(self, chosen: tuple[FootageId, ...]) -> None:
        """Know what is chosen on the shelf."""
        self._chosen = chosen

    def lay(self, ids: list[FootageId], place: ShotPlace | None = None) -> None:
        """Put clips at a place: after the last shot, each to the next bar, unless another is given."""
        place = place or ShotPlace()
        shot, frame = place.shot, place.frame
        known = {one.id for one in self._editor.project.shots}
        if place.is_over and frame is not None:
            self._tracks.put(ids, frame, place.track)
        elif frame is not None:
            self._do(lambda p: put_footage(p, ids, frame, covers=place.covers), tr("adding of clips"))
        elif shot is not None:
            if self._editor.apply(lambda p: exchange_shots(p, shot, ids), tr("exchange of a shot")):
                known.discard(shot)
        else:
            self._editor.apply(lambda p: lay_in_row(p, ids), tr("adding of clips"))
        made = [one.id for one in self._editor.project.shots if one.id not in known]
        if made:  # what is new is what is worked on
            self._editor.select_shots(made)

    def take(self, ids: list[FootageId]) -> None:
        """Lay clips after the last shot; a sound becomes the song."""
        footage = [one for one in self._editor.project.footage if one.id in ids]
        if len(footage) == 1 and footage[0].kind is FootageKind.SOUND:
            self._open_song(Path(footage[0].path))
        else:
            self.lay(ids)

    def put_here(self, *, covers: bool) -> None:
        """Put the clip that is chosen on the shelf on the frame under the playhead."""
        if self._chosen:
            self.lay([self._chosen[0]], ShotPlace(frame=self._editor.playhead, covers=covers))
        else:
            self._editor.said.emit(tr("Choose the clip on the shelf that is to be put here"), False)

    def fill(self) -> None:
        """Show how the song is filled; where it is not yet, or has room left, fill it."""
        project = self._editor.project
        end = max((shot.end for shot in project.shots), default=0)
        is_full = project.song is not None and end >= project.n_frames

        def edit(p: Project) -> Project:
            return fill_song(p if p.shots else replace(p, filling=default_filling(p)))

        if is_full:
            self._editor.select(FillingSelection())
            return
        with shown_busy(lambda: self._editor.said.emit(tr("Filling the song…"), False)):
            is_filled = self._editor.apply(edit, tr("filling of the song"))
        if is_filled:
            shots = self._editor.project.shots
            n_clips = len({shot.footage for shot in shots})
            self._editor.said.emit(
                tr(
                    "The song is filled: {count} shots of {n_clips} clips.", count=len(shots), n_clips=n_clips
                ),
                False,
            )
            self._editor.select(FillingSelection())

    def exchange(self) -> None:
        """Exchange the selected shots for the clip that is chosen on the shelf."""
        shots = self._editor.chosen.shots
        if not shots:
            return
        if not self._chosen:
            self._editor.said.emit(tr("Choose the clip on the shelf that is to take its place"), False)
            return
        clip = self._chosen[0]

        def edit(p: Project) -> Project:
            for shot in shots:
                p = exchange_shots(p, shot.id, [clip])
            return p

        self._editor.apply(edit, tr("exchange of a shot"))

    # Selecting

    def select_all(self) -> None:
        """Select every shot."""
        self._editor.select_shots([shot.id for shot in self._editor.project.shots])

    def select_same_clip(self) -> None:
        """Select every shot of the clips of those that are selected."""
        clips = {shot.footage for shot in self._editor.chosen.shots}
        self._editor.select_shots(
            [shot.id for shot in self._editor.project.shots if shot.footage in clips],
            self._editor.selection.shot,
        )

    def select_same_section(self) -> None:
        """Select every shot that begins in the sections of those that are selected."""
        project = self._editor.project
        sections = parts_of(project.song)

        def section_of(shot: Item) -> int:
            start = frame_start(shot.start, project.rate) + 1e-3
            return sum(section.start <= start for section in sections)

        chosen = {section_of(shot) for shot in self._editor.chosen.shots}
        self._editor.select_shots(
            [shot.id for shot in project.shots if section_of(shot) in chosen], self._editor.selection.shot
        )

    # Cutting

    def split(self) -> None:
        """Cut in two what lies under the playhead."""
        frame = self._editor.playhead
        under = shot_at(self._editor.project, frame)
        is_chosen = under is not None and under.id in self._editor.selection.shots
        if self._editor.apply(lambda p: split_at(p, [frame]), tr("split of a shot")) and is_chosen:
            later = shot_at(self._editor.project, frame)
            self._editor.select_shots([later.id] if later is not None else [])

    def split_at_hits(self) -> None:
        """Cut the selected shots, or the one under the playhead, at every hit that things snap to."""
        ids = [shot.id for shot in self._meant()]
        frames = self._snapping.frames(self._editor.project)
        self._editor.apply(lambda p: split_at(p, frames, ids), tr("split at hits"))

    def join(self) -> None:
        """Make one shot of those that are selected beside one another; of one, with the next."""
        ids = [shot.id for shot in self._editor.chosen.shots]
        if len(ids) == 1:
            after = [shot.id for shot in self._editor.project.shots]
            ids = after[after.index(ids[0]) :][:2]
        self._editor.apply(lambda p: join_shots(p, ids), tr("join of shots"))

    def roll_here(self) -> None:
        """Bring the cut that is nearest to the playhead under it."""
        here, shots = self._editor.playhead, self._editor.project.shots
        cuts = [one for one, after in pairwise(shots) if one.end == after.start]
        if not cuts:
            self._editor.said.emit(tr("There is no cut between two shots"), False)
            return
        left = min(cuts, key=lambda shot: abs(shot.end - here))
        self._do(lambda p: roll_cut(p, left.id, here), tr("roll of a cut"))

    def trim_here(self, *, is_end: bool, ripple: bool) -> None:
        """Have the shot under the playhead, or the selected one, begin or end there; others by as much."""
        shot = self._one_meant()
        if shot is None:
            return
        by = self._editor.playhead - (shot.end if is_end else shot.start)
        chosen = self._editor.selection.shots
        ids = chosen if shot.id in chosen else frozenset({shot.id})
        label = plural(len(ids), "trim of a shot", "trim of {} shots")
        self._do(lambda p: trim_shots(p, ids, by, is_end=is_end, ripple=ripple), label)

    def nudge(self, direction: int) -> None:
        """Slide the selected shots by a frame between their neighbours."""
        ids = self._editor.selection.shots
        if self._editor.apply(lambda p: slide_shots(p, ids, direction), tr("nudge of a shot")):
            self._follow()

    def slip(self, direction: int) -> None:
        """Have the selected shots show what they showed a frame later, or earlier."""
        ids = self._editor.selection.shots
        self._editor.apply(lambda p: slip_shots(p, ids, direction), tr("slip of a shot"))

    def move_to_hit(self, direction: int) -> None:
        """Move the selected shots to the next (1) or last (-1) hit."""
        shots = self._editor.chosen.shots

        def edit(p: Project) -> Project:
            for shot in reversed(shots) if direction > 0 else shots:
                p = move_shot(p, shot.id, direction)
            return p

        if shots and self._editor.apply(edit, tr("move of a shot")):
            self._follow()

    def move_by_bar(self, direction: int) -> None:
        """Slide the selected shots to the same place in the next (1) or last (-1) bar."""
        shots, project = self._editor.chosen.shots, self._editor.project
        if not shots:
            return
        bars = self._editor.bars
        lines = bar_frames(bars, project.rate)
        here = bar_at(bars, frame_start(shots[0].start + 1, project.rate) - 1e-6)
        to = here + direction
        if not 0 <= to < len(bars):
            self._editor.said.emit(tr("There is no bar to move the shot to"), False)
            return
        by = lines[to] - lines[here]
        ids = [shot.id for shot in shots]
        if self._editor.apply(lambda p: slide_shots(p, ids, by), tr("move of a shot")):
            self._follow()

    def move_before(self, direction: int) -> None:
        """Move the selected shots before the shot before them (-1), or after the one after them (1)."""
        shots, ids = self._editor.project.shots, self._editor.selection.shots
        places = [index for index, shot in enumerate(shots) if shot.id in ids]
        if not places:
            return
        index = places[0] - 1 if direction < 0 else places[-1] + 1
        if not 0 <= index < len(shots):
            return
        frame = shots[index].start if direction < 0 else shots[index].end
        if self._do(lambda p: move_shots(p, ids, frame), tr("move of a shot")):
            self._follow()

    def hold(self) -> None:
        """Have the shot last until the next section or drop; what lies there is covered."""
        shot, project = self._one_meant(), self._editor.project
        if shot is None or project.song is None:
            return
        times = [part.start for part in parts_of(project.song)] + list(project.song.drops)
        frames = sorted(frame_at(time, project.rate) for time in times)
        end = next((frame for frame in frames if frame > shot.end), project.n_frames)
        self._do(lambda p: end_shot(p, shot.id, end, TrimMode.OVERWRITE), tr("hold of a shot"))

    def last_beats(self, n_beats: int, mode: TrimMode) -> None:
        """Have the selected shots last so many beats each."""
        ids = [shot.id for shot in self._editor.chosen.shots]

        def edit(p: Project) -> Project:
            for shot in ids:
                if any(one.id == shot for one in p.shots):  # another one may have covered it
                    p = stretch_shot(p, shot, n_beats=n_beats, mode=mode)
            return p

        self._do(edit, tr("length of a shot"))

    def last_frames(self, n_frames: int, mode: TrimMode) -> None:
        """Have the selected shots last so many frames each."""
        ids = [shot.id for shot in self._editor.chosen.shots]

        def edit(p: Project) -> Project:
            for shot_id in ids:
                shot = next((one for one in p.shots if one.id == shot_id), None)
                if shot is not None:  # another one may have covered it
                    p = end_shot(p, shot_id, shot.start + n_frames, mode)
            return p

        self._do(edit, tr("length of a shot"))

    def begin_on(self, frame: int) -> None:
        """Slide the selected shots so that the last selected one begins on a frame."""
        shot, ids = self._editor.chosen.shot, self._editor.selection.shots
        if shot is not None and self._editor.apply(
            lambda p: slide_shots(p, ids, frame - shot.start), tr("move of a shot")
        ):
            self._follow()

    def every(self, n_beats: int) -> None:
        """Have a cut every so many beats from the shot on to the end of the song."""
        shot = self._one_meant()
        if shot is not None:
            self._do(lambda p: shots_every(p, shot.id, n_beats=n_beats), tr("shots of equal length"))

    # Deleting and copying

    def remove(self) -> None:
        """Delete the selected shots: their neighbours take their place."""
        ids = self._editor.selection.shots
        if ids:
            self._editor.apply(lambda p: take_out(p, ids), tr("deletion of a shot"))

    def delete(self, *, ripple: bool) -> None:
        """Delete the selected shots and let what follows close up, or leave a gap."""
        ids, gap = self._editor.selection.shots, self._editor.selection.gap
        if ids:
            self._editor.apply(lambda p: delete_shots(p, ids, ripple=ripple), tr("deletion of a shot"))
        elif gap is not None:
            self.close_gap()

    def close_gap(self) -> None:
        """Let what follows close the selected gap."""
        gap = self._editor.selection.gap
        if gap is not None:
            self._editor.apply(lambda p: close_gap(p, gap), tr("closing of a gap"))

    def copy(self) -> None:
        """Remember the selected shots, to be pasted."""
        shots = tuple(self._editor.chosen.shots)
        if shots:
            self._copied = self._editor.history, shots
            text = tr("{shots} copied: Ctrl+V puts them in at the playhead", shots=shots_text(len(shots)))
            self._editor.said.emit(text, False)

    def cut(self) -> None:
        """Remember the selected shots, and delete them: what follows closes up."""
        if self._editor.chosen.shots:
            self.copy()
            self.delete(ripple=True)

    @property
    def has_copied(self) -> bool:
        """Whether shots of this project were copied."""
        return self._copied is not None and self._copied[0] is self._editor.history

    def forget_copied(self) -> None:
        """Have nothing copied any more: something else was."""
        self._copied = None

    def paste(self, *, covers: bool) -> None:
        """Put what was copied at the playhead: what follows moves along, or is covered."""
        copied = self._copied[1] if self._copied is not None and self.has_copied else ()
        self._put_copies(copied, self._editor.playhead, covers=covers, label=tr("paste of shots"))

    def duplicate(self) -> None:
        """Put copies of the selected shots after them: what follows moves along."""
        shots = tuple(self._editor.chosen.shots)
        if shots:
            self._put_copies(shots, shots[-1].end, covers=False, label=tr("duplication of shots"))

    def swap(self) -> None:
        """Exchange what two selected shots show; of one, with the next."""
        shots, row = self._editor.chosen.shots, self._editor.project.shots
        if len(shots) == 1:
            shots = list(row[row.index(shots[0]) :][:2])
        if len(shots) != 2:
            self._editor.said.emit(tr("Select two shots to swap them (Shift + click)"), False)
            return
        one, other = shots[0].id, shots[1].id
        self._editor.apply(lambda p: swap_shots(p, one, other), tr("swap of shots"))

    # Moments and locks

    def land(self) -> None:
        """Slip the selected shots so that their best moments fall on the hits nearest to where they are."""
        shots = self._editor.chosen.shots

        def edit(project: Project) -> Project:
            for shot in shots:
                project = _landed(project, shot)
            return project

        if shots and self._editor.apply(edit, tr("snap of a moment")):
            now = self._editor.chosen.shot
            if now is not None and now.pin is not None:
                self._editor.go_to(frame_at(now.pin.hit, self._editor.project.rate))

    def toggle_lock(self) -> None:
        """Lock the selected shots where they are, or unlock them."""
        shots = self._editor.chosen.shots
        if shots:
            is_locked = not all(shot.is_locked for shot in shots)
            ids = [shot.id for shot in shots]
            self._editor.apply(lambda p: change_shots(p, ids, is_locked=is_locked), tr("locking of a shot"))

    # Helpers

    def _do(self, edit: Callable[[Project], Project], label: str) -> bool:
        """Do an edit, and tell which shots have gone with it."""
        before = self._editor.project
        if not self._editor.apply(edit, label):
            return False
        left = {one.id for one in self._editor.project.shots}
        gone = [one for one in before.shots if one.id not in left]
        if gone:
            names = {one.id: footage_name(one) for one in before.footage}
            told = ", ".join(names[one.footage] if one.footage is not None else "?" for one in gone[:3])
            more = tr(" and {count} more", count=len(gone) - 3) if len(gone) > 3 else ""
            self._editor.said.emit(
                tr("{told}{more} had no place any more; Ctrl+Z brings them back.", told=told, more=more),
                False,
            )
        return True

    def _put_copies(self, copied: tuple[Item, ...], frame: int, *, covers: bool, label: str) -> None:
        known = {one.id for one in self._editor.project.shots}
        if self._do(lambda p: paste_shots(p, copied, frame, covers=covers), label):
            new = [one.id for one in self._editor.project.shots if one.id not in known]
            self._editor.select_shots(new[-len(copied) :])

    def _meant(self) -> list[Item]:
        """Return the selected shots, or the one under the playhead."""
        chosen = self._editor.chosen.shots
        under = shot_at(self._editor.project, self._editor.playhead)
        return chosen or ([] if under is None else [under])

    def _one_meant(self) -> Item | None:
        """Return the selected shot, or the one under the playhead; that there is none is said."""
        shot = self._editor.chosen.shot or shot_at(self._editor.project, self._editor.playhead)
        if shot is None:
            self._editor.said.emit(tr("Select a shot, or go to one"), False)
        return shot

    def _follow(self) -> None:
        shot = self._editor.chosen.shot
        if shot is not None:
            self._editor.go_to(shot.start)


def shots_text(number: int) -> str:
    """Return so many shots in words."""
    return plural(number, "1 shot", "{} shots")


def _landed(project: Project, shot: Item) -> Project:
    """Return `project` with the best moment of a shot on the hit within it that is nearest to where it is."""
    footage = footage_of(project, shot.footage)
    if footage is None:
        raise EditError(tr("there is no footage in this shot"))
    moment = footage.best_moment
    if moment is None:
        raise EditError(
            tr(
                "{footage} has no moment: choose it on the shelf and set one with N",
                footage=footage_name(footage),
            )
        )
    inside = [
        hit for hit in cutting_hits(project) if shot.start <= frame_at(hit.time, project.rate) < shot.end
    ]
    if not inside:
        raise EditError(tr("there is no hit within this shot"))
    shown = frame_showing(shot, moment.time, project.rate)
    if shown is None:  # it shows other parts of its clip: one comes before it begins, or after its end
        shown = shot.start if moment.time < running_seconds(shot, shot.start, project.rate) else shot.end
    hit = min(inside, key=lambda one: abs(frame_at(one.time, project.rate) - shown))
    return pin_shot(project, shot.id, Pin(moment.time, hit.time))
