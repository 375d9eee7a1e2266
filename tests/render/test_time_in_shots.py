"""Footage whose every picture tells its number, at every kind of speed, exported and decoded again."""

from fractions import Fraction

import cv2
import numpy as np
import pytest
from helpers import number_of, numbered_picture, read_lumas, write_clip
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from epiphane.document.footage import Footage
from epiphane.document.ids import ItemId
from epiphane.document.project import Project
from epiphane.document.timeline import Between, Extend, Pin, Ramp, SpeedKey, footage_item
from epiphane.edits.footage import add_footage
from epiphane.edits.shots.cutting import split_at
from epiphane.edits.shots.shots import pin_shot
from epiphane.edits.shots.speed import freeze_at, reverse_shot, set_between
from epiphane.exporting.export import export
from epiphane.keying.schedule import schedule
from epiphane.media.in_between import MAY_WOBBLE, WILL_TEAR, moved_between, movement_between
from epiphane.media.probe import probe_footage
from epiphane.media.raw import raw_from_bgr
from epiphane.render.draw import draw
from epiphane.render.nodes import SourceFrame
from epiphane.render.plan import plan_frame
from epiphane.render.sources import OpenFootage

SIZE = (160, 90)
N = 200
SLOW, CURVE, BACK, FROZEN = (ItemId(number) for number in (1, 2, 3, 4))


@pytest.fixture(scope="module")
def numbered(tmp_path_factory):
    folder = tmp_path_factory.mktemp("numbered")
    return write_clip(folder / "numbered.mp4", [numbered_picture(n) for n in range(N)], rate=Fraction(25))


def edit(clip, rate):
    """Return four shots of 40 frames: slow, a straight ramp about a hit, backwards, and frozen on a frame."""
    project = add_footage(Project(is_shape_chosen=True), [probe_footage(clip)])
    shots = tuple(
        footage_item(ItemId(1 + n), project.footage[0].id, 40 * n, 40, source_start=1.0, extend=Extend.REPEAT)
        for n in range(4)
    )
    shots = (replace(shots[0], content=replace(shots[0].content, speed=0.4)), *shots[1:])
    project = replace(project, shots=shots, rate=rate, width=160, height=90, next_id=20)
    ramp = (SpeedKey(11, 0.5, Ramp.LINEAR), SpeedKey(31, 2.5, Ramp.HOLD))
    curved = replace(project.shots[1], content=replace(project.shots[1].content, speed=ramp))
    project = replace(project, shots=(project.shots[0], curved, *project.shots[2:]))
    project = pin_shot(project, CURVE, Pin(3.0, float(61 / rate)))
    return freeze_at(reverse_shot(project, BACK), FROZEN, 130, 12)


def expected_seconds(frame, rate):
    """Return the instant that is due on a frame, in exact fractions, by formulas of their own."""
    one = 1 / rate
    if frame < 40:
        return 1 + Fraction(2, 5) * frame * one
    if frame < 80:  # speed .5, then rising by .1 a frame over 20 frames about frame 61, then 2.5
        x = Fraction(frame - 61)
        inside = min(max(x, -10), 10)
        run = Fraction(3, 2) * inside + inside * inside / 20
        run += Fraction(1, 2) * min(x + 10, 0) + Fraction(5, 2) * max(x - 10, 0)
        return 3 + run * one
    if frame < 120:
        return 1 + (39 - (frame - 80)) * one
    held = min(max(frame - 130, 0), 12)
    return 1 + (frame - 120 - held) * one


@pytest.mark.parametrize("rate", ["24", "25", "30000/1001", "30", "60"])
def test_every_frame_shows_the_picture_that_is_due(tmp_path, numbered, rate):
    rate = Fraction(rate)
    project = split_at(edit(numbered, rate), [17, 66, 95])
    assert export(project, tmp_path / "film.mp4") == []
    shown = [number_of(luma) for luma in read_lumas(tmp_path / "film.mp4")[0]]
    # Where an instant is the very edge of a picture, either side is right: a file's clock rounds it.
    due = [expected_seconds(frame, rate) * 25 for frame in range(160)]
    wrong = [
        (frame, number, float(place))
        for frame, (number, place) in enumerate(zip(shown, due, strict=True))
        if not place - 1 - Fraction(1, 100) < number <= place + Fraction(1, 100)
    ]
    assert wrong == []
    assert len(set(shown[130:143])) == 1


def moving_picture(time, shift):
    """Return a disc of one texture that moves over another, which moves a little the other way."""
    width, height = 640, 360
    generator = np.random.default_rng(3)
    cloths = [generator.integers(0, 255, (height, 2 * width)).astype(np.float32) for _ in range(2)]
    ground, cloth = (
        cv2.normalize(cv2.GaussianBlur(one, (0, 0), 4), None, 20, 235, cv2.NORM_MINMAX) for one in cloths
    )
    ground = cv2.warpAffine(
        ground, np.float32([[1, 0, -300 - 0.3 * shift * time], [0, 1, 0]]), (width, height)
    )
    cloth = cv2.warpAffine(cloth, np.float32([[1, 0, shift * time - 200], [0, 1, 0]]), (width, height))
    disc = np.zeros((height, width), np.uint8)
    cv2.circle(disc, (round(16 * (200 + shift * time)), 16 * 180), 16 * 80, 255, -1, cv2.LINE_AA, 4)
    share = disc / np.float32(255)
    return cv2.merge([np.rint(ground * (1 - share) + cloth * share).astype(np.uint8)] * 3)


def likeness(one, other):
    """Return the peak signal-to-noise ratio of two pictures, in dB."""
    return 10 * np.log10(255**2 / np.mean((one.astype(float) - other) ** 2))


def test_flow_is_nearer_to_the_pictures_left_out_than_a_mix(tmp_path):
    whole = [moving_picture(n / 2, 14) for n in range(13)]
    clip = write_clip(tmp_path / "half.mp4", whole[::2], rate=Fraction(25), options={"crf": "4"})
    project = add_footage(Project(width=640, height=360, rate=Fraction(25)), [probe_footage(clip)])
    footage = project.footage[0].id
    project = replace(project, shots=(footage_item(SLOW, footage, 0, 12, speed=0.5),))
    likenesses = {}
    for between in Between:
        changed = set_between(project, [SLOW], between=between)
        files, cues = OpenFootage(), schedule(changed)
        drawn = [draw(plan_frame(changed, cues, n), files, (640, 360)) for n in range(11)]
        files.close()
        assert [likeness(drawn[n], whole[n]) > 40 for n in range(0, 11, 2)] == [True] * 6  # untouched
        likenesses[between] = np.mean([likeness(drawn[n], whole[n]) for n in range(1, 11, 2)])
    assert likenesses[Between.FLOW] > likenesses[Between.BLEND] + 3
    assert likenesses[Between.BLEND] > likenesses[Between.NEAREST] + 1


def test_a_cut_stays_a_cut_a_flash_is_mixed_and_what_tears_is_told():
    still, moved = (raw_from_bgr(moving_picture(time, 10)) for time in (0, 1))
    torn = raw_from_bgr(moving_picture(7, 90))
    generator = np.random.default_rng(0)
    other = raw_from_bgr(
        np.kron(generator.integers(0, 255, (36, 64, 3)), np.ones((10, 10, 1))).astype(np.uint8)
    )
    bright = raw_from_bgr(cv2.convertScaleAbs(still.planes[0], alpha=0.6, beta=90))
    for is_preview in (True, False):
        cut = movement_between(still, other, is_preview=is_preview)
        for share, expected in ((0.4, still), (0.6, other)):
            made = moved_between(still, other, cut, share, is_preview=is_preview)
            assert made.planes[0] is expected.planes[0]
        flash = movement_between(still, bright, is_preview=is_preview)
        half = moved_between(still, bright, flash, 0.5, is_preview=is_preview).planes[0]
        assert (
            np.abs(half.astype(int) - cv2.addWeighted(still.planes[0], 0.5, bright.planes[0], 0.5, 0)).max()
            < 3
        )
        same = movement_between(still, still, is_preview=is_preview)
        assert np.array_equal(
            moved_between(still, still, same, 0.3, is_preview=is_preview).planes[0], still.planes[0]
        )
        assert movement_between(still, moved, is_preview=is_preview).roughness < MAY_WOBBLE
        assert movement_between(still, torn, is_preview=is_preview).roughness > WILL_TEAR


@settings(max_examples=40, deadline=None)
@given(st.floats(-3, 3), st.sampled_from(list(Between)), st.floats(0, 7))
def test_no_frame_asks_for_a_picture_beyond_what_may_be_shown(speed, between, start):
    footage = Footage(ItemId(1), "/clip.mp4", "1" * 32, 8.0, 64, 36, Fraction(25), used_from=1.0, used_to=3.0)
    shot = footage_item(SLOW, footage.id, 0, 60, source_start=start, speed=speed, bounds=(1.5, 2.5))
    shot = replace(shot, content=replace(shot.content, between=between))
    project = Project(footage=(footage,), shots=(shot,), width=64, height=36)
    cues = schedule(project)
    for frame in range(60):
        source = plan_frame(project, cues, frame).root.content.source
        assert isinstance(source, SourceFrame)
        assert 1.5 <= source.seconds < 2.5
        if source.between is not Between.NEAREST:  # the picture after it as well
            assert source.seconds + 1 / 25 < 2.5
