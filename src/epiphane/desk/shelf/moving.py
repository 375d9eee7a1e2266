"""A page of tiles that move while they are pointed at."""

from abc import abstractmethod
from collections.abc import Callable

from PyQt6.QtCore import QMimeData, QTimer, pyqtSignal
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import QAbstractItemView, QVBoxLayout, QWidget

from epiphane.desk.control.editor import Editor
from epiphane.desk.engine.skimming import Skimmed, Skimmer
from epiphane.desk.engine.thumbnails import THUMB_SIZE, Thumbnails, image_of
from epiphane.desk.shelf.tiles import Tiles
from epiphane.document.footage import Footage, FootageKind
from epiphane.render.nodes import FramePlan

_FRAME_MILLISECONDS = 33


class MovingPage(QWidget):
    """Tiles by a key; what a tile shows on its nth frame is for the page to say.

    Signals
    -------
    taken(keys: list)
        To be put on the score.
    """

    taken = pyqtSignal(object)

    def __init__(
        self,
        name: str,
        editor: Editor,
        thumbnails: Thumbnails,
        skimmer: Skimmer,
        carry: Callable[[str], QMimeData],
    ) -> None:
        super().__init__()
        self._editor = editor
        self._thumbnails = thumbnails
        self._skimmer = skimmer
        self.searched = ""
        self._pointed: str | None = None
        self._frame = 0
        self.tiles = Tiles(name, lambda keys: carry(str(keys[0])))
        self.tiles.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.tiles.taken.connect(self.taken)
        self.tiles.pointed.connect(self._point)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(self.tiles)
        self._timer = QTimer(self)
        self._timer.setInterval(_FRAME_MILLISECONDS)
        self._timer.timeout.connect(self._move)
        skimmer.drawn.connect(self._on_drawn)
        thumbnails.ready.connect(self._on_thumbnails)

    def showEvent(self, event: QShowEvent | None) -> None:
        """Show the tiles as they are by now: while they are not seen nobody needs them."""
        super().showEvent(event)
        self.refresh()

    def search(self, text: str) -> None:
        """Show what has some words in its name, or in what is told of it."""
        self.searched = text
        self.refresh()

    @abstractmethod
    def refresh(self) -> None:
        """Show the tiles."""

    @abstractmethod
    def refresh_pictures(self) -> None:
        """Show the pictures that are ready."""

    @abstractmethod
    def _plan(self, key: str, frame: int) -> FramePlan | None:
        """Return what the tile of a key shows so many frames after it was pointed at."""

    def _sample(self) -> Footage | None:
        """Return the footage that everything is shown on."""
        footage = self._editor.project.footage
        return next((one for one in footage if one.kind is not FootageKind.SOUND), None)

    def _point(self, key: object, _share: float) -> None:
        pointed = None if key is None else str(key)
        if pointed != self._pointed:
            self._pointed, self._frame = pointed, 0
        if pointed is None:
            self._timer.stop()
        elif not self._timer.isActive():
            self._timer.start()

    def _move(self) -> None:
        if self._pointed is None:
            return
        self._frame += 1
        plan = self._plan(self._pointed, self._frame)
        if plan is not None:
            self._skimmer.ask_plan(self._pointed, float(self._frame), plan, THUMB_SIZE)

    def _on_thumbnails(self) -> None:
        if self.isVisible():
            self.refresh_pictures()

    def _on_drawn(self, frame: Skimmed) -> None:
        if self._pointed is not None and frame.key == self._pointed:
            self.tiles.show_peek(frame.key, image_of(frame.picture).copy(), None)
