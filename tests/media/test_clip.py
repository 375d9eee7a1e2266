"""Footage whose every picture tells its number is read exactly, forwards, backwards and at random."""

import random
from fractions import Fraction
from itertools import pairwise

import av
import numpy as np
import pytest
from helpers import click_track, grey_clip, number_of, numbered_picture, write_clip, write_sound
from PIL import Image

from epiphane.document.footage import FootageKind
from epiphane.errors import MediaError
from epiphane.media.clip import Clip
from epiphane.media.kind import kind_of
from epiphane.media.probe import probe_footage
from epiphane.media.search import search_clip
from epiphane.media.still import Still

N = 75
RATE_30 = Fraction(30)


def numbered(path, *, size=(160, 90), n=N, **how):
    return write_clip(path, [numbered_picture(k, size) for k in range(n)], **how)


def uneven_times(n=N):
    """Return times that a phone might write: 15 to 60 pictures a second, changing all the time."""
    rng = random.Random(4)
    times, now = [], Fraction(0)
    for _ in range(n):
        times.append(now)
        now += Fraction(rng.choice([1500, 3000, 3003, 6000, 4500]), 90_000)
    return times


FILES = {
    "mp4": ("a.mp4", {}),
    "B-frames": ("a.mp4", {"options": {"bf": "4", "g": "48", "b_strategy": "0", "b-pyramid": "normal"}}),
    "open groups": ("a.mp4", {"options": {"bf": "3", "g": "12", "x264-params": "open-gop=1"}}),
    "mkv": ("a.mkv", {}),
    "webm": ("a.webm", {"codec": "libvpx"}),
    "transport stream": ("a.ts", {"options": {"bf": "3", "g": "25"}}),
    "avi": ("a.avi", {"codec": "mpeg4"}),
    "mov of pictures": ("a.mov", {"codec": "mjpeg", "pixels": "yuvj422p"}),
    "23.976": ("a.mp4", {"rate": Fraction(24000, 1001)}),
    "25": ("a.mkv", {"rate": Fraction(25)}),
    "29.97": ("a.ts", {"rate": Fraction(30000, 1001)}),
    "50": ("a.mp4", {"rate": Fraction(50)}),
    "60": ("a.mkv", {"rate": Fraction(60)}),
    "variable": ("a.mp4", {"times": uneven_times()}),
    "variable mkv": ("a.mkv", {"times": uneven_times()}),
    "starts late": ("a.mp4", {"times": [Fraction(k, 30) + Fraction(7, 5) for k in range(N)]}),
    "odd size": ("a.mkv", {"size": (161, 91), "pixels": "yuv444p"}),
    "ten bits": ("a.mp4", {"pixels": "yuv420p10le"}),
}


@pytest.fixture(params=FILES, scope="module")
def a_file(request, tmp_path_factory):
    name, how = FILES[request.param]
    return numbered(tmp_path_factory.mktemp("clip") / name, **how), how


def test_every_picture_in_any_order(a_file):
    path, _ = a_file
    clip = Clip(path)
    assert clip.n_pictures == N
    forwards = list(range(N))
    jumps = random.Random(7).sample(forwards, N)
    for order in (forwards, forwards[::-1], jumps):
        assert [number_of(clip.read(index).planes[0]) for index in order] == order
    clip.close()


def test_the_picture_on_screen_at_an_instant(a_file):
    path, how = a_file
    clip = Clip(path)
    rate = how.get("rate", RATE_30)
    times = how.get("times") or [k / rate for k in range(N)]
    for index, (time, end) in enumerate(pairwise(times)):
        since = float(time - times[0])
        assert clip.index_at(since) == index
        assert clip.index_at(since + 0.7 * float(end - time)) == index
    assert clip.index_at(-3) == 0
    assert clip.index_at(1e6) == N - 1
    assert float(clip.times[-1]) == pytest.approx(float(times[-1] - times[0]), abs=0.002)
    if "times" not in how:
        assert clip.duration == pytest.approx(N / float(rate), abs=0.003)
        assert float(clip.rate) == pytest.approx(float(rate), rel=0.005)
    clip.close()


def test_raw_video_without_timestamps(tmp_path):
    path = numbered(tmp_path / "a.h264", options={"bf": "0"})
    clip = Clip(path)
    assert clip.n_pictures == N
    order = random.Random(7).sample(range(N), 20)
    assert [number_of(clip.read(index).planes[0]) for index in order] == order
    clip.close()


@pytest.mark.parametrize("turn", [90, 180, 270])
def test_a_turned_film_stands_upright(tmp_path, turn):
    turned = np.rot90(numbered_picture(37, (160, 96)), turn // 90)  # stored lying, to be turned back
    flat = write_clip(tmp_path / "flat.mp4", [np.ascontiguousarray(turned)] * 5)
    path = tmp_path / "turned.mov"
    with av.open(str(flat)) as source, av.open(str(path), "w") as target:
        stream = target.add_stream_from_template(source.streams.video[0])
        for packet in source.demux(video=0):
            if packet.dts is not None:
                packet.stream = stream
                target.mux(packet)
    # The matrix of the track header (ISO/IEC 14496-12, 8.3.2) says how it is turned.
    one, content = 1 << 16, bytearray(path.read_bytes())
    matrix = {90: (0, one, -one, 0), 180: (-one, 0, 0, -one), 270: (0, -one, one, 0)}[turn]
    at = content.index(b"tkhd") + 4 + 40
    for k, value in zip((0, 1, 3, 4), matrix, strict=True):
        content[at + 4 * k : at + 4 * k + 4] = value.to_bytes(4, "big", signed=True)
    path.write_bytes(content)
    clip = Clip(path)
    assert clip.display_size == (160, 96)
    assert number_of(clip.read(3).planes[0]) == 37
    clip.close()


@pytest.mark.parametrize("size", [(2, 2), (7680, 4320), (1080, 1920)])
def test_sizes_from_the_smallest_to_8k(tmp_path, size):
    path = grey_clip(tmp_path / "a.mp4", n_pictures=2, size=size)
    facts = probe_footage(path)
    assert (facts.width, facts.height) == size


def test_one_pixel_is_a_picture(tmp_path):
    path = write_clip(tmp_path / "a.mkv", [np.full((1, 1, 3), 90, np.uint8)] * 3, codec="ffv1", pixels="bgr0")
    clip = Clip(path)
    assert clip.display_size == (1, 1)
    assert clip.read(2).planes[0].tolist() == [[[90, 90, 90]]]
    clip.close()


def test_a_film_broken_in_the_middle_shows_what_can_be_shown(tmp_path):
    path = numbered(tmp_path / "a.ts", options={"g": "15", "bf": "0"})
    content = bytearray(path.read_bytes())
    middle = len(content) // 2
    content[middle : middle + 8000] = bytes(8000)
    path.write_bytes(content)
    clip = Clip(path)
    wanted = [round(float(time) * 30) for time in clip.times]
    shown = [number_of(clip.read(index).planes[0]) for index in range(clip.n_pictures)]
    assert sum(one == other for one, other in zip(shown, wanted, strict=True)) > 0.6 * N
    n_missing = clip.n_missing
    order = random.Random(3).sample(range(clip.n_pictures), clip.n_pictures)
    assert [number_of(clip.read(index).planes[0]) for index in order] == [shown[index] for index in order]
    assert clip.n_missing == n_missing  # each is looked for once
    clip.close()


def test_how_much_of_a_clip_is_damaged_is_found_when_it_is_looked_through(tmp_path):
    path = numbered(tmp_path / "a.mp4", options={"g": "1"})
    assert search_clip(path).damaged == 0
    content = bytearray(path.read_bytes())
    n = len(content)
    content[n // 5 : n * 4 // 5] = bytes(n * 4 // 5 - n // 5)
    path.write_bytes(content)
    assert 0.5 < search_clip(path).damaged < 0.8


@pytest.mark.parametrize("suffix", [".avif", ".jp2", ".tga", ".ppm"])
def test_more_kinds_of_stills_are_stills(tmp_path, suffix):
    path = tmp_path / f"a{suffix}"
    Image.fromarray(numbered_picture(5)[..., ::-1]).save(path)
    facts = probe_footage(path)
    assert (facts.kind, facts.width, facts.height) == (FootageKind.STILL, 160, 90)
    assert number_of(Still(path).read().planes[0]) == 5


def test_a_film_cut_in_half_plays_to_where_it_stops(tmp_path):
    path = numbered(tmp_path / "a.mkv", options={"g": "15"})
    path.write_bytes(path.read_bytes()[: path.stat().st_size // 2])
    clip = Clip(path)
    assert 0 < clip.n_pictures < N
    assert number_of(clip.read(3).planes[0]) == 3
    clip.close()


def test_a_film_cut_out_of_another_begins_with_its_first_whole_picture(tmp_path):
    path = numbered(tmp_path / "a.ts", options={"g": "25", "bf": "2", "sc_threshold": "0"})
    content = path.read_bytes()
    path.write_bytes(content[len(content) // 3 // 188 * 188 :])  # in the middle of a group
    clip = Clip(path)
    first = number_of(clip.read(0).planes[0])
    assert first in (25, 50)
    assert [number_of(clip.read(k).planes[0]) for k in (9, 3, 0)] == [first + 9, first + 3, first]
    clip.close()


@pytest.mark.parametrize("name", ["a.mp4", "a.mkv", "a.ts", "a.avi"])
def test_damage_anywhere_is_a_sentence_and_never_anything_else(tmp_path, name):
    path = numbered(tmp_path / name, n=30, codec="mpeg4" if name == "a.avi" else "libx264")
    content = path.read_bytes()
    for seed in range(12):
        chance = random.Random(seed)
        damaged = bytearray(content[: chance.choice([len(content), chance.randrange(len(content))])])
        for _ in range(chance.choice([1, 20, 200])):
            damaged[chance.randrange(len(damaged))] = chance.randrange(256)
        path.write_bytes(damaged)
        try:
            clip = Clip(path)
        except MediaError as error:
            assert str(error).startswith(name)
            continue
        for index in chance.sample(range(clip.n_pictures), min(5, clip.n_pictures)):
            try:
                assert clip.read(index).planes
            except MediaError as error:
                assert str(error).startswith(name)
        clip.close()


def a_song_file(tmp_path):
    return write_sound(tmp_path / "song.wav", click_track([0.1], duration=0.5))


def nonsense(tmp_path):
    path = tmp_path / "nonsense.mp4"
    path.write_bytes(b"marbles" * 500)
    return path


def half_an_mp4(tmp_path):
    path = grey_clip(tmp_path / "half.mp4")
    path.write_bytes(path.read_bytes()[: path.stat().st_size // 2])
    return path


def empty(tmp_path):
    path = tmp_path / "empty.mp4"
    path.touch()
    return path


@pytest.mark.parametrize(
    ("make", "words"),
    [
        (nonsense, "damaged, or neither picture nor sound"),
        (half_an_mp4, "damaged, or neither picture nor sound"),
        (empty, "is empty; leave it out"),
        (lambda tmp_path: tmp_path / "gone.mp4", "not there any more"),
    ],
)
def test_what_is_no_footage_is_refused_in_a_sentence(tmp_path, make, words):
    path = make(tmp_path)
    with pytest.raises(MediaError, match=rf"^{path.name}.*{words}.*\.$"):
        probe_footage(path)


def test_a_file_is_told_by_what_is_in_it(tmp_path):
    assert kind_of(a_song_file(tmp_path)) is FootageKind.SOUND
    assert kind_of(grey_clip(tmp_path / "film.wav.mp4")) is FootageKind.VIDEO
    for path, words in ((nonsense(tmp_path), "neither picture nor sound"), (empty(tmp_path), "is empty")):
        with pytest.raises(MediaError, match=words):
            kind_of(path)


def test_pictures_of_a_container_that_knows_their_decoding_alone(tmp_path):
    path = write_clip(
        tmp_path / "a.avi",
        [numbered_picture(n) for n in range(90)],
        options={"bf": "3", "g": "30", "b_strategy": "0"},
    )
    clip = Clip(path)
    assert (clip.n_pictures, clip.rate, clip.duration) == (90, 30, 3.0)
    for index in (0, 1, 2, 50, 89, 88, 40, 41, 7):
        assert number_of(clip.read(index).planes[0]) == index
    clip.close()


def test_a_doubled_timestamp_leaves_the_others_as_they_are(tmp_path):
    times = [Fraction(n, 30) for n in range(20)] + [Fraction(20, 30) + Fraction(n, 10) for n in range(20)]
    times[7] = times[6]
    path = write_clip(tmp_path / "v.mkv", [numbered_picture(n) for n in range(40)], times=times)
    clip = Clip(path)
    assert clip.duration == pytest.approx(float(times[-1]) + 1 / 10, abs=0.07)
    assert np.all(np.diff(clip.times) > 0)
    for index in (0, 5, 6, 7, 8, 30, 39, 7, 6):
        assert number_of(clip.read(index).planes[0]) == index
    assert clip.usual_rate != clip.rate
    clip.close()


def test_a_clip_that_changes_its_size_has_moments(tmp_path):
    small, large = (
        write_clip(
            tmp_path / f"{size[0]}.h264", [numbered_picture(n, size) for n in range(20)], options={"bf": "0"}
        )
        for size in ((320, 180), (640, 360))
    )
    both = tmp_path / "both.h264"
    both.write_bytes(small.read_bytes() + large.read_bytes())
    assert len(search_clip(both).moments) <= 8
