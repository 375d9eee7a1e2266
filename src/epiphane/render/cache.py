"""Drawn pictures, kept by their plan: after an edit only frames whose plan changed are drawn again."""

import threading
from collections import OrderedDict

from epiphane.render.plan import FramePlan
from epiphane.types import Picture, Size


class PictureCache:
    """The pictures used last, up to a number of bytes; may be used from several threads."""

    def __init__(self, max_bytes: int) -> None:
        self._max_bytes = max_bytes
        self._n_bytes = 0
        self._lock = threading.Lock()
        self._pictures: OrderedDict[tuple[FramePlan, Size], Picture] = OrderedDict()

    def get(self, plan: FramePlan, size: Size) -> Picture | None:
        """Return the picture of a plan at a size, or None."""
        with self._lock:
            picture = self._pictures.get((plan, size))
            if picture is not None:
                self._pictures.move_to_end((plan, size))
            return picture

    def put(self, plan: FramePlan, size: Size, picture: Picture) -> None:
        """Keep a picture, and let go of those unused for longest."""
        with self._lock:
            old = self._pictures.pop((plan, size), None)
            self._n_bytes += picture.nbytes - (old.nbytes if old is not None else 0)
            self._pictures[plan, size] = picture
            while self._n_bytes > self._max_bytes and len(self._pictures) > 1:
                _, gone = self._pictures.popitem(last=False)
                self._n_bytes -= gone.nbytes
