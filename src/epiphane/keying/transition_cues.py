"""Transitions at the cuts: which frames each takes, and how far it is on them."""

from collections.abc import Sequence
from itertools import pairwise
from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from epiphane.declare.parameters import NamedValues
from epiphane.document.envelope import Envelope
from epiphane.document.ids import FootageId, LaneId
from epiphane.document.lane import EffectInstance, Trigger
from epiphane.document.project import Project
from epiphane.document.song import Hit
from epiphane.document.timeline import Item
from epiphane.edits.shots.shots import footage_name
from epiphane.facts.beyond import beyond_words, n_frames_lacking
from epiphane.facts.cuts import Cut, cuts_of, drift_at
from epiphane.keying.envelope import envelope_level, in_frames
from epiphane.keying.picking import chances
from epiphane.lane_kinds import is_transition
from epiphane.timing import frame_at
from epiphane.transitions.declare import (
    BY_CHANCE,
    DIRECTION,
    DIRECTIONS,
    IN_TURN,
    TRANSITIONS,
    WITH_MOVEMENT,
    Progress,
    Transition,
)
from epiphane.types import FloatArray
from epiphane.wording import plural, tr

if TYPE_CHECKING:
    from epiphane.keying.schedule import Cue, LaneSchedule


class TransitionCue(Struct, frozen=True):
    """A transition at a cut.

    `peak` is the frame on which it is half way, and its `envelope` has as many frames as there is room for:
    both pictures are seen from frame `first` to before `end`. A picture of `clip` may be its matte.
    """

    lane: LaneId
    cue: "Cue"
    cut: Cut
    transition: Transition
    values: NamedValues
    seed: int
    peak: int
    envelope: Envelope
    clip: FootageId | None = None

    @property
    def first(self) -> int:
        """Its first frame, or the frame of the cut where that is earlier."""
        return min(self.peak - round(self.envelope.rise), self.cut.frame)

    @property
    def end(self) -> int:
        """The frame after its last."""
        return max(self.peak + round(self.envelope.hold + self.envelope.fall), self.cut.frame)

    @property
    def sides(self) -> tuple[tuple[Item | None, int, int], tuple[Item | None, int, int]]:
        """The outgoing and the incoming shot, each with its frames (first, end), those of the mix as well."""
        out, into = self.cut.outgoing, self.cut.incoming
        first, end = self.first, self.end
        return (
            (out, first, end) if out is None else (out, out.start, max(out.end, end)),
            (into, first, end) if into is None else (into, min(into.start, first), into.end),
        )

    def n_lacking(self, project: Project) -> tuple[int, int]:
        """Return on how many of its frames footage is lacking: of the outgoing and of the incoming shot."""
        cut = self.cut
        return (
            n_frames_lacking(project, cut.outgoing, range(cut.frame, self.end)),
            n_frames_lacking(project, cut.incoming, range(self.first, cut.frame)),
        )

    def lacking_words(self, project: Project) -> tuple[str, ...]:
        """Return in sentences which footage is too short for it, and what is shown instead."""
        names = {one.id: footage_name(one) for one in project.footage}
        words = []
        sides = (self.cut.outgoing, tr("after its end")), (self.cut.incoming, tr("before its start"))
        for (shot, where), number in zip(sides, self.n_lacking(project), strict=True):
            if shot is not None and shot.footage is not None and number:
                frames = plural(number, "1 frame", "{} frames")
                name = names.get(shot.footage, tr("the clip"))
                words.append(
                    tr(
                        "{name} lacks {frames} {where}: it is shown {instead}",
                        name=name,
                        frames=frames,
                        where=where,
                        instead=beyond_words(shot),
                    )
                )
        return tuple(words)

    def progress_at(self, frame: int, aspect: float, *, in_light: bool = False) -> Progress:
        """Return how far it is on a frame of the project, and how much further it is on the next.

        Parameters
        ----------
        frame : int, of the project
        aspect : float, width of the frame by its height
        in_light : bool, whether the film mixes light
        """
        offsets = np.array([frame - self.peak, frame - self.peak + 1.0])
        now, then = np.round(_shares(self.envelope, offsets), 6).tolist()
        return Progress(now, round(then - now, 6), round(aspect, 6), self.seed, in_light)


def _shares(envelope: Envelope, offsets: FloatArray) -> FloatArray:
    """Return how far a transition is on frames, counted from its peak: float64, the shape of `offsets`.

    Half of the way lies on either side of the peak, or all of it on the one side that has frames.
    """
    after = envelope.hold + envelope.fall
    if envelope.rise == 0 and after == 0:
        shares = np.where(offsets < 0, 0.0, 1.0)
    elif envelope.rise == 0:
        falling = replace(envelope, rise=0.0, hold=0.0, fall=after + 1)
        shares = np.where(offsets < 0, 0.0, 1 - envelope_level(falling, np.maximum(offsets + 1, 0)))
    elif after == 0:
        shares = np.where(offsets < 0, envelope_level(envelope, offsets), 1.0)
    else:
        level = envelope_level(envelope, offsets) / 2
        shares = np.where(offsets < 0, level, np.where(offsets >= after, 1.0, 1 - level))
    return np.asarray(np.clip(shares, 0, 1))


class _Wanted(Struct, frozen=True):
    """A transition as its lane has it, before there is a look at how much room it has."""

    lane: "LaneSchedule"
    cue: "Cue"
    turn: int
    cut: Cut
    transition: Transition
    instance: EffectInstance

    @property
    def before(self) -> int:
        """How many frames before its cut it begins."""
        return max(0, self.cut.frame - (self.cue.frame - round(self.cue.envelope.rise)))

    @property
    def after(self) -> int:
        """How many frames after its cut it ends."""
        shape = self.cue.envelope
        return max(0, self.cue.frame + round(shape.hold + shape.fall) - self.cut.frame)


def hits_at_cuts(project: Project, hits: Sequence[Hit]) -> tuple[Hit, ...]:
    """Return those of some hits on whose frame a cut is: others fire no transition."""
    frames = {cut.frame for cut in cuts_of(project)} if hits else set()
    return tuple(hit for hit in hits if frame_at(hit.time, project.rate) in frames)


def transition_cues(project: Project, lanes: Sequence["LaneSchedule"]) -> tuple[TransitionCue, ...]:
    """Return the transitions of a project, ascending.

    A lane of a transition that is fired at a cut has one there; of two lanes the later one counts. None
    reaches past the shots of its cut, and two that would meet in a shot share it in proportion.
    """
    firing = [
        one
        for one in lanes
        if not one.is_silent and one.lane.trigger is Trigger.FIRE and is_transition(one.lane.effect)
    ]
    cuts = cuts_of(project) if firing else ()
    by_frame = {cut.frame: cut for cut in cuts}
    wanted: dict[int, _Wanted] = {}
    for lane in firing:
        for turn, cue in enumerate(lane.timing.firing):
            cut = by_frame.get(frame_at(cue.hit.time, project.rate))
            instance = None if cut is None else lane.instance_of(cue, turn)
            transition = None if instance is None else TRANSITIONS.find(instance.effect)
            if cut is not None and instance is not None and transition is not None:
                wanted[cut.frame] = _Wanted(lane, cue, turn, cut, transition, instance)
    room = _room(project, cuts, wanted)
    made = (_in_room(project, one, *room[frame]) for frame, one in sorted(wanted.items()))
    return tuple(one for one in made if one.first < one.end)


def _room(project: Project, cuts: Sequence[Cut], wanted: dict[int, _Wanted]) -> dict[int, tuple[int, int]]:
    """Return how many frames the transition of each cut may have before and after it."""
    frames = [0, *(cut.frame for cut in cuts), project.n_frames]
    before: dict[int, int] = {}
    after: dict[int, int] = {}
    for start, end in pairwise(frames):
        room = end - start
        left, right = wanted.get(start), wanted.get(end)
        reach, lead = (0 if left is None else left.after), (0 if right is None else right.before)
        if reach + lead > room:
            reach = room * reach // (reach + lead)
            lead = min(lead, room - reach)
        after[start], before[end] = reach, lead
    return {frame: (before[frame], after[frame]) for frame in wanted}


def _in_room(project: Project, wanted: _Wanted, before: int, after: int) -> TransitionCue:
    """Return a transition that has at most so many frames before and after its cut."""
    cue, cut = wanted.cue, wanted.cut
    shape = in_frames(cue.envelope, 1.0)
    peak = min(max(cue.frame, cut.frame - before), cut.frame + after)
    rise = min(round(shape.rise), peak - (cut.frame - before))
    left = cut.frame + after - peak
    hold = min(round(shape.hold), left)
    fall = min(round(shape.fall), left - hold)
    envelope = replace(shape, rise=float(rise), hold=float(hold), fall=float(fall))
    lane = wanted.lane.lane
    seed = int(chances(lane.seed, np.array([cue.hit.time]), "transition")[0] * 1_000_000)
    values = wanted.transition.values_at(wanted.instance.settings, cue.strength)
    values = _directed(project, values, wanted, seed)
    clip = lane.clips[wanted.turn % len(lane.clips)] if lane.clips else None
    return TransitionCue(lane.id, cue, cut, wanted.transition, values, seed, peak, envelope, clip)


def _directed(project: Project, values: NamedValues, wanted: _Wanted, seed: int) -> NamedValues:
    """Return values in which the direction is one of four, where another one is wanted at each cut."""
    way = dict(values).get(DIRECTION)
    if way == IN_TURN:
        chosen = DIRECTIONS[wanted.turn % 2]
    elif way == BY_CHANCE:
        chosen = DIRECTIONS[seed % len(DIRECTIONS)]
    elif way == WITH_MOVEMENT:
        chosen = _along(drift_at(project, wanted.cut)) or DIRECTIONS[wanted.turn % 2]
    else:
        return values
    return tuple((name, chosen if name == DIRECTION else value) for name, value in values)


def _along(drift: tuple[float, float]) -> str | None:
    """Return the direction that a movement is nearest to, or None where nothing moves."""
    across, down = drift
    if across == down == 0:
        return None
    if abs(across) >= abs(down):
        return "right" if across > 0 else "left"
    return "down" if down > 0 else "up"
