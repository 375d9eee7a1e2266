"""A rough cut: the best stretch of a song, filled and dressed, in one step."""

from itertools import pairwise

import pytest
from helpers import a_project, a_song, some_footage
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from epiphane.document.filling import Pace
from epiphane.document.lane import Span
from epiphane.document.pulse import PulseUnit
from epiphane.document.song import PART_KINDS, Section
from epiphane.edits.keying.cues import set_cue_strength
from epiphane.edits.keying.lanes import add_lane
from epiphane.edits.keying.spans import add_span
from epiphane.edits.rough_cut import RoughCut, rough_cut, take_stretch, with_whole_song
from epiphane.edits.shots.filling import fill_song
from epiphane.edits.song.song import set_song
from epiphane.errors import EditError
from epiphane.facts.stretches import best_stretches
from epiphane.files.recipes import RecipeBook, recipe_folder
from epiphane.keying.dressing_styles import transition_styles
from epiphane.lane_kinds import is_transition
from epiphane.timing import frame_at

TEMPO, BAR = 120, 2.0


@pytest.fixture(scope="module")
def recipes():
    return {one.recipe.name: one.recipe for one in RecipeBook(recipe_folder()).read()[0]}


def a_long_song(kinds, n_bars=8):
    """Return a song of parts of some bars each, with a drop where it gets full."""
    energies = {"calm": 0.2, "build": 0.5, "full": 0.9, "break": 0.3}
    song = a_song(tempo=TEMPO, n_beats=4 * n_bars * len(kinds))
    length = n_bars * BAR
    parts = [
        Section(number * length, (number + 1) * length, "ABCDEFGH"[number], kind, energies[kind])
        for number, kind in enumerate(kinds)
    ]
    drops = [one.start for before, one in pairwise(parts) if one.kind == "full" != before.kind]
    return replace(song, duration=length * len(kinds), sections=tuple(parts), drops=tuple(drops))


@given(
    st.lists(st.sampled_from(PART_KINDS), min_size=1, max_size=6),
    st.floats(5, 120),
    st.integers(2, 8),
)
def test_stretches_are_in_the_song_on_bars_and_as_long_as_was_asked_for(kinds, seconds, n_bars):
    song = a_long_song(kinds, n_bars)
    lines = [*(beat.time for beat in song.beats if beat.place == 1), song.duration]
    found = best_stretches(song, seconds)
    assert 1 <= len(found) <= 3 and len(set(found)) == len(found)
    for one in found:
        assert 0 <= one.start < one.end <= song.duration
        assert one.start in lines and one.end in lines
        assert abs(one.seconds - min(seconds, song.duration)) <= BAR / 2 + 1e-6
        assert one.drop is None or (one.drop in song.drops and one.start < one.drop < one.end)
    if song.duration > seconds + 3 * BAR:
        assert len(found) == 3


def test_the_best_has_a_build_and_its_drop_inside_and_begins_with_a_part():
    song = a_long_song(("calm", "calm", "build", "full", "full", "calm"))
    best = best_stretches(song, 40)[0]
    assert (best.start, best.end, best.drop) == (32.0, 72.0, 48.0)


def test_a_song_without_bars_or_of_five_seconds_has_stretches_too():
    bare = replace(a_song(), beats=(), drops=(), sections=(), duration=60.0)
    assert [one.seconds for one in best_stretches(bare, 20)] == [20.0, 20.0, 20.0]
    assert [(one.start, one.end) for one in best_stretches(replace(bare, duration=5.0), 20)] == [(0.0, 5.0)]


def filmed():
    """Return a project of a song of six parts, and three clips."""
    song = a_long_song(("calm", "calm", "build", "full", "full", "calm"))
    return replace(
        a_project(n_lanes=0, n_shots=0),
        song=song,
        footage=tuple(some_footage(number, duration=40.0) for number in (1, 2, 3)),
    )


def cut(project, recipes, **wanted):
    return rough_cut(project, RoughCut(**wanted), recipes, transition_styles(), is_transition)


def test_a_rough_cut_is_ordinary_shots_and_lanes_on_the_best_stretch(recipes):
    made = cut(filmed(), recipes, seconds=40)
    assert (made.song.start, made.song.duration) == (32.0, 40.0)
    assert made.song.drops == (16.0,)
    assert (made.song.fade_in, made.song.fade_out) == (0.02, 2.0)
    assert (made.shots[0].start, made.shots[-1].end) == (0, made.n_frames)
    built, full = ([s for s in made.shots if (s.start < 16 * 30) is is_first] for is_first in (True, False))
    mean = [sum(shot.n_frames for shot in shots) / len(shots) for shots in (built, full)]
    assert mean[0] > 1.5 * mean[1]
    assert {lane.is_dressed for lane in made.lanes} == {True}
    again = cut(made, recipes, seconds=40)
    assert (again.song, again.shots) == (made.song, made.shots)


def test_pace_strength_and_seed_change_it_and_the_whole_song_comes_back(recipes):
    project = filmed()
    slow, quick = (cut(project, recipes, pace=pace) for pace in (0.0, 1.0))
    assert len(quick.shots) > 3 * len(slow.shots)
    faint, strong = (cut(project, recipes, strength=strength) for strength in (0.0, 1.0))
    assert faint.dressing.density < strong.dressing.density
    assert faint.stack != strong.stack
    assert cut(project, recipes, seed=1) == cut(project, recipes, seed=1) != cut(project, recipes, seed=2)
    other = cut(project, recipes, seconds=20, stretch=1)
    assert other.song.start != cut(project, recipes, seconds=20).song.start
    whole = cut(other, recipes, seconds=None)
    assert (whole.song.beats, whole.song.duration) == (project.song.beats, project.song.duration)


def test_what_is_lacking_is_said(recipes):
    with pytest.raises(EditError, match="no song"):
        cut(replace(filmed(), song=None), recipes)
    with pytest.raises(EditError, match="no footage"):
        cut(replace(filmed(), footage=()), recipes)
    project = filmed()
    quiet = take_stretch(project, best_stretches(project.song, 500)[0])
    assert (quiet.song.fade_in, quiet.song.fade_out) == (0.0, 0.0)
    assert with_whole_song(quiet).song.duration == project.song.duration


@pytest.mark.parametrize("tempo", [90, 120, 150])
def test_another_song_of_the_same_form_keeps_shots_and_cues_by_part_and_bar(tempo):
    """The parts of the second song are shorter: what they have no bars for goes, all else stays in place."""
    kinds = ("calm", "build", "full", "break", "full")
    project = replace(filmed(), song=a_long_song(kinds, 4))
    project = fill_song(project, pace=Pace(every=4))
    project = add_lane(project, "glow", next(one.id for one in project.pulses if one.unit is PulseUnit.BEAT))
    lane, song = project.lanes[0], project.song
    beat = song.beats[4 * 9 + 2].time  # the third beat of the second bar of the third part
    project = set_cue_strength(project, [(lane.id, beat)], 0.3)
    project = add_span(project, lane.id, song.sections[3].start, song.sections[3].end)
    other = in_tempo(replace(a_long_song(kinds, 3), fingerprint="e" * 32), tempo)
    changed = set_song(project, other)
    starts = {frame_at(one.time, 30) for one in changed.song.beats if one.place == 1}
    assert {shot.start for shot in changed.shots} == starts
    assert len(changed.shots) == 3 * len(kinds) == len(project.shots) - len(kinds)
    firsts = [next(s for s in project.shots if s.start == frame_at(p.start, 30)).id for p in song.sections]
    at = {shot.start: shot.id for shot in changed.shots}
    assert [at[frame_at(part.start, 30)] for part in changed.song.sections] == firsts
    assert [one.hit for one in changed.lanes[0].overrides] == [changed.song.beats[4 * 7 + 2].time]
    part = changed.song.sections[3]
    assert changed.lanes[0].spans == (Span(part.start, part.end),)
    # Of a song of another form the count of bars is kept, as before.
    flat = replace(other, sections=(), drops=(), fingerprint="d" * 32)
    assert len(set_song(project, flat).shots) == len(starts)


def in_tempo(song, tempo):
    """Return a song that goes at another tempo."""

    def at(time):
        return round(time * TEMPO / tempo, 6)

    return replace(
        song,
        tempo=float(tempo),
        duration=at(song.duration),
        beats=tuple(replace(one, time=at(one.time)) for one in song.beats),
        sections=tuple(replace(one, start=at(one.start), end=at(one.end)) for one in song.sections),
        drops=tuple(map(at, song.drops)),
    )
