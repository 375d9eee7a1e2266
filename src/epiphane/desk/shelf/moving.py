"""A page of tiles that move while they are pointed at."""

from abc import abstractmethod
from collections.abc import Callable, Sequence
from functools import lru_cache
from typing import TypeVar

import numpy as np
from PyQt6.QtCore import QMimeData, QTimer, pyqtSignal
from PyQt6.QtGui import QImage, QShowEvent
from PyQt6.QtWidgets import QAbstractItemView, QVBoxLayout, QWidget

from epiphane.demo import MEDIA
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.favourites import Favourites
from epiphane.desk.engine.skimming import Skimmed, Skimmer
from epiphane.desk.engine.thumbnails import THUMB_SIZE, Thumbnails, image_of
from epiphane.desk.shelf.tiles import Tiles
from epiphane.document.footage import Footage, FootageKind
from epiphane.document.project import Project
from epiphane.edits.footage import add_footage
from epiphane.media.probe import probe_footage
from epiphane.render.nodes import FramePlan
from epiphane.wording import tr

_FRAME_MILLISECONDS = 33
EVERYTHING, FAVOURITES, USED = tr("everything"), tr("favourites"), tr("used last")
"""What may be shown besides one group."""
_LEAST_DETAIL = 12.0
"""Levels by which the brightness of a picture must vary for effects to be seen on it."""
_MOST_LOOKED_AT = 4
_T = TypeVar("_T")


def detail_of(image: QImage) -> float:
    """Return by how many levels the brightness of a picture varies (standard deviation)."""
    grey = image.convertToFormat(QImage.Format.Format_Grayscale8)
    bits = grey.constBits()
    bits.setsize(grey.sizeInBytes())
    rows = np.frombuffer(bits, np.uint8).reshape(grey.height(), grey.bytesPerLine())  # type: ignore[call-overload]
    return float(rows[:, : grey.width()].std())


@lru_cache(maxsize=1)
def _demo_clip() -> Footage | None:
    """Return a clip of the demo, on which all effects are seen."""
    facts = probe_footage(MEDIA / "tower.mp4")
    return add_footage(Project(), [facts]).footage[0]


class MovingPage(QWidget):
    """Tiles by a key; what a tile shows on its nth frame is for the page to say.

    Of a page with `favourites` these come first, then what was used last; a group may be shown alone. Where
    it `is_still` none moves.

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
        favourites: Favourites | None = None,
    ) -> None:
        super().__init__()
        self._editor = editor
        self._thumbnails = thumbnails
        self._skimmer = skimmer
        self.searched = ""
        self.group = EVERYTHING
        self.favourites = favourites
        self._pointed: str | None = None
        self._frame = 0
        self.is_still = False
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
        if favourites is not None:
            favourites.changed.connect(self._on_favourites)
            self.tiles.starred.connect(lambda keys: favourites.toggle(str(keys[0])))

    def showEvent(self, event: QShowEvent | None) -> None:
        """Show the tiles as they are by now: while they are not seen nobody needs them."""
        super().showEvent(event)
        self.refresh()

    def search(self, text: str) -> None:
        """Show what has some words in its name, or in what is told of it."""
        self.searched = text
        self.refresh()

    @property
    def groups(self) -> tuple[str, ...]:
        """The groups that may be shown alone, if there are any."""
        return ()

    def show_group(self, group: str) -> None:
        """Show one group alone, favourites, what was used last, or everything."""
        self.group = group
        self.refresh()

    def in_group(self, ones: Sequence[_T], key: Callable[[_T], str], group: Callable[[_T], str]) -> list[_T]:
        """Return what is of the group that is shown; of all favourites come first, then what was used."""
        favourites = self.favourites
        if favourites is None:
            return list(ones)
        if self.group == FAVOURITES:
            return [one for one in ones if key(one) in favourites.kept]
        if self.group == USED:
            used = [one for one in ones if key(one) in favourites.used]
            return sorted(used, key=lambda one: favourites.used.index(key(one)))
        if self.group != EVERYTHING:
            return [one for one in ones if group(one) == self.group]
        return list(ones) if self.searched else sorted(ones, key=lambda one: favourites.rank(key(one)))

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
        footage = [one for one in self._editor.project.footage if one.kind is not FootageKind.SOUND]
        for one in footage[:_MOST_LOOKED_AT]:
            if self._has_detail(one):
                return one
        return _demo_clip() if footage else None  # read only where it is needed

    def _kept(self) -> tuple[str, ...]:
        return () if self.favourites is None else self.favourites.kept

    def _has_detail(self, footage: Footage) -> bool:
        """Whether something is to be seen of footage, as far as its picture is known by now."""
        image = self._thumbnails.get(footage, footage.duration / 2)
        return image is None or detail_of(image) >= _LEAST_DETAIL

    def _point(self, key: object, _share: float) -> None:
        pointed = None if key is None else str(key)
        if pointed != self._pointed:
            self._pointed, self._frame = pointed, 0
        if pointed is None:
            self._timer.stop()
        elif not self._timer.isActive() and not self.is_still:
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

    def _on_favourites(self) -> None:
        if self.isVisible():
            self.refresh()

    def _on_drawn(self, frame: Skimmed) -> None:
        if self._pointed is not None and frame.key == self._pointed:
            self.tiles.show_peek(frame.key, image_of(frame.picture).copy(), None)
