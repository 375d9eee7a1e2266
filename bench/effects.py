"""What every effect costs at 1080p, and an export of six at once against decoding and encoding alone."""

import time
from collections.abc import Iterator
from pathlib import Path

import av
import cv2
import numpy as np
from msgspec.structs import replace

from bench.export import drawn_frames, seconds_of_export, seconds_of_floor
from bench.result import Result, at_most
from epiphane.demo import MEDIA
from epiphane.demo.project import open_demo
from epiphane.document.model import Lane, LaneId, Project, PulseId
from epiphane.edits.lanes import add_lane
from epiphane.edits.picture import set_size
from epiphane.effects.declare import Around, Effect
from epiphane.effects.registry import all_effects
from epiphane.media.raw import RawPicture, raw_from_bgr
from epiphane.render.draw import draw
from epiphane.render.plan import ActiveEffect, FramePlan, Shown, SourceFrame

STACK = ("shake", "blur", "split", "saturation")
"""Beside the flash and the zoom that the demo has."""
_SIZE = (1920, 1080)
_SOURCE = SourceFrame("a", "a", 0.0)
_ROUNDS = 2


def stacked(project: Project) -> Project:
    """Return the demo with six effects at once on every beat."""
    beats = next(pulse.id for pulse in project.pulses if pulse.name == "beats")
    for key in STACK:
        project = add_lane(project, key, beats)
    return project


def measure_effects(folder: Path) -> Iterator[Result]:
    """Draw every effect at its peak over a frame of the demo; export ten seconds of six at once."""
    picture = _picture()
    placing = FramePlan(None, _SIZE).placing
    for effect in all_effects():
        took = [_milliseconds(effect, picture, Shown(_SOURCE, placing)) for _ in range(5)]
        yield at_most(f"{effect.label} ({effect.key}) a frame of 1080p", min(took), 60, "ms")
    project = set_size(stacked(open_demo()), width=_SIZE[0], height=_SIZE[1])
    plain = replace(project, lanes=())
    pictures = drawn_frames(plain)
    floors, exports = [], []
    for _ in range(_ROUNDS):
        floors.append(seconds_of_floor(plain, pictures, folder / "floor.mp4"))
        exports.append(seconds_of_export(project, folder / "stack.mp4"))
    yield at_most("export of six effects at 1080p / floor", min(exports) / min(floors), 1.3, "")


class _One:
    def __init__(self, raw: RawPicture) -> None:
        self._raw = raw

    def picture(self, source: SourceFrame) -> RawPicture:
        return self._raw


def _milliseconds(effect: Effect, picture: np.ndarray, other: Shown) -> float:
    values = effect.values_at(Lane(LaneId(1), effect.key, PulseId(1)), 1.0, Around(16 / 9, frame=4))
    others = (other,) * len(effect.echoes_of(values))
    plan = FramePlan(_SOURCE, _SIZE, (ActiveEffect(effect.key, effect.version, values, others),))
    sources = _One(raw_from_bgr(picture))
    started = time.perf_counter()
    draw(plan, sources, _SIZE)
    return 1000 * (time.perf_counter() - started)


def _picture() -> np.ndarray:
    with av.open(str(sorted(MEDIA.glob("*.mp4"))[1])) as container:
        frame = next(container.decode(video=0))
        return np.ascontiguousarray(cv2.resize(frame.to_ndarray(format="bgr24"), _SIZE), np.uint8)
