"""What a song goes through before it is heard: as long as before, in time, and without what is cut off."""

import numpy as np
import pytest

from training.coding import CODINGS, chance_coding, coded
from training.kit import RATE
from training.song import render_song
from training.styles import DEVELOPMENT

SOUND = render_song(DEVELOPMENT[0], 4, seconds=6).sound
MADE_UP = [chance_coding(np.random.default_rng(seed)) for seed in range(8)]


@pytest.mark.parametrize(
    "coding", [*CODINGS, *MADE_UP], ids=lambda coding: f"{coding.name} {coding.bit_rate}"
)
def test_a_coded_song_is_as_long_and_in_time(coding):
    made = coded(SOUND, coding)
    assert made.dtype == np.float32
    assert len(made) == len(SOUND)
    low = np.fft.rfft(SOUND)[:20_000], np.fft.rfft(made)[:20_000]  # to 3.3 kHz, which all of them keep
    together = np.fft.irfft(low[1] * np.conj(low[0]))
    assert abs((int(np.argmax(together)) + 1000) % len(together) - 1000) < 0.002 * 6700
    power = np.abs(np.fft.rfft(made)) ** 2
    cutoff = coding.cutoff or coding.rate / 2
    if cutoff:
        above = round(1.15 * cutoff * len(made) / RATE)
        assert power[above:].sum() < 1e-4 * power.sum()
