"""Clips to measure with, such as cameras give."""

from pathlib import Path

import av
import numpy as np

# In levels; makes 1080p of some 14 Mb/s, as of a film camera.
_GRAIN = 2.85


def make_grainy(path: Path, *, n_pictures: int) -> None:
    """Write 1080p with grain that changes in every picture: what cameras give, hard to decode."""
    generator = np.random.default_rng(0)
    grain = [generator.normal(0, _GRAIN, (1080, 1920, 1)).astype(np.float32) for _ in range(8)]
    across = np.linspace(40, 200, 1920, dtype=np.float32)[None, :, None]
    with av.open(str(path), "w") as container:
        stream = container.add_stream("libx264", rate=30, options={"preset": "veryfast", "crf": "20"})
        stream.width, stream.height, stream.pix_fmt = 1920, 1080, "yuv420p"
        for number in range(n_pictures):
            picture = (
                np.roll(across, 6 * number, axis=1) + grain[number % 8] + np.zeros((1, 1, 3), np.float32)
            )
            frame = av.VideoFrame.from_ndarray(np.clip(picture, 0, 255).astype(np.uint8), format="bgr24")
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
