"""A picture at once: of a clip while the pointer moves over it, of an effect while it is pointed at."""

import threading

from msgspec import Struct
from PyQt6.QtCore import QObject, pyqtSignal

from epiphane.desk.engine.jobs import wait_for
from epiphane.document.footage import Footage
from epiphane.document.timeline import Fit, Transform
from epiphane.render.draw import draw
from epiphane.render.plan import FramePlan, Shown, SourceFrame, plan_of
from epiphane.render.sources import OpenFootage
from epiphane.types import Picture, Size


class Skimmed(Struct, frozen=True, eq=False):
    """A picture that was asked for: by whom, for which instant."""

    key: object
    seconds: float
    picture: Picture


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
        self._wish: tuple[object, float, FramePlan, Size] | None = None
        self._wake = threading.Condition()
        self._is_closing = False
        self._thread = threading.Thread(target=self._work, name="skim", daemon=True)
        self._thread.start()

    def ask(self, footage: Footage, seconds: float, size: Size) -> None:
        """Ask for the frame at an instant of some footage, whole; its key is the footage's number."""
        source = SourceFrame(footage.path, footage.fingerprint, seconds)
        plan = plan_of(Shown(source, Transform(Fit.WHOLE)), size)
        self.ask_plan(footage.id, seconds, plan, size)

    def ask_plan(self, key: object, seconds: float, plan: FramePlan, size: Size) -> None:
        """Ask for any picture; `key` and `seconds` come back with it."""
        with self._wake:
            self._wish = (key, seconds, plan, size)
            self._wake.notify()

    def close(self) -> None:
        """Stop the thread."""
        with self._wake:
            self._is_closing = True
            self._wake.notify()
        wait_for(self._thread)

    def _work(self) -> None:
        while True:
            with self._wake:
                self._wake.wait_for(lambda: self._wish is not None or self._is_closing)
                if self._is_closing:
                    return
                assert self._wish is not None
                key, seconds, plan, size = self._wish
                self._wish = None
            self.drawn.emit(Skimmed(key, seconds, draw(plan, self._footage, size)))
