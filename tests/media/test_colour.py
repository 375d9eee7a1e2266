"""The matrices agree with the standards' own numbers, and both ways cancel out."""

import itertools

import numpy as np
import pytest

from epiphane.media.colour import ColourSpec, Matrix, bgr_to_yuv, chain, inverse, spec_of_tags, yuv_to_bgr

SPECS = [ColourSpec(matrix, full) for matrix, full in itertools.product(Matrix, (False, True))]


@pytest.mark.parametrize("spec", SPECS)
def test_there_and_back_is_nothing(spec):
    assert chain(bgr_to_yuv(spec), yuv_to_bgr(spec)) == pytest.approx(np.eye(3, 4), abs=1e-9)
    assert inverse(inverse(bgr_to_yuv(spec))) == pytest.approx(bgr_to_yuv(spec))


@pytest.mark.parametrize("spec", SPECS)
def test_black_white_and_grey_have_no_colour(spec):
    matrix = bgr_to_yuv(spec)
    black, white = (0, 255) if spec.is_full_range else (16, 235)
    for level, luma in ((0, black), (255, white)):
        assert matrix @ np.array([level, level, level, 1.0]) == pytest.approx([luma, 128, 128])


def test_the_primaries_of_bt709():
    # 8-bit values of 100 % bars, limited range (ITU-R BT.709, rounded).
    matrix = bgr_to_yuv(ColourSpec(Matrix.BT709, is_full_range=False))
    for bgr, yuv in (
        ((0, 0, 255), (63, 102, 240)),
        ((0, 255, 0), (173, 42, 26)),
        ((255, 0, 0), (32, 240, 118)),
    ):
        assert np.rint(matrix @ np.array([*bgr, 1.0])).tolist() == list(yuv)


def test_tags_choose_the_matrix_and_untagged_pictures_go_by_their_size():
    assert spec_of_tags(1, 1, n_lines=480) == ColourSpec(Matrix.BT709, False)
    assert spec_of_tags(5, 2, n_lines=1080) == ColourSpec(Matrix.BT601, True)
    assert spec_of_tags(9, 1, n_lines=1080).matrix is Matrix.BT2020
    assert spec_of_tags(2, 0, n_lines=576) == ColourSpec(Matrix.BT601, False)
    assert spec_of_tags(2, 0, n_lines=720) == ColourSpec(Matrix.BT709, False)
