"""Commands of split screens."""

from collections.abc import Callable
from typing import Any

from msgspec.structs import replace
from PyQt6.QtCore import QObject, pyqtSignal

from epiphane.arrays import nearest_of
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.snapping import Snapping
from epiphane.document.footage import FootageKind
from epiphane.document.ids import ItemId
from epiphane.document.project import Project, footage_of
from epiphane.document.timeline import Item, Panel, PanelLayout, Panels, Pin
from epiphane.edits.shots.panels import change_panel, split_screen, wall_of
from epiphane.timing import frame_start
from epiphane.wording import tr

_USUAL_PANELS = 3
_WALL_PANELS, _WALL_DELAY = 9, 3


class PanelDesk(QObject):
    """What the user does with shots of several panels; one panel at a time is looked at closely.

    Signals
    -------
    chosen()
        Another panel is looked at.
    """

    chosen = pyqtSignal()

    def __init__(self, editor: Editor, snapping: Snapping) -> None:
        super().__init__()
        self._editor, self._snapping = editor, snapping
        self._place = 0

    def split_screen(self) -> None:
        """Have the selected shot show its clip and the next ones on the shelf beside each other."""
        shot = self._shot()
        if shot is None:
            return
        seen = [one.id for one in self._editor.project.footage if one.kind is not FootageKind.SOUND]
        if len(seen) < 2:
            self._editor.said.emit(tr("A split screen needs two clips at least: import more footage."), True)
            return
        first = seen.index(shot.footage) if shot.footage in seen else 0
        clips = [seen[(first + n) % len(seen)] for n in range(min(_USUAL_PANELS, len(seen)))]
        self._editor.apply(
            lambda p: split_screen(p, shot.id, clips, layout=PanelLayout.COLUMNS), tr("split screen")
        )

    def wall(self) -> None:
        """Have the selected shot show its clip in a grid of panels, each a little later than the last."""
        shot = self._shot()
        if shot is not None:
            self._editor.apply(
                lambda p: wall_of(p, shot.id, _WALL_PANELS, delay=_WALL_DELAY), tr("wall of one clip")
            )

    def selected(self) -> tuple[Item, Panels] | None:
        """Return the selected shot and its panels, if it is a split screen."""
        shot = self._editor.chosen.shot
        return (shot, shot.content) if shot is not None and isinstance(shot.content, Panels) else None

    @property
    def place(self) -> int:
        """Which panel of the selected split screen is looked at."""
        found = self.selected()
        return 0 if found is None else min(self._place, len(found[1].panels) - 1)

    @property
    def panel(self) -> Panel | None:
        """The panel that is looked at."""
        found = self.selected()
        return None if found is None else found[1].panels[self.place]

    def choose(self, place: int) -> None:
        """Look at another panel."""
        if place != self._place:
            self._place = place
            self.chosen.emit()

    def change_panel(self, *, gesture: str | None = None, **changes: Any) -> None:
        """Change fields of the panel that is looked at."""
        place = self.place
        self.apply(
            lambda p, shot: change_panel(p, shot, place, **changes), tr("change of a panel"), gesture=gesture
        )

    def set_moment(self, seconds: float) -> None:
        """Have another instant of the panel's clip on its hit, or at its start where it is on none."""
        panel = self.panel
        if panel is not None and panel.pin is not None:
            self.change_panel(pin=replace(panel.pin, moment=seconds))
        elif panel is not None:
            self.change_panel(cut=replace(panel.cut, source_start=seconds))

    def land(self) -> None:
        """Have the panel's moment fall on the hit nearest to the playhead: its best one, if it has none."""
        panel, project = self.panel, self._editor.project
        now = float(frame_start(self._editor.playhead, project.rate))
        hit = nearest_of(self._snapping.times(project), now)
        if panel is None:
            return
        footage = footage_of(project, panel.cut.footage)
        best = None if footage is None else footage.best_moment
        if hit is None:
            self._editor.said.emit(tr("There is no hit that the panel could be put on."), True)
        elif panel.pin is None and best is None:
            self._editor.said.emit(tr("The clip of this panel has no moment: mark one on its bench."), True)
        else:
            moment = best.time if panel.pin is None and best is not None else panel.pin.moment  # type: ignore[union-attr]  # one of both is there
            self.change_panel(pin=Pin(moment, hit))

    def apply(
        self, edit: Callable[[Project, ItemId], Project], text: str, *, gesture: str | None = None
    ) -> None:
        """Change the selected split screen."""
        found = self.selected()
        if found is not None:
            self._editor.apply(lambda p: edit(p, found[0].id), text, gesture=gesture)

    def _shot(self) -> Item | None:
        shot = self._editor.chosen.shot
        if shot is None:
            self._editor.said.emit(tr("Select the shot that is to have panels first."), True)
        return shot
