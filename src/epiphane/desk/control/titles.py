"""Commands of text over the picture."""

from pathlib import Path
from typing import Any

from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QFileDialog

from epiphane.arrays import nearest_of
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.selection import ItemSelection
from epiphane.desk.control.snapping import Snapping
from epiphane.document.ids import ItemId, TrackId
from epiphane.document.project import Project
from epiphane.document.text import TextFill, TextMotion
from epiphane.edits.text import FRESH_TEXT, change_text, put_text, set_arrival
from epiphane.errors import MediaError
from epiphane.media.faces import FACE_SUFFIXES
from epiphane.timing import frame_at, frame_start
from epiphane.titles.faces import face_at

_NEAR_FRAMES = 2


class TitleDesk(QObject):
    """What the user does with text."""

    def __init__(self, editor: Editor, snapping: Snapping) -> None:
        super().__init__()
        self._editor, self._snapping = editor, snapping

    @property
    def fill(self) -> TextFill | None:
        """The text of the selected item."""
        item = self._editor.selected_item()
        return item.content if item is not None and isinstance(item.content, TextFill) else None

    def put(self, frame: int | None = None, track: TrackId | None = None) -> None:
        """Put a text on a track; at a hit, or near one, it lands on that."""
        at = self._editor.playhead if frame is None else frame
        project = self._editor.project
        hit = nearest_of(self._snapping.times(project), float(frame_start(at, project.rate)))
        is_near = hit is not None and abs(frame_at(hit, project.rate) - at) <= _NEAR_FRAMES
        made: list[ItemId] = []

        def edit(p: Project) -> Project:
            p, item = put_text(p, FRESH_TEXT, at, track, hit=hit if is_near else None)
            made.append(item)
            return p

        if self._editor.apply(edit, "text on a track"):
            self._editor.select(ItemSelection(made[-1]))

    def change(self, *, gesture: str | None = None, **changes: Any) -> None:
        """Change fields of the selected text; what is typed in one go is one step of undo."""
        item = self._editor.selected_item()
        if item is not None and self.fill is not None:
            gesture = f"words {item.id}" if set(changes) == {"text"} else gesture
            self._editor.apply(
                lambda p: change_text(p, item.id, **changes), "change of a text", gesture=gesture
            )

    def end_writing(self) -> None:
        """Make one step of undo of what was written until now."""
        self._editor.end_gesture()

    def arrive(self, motion: TextMotion | None) -> None:
        """Have the selected text arrive in another way."""
        item = self._editor.selected_item()
        if item is not None and self.fill is not None:
            self._editor.apply(lambda p: set_arrival(p, item.id, motion), "arrival of a text")

    def leave(self, motion: TextMotion | None) -> None:
        """Have the selected text leave in another way."""
        self.change(leave=motion)

    def ask_face(self) -> None:
        """Ask for the file of a face."""
        endings = " ".join(f"*{one}" for one in FACE_SUFFIXES)
        name, _ = QFileDialog.getOpenFileName(None, "Face of letters", "", f"Faces ({endings})")
        if name:
            self.use_face(Path(name))

    def use_face(self, path: Path) -> None:
        """Set the selected text in the face of a file."""
        try:
            face_at(path)
        except MediaError as error:
            self._editor.said.emit(str(error), True)
            return
        self.change(face=path.stem[:200], file=str(path))
