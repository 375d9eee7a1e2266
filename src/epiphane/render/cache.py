"""Drawn pictures, kept by their plan or node: after an edit only what has changed is drawn again."""

import threading
from typing import TypeAlias

import cv2
import numpy as np

from epiphane.lru import LruCache
from epiphane.render.nodes import FramePlan, Node
from epiphane.types import ByteArray, Picture, Size

_Key: TypeAlias = tuple[FramePlan | Node, Size]


class PictureCache:
    """The pictures used last, as they are and then packed; may be used from several threads.

    Parameters
    ----------
    max_bytes : int
        Of the pictures as they were drawn.
    max_packed_bytes : int
        Of those that no longer find room among them, as JPEG.
    """

    def __init__(self, max_bytes: int, max_packed_bytes: int = 0) -> None:
        self._lock = threading.Lock()
        self._pictures: LruCache[_Key, ByteArray] = LruCache(max_bytes, size_of=_bytes_of)
        self._packed: LruCache[_Key, ByteArray] = LruCache(max_packed_bytes, size_of=_bytes_of)

    def has(self, plan: FramePlan | Node, size: Size) -> bool:
        """Whether the picture of a plan at a size is there."""
        with self._lock:
            return (plan, size) in self._pictures or (plan, size) in self._packed

    def get(self, plan: FramePlan | Node, size: Size) -> Picture | None:
        """Return the picture of a plan at a size, or None."""
        with self._lock:
            picture = self._pictures.get((plan, size))
            packed = None if picture is not None else self._packed.get((plan, size))
        if packed is None:
            return picture
        return np.asarray(cv2.imdecode(packed, cv2.IMREAD_COLOR), np.uint8)

    def put(self, plan: FramePlan | Node, size: Size, picture: Picture, *, packs: bool = True) -> None:
        """Keep a picture, pack those unused for longest, and let go of what even packed finds no room.

        Where it does not pack, which takes half as long as drawing, it lets go of those at once.
        """
        with self._lock:
            gone = self._pictures.put((plan, size), picture)
        for key, old in gone:
            if not packs or old.shape[2] == 4:  # no JPEG has alpha
                continue
            packed = _as_jpeg(old)
            with self._lock:
                self._packed.put(key, packed)


def _bytes_of(array: ByteArray) -> int:
    return array.nbytes


def _as_jpeg(picture: Picture) -> Picture:
    """Return a picture in a tenth of its bytes, alike to the eye at the pace of a preview."""
    packing = [cv2.IMWRITE_JPEG_QUALITY, 95]
    packing += [cv2.IMWRITE_JPEG_SAMPLING_FACTOR, cv2.IMWRITE_JPEG_SAMPLING_FACTOR_444]
    return np.asarray(cv2.imencode(".jpg", picture, packing)[1], np.uint8)
