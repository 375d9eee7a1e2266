"""A clip for a picture: takes of the demo's clips one after the other, with a fade and a title card."""

from fractions import Fraction
from pathlib import Path

import av
import cv2
import numpy as np

from epiphane.demo import MEDIA

_RATE, _TAKE_PICTURES, _FADE_PICTURES = 30, 48, 18


def write_tour(path: Path) -> None:
    """Write the clip."""
    pictures = [*_title(), *_faded(_take("rails", 10)), *_take("tower", 60), *_take("dominoes", 20)]
    pictures += _take("bucket", 70)
    height, width = pictures[0].shape[:2]
    with av.open(str(path), "w") as container:
        stream = container.add_stream("libx264", rate=_RATE, options={"crf": "16"})
        stream.width, stream.height, stream.pix_fmt = width, height, "yuv420p"
        for number, picture in enumerate(pictures):
            frame = av.VideoFrame.from_ndarray(np.ascontiguousarray(picture), format="bgr24")
            frame.pts, frame.time_base = number, Fraction(1, _RATE)
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))


def _take(name: str, first: int) -> list[np.ndarray]:
    with av.open(str(MEDIA / f"{name}.mp4")) as container:
        frames = [frame.to_ndarray(format="bgr24") for frame in container.decode(video=0)]
    return frames[first : first + _TAKE_PICTURES]


def _faded(pictures: list[np.ndarray]) -> list[np.ndarray]:
    shares = np.minimum(np.arange(len(pictures)) / _FADE_PICTURES, 1)
    return [(picture * share).astype(np.uint8) for picture, share in zip(pictures, shares, strict=True)]


def _title() -> list[np.ndarray]:
    card = np.full_like(_take("rails", 0)[0], 10)
    height, width = card.shape[:2]
    cv2.putText(
        card, "WORKSHOP", (width // 4, height // 2), cv2.FONT_HERSHEY_SIMPLEX, 2.6, (230, 230, 230), 6
    )
    return [card] * 30
