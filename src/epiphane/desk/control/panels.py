"""Commands of split screens."""

from PyQt6.QtCore import QObject

from epiphane.desk.control.editor import Editor
from epiphane.document.footage import FootageKind
from epiphane.document.timeline import Item, PanelLayout
from epiphane.edits.panels import split_screen, wall_of

_USUAL_PANELS = 3
_WALL_PANELS, _WALL_DELAY = 9, 3


class PanelDesk(QObject):
    """What the user does with shots of several panels."""

    def __init__(self, editor: Editor) -> None:
        super().__init__()
        self._editor = editor

    def split_screen(self) -> None:
        """Have the selected shot show its clip and the next ones on the shelf beside each other."""
        shot = self._shot()
        if shot is None:
            return
        seen = [one.id for one in self._editor.project.footage if one.kind is not FootageKind.SOUND]
        if len(seen) < 2:
            self._editor.said.emit("A split screen needs two clips at least: import more footage.", True)
            return
        first = seen.index(shot.footage) if shot.footage in seen else 0
        clips = [seen[(first + n) % len(seen)] for n in range(min(_USUAL_PANELS, len(seen)))]
        self._editor.apply(
            lambda p: split_screen(p, shot.id, clips, layout=PanelLayout.COLUMNS), "split screen"
        )

    def wall(self) -> None:
        """Have the selected shot show its clip in a grid of panels, each a little later than the last."""
        shot = self._shot()
        if shot is not None:
            self._editor.apply(
                lambda p: wall_of(p, shot.id, _WALL_PANELS, delay=_WALL_DELAY), "wall of one clip"
            )

    def _shot(self) -> Item | None:
        shot = self._editor.selected_shot()
        if shot is None:
            self._editor.said.emit("Select the shot that is to have panels first.", True)
        return shot
