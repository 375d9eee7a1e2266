"""What things on the score snap to while they are dragged: the hits of a chosen pulse."""

from PyQt6.QtCore import QObject, pyqtSignal

from epiphane.arrays import nearest_of
from epiphane.desk.control.editor import Editor
from epiphane.document.ids import PulseId
from epiphane.document.project import Project
from epiphane.edits.shots.shots import cutting_hits
from epiphane.timing import frame_at


class Snapping(QObject):
    """Frames that shots snap to.

    Attributes
    ----------
    is_on : bool
        Whether anything snaps.
    pulse : PulseId or None
        The pulse on whose hits things snap; None for those that cuts are counted on.

    Signals
    -------
    changed()
    """

    changed = pyqtSignal()

    def __init__(self, editor: Editor) -> None:
        super().__init__()
        self._editor = editor
        self._known: tuple[object, list[float], list[int]] | None = None
        self.is_on = True
        self.pulse: PulseId | None = None

    def toggle(self) -> None:
        """Have things snap, or no longer."""
        self.is_on = not self.is_on
        self.changed.emit()

    def choose(self, pulse: PulseId | None) -> None:
        """Have things snap to the hits of another pulse."""
        self.pulse = pulse
        self.changed.emit()

    def times(self, project: Project) -> list[float]:
        """Return the hits that things snap to, in seconds, ascending."""
        return self._known_of(project)[1]

    def frames(self, project: Project) -> list[int]:
        """Return the frames of the hits, ascending, and both ends of the project."""
        return self._known_of(project)[2]

    def _known_of(self, project: Project) -> tuple[object, list[float], list[int]]:
        key = (
            project.song,
            project.pulses,
            project.filling.pulse,
            project.rate,
            project.n_frames,
            self.pulse,
        )
        if self._known is None or self._known[0] != key:
            pulse = next((one for one in project.pulses if one.id == self.pulse), None)
            hits = cutting_hits(project) if pulse is None else self._editor.hits_of(pulse)
            times = sorted(hit.time for hit in hits)
            frames = {frame_at(time, project.rate) for time in times} | {0, project.n_frames}
            self._known = key, times, sorted(frames)
        return self._known

    def snapped(self, project: Project, frame: int, reach: int) -> int:
        """Return the frame of the hit that is not more than `reach` frames away, or else `frame`."""
        if not self.is_on:
            return frame
        near = nearest_of(self.frames(project), frame)
        return near if near is not None and abs(near - frame) <= reach else frame
