"""Scopes: where levels and colours are drawn, against what the standard says of them."""

import colorsys

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from epiphane.render.scopes import (
    Counted,
    clipped,
    histograms,
    luma_of,
    sampled,
    vector_place,
    vectorscope,
    waveform,
)

LUMA = np.array([0.0722, 0.7152, 0.2126])  # of blue, green and red
pictures = arrays(np.uint8, st.tuples(st.integers(1, 40), st.integers(1, 60), st.just(3)))
colours = st.tuples(*[st.integers(0, 255)] * 3)


@settings(max_examples=30)
@given(pictures, st.integers(1, 90))
def test_a_waveform_has_every_level_of_every_column_and_nothing_else(picture, n_columns):
    luma = luma_of(picture)
    assert np.abs(luma - picture @ LUMA).max() <= 0.51
    trace = waveform(luma, n_columns)
    width = luma.shape[1]
    n_columns = min(n_columns, width)
    assert trace.shape == (256, n_columns)
    wanted = np.zeros(trace.shape, bool)
    for column in range(width):
        wanted[255 - luma[:, column].astype(int), column * n_columns // width] = True
    assert np.array_equal(trace > 0, wanted)


@given(colours)
@example((255, 0, 0))
@example((0, 0, 255))
def test_one_colour_is_one_dot_where_its_differences_say(colour):
    trace = vectorscope(np.full((4, 4, 3), colour, np.uint8))
    (row,), (column,) = np.nonzero(trace)
    blue, green, red = np.array(colour) / 255
    luma = LUMA @ (blue, green, red)
    across, up = (blue - luma) / 1.8556, (red - luma) / 1.5748
    assert (column - 64) / 127 == pytest.approx(across, abs=0.006)
    assert (64 - row) / 127 == pytest.approx(up, abs=0.006)
    assert vector_place((blue, green, red)) == pytest.approx((0.5 + across, 0.5 - up), abs=1e-9)


@settings(max_examples=20)
@given(colours)
def test_histograms_have_their_peak_where_the_colour_is(colour):
    picture = np.full((3, 5, 3), colour, np.uint8)
    channels = (Counted.BLUE, Counted.GREEN, Counted.RED)
    for counted, found in zip(channels, histograms(picture, channels), strict=True):
        assert found.argmax() == colour[counted.value] // 4 and found.max() == 1
    hue, saturation, _ = colorsys.rgb_to_hsv(*colour[::-1])
    (found,) = histograms(picture, [Counted.HUE])
    if saturation > 0.5 and max(colour) > 40:
        away = abs(found.argmax() / 64 - hue)
        assert min(away, 1 - away) < 0.03
    if saturation == 0:
        assert not found.any()


def test_what_is_clipped_hides_nothing_in_a_histogram():
    picture = np.full((10, 100, 3), 255, np.uint8)
    picture[:, :4, 0] = 100
    blue, red = histograms(picture, [Counted.BLUE, Counted.RED])
    assert blue[25] == blue[-1] == red[-1] == 1


@settings(max_examples=20)
@given(pictures)
def test_what_is_clipped_is_a_channel_at_its_most_or_all_at_their_least(picture):
    bright, dark = clipped(picture)
    assert np.array_equal(bright > 0, (picture == 255).any(axis=2))
    assert np.array_equal(dark > 0, (picture == 0).all(axis=2))


def test_large_pictures_are_read_at_some_of_their_pixels():
    picture = np.arange(1080 * 1920 * 3, dtype=np.uint32).astype(np.uint8).reshape(1080, 1920, 3)
    part = sampled(picture)
    assert part.shape == (270, 480, 3) and np.array_equal(part, picture[::4, ::4])
    assert sampled(part) is part
