"""How far cues may be moved: none passes another one of its lane."""

from collections.abc import Iterable

from epiphane.edits.keying.cues import CueKey
from epiphane.keying.schedule import Schedule

_FARTHEST = 1_000_000


def nudge_limits(cues: Schedule, chosen: Iterable[CueKey]) -> dict[CueKey, tuple[int, int]]:
    """Return by how many frames each of some cues may be moved, from and to, until it would pass a neighbour.

    Neighbours that are moved along do not count, nor do cues that are off.
    """
    keys = frozenset(chosen)
    limits: dict[CueKey, tuple[int, int]] = {}
    for lane in cues.lanes:
        firing = [cue for cue in lane.cues if not cue.is_off or (lane.lane.id, cue.hit.time) in keys]
        low = high = None
        before: list[int | None] = []
        for cue in firing:  # hits ascend
            before.append(low)
            low = low if (lane.lane.id, cue.hit.time) in keys else cue.frame
        after: list[int | None] = []
        for cue in reversed(firing):
            after.append(high)
            high = high if (lane.lane.id, cue.hit.time) in keys else cue.frame
        for cue, earlier, later in zip(firing, before, reversed(after), strict=True):
            key = lane.lane.id, cue.hit.time
            if key in keys:
                first = -_FARTHEST if earlier is None else min(0, earlier + 1 - cue.frame)
                last = _FARTHEST if later is None else max(0, later - 1 - cue.frame)
                limits[key] = first, last
    return limits


def nudge_within(cues: Schedule, chosen: Iterable[CueKey], n_frames: int) -> int:
    """Return how many of some frames cues may be moved by together, so that none passes a neighbour."""
    limits = nudge_limits(cues, chosen).values()
    low = max((first for first, _ in limits), default=-_FARTHEST)
    high = min((last for _, last in limits), default=_FARTHEST)
    return min(max(n_frames, low), high)
