"""What every effect costs at 1080p, and an export of six at once against decoding and encoding alone."""

import time
from collections.abc import Iterator
from pathlib import Path

import av
import cv2
import numpy as np
from msgspec.structs import replace

from benchmarks.clips import make_grainy
from benchmarks.export import FRAMES, drawn_frames, seconds_of_export, seconds_of_floor
from benchmarks.result import Result, at_most
from epiphane.demo import MEDIA
from epiphane.demo.project import open_basic_demo
from epiphane.document.ids import ItemId
from epiphane.document.project import Project, with_lanes
from epiphane.document.timeline import footage_item
from epiphane.edits.footage import add_footage
from epiphane.edits.keying.lanes import add_lane
from epiphane.edits.picture import set_size
from epiphane.effects.declare import EFFECTS, Effect, FrameContext
from epiphane.media.gather import gather_files
from epiphane.media.raw import RawPicture, raw_from_bgr
from epiphane.render.draw import draw
from epiphane.render.nodes import ActiveEffect, Shown, SourceFrame, plan_of

STACK = ("shake", "blur", "split", "saturation")
"""Beside the flash and the zoom that the demo has."""
# Why an effect may take more than so many milliseconds.
_USUAL = 25
_WHY_DEAR = {
    "grade": "a chain in floats by OpenColorIO; vibrance looks up a table of 33 points a side",
    "kaleidoscope": "every pixel has a place of its own, looked up in maps",
    **dict.fromkeys(
        ("glow", "halation", "light-rays", "light-streaks"),
        "light is added in 16 bits: a table there, a sum, a table back, a blur of several widths",
    ),
    **dict.fromkeys(
        ("ripple", "swirl", "tunnel", "cut-glass", "signal-loss", "little-planet", "fold", "depth-parallax"),
        "every pixel has a place of its own, looked up in maps",
    ),
    "prism": "two of three channels are looked up twice each",
    "lightning": "the bolt is drawn anew at half the size, and added in 16 bits",
    "speed-lines": "150 wedges with smooth edges, each as long as the picture",
    "blur": "an iris of many points, over linear light",
    "two-glows": "light is added in 16 bits, of two colours",
    "old-tube": "a curved look-up, three gains for every pixel, and a glow in light",
    "broken-tape": "colour and brightness apart, each line in a place of its own, noise drawn anew",
    "shatter": "sixty pieces, each warped and laid over the others",
    "melting": "the movement of six pairs of pictures, at a small size",
    "pixel-sort": "every line sorted by 64-bit numbers",
    "endless-zoom": "eight pictures within each other",
    "time-map": "twelve earlier frames, each where it is the one",
    "letters": "a sign for each of 1,700 cells, drawn and tinted",
    "pencil": "two blurs, lines and hatching in floats",
    "grain": "two sizes of noise in colour, drawn anew on every frame",
    "halftone": "three screens of dots at the whole size",
    "feedback": "six earlier frames, each turned and made smaller",
    "slit-scan": "twelve earlier frames, and a mean of two for each line",
    "blocks": "three earlier frames",
    "neon-outline": "slopes and their directions in floats at half the size, and light in 16 bits",
    "tilt-shift": "two blurs in linear light, laid over each other by rows",
    "rush": "four enlargements in 16 bits",
    "kept-hue": "hues of all pixels, and colour in 16 bits",
    "tilt": "five perspective warps at half the size",
    "scanlines": "noise for every second pixel, drawn anew on every frame",
    "sweep": "a band of two colours, screened over every pixel",
}
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
    for effect in EFFECTS.all():
        took = [_milliseconds(effect, picture, Shown(_SOURCE)) for _ in range(5)]
        yield at_most(f"{effect.label} ({effect.key}) a frame of 1080p", min(took), 60, "ms")
        if min(took) > _USUAL:
            yield Result("  because", _WHY_DEAR.get(effect.key, "no reason is known: look for it"))
    project = set_size(stacked(open_basic_demo()), width=_SIZE[0], height=_SIZE[1])
    yield from _export(_with_clip(project, folder / "grain.mp4"), "film with grain", folder, limit=1.3)
    yield from _export(project, "the demo", folder)


def _export(project: Project, name: str, folder: Path, *, limit: float | None = None) -> Iterator[Result]:
    """Export ten seconds, in turn with two floors: encoding the footage, and encoding what was drawn."""
    plain = with_lanes(project, lanes=())
    pictures = {keyed: drawn_frames(project if keyed else plain) for keyed in (False, True)}
    floors, keyed_floors, exports = [], [], []
    for _ in range(_ROUNDS):
        floors.append(seconds_of_floor(plain, pictures[False], folder / "floor.mp4"))
        keyed_floors.append(seconds_of_floor(plain, pictures[True], folder / "keyed-floor.mp4"))
        exports.append(seconds_of_export(project, folder / "stack.mp4"))
    ratio, what = min(exports) / min(floors), f"export of six effects on {name} at 1080p / floor"
    yield Result(what, f"{ratio:.2f}") if limit is None else at_most(what, ratio, limit, "")
    yield Result("  of which encoding what was drawn / floor", f"{min(keyed_floors) / min(floors):.2f}")


def _with_clip(project: Project, path: Path) -> Project:
    """Return a project with one clip under what is exported, of which no picture is like another."""
    make_grainy(path, n_pictures=len(FRAMES) + 30)
    project = add_footage(
        replace(project, footage=(), shots=(), is_shape_chosen=True), gather_files([path]).found
    )
    clip = project.footage[0].id
    return replace(project, shots=(footage_item(ItemId(project.next_id), clip, FRAMES.start, len(FRAMES)),))


class _One:
    def __init__(self, raw: RawPicture) -> None:
        self._raw = raw

    def picture(self, source: SourceFrame) -> RawPicture:
        return self._raw


def _milliseconds(effect: Effect, picture: np.ndarray, other: Shown) -> float:
    values = effect.values_at((), 1.0, FrameContext(16 / 9, frame=4, in_light=True))
    others = (other,) * len(effect.echoes_of(values))
    plan = plan_of(Shown(_SOURCE), _SIZE, (ActiveEffect(effect.key, effect.version, values, others),))
    sources = _One(raw_from_bgr(picture))
    started = time.perf_counter()
    draw(plan, sources, _SIZE)
    return 1000 * (time.perf_counter() - started)


def _picture() -> np.ndarray:
    with av.open(str(sorted(MEDIA.glob("*.mp4"))[1])) as container:
        frame = next(container.decode(video=0))
        return np.ascontiguousarray(cv2.resize(frame.to_ndarray(format="bgr24"), _SIZE), np.uint8)
