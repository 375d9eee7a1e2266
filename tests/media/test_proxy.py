"""A proxy has every picture of its footage, at its very time and level, and stands aside when it is old."""

import hashlib
import os
import random
from fractions import Fraction

import numpy as np
import pytest
from helpers import click_track, number_of, numbered_picture, write_clip, write_sound
from msgspec.structs import replace
from PIL import Image

from epiphane.audio.cache import cache_folder, hear_song
from epiphane.errors import CancelledError, DiskError, MediaError
from epiphane.media.clip import Clip
from epiphane.media.proxy import PROXY_LINES, ProxyStore
from epiphane.render.draw import draw
from epiphane.render.nodes import Shown, SourceFrame, plan_of
from epiphane.render.sources import OpenFootage

SIZE = (320, 180)


def mark(name):
    """Return the fingerprint of made-up footage."""
    return hashlib.blake2b(name.encode(), digest_size=16).hexdigest()


def uneven(n):
    generator, times, now = random.Random(2), [], Fraction(0)
    for _ in range(n):
        times.append(now)
        now += Fraction(generator.choice([1500, 3003, 6000]), 90_000)
    return times


@pytest.mark.parametrize(
    ("name", "how"),
    [
        ("b.mp4", {"options": {"bf": "3", "g": "250"}}),
        ("v.mkv", {"times": uneven(40)}),
        ("o.ts", {"rate": Fraction(24000, 1001)}),
        ("full.mov", {"codec": "mjpeg", "pixels": "yuvj422p"}),
        ("odd.mkv", {"pixels": "yuv444p"}),
    ],
)
def test_a_proxy_shows_the_same_picture_at_every_instant(tmp_path, name, how):
    size = (1295, 729) if name == "odd.mkv" else (1296, 730)
    path = write_clip(tmp_path / name, [numbered_picture(n, size) for n in range(40)], **how)
    store = ProxyStore(tmp_path / "proxies")
    place = store.make(path, mark("0123456789abcdef" * 2))
    footage, proxy = Clip(path), Clip(place)
    assert min(proxy.display_size) == PROXY_LINES
    assert proxy.times == pytest.approx(footage.times, abs=2e-5)
    picked = random.Random(5).sample(range(40), 12)
    assert [number_of(proxy.read(n).planes[0]) for n in picked] == picked
    assert proxy.read(3).spec == footage.read(3).spec
    source = SourceFrame(str(path), "0123456789abcdef" * 2, float(footage.times[20]) + 0.001)
    plan = plan_of(Shown(source), SIZE)
    seen = [draw(plan, OpenFootage(proxies), SIZE).astype(int) for proxies in (None, store)]
    assert np.abs(seen[0] - seen[1]).mean() < 3
    footage.close()
    proxy.close()


def test_a_still_has_a_proxy_where_that_is_smaller_and_alpha_has_none(tmp_path):
    store = ProxyStore(tmp_path / "proxies")
    Image.new("RGB", (4000, 3000), (10, 200, 90)).save(tmp_path / "large.png")
    Image.new("RGB", (400, 300)).save(tmp_path / "small.png")
    Image.new("RGBA", (4000, 3000), (10, 200, 90, 99)).save(tmp_path / "glass.png")
    made = store.make(tmp_path / "large.png", mark("large"))
    with Image.open(made) as image:
        assert (image.size, image.getpixel((5, 5))) == ((1080, 810), (10, 200, 90))
    assert store.make(tmp_path / "small.png", mark("small")) is None
    assert store.make(tmp_path / "glass.png", mark("glass")) is None


def test_the_longest_unused_make_room(tmp_path):
    path = write_clip(tmp_path / "a.mp4", [numbered_picture(n, (640, 360)) for n in range(20)])
    size = ProxyStore(tmp_path / "one").make(path, mark("x")).stat().st_size
    store = ProxyStore(tmp_path / "proxies", most_bytes=int(2.5 * size))
    for number, name in enumerate(("a", "b")):
        os.utime(store.make(path, mark(name)), (number, number))
    assert store.find(mark("a")) is not None  # used again: now b is the longest unused
    store.make(path, mark("c"))
    assert [store.find(mark(name)) is not None for name in "abc"] == [True, False, True]
    assert store.n_bytes() <= 2.5 * size


def test_stopping_or_failing_leaves_nothing_behind(tmp_path):
    path = write_clip(tmp_path / "a.mp4", [numbered_picture(n) for n in range(20)])
    store = ProxyStore(tmp_path / "proxies")

    def stop(share):
        raise CancelledError("stopped")

    with pytest.raises(CancelledError):
        store.make(path, mark("x"), progress=stop)
    (tmp_path / "no.mp4").write_bytes(b"no film")
    with pytest.raises(MediaError, match=r"no\.mp4 is damaged"):
        store.make(tmp_path / "no.mp4", mark("y"))
    assert list((tmp_path / "proxies").iterdir()) == []
    (tmp_path / "file").touch()
    with pytest.raises(DiskError, match=r"is not a folder|cannot be"):
        ProxyStore(tmp_path / "file").make(path, mark("z"))


@pytest.mark.parametrize("harm", ["cut", "noise", "emptied"])
def test_a_damaged_proxy_is_thrown_away_and_the_footage_is_read(tmp_path, harm):
    path = write_clip(tmp_path / "a.mp4", [numbered_picture(n, (1280, 720)) for n in range(40)])
    store = ProxyStore(tmp_path / "proxies")
    lost = []
    store.discarded = lost.append
    proxy = store.make(path, mark("a"))
    footage = OpenFootage(store)
    source = SourceFrame(str(path), mark("a"), 20.5 / 30)
    if harm == "emptied":
        footage.picture(replace(source, seconds=0.0))  # it is open already
    proxy.write_bytes({"cut": proxy.read_bytes()[:900], "noise": os.urandom(9000), "emptied": b""}[harm])
    assert number_of(footage.picture(source).planes[0]) == 20
    assert footage.faults() == []
    assert lost == ([] if proxy.exists() else [mark("a")])
    footage.close()
    assert store.make(path, mark("a")).stat().st_size > 9000 or harm == "emptied"


def test_a_cache_of_listening_may_hold_anything(tmp_path):
    song = write_sound(tmp_path / "song.wav", click_track(np.arange(0.5, 8, 0.5), duration=8))
    heard = hear_song(song)
    (kept,) = (one for one in cache_folder().iterdir() if one.name.startswith(heard.fingerprint))
    whole = kept.read_bytes()
    for harm in (b"", whole[:-9], whole[:400] + b"?" + whole[401:], os.urandom(500)):
        kept.write_bytes(harm)
        assert hear_song(song).listening.beats == heard.listening.beats
        assert kept.read_bytes() == whole
