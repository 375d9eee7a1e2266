"""Commands of text over the picture."""

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QFileDialog

from epiphane.arrays import nearest_of
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.selection import ItemSelection
from epiphane.desk.control.snapping import Snapping
from epiphane.desk.engine.jobs import Jobs
from epiphane.document.footage import FootageKind
from epiphane.document.ids import ItemId, TrackId
from epiphane.document.project import Project
from epiphane.document.titles import LogoFill, TextFill, TextMotion, TitleFill
from epiphane.edits.items.captions import put_captions
from epiphane.edits.items.titles import (
    FRESH_TEXT,
    change_title,
    put_title,
    set_arrival,
    set_as_logo,
    strike_below,
)
from epiphane.edits.keying.words import change_words
from epiphane.edits.shots.shots import footage_name
from epiphane.errors import DiskError, MediaError
from epiphane.files.captions import Captions, read_captions
from epiphane.files.settings import folder_of, note_folder
from epiphane.media.faces import FACE_SUFFIXES, keep_face
from epiphane.timing import frame_at, frame_start
from epiphane.titles.faces import face_at, usual_axes
from epiphane.wording import plural, tr

REST_MILLISECONDS = 500
"""After nothing was typed for so long it is kept against a crash, and is a step of undo."""
_NEAR_FRAMES = 2


class TextDesk(QObject):
    """What the user does with some text, or a logo."""

    change: Callable[..., None]
    """Changes fields of it, e.g. ``size=0.2``; with a `gesture` while something goes on."""
    may_strike = False
    """Whether it lands on a track, so that what is below may be shaken."""

    def __init__(self, editor: Editor) -> None:
        super().__init__()
        self._editor = editor

    def pulses(self) -> list[tuple[str, str]]:
        """Return the pulses on which parts may arrive: their numbers, as text, and their names."""
        return [(str(one.id), one.name) for one in self._editor.project.pulses]

    def clips(self) -> list[tuple[str, str]]:
        """Return the footage that may be seen through letters: its numbers, as text, and its names."""
        footage = self._editor.project.footage
        return [(str(one.id), footage_name(one)) for one in footage if one.kind is not FootageKind.SOUND]

    def strike(self) -> None:
        """Shake and flash what is below when titles land, by lanes."""

    def end_writing(self) -> None:
        """Make one step of undo of what was written until now."""
        self._editor.end_gesture()

    def arrive(self, motion: TextMotion | None) -> None:
        """Have the text arrive in another way."""
        self.change(arrive=motion)

    def leave(self, motion: TextMotion | None) -> None:
        """Have the text leave in another way."""
        self.change(leave=motion)

    def ask_face(self) -> None:
        """Ask for the file of a face."""
        endings = " ".join(f"*{one}" for one in FACE_SUFFIXES)
        usual = str(folder_of("face", Path.home()))
        name, _ = QFileDialog.getOpenFileName(
            None, tr("Face of letters"), usual, tr("Faces ({endings})", endings=endings)
        )
        if name:
            note_folder("face", Path(name).parent)
            self.use_face(Path(name))

    def use_face(self, path: Path) -> None:
        """Set the text in the face of a file."""
        try:
            face_at(path)
            kept = keep_face(path)
        except (MediaError, DiskError) as error:
            self._editor.said.emit(str(error), True)
            return
        axes = usual_axes(TextFill("", file=str(path)))
        self.change(face=path.stem[:200], file=str(path), fingerprint=kept, axes=axes)


class WordsDesk(TextDesk):
    """What the user does with the words of the selected lane."""

    def pulses(self) -> list[tuple[str, str]]:
        """Return none: the lane's own pulse says when each word comes."""
        return []

    def change(self, *, gesture: str | None = None, **changes: Any) -> None:
        """Change fields of the words; what is typed in one go is one step of undo."""
        lane = self._editor.chosen.lane
        if lane is not None and lane.words is not None:
            gesture = tr("words {id}", id=lane.id) if set(changes) == {"text"} else gesture
            self._editor.apply(
                lambda p: change_words(p, lane.id, **changes), tr("change of words"), gesture=gesture
            )


class TitleDesk(TextDesk):
    """What the user does with the text of the selected item, and with new ones.

    Signals
    -------
    captions_put(words: str, snap: callable)
        Captions are on a track; calling `snap` brings them on hits.
    """

    captions_put = pyqtSignal(str, object)
    may_strike = True

    def __init__(self, editor: Editor, snapping: Snapping, jobs: Jobs) -> None:
        super().__init__(editor)
        self._snapping, self._jobs = snapping, jobs

    @property
    def fill(self) -> TitleFill | None:
        """The text or logo of the selected item."""
        item = self._editor.chosen.item
        return item.content if item is not None and isinstance(item.content, TextFill | LogoFill) else None

    def strike(self) -> None:
        """Shake and flash what is below the selected title when titles land, by lanes below its track."""
        item = self._editor.chosen.item
        if item is not None:
            self._editor.apply(lambda p: strike_below(p, item.id), tr("shake and flash on landings"))

    def set_as_logo(self) -> None:
        """Make the selected picture on a track a logo, and the other way round."""
        item, project = self._editor.chosen.item, self._editor.project
        if item is None:
            return
        begins = float(frame_start(item.start, project.rate))
        inside = [one for one in self._snapping.times(project) if one >= begins - 1e-3]
        hit = next((one for one in inside if frame_at(one, project.rate) < item.end), None)
        self._editor.apply(lambda p: set_as_logo(p, item.id, hit=hit), "logo")

    def take_captions(self, paths: list[Path]) -> None:
        """Put the captions of each file on a track, at their times, and offer to bring them on hits."""
        for path in paths:
            self._jobs.start(
                f"captions {path}",
                tr("Reading {name}", name=path.name),
                lambda _progress, path=path: read_captions(path),
                done=partial(self._put_captions, path),
            )

    def _put_captions(self, path: Path, read: Captions) -> None:
        captions = [(one.start, one.end, one.text) for one in read.captions]
        before = self._editor.project
        if self._editor.apply(lambda p: put_captions(p, captions, path.stem), tr("captions")):
            number = plural(len(captions), "One caption is", "{} captions are")
            text = " ".join([tr("{number} on a track.", number=number), *read.remarks])
            self.captions_put.emit(text, lambda: self._snap_captions(before, captions, path.stem))

    def _snap_captions(self, before: Project, captions: list[tuple[float, float, str]], name: str) -> None:
        """Have captions begin on hits, unless something else was done since."""
        hits = self._snapping.times(before)
        if self._editor.history.undo_label == "captions":
            self._editor.undo()
            self._editor.apply(lambda p: put_captions(p, captions, name, hits=hits), tr("captions on hits"))

    def put(self, frame: int | None = None, track: TrackId | None = None) -> None:
        """Put a text on a track; at a hit, or near one, it lands on that."""
        at = self._editor.playhead if frame is None else frame
        project = self._editor.project
        hit = nearest_of(self._snapping.times(project), float(frame_start(at, project.rate)))
        is_near = hit is not None and abs(frame_at(hit, project.rate) - at) <= _NEAR_FRAMES
        made: list[ItemId] = []

        def edit(p: Project) -> Project:
            p, item = put_title(p, FRESH_TEXT, at, track, hit=hit if is_near else None)
            made.append(item)
            return p

        if self._editor.apply(edit, tr("text on a track")):
            self._editor.select(ItemSelection(made[-1]))

    def change(self, *, gesture: str | None = None, **changes: Any) -> None:
        """Change fields of the selected text; what is typed in one go is one step of undo."""
        item = self._editor.chosen.item
        if item is not None and self.fill is not None:
            gesture = tr("words {id}", id=item.id) if set(changes) == {"text"} else gesture
            self._editor.apply(
                lambda p: change_title(p, item.id, **changes), tr("change of a text"), gesture=gesture
            )

    def arrive(self, motion: TextMotion | None) -> None:
        """Have the selected text arrive in another way."""
        item = self._editor.chosen.item
        if item is not None and self.fill is not None:
            self._editor.apply(lambda p: set_arrival(p, item.id, motion), tr("arrival of a text"))
