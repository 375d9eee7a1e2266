"""Shot commands: add clips, fill the song, replace, delete."""

from collections.abc import Callable
from pathlib import Path

from msgspec.structs import replace
from PyQt6.QtCore import QObject

from epiphane.desk.control.editor import Editor
from epiphane.desk.control.selection import FillingSelection
from epiphane.document.footage import FootageKind
from epiphane.document.ids import FootageId, ItemId
from epiphane.document.project import Project
from epiphane.edits.filling import default_filling, fill_song
from epiphane.edits.shots import exchange_shots, lay_in_row, take_out


class ShotDesk(QObject):
    """What the user does with clips and shots as a whole.

    Parameters
    ----------
    editor : Editor
    open_song : from a path
        What becomes of a sound that is taken from the shelf.
    """

    def __init__(self, editor: Editor, open_song: Callable[[Path], None]) -> None:
        super().__init__()
        self._editor = editor
        self._open_song = open_song
        self._chosen: tuple[FootageId, ...] = ()

    def remember(self, chosen: tuple[FootageId, ...]) -> None:
        """Know what is chosen on the shelf."""
        self._chosen = chosen

    def lay(self, ids: list[FootageId], shot: ItemId | None = None) -> None:
        """Lay clips after the last shot, each to the next bar, or have them take the place of a shot."""
        if shot is None:
            self._editor.apply(lambda p: lay_in_row(p, ids), "adding of clips")
        else:
            self._editor.apply(lambda p: exchange_shots(p, shot, ids), "exchange of a shot")

    def take(self, ids: list[FootageId]) -> None:
        """Lay clips after the last shot; a sound becomes the song."""
        footage = [one for one in self._editor.project.footage if one.id in ids]
        if len(footage) == 1 and footage[0].kind is FootageKind.SOUND:
            self._open_song(Path(footage[0].path))
        else:
            self.lay(ids)

    def fill(self) -> None:
        """Show how the song is filled; where it is not yet, or has room left, fill it."""
        project = self._editor.project
        end = max((shot.start + shot.n_frames for shot in project.shots), default=0)
        is_full = project.song is not None and end >= project.n_frames

        def edit(p: Project) -> Project:
            return fill_song(p if p.shots else replace(p, filling=default_filling(p)))

        if is_full or self._editor.apply(edit, "filling of the song"):
            self._editor.select(FillingSelection())

    def exchange(self) -> None:
        """Exchange the selected shot for the clip that is chosen on the shelf."""
        shot = self._editor.selected_shot()
        if shot is None:
            return
        if self._chosen:
            self.lay([self._chosen[0]], shot.id)
        else:
            self._editor.said.emit("Choose the clip on the shelf that is to take its place", False)

    def remove(self, shot: ItemId) -> None:
        """Take a shot out: its neighbour takes its place."""
        self._editor.apply(lambda p: take_out(p, [shot]), "removal of a shot")
