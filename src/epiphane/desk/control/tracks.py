"""Commands of items on tracks over the shots."""

from pathlib import Path

from PyQt6.QtCore import QObject

from epiphane.arrays import nearest_of
from epiphane.audio.attack import first_attack
from epiphane.audio.samples import read_samples
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.selection import ItemSelection
from epiphane.desk.control.snapping import Snapping
from epiphane.desk.engine.jobs import Jobs
from epiphane.document.footage import Footage, FootageKind
from epiphane.document.ids import FootageId, ItemId, TrackId
from epiphane.document.project import Project, footage_of
from epiphane.document.timeline import Pin
from epiphane.document.titles import TitleLook
from epiphane.edits.items.titles import land_title
from epiphane.edits.items.tracks import (
    change_track,
    delete_items,
    find_item,
    land_item,
    move_item,
    put_on_track,
)
from epiphane.edits.keying.stack import step_rows
from epiphane.edits.shots.shots import footage_name
from epiphane.facts.source_time import frame_showing
from epiphane.facts.titles import landing_frame
from epiphane.timing import frame_start
from epiphane.types import Progress
from epiphane.wording import tr


class TrackDesk(QObject):
    """What the user does with items on tracks."""

    def __init__(self, editor: Editor, snapping: Snapping, jobs: Jobs) -> None:
        super().__init__()
        self._editor, self._snapping, self._jobs = editor, snapping, jobs

    def put(self, ids: list[FootageId], frame: int, track: TrackId | None) -> None:
        """Put footage on a track, or on a new one, from a frame on; a sound is struck on the hit there."""
        made: list[ItemId] = []

        def edit(p: Project) -> Project:
            at, on = frame, track
            for one in ids:
                p, item_id = put_on_track(p, one, at, on)
                on, item = (find_item(p, item_id)[0].id, find_item(p, item_id)[1])
                at = item.end
                made.append(item_id)
            return p

        if self._editor.apply(edit, tr("item on a track")):
            self._editor.select(ItemSelection(made[-1]))
            footage = footage_of(self._editor.project, ids[0])
            if footage is not None and footage.kind is FootageKind.SOUND:
                self._strike(footage, made[0], self._hit_near(frame))

    def land(self) -> None:
        """Bring the moment of the selected item on the hit that is nearest to where it is now."""
        item, project = self._editor.chosen.item, self._editor.project
        if item is not None and isinstance(item.content, TitleLook):
            near = self._hit_near(landing_frame(item, project.rate))
            if near is not None:
                self._editor.apply(lambda p: land_title(p, item.id, near), tr("landing of a title"))
            return
        footage = None if item is None else footage_of(project, item.footage)
        if item is None or footage is None:
            return
        best = footage.best_moment
        shown = None if best is None else frame_showing(item, best.time, project.rate)
        hit = self._hit_near(item.start if shown is None else shown)
        if footage.kind is FootageKind.SOUND:
            self._strike(footage, item.id, hit)
        elif best is None:
            text = tr(
                "{footage} has no moment: choose it on the shelf and set one with N",
                footage=footage_name(footage),
            )
            self._editor.said.emit(text, True)
        elif hit is not None:
            self._editor.apply(lambda p: land_item(p, item.id, Pin(best.time, hit)), tr("snap of a moment"))

    def remove(self) -> None:
        """Delete the selected item."""
        item = self._editor.chosen.item
        if item is not None:
            self._editor.apply(lambda p: delete_items(p, [item.id]), tr("deletion of an item"))

    def remove_track(self) -> None:
        """Delete the selected track with its items."""
        track = self._editor.chosen.track
        if track is not None:
            self._editor.apply(
                lambda p: delete_items(p, [item.id for item in track.items]), tr("deletion of a track")
            )

    def toggle_muted(self) -> None:
        """Show nothing of the selected track, or show it again."""
        track = self._editor.chosen.track
        if track is not None:
            self._editor.apply(lambda p: change_track(p, track.id, is_muted=not track.is_muted), "mute")

    def toggle_solo(self) -> None:
        """Show only the selected track, and other rows that are solo, or all again."""
        track = self._editor.chosen.track
        if track is not None:
            self._editor.apply(lambda p: change_track(p, track.id, is_solo=not track.is_solo), "solo")

    def move(self, direction: int) -> None:
        """Put the selected track a place up (-1) or down (1) in the stack."""
        track = self._editor.chosen.track
        if track is not None:
            self._editor.apply(lambda p: step_rows(p, [track.id], direction), tr("order of rows"))

    def nudge(self, direction: int) -> None:
        """Move the selected item by a frame."""
        item = self._editor.chosen.item
        if item is not None:
            self._editor.apply(
                lambda p: move_item(p, item.id, item.start + direction), tr("nudge of an item")
            )

    def _strike(self, footage: Footage, item_id: ItemId, hit: float | None) -> None:
        """Bring the attack of a sound on a hit, when it is known where it is."""

        def work(_progress: Progress) -> float:
            samples = read_samples(Path(footage.path))
            return first_attack(samples.mono(), samples.rate)

        def done(attack: float) -> None:
            is_there = any(item.id == item_id for one in self._editor.project.tracks for item in one.items)
            if hit is not None and is_there:
                self._editor.apply(
                    lambda p: land_item(p, item_id, Pin(round(attack, 6), hit)), tr("sound on a hit")
                )

        self._jobs.start(
            "attack",
            tr("Looking where {footage} is struck", footage=footage_name(footage)),
            work,
            done=done,
        )

    def _hit_near(self, frame: int) -> float | None:
        project = self._editor.project
        return nearest_of(self._snapping.times(project), frame_start(frame, project.rate))
