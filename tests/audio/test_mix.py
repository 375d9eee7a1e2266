"""The sound of shots under the song: where it belongs to the sample, whatever the speed."""

from fractions import Fraction

import numpy as np
import pytest
from helpers import SOUND_RATE, a_project, click_track, write_clip, write_sound
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from epiphane.audio.mix import mixed_with_shots, peak_of
from epiphane.audio.samples import read_samples
from epiphane.document.project import Project
from epiphane.document.timeline import ItemSound, Pin, Ramp, SpeedKey
from epiphane.edits.footage import add_footage
from epiphane.edits.shots.shots import change_shot, pin_shot
from epiphane.edits.shots.speed import change_speed
from epiphane.exporting.export import export
from epiphane.facts.source_time import running_seconds
from epiphane.facts.speed import frames_run, runs_of
from epiphane.keying.schedule import schedule
from epiphane.media.probe import probe_footage
from epiphane.render.plan import fade_level_at, plan_frame
from epiphane.timing import COMMON_RATES, frame_start

QUIET = ItemSound()


def a_project_heard(**sound):
    """Return a project of three shots of 60 frames of which the second is heard, from a clip of 8 s."""
    project = a_project(n_lanes=0)
    footage = tuple(replace(one, has_sound=True) for one in project.footage)
    return change_shot(replace(project, footage=footage), project.shots[1].id, sound=replace(QUIET, **sound))


def ramp_of(seconds=8.0):
    """Return a sound that tells its own time: its level is the second."""
    return np.repeat((np.arange(round(seconds * SOUND_RATE)) / SOUND_RATE)[:, None], 2, 1).astype(np.float32)


def mixed(project, sound=None):
    silence = np.zeros((16 * SOUND_RATE, 2), np.float32)
    sound = ramp_of() if sound is None else sound
    return mixed_with_shots(silence, project, {one.fingerprint: sound for one in project.footage}, SOUND_RATE)


@given(
    st.sampled_from([0.4, 1.0, -1.0, 2.5, (SpeedKey(-5, 0.5, Ramp.LINEAR), SpeedKey(20, 2.0))]),
    st.sampled_from(COMMON_RATES),
    st.booleans(),
)
def test_every_sample_is_that_of_the_instant_its_frame_shows(speed, rate, is_pinned):
    project = replace(a_project_heard(), rate=rate)
    shot = project.shots[1].id
    if is_pinned:
        project = pin_shot(project, shot, Pin(3.0, frame_start(80, rate) + 0.001))
    project = change_speed(project, shot, speed)
    heard = mixed(project)[:, 0]
    for frame in range(62, 118, 7):  # away from both ends, where it comes and goes
        due = running_seconds(project.shots[1], frame, rate)
        at = round(frame_start(frame, rate) * SOUND_RATE)
        expected = due if 0 <= due < 7.99 else 0.0
        assert heard[at] == pytest.approx(expected, abs=0.001)
    outside = [round(frame_start(frame, rate) * SOUND_RATE) for frame in (59, 121)]
    assert not heard[outside].any()


@given(st.lists(st.integers(-50, 90), min_size=1, max_size=5, unique=True), st.sampled_from(Ramp))
def test_runs_of_many_frames_are_those_of_each(frames, ramp):
    curve = tuple(SpeedKey(frame, n - 1.5, ramp) for n, frame in enumerate(sorted(frames)))
    places = np.linspace(-60, 100, 97)
    assert runs_of(curve, places) == pytest.approx([frames_run(curve, float(one)) for one in places])


def test_gain_fades_and_an_accent_shape_it_and_without_any_the_song_is_left_alone():
    project = a_project_heard(gain=-6.0, fade_in=10, fade_out=20)
    level = mixed(project, np.ones((8 * SOUND_RATE, 2), np.float32))[:, 0]
    half = 10 ** (-6 / 20)
    for frame, expected in ((65, half / 2), (75, half), (110, half / 2)):
        assert level[round(frame / 30 * SOUND_RATE)] == pytest.approx(expected, abs=0.002)
    accent = pin_shot(a_project_heard(accent=6), project.shots[1].id, Pin(1.0, 2.5))  # frame 75
    level = mixed(accent, np.ones((8 * SOUND_RATE, 2), np.float32))[:, 0]
    heard = [frame for frame in range(150) if level[round((frame + 0.5) / 30 * SOUND_RATE)] > 0.5]
    assert heard == list(range(73, 81))
    song = np.zeros((SOUND_RATE, 2), np.float32)
    assert mixed_with_shots(song, a_project(), {}, SOUND_RATE) is song
    frozen = change_speed(a_project_heard(), project.shots[1].id, 0.0)
    # A picture that stands still makes no sound: not even the constant one of the instant that it shows.
    assert peak_of(mixed(frozen, np.ones((8 * SOUND_RATE, 2), np.float32))) == 0


def test_the_exported_mix_is_where_it_belongs_after_three_minutes(tmp_path):
    write_sound(tmp_path / "song.wav", np.zeros(200 * SOUND_RATE, np.float32))
    pictures = [np.full((36, 64, 3), 90, np.uint8)] * 75
    clicks = click_track([0.5, 1.25, 2.0], duration=3.0)
    clip = write_clip(tmp_path / "clip.mkv", pictures, rate=Fraction(25), sound=clicks)
    project = a_project(n_shots=0, n_lanes=0)
    song = replace(project.song, path=str(tmp_path / "song.wav"), duration=200.0)
    rate = Fraction(30000, 1001)
    made = add_footage(replace(project, song=song, footage=()), [probe_footage(clip)])
    made = replace(made, rate=rate, width=64, height=36, is_shape_chosen=True)
    from epiphane.edits.shots.arranging import put_footage

    start = 5600
    made = put_footage(made, [made.footage[0].id], start, covers=True)
    made = change_shot(made, made.shots[-1].id, sound=ItemSound())
    first = start - 10
    assert export(made, tmp_path / "film.mp4", frames=range(first, start + 60)) == []
    heard = read_samples(tmp_path / "film.mp4").mono()
    original = read_samples(clip).mono()[: round(1.6 * SOUND_RATE)]
    lag = int(np.correlate(heard, original, "valid").argmax())
    due = frame_start(start, rate) - frame_start(first, rate)
    assert lag / SOUND_RATE == pytest.approx(due, abs=0.001)


def test_the_picture_fades_from_black_and_to_it():
    project = a_project(n_lanes=0)
    project = replace(project, fades=replace(project.fades, fade_in=1.0, fade_out=2.0))
    n = project.n_frames
    assert [fade_level_at(project, frame) for frame in (0, 15, 30, n - 61, n - 31, n - 1)] == [
        0,
        0.5,
        1,
        1,
        0.5,
        0,
    ]
    cues = schedule(project)
    assert plan_frame(project, cues, 15).root.content.nodes[0].opacity == 0.5
    plain = plan_frame(replace(project, fades=Project().fades), cues, 100)
    assert plan_frame(project, cues, 100) == plain
