"""How well optical flow does between the pictures of a shot, measured on some of them, and what it costs."""

import time
from collections.abc import Sequence

from msgspec import Struct

from epiphane.document.project import Project
from epiphane.document.timeline import Item
from epiphane.errors import MediaError
from epiphane.media.in_between import MAY_WOBBLE, WILL_TEAR, moved_between, movement_between
from epiphane.render.plan import source_of
from epiphane.render.sources import OpenFootage
from epiphane.types import Progress, ignore_progress

_N_LOOKS = 16


class FlowQuality(Struct, frozen=True):
    """Of so many pairs of pictures, how many wobble and how many tear, and the seconds of a frame."""

    n_looks: int
    n_wobbling: int
    n_tearing: int
    seconds: float

    @property
    def words(self) -> str:
        """What the user is told."""
        cost = f"some {1000 * self.seconds:.0f} ms more for each frame of an export"
        if self.n_tearing:
            where = f"will tear in {self.n_tearing} of {self.n_looks} places looked at: blend is safer"
        elif self.n_wobbling:
            where = f"may wobble in {self.n_wobbling} of {self.n_looks} places looked at"
        else:
            where = f"looks clean in all {self.n_looks} places looked at"
        return f"{where}; {cost}".capitalize()


def flow_quality(
    project: Project, shots: Sequence[Item], files: OpenFootage, *, progress: Progress = ignore_progress
) -> FlowQuality | None:
    """Return how well flow does in some shots; None where there are no two pictures to look at."""
    footage = {one.id: one for one in project.footage}
    roughnesses: list[float] = []
    seconds = 0.0
    places = [
        (shot, shot.start + (2 * n + 1) * shot.n_frames // (2 * _N_LOOKS))
        for shot in shots
        for n in range(_N_LOOKS)
    ]
    for number, (shot, frame) in enumerate(places):
        source = footage.get(shot.footage) if shot.footage is not None else None
        try:
            pair = None if source is None else files.pair(source_of(project, shot, source, frame))
        except MediaError:
            pair = None
        if pair is not None and pair[0].shape == pair[1].shape:
            started = time.thread_time()
            movement = movement_between(*pair, is_preview=False)
            moved_between(*pair, movement, 0.5, is_preview=False)
            seconds += time.thread_time() - started
            is_seen = not (movement.is_cut or movement.is_fade)  # those are not moved
            roughnesses.append(movement.roughness if is_seen else 0.0)
        progress((number + 1) / len(places))
    if not roughnesses:
        return None
    n_tearing = sum(one >= WILL_TEAR for one in roughnesses)
    n_wobbling = sum(one >= MAY_WOBBLE for one in roughnesses)
    return FlowQuality(len(roughnesses), n_wobbling, n_tearing, seconds / len(roughnesses))
