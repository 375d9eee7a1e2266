"""Pictures drawn ahead of the playhead by two threads, kept by their plan."""

import math
import threading
import time
import traceback
from collections.abc import Sequence

from PyQt6.QtCore import QObject, pyqtSignal

from epiphane.desk.engine.jobs import wait_for
from epiphane.desk.engine.memory import FOOTAGE_BYTES, PACKED_BYTES, PICTURE_BYTES
from epiphane.document.project import Project
from epiphane.keying.schedule import Schedule
from epiphane.media.proxy import ProxyStore
from epiphane.render.cache import PictureCache
from epiphane.render.draw import draw
from epiphane.render.plan import BLACK, FramePlan, plan_frame
from epiphane.render.sources import OpenFootage
from epiphane.types import Picture, Size

_WORKERS = 2
_PATIENCE_SECONDS = 0.15
# Proxies are small and quick to read from anywhere, so all of a usual project stay open.
_MOST_OPEN = 64


class FrameServer(QObject):
    """Draws the frames that are wanted, the most urgent first.

    Signals
    -------
    drawn(frame: int)
        A picture is ready; comes in the thread of the window.
    fault(text: str)
        Footage cannot be shown; once for each file.
    """

    drawn = pyqtSignal(int)
    fault = pyqtSignal(str)

    def __init__(self, proxies: ProxyStore | None = None) -> None:
        super().__init__()
        self.footage = OpenFootage(proxies, most_open=_MOST_OPEN, most_bytes=FOOTAGE_BYTES)
        self._cache = PictureCache(PICTURE_BYTES, PACKED_BYTES)
        self._wake = threading.Condition()
        self._wanted: list[tuple[int, FramePlan]] = []
        self._busy: set[FramePlan] = set()
        self._asked: tuple[int, ...] = ()
        self._patient_until = -math.inf
        self._size: Size = (480, 270)
        self._project = Project()
        self._cues: Schedule | None = None
        self._plans: dict[int, FramePlan] = {}
        self._told: set[str] = set()
        self._is_closing = False
        self._threads = [
            threading.Thread(target=self._work, name=f"draw-{n}", daemon=True) for n in range(_WORKERS)
        ]
        for thread in self._threads:
            thread.start()

    @property
    def size(self) -> Size:
        """Width and height of the pictures."""
        return self._size

    def show(self, project: Project, cues: Schedule) -> None:
        """Draw another state of the project from now on; pictures whose plan is the same are kept."""
        with self._wake:
            self._project, self._cues = project, cues
            self._plans.clear()
            self._wanted.clear()

    def set_size(self, size: Size) -> None:
        """Draw at another size from now on."""
        with self._wake:
            if size != self._size:
                self._size = size
                self._wanted.clear()

    def want(self, frames: Sequence[int], *, is_patient: bool = False) -> None:
        """Say which frames are wanted, the most urgent first; earlier wishes are forgotten.

        Where the wish `is_patient`, all but the first wait for a moment, so that the window has the machine
        while something is dragged in it.
        """
        plans = [(frame, self.plan(frame)) for frame in frames]
        with self._wake:
            self._asked = tuple(frames)
            self._patient_until = time.monotonic() + _PATIENCE_SECONDS if is_patient else -math.inf
            self._wanted = [item for item in plans if not self._cache.has(item[1], self._size)]
            self._wake.notify_all()

    def want_more(self, frames: Sequence[int]) -> None:
        """Say which further frames are wanted, after all others."""
        plans = [(frame, self.plan(frame)) for frame in frames]
        with self._wake:
            self._asked = (*self._asked, *frames)
            self._wanted += [item for item in plans if not self._cache.has(item[1], self._size)]
            self._wake.notify_all()

    def be_patient(self) -> None:
        """Let what is not urgent wait for a moment: the window is busy."""
        with self._wake:
            if self._patient_until > -math.inf:
                self._patient_until = time.monotonic() + _PATIENCE_SECONDS

    def ready(self) -> tuple[int, ...]:
        """Return which of the frames that were wanted last are ready."""
        with self._wake:
            asked, size = self._asked, self._size
        return tuple(frame for frame in asked if self._cache.has(self.plan(frame), size))

    def picture(self, frame: int) -> Picture | None:
        """Return the picture of a frame if it is ready."""
        return self._cache.get(self.plan(frame), self._size)

    def plan(self, frame: int) -> FramePlan:
        """Return the plan of a frame."""
        found = self._plans.get(frame)
        if found is None:
            assert self._cues is not None, "show() comes first"
            found = self._plans[frame] = plan_frame(self._project, self._cues, frame)
        return found

    def close(self) -> None:
        """Stop the threads and close the footage."""
        with self._wake:
            self._is_closing = True
            self._wake.notify_all()
        have_ended = [wait_for(thread) for thread in self._threads]
        if all(have_ended):
            self.footage.close()

    def _work(self) -> None:
        while True:
            with self._wake:
                while not self._is_closing and not self._has_job():
                    patience = self._patient_until - time.monotonic()
                    self._wake.wait(patience + 0.001 if self._wanted and patience > 0 else None)
                if self._is_closing:
                    return
                frame, plan = self._take_job()
                size = self._size
                self._busy.add(plan)
            picture = self._drawn(plan, size)
            self._cache.put(plan, size, picture)
            with self._wake:
                self._busy.discard(plan)
                is_closing = self._is_closing
            if not is_closing:
                self._tell(frame)

    def _drawn(self, plan: FramePlan, size: Size) -> Picture:
        """Draw; a mistake in Epiphane itself is told and shown, and the thread goes on."""
        try:
            return draw(plan, self.footage, size, self._cache)
        except Exception as error:
            traceback.print_exc()
            text = f"A picture could not be drawn ({error})."
            self.fault.emit(text)
            return draw(FramePlan(plan.shape, BLACK), self.footage, size)

    def _has_job(self) -> bool:
        return self._next_job() is not None

    def _next_job(self) -> int | None:
        """Return the most urgent wish, by its place, that no thread is at work on and that need not wait."""
        urgent = self._asked[:1] if time.monotonic() < self._patient_until else None
        free = (
            number
            for number, (frame, plan) in enumerate(self._wanted)
            if plan not in self._busy and (urgent is None or frame in urgent)
        )
        return next(free, None)

    def _take_job(self) -> tuple[int, FramePlan]:
        index = self._next_job()
        assert index is not None
        return self._wanted.pop(index)

    def _tell(self, frame: int) -> None:
        with self._wake:  # what was drawn may be of a file that has since been found elsewhere
            paths = {footage.path for footage in self._project.footage}
        for text in self.footage.faults(paths):
            if text not in self._told:
                self._told.add(text)
                self.fault.emit(text)
        self.drawn.emit(frame)
