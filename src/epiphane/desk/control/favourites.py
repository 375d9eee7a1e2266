"""Which effects and transitions the user keeps as favourites, and which were laid last."""

from msgspec.structs import replace
from PyQt6.QtCore import QObject, pyqtSignal

from epiphane.files.settings import MOST_USED, Settings, keep_settings, read_settings


class Favourites(QObject):
    """Keys that are kept on this machine, whatever the project.

    Signals
    -------
    changed()
        One was kept, let go, or used.
    """

    changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        settings = read_settings()
        self.kept, self.used = settings.favourites, settings.used

    def toggle(self, key: str) -> None:
        """Keep a key as a favourite, or let it go."""
        self.kept = tuple(one for one in self.kept if one != key) if key in self.kept else (*self.kept, key)
        self._write()

    def use(self, key: str) -> None:
        """Note that something was laid."""
        self.used = (key, *(one for one in self.used if one != key))[:MOST_USED]
        self._write()

    def rank(self, key: str) -> int:
        """Return where a key stands: favourites first, then what was used last, then all others alike."""
        if key in self.kept:
            return self.kept.index(key) - len(self.kept) - MOST_USED
        return self.used.index(key) - MOST_USED if key in self.used else 0

    def _write(self) -> None:
        settings: Settings = read_settings()
        keep_settings(replace(settings, favourites=self.kept, used=self.used))
        self.changed.emit()
