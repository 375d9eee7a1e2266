"""Every lane's cues: what fires, on which frame, how strongly."""

import bisect
from functools import cached_property

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from epiphane.document.envelope import Envelope, LengthUnit
from epiphane.document.ids import LaneId
from epiphane.document.lane import Accent, EffectInstance, Lane, Override, Trigger
from epiphane.document.project import Project
from epiphane.document.song import Hit
from epiphane.facts.grid import beat_lengths
from epiphane.facts.hits import hit_context_of, hits_of
from epiphane.facts.silent_rows import silent_rows
from epiphane.keying.envelope import in_frames
from epiphane.keying.envelope_follower import followed_levels
from epiphane.keying.lane_levels import ActiveCues, Firing, active_cues_of, levels_of
from epiphane.keying.picking import PickedHits, chances, frames_of_shots, picked_hits
from epiphane.keying.spans import over_span, span_hits, spans_on
from epiphane.keying.transition_cues import TransitionCue, hits_at_cuts, transition_cues
from epiphane.keying.varying import overridden, varied
from epiphane.lane_kinds import is_transition
from epiphane.timing import frames_at
from epiphane.types import FloatArray, IntArray


class Cue(Struct, frozen=True, gc=False):
    """One firing of a lane.

    `frame` is the frame of its peak, nudge included; `strength` is what the envelope is multiplied
    by, already with the lane's depth; the envelope is in frames. A cue that is off stays here, so that it
    can be shown.
    """

    hit: Hit
    frame: int
    strength: float
    envelope: Envelope
    override: Override | None = None

    @property
    def is_off(self) -> bool:
        """Whether it does not fire."""
        return self.override is not None and self.override.off


class LaneTiming:
    """When a lane's cues fire and how strongly: all of a lane but its effect and values.

    Attributes
    ----------
    lane : Lane
        Without effect, settings and name, its overrides without effect and settings: see `without_looks`.
    hits : tuple of Hit, ascending
        Of its pulse.
    picked : PickedHits
        Those that it takes.
    """

    def __init__(
        self, project: Project, lane: Lane, hits: tuple[Hit, ...], picked: PickedHits, *, is_silent: bool
    ) -> None:
        self.lane = lane
        self.is_silent = is_silent
        self.hits = hits
        self.picked = picked
        self.frames_of_shots = frames_of_shots(project, lane)
        self.spans = spans_on(project, lane) if lane.trigger is Trigger.SPAN else ()
        self.n_frames = project.n_frames
        self._project = project
        beats_count = lane.trigger is Trigger.FOLLOW or any(
            one is not None and one.unit is LengthUnit.BEATS
            for one in (lane.envelope, *(override.envelope for override in lane.overrides))
        )
        self._song = project.song if beats_count else None

    def is_same(self, other: "LaneTiming") -> bool:
        """Whether another one, at the same rate, has the same cues and levels."""
        mine, theirs = (
            (one.lane, one.hits, one.picked, one.is_silent, one.frames_of_shots, one.spans, one._song)
            for one in (self, other)
        )
        return mine == theirs

    @cached_property
    def cues(self) -> tuple[Cue, ...]:
        """What fires, and when; ascending by hit."""
        return _cues(self._project, self.lane, self.picked)

    @cached_property
    def reach(self) -> int:
        """How many frames a cue is at most felt before or after the frame of its hit."""
        reaches = {
            (cue.envelope, 0 if cue.override is None else abs(cue.override.nudge)) for cue in self.cues
        }
        lengths = [shape.rise + shape.hold + shape.fall + abs(shape.lead) + nudge for shape, nudge in reaches]
        return int(max(lengths, default=0)) + 1

    @cached_property
    def levels(self) -> FloatArray:
        """The level on every frame: float64, shape (n_frames,), at most 2, below 0 where an envelope
        overshoots its rest.
        """
        if self.is_silent:
            return np.zeros(self.n_frames)
        if self.lane.trigger is Trigger.FOLLOW:
            levels = followed_levels(self._project, self.lane)
        elif self.lane.spans and self.lane.trigger in (Trigger.STEP, Trigger.TOGGLE):
            levels = self._levels_in_spans()
        else:
            levels = levels_of(self.lane, self._peaks, self.n_frames)
        if self.frames_of_shots is not None:
            is_inside = np.zeros(self.n_frames, bool)
            for first, end in self.frames_of_shots:
                is_inside[first:end] = True
            levels = np.where(is_inside, levels, 0.0)
        return levels

    def _levels_in_spans(self) -> FloatArray:
        """Return the level of a lane whose cues last: each span begins at rest and ends what is on in it."""
        peaks, levels = self._peaks, np.zeros(self.n_frames)
        for first, end in spans_on(self._project, self.lane):
            those = (peaks.frames >= first) & (peaks.frames < end)
            within = replace(
                peaks,
                frames=peaks.frames[those],
                strengths=peaks.strengths[those],
                shape_of=peaks.shape_of[those],
            )
            found = levels_of(self.lane, within, self.n_frames)
            found[end:] = 0.0
            levels = np.where(found != 0, found, levels)
        return levels

    @cached_property
    def firing(self) -> tuple[Cue, ...]:
        """The cues that are not off, ascending by their peak."""
        firing = [cue for cue in self.cues if cue.strength > 0 and (cue.override is None or not cue.is_off)]
        if self.lane.overrides:  # a nudge may have changed their order
            firing.sort(key=lambda cue: cue.frame)
        return tuple(firing)

    @cached_property
    def active_cues(self) -> ActiveCues:
        """Which of the cues that fire counts on every frame."""
        return active_cues_of(self.lane, self._peaks, self.n_frames)

    @property
    def _peaks(self) -> Firing:
        is_span = self.lane.trigger is Trigger.SPAN
        if not self.lane.overrides and self.lane.envelope.unit is LengthUnit.FRAMES and not is_span:
            return self._peaks_alike
        shapes: dict[Envelope, int] = {}
        shape_of = [shapes.setdefault(cue.envelope, len(shapes)) for cue in self.firing]
        return Firing(
            np.array([cue.frame for cue in self.firing], np.int64),
            np.array([cue.strength for cue in self.firing], np.float64),
            tuple(shapes),
            np.array(shape_of, np.int64),
        )

    @property
    def _peaks_alike(self) -> Firing:
        """The peaks where all cues have the lane's own shape: no cue has to be looked at by itself."""
        frames, strengths = _peaks_of_hits(self._project, self.lane, self.picked)
        is_firing = strengths > 0
        shape = in_frames(self.lane.envelope, 1.0)
        shapes = (shape,) if is_firing.any() else ()
        n_firing = int(is_firing.sum())
        return Firing(frames[is_firing], strengths[is_firing], shapes, np.zeros(n_firing, np.int64))


class LaneSchedule:
    """A lane's cues, and which effect with which values is at work on a frame.

    Attributes
    ----------
    lane : Lane
    timing : LaneTiming
        Shared by schedules between which only what the lane does has changed.
    """

    def __init__(self, lane: Lane, timing: LaneTiming) -> None:
        self.lane = lane
        self.timing = timing

    @property
    def is_silent(self) -> bool:
        """Whether it fires nothing: it is muted, or another lane is solo."""
        return self.timing.is_silent

    @property
    def hits(self) -> tuple[Hit, ...]:
        """The hits of its pulse, ascending."""
        return self.timing.hits

    @property
    def picked(self) -> PickedHits:
        """The hits that it takes."""
        return self.timing.picked

    @property
    def frames_of_shots(self) -> tuple[tuple[int, int], ...] | None:
        """The frames on which it may do something, from and to, or None for all."""
        return self.timing.frames_of_shots

    @property
    def reach(self) -> int:
        """How many frames a cue is at most felt before or after the frame of its hit."""
        return self.timing.reach

    def cues_near(self, start: float, end: float, rate: float) -> tuple[Cue, ...]:
        """Return the cues that may be felt between two times, in seconds; `rate` is in frames a second.

        Parameters
        ----------
        start, end : float, seconds of the song
        rate : float, frames / second
        """
        reach = self.reach / rate
        first = bisect.bisect_left(self.cues, start - reach, key=_time_of)
        return self.cues[first : bisect.bisect_right(self.cues, end + reach, key=_time_of)]

    @property
    def levels(self) -> FloatArray:
        """The lane's level on every frame, see `LaneTiming.levels`."""
        return self.timing.levels

    @cached_property
    def cues(self) -> tuple[Cue, ...]:
        """What fires, and when; ascending by hit."""
        if self.timing.lane.overrides == self.lane.overrides:
            return self.timing.cues
        whole = self._overrides
        return tuple(
            cue if cue.override is None else replace(cue, override=whole[round(cue.hit.time, 6)])
            for cue in self.timing.cues
        )

    @cached_property
    def skipped_hits(self) -> tuple[float, ...]:
        """The times of the hits that are not taken."""
        taken = {hit.time for hit in self.picked.hits}
        return tuple(hit.time for hit in self.hits if hit.time not in taken)

    @cached_property
    def orphaned_overrides(self) -> tuple[Override, ...]:
        """The changes to single cues whose hit is not there, or not taken, now."""
        there = {round(hit.time, 6) for hit in self.picked.hits}
        return tuple(one for one in self.lane.overrides if round(one.hit, 6) not in there)

    def cue_at(self, frame: int) -> tuple[Cue, int] | None:
        """Return the cue that counts on a frame, and how often values have gone on by it, or None."""
        number = -1 if self.is_silent else self._active_cue_at(frame)
        if number < 0:
            return None
        return self.timing.firing[number], int(self.timing.active_cues.turns[number])

    def own_accent(self, cue: Cue) -> Accent | None:
        """Return the accent that a cue has in place of its lane's, or None."""
        override = self._overrides.get(round(cue.hit.time, 6))
        return None if override is None else override.accent

    def turn_of(self, cue: Cue) -> int:
        """Return how often values have gone on by a cue that fires; 0 of one that does not."""
        number = bisect.bisect_left(self.timing.firing, cue.frame, key=lambda one: one.frame)
        return int(self.timing.active_cues.turns[number]) if number < len(self.timing.firing) else 0

    def next_peak(self, frame: int) -> int | None:
        """Return the frame of the first peak after a frame, or None."""
        number = bisect.bisect_right(self.timing.firing, frame, key=lambda one: one.frame)
        return self.timing.firing[number].frame if number < len(self.timing.firing) else None

    def since_peak(self, frame: int) -> int:
        """Return how many frames ago the cue that counts on a frame had its peak; below 0 before it."""
        number = self._active_cue_at(frame)
        return 0 if number < 0 else frame - self.timing.firing[number].frame

    def instance_at(self, frame: int) -> EffectInstance:
        """Return the effect and settings that the lane has at the cue that counts on a frame."""
        number = -1 if self._is_always_the_same else self._active_cue_at(frame)
        if number < 0:
            return self.lane.instance
        return self.instance_of(self.timing.firing[number], int(self.timing.active_cues.turns[number]))

    def instance_of(self, cue: Cue, turn: int) -> EffectInstance:
        """Return the effect and settings of a cue; `turn` is how often values have gone on by then."""
        found = varied(self.lane, turn, cue.hit.time)
        override = self._overrides.get(round(cue.hit.time, 6))
        return found if override is None else overridden(found, override)

    def _active_cue_at(self, frame: int) -> int:
        active = self.timing.active_cues.cues
        return int(active[frame]) if 0 <= frame < len(active) else -1

    @cached_property
    def _overrides(self) -> dict[float, Override]:
        return {round(override.hit, 6): override for override in self.lane.overrides}

    @cached_property
    def _is_always_the_same(self) -> bool:
        """Whether every cue has the lane's own effect and values."""
        has_own = any(one.effect is not None or one.settings for one in self.lane.overrides)
        is_varied = any(setting.is_varied for setting in self.lane.settings)
        return not has_own and not is_varied and not self.lane.alternatives


def without_looks(lane: Lane) -> Lane:
    """Return a lane without what it does: only what decides when it fires, and how strongly."""
    overrides = lane.overrides
    if any(one.effect is not None or one.settings or one.accent for one in overrides):
        overrides = tuple(replace(one, effect=None, settings=(), accent=None) for one in overrides)
    bare = replace(lane, effect="", settings=(), name="", overrides=overrides, alternatives=(), track=None)
    return replace(bare, is_locked=False, is_folded=False, is_dressed=False, accent=None)


class Schedule:
    """The cues of every lane, in the order of the lanes."""

    def __init__(self, project: Project, lanes: tuple[LaneSchedule, ...]) -> None:
        self.project = project
        self.lanes = lanes

    @cached_property
    def transitions(self) -> tuple[TransitionCue, ...]:
        """The transitions at the cuts, ascending; no two of them overlap."""
        return transition_cues(self.project, self.lanes)

    def transitions_between(self, first: int, end: int) -> tuple[TransitionCue, ...]:
        """Return the transitions that go on on some frame of a range, ascending."""
        found = self.transitions
        low = bisect.bisect_right(found, first, key=lambda one: one.end)
        return found[low : bisect.bisect_left(found, end, key=lambda one: one.first)]

    def transition_at(self, frame: int) -> TransitionCue | None:
        """Return the transition that goes on on a frame, or None."""
        found = self.transitions
        index = bisect.bisect_right(found, frame, key=lambda one: one.first) - 1
        return found[index] if index >= 0 and frame < found[index].end else None

    def lane(self, lane_id: LaneId) -> LaneSchedule | None:
        """Return the schedule of one lane, or None if there is no such lane."""
        return next((one for one in self.lanes if one.lane.id == lane_id), None)


def schedule(project: Project, before: Schedule | None = None) -> Schedule:
    """Return the cues of every lane.

    `before` is an earlier schedule: lanes that have not changed since, and the timing of those whose values
    alone have, are taken from it.
    """
    kept = {}
    if before is not None and (project.rate, project.n_frames) == (
        before.project.rate,
        before.project.n_frames,
    ):
        kept = {one.lane.id: one for one in before.lanes}
    context = hit_context_of(project)
    pulses = {pulse.id: pulse for pulse in project.pulses}
    silent = silent_rows(project)
    lanes = []
    for lane in project.lanes:
        has_cues = lane.pulse in pulses and lane.trigger not in (Trigger.FOLLOW, Trigger.SPAN)
        hits = hits_of(pulses[lane.pulse], context) if has_cues else ()
        if is_transition(lane.effect):
            hits = hits_at_cuts(project, hits)
        if lane.trigger is Trigger.SPAN:
            hits = span_hits(project, lane)
            picked = PickedHits(hits, (1.0,) * len(hits))
        else:
            picked = picked_hits(project, lane, hits, context)
        old = kept.get(lane.id)
        is_silent = lane.id in silent
        # Of the lane that it was: what is the same object need not be compared.
        bare = old.timing.lane if old is not None and old.lane is lane else without_looks(lane)
        timing = LaneTiming(project, bare, hits, picked, is_silent=is_silent)
        if old is not None and old.timing.is_same(timing):
            lanes.append(old if old.lane == lane else LaneSchedule(lane, old.timing))
        else:
            lanes.append(LaneSchedule(lane, timing))
    return Schedule(project, tuple(lanes))


def _peaks_of_hits(project: Project, lane: Lane, picked: PickedHits) -> tuple[IntArray, FloatArray]:
    """Return the frames of the peaks of the hits that a lane takes, and their strengths."""
    times = np.array([hit.time for hit in picked.hits])
    frames = frames_at(times, project.rate) - lane.envelope.lead
    loudness = np.array([hit.strength for hit in picked.hits])
    strengths = lane.depth * np.array(picked.strengths) * (1 - lane.by_strength * (1 - loudness))
    if lane.wander:
        strengths = strengths * (1 - lane.wander * chances(lane.seed, times))
    return np.asarray(frames, np.int64), np.asarray(strengths, np.float64)


def _cues(project: Project, lane: Lane, picked: PickedHits) -> tuple[Cue, ...]:
    frames, strengths = _peaks_of_hits(project, lane, picked)
    times = np.array([hit.time for hit in picked.hits])
    beats = beat_lengths(project, lane, times) * float(project.rate)
    envelopes = _in_frames(lane.envelope, beats)
    cues = list(map(Cue, picked.hits, frames.tolist(), strengths.tolist(), envelopes))
    overrides = {round(override.hit, 6): override for override in lane.overrides}
    for number, cue in enumerate(cues) if overrides else ():
        override = overrides.get(round(cue.hit.time, 6))
        if override is not None:
            cues[number] = _overridden(lane, cue, override, float(beats[number]))
    if lane.trigger is Trigger.SPAN:
        cues = [_over_span(cue, *span) for cue, span in zip(cues, spans_on(project, lane), strict=True)]
    return tuple(cues)


def _over_span(cue: Cue, first: int, end: int) -> Cue:
    """Return the cue of a span: it is on from one frame to before another, with its slopes inside."""
    envelope = over_span(cue.envelope, end - first)
    nudge = 0 if cue.override is None else cue.override.nudge
    return replace(cue, frame=first + nudge + int(envelope.rise), envelope=envelope)


def _overridden(lane: Lane, cue: Cue, override: Override, beat_frames: float) -> Cue:
    factor = 1.0 if override.strength is None else override.strength
    envelope, frame, own = cue.envelope, cue.frame + override.nudge, override.envelope
    if own is not None:
        envelope = in_frames(own, beat_frames)
        frame += lane.envelope.lead - own.lead
    return replace(cue, frame=frame, strength=cue.strength * factor, envelope=envelope, override=override)


def _in_frames(envelope: Envelope, beats: FloatArray) -> list[Envelope]:
    """Return an envelope in frames at beats of some lengths in frames: as few as there are shapes."""
    if envelope.unit is LengthUnit.FRAMES:
        return [in_frames(envelope, 1.0)] * len(beats)
    lengths, which = np.unique(beats, return_inverse=True)
    shapes = [in_frames(envelope, float(length)) for length in lengths]
    same: dict[Envelope, Envelope] = {}
    shapes = [same.setdefault(shape, shape) for shape in shapes]
    return [shapes[number] for number in which.tolist()]


def _time_of(cue: Cue) -> float:
    return cue.hit.time
