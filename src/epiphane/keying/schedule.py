"""Every lane's cues: what fires, on which frame, how strongly."""

import random
from functools import cached_property

import numpy as np
from msgspec import Struct

from epiphane.document.hits import ground_of, hits_of
from epiphane.document.model import Hit, Lane, LaneId, Override, Project
from epiphane.keying.envelope import envelope_level, frame_levels
from epiphane.timing import frames_at
from epiphane.types import FloatArray


class Cue(Struct, frozen=True):
    """One firing of a lane.

    `frame` is the frame of its peak, nudge included; `strength` is what the envelope is multiplied
    by, already with the lane's depth. A cue that is off stays here, so that it can be shown.
    """

    hit: Hit
    frame: int
    strength: float
    override: Override | None = None

    @property
    def is_off(self) -> bool:
        """Whether it does not fire."""
        return self.override is not None and self.override.off


class LaneSchedule:
    """The cues of one lane, ascending by hit, and the hits of its pulse."""

    def __init__(
        self,
        lane: Lane,
        hits: tuple[Hit, ...],
        cues: tuple[Cue, ...],
        n_frames: int,
        *,
        is_silent: bool = False,
    ) -> None:
        self.lane = lane
        self.is_silent = is_silent or lane.muted
        self.hits = hits
        self.cues = cues
        self._n_frames = n_frames

    @cached_property
    def levels(self) -> FloatArray:
        """Float64, shape (n_frames,): the lane's level on every frame; of two cues the stronger."""
        levels = np.zeros(self._n_frames)
        shape = frame_levels(self.lane.envelope)
        firing = [cue for cue in self.cues if not cue.is_off and cue.strength > 0]
        if not firing or self.is_silent:
            return levels
        starts = np.array([cue.frame for cue in firing]) - self.lane.envelope.rise
        frames = starts[:, None] + np.arange(len(shape))
        values = np.array([cue.strength for cue in firing])[:, None] * shape
        inside = (frames >= 0) & (frames < self._n_frames)
        np.maximum.at(levels, frames[inside], values[inside])
        return np.minimum(levels, 2.0)

    def since_peak(self, frame: int) -> int:
        """Return how many frames ago the cue that counts on a frame had its peak; below 0 before it."""
        envelope = self.lane.envelope
        firing = [
            cue
            for cue in self.cues
            if not cue.is_off
            and cue.strength > 0
            and cue.frame - envelope.rise <= frame <= cue.frame + envelope.hold + envelope.fall
        ]
        offsets = np.array([frame - cue.frame for cue in firing], np.float64)
        if not len(offsets):
            return 0
        levels = envelope_level(envelope, offsets) * [cue.strength for cue in firing]
        newest_first = np.argmax(levels[::-1])  # of equals the newer one counts
        return int(offsets[::-1][newest_first])


class Schedule:
    """The cues of every lane, in the order of the lanes."""

    def __init__(self, project: Project, lanes: tuple[LaneSchedule, ...]) -> None:
        self.project = project
        self.lanes = lanes

    def lane(self, lane_id: LaneId) -> LaneSchedule | None:
        """Return the schedule of one lane, or None if there is no such lane."""
        return next((one for one in self.lanes if one.lane.id == lane_id), None)


def schedule(project: Project, before: Schedule | None = None) -> Schedule:
    """Return the cues of every lane.

    `before` is an earlier schedule: lanes whose causes have not changed since are taken from it.
    """
    kept = {}
    if before is not None and (project.rate, project.n_frames) == (
        before.project.rate,
        before.project.n_frames,
    ):
        kept = {one.lane.id: one for one in before.lanes}
    ground = ground_of(project)
    pulses = {pulse.id: pulse for pulse in project.pulses}
    has_solo = any(lane.is_solo for lane in project.lanes)
    lanes = []
    for lane in project.lanes:
        hits = hits_of(pulses[lane.pulse], ground) if lane.pulse in pulses else ()
        old = kept.get(lane.id)
        is_silent = lane.muted or (has_solo and not lane.is_solo)
        if old is not None and old.lane == lane and old.hits == hits and old.is_silent == is_silent:
            lanes.append(old)
        else:
            cues = _cues(project, lane, hits)
            lanes.append(LaneSchedule(lane, hits, cues, project.n_frames, is_silent=is_silent))
    return Schedule(project, tuple(lanes))


def _cues(project: Project, lane: Lane, hits: tuple[Hit, ...]) -> tuple[Cue, ...]:
    overrides = {round(override.hit, 6): override for override in lane.overrides}
    cues = []
    frames = frames_at(np.array([hit.time for hit in hits]), project.rate).tolist()
    for hit, hit_frame in zip(hits, frames, strict=True):
        frame = hit_frame
        override = overrides.get(round(hit.time, 6))
        strength = lane.depth
        if lane.wander:
            strength *= 1 - lane.wander * _chance(lane.seed, hit.time)
        if override is not None:
            frame += override.nudge
            strength *= 1.0 if override.strength is None else override.strength
        cues.append(Cue(hit, frame, strength, override))
    return tuple(cues)


def _chance(seed: int, time: float) -> float:
    """Return a number in [0, 1) that depends on the seed and the hit alone."""
    return random.Random(f"{seed}:{time:.6f}").random()
