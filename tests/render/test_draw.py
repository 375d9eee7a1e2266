"""What is drawn: footage untouched, operations in their order, the same for preview and export."""

import numpy as np
import pytest
from helpers import grey_clip, number_of, numbered_picture, write_clip
from hypothesis import given, settings
from hypothesis import strategies as st

from epiphane.document.project import Project
from epiphane.edits.footage import add_footage
from epiphane.edits.shots.shots import lay_in_row
from epiphane.effects.operations import Tone, ToneCurve, Warp, scale_about
from epiphane.errors import CancelledError
from epiphane.keying.schedule import schedule
from epiphane.media.colour import OUTPUT_SPEC, ColourSpec, Matrix, bgr_to_yuv, yuv_to_bgr
from epiphane.media.placeholder import placeholder
from epiphane.media.probe import probe_footage
from epiphane.media.raw import RawPicture, raw_from_bgr
from epiphane.media.writer import planes_from_yuv444
from epiphane.render.cache import PictureCache
from epiphane.render.draw import draw, draw_planes
from epiphane.render.fuse import fuse
from epiphane.render.nodes import ActiveEffect, Shown, SourceFrame, plan_of
from epiphane.render.plan import plan_frame
from epiphane.render.sources import OpenFootage

SIZE = (64, 36)
SOURCE = SourceFrame("a", "a", 0.0)


class One:
    """The sources of a plan: one raw picture, whatever is asked for."""

    def __init__(self, raw):
        self._raw = raw

    def picture(self, source):
        return self._raw


def smooth(size=SIZE, seed=3):
    """Return a picture without single-pixel detail, as footage is: sampling it is no gamble."""
    rng = np.random.default_rng(seed)
    x, y = np.meshgrid(np.linspace(0, 3, size[0]), np.linspace(0, 2, size[1]))
    waves = [127 + 100 * np.sin(a * x + b * y + c) for a, b, c in rng.uniform(0.5, 2, (3, 3))]
    return np.dstack(waves).astype(np.uint8)


def yuv_raw(size=SIZE, spec=OUTPUT_SPEC, seed=3):
    matrix = bgr_to_yuv(spec)
    yuv = np.rint(smooth(size, seed) @ matrix[:, :3].T + matrix[:, 3]).astype(np.uint8)
    return RawPicture(planes_from_yuv444(yuv), spec)


def flash(opacity, blend="screen"):
    return ActiveEffect("flash", 1, (("opacity", opacity), ("colour", "#ffffff"), ("blend", blend)))


def zoom(scale):
    return ActiveEffect("zoom", 1, (("scale", scale), ("centre_x", 50.0), ("centre_y", 50.0)))


def test_footage_without_an_effect_goes_into_the_film_untouched():
    raw = yuv_raw()
    for given_plane, plane in zip(
        raw.planes, draw_planes(plan_of(Shown(SOURCE), SIZE), One(raw), SIZE), strict=True
    ):
        assert np.array_equal(plane, given_plane)
        assert np.shares_memory(plane, given_plane)


@pytest.mark.parametrize(
    "spec", [OUTPUT_SPEC, ColourSpec(Matrix.BT601, False), ColourSpec(Matrix.BT709, True)]
)
def test_colours_are_those_of_the_standard_to_a_level(spec):
    raw = yuv_raw(spec=spec)
    full = [raw.planes[0]] + [p.repeat(2, 0).repeat(2, 1) for p in raw.planes[1:]]
    matrix = yuv_to_bgr(spec)
    exact = np.clip(np.dstack(full) @ matrix[:, :3].T + matrix[:, 3], 0, 255)
    drawn = draw(plan_of(Shown(SOURCE), SIZE), One(raw), SIZE)
    assert np.abs(drawn - exact).max() <= 1


@pytest.mark.parametrize("effects", [(flash(40.0),), (zoom(130.0),), (zoom(120.0), flash(70.0, "overlay"))])
def test_preview_and_export_are_one_picture(effects):
    plan = plan_of(Shown(SOURCE), SIZE, effects)
    seen = draw(plan, One(yuv_raw()), SIZE)
    luma, _, _ = draw_planes(plan, One(yuv_raw()), SIZE)
    to_yuv = bgr_to_yuv(OUTPUT_SPEC)
    expected = seen @ to_yuv[0, :3] + to_yuv[0, 3]
    assert np.abs(luma - expected).max() <= 1.6  # both are rounded once


def test_a_flash_that_has_just_ended_leaves_no_step():
    """A colour conversion that is off by a level would make the picture pulse on every beat."""
    raw = yuv_raw()
    plain = draw_planes(plan_of(Shown(SOURCE), SIZE), One(raw), SIZE)
    almost = draw_planes(plan_of(Shown(SOURCE), SIZE, (flash(0.01),)), One(raw), SIZE)
    for one, other in zip(plain, almost, strict=True):
        assert abs(float(one.mean()) - float(other.mean())) < 0.1


levels = st.floats(0, 1)


@st.composite
def operations(draw_value):
    kind = draw_value(st.integers(0, 3))
    a, b, c = (draw_value(levels) for _ in range(3))
    if kind == 0:
        return scale_about(1 + a, x=b, y=c)
    if kind == 1:
        return Tone(np.column_stack([np.diag([1 - a, 1 - b, 1 - c]), [255 * a, 255 * b, 128 * c]]))
    if kind == 2:
        mixing = (1 - a) * np.eye(3) + a * np.full((3, 3), 1 / 3)
        return Tone(np.column_stack([mixing, [20 * (b - 0.5)] * 3]))
    return ToneCurve(np.repeat((255 * (np.arange(256) / 255) ** (0.95 + a / 3))[:, None], 3, axis=1))


def in_float(picture, tones):
    """Do tones one after the other without rounding: what fusing must not change."""
    done = picture.astype(np.float64)
    for tone in tones:
        if isinstance(tone, Tone):
            done = np.clip(done @ tone.matrix[:, :3].T + tone.matrix[:, 3], 0, 255)
        else:
            table = np.clip(tone.table, 0, 255)
            done = np.dstack([np.interp(done[..., c], np.arange(256), table[:, c]) for c in range(3)])
    return done


@settings(max_examples=80)
@given(st.lists(operations(), max_size=6))
def test_fused_tones_are_within_two_levels_of_one_after_the_other(some):
    done = fuse(some)
    picture = smooth()
    wanted = in_float(picture, [one for one in some if not isinstance(one, Warp)])
    got = in_float(picture, done.tones)
    assert np.abs(got - wanted).max() <= 2
    assert len(done.tones) <= len(some)


@given(st.lists(operations(), max_size=6))
def test_neighbouring_warps_are_one(some):
    matrix = np.eye(3)
    for one in some:
        if isinstance(one, Warp):
            matrix = one.matrix @ matrix
    fused = fuse(some).warp
    assert (np.eye(3) if fused is None else fused) == pytest.approx(matrix, abs=1.1e-6)


def test_what_undoes_itself_costs_nothing():
    there, back = scale_about(2, x=0.5, y=0.5), scale_about(0.5, x=0.5, y=0.5)
    done = fuse([there, back, Tone(np.eye(3, 4))])
    assert done.warp is None
    assert done.tones == ()


@pytest.mark.parametrize("size", [(2, 2), (64, 36), (63, 35), (320, 180)])
@pytest.mark.parametrize("shape", [(16, 9), (9, 16), (1, 1)])
@pytest.mark.parametrize("stored", [(1, 1), (64, 36), (33, 71)])
def test_any_picture_fills_any_frame(size, shape, stored):
    bright = np.full((stored[1], stored[0], 3), 180, np.uint8)
    picture = draw(plan_of(Shown(SOURCE), shape), One(raw_from_bgr(bright)), size)
    assert picture.shape == (size[1], size[0], 3)
    assert picture.min() >= 179


def test_wide_pixels_are_seen_wide():
    """A square of wide pixels covers a wide frame whole: nothing of it is cut off."""
    raw = RawPicture((numbered_picture(1234, (90, 90)),), pixel_aspect=16 / 9)
    assert number_of(draw(plan_of(Shown(SOURCE), (16, 9)), One(raw), (160, 90))) == 1234


def test_no_shot_is_black():
    assert draw(plan_of(None, SIZE), OpenFootage(), SIZE).max() == 0


def a_small_project(path):
    project = add_footage(Project(), [probe_footage(path)])
    return lay_in_row(project, [project.footage[0].id])


def test_equal_plans_give_equal_pictures_in_any_order(tmp_path):
    path = write_clip(tmp_path / "a.mp4", [numbered_picture(k) for k in range(60)])
    project = a_small_project(path)
    cues = schedule(project)
    plans = [plan_frame(project, cues, frame) for frame in range(60)]
    footage = OpenFootage()
    forwards = [draw(plan, footage, SIZE) for plan in plans]
    again = {n: draw(plans[n], footage, SIZE) for n in reversed(range(0, 60, 7))}
    assert all(np.array_equal(forwards[n], picture) for n, picture in again.items())
    assert [number_of(picture) for picture in forwards] == list(range(60))
    footage.close()


def test_lost_footage_is_a_marked_placeholder_and_comes_back(tmp_path):
    path = grey_clip(tmp_path / "a.mp4")
    content = path.read_bytes()
    project = a_small_project(path)
    plan = plan_frame(project, schedule(project), 5)
    path.unlink()
    footage = OpenFootage()
    shown = draw(plan, footage, (640, 360))
    assert np.array_equal(shown, placeholder(footage.faults()[0]).planes[0])
    assert shown.std() > 5  # stripes and words, not a flat colour that could be footage
    assert footage.faults() == ["a.mp4 is not there any more; put it back or replace it."]
    path.write_bytes(content)
    footage.forget_faults()
    assert draw(plan, footage, (640, 360)).std() < 2
    assert footage.faults() == []
    footage.close()


def test_the_cache_lets_go_of_what_was_unused_longest():
    plans = [plan_of(Shown(SourceFrame("a", "a", float(n))), SIZE) for n in range(4)]
    picture = np.zeros((36, 64, 3), np.uint8)
    cache = PictureCache(3 * picture.nbytes)
    for plan in plans[:3]:
        cache.put(plan, SIZE, picture)
    cache.put(plans[0], SIZE, picture)  # again: not counted twice
    assert cache.get(plans[1], SIZE) is picture
    cache.put(plans[3], SIZE, picture)
    assert [cache.get(plan, SIZE) is not None for plan in plans] == [True, True, False, True]
    assert cache.get(plans[0], (2, 2)) is None


def test_the_cache_packs_what_finds_no_room_and_it_looks_the_same():
    plans = [plan_of(Shown(SourceFrame("a", "a", float(n))), SIZE) for n in range(6)]
    pictures = [smooth(seed=n) for n in range(6)]
    cache = PictureCache(2 * pictures[0].nbytes, pictures[0].nbytes // 2)
    for plan, picture in zip(plans, pictures, strict=True):
        cache.put(plan, SIZE, picture)
    for number in (2, 3):
        assert np.abs(cache.get(plans[number], SIZE).astype(float) - pictures[number]).mean() < 2
    assert [cache.has(plan, SIZE) for plan in plans[1:]] == [
        cache.get(p, SIZE) is not None for p in plans[1:]
    ]
    assert cache.get(plans[5], SIZE) is pictures[5]
    assert not cache.has(plans[0], SIZE)


def test_reading_that_is_stopped_ends_at_the_next_picture_and_no_more_is_read(tmp_path):
    path = write_clip(tmp_path / "a.mp4", [numbered_picture(n) for n in range(60)], options={"g": "60"})
    footage, fingerprint = OpenFootage(), "0" * 32
    footage.picture(SourceFrame(str(path), fingerprint, 0.1))
    clip = footage._open(str(path), fingerprint)
    footage.stop()
    with pytest.raises(CancelledError):
        clip.read(50)  # what another thread is at
    with pytest.raises(CancelledError):
        footage.picture(SourceFrame(str(path), fingerprint, 0.1))
    footage.close()
