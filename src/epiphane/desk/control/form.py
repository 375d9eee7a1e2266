"""Commands of the form of the song: its parts and drops, where the playhead is or what is selected."""

from PyQt6.QtCore import QObject

from epiphane.arrays import nearest_of
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.selection import DropSelection, PartSelection
from epiphane.document.song import PartKind
from epiphane.edits.song.form import (
    as_heard,
    join_part,
    move_drop,
    move_part,
    put_drop,
    remove_drop,
    rename_part,
    set_part_kind,
    split_part,
)
from epiphane.facts.form import part_at, parts_of
from epiphane.facts.grid import bars_of
from epiphane.timing import frame_at, frame_start
from epiphane.wording import tr

_SAME_SECONDS = 0.06


class FormDesk(QObject):
    """What the user does with parts and drops of the song."""

    def __init__(self, editor: Editor) -> None:
        super().__init__()
        self._editor = editor

    @property
    def part(self) -> int | None:
        """The number of the selected part, or of the one under the playhead."""
        chosen = self._editor.selection.part
        return part_at(self._editor.project.song, self._here()) if chosen is None else chosen

    def split(self) -> None:
        """Split the part under the playhead at the nearest bar line, and select what begins there."""
        lines = [bar.start for bar in bars_of(self._editor.project)]
        at = nearest_of(lines, self._here())
        if at is None:
            self._editor.said.emit(tr("There is no song yet: open one first."), True)
        elif self._editor.apply(lambda p: split_part(p, at), tr("split of a part")):
            self.select_at(at)

    def join(self) -> None:
        """Join the selected part, or the one under the playhead, to the one before it."""
        number = self.part
        if number is None:
            self._editor.said.emit(tr("There is no part of the song here."), True)
        elif self._editor.apply(lambda p: join_part(p, number), tr("joining of parts")):
            self._editor.select(PartSelection(number - 1))

    def rename(self, name: str) -> None:
        """Call the selected part otherwise."""
        number = self._editor.selection.part
        if number is not None:
            self._editor.apply(lambda p: rename_part(p, number, name), tr("name of a part"))

    def choose_kind(self, kind: PartKind) -> None:
        """Have the selected part be calm, a build, full or a break."""
        number = self.part
        if number is not None:
            self._editor.apply(lambda p: set_part_kind(p, number, kind), tr("kind of a part"))

    def begin_at(self, seconds: float) -> None:
        """Have the selected part begin at an instant."""
        number = self._editor.selection.part
        if number is not None:
            self._editor.apply(lambda p: move_part(p, number, seconds), tr("start of a part"))

    def nudge_part(self, direction: int) -> None:
        """Have the selected part begin a bar earlier (-1) or later (1)."""
        number, lines = self._editor.selection.part, [bar.start for bar in bars_of(self._editor.project)]
        parts = parts_of(self._editor.project.song)
        if number is not None and number < len(parts):
            start = parts[number].start
            others = [one for one in lines if (one - start) * direction > _SAME_SECONDS]
            if others:
                self.begin_at(min(others, key=lambda one: abs(one - start)))

    def toggle_drop(self) -> None:
        """Put a drop on the beat that is nearest to the playhead, or take the one that is there away."""
        song = self._editor.project.song
        if song is None:
            self._editor.said.emit(tr("There is no song yet: open one first."), True)
            return
        at = nearest_of([beat.time for beat in song.beats], self._here())
        at = self._here() if at is None else at
        there = next((n for n, one in enumerate(song.drops) if abs(one - at) < _SAME_SECONDS), None)
        if there is not None:
            self._editor.apply(lambda p: remove_drop(p, there), tr("removal of a drop"))
        elif self._editor.apply(lambda p: put_drop(p, at), "drop"):
            self._select_drop(at)

    def remove_drop(self) -> None:
        """Take the selected drop away."""
        number = self._editor.selection.drop
        if number is not None:
            self._editor.apply(lambda p: remove_drop(p, number), tr("removal of a drop"))

    def nudge_drop(self, direction: int) -> None:
        """Move the selected drop to the previous (-1) or next (1) beat."""
        song, number = self._editor.project.song, self._editor.selection.drop
        if song is None or number is None:
            return
        now = song.drops[number]
        others = [beat.time for beat in song.beats if (beat.time - now) * direction > _SAME_SECONDS]
        if others:
            self.put_selected_drop(min(others, key=lambda one: abs(one - now)))

    def put_selected_drop(self, seconds: float) -> None:
        """Move the selected drop to an instant."""
        number = self._editor.selection.drop
        if number is None:
            return
        if self._editor.apply(lambda p: move_drop(p, number, seconds), tr("move of a drop")):
            self._select_drop(seconds)

    def as_heard(self) -> None:
        """Have parts and drops as they were heard."""
        heard = self._editor.heard
        if heard is not None:
            listening = heard.listening
            self._editor.apply(
                lambda p: as_heard(p, listening.sections, listening.drops), tr("form as heard")
            )

    def step(self, direction: int) -> None:
        """Select the next (1) or last (-1) part, and go there."""
        number, parts = self._editor.selection.part, parts_of(self._editor.project.song)
        if number is not None and 0 <= number + direction < len(parts):
            self._editor.select(PartSelection(number + direction))
            self._editor.go_to(frame_at(parts[number + direction].start, self._editor.project.rate))

    def select_at(self, seconds: float) -> None:
        """Select the part at an instant."""
        number = part_at(self._editor.project.song, seconds)
        if number is not None:
            self._editor.select(PartSelection(number))

    def _select_drop(self, seconds: float) -> None:
        song = self._editor.project.song
        drops = () if song is None else song.drops
        number = min(range(len(drops)), key=lambda n: abs(drops[n] - seconds), default=None)
        if number is not None:
            self._editor.select(DropSelection(number))

    def _here(self) -> float:
        return frame_start(self._editor.playhead + 1, self._editor.project.rate) - 1e-6
