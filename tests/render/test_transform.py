"""Pictures of any shape lie where their framing says, to a fraction of a pixel, black around them."""

import numpy as np
import pytest
from helpers import grey_clip
from hypothesis import given
from hypothesis import strategies as st

from epiphane.document.ids import FootageId, ItemId
from epiphane.document.timeline import Fit, Move, Transform, footage_item
from epiphane.media.colour import OUTPUT_SPEC, ColourSpec, bgr_to_yuv
from epiphane.media.raw import RawPicture, raw_from_bgr
from epiphane.render.draw import draw, draw_planes
from epiphane.render.nodes import Shown, SourceFrame, plan_of
from epiphane.render.sources import OpenFootage
from epiphane.render.transform import transform_on

SOURCE = SourceFrame("/a.png", "a", 0.0)


class One:
    def __init__(self, raw):
        self.raw = raw

    def picture(self, source):
        return self.raw


def ramps(width, height):
    """Return a picture whose green tells the share across and whose red tells the share down, 40 to 240."""
    picture = np.zeros((height, width, 3), np.uint8)
    picture[..., 1] = np.round(40 + 200 * (np.arange(width) + 0.5) / width)
    picture[..., 2] = np.round(40 + 200 * (np.arange(height) + 0.5) / height)[:, None]
    return picture


def as_planes(picture, spec):
    """Return a BGR picture as Y, Cb, Cr with chroma at half size."""
    import cv2

    full = cv2.transform(picture, bgr_to_yuv(spec))
    half = (picture.shape[1] // 2, picture.shape[0] // 2)
    luma, blue, red = cv2.split(full)
    return RawPicture(
        (
            luma,
            cv2.resize(blue, half, interpolation=cv2.INTER_AREA),
            cv2.resize(red, half, interpolation=cv2.INTER_AREA),
        ),
        spec,
    )


@given(
    st.sampled_from(Fit),
    st.floats(0.2, 4),
    st.floats(-0.7, 0.7),
    st.floats(-0.7, 0.7),
    st.sampled_from([(160, 90), (90, 160), (400, 90), (61, 33)]),
    st.sampled_from([(160, 90), (96, 120)]),
)
def test_every_point_of_the_picture_lies_where_it_should(fit, scale, x, y, stored, shape):
    """Against the closed form: the share of the picture that each point of the frame shows."""
    plan = plan_of(Shown(SOURCE, Transform(fit, scale, x, y)), shape)
    size = (shape[0] * 2, shape[1] * 2)
    seen = draw(plan, One(raw_from_bgr(ramps(*stored))), size).astype(float)
    wider = stored[0] / stored[1] / (shape[0] / shape[1])
    across, down = {
        Fit.STRETCH: (1, 1),
        Fit.COVER: (max(wider, 1), max(1 / wider, 1)),
        Fit.WHOLE: (min(wider, 1), min(1 / wider, 1)),
    }[fit]
    u = (np.arange(size[0]) + 0.5) / size[0]
    v = (np.arange(size[1]) + 0.5) / size[1]
    share_x = ((u - 0.5 - x) / (across * scale) + 0.5)[None, :]
    share_y = ((v - 0.5 - y) / (down * scale) + 0.5)[:, None]
    edge_x, edge_y = 1.6 / stored[0] + 2.1 / size[0] / scale, 1.6 / stored[1] + 2.1 / size[1] / scale
    is_inside = (np.abs(share_x - 0.5) < 0.5 - edge_x) & (np.abs(share_y - 0.5) < 0.5 - edge_y)
    is_outside = (np.abs(share_x - 0.5) > 0.5 + edge_x) | (np.abs(share_y - 0.5) > 0.5 + edge_y)
    # A level is 1/200 of the picture; half a pixel of its smaller side, stored or shown, is what resizing
    # may miss.
    shown = min(size) * scale * min(across, down, 1)
    slack = 2.5 + 200 * max(0.5 / min(stored), 0.5 / shown)
    assert np.abs(seen[..., 1] - (40 + 200 * share_x))[is_inside].max(initial=0) < slack
    assert np.abs(seen[..., 2] - (40 + 200 * share_y))[is_inside].max(initial=0) < slack
    assert seen[is_outside].max(initial=0) == 0


@pytest.mark.parametrize("spec", [OUTPUT_SPEC, ColourSpec(OUTPUT_SPEC.matrix, is_full_range=True)], ids=str)
def test_bars_are_black_in_every_colour_space_and_export_equals_preview(spec):
    raw = as_planes(ramps(90, 90), spec)
    plan = plan_of(Shown(SOURCE, Transform(Fit.WHOLE, 0.9)), (160, 90))
    seen = draw(plan, One(raw), (160, 90))
    assert seen[:, :30].max() <= 1
    luma, blue, red = draw_planes(plan, One(raw), (160, 90))
    assert luma[:, :30].max() <= 17
    assert np.abs(blue[:, :14].astype(int) - 128).max() <= 1
    assert np.abs(red[:, :14].astype(int) - 128).max() <= 1


def test_what_can_be_seen_through_lies_over_black():
    glass = np.full((50, 50, 4), (30, 60, 90, 120), np.uint8)
    seen = draw(plan_of(Shown(SOURCE), (16, 9)), One(raw_from_bgr(glass)), (160, 90))
    assert seen.shape == (90, 160, 3)
    assert seen[40, 40].tolist() == [30, 60, 90]


def test_a_push_comes_nearer_steadily_and_a_drift_goes_across_without_a_border():
    shot = footage_item(ItemId(1), FootageId(1), 100, 50, transform=Transform(move=Move.PUSH, amount=0.1))
    scales = [transform_on(shot, frame).scale for frame in range(100, 150)]
    assert np.diff(scales) == pytest.approx(np.full(49, 0.1 / 50), abs=2e-6)
    assert 1 < scales[0] < scales[-1] < 1.1
    for reach in (0.2, -0.2):
        drifting = footage_item(
            ItemId(1), FootageId(1), 0, 30, transform=Transform(move=Move.DRIFT, amount=reach)
        )
        transforms = [transform_on(drifting, frame) for frame in range(30)]
        assert np.sign(np.diff([transform.x for transform in transforms])).tolist() == [-np.sign(reach)] * 29
        for transform in (transforms[0], transforms[-1]):
            seen = draw(
                plan_of(Shown(SOURCE, transform), (160, 90)), One(raw_from_bgr(ramps(160, 90))), (160, 90)
            )
            assert seen[..., 1].min() >= 38


def test_files_read_by_several_threads_are_opened_once_and_let_go(tmp_path):
    import threading

    paths = [grey_clip(tmp_path / f"{n}.mp4", n_pictures=5) for n in range(6)]
    footage = OpenFootage(most_open=3)
    seen = []

    def read(path):
        seen.extend(footage.picture(SourceFrame(str(path), path.name, 0.1 * n)).shape for n in range(8))

    threads = [threading.Thread(target=read, args=(path,)) for path in paths * 2]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert seen == [(160, 90)] * 96
    assert footage.faults() == []
    footage.forget(paths[0].name)
    assert footage.picture(SourceFrame(str(paths[0]), paths[0].name, 0.0)).shape == (160, 90)
    footage.close()
