"""Accent sounds: their attacks are exact to the sample, in the mix of the cues that fire."""

import numpy as np
import pytest
from helpers import a_project, click_track, write_sound
from msgspec.structs import replace

from epiphane.audio.accents import AccentHit, accent_sound, attack_of, with_accents
from epiphane.audio.mix import read_sounds
from epiphane.audio.samples import read_samples
from epiphane.document.lane import Accent, AccentPoint, AccentSound, Override
from epiphane.document.project import with_lanes
from epiphane.edits.footage import add_footage, remove_footage
from epiphane.edits.keying.recipes import recipe_of
from epiphane.exporting.export import export
from epiphane.keying.accent_hits import accent_hits
from epiphane.keying.schedule import schedule
from epiphane.media.probe import probe_footage
from epiphane.timing import frame_start

RATE = 48_000


@pytest.mark.parametrize("sound", AccentSound)
def test_every_accent_is_loudest_about_its_attack_and_comes_to_rest(sound):
    made, attack = accent_sound(sound, RATE)
    assert made.shape[1] == 2
    assert np.abs(made).max() == pytest.approx(0.5)
    level = np.sqrt(np.convolve((made**2).mean(axis=1), np.ones(480) / 480, "same"))
    if sound is not AccentSound.TAPE_STOP:  # that one is what goes on and stops
        assert abs(int(level.argmax()) - attack) < 0.06 * RATE
    assert np.abs(made[-5:]).max() < 0.02
    assert np.array_equal(accent_sound(sound, RATE)[0], made)


def test_an_accent_lies_with_its_attack_on_its_instant_and_is_cut_at_the_ends():
    song = np.zeros((3 * RATE, 2), np.float32)
    for sound in (AccentSound.CLICK, AccentSound.WHOOSH):
        made, attack = accent_sound(sound, RATE)
        mixed = with_accents(song, [AccentHit(1.5, sound, 0.0)], RATE)
        first = round(1.5 * RATE) - attack
        assert np.array_equal(mixed[first : first + len(made)], made)
        assert not song.any()
        peaked = with_accents(song, [AccentHit(1.5, sound, 0.0, AccentPoint.PEAK)], RATE)
        loud = np.convolve((peaked**2).mean(axis=1), np.ones(480) / 480, "same")
        assert abs(int(loud.argmax()) / RATE - 1.5) < 0.006
        halved = with_accents(song, [AccentHit(1.5, sound, -6.0206)], RATE)
        assert np.allclose(halved, mixed / 2, atol=1e-4)
        for time in (0.0, 2.999, -0.1):
            assert with_accents(song, [AccentHit(time, sound, 0.0)], RATE).shape == song.shape
    assert with_accents(song, [], RATE) is song


@pytest.mark.parametrize("lead", [0.0, 0.3])
def test_a_sound_of_the_shelf_lies_with_its_attack_on_the_frames_of_cues(tmp_path, lead):
    rng = np.random.default_rng(2)
    knock = rng.uniform(-1, 1, round(0.5 * RATE)) * np.exp(-np.arange(round(0.5 * RATE)) / (0.05 * RATE))
    quiet = rng.uniform(-0.01, 0.01, round(lead * RATE))
    path = write_sound(tmp_path / "knock.wav", np.concatenate([quiet, knock]).astype(np.float32))
    song = write_sound(tmp_path / "song.wav", click_track([], duration=17))
    project = add_footage(a_project(n_lanes=1), [probe_footage(path)])
    own = project.footage[-1]
    lane = replace(
        project.lanes[0],
        accent=Accent(own.id, 0.0),
        overrides=tuple(Override(beat.time, off=True) for beat in project.song.beats[1:]),
    )
    project = with_lanes(replace(project, song=replace(project.song, path=str(song))), lanes=(lane,))
    assert [hit.sound for hit in accent_hits(project, schedule(project))] == [own.fingerprint]
    sound = read_sounds(project, RATE)[own.fingerprint]
    assert attack_of(sound, RATE) == pytest.approx(lead * RATE, abs=0.004 * RATE)
    export(replace(project, shots=()), tmp_path / "out.mp4")
    heard = np.abs(read_samples(tmp_path / "out.mp4").data[:, 0])
    at = schedule(project).lanes[0].timing.firing[0].frame / float(project.rate)
    assert np.flatnonzero(heard > 0.3)[0] / RATE == pytest.approx(at, abs=0.005)
    without = remove_footage(project, [own.id])
    assert without.lanes[0].accent is None
    recipe = recipe_of(project, [lane.id], "Knock")
    assert recipe.lanes[0].accent is None


def test_a_lane_and_a_single_cue_have_accents_on_the_frames_of_their_peaks():
    project = a_project(n_lanes=1)
    lane = replace(
        project.lanes[0],
        accent=Accent(AccentSound.THUMP, -3.0),
        overrides=(
            Override(1.0, off=True),
            Override(2.0, accent=Accent(AccentSound.CLICK)),
            Override(3.0, nudge=4),
        ),
    )
    project = replace(project, stack=(lane,))
    found = {hit.time: (hit.sound, hit.gain) for hit in accent_hits(project, schedule(project))}
    assert len(found) == 31
    assert 1.0 not in found
    assert found[2.0] == (AccentSound.CLICK, -6.0)
    assert found[round(frame_start(94, project.rate), 6)] == (AccentSound.THUMP, -3.0)
    muted = replace(project, stack=(replace(lane, is_muted=True),))
    assert accent_hits(muted, schedule(muted)) == ()
    plain = replace(project, stack=(replace(lane, accent=None, overrides=()),))
    assert accent_hits(plain, schedule(plain)) == ()
