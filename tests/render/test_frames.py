"""Footage whose every picture tells its number, filled into a song, exported and decoded again."""

import random
from fractions import Fraction

import numpy as np
import pytest
from helpers import a_song, click_track, number_of, numbered_picture, read_lumas, write_clip, write_sound
from msgspec.structs import replace

from epiphane.audio.samples import read_samples
from epiphane.document.filling import Order, Pace
from epiphane.document.footage import Moment
from epiphane.document.project import Project
from epiphane.document.timeline import Extend, cut_of
from epiphane.edits.footage import add_footage
from epiphane.edits.shots.filling import fill_song
from epiphane.exporting.export import export
from epiphane.media.clip import Clip
from epiphane.media.probe import probe_footage
from epiphane.timing import COMMON_RATES, frame_at

N = 100
MILLISECOND = np.array([-0.0011, 0.0011])
B_FRAMES = {"bf": "4", "g": "60", "b-pyramid": "normal"}
RATES = {"23.976": 0, "25": 2, "29.97": 3, "30": 4, "50": 5, "60": 7}


def uneven():
    generator, times, now = random.Random(11), [], Fraction(0)
    for _ in range(N):
        times.append(now)
        now += Fraction(generator.choice([1500, 3000, 3003, 4500]), 90_000)
    return times


FOOTAGE = {
    **{
        f"{name} in {suffix}": (suffix, {"rate": COMMON_RATES[at], "options": B_FRAMES})
        for (name, at), suffix in zip(RATES.items(), ("mp4", "mkv", "ts", "mp4", "mkv", "mp4"), strict=True)
    },
    "variable in mp4": ("mp4", {"times": uneven(), "options": B_FRAMES}),
    "variable in mkv": ("mkv", {"times": uneven()}),
    "webm": ("webm", {"codec": "libvpx-vp9", "options": {"deadline": "realtime", "cpu-used": "8"}}),
    "one key frame": ("mp4", {"rate": Fraction(10), "options": {"g": "999", "sc_threshold": "0"}}),
}
RATES_OF_FILM = Fraction(30), Fraction(24000, 1001)


@pytest.mark.parametrize("name", FOOTAGE)
def test_every_frame_of_a_filled_song_shows_the_right_picture(tmp_path, name):
    rate = RATES_OF_FILM[list(FOOTAGE).index(name) % 2]
    suffix, how = FOOTAGE[name]
    paths = [
        write_clip(tmp_path / f"{n}.{suffix}", [numbered_picture(n * 1000 + k) for k in range(N)], **how)
        for n in range(2)
    ]
    write_sound(tmp_path / "song.wav", click_track(np.arange(0.2, 6, 0.5), duration=6))
    song = replace(a_song(tempo=120, n_beats=11, start=0.2), path=str(tmp_path / "song.wav"))
    project = add_footage(Project(song=song, is_shape_chosen=True), [probe_footage(path) for path in paths])
    project = replace(project, rate=rate, width=160, height=90)
    moments = (Moment(round(float(40 / project.footage[0].rate), 6), 1.0),)
    footage = (replace(project.footage[0], moments=moments), project.footage[1])
    project = fill_song(
        replace(project, footage=footage), order=Order.SHUFFLED, pace=Pace(every=3), extend=Extend.SLOW
    )
    export(project, tmp_path / "film.mp4")
    numbers = [number_of(luma) for luma in read_lumas(tmp_path / "film.mp4")[0]]
    allowed = allowed_numbers(project, paths)
    wrong = [n for n, (number, right) in enumerate(zip(numbers, allowed, strict=True)) if number not in right]
    assert wrong == []
    pins = [(shot, shot.pin) for shot in project.shots if shot.pin is not None]
    assert pins
    shown = {numbers[frame_at(pin.hit, rate)] % 1000 for _, pin in pins}
    clip = Clip(paths[0])
    assert shown == {clip.index_at(moments[0].time)}
    clip.close()


def allowed_numbers(project, paths):
    """Return the right number of every frame, worked out from the files' own timestamps and nothing of ours.

    Two are right where an instant is within a millisecond of the change from one picture to the next: that is
    how finely some containers tell the time. On an edge itself only the picture that begins there is right.
    """
    times = {}
    for footage, path in zip(project.footage, paths, strict=True):
        clip = Clip(path)
        times[footage.id] = clip.times
        clip.close()
    ids = [footage.id for footage in project.footage]
    allowed = []
    for shot in project.shots:
        table = times[shot.footage]
        for step in range(shot.n_frames):
            seconds = cut_of(shot).source_start + cut_of(shot).speed * float(step / project.rate)
            assert seconds + 1e-6 >= 0, "this test wants no mirroring"
            is_edge = np.abs(table - seconds).min() < 1e-5
            found = (
                np.searchsorted(table, seconds + (MILLISECOND[1:] if is_edge else MILLISECOND), side="right")
                - 1
            )
            allowed.append({ids.index(shot.footage) * 1000 + min(int(index), N - 1) for index in found})
    return allowed


def test_the_song_is_in_its_place_at_the_start_and_after_three_minutes(tmp_path):
    times = np.arange(0.25, 186, 0.5) + np.where(np.arange(372) % 7 == 3, 0.031, 0.0)
    song = a_song(tempo=120, n_beats=372)
    write_sound(tmp_path / "long.wav", click_track(times, duration=186))
    project = Project(
        song=replace(song, path=str(tmp_path / "long.wav")), rate=Fraction(1), width=32, height=18
    )
    export(project, tmp_path / "film.mp4")
    film, original = (read_samples(tmp_path / name) for name in ("film.mp4", "long.wav"))
    assert film.rate == original.rate == 48_000
    for start in (0, 180):
        part = slice(start * 48_000, (start + 5) * 48_000)
        shift = _shift(original.mono()[part], film.mono()[part])
        assert abs(shift) / 48_000 < 0.001


def _shift(one, other):
    n = 2 * len(one)
    product = np.fft.irfft(np.fft.rfft(other, n) * np.conj(np.fft.rfft(one, n)), n)
    best = int(product.argmax())
    return best if best < n // 2 else best - n
