"""Low, mid and high hits: those of every song, and how they stand in for drums that are not heard surely."""

import json

import numpy as np
import pytest
from click.testing import CliRunner
from helpers import SOUND_RATE, a_project, write_sound
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from epiphane.audio.bands import song_levels
from epiphane.audio.beat_tracking import analyse
from epiphane.audio.rises import band_rises
from epiphane.cli import commands
from epiphane.document.pulse import PulseUnit
from epiphane.document.song import BANDS, DRUMS, Drums, Hit
from epiphane.edits.keying.pulses import ensure_pulse
from epiphane.edits.song.trim import trim_song
from epiphane.facts.hits import hit_context_of, hits_of
from training.coding import CODINGS, coded

CENTRES = {"low": 60, "mid": 700, "high": 9000}


def bursts(times, hertz, *, seconds, seed):
    """Return tones and noise around a pitch that are struck at some times over a quiet bed."""
    sound = np.random.default_rng(seed).normal(0, 1e-4, round(seconds * SOUND_RATE))
    t = np.arange(round(0.12 * SOUND_RATE)) / SOUND_RATE
    for time in times:
        shot = 0.5 * np.sin(2 * np.pi * hertz * t) * np.exp(-t / 0.03)
        first = round(time * SOUND_RATE)
        sound[first : first + len(t)] += shot[: len(sound) - first]
    return sound


def rises_of(sound):
    analysis = analyse(sound.astype(np.float32), SOUND_RATE)
    levels = song_levels(analysis.rhythm, analysis.attacks)
    return band_rises(levels, bandwidth=analysis.drums.bandwidth)


@settings(max_examples=12)
@given(st.integers(0, 1000), st.floats(0.02, 1.0), st.sampled_from([None, 4, 5, 6, 7]))
def test_every_band_has_its_own_hits_whatever_the_file_and_however_loud(seed, gain, coding):
    rng = np.random.default_rng(seed)
    planted = {name: np.cumsum(rng.uniform(0.2, 0.7, 14)) + 0.2 for name in BANDS}
    hertz = CENTRES if coding is None else CENTRES | {"high": 4500}
    sound = sum(bursts(planted[name], hertz[name], seconds=11, seed=seed) for name in BANDS)
    sound = (gain * sound / np.abs(sound).max()).astype(np.float32)
    found = rises_of(sound if coding is None else coded(sound, CODINGS[coding]))
    for name in BANDS:
        times = np.array([hit.time for hit in found[name]])
        near = np.abs(times[:, None] - planted[name]).min(axis=0)
        assert (near < 0.03).mean() > 0.85, name  # a burst of another band may hide one
        assert (np.diff(times) > 0.09).all()
        assert all(0 < hit.strength <= 1 for hit in found[name])


def test_effects_fire_on_what_stands_in_for_a_drum():
    project = a_project()
    kick, low = (tuple(Hit(start + 0.5 * n) for n in range(8)) for start in (0.5, 0.6))
    sure, unsure = (Drums(kick=kick, low=low, confidence=(belief, 1.0, 1.0)) for belief in (0.8, 0.2))
    for drums, expected in ((sure, kick), (unsure, low), (replace(unsure, low=()), kick)):
        with_drums = replace(project, song=replace(project.song, drums=drums))
        with_pulse, number = ensure_pulse(with_drums, PulseUnit.KICK)
        pulse = next(pulse for pulse in with_pulse.pulses if pulse.id == number)
        assert hits_of(pulse, hit_context_of(with_pulse)) == expected
        trimmed = trim_song(with_pulse, 1.0, 4.0).song
        whole = trim_song(replace(with_pulse, song=trimmed), 0.0, project.song.duration).song
        assert trimmed.drums.confidence == drums.confidence
        assert whole.drums == drums
        assert len(trimmed.drums.hits("kick")) < len(expected)


def test_a_song_in_which_no_drum_is_heard_has_hits_all_the_same(tmp_path):
    """Chords of a synthesiser alone: told as no drums, and lanes on the kick fire on the low hits."""
    t = np.arange(12 * SOUND_RATE) / SOUND_RATE
    place = t % 0.6
    swell = np.minimum(place / 0.01, 1) * np.exp(-place / 0.25)
    sound = 0.2 * swell * sum(np.sin(2 * np.pi * hertz * t) for hertz in (70, 262, 330, 392))
    song = write_sound(tmp_path / "chords.wav", sound.astype(np.float32))
    found = CliRunner().invoke(commands, ["listen", str(song)])
    heard = json.loads(found.output)
    assert all(heard["drum_sureness"][drum] < 0.5 for drum in DRUMS)
    times = np.array([hit["time"] for hit in heard["pulses"]["low"]])
    assert np.abs((times + 0.3) % 0.6 - 0.3).max() < 0.03
    assert len(times) == pytest.approx(20, abs=2)
