"""Single preview frames on demand: a clip under the pointer, an effect that is pointed at."""

from typing import TypeAlias

from msgspec import Struct
from PyQt6.QtCore import QObject, pyqtSignal

from epiphane.desk.engine.worker import Worker
from epiphane.document.footage import Footage
from epiphane.document.timeline import Fit, Transform
from epiphane.render.draw import draw
from epiphane.render.nodes import FramePlan, Shown, SourceFrame, plan_of
from epiphane.render.sources import OpenFootage
from epiphane.types import Picture, Size


class Skimmed(Struct, frozen=True, eq=False):
    """A picture that was asked for: by whom, for which instant."""

    key: object
    seconds: float
    picture: Picture


_Wish: TypeAlias = tuple[object, float, FramePlan, Size]


class Skimmer(QObject):
    """Draws single pictures in a thread of its own; only the newest wish counts.

    Signals
    -------
    drawn(frame: Skimmed)
        Comes in the thread of the window.
    """

    drawn = pyqtSignal(object)

    def __init__(self, footage: OpenFootage) -> None:
        super().__init__()
        self._footage = footage
        self._wish: _Wish | None = None
        self._worker = Worker("skim", self._take, self._draw)
        self._worker.start()

    def ask(self, footage: Footage, seconds: float, size: Size) -> None:
        """Ask for the frame at an instant of some footage, whole; its key is the footage's number."""
        source = SourceFrame(footage.path, footage.fingerprint, seconds)
        plan = plan_of(Shown(source, Transform(Fit.WHOLE)), size)
        self.ask_plan(footage.id, seconds, plan, size)

    def ask_plan(self, key: object, seconds: float, plan: FramePlan, size: Size) -> None:
        """Ask for any picture; `key` and `seconds` come back with it."""
        with self._worker.lock:
            self._wish = (key, seconds, plan, size)
            self._worker.lock.notify()

    def close(self) -> None:
        """Stop the thread."""
        self._worker.close()

    def _take(self) -> _Wish | None:
        wish, self._wish = self._wish, None
        return wish

    def _draw(self, wish: _Wish) -> None:
        key, seconds, plan, size = wish
        self.drawn.emit(Skimmed(key, seconds, draw(plan, self._footage, size)))
