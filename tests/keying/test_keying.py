"""Cues fall where they should, with the shape that is drawn."""

import numpy as np
import pytest
from helpers import a_project, a_song
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from epiphane.document.envelope import Ease, Envelope
from epiphane.document.ids import LaneId, PulseId
from epiphane.document.lane import Setting
from epiphane.document.pulse import HeardSource, Pulse, PulseUnit
from epiphane.document.song import DRUMS
from epiphane.edits.keying.cues import (
    nudge_cues,
    set_cue_effect,
    set_cue_setting,
    set_cue_strength,
    toggle_cues,
)
from epiphane.edits.keying.lanes import change_envelope, change_lane, remove_lane, set_setting
from epiphane.facts.hits import HitContext, hits_of
from epiphane.keying.envelope import envelope_level, frame_levels
from epiphane.keying.schedule import schedule
from epiphane.timing import COMMON_RATES, frame_at

FLASH = LaneId(20)
sides = st.integers(0, 60)
envelopes = st.builds(
    Envelope,
    rise=sides,
    hold=sides,
    fall=sides,
    rise_ease=st.sampled_from([Ease.LINEAR, Ease.IN, Ease.OUT, Ease.BOTH]),
    fall_ease=st.sampled_from([Ease.LINEAR, Ease.IN, Ease.OUT, Ease.BOTH]),
)


@given(envelopes)
def test_an_envelope_rises_holds_and_falls(envelope):
    levels = frame_levels(envelope)
    peak = envelope.rise
    assert len(levels) == envelope.rise + envelope.hold + envelope.fall + 1
    assert levels.min() >= 0
    assert levels[peak : peak + envelope.hold + 1].tolist() == [1.0] * (envelope.hold + 1)
    assert (np.diff(levels[: peak + 1]) >= 0).all()
    assert (np.diff(levels[peak + envelope.hold :]) <= 0).all()
    beyond = np.array([-envelope.rise - 1.0, envelope.hold + envelope.fall + 1.0])
    assert envelope_level(envelope, beyond).tolist() == [0.0, 0.0]


@given(envelopes)
def test_an_eased_side_takes_as_long_as_a_straight_one(envelope):
    straight = replace(envelope, rise_ease=Ease.LINEAR, fall_ease=Ease.LINEAR)
    middle = np.array([-envelope.rise / 2, envelope.hold + envelope.fall / 2])
    at_rest, bent = envelope_level(straight, middle), envelope_level(envelope, middle)
    if envelope.rise:
        assert at_rest[0] == 0.5
        eased = {Ease.LINEAR: 0.5, Ease.IN: 0.25, Ease.OUT: 0.75, Ease.BOTH: 0.5}
        assert bent[0] == pytest.approx(eased[envelope.rise_ease])
        assert bent[1] == pytest.approx(1 - eased[envelope.fall_ease]) or not envelope.fall


@given(st.integers(1, 9), st.data())
def test_every_nth_is_counted_from_the_first_downbeat(every, data):
    first = data.draw(st.integers(0, every - 1))
    song = a_song(n_beats=40)
    song = replace(song, beats=song.beats[2:])  # a pick-up of two beats before the first downbeat
    beats = hits_of(Pulse(PulseId(1), "p", HeardSource(PulseUnit.BEAT), every, first), HitContext(song))
    expected = [b.time for n, b in enumerate(song.beats) if (n - 2) % every == first]
    assert [hit.time for hit in beats] == expected
    bars = hits_of(Pulse(PulseId(1), "p", HeardSource(PulseUnit.BAR)), HitContext(song))
    assert [hit.time for hit in bars] == [b.time for b in song.beats if b.place == 1]


@given(st.sampled_from(DRUMS), st.integers(1, 5))
def test_a_pulse_of_a_drum_has_its_hits_and_their_strength(drum, every):
    song = a_song(n_beats=20)
    hits = hits_of(Pulse(PulseId(1), "p", HeardSource(PulseUnit(drum)), every), HitContext(song))
    assert hits == song.drums.hits(drum)[::every]


def test_no_song_no_hits():
    project = replace(a_project(n_shots=0), song=None)
    assert schedule(project).lanes[0].cues == ()
    assert schedule(project).lanes[0].levels.shape == (0,)


@given(st.sampled_from(COMMON_RATES), st.floats(60, 200), st.integers(0, 8), st.integers(0, 20))
def test_a_lane_peaks_on_the_frames_of_its_hits(rate, tempo, rise, fall):
    project = replace(a_project(), rate=rate, song=a_song(tempo=tempo, start=0.31))
    project = change_envelope(project, FLASH, rise=rise, fall=fall)
    lane = schedule(project).lanes[0]
    frames = [frame_at(beat.time, rate) for beat in project.song.beats]
    assert [cue.frame for cue in lane.cues] == frames
    inside = [frame for frame in frames if frame < project.n_frames]
    assert (lane.levels[inside] == 1.0).all()
    if rise + fall < 6:  # too short for neighbours to meet
        assert np.flatnonzero(lane.levels == 1.0).tolist() == inside


def test_of_two_cues_that_overlap_the_stronger_wins():
    project = change_envelope(a_project(), FLASH, rise=10, hold=0, fall=10, rise_ease=Ease.LINEAR)
    project = set_cue_strength(project, [(FLASH, 1.0)], 0.5)
    slow_oracle = np.zeros(project.n_frames)
    lane = schedule(project).lanes[0]
    for cue in lane.cues:
        for frame in range(project.n_frames):
            level = envelope_level(lane.lane.envelope, np.array([float(frame - cue.frame)]))[0]
            slow_oracle[frame] = max(slow_oracle[frame], cue.strength * level)
    assert lane.levels == pytest.approx(slow_oracle)


def test_overrides_change_their_cue_alone():
    plain = schedule(a_project()).lanes[0]
    project = toggle_cues(a_project(), [(FLASH, 1.0)])
    project = nudge_cues(project, [(FLASH, 2.0)], -3)
    project = set_cue_strength(project, [(FLASH, 3.0)], 1.5)
    changed = schedule(project).lanes[0]
    different = [a.hit.time for a, b in zip(plain.cues, changed.cues, strict=True) if a != b]
    assert different == [1.0, 2.0, 3.0]
    assert changed.levels[30] == 0  # off
    assert (changed.levels[57], changed.levels[90]) == (1.0, 1.5)


def test_wandering_is_the_same_every_time_and_never_stronger():
    project = change_lane(a_project(), FLASH, wander=0.4, depth=0.8)
    strengths = [cue.strength for cue in schedule(project).lanes[0].cues]
    assert [cue.strength for cue in schedule(project).lanes[0].cues] == strengths
    assert all(0.8 * 0.6 - 1e-9 <= strength <= 0.8 for strength in strengths)
    assert len(set(strengths)) == len(strengths)
    other = [cue.strength for cue in schedule(change_lane(project, FLASH, seed=9)).lanes[0].cues]
    assert other != strengths


def test_a_muted_lane_fires_nothing_and_an_orphan_keeps_still():
    muted = schedule(change_lane(a_project(), FLASH, is_muted=True)).lanes[0]
    assert muted.levels.max() == 0
    assert len(muted.cues) == 32  # they can still be seen
    orphan = replace(a_project(), pulses=())
    assert schedule(orphan).lanes[0].cues == ()


def test_only_the_lanes_that_changed_are_scheduled_again():
    before = schedule(a_project())
    after = schedule(change_lane(before.project, FLASH, depth=0.5), before)
    assert after.lanes[1] is before.lanes[1]
    assert after.lanes[0] is not before.lanes[0]
    assert schedule(remove_lane(before.project, FLASH), before).lanes[0] is before.lanes[1]
    assert after.lane(LaneId(99)) is None


def test_when_cues_fire_is_not_worked_out_again_for_a_change_of_what_they_do():
    project = set_cue_effect(a_project(), [(FLASH, 1.0)], "blur")
    project = set_cue_setting(project, [(FLASH, 2.0)], Setting("opacity", 30.0))
    before = schedule(project)
    for change in (
        lambda p: set_setting(p, FLASH, Setting("opacity", 40.0)),
        lambda p: set_cue_setting(p, [(FLASH, 2.0)], Setting("opacity", 60.0)),
        lambda p: set_cue_effect(p, [(FLASH, 1.0)], "negative"),
    ):
        changed = change(project)
        after, anew = schedule(changed, before).lanes[0], schedule(changed).lanes[0]
        assert after.timing is before.lanes[0].timing
        assert after.cues == anew.cues  # with the changes that each cue has now
        assert [after.instance_at(n) for n in range(90)] == [anew.instance_at(n) for n in range(90)]
    weaker = schedule(set_cue_strength(project, [(FLASH, 1.0)], 0.5), before).lanes[0]
    assert weaker.timing is not before.lanes[0].timing
