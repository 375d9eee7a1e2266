"""Many cues painted at once stand as high as each of them would alone."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PyQt6.QtGui import QColor

from epiphane.desk.score.cue_silhouettes import heights_image, heights_of
from epiphane.document.envelope import Ease, Envelope
from epiphane.keying.envelope import envelope_level

envelopes = st.builds(
    Envelope,
    rise=st.integers(1, 6),
    hold=st.integers(0, 4),
    fall=st.integers(1, 15),
    fall_ease=st.sampled_from([Ease.OUT, Ease.LINEAR, Ease.BOUNCE]),
)
cues = st.lists(st.tuples(envelopes, st.floats(-20, 120), st.floats(1, 6), st.floats(0, 1)), max_size=8)


@given(cues)
def test_a_column_is_as_high_as_the_highest_cue_there(found):
    shapes = tuple(envelope for envelope, _, _, _ in found)
    peaks, widths, strengths = (np.array([cue[n] for cue in found]) for n in (1, 2, 3))
    heights = heights_of(shapes, peaks, widths, strengths, 100)
    middles = (np.arange(200) + 0.5) / 2
    wanted = np.zeros(200)
    for envelope, peak, width, strength in found:
        wanted = np.maximum(wanted, strength * envelope_level(envelope, (middles - peak) / width))
    assert heights == pytest.approx(wanted)
    image = heights_image(heights, 16, QColor("#ff8000"))
    filled = [sum(image.pixelColor(x, y).alphaF() for y in range(16)) for x in range(100)]
    assert filled == pytest.approx(16 * heights.reshape(-1, 2).mean(axis=1), abs=0.1)


def test_a_side_without_a_length_is_seen():
    heights = heights_of((Envelope(rise=0, fall=0),), np.array([50.0]), np.array([4.0]), np.array([1.0]), 100)
    assert np.flatnonzero(heights).tolist() == list(range(97, 105))
    assert heights.max() == 1.0
