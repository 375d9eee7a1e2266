"""Thumbnails of footage and effects, rendered in a thread and cached."""

from collections import OrderedDict
from collections.abc import Callable

import numpy as np
from msgspec.structs import replace
from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QImage

from epiphane.desk.engine.memory import THUMB_FOOTAGE_BYTES
from epiphane.desk.engine.worker import Worker
from epiphane.document.footage import Footage
from epiphane.effects.declare import Effect
from epiphane.lru import LruCache
from epiphane.media.proxy import ProxyStore
from epiphane.render.draw import draw
from epiphane.render.nodes import (
    ActiveEffect,
    FramePlan,
    Joined,
    Node,
    Shown,
    Solid,
    SourceFrame,
    plan_of,
    sources_of,
)
from epiphane.render.sources import OpenFootage
from epiphane.transitions.declare import Progress, Transition
from epiphane.types import Picture, Size

THUMB_SIZE: Size = (192, 108)
_STEP_SECONDS = 0.5
_RATE = 30.0  # of the echoes of an effect
_SHARE = 0.42  # how far a transition is on its tile
_MOST_KEPT = 1500
_MOST_OPEN = 4
_PATIENCE_SECONDS = 0.15
BLANKS = (88, 66, 74), (195, 211, 221)
"""What stands for the pictures on both sides of a transition while there are none: blue, green, red."""


class Thumbnails(QObject):
    """Small pictures; asked for by the views, drawn in the background.

    They wait while something that `is_urgent` needs the machine.

    Signals
    -------
    ready()
        Some that were asked for can be had now.
    """

    ready = pyqtSignal()

    def __init__(
        self, proxies: ProxyStore | None = None, *, is_urgent: Callable[[], bool] = lambda: False
    ) -> None:
        super().__init__()
        self._is_urgent = is_urgent
        self._footage = OpenFootage(proxies, most_open=_MOST_OPEN, most_bytes=THUMB_FOOTAGE_BYTES)
        self._kept: LruCache[FramePlan, QImage] = LruCache(_MOST_KEPT)
        self._wanted: OrderedDict[FramePlan, None] = OrderedDict()
        self._worker = Worker(
            "thumbnails",
            self._take,
            self._draw,
            patience=lambda: _PATIENCE_SECONDS if self._wanted else None,
            interrupt=self._footage.stop,
            is_background=True,
        )
        self._worker.start()

    def get(self, footage: Footage, seconds: float) -> QImage | None:
        """Return the picture nearest to an instant, or None until it is ready."""
        return self.of_plan(plan_of(Shown(_source(footage, seconds)), THUMB_SIZE))

    def with_effect(self, footage: Footage | None, effect: Effect) -> QImage | None:
        """Return a picture from the middle of some footage with an effect at its peak on it."""
        values = effect.values_at((), 1.0)
        if footage is None:
            return self.of_plan(
                plan_of(None, THUMB_SIZE, (ActiveEffect(effect.key, effect.version, values),))
            )
        source = _source(footage, footage.duration / 2)
        others = tuple(
            Shown(replace(source, seconds=max(0.0, source.seconds + echo / _RATE)))
            for echo in effect.echoes_of(values)
        )
        active = ActiveEffect(effect.key, effect.version, values, others)
        return self.of_plan(plan_of(Shown(source), THUMB_SIZE, (active,)))

    def with_transition(
        self, outgoing: Footage | None, incoming: Footage | None, transition: Transition
    ) -> QImage | None:
        """Return a transition a little before its middle, between pictures of two clips."""
        outgoing_node, incoming_node = (
            Node(Solid(colour)) if one is None else Node(Shown(_source(one, one.duration / 2)))
            for one, colour in zip((outgoing, incoming), BLANKS, strict=True)
        )
        progress = Progress(_SHARE, 0.08, round(THUMB_SIZE[0] / THUMB_SIZE[1], 6))
        joined = Joined(
            transition.key,
            transition.version,
            transition.values_at(()),
            progress,
            outgoing_node,
            incoming_node,
        )
        return self.of_plan(FramePlan(THUMB_SIZE, Node(joined)))

    def of_plan(self, plan: FramePlan) -> QImage | None:
        """Return the picture of a plan, or None until it is ready."""
        with self._worker.lock:
            found = self._kept.get(plan)
            if found is None:
                self._wanted[plan] = None
                self._worker.lock.notify()
        return found

    def forget(self, fingerprint: str) -> None:
        """Read some footage anew from now on: there is a proxy of it."""
        self._footage.forget(fingerprint)

    def close(self) -> None:
        """Stop the thread."""
        if self._worker.close():
            self._footage.close()

    def _take(self) -> FramePlan | None:
        if not self._wanted or self._is_urgent():
            return None
        plan = min(self._wanted, key=_in_reading_order)
        del self._wanted[plan]
        return plan

    def _draw(self, plan: FramePlan) -> None:
        image = image_of(draw(plan, self._footage, THUMB_SIZE)).copy()
        with self._worker.lock:
            self._kept.put(plan, image)
        if not self._wanted or len(self._kept) % 8 == 0:
            self.ready.emit()


def _source(footage: Footage, seconds: float) -> SourceFrame:
    """Return a source at a multiple of some step, so that neighbours share a picture."""
    step = int(max(0.0, min(seconds, max(footage.duration - _STEP_SECONDS, 0))) / _STEP_SECONDS)
    return SourceFrame(footage.path, footage.fingerprint, step * _STEP_SECONDS)


def _in_reading_order(plan: FramePlan) -> tuple[str, float]:
    """One clip after the other, each from its start: files are read forwards."""
    first = next(sources_of(plan.root), None)
    return ("", 0.0) if first is None else (first.path, first.seconds)


def image_of(picture: Picture) -> QImage:
    """Return an image that shares the memory of a picture, which must outlive it."""
    picture = np.ascontiguousarray(picture)
    height, width = picture.shape[:2]
    return QImage(picture.data, width, height, 3 * width, QImage.Format.Format_BGR888)  # type: ignore[call-overload, no-any-return]  # the stubs know no memoryview
