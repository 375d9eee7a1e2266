"""Every lane's cues: what fires, on which frame, how strongly."""

from functools import cached_property

import numpy as np
from msgspec import Struct

from epiphane.document.hits import ground_of, hits_of
from epiphane.document.ids import LaneId
from epiphane.document.lane import Lane, Override
from epiphane.document.model import Hit, Project
from epiphane.keying.levels import Counting, counting_of, levels_of
from epiphane.keying.picking import Picked, chances, picked_hits
from epiphane.keying.varying import varied
from epiphane.timing import frames_at
from epiphane.types import FloatArray, IntArray


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
    """The hits of a lane's pulse, those it takes, and their cues, all ascending."""

    def __init__(
        self,
        lane: Lane,
        hits: tuple[Hit, ...],
        picked: Picked,
        project: Project,
        *,
        is_silent: bool = False,
    ) -> None:
        self.lane = lane
        self.is_silent = is_silent or lane.muted
        self.hits = hits
        self.picked = picked
        self._project = project
        self._n_frames = project.n_frames

    def is_same(self, other: "LaneSchedule") -> bool:
        """Whether another one, at the same rate, has the same cues."""
        mine, theirs = ((one.lane, one.hits, one.picked, one.is_silent) for one in (self, other))
        return mine == theirs

    @cached_property
    def cues(self) -> tuple[Cue, ...]:
        """What fires, and when."""
        return _cues(self._project, self.lane, self.picked)

    @cached_property
    def left_out(self) -> tuple[float, ...]:
        """The times of the hits that are not taken."""
        taken = {hit.time for hit in self.picked.hits}
        return tuple(hit.time for hit in self.hits if hit.time not in taken)

    @cached_property
    def waiting(self) -> tuple[Override, ...]:
        """The changes to single cues whose hit is not there, or not taken, now."""
        there = {round(hit.time, 6) for hit in self.picked.hits}
        return tuple(one for one in self.lane.overrides if round(one.hit, 6) not in there)

    @cached_property
    def levels(self) -> FloatArray:
        """Float64, shape (n_frames,): the lane's level on every frame, at most 2, below 0 where an envelope
        overshoots its rest.
        """
        if self.is_silent:
            return np.zeros(self._n_frames)
        return levels_of(self.lane, *self._peaks, self._n_frames)

    @cached_property
    def _firing(self) -> tuple[Cue, ...]:
        firing = (cue for cue in self.cues if not cue.is_off and cue.strength > 0)
        return tuple(sorted(firing, key=lambda cue: cue.frame))  # a nudge may have changed their order

    @property
    def _peaks(self) -> tuple[IntArray, FloatArray]:
        frames = np.array([cue.frame for cue in self._firing], np.int64)
        return frames, np.array([cue.strength for cue in self._firing], np.float64)

    @cached_property
    def _counting(self) -> Counting:
        return counting_of(self.lane, *self._peaks, self._n_frames)

    def _counting_at(self, frame: int) -> int:
        return int(self._counting.cues[frame]) if 0 <= frame < self._n_frames else -1

    def since_peak(self, frame: int) -> int:
        """Return how many frames ago the cue that counts on a frame had its peak; below 0 before it."""
        number = self._counting_at(frame)
        return 0 if number < 0 else frame - self._firing[number].frame

    def lane_at(self, frame: int) -> Lane:
        """Return the lane with the settings that it has at the cue that counts on a frame."""
        if not any(setting.is_varied for setting in self.lane.settings):
            return self.lane
        number = self._counting_at(frame)
        if number < 0:
            return self.lane
        return varied(self.lane, int(self._counting.turns[number]), self._firing[number].hit.time)


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
        picked = picked_hits(project, lane, hits, ground)
        old = kept.get(lane.id)
        is_silent = lane.muted or (has_solo and not lane.is_solo)
        new = LaneSchedule(lane, hits, picked, project, is_silent=is_silent)
        lanes.append(old if old is not None and old.is_same(new) else new)
    return Schedule(project, tuple(lanes))


def _cues(project: Project, lane: Lane, picked: Picked) -> tuple[Cue, ...]:
    times = np.array([hit.time for hit in picked.hits])
    frames = frames_at(times, project.rate) - lane.envelope.lead
    loudness = np.array([hit.strength for hit in picked.hits])
    strengths = lane.depth * np.array(picked.strengths) * (1 - lane.by_strength * (1 - loudness))
    if lane.wander:
        strengths = strengths * (1 - lane.wander * chances(lane.seed, times))
    overrides = {round(override.hit, 6): override for override in lane.overrides}
    if not overrides:
        return tuple(map(Cue, picked.hits, frames.tolist(), strengths.tolist()))
    cues = []
    for hit, frame, strength in zip(picked.hits, frames.tolist(), strengths.tolist(), strict=True):
        override = overrides.get(round(hit.time, 6))
        if override is None:
            cues.append(Cue(hit, frame, strength))
            continue
        factor = 1.0 if override.strength is None else override.strength
        cues.append(Cue(hit, frame + override.nudge, strength * factor, override))
    return tuple(cues)
