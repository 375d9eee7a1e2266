"""A clip for a picture: takes of the demo's clips one after the other, with a fade and a title card."""

import itertools
from fractions import Fraction
from pathlib import Path

import av
import cv2
import numpy as np

from epiphane.demo import MEDIA

_TAKES = (("rails", 10), ("tower", 60), ("dominoes", 20), ("bucket", 70))
_RATE, _TAKE_PICTURES, _FADE_PICTURES = 30, 48, 18


def write_tour(path: Path, *, size: tuple[int, int] = (1280, 720)) -> None:
    """Write the clip, at a size."""
    takes = [_take(name, first, size) for name, first in _TAKES]
    pictures = [*_title(size), *_faded(takes[0]), *(picture for take in takes[1:] for picture in take)]
    height, width = pictures[0].shape[:2]
    with av.open(str(path), "w") as container:
        stream = container.add_stream("libx264", rate=_RATE, options={"crf": "16"})
        stream.width, stream.height, stream.pix_fmt = width, height, "yuv420p"
        for number, picture in enumerate(pictures):
            frame = av.VideoFrame.from_ndarray(np.ascontiguousarray(picture), format="bgr24")
            frame.pts, frame.time_base = number, Fraction(1, _RATE)
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))


def _take(name: str, first: int, size: tuple[int, int]) -> list[np.ndarray]:
    with av.open(str(MEDIA / f"{name}.mp4")) as container:
        frames = itertools.islice(container.decode(video=0), first, first + _TAKE_PICTURES)
        return [frame.to_ndarray(format="bgr24", width=size[0], height=size[1]) for frame in frames]


def _faded(pictures: list[np.ndarray]) -> list[np.ndarray]:
    shares = np.minimum(np.arange(len(pictures)) / _FADE_PICTURES, 1)
    return [(picture * share).astype(np.uint8) for picture, share in zip(pictures, shares, strict=True)]


def _title(size: tuple[int, int]) -> list[np.ndarray]:
    width, height = size
    card = np.full((height, width, 3), 10, np.uint8)
    at, face, weight = (width // 4, height // 2), cv2.FONT_HERSHEY_SIMPLEX, max(2, width // 210)
    cv2.putText(card, "WORKSHOP", at, face, width / 490, (230, 230, 230), weight)
    return [card] * 30
