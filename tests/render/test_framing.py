"""Where a picture lies: turned, moved to an end framing, with something behind what it leaves free."""

import math
from fractions import Fraction

import cv2
import numpy as np
import pytest
from helpers import write_clip
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import astuple, replace

from epiphane.document.ids import ItemId
from epiphane.document.project import Project
from epiphane.document.timeline import Backdrop, Fit, Framing, Move, Ramp, Transform, footage_item
from epiphane.edits.footage import add_footage
from epiphane.facts.framing import framing_at, parted
from epiphane.keying.schedule import schedule
from epiphane.media.probe import probe_footage
from epiphane.media.raw import raw_from_bgr
from epiphane.render.draw import draw
from epiphane.render.nodes import Shown
from epiphane.render.plan import plan_frame
from epiphane.render.sources import OpenFootage
from epiphane.render.transform import covers_frame, placed_plane, transform_on


def a_spot(at, size=(320, 180)):
    """Return a dark picture with a bright spot at shares of its width and height."""
    picture = np.full((size[1], size[0], 3), 10, np.uint8)
    cv2.circle(picture, (round(at[0] * size[0]), round(at[1] * size[1])), 6, (250, 250, 250), -1, cv2.LINE_AA)
    return picture


def centre_of(picture):
    """Return where a picture is bright, in shares of its width and height."""
    weight = np.clip(picture.astype(float).mean(axis=2) - 40, 0, None)
    rows, columns = np.mgrid[: picture.shape[0], : picture.shape[1]] + 0.5
    return (
        (columns * weight).sum() / weight.sum() / picture.shape[1],
        (rows * weight).sum() / weight.sum() / picture.shape[0],
    )


@given(
    st.floats(-180, 180),
    st.floats(0.4, 1.2),
    st.floats(-0.15, 0.15),
    st.sampled_from([(320, 180), (180, 320), (240, 240)]),
)
def test_a_turned_picture_has_every_part_where_the_formula_has_it(degrees, scale, aside, shape):
    raw, at = raw_from_bgr(a_spot((0.6, 0.4))), (0.1 * 320, -0.1 * 180)
    transform = Transform(Fit.WHOLE, scale, aside, -aside, rotation=degrees)
    size = shape[0] * 2, shape[1] * 2
    drawn = placed_plane(raw.planes[0], raw, size, shape, transform)
    shown = scale * min(shape[0] / 320, shape[1] / 180)
    turn = math.radians(degrees)
    x = math.cos(turn) * at[0] - math.sin(turn) * at[1]
    y = math.sin(turn) * at[0] + math.cos(turn) * at[1]
    expected = 0.5 + aside + x * shown / shape[0], 0.5 - aside + y * shown / shape[1]
    assert centre_of(drawn) == pytest.approx(expected, abs=0.006)


def test_a_turned_picture_covers_the_frame_only_where_it_does():
    raw = raw_from_bgr(a_spot((0.5, 0.5)))
    assert covers_frame(raw, (320, 180), Transform(rotation=0.0))
    assert not covers_frame(raw, (320, 180), Transform(rotation=3.0))
    assert covers_frame(raw, (320, 180), Transform(scale=1.2, rotation=3.0))


@pytest.mark.parametrize("ease", [Ramp.LINEAR, Ramp.BOTH, Ramp.IN, Ramp.OUT])
def test_a_move_goes_from_the_start_framing_to_the_end_and_turns_nowhere(ease):
    transform = Transform(scale=1.1, x=0.1, move=Move.TO_END, end=Framing(2.0, -0.2, 0.1, 20.0), ease=ease)
    assert astuple(framing_at(transform, 0)) == pytest.approx(astuple(transform.start))
    assert astuple(framing_at(transform, 1)) == pytest.approx(astuple(transform.end))
    scales = np.array([framing_at(transform, share / 20).scale for share in range(21)])
    assert (np.diff(scales) > 0).all()
    if ease is Ramp.LINEAR:  # as a camera does that comes nearer: by the same factor in the same time
        assert scales[1:] / scales[:-1] == pytest.approx((2.0 / 1.1) ** (1 / 20))
    item = replace(footage_item(ItemId(1), 1, 30, 60), transform=transform)
    first, last = transform_on(item, 30), transform_on(item, 89)
    assert first.scale == pytest.approx(1.1, abs=0.02)
    assert last.rotation == pytest.approx(20.0, abs=0.4)
    assert transform_on(replace(item, transform=Transform()), 40) == Transform()
    before, after = parted(item, 50)  # cut in two, it goes on from where it was
    assert before.end == after.start == framing_at(transform, 20 / 60)
    assert (before.start, after.end) == (transform.start, transform.end)


def test_what_is_left_free_shows_a_blurred_copy_or_a_colour(tmp_path):
    pictures = [np.full((90, 90, 3), (40, 120, 200), np.uint8)] * 10
    clip = write_clip(tmp_path / "square.mp4", pictures, rate=Fraction(30), options={"crf": "2"})
    project = add_footage(Project(is_shape_chosen=True, width=160, height=90), [probe_footage(clip)])
    seen = {}
    for backdrop in Backdrop:
        transform = Transform(Fit.WHOLE, backdrop=backdrop, colour="#00ff00")
        shot = footage_item(ItemId(1), project.footage[0].id, 0, 10, transform=transform)
        made = replace(project, shots=(shot,))
        files = OpenFootage()
        seen[backdrop] = draw(plan_frame(made, schedule(made), 3), files, (160, 90))
        files.close()
    corner, middle = (slice(2, 20), slice(2, 20)), (slice(35, 55), slice(70, 90))
    assert np.abs(seen[Backdrop.NONE][corner]).max() == 0
    assert np.abs(seen[Backdrop.BLURRED][corner].astype(int) - (40, 120, 200)).max() <= 4
    assert np.array_equal(seen[Backdrop.COLOUR][corner][0, 0], (0, 255, 0))
    for picture in seen.values():
        assert np.abs(picture[middle].astype(int) - (40, 120, 200)).max() <= 4
    covering = replace(shot, transform=Transform(Fit.COVER, backdrop=Backdrop.BLURRED))
    made = replace(project, shots=(covering,))
    assert isinstance(plan_frame(made, schedule(made), 3).root.content, Shown)  # it costs nothing there
