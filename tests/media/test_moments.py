"""Moments are where something happens: known to the frame, and nowhere in a clip where nothing does."""

import json
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
from helpers import write_clip

from epiphane.demo import MEDIA
from epiphane.demo.project import CLIPS_FILE
from epiphane.document.footage import MomentCause
from epiphane.errors import MediaError
from epiphane.media.moments import MOST_MOMENTS
from epiphane.media.search import search_clip

RATE = Fraction(30)


def best(path):
    return max(search_clip(path).moments, key=lambda moment: moment.strength)


def test_the_impacts_of_the_demo_are_found_within_two_frames():
    truth = {name: clip["impact"] for name, clip in json.loads(CLIPS_FILE.read_text()).items()}
    found = {name: search_clip(MEDIA / f"{name}.mp4") for name in truth}
    assert all(len(one.takes) == 1 for one in found.values())  # none of them has a cut
    off = {
        name: abs(max(one.moments, key=lambda moment: moment.strength).time - truth[name]) * 30
        for name, one in found.items()
    }
    assert sum(frames <= 2 for frames in off.values()) >= 5, off


def stage(n, *, size=(96, 54)):
    """Return pictures of a textured wall with a block resting on it, in a grain that changes all the time."""
    generator = np.random.default_rng(3)
    wall = generator.integers(60, 120, (size[1], size[0], 1), np.uint8)
    return [
        np.clip(
            np.repeat(wall, 3, axis=2).astype(int) + generator.integers(-3, 4, (size[1], size[0], 3)), 0, 255
        ).astype(np.uint8)
        for _ in range(n)
    ]


def knock(at, n, *, loud=0.5):
    sound = np.zeros(round(n / 30 * 48_000), np.float32)
    start = round(at / 30 * 48_000)
    t = np.arange(min(4800, len(sound) - start)) / 48_000
    sound[start : start + len(t)] = loud * np.sin(2 * np.pi * 700 * t) * np.exp(-t / 0.03)
    return sound


@pytest.mark.parametrize("at", [20, 57])
def test_each_cause_is_found_on_its_frame(tmp_path, at):
    moving, flashing, still = stage(90), stage(90), stage(90)
    for number, picture in enumerate(moving):
        left = 5 + 3 * max(0, number - at)
        picture[10:40, left % 70 :][:, :20] = 230
    flashing[at] = np.clip(flashing[at].astype(int) + 90, 0, 255).astype(np.uint8)
    for name, pictures, sound, cause in (
        ("moving", moving, None, MomentCause.MOVEMENT),
        ("flashing", flashing, None, MomentCause.LIGHT),
        ("knocking", still, knock(at, 90), MomentCause.SOUND),
    ):
        path = write_clip(tmp_path / f"{name}{at}.mkv", pictures, options={"crf": "12"}, sound=sound)
        found = best(path)
        assert abs(found.time * 30 - at) <= 1, name
        assert found.cause is cause or name == "flashing"


def test_nothing_happens_where_nothing_happens(tmp_path):
    assert search_clip(write_clip(tmp_path / "wall.mkv", stage(60), options={"crf": "12"})).moments == ()
    single = write_clip(tmp_path / "one.mp4", stage(1))
    assert search_clip(single).moments == ()


def test_a_cut_within_the_clip_is_no_moment(tmp_path):
    other = [picture[::-1, ::-1].copy() for picture in stage(40)]
    path = write_clip(tmp_path / "cut.mkv", stage(40) + other, options={"crf": "12"})
    assert all(abs(moment.time * 30 - 40) > 1 for moment in search_clip(path).moments)


def test_moments_are_apart_ascending_few_and_of_the_times_of_pictures(tmp_path):
    generator = np.random.default_rng(1)
    pictures = stage(200)
    for at in generator.choice(np.arange(5, 195), 40, replace=False):
        pictures[at] = 255 - pictures[at]
    times, now = [], Fraction(0)
    for _ in pictures:
        times.append(now)
        now += Fraction(int(generator.choice([1500, 3000, 6000])), 90_000)
    found = search_clip(write_clip(tmp_path / "busy.mkv", pictures, times=times)).moments
    assert 2 <= len(found) <= MOST_MOMENTS
    at = np.array([moment.time for moment in found])
    assert np.diff(at).min() >= 0.3 - 1e-6
    assert np.abs(at[:, None] - np.array([float(time) for time in times])).min(axis=1).max() < 0.002


def test_a_damaged_clip_says_so(tmp_path):
    (tmp_path / "no.mp4").write_bytes(b"no film")
    with pytest.raises(MediaError, match=r"no\.mp4 is damaged"):
        search_clip(Path(tmp_path / "no.mp4"))
