"""Render-ahead of preview frames around the playhead, in two threads, cached by plan."""

import math
import time
import traceback
from collections.abc import Sequence
from typing import TypeAlias

from PyQt6.QtCore import QObject, pyqtSignal

from epiphane.desk.engine.memory import FOOTAGE_BYTES, PACKED_BYTES, PICTURE_BYTES
from epiphane.desk.engine.worker import Worker
from epiphane.document.project import Project
from epiphane.errors import CancelledError
from epiphane.keying.schedule import Schedule
from epiphane.media.mattes import NO_MATTES, Mattes, made_mattes
from epiphane.media.proxy import ProxyStore
from epiphane.render.cache import PictureCache
from epiphane.render.draw import draw
from epiphane.render.nodes import BLACK, FramePlan
from epiphane.render.plan import plan_frame
from epiphane.render.sources import OpenFootage
from epiphane.types import Picture, Size
from epiphane.wording import tr

_WORKERS = 2
_PATIENCE_SECONDS = 0.15
_DRAFT_SHARE = 0.5
# Proxies are small and quick to read from anywhere, so all of a usual project stay open.
_MOST_OPEN = 64


_Task: TypeAlias = tuple[int, FramePlan, Size]


class FrameServer(QObject):
    """Draws the frames that are wanted, the most urgent first.

    Signals
    -------
    drawn(frame: int)
        A picture is ready; comes in the thread of the window.
    fault(path: str, text: str)
        Footage cannot be shown; once for each file.
    """

    drawn = pyqtSignal(int)
    fault = pyqtSignal(str, str)

    def __init__(self, proxies: ProxyStore | None = None) -> None:
        super().__init__()
        self.footage = OpenFootage(proxies, most_open=_MOST_OPEN, most_bytes=FOOTAGE_BYTES)
        self._cache = PictureCache(PICTURE_BYTES, PACKED_BYTES)
        self._wanted: list[tuple[int, FramePlan]] = []
        self._busy: set[FramePlan] = set()
        self._asked: tuple[int, ...] = ()
        self._patient_until = -math.inf
        self._size: Size = (480, 270)
        self._is_draft = self._is_hurried = False
        self._project = Project()
        self._cues: Schedule | None = None
        self._mattes: Mattes = NO_MATTES
        self._plans: dict[int, FramePlan] = {}
        self._told: set[str] = set()
        self._worker = Worker(
            "draw",
            self._take,
            self._draw,
            patience=self._patience,
            interrupt=self.footage.stop,
            n_threads=_WORKERS,
        )
        self._worker.start()

    @property
    def size(self) -> Size:
        """Width and height of the pictures."""
        return self._size

    def show(self, project: Project, cues: Schedule) -> None:
        """Draw another state of the project from now on; pictures whose plan is the same are kept."""
        with self._worker.lock:
            self._project, self._cues, self._mattes = project, cues, made_mattes(project)
            self._plans.clear()
            self._wanted.clear()

    @property
    def is_ahead(self) -> bool:
        """Whether all that was wanted last has been drawn, or is being drawn."""
        return not self._wanted

    @property
    def is_behind(self) -> bool:
        """Whether it plays, and pictures are wanted that no thread is drawing yet."""
        return self._is_hurried and not self.is_ahead

    def set_hurried(self, is_hurried: bool) -> None:
        """Have what is wanted come first from now on, as it plays, or be kept as well as drawn."""
        self._is_hurried = is_hurried

    def set_draft(self, is_draft: bool) -> None:
        """Draw at a smaller size from now on, or at the whole size again."""
        with self._worker.lock:
            if is_draft != self._is_draft:
                self._is_draft = is_draft
                self._wanted = [one for one in self._wanted if not self._is_there(one[1])]

    def set_size(self, size: Size) -> None:
        """Draw at another size from now on."""
        with self._worker.lock:
            if size != self._size:
                self._size = size
                self._wanted.clear()

    def want(self, frames: Sequence[int], *, is_patient: bool = False) -> None:
        """Say which frames are wanted, the most urgent first; earlier wishes are forgotten.

        Where the wish `is_patient`, all but the first wait for a moment, so that the window has the machine
        while something is dragged in it.
        """
        plans = [(frame, self.plan(frame)) for frame in frames]
        with self._worker.lock:
            self._asked = tuple(frames)
            self._patient_until = time.monotonic() + _PATIENCE_SECONDS if is_patient else -math.inf
            self._wanted = [item for item in plans if not self._is_there(item[1])]
            self._worker.lock.notify_all()

    def want_more(self, frames: Sequence[int]) -> None:
        """Say which further frames are wanted, after all others."""
        plans = [(frame, self.plan(frame)) for frame in frames]
        with self._worker.lock:
            self._asked = (*self._asked, *frames)
            self._wanted += [item for item in plans if not self._is_there(item[1])]
            self._worker.lock.notify_all()

    def be_patient(self) -> None:
        """Let what is not urgent wait for a moment: the window is busy."""
        with self._worker.lock:
            if self._patient_until > -math.inf:
                self._patient_until = time.monotonic() + _PATIENCE_SECONDS

    def ready(self) -> tuple[int, ...]:
        """Return which of the frames that were wanted last are ready."""
        with self._worker.lock:
            asked, size = self._asked, self._size
        return tuple(frame for frame in asked if self._cache.has(self.plan(frame), size))

    def picture(self, frame: int, *, may_be_draft: bool = False) -> Picture | None:
        """Return the picture of a frame if it is ready, or else its draft where that will do."""
        plan = self.plan(frame)
        picture = self._cache.get(plan, self._size)
        if picture is None and may_be_draft:
            picture = self._cache.get(plan, _draft_of(self._size))
        return picture

    def is_ready(self, frame: int) -> bool:
        """Whether the picture of a frame, or its draft, can be had."""
        plan = self.plan(frame)
        return self._cache.has(plan, self._size) or self._cache.has(plan, _draft_of(self._size))

    def _is_there(self, plan: FramePlan) -> bool:
        """Whether nothing needs to be drawn of a plan."""
        is_drafted = self._is_draft and self._cache.has(plan, _draft_of(self._size))
        return is_drafted or self._cache.has(plan, self._size)

    def plan(self, frame: int) -> FramePlan:
        """Return the plan of a frame."""
        found = self._plans.get(frame)
        if found is None:
            assert self._cues is not None, "show() comes first"
            found = self._plans[frame] = plan_frame(self._project, self._cues, frame, self._mattes)
        return found

    def close(self) -> None:
        """Stop the threads and close the footage."""
        if self._worker.close():
            self.footage.close()

    def _patience(self) -> float | None:
        """Return after how many seconds what is not urgent may be done."""
        patience = self._patient_until - time.monotonic()
        return patience + 0.001 if self._wanted and patience > 0 else None

    def _take(self) -> _Task | None:
        """Return the most urgent wish that no thread is at work on and that need not wait."""
        urgent = self._asked[:1] if time.monotonic() < self._patient_until else None
        free = (
            number
            for number, (frame, plan) in enumerate(self._wanted)
            if plan not in self._busy and (urgent is None or frame in urgent)
        )
        index = next(free, None)
        if index is None:
            return None
        frame, plan = self._wanted.pop(index)
        self._busy.add(plan)
        return frame, plan, _draft_of(self._size) if self._is_draft else self._size

    def _draw(self, task: _Task) -> None:
        frame, plan, size = task
        picture = self._drawn(plan, size)
        # While more is wanted than is drawn in time, what is left behind is not worth packing.
        self._cache.put(plan, size, picture, packs=self.is_ahead or not self._is_hurried)
        with self._worker.lock:
            self._busy.discard(plan)
        if not self._worker.is_closing:
            self._tell(frame)

    def _drawn(self, plan: FramePlan, size: Size) -> Picture:
        """Draw; a mistake in Epiphane itself is told and shown, and the thread goes on."""
        try:
            return draw(plan, self.footage, size, self._cache)
        except CancelledError:
            raise
        except Exception as error:
            traceback.print_exc()
            text = tr("A picture could not be drawn ({error}).", error=error)
            self.fault.emit("", text)
            return draw(FramePlan(plan.shape, BLACK), self.footage, size)

    def _tell(self, frame: int) -> None:
        for path, text in self.footage.faults_by_path().items():
            if text not in self._told:
                self._told.add(text)
                self.fault.emit(path, text)
        self.drawn.emit(frame)


def _draft_of(size: Size) -> Size:
    """Return the size of the draft of a picture: both sides even, as those of pictures are."""
    width, height = (max(2, round(side * _DRAFT_SHARE / 2) * 2) for side in size)
    return width, height
