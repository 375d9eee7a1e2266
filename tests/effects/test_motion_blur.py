"""Blur along the movement of the footage itself, against the mean of many instants."""

import cv2
import numpy as np
import pytest

from epiphane.effects.declare import EFFECTS

SIZE, SPEED = (480, 270), 9.0
EFFECT = EFFECTS.named("motion_blur")
RNG = np.random.default_rng(4)


def texture(width, height, cells):
    """Return something to see everywhere: smooth spots of many colours."""
    spots = RNG.integers(0, 256, (cells * height // width, cells, 3), dtype=np.uint8)
    return cv2.resize(spots, (width, height), interpolation=cv2.INTER_CUBIC)


GROUND, CARD = texture(480, 270, 32), texture(90, 90, 9)


def at(time):
    """Return a picture in which a card moves by `SPEED` pixels a frame over a ground that stands."""
    matrix = np.array([[1, 0, 100 + SPEED * time], [0, 1, 90]])
    over = cv2.warpAffine(np.full((90, 90), 255, np.uint8), matrix, SIZE)[..., None] / 255
    return np.rint(cv2.warpAffine(CARD, matrix, SIZE) * over + GROUND * (1 - over)).astype(np.uint8)


def shot(before, here, after, angle=180.0):
    (operation,) = EFFECT.operations((("shutter_angle", angle), ("limit", 8.0)))
    return operation.apply(here, [before, here, after])


def noise(picture, truth):
    return float(np.mean((picture.astype(float) - truth) ** 2))


@pytest.mark.parametrize("angle", [180.0, 360.0])
def test_a_blurred_picture_is_nearer_to_what_an_open_shutter_sees(angle):
    instants = [at(10 + ((n + 0.5) / 32 - 0.5) * angle / 360) / 255.0 for n in range(32)]
    light = np.mean([np.where(p <= 0.04, p / 12.92, ((p + 0.055) / 1.055) ** 2.4) for p in instants], axis=0)
    truth = 255 * np.where(light <= 0.0031, 12.92 * light, 1.055 * light ** (1 / 2.4) - 0.055)
    plain = at(10)
    done = shot(at(9), plain, at(11), angle)
    assert noise(done, truth) < 0.6 * noise(plain, truth)
    moved = (
        cv2.dilate((np.abs(at(9).astype(int) - at(11)).max(axis=2) > 4).astype(np.uint8), np.ones((61, 61)))
        > 0
    )
    assert np.array_equal(done[~moved], plain[~moved])


def test_at_the_end_of_a_shot_it_goes_by_the_frame_before():
    here = at(10)
    first, last = shot(here, here, at(11)).astype(int), shot(at(9), here, here).astype(int)
    assert np.abs(last - here).mean() > 0.5 * np.abs(first - here).mean() > 0.05


def test_nothing_is_blurred_that_stands_at_a_cut_or_in_a_flash():
    here = at(10)
    other = texture(480, 270, 24)
    assert np.array_equal(shot(here, here, here), here)
    assert np.array_equal(shot(other, here, other), here)
    brighter = np.clip(here.astype(int) + 70, 0, 255).astype(np.uint8)
    assert np.array_equal(shot(brighter, here, brighter), here)
    assert EFFECT.operations((("shutter_angle", 0.0), ("limit", 8.0))) == ()
    tiny = np.zeros((1, 1, 3), np.uint8)
    assert shot(tiny, tiny, tiny).shape == tiny.shape
