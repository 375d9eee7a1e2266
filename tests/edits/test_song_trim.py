"""Trimming: everything stays on its sound, and a longer song has again what was heard in it."""

import numpy as np
import pytest
from helpers import a_project, some_footage
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from epiphane.audio.song_gain import fade_curve, shaped_song
from epiphane.document.lane import Override
from epiphane.document.project import with_lanes
from epiphane.document.pulse import BandSource, TappedSource
from epiphane.document.song import Hit
from epiphane.document.timeline import cut_of
from epiphane.edits.keying.pulses import add_pulse
from epiphane.edits.song.song import lock_song
from epiphane.edits.song.trim import shape_song, trim_song
from epiphane.errors import EditError
from epiphane.facts.hits import hit_context_of, hits_of
from epiphane.keying.schedule import schedule

RATE = 8000


def keyed(numbers):
    project = a_project()
    hits = [beat.time for beat in project.song.beats]
    overrides = tuple(Override(hits[number], nudge=2) for number in sorted(numbers))
    lanes = tuple(replace(lane, overrides=overrides) for lane in project.lanes)
    return with_lanes(project, lanes=lanes, footage=(some_footage(1), some_footage(2)))


@given(st.sets(st.integers(0, 31), min_size=1), st.floats(0, 6), st.floats(8, 16))
def test_a_trim_keeps_overrides_on_their_hits_and_is_taken_back_whole(numbers, start, end):
    old = keyed(numbers)
    new = trim_song(old, start, end)
    assert new.song.duration == pytest.approx(end - start, abs=0.0021)
    was = {cue.hit.time: cue for cue in schedule(old).lanes[0].cues if cue.override}
    for cue in schedule(new).lanes[0].cues:
        at = cue.hit.time + new.song.start
        before = min(was, key=lambda time: abs(time - at))
        assert (cue.override is not None) == (abs(before - at) < 1e-4)
    again = trim_song(new, 0.0, old.song.duration)
    assert again.song.beats == old.song.beats
    assert again.song.drums == old.song.drums
    assert again.song.sections == old.song.sections
    assert again.song.drops == old.song.drops
    assert again.n_frames == old.n_frames


@given(st.integers(0, 200))
def test_shots_stay_on_their_sound(n_frames):
    old = keyed({3})
    new = trim_song(old, n_frames / 30, 16.0)
    for shot in new.shots:
        before = next(one for one in old.shots if one.id == shot.id)
        late = max(0, n_frames - before.start)
        assert shot.start == max(before.start - n_frames, 0)
        assert cut_of(shot).source_start == pytest.approx(cut_of(before).source_start + late / 30)
        assert shot.start + shot.n_frames == before.start + before.n_frames - n_frames


def test_taps_and_bands_move_along():
    project, _ = add_pulse(keyed({1}), TappedSource((Hit(1.0), Hit(5.0))))
    project, _ = add_pulse(project, BandSource(40, 90, hits=(Hit(3.0), Hit(15.9))))
    new = trim_song(project, 2.0, 15.0)
    found = [[hit.time for hit in hits_of(pulse, hit_context_of(new))] for pulse in new.pulses[-2:]]
    assert found == [[3.0], [1.0]]


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (lambda p: trim_song(p, 3.0, 3.4), "must be left"),
        (lambda p: trim_song(p, 5.0, 1.0), "must be left"),
        (lambda p: shape_song(p, fade_in=9.0, fade_out=9.0), "longer than the song"),
        (lambda p: shape_song(p, gain=99.0), "gain"),
        (lambda p: trim_song(lock_song(p, is_locked=True), 1.0, 9.0), "locked"),
    ],
)
def test_what_cannot_be_trimmed_says_why(change, words):
    with pytest.raises(EditError, match=words):
        change(keyed({0}))


@given(st.floats(-1, 1), st.floats(0, 4), st.floats(0, 4), st.floats(-20, 6), st.floats(0, 3))
def test_the_sound_fades_and_is_as_loud_as_was_asked(bend, fade_in, fade_out, gain, start):
    song = shape_song(
        trim_song(keyed({0}), start, 16.0), fade_in=fade_in, fade_out=fade_out, fade_bend=bend, gain=gain
    ).song
    sound = np.full((16 * RATE, 2), 0.1, np.float32)
    shaped = shaped_song(sound, RATE, song)
    assert len(shaped) == pytest.approx(song.duration * RATE, abs=1)
    assert (sound == np.float32(0.1)).all()
    middle = shaped[len(shaped) // 2, 0]
    assert middle == pytest.approx(0.1 * 10 ** (gain / 20), rel=1e-5)
    for rise, seconds in ((shaped[:, 0], fade_in), (shaped[::-1, 0], fade_out)):
        n_samples = round(seconds * RATE)
        assert (np.diff(rise[:n_samples]) >= 0).all()
        assert rise[0] == pytest.approx(0.0 if n_samples else middle, abs=1e-6)
    curve = fade_curve(100, bend)
    assert (curve[50] > 0.5) == (bend > 0) or abs(bend) < 1e-3
