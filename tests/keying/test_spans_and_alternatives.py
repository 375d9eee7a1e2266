"""Lanes on over spans, alternatives by chance, landmarks of the song, and rows that are silent."""

from fractions import Fraction
from itertools import pairwise

import numpy as np
import pytest
from helpers import a_project
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from epiphane.document.envelope import Ease, Envelope
from epiphane.document.ids import LaneId, PulseId, TrackId
from epiphane.document.lane import EffectInstance, Lane, Override, Span, Trigger
from epiphane.document.pick import Landmark, Pick
from epiphane.document.timeline import Track
from epiphane.edits.keying.spans import add_span, change_span, clear_spans, remove_span
from epiphane.edits.picture import set_rate
from epiphane.edits.song.regrid import regrid
from epiphane.edits.song.trim import trim_song
from epiphane.errors import EditError
from epiphane.facts.silent_rows import silent_rows
from epiphane.keying.schedule import schedule
from epiphane.keying.spans import over_span, spans_on

LINEAR = Envelope(4, 0, 6, Ease.LINEAR, Ease.LINEAR)


def lane_of(project, **fields):
    lane = Lane(LaneId(50), "flash", PulseId(5), **{"envelope": LINEAR, **fields})
    return replace(project, stack=(lane,))


def levels(project):
    return schedule(project).lanes[0].levels


def test_a_lane_is_on_over_its_spans_with_its_rise_and_fall_inside():
    project = lane_of(a_project(), trigger=Trigger.SPAN, spans=(Span(2.0, 4.0), Span(6.0, 7.0)))
    found = levels(project)
    wanted = np.zeros(project.n_frames)
    for first, end in ((60, 120), (180, 210)):
        frames = np.arange(first, end)
        wanted[frames] = np.minimum(np.minimum((frames - first) / 4, 1), np.minimum((end - frames) / 6, 1))
    assert np.allclose(found, wanted)
    assert [(cue.hit.time, cue.frame) for cue in schedule(project).lanes[0].cues] == [(2.0, 64), (6.0, 184)]


def test_without_spans_it_is_on_where_its_pick_lies_and_single_ones_may_be_off_or_weaker():
    assert np.all(levels(lane_of(a_project(), trigger=Trigger.SPAN, envelope=Envelope(0, 0, 0))) == 1)
    full = lane_of(
        a_project(), trigger=Trigger.SPAN, pick=Pick(sections=("B full",)), envelope=Envelope(0, 0, 0)
    )
    assert np.array_equal(levels(full) > 0, np.arange(full.n_frames) >= 240)
    weak = replace(full, stack=(replace(full.lanes[0], overrides=(Override(8.0, strength=0.5),)),))
    assert set(np.unique(levels(weak)[240:])) == {0.5}
    off = replace(full, stack=(replace(full.lanes[0], overrides=(Override(8.0, off=True),)),))
    assert not levels(off).any()


@given(st.integers(1, 40), st.integers(0, 60), st.integers(0, 60))
def test_a_span_shorter_than_its_sides_shares_them_and_never_reaches_beyond(n_frames, rise, fall):
    made = over_span(Envelope(rise, 3, fall, lead=2), n_frames)
    total = made.rise + made.hold + made.fall
    assert n_frames - 1 <= total <= n_frames
    assert made.lead == 0
    assert min(made.rise, made.hold, made.fall) >= 0


def test_spans_are_joined_moved_taken_away_and_follow_the_song():
    project = lane_of(a_project())
    one = add_span(project, LaneId(50), 4.0, 2.0)
    assert one.lanes[0].spans == (Span(2.0, 4.0),)
    assert one.lanes[0].trigger is Trigger.SPAN
    two = add_span(add_span(one, LaneId(50), 6.0, 7.0), LaneId(50), 3.5, 5.0)
    assert two.lanes[0].spans == (Span(2.0, 5.0), Span(6.0, 7.0))
    changed = replace(two, stack=(replace(two.lanes[0], overrides=(Override(6.0, strength=0.3),)),))
    moved = change_span(changed, LaneId(50), Span(6.0, 7.0), 8.0, 9.0)
    assert moved.lanes[0].spans == (Span(2.0, 5.0), Span(8.0, 9.0))
    assert moved.lanes[0].overrides == (Override(8.0, strength=0.3),)
    assert remove_span(moved, LaneId(50), Span(2.0, 5.0)).lanes[0].spans == (Span(8.0, 9.0),)
    assert clear_spans(moved, LaneId(50)).lanes[0].spans == ()
    with pytest.raises(EditError, match="longer than nothing"):
        add_span(project, LaneId(50), 99.0, 100.0)
    trimmed = trim_song(moved, start=1.0, end=14.0)
    assert trimmed.lanes[0].spans == (Span(1.0, 4.0), Span(7.0, 8.0))
    beats = [replace(beat, time=round(beat.time + 0.25, 6)) for beat in project.song.beats]
    pairs = [(old.time, new.time) for old, new in zip(project.song.beats, beats, strict=True)]
    later = regrid(moved, beats[:-1], matched=pairs)
    assert later.lanes[0].spans == (Span(2.25, 5.25), Span(8.25, 9.25))
    assert spans_on(set_rate(moved, Fraction(60)), moved.lanes[0]) == ((120, 300), (480, 540))


@given(st.integers(0, 999), st.integers(1, 5))
def test_alternatives_come_all_before_any_comes_again_and_never_twice_in_a_row(seed, n_others):
    names = ("zoom", "split", "blur", "invert", "hue")[:n_others]
    project = lane_of(a_project(), alternatives=tuple(map(EffectInstance, names)), seed=seed)
    lane = schedule(project).lanes[0]
    shown = [lane.instance_at(cue.frame).effect for cue in lane.cues]
    assert all(one != other for one, other in pairwise(shown))
    size = n_others + 1
    for first in range(0, len(shown) - size, size):
        assert set(shown[first : first + size]) == {"flash", *names}
    assert shown == [schedule(project).lanes[0].instance_at(cue.frame).effect for cue in lane.cues]


def test_only_downbeats_or_new_sections_are_taken_and_hits_within_spans_alone():
    def taken(**fields):
        return [cue.hit.time for cue in schedule(lane_of(a_project(), **fields)).lanes[0].cues]

    assert taken(pick=Pick(only=Landmark.DOWNBEATS)) == [0, 2, 4, 6, 8, 10, 12, 14]
    assert taken(pick=Pick(only=Landmark.SECTIONS)) == [0, 8]
    assert taken(spans=(Span(1.0, 2.0), Span(3.0, 3.5))) == [1.0, 1.5, 3.0]
    assert taken(spans=(Span(0.0, 16.0),), pick=Pick(every=8)) == [0, 4, 8, 12]


def test_where_a_row_is_solo_all_others_are_silent():
    track = Track(TrackId(60), "over")
    project = a_project()
    project = replace(project, stack=(*project.stack, track))
    flash, zoom = project.lanes
    assert silent_rows(project) == frozenset()
    muted = replace(project, stack=(replace(flash, is_muted=True), zoom, replace(track, is_muted=True)))
    assert silent_rows(muted) == {flash.id, track.id}
    solo = replace(project, stack=(flash, zoom, replace(track, is_solo=True)))
    assert silent_rows(solo) == {flash.id, zoom.id}
    assert all(not lane.levels.any() for lane in schedule(solo).lanes)
