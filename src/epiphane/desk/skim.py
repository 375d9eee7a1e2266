"""A frame of footage at once, while the pointer moves over it or it plays on its own."""

import threading

from msgspec import Struct
from PyQt6.QtCore import QObject, pyqtSignal

from epiphane.document.model import Fit, Footage, FootageId
from epiphane.render.draw import draw
from epiphane.render.placing import Placing
from epiphane.render.plan import FramePlan, SourceFrame
from epiphane.render.sources import OpenFootage
from epiphane.types import Picture, Size


class Skimmed(Struct, frozen=True, eq=False):
    """A frame of footage: whole, in a frame of the size asked for."""

    footage: FootageId
    seconds: float
    picture: Picture


class Skimmer(QObject):
    """Draws frames of footage; only the newest wish counts.

    Signals
    -------
    drawn(frame: Skimmed)
        Comes in the thread of the window.
    """

    drawn = pyqtSignal(object)

    def __init__(self, footage: OpenFootage) -> None:
        super().__init__()
        self._footage = footage
        self._wish: tuple[Footage, float, Size] | None = None
        self._wake = threading.Condition()
        self._is_closing = False
        self._thread = threading.Thread(target=self._work, name="skim", daemon=True)
        self._thread.start()

    def ask(self, footage: Footage, seconds: float, size: Size) -> None:
        """Ask for the frame at an instant of some footage."""
        with self._wake:
            self._wish = (footage, seconds, size)
            self._wake.notify()

    def close(self) -> None:
        """Stop the thread."""
        with self._wake:
            self._is_closing = True
            self._wake.notify()
        self._thread.join()

    def _work(self) -> None:
        while True:
            with self._wake:
                self._wake.wait_for(lambda: self._wish is not None or self._is_closing)
                if self._is_closing:
                    return
                assert self._wish is not None
                footage, seconds, size = self._wish
                self._wish = None
            source = SourceFrame(footage.path, footage.fingerprint, seconds)
            plan = FramePlan(source, size, placing=Placing(Fit.WHOLE))
            self.drawn.emit(Skimmed(footage.id, seconds, draw(plan, self._footage, size)))
