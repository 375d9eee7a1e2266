"""The frames of a film drawn in order, a few ahead of who takes them, in the form that an encoder wants."""

from __future__ import annotations

import bisect
import math
from collections import deque
from collections.abc import Callable, Generator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from typing import TypeAlias, TypeVar

import numpy as np
from msgspec.structs import replace

from epiphane.document.project import Project, with_lanes
from epiphane.document.timeline import Fades
from epiphane.effects.pixels import light_of
from epiphane.formats.declare import Depth
from epiphane.keying.schedule import Schedule, schedule
from epiphane.lane_kinds import OVERLAY, WORDS
from epiphane.media.mattes import Mattes, made_mattes
from epiphane.media.pixel_layouts import YUV420, PixelLayout, planes_from_420, planes_in
from epiphane.media.raw import RawPicture
from epiphane.render.compose import straight
from epiphane.render.draw import Sources, draw, draw_levels, draw_planes, untouched_planes
from epiphane.render.nodes import BLACK, FramePlan, Node, Solid, SourceFrame, sources_of
from epiphane.render.plan import fade_level_at, plan_frame
from epiphane.render.sources import OpenFootage
from epiphane.types import Float32Array, Pixels, Size

DRAWING_THREADS = 2
_AHEAD = 8
# A decoder of 1080p holds some 20 MB; opening a clip again takes as long as several of its pictures.
_MOST_OPEN = 40
_WHITE = Node(Solid((255, 255, 255)))

T = TypeVar("T")
Plans: TypeAlias = tuple[FramePlan, ...]
"""What to draw of a frame: it alone, or over black and over white, whose difference is its alpha."""
Maker: TypeAlias = Callable[[Plans, float, Sources, Size], T]
"""Makes what an encoder wants of the plans of a frame, of how much of it is faded in, at a size."""


def drawn_frames(
    project: Project,
    frames: Sequence[int],
    size: Size,
    make: Maker[T],
    footage: OpenFootage,
    *,
    is_clear: bool,
    n_threads: int = DRAWING_THREADS,
) -> Generator[T, None, None]:
    """Yield what `make` makes of each frame, in order: one thread decodes, others draw.

    Parameters
    ----------
    frames : ascending
    footage : that of `footage_of_film`
    is_clear : bool
        Whether titles and overlays alone are drawn, over nothing.
    """
    bare = _bare(project) if is_clear else project
    cues, mattes = schedule(project), made_mattes(project)
    with ThreadPoolExecutor(1) as decoder, ThreadPoolExecutor(n_threads) as workers:

        def decode(frame: int, plans: Plans) -> Future[T]:
            pictures = {source: footage.picture(source) for plan in plans for source in sources_of(plan.root)}
            level = fade_level_at(project, frame) if is_clear else 1.0
            return workers.submit(make, plans, level, _Decoded(pictures), size)

        waiting: deque[Future[Future[T]]] = deque()
        for frame in frames:
            plans = _plans(bare, cues, frame, mattes, is_clear=is_clear)
            waiting.append(decoder.submit(decode, frame, plans))
            if len(waiting) > _AHEAD:
                yield waiting.popleft().result().result()
        while waiting:
            yield waiting.popleft().result().result()


def footage_of_film(project: Project) -> tuple[OpenFootage, Callable[[int], None]]:
    """Return the footage of a project, to be read in order, and who is to be told of each frame done."""
    uses = _Uses(project)
    return OpenFootage(most_open=_MOST_OPEN, next_use=uses.next_use), uses.note


def as_planes(layout: PixelLayout) -> Maker[list[Pixels]]:
    """Return what makes the planes of a layout; those with alpha are straight."""

    def make(plans: Plans, level: float, sources: Sources, size: Size) -> list[Pixels]:
        if layout == YUV420 and len(plans) == 1:
            return list(draw_planes(plans[0], sources, size))
        if len(plans) == 1 and not (layout.is_rgb or layout.has_alpha):
            untouched = untouched_planes(plans[0], sources, size)
            if untouched is not None:
                return planes_from_420(layout, untouched)
        levels = _levels(plans, level, sources, size, is_deep=not layout.is_packed)
        return planes_in(layout, _straight(levels))

    return make


def as_picture(depth: Depth) -> Maker[Pixels]:
    """Return what makes a picture of a depth: straight, or of linear light premultiplied."""

    def make(plans: Plans, level: float, sources: Sources, size: Size) -> Pixels:
        levels = _levels(plans, level, sources, size, is_deep=depth is not Depth.LEVELS_8)
        if depth is Depth.LEVELS_8:
            return _straight(levels)
        if depth is Depth.LEVELS_16:
            return np.asarray(np.rint(_straight(levels) * 257.0), np.uint16)
        colours = _straight(levels)
        light = light_of(np.asarray(colours[..., :3], np.float64) / 255).astype(np.float32)
        if colours.shape[2] == 3:
            return light
        alpha = np.asarray(colours[..., 3:], np.float32) / 255
        return np.concatenate([light * alpha, alpha], axis=2)

    return make


def _bare(project: Project) -> Project:
    """Return `project` without what lies under its titles and overlays, and without what acts on that."""
    lanes = [one for one in project.lanes if one.track is not None or one.effect in (OVERLAY.key, WORDS.key)]
    return replace(with_lanes(project, lanes), shots=(), fades=Fades())


def _plans(project: Project, cues: Schedule, frame: int, mattes: Mattes, *, is_clear: bool) -> Plans:
    if not is_clear:
        return (plan_frame(project, cues, frame, mattes),)
    return tuple(plan_frame(project, cues, frame, mattes, ground=ground) for ground in (BLACK, _WHITE))


def _levels(plans: Plans, level: float, sources: Sources, size: Size, *, is_deep: bool) -> Pixels:
    """Return the levels of a picture, uint8 or float32: BGR, or premultiplied BGRA of one that is clear.

    Where white and black behind it look the same it is opaque: ``alpha = 1 - (white - black)``. Of colours
    that differ in that, as where light is added, the most opaque one counts.
    """
    drawn = [(draw_levels if is_deep else draw)(plan, sources, size) for plan in plans]
    if len(drawn) == 1:
        return drawn[0]
    on_black, on_white = (np.asarray(one, np.float32) for one in drawn)
    alpha = np.clip(255 - (on_white - on_black).min(axis=2), 0, 255)
    alpha[alpha < _FAINT] = 0
    made = np.dstack([np.minimum(on_black, alpha[..., None]), alpha]) * np.float32(level)
    return made if is_deep else np.rint(made).astype(np.uint8)


_FAINT = 1.5
"""Levels of alpha that come of rounding."""


def _straight(levels: Pixels) -> Pixels:
    """Return premultiplied BGRA with its colours as they are without alpha; BGR is itself."""
    if levels.shape[2] == 3:
        return levels
    if levels.dtype == np.uint8:
        return np.dstack([straight(np.asarray(levels, np.uint8)), levels[..., 3]])
    alpha = np.maximum(levels[..., 3:], 1e-6)
    colours: Float32Array = np.asarray(np.clip(levels[..., :3] * (255 / alpha), 0, 255), np.float32)
    return np.dstack([colours, levels[..., 3]])


class _Decoded:
    """Pictures that have been decoded already, as the sources of plans."""

    def __init__(self, pictures: dict[SourceFrame, RawPicture]) -> None:
        self._pictures = pictures

    def picture(self, source: SourceFrame) -> RawPicture:
        return self._pictures[source]


class _Uses:
    """When each file of a project is shown next, while it is gone through."""

    def __init__(self, project: Project) -> None:
        self._frame = 0
        paths = {footage.id: footage.path for footage in project.footage}
        self._ends: dict[str, list[int]] = {}
        for shot in project.shots:
            if shot.footage is not None:
                self._ends.setdefault(paths.get(shot.footage, ""), []).append(shot.end)

    def note(self, frame: int) -> None:
        """Take note that a frame is done."""
        self._frame = frame

    def next_use(self, path: str) -> float:
        """Return the end of the next shot that shows a file, in frames; infinite where none does."""
        ends = self._ends.get(path, [])
        later = bisect.bisect_right(ends, self._frame)
        return ends[later] if later < len(ends) else math.inf
