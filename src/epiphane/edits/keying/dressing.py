"""Dressing a song: lanes and transitions for all of it in one step, by section and from recipes."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from itertools import pairwise

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from epiphane.document.dressing import Dressing, Mood
from epiphane.document.envelope import Envelope
from epiphane.document.ids import LaneId, PulseId
from epiphane.document.lane import EffectInstance, Lane, Span, Trigger
from epiphane.document.pick import Landmark, Pick
from epiphane.document.project import Project, with_lanes
from epiphane.document.pulse import HeardSource, PulseUnit
from epiphane.document.recipe import Recipe
from epiphane.document.song import Section, Song
from epiphane.edits.keying.pulses import ensure_pulse
from epiphane.edits.keying.recipes import use_recipe
from epiphane.errors import EditError
from epiphane.facts.form import parts_of
from epiphane.wording import tr

_DROP_BARS = 4
_TRANSITIONS_OF_A_MOOD = 2
_LONGEST_BARS = 8
"""A longer stretch has another recipe after so many bars: what does not change is not seen any more."""
_FEWEST_WITH_ENDS = 3
"""Stretches from which on the first and the last, if they are calm, are the opening and the ending."""


class _Stretch(Struct, frozen=True):
    """A part of the song with its mood, in seconds."""

    mood: Mood
    start: float
    end: float


class TransitionStyle(Struct, frozen=True):
    """A transition that a mood may have at its cuts, with the envelope that it is declared with."""

    key: str
    envelope: Envelope


def dress(
    project: Project,
    dressing: Dressing,
    recipes: Mapping[str, Recipe],
    transitions: Mapping[Mood, tuple[TransitionStyle, ...]],
    is_transition: Callable[[str], bool],
) -> Project:
    """Return `project` with lanes by itself: those of an earlier dressing go, unless they are locked.

    What a locked lane is on over, or fires in, is left as it is; at cuts that have a transition of the
    user's, that one counts.

    Each stretch of a mood has one of its recipes, whole, so that its effects belong together, and the next
    stretch, or eight bars of a long one, the next. Lanes fire on the more hits, the denser it is. The cuts of
    a mood have two transitions. All are ordinary lanes.

    Parameters
    ----------
    recipes : by name
        Those that the dressing names, and that are there.
    transitions : by mood
    is_transition : of the key of a lane's effect

    Raises
    ------
    EditError
        If there is no song with beats, or nothing at all to dress it with.
    """
    song = project.song
    if song is None or not song.beats:
        raise EditError(tr("a song is dressed on its beats: open a song first"))
    project = replace(undressed(project), dressing=dressing)
    stretches = _stretches(project)
    n_before = len(project.lanes)
    rng = np.random.default_rng(dressing.seed)
    for mood in Mood:
        spans = _free(_divided(stretches, song), mood, _kept(project, lambda key: not is_transition(key)))
        looks = [recipes[name] for name in dressing.of(mood) if name in recipes]
        if spans and looks:
            project = _with_looks(project, dressing, mood, spans, looks, rng)
    if dressing.has_transitions and len(project.shots) > 1:
        for mood in Mood:
            spans = _free(stretches, mood, _kept(project, is_transition))
            if spans and transitions.get(mood):
                project = _with_transitions(project, dressing, mood, spans, transitions[mood], rng)
    if len(project.lanes) == n_before:
        raise EditError(tr("there is nothing to dress the song with: choose recipes for its parts"))
    return project


def undressed(project: Project) -> Project:
    """Return `project` without the lanes of its dressing, but for those that are locked."""
    return with_lanes(project, [one for one in project.lanes if not one.is_dressed or one.is_locked])


def _stretches(project: Project) -> list[_Stretch]:
    """Return the song in stretches of one mood, ascending."""
    song = project.song
    assert song is not None
    sections = parts_of(song) or (Section(0.0, song.duration, "A", "full", 1.0),)
    bars = [beat.time for beat in song.beats if beat.place == 1]
    drops = [(drop, _after_bars(bars, drop, song.duration)) for drop in song.drops]
    found: list[_Stretch] = []
    for section in sections:
        mood = _mood_of(section)
        at = section.start
        for first, end in drops:
            if first >= section.end or end <= at:
                continue
            if first > at + 1e-6:
                found.append(_Stretch(mood, at, first))
            found.append(_Stretch(Mood.DROP, max(first, at), min(end, section.end)))
            at = min(end, section.end)
        if section.end > at + 1e-6:
            found.append(_Stretch(mood, at, section.end))
    if len(found) >= _FEWEST_WITH_ENDS:
        for place, mood in ((0, Mood.OPENING), (-1, Mood.ENDING)):
            if found[place].mood is Mood.CALM:
                found[place] = _Stretch(mood, found[place].start, found[place].end)
    return found


def _divided(stretches: Iterable[_Stretch], song: Song) -> list[_Stretch]:
    """Return stretches of which none is much longer than eight bars: long ones are divided on bars."""
    bars = [beat.time for beat in song.beats if beat.place == 1]
    made = []
    for one in stretches:
        inside = [bar for bar in bars if one.start - _LEAST_SECONDS <= bar < one.end - _LEAST_SECONDS]
        n_parts = max(1, round(len(inside) / _LONGEST_BARS))
        starts = [one.start, *(inside[round(part * len(inside) / n_parts)] for part in range(1, n_parts))]
        made += [_Stretch(one.mood, *ends) for ends in pairwise([*starts, one.end])]
    return made


def _kept(project: Project, is_kind: Callable[[str], bool]) -> list[Span]:
    """Return where locked lanes of a kind are on or fire, if that is in parts of the song only."""
    lanes = [one for one in project.lanes if one.is_locked and is_kind(one.effect)]
    return [span for lane in lanes for span in lane.spans]


def _free(stretches: Iterable[_Stretch], mood: Mood, kept: list[Span]) -> list[_Stretch]:
    """Return the stretches of a mood, without what lies in spans that are kept."""
    found = [one for one in stretches if one.mood is mood]
    for span in kept:
        found = [
            _Stretch(mood, start, end)
            for one in found
            for start, end in (
                (one.start, min(one.end, span.start)),
                (max(one.start, span.end), one.end),
            )
            if end - start > _LEAST_SECONDS
        ]
    return found


_LEAST_SECONDS = 0.1


def _after_bars(bars: list[float], drop: float, end: float) -> float:
    """Return the instant a few bars after a drop, or the end of the song if it comes before that."""
    later = [bar for bar in bars if bar > drop + 1e-3]
    return later[_DROP_BARS - 1] if len(later) >= _DROP_BARS else end


def _mood_of(section: Section) -> Mood:
    return Mood(section.kind) if section.kind in (Mood.BUILD.value, Mood.FULL.value) else Mood.CALM


def _with_looks(
    project: Project,
    dressing: Dressing,
    mood: Mood,
    spans: list[_Stretch],
    looks: list[Recipe],
    rng: np.random.Generator,
) -> Project:
    """Return `project` with a recipe over each stretch of a mood, in turn."""
    order = [looks[int(n)] for n in rng.permutation(len(looks))][: len(spans)]
    for number, recipe in enumerate(order):
        here = _within(spans[number :: len(order)])
        there = {lane.id for lane in project.lanes}
        project = use_recipe(project, replace(recipe, items=()))
        seed = int(rng.integers(1, 1_000_000))
        for lane in project.lanes:
            if lane.id not in there:
                project = _dressed(project, lane, dressing, recipe.name, here, seed)
    return project


def _dressed(
    project: Project, lane: Lane, dressing: Dressing, name: str, spans: tuple[Span, ...], seed: int
) -> Project:
    """Return `project` with a lane of a recipe as one of the dressing."""
    project, pulse, trigger = _firing(project, lane)
    depth = lane.depth if trigger is Trigger.SPAN else lane.depth * (0.7 + 0.3 * dressing.density)
    pick = lane.pick
    if trigger is Trigger.FIRE and pick == Pick() and _unit_of(project, pulse) not in _BAR_UNITS:
        # One seed for all that a recipe fires: they leave out the same hits.
        pick = Pick(chance=round(min(1.0, 0.35 + 0.9 * dressing.density), 3))
    made = replace(
        lane,
        pulse=pulse,
        trigger=trigger,
        depth=round(depth, 3),
        pick=pick,
        seed=seed,
        spans=spans,
        name=name,
        is_dressed=True,
    )
    return with_lanes(project, [made if one.id == lane.id else one for one in project.lanes])


def _firing(project: Project, lane: Lane) -> tuple[Project, PulseId, Trigger]:
    """Return what fires a lane: beats in place of drums that were not heard, and of a band of the song."""
    unit, song = _unit_of(project, lane.pulse), project.song
    drums = None if song is None else song.drums
    if lane.trigger is Trigger.FOLLOW:
        project, pulse = ensure_pulse(project, PulseUnit.BEAT)
        return project, pulse, Trigger.FIRE
    if unit in _BEATS_FOR_DRUMS and (drums is None or not drums.heard(unit.value)):
        beats, every = _BEATS_FOR_DRUMS[unit]
        project, pulse = ensure_pulse(project, beats, every=every)
        return project, pulse, lane.trigger
    return project, lane.pulse, lane.trigger


def _unit_of(project: Project, pulse: PulseId) -> PulseUnit | None:
    source = next((one.source for one in project.pulses if one.id == pulse), None)
    return source.unit if isinstance(source, HeardSource) else None


_BEATS_FOR_DRUMS = {
    PulseUnit.KICK: (PulseUnit.BEAT, 1),
    PulseUnit.SNARE: (PulseUnit.BEAT, 2),
    PulseUnit.HAT: (PulseUnit.HALF, 1),
}
_BAR_UNITS = frozenset(
    {
        PulseUnit.BAR,
        PulseUnit.PART,
        PulseUnit.DROP,
        PulseUnit.BUILD_BAR,
        PulseUnit.STOP,
        PulseUnit.CUT,
        PulseUnit.LANDING,
    }
)
"""Of which all hits are fired on, however sparse a dressing is."""


def _with_transitions(
    project: Project,
    dressing: Dressing,
    mood: Mood,
    spans: list[_Stretch],
    styles: tuple[TransitionStyle, ...],
    rng: np.random.Generator,
) -> Project:
    order = [styles[int(n)] for n in rng.permutation(len(styles))][:_TRANSITIONS_OF_A_MOOD]
    project, pulse = ensure_pulse(project, PulseUnit.CUT)
    share = 0.3 + 0.7 * dressing.density
    only = Landmark.DOWNBEATS if dressing.density < 0.25 else Landmark.ANY
    lane = Lane(
        LaneId(project.next_id),
        order[0].key,
        pulse,
        order[0].envelope,
        seed=int(rng.integers(1, 1_000_000)),
        pick=Pick(chance=round(share, 3), only=only),
        alternatives=tuple(EffectInstance(one.key) for one in order[1:]),
        spans=_within(spans),
        name=f"{mood.value} cuts",
        is_dressed=True,
    )
    # Of two transitions at a cut the one whose lane comes later counts: that of the user.
    return with_lanes(project, (lane, *project.lanes), next_id=project.next_id + 1)


def _within(spans: list[_Stretch]) -> tuple[Span, ...]:
    return tuple(Span(round(one.start, 6), round(one.end, 6)) for one in spans if one.end > one.start)
