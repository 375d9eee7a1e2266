"""Correcting beats: what was keyed or cut to a hit stays on it."""

from itertools import pairwise

import numpy as np
import pytest
from helpers import a_project, some_footage
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from epiphane.document.ids import FootageId, ItemId, LaneId, PulseId
from epiphane.document.lane import Lane, Override
from epiphane.document.project import with_lanes
from epiphane.document.pulse import Combination, CombinedSource, PulseUnit, TappedSource
from epiphane.document.song import Beat, Hit
from epiphane.document.timeline import footage_item
from epiphane.edits.keying.pulses import add_pulse, ensure_pulse
from epiphane.edits.song.beats import (
    accept_beat,
    add_beat,
    double_beats,
    halve_beats,
    hold_tempo,
    move_beat,
    remove_beat,
    replace_beats,
    set_beats_per_bar,
    set_tempo,
    shift_one,
    take_reading,
)
from epiphane.edits.song.regrid import move_cuts
from epiphane.errors import EditError
from epiphane.facts.hits import hit_context_of, hits_of
from epiphane.timing import COMMON_RATES, frame_at

N_BEATS = 32
UNITS = [
    PulseUnit.BEAT,
    PulseUnit.BAR,
    PulseUnit.OFF_BEAT,
    PulseUnit.HALF,
    PulseUnit.THIRD,
    PulseUnit.QUARTER,
]


def times_of(project):
    return np.array([beat.time for beat in project.song.beats])


def pulse_times(project, lane):
    pulse = next(pulse for pulse in project.pulses if pulse.id == lane.pulse)
    return [hit.time for hit in hits_of(pulse, hit_context_of(project))]


@st.composite
def keyed_projects(draw):
    """A project with a lane on each unit and a drum, overrides on some hits, cuts on some beats."""
    project = replace(a_project(n_lanes=0, n_shots=0), rate=draw(st.sampled_from(COMMON_RATES)))
    lanes = []
    for number, unit in enumerate([*UNITS, PulseUnit.KICK]):
        project, pulse = ensure_pulse(project, unit)
        lane = Lane(LaneId(50 + number), "flash", pulse)
        hits = pulse_times(project, lane)
        chosen = draw(st.sets(st.integers(0, len(hits) - 1), min_size=1, max_size=4))
        lanes.append(
            replace(lane, overrides=tuple(Override(hits[k], nudge=k % 5 - 2) for k in sorted(chosen)))
        )
    cuts = sorted(draw(st.sets(st.integers(0, N_BEATS - 1), min_size=2, max_size=6)))
    frames = [frame_at(project.song.beats[k].time, project.rate) for k in cuts]
    shots = tuple(
        footage_item(ItemId(80 + n), FootageId(1), first, end - first)
        for n, (first, end) in enumerate(pairwise(frames))
    )
    return with_lanes(project, lanes=tuple(lanes), shots=shots, footage=(some_footage(1),)), cuts


def moves(draw_from):
    """Corrections that move beats and keep their number."""
    return draw_from.draw(
        st.sampled_from(
            [
                lambda p: move_beat(p, 9, times_of(p)[9] + 0.11, n_following=3),
                lambda p: move_beat(p, 20, times_of(p)[20] - 0.2),
                lambda p: hold_tempo(move_beat(p, 15, times_of(p)[15] + 0.09, n_following=6)),
                lambda p: set_tempo(p, 121.5, anchor=8.0),
                lambda p: set_tempo(p, 118.0),
            ]
        )
    )


@given(keyed_projects(), st.data())
def test_cuts_and_overrides_go_with_their_hits(made, data):
    old, cuts = made
    new = moves(data)(old)
    n_left = len(new.song.beats)
    for before, after in zip(old.lanes, new.lanes, strict=True):
        old_hits, new_hits = pulse_times(old, before), pulse_times(new, after)
        assert len(before.overrides) == len(after.overrides)
        for was, now in zip(before.overrides, after.overrides, strict=True):
            number = old_hits.index(was.hit)
            assert now.nudge == was.nudge
            if number < len(new_hits):
                assert now.hit == new_hits[number]
    places = {cut: frame_at(times_of(new)[cut], new.rate) for cut in cuts if cut < n_left}
    for number, shot in enumerate(new.shots):
        assert shot.start == places[cuts[number]]
        if cuts[number + 1] in places:
            assert shot.start + shot.n_frames == min(places[cuts[number + 1]], new.n_frames)


@given(keyed_projects(), st.integers(2, 7), st.integers(1, N_BEATS - 2))
def test_what_does_not_move_beats_moves_nothing(made, n_beats, index):
    old, _ = made
    between = (old.song.beats[index].time + old.song.beats[index + 1].time) / 2
    for change in (
        halve_beats,
        double_beats,
        lambda p: halve_beats(double_beats(p)),
        shift_one,
        lambda p: set_beats_per_bar(p, n_beats, start=old.song.beats[index].time),
        lambda p: add_beat(p, between),
        lambda p: remove_beat(p, index),
        lambda p: accept_beat(p, index),
    ):
        new = change(old)
        assert new.shots == old.shots
        for was, now in zip(old.lanes, new.lanes, strict=True):
            assert {o.hit for o in now.overrides} == {o.hit for o in was.overrides}
    assert times_of(halve_beats(double_beats(old))).tolist() == times_of(old).tolist()
    assert times_of(remove_beat(add_beat(old, between), index + 1)).tolist() == times_of(old).tolist()


def test_an_override_on_a_tap_stays_when_the_beats_it_is_blended_with_move():
    project, taps = add_pulse(a_project(n_lanes=0), TappedSource((Hit(4.6), Hit(5.2))))
    project, both = add_pulse(project, CombinedSource(Combination.EITHER, taps, PulseId(5)))
    lane = Lane(LaneId(70), "flash", both, overrides=(Override(4.6, nudge=1), Override(5.0, nudge=2)))
    new = move_beat(with_lanes(project, lanes=(lane,)), 10, 5.1, n_following=3)
    assert {override.nudge: override.hit for override in new.lanes[0].overrides} == {1: 4.6, 2: 5.1}


def test_an_override_that_waits_for_a_hit_stays_where_it_waits():
    lane = Lane(LaneId(70), "flash", PulseId(5), overrides=(Override(4.75, nudge=1), Override(5.0, nudge=2)))
    new = move_beat(with_lanes(a_project(n_lanes=0), lanes=(lane,)), 10, 5.1, n_following=3)
    assert {override.nudge: override.hit for override in new.lanes[0].overrides} == {1: 4.75, 2: 5.1}


@given(st.integers(1, 7), st.integers(0, 30))
def test_bars_are_counted_from_the_beat_that_was_named(n_beats, index):
    old = a_project()
    places = [beat.place for beat in set_beats_per_bar(old, n_beats, start=0.5 * index).song.beats]
    expected = [(k - index) % n_beats + 1 if k >= index else old.song.beats[k].place for k in range(N_BEATS)]
    assert places == expected
    shifted = [beat.place for beat in shift_one(old, index % 4).song.beats]
    assert shifted == [(k - index % 4) % 4 + 1 for k in range(N_BEATS)]


def test_half_and_double_keep_the_first_downbeat_and_the_metre():
    project = replace(a_project(), song=replace(a_project().song, beats=a_project().song.beats[1:]))
    half, double = halve_beats(project).song, double_beats(project).song
    first = project.song.beats[3].time
    for song in (half, double):
        assert next(beat.time for beat in song.beats if beat.place == 1) <= first
        assert first in [beat.time for beat in song.beats if beat.place == 1]
        assert max(beat.place for beat in song.beats) == 4
    assert (half.tempo, double.tempo) == (60.0, 240.0)


@given(st.sampled_from([0.5, 2 / 3, 1.0, 1.5, 2.0]), st.floats(0, 0.4), st.floats(0, 3), st.integers(2, 7))
def test_another_reading_is_taken_whole_and_leaves_cuts_where_they_are(ratio, shift, start, metre):
    project = a_project()
    song = replace(project.song, start=round(start, 3))
    project = replace(project, song=song)
    step = 60 / song.tempo / ratio
    times = np.round(np.arange(shift, start + song.duration + 2, step), 6)
    reading = [Beat(float(time), number % metre + 1) for number, time in enumerate(times)]
    made = take_reading(project, reading)
    expected = [time - song.start for time in times if song.start <= time < song.start + song.duration]
    assert times_of(made) == pytest.approx(expected, abs=1e-5)
    assert made.shots == project.shots
    assert made.song.tempo == pytest.approx(song.tempo * ratio, rel=1e-3)
    with pytest.raises(EditError, match="no beats in the part"):
        take_reading(project, reading[:0])


@given(st.lists(st.floats(-0.004, 0.004), min_size=N_BEATS, max_size=N_BEATS))
def test_a_held_tempo_is_the_line_through_the_beats(jitter):
    project = a_project()
    beats = tuple(
        replace(beat, time=max(0.0, beat.time + off))
        for beat, off in zip(project.song.beats, jitter, strict=True)
    )
    held = hold_tempo(replace(project, song=replace(project.song, beats=beats, is_steady=False))).song
    assert held.is_steady
    assert np.ptp(np.diff([beat.time for beat in held.beats[1:]])) < 3e-6
    assert held.tempo == pytest.approx(120, abs=0.25)


def test_other_beats_in_one_stretch_are_counted_on_through_it():
    project = a_project()
    found = [Beat(float(time), 1) for time in np.arange(4.0, 8.0, 0.25)]
    new = replace_beats(project, 4.0, 8.0, found).song.beats
    inside = [beat for beat in new if 4.0 <= beat.time < 8.0]
    assert [beat.time for beat in inside] == [beat.time for beat in found]
    assert [beat.place for beat in inside[:5]] == [1, 2, 3, 4, 1]
    assert [beat for beat in new if beat.time >= 8] == [b for b in project.song.beats if b.time >= 8]
    with pytest.raises(EditError, match="no beat was heard there"):
        replace_beats(project, 4.0, 8.0, [])


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (lambda p: set_tempo(p, 0), "must be 20 to 400 BPM, got 0"),
        (lambda p: set_tempo(p, 10_000), "must be 20 to 400 BPM, got 10000"),
        (lambda p: set_beats_per_bar(p, 0), "1 to 32 beats"),
        (lambda p: move_beat(p, 4, 3.0), "cannot pass its neighbour"),
        (lambda p: move_beat(p, 0, -0.2), "within the song"),
        (lambda p: add_beat(p, 4.02), "a beat here already"),
        (lambda p: add_beat(p, 99.0), "within the song"),
        (lambda p: remove_beat(p, 99), "no such beat"),
        (lambda p: halve_beats(replace(p, song=None)), "no song yet"),
        (lambda p: halve_beats(replace(p, song=replace(p.song, is_locked=True))), "locked"),
        (lambda p: double_beats(replace(p, song=replace(p.song, beats=()))), "no beats"),
        (lambda p: replace_beats(p, 5, 5, ()), "choose a stretch"),
    ],
)
def test_what_cannot_be_corrected_says_why(change, words):
    with pytest.raises(EditError, match=words):
        change(a_project())


def test_a_song_without_beats_gets_bars_at_a_tempo_set_by_hand():
    project = a_project()
    bare = replace(project, song=replace(project.song, beats=(), tempo=0.0))
    song = set_tempo(bare, 90, anchor=1.0).song
    assert song.is_steady
    assert song.tempo == 90
    assert next(beat.time for beat in song.beats if beat.place == 1) == 1.0


@given(st.lists(st.integers(-40, 260), min_size=7, max_size=7), st.integers(1, 240))
def test_cuts_that_move_anywhere_leave_shots_one_after_the_other(places, n_frames):
    shots = a_project(n_shots=6).shots
    ends = [shots[0].start, *(shot.end for shot in shots)]
    moved = move_cuts(shots, dict(zip(ends, places, strict=True)).__getitem__, n_frames)
    assert all(shot.n_frames > 0 and shot.end <= n_frames for shot in moved)
    assert all(one.end <= after.start for one, after in pairwise(moved))
    kept = dict(zip(ends, [5 * n for n in range(7)], strict=True))  # apart and in order: all of them stay
    assert [shot.start for shot in move_cuts(shots, kept.__getitem__, 240)] == [0, 5, 10, 15, 20, 25]
