"""The picture that is shown, for all that reads something off it."""

from PyQt6.QtCore import QObject, pyqtSignal

from epiphane.desk.control.playback import Playback
from epiphane.desk.engine.debounce import debounced
from epiphane.types import Picture

_MILLISECONDS = 40


class ShownPicture(QObject):
    """Keeps the picture that was shown last.

    Signals
    -------
    changed()
        Another one is shown; 25 times a second at most.
    kept_changed()
    """

    changed = pyqtSignal()
    kept_changed = pyqtSignal()

    def __init__(self, playback: Playback, parent: QObject) -> None:
        super().__init__(parent)
        self.picture: Picture | None = None
        """uint8, shape (height, width, 3), BGR; None before the first one."""
        self.kept: Picture | None = None
        """One that was kept, to compare others with or to match them to it."""
        self._telling = debounced(self, _MILLISECONDS, self.changed)
        playback.shown.connect(self._take)

    def keep(self) -> None:
        """Keep the picture that is shown; once more: no longer."""
        self.kept = self.picture if self.kept is None else None
        self.kept_changed.emit()

    def _take(self, picture: Picture, _frame: int) -> None:
        self.picture = picture
        if not self._telling.isActive():
            self._telling.start()
