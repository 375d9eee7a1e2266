"""Songs rendered in code: what is said of them is true, and the same seed gives the same song."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from epiphane.audio.attack import attack_curve, nearest_attacks
from training.invention import invent_style
from training.kit import RATE, Family
from training.library import validation_orders
from training.song import Timing, Wish, render_song
from training.styles import DEVELOPMENT, VALIDATION
from training.synthesis import KEPT_APART, RECIPES
from training.unfamiliar import UNFAMILIAR, unfamiliar_orders


@pytest.mark.parametrize(
    "style", [style for style in VALIDATION if style.patterns][::5], ids=lambda s: s.name
)
def test_drums_sound_when_they_are_said_to(style):
    song = render_song(style, 21, family=Family.VALIDATION, seconds=12)
    attacks = attack_curve(song.sound, RATE)
    for drum in ("kick", "snare"):
        times = song.drum(drum)
        if len(times) > 4:
            off = nearest_attacks(attacks, times, reach=0.012, tendency=0.012) - times
            assert np.isfinite(off).mean() > 0.6  # some lie under others
            assert np.nanmedian(np.abs(off)) < 0.004


def test_the_same_seed_gives_the_same_song():
    first, again, other = (render_song(DEVELOPMENT[0], seed, seconds=6) for seed in (5, 5, 6))
    assert np.array_equal(first.sound, again.sound)
    assert first.hits == again.hits
    assert not np.array_equal(first.sound, other.sound)


@pytest.mark.parametrize("timing", Timing)
def test_time_is_kept_as_was_wished(timing):
    song = render_song(DEVELOPMENT[1], 8, wish=Wish(timing=timing, is_silent_first=True), seconds=26)
    gaps = np.diff(song.beats)
    assert song.is_steady == (np.ptp(gaps) < 1e-9)
    assert song.beats[0] > 1
    assert np.abs(song.sound[: round((song.beats[0] - 0.1) * RATE)]).max() == 0
    if timing is Timing.JUMP:
        assert len(np.unique(np.round(gaps, 6))) == 2
    if timing is Timing.RAMP:
        assert (np.diff(gaps) > 0).all() or (np.diff(gaps) < 0).all()


@settings(max_examples=60)
@given(st.integers(0, 100_000))
def test_every_invented_style_can_be_played(seed):
    style = invent_style(np.random.default_rng(seed), "made up")
    for pattern in style.patterns:
        assert {len(marks) for marks in pattern[:3]} == {style.beats * style.steps}
        assert set("".join(pattern[:3])) <= set("xo.-")
    assert 2 <= style.beats <= 7
    assert 40 <= style.tempo[0] < style.tempo[1] <= 260
    if seed % 10 == 0:
        song = render_song(style, seed, seconds=5)
        assert np.isfinite(song.sound).all()
        assert 0 < np.abs(song.sound).max() <= 1


@pytest.mark.parametrize("drum", RECIPES)
def test_every_way_to_build_a_drum_sounds_at_once_and_differs_from_kit_to_kit(drum):
    for recipe in (*RECIPES[drum], *KEPT_APART.get(drum, ())):
        sounds = [recipe(np.random.default_rng(seed)) for seed in range(4)]
        assert len({np.round(sound[:2000].std(), 6) for sound in sounds}) > 1
        for sound in sounds:
            assert np.isfinite(sound).all()
            loud = np.flatnonzero(np.abs(sound) > 0.3 * np.abs(sound).max())
            assert loud[0] < 0.025 * RATE


def test_written_styles_have_as_many_steps_as_their_bars():
    for style in (*DEVELOPMENT, *VALIDATION, *UNFAMILIAR):
        lines = [marks for pattern in style.patterns for marks in pattern[:3]] + [style.percussion] * bool(
            style.percussion
        )
        assert {len(marks) for marks in lines} <= {style.beats * style.steps}, style.name
    names = [style.name for style in (*DEVELOPMENT, *VALIDATION)]
    assert len(UNFAMILIAR) >= 20
    assert all(order.family is Family.UNFAMILIAR for order in unfamiliar_orders())
    assert not {order.seed for order in unfamiliar_orders()} & {order.seed for order in validation_orders()}
    assert len(names) == len(set(names))
