"""Make the demo's media again: ``python -m epiphane.demo`` (some minutes)."""

import importlib
import json
from concurrent.futures import ProcessPoolExecutor
from fractions import Fraction

import av
import cv2
import numpy as np

from epiphane.demo import MEDIA, SONG_FILE, TRUTH_FILE
from epiphane.demo.craft import HEIGHT, WIDTH
from epiphane.demo.project import CLIPS_FILE, make_demo_project
from epiphane.demo.song import RATE, Composition
from epiphane.demo.stage import FPS, frames, soundtrack
from epiphane.demo.titles import make_titles_project
from epiphane.media.codecs import h264
from epiphane.media.colour import OUTPUT_SPEC, bgr_to_yuv
from epiphane.media.writer import MovieWriter, planes_from_yuv444

SCENES = ("bucket", "chimes", "dominoes", "rails", "seesaw", "tower")


def make_song() -> None:
    """Write the song as FLAC, and what is true of it as JSON."""
    song = Composition()
    with av.open(str(SONG_FILE), "w") as container:
        stream = container.add_stream("flac", rate=RATE)
        stream.codec_context.layout = "stereo"
        stream.codec_context.format = "s16"
        packed = np.round(song.sound * 32767).astype(np.int16).reshape(1, -1)
        frame = av.AudioFrame.from_ndarray(packed, format="s16", layout="stereo")
        frame.sample_rate = RATE
        fifo = av.AudioFifo()
        fifo.write(frame)
        while (block := fifo.read(4096, partial=True)) is not None:
            container.mux(stream.encode(block))
        container.mux(stream.encode(None))
    TRUTH_FILE.write_text(json.dumps(song.truth(), indent=1) + "\n")


def make_clip(name: str) -> tuple[str, dict[str, float]]:
    """Write one clip; return its name and the instant and frame of its impact."""
    scene = importlib.import_module(f"epiphane.demo.scenes.{name}").make()
    path = MEDIA / f"{name}.mp4"
    to_yuv = bgr_to_yuv(OUTPUT_SPEC)
    with MovieWriter(
        path,
        size=(WIDTH, HEIGHT),
        rate=Fraction(FPS),
        sound=soundtrack(scene),
        video=h264(21, preset="slow"),
    ) as writer:
        for picture in frames(scene):
            writer.write(planes_from_yuv444(cv2.transform(picture, to_yuv)))
    return name, {"impact": scene.impact_frame / FPS, "impact_frame": scene.impact_frame}


def main() -> None:
    """Make everything."""
    MEDIA.mkdir(exist_ok=True)
    make_song()
    with ProcessPoolExecutor(2) as pool:
        truth = dict(pool.map(make_clip, SCENES))
    CLIPS_FILE.write_text(json.dumps(truth, indent=1) + "\n")
    make_demo_project()
    make_titles_project()


if __name__ == "__main__":
    main()
