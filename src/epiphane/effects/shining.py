"""Light that is added to a picture: what shines in it, exposure with a shoulder, sums that roll off.

Light is linear (IEC 61966-2-1), 1 for full white; 16 bits hold eight whites.
"""

from collections.abc import Callable, Sequence
from functools import lru_cache

import cv2
import numpy as np

from epiphane.effects.pixels import GAMMA, LUMA, Light, level_of, light_of, to_light
from epiphane.types import Float32Array, FloatArray, Picture

_MOST_WHITES = 8.0
_UNIT = 65535 / _MOST_WHITES
_KNEE = 0.8
"""Light from which on a sum is rolled off."""
_DARKEST = 8.0
"""By how many stops light goes down until nothing is seen."""
_CUT_OFF = 2.0
"""How many whites above white what shines is taken to have been, before the camera cut it off."""
_LEAST_COLUMNS = 120
_LEAST_RANGE, _BRIGHTEST = 0.12, 0.997
_OCTAVES, _OCTAVE_SHARE = 3, 0.62


def exposed_levels(stops: float, *, shoulder: float = 1.0, lift: FloatArray | float = 0.0) -> FloatArray:
    """Return what levels become at another exposure, float64, shape (256, 3) of blue, green and red.

    Light is multiplied by ``2^stops``, and above a knee of ``1 - shoulder / 2`` bent so that white stays
    white and nothing else becomes white: by ``e (1 + e / E^2) / (1 + e)`` of the excess e, E that of white
    (Reinhard et al., Photographic Tone Reproduction for Digital Images, SIGGRAPH 2002). Without a shoulder
    levels are multiplied by ``2^(stops / 2.2)`` and cut off.

    Parameters
    ----------
    stops : float
    shoulder : float, 0 to 1
    lift : float or shape (3,), light that is added to all, 0 to 1
    """
    if shoulder == 0 and not np.any(lift):
        return np.repeat((np.arange(256) * 2 ** (stops / GAMMA))[:, None], 3, axis=1)
    light, gain = light_of(np.arange(256) / 255), 2.0**stops
    knee = 1 - shoulder / 2
    made = light * gain
    if gain > 1 and shoulder > 0:
        excess, most = (made - knee) / (1 - knee), (gain - knee) / (1 - knee)
        bent = knee + (1 - knee) * excess * (1 + excess / most**2) / (1 + np.maximum(excess, 0))
        made = np.where(made > knee, bent, made)
    summed = rolled_off(made[:, None] + np.broadcast_to(lift, (3,)))
    return 255 * level_of(np.minimum(np.maximum(made[:, None], summed), 1))


def dimmed_levels(share: float, colour: FloatArray) -> FloatArray:
    """Return what levels become as the light goes, float64, shape (256, 3): down by ``8 share`` stops.

    From half of the way on what is left goes over into a colour, shape (3,), 0 to 1: all of it at the end.
    """
    last = max(2 * share - 1, 0.0)
    return (1 - last) * exposed_levels(-_DARKEST * share) + last * 255 * colour


def lights_added(one: Picture, weight: float, other: Picture, other_weight: float) -> Picture:
    """Return two pictures, each times its weight, added as light and rolled off towards white."""
    there, back = _sum_tables()
    light = cv2.addWeighted(cv2.LUT(one, there), weight, cv2.LUT(other, there), other_weight, 0)
    return np.asarray(cv2.LUT(light, back), np.uint8)


def rolled_off(light: FloatArray) -> FloatArray:
    """Return light that only comes near to 1: ``k + (1 - k) e / (1 + e)`` above the knee k."""
    excess = np.maximum(light - _KNEE, 0) / (1 - _KNEE)
    return np.where(light <= _KNEE, light, _KNEE + (1 - _KNEE) * excess / (1 + excess))


@lru_cache(maxsize=1)
def _sum_tables() -> tuple[Light, Picture]:
    """Return the tables from levels to light of eight whites, and from such light to levels, rolled off."""
    there = np.rint(light_of(np.arange(256) / 255) * _UNIT).astype(np.uint16)
    back = np.rint(255 * level_of(rolled_off(np.arange(65536) / _UNIT))).astype(np.uint8)
    return there, back


def small_light(picture: Picture, shrink: int) -> Float32Array:
    """Return the light of a picture so many times smaller, float32, shape (rows, columns, 3), in whites.

    Of a small one less so: it has 120 columns at least, or those of the picture.
    It is decoded before it is averaged, so that lamps keep their energy; what is near white is lifted by
    `to_light`.
    """
    height, width = picture.shape[:2]
    shrink = min(shrink, max(1, width // _LEAST_COLUMNS))
    half = picture
    if shrink > 1:
        half = np.asarray(
            cv2.resize(picture, (-(-width // 2), -(-height // 2)), interpolation=cv2.INTER_AREA), np.uint8
        )
    light = to_light(half, _CUT_OFF)
    size = max(1, -(-width // shrink)), max(1, -(-height // shrink))
    small = cv2.resize(light, size, interpolation=cv2.INTER_AREA)
    return np.asarray(small, np.float32) * np.float32((1 + _CUT_OFF) / 65535)


def highlights(light: Float32Array, share: float, *, local: float = 0.93) -> Float32Array:
    """Return what shines, whatever the footage: the brightest share of it against its surroundings.

    With y the luma less `local` of its mean over a quarter of the width around, all above the level that
    ``1 - share`` of y lie below shines, from nothing to 1.5 whites at the brightest: a lamp or a gleam does,
    a lit wall does not, and a grey street as much as a night.

    Parameters
    ----------
    light : float32, shape (rows, columns, 3), in whites
    share : float, 0 to 1, of the picture
    local : float, 0 to 1

    Returns
    -------
    float32, the shape of `light`
    """
    luma = np.asarray(cv2.transform(light, LUMA.astype(np.float32)[None]), np.float32)
    reach = max(3, light.shape[1] // 8) | 1
    around = cv2.blur(cv2.blur(luma, (reach, reach)), (reach, reach))
    against = np.asarray(cv2.scaleAdd(around, -local, luma), np.float32)
    least, most = np.quantile(against, (1 - share, _BRIGHTEST))
    scale = 1.5 / max(float(most - least), _LEAST_RANGE)
    gain = np.maximum(against - np.float32(least), 0) * np.float32(scale) / np.maximum(luma, np.float32(1e-3))
    return np.asarray(cv2.multiply(light, cv2.merge([gain] * 3)), np.float32)


def glare(light: Float32Array, sigma: float) -> Float32Array:
    """Return light blurred with the long foot of glare: Gaussians of doubling width, each weaker.

    Parameters
    ----------
    light : float32, shape (rows, columns, 3)
    sigma : float, pixels, of the narrowest
    """
    height, width = light.shape[:2]
    here, total, weight = light, np.zeros_like(light), 0.0
    for octave in range(_OCTAVES):
        soft = cv2.GaussianBlur(here, (0, 0), max(sigma, 0.3), borderType=cv2.BORDER_REFLECT)
        share = _OCTAVE_SHARE**octave
        total += np.float32(share) * (soft if octave == 0 else cv2.resize(soft, (width, height)))
        weight += share
        size = max(2, here.shape[1] // 2), max(2, here.shape[0] // 2)
        here = np.asarray(cv2.resize(here, size, interpolation=cv2.INTER_AREA), np.float32)
    return total / np.float32(weight)


def lit(picture: Picture, light: Float32Array, gain: Float32Array | None = None) -> Picture:
    """Return a picture with light added, rolled off towards white; nothing becomes darker.

    Parameters
    ----------
    picture : uint8, shape (height, width, 3)
    light : float32, shape (rows, columns, 3), in whites
        Of the same proportions; smaller, as it is smooth.
    gain : float32, shape (rows, columns), optional
        By which the picture's own light is multiplied before, 1 to 16.
    """
    height, width = picture.shape[:2]
    there, back = _sum_tables()
    whole = np.asarray(cv2.LUT(picture, there), np.uint16)
    if gain is not None:
        field = np.clip(gain * np.float32(_GAIN_UNIT), 0, 65535).astype(np.uint16)
        large = cv2.merge([cv2.resize(field, (width, height), interpolation=cv2.INTER_LINEAR)] * 3)
        whole = np.asarray(cv2.multiply(whole, large, scale=1 / _GAIN_UNIT), np.uint16)
    small = np.clip(light * np.float32(_UNIT), 0, 65535).astype(np.uint16)
    summed = cv2.add(whole, cv2.resize(small, (width, height), interpolation=cv2.INTER_LINEAR))
    return np.asarray(cv2.max(cv2.LUT(summed, back), picture), np.uint8)


_GAIN_UNIT = 4095


def with_lights(picture: Picture, lights: Sequence[Callable[[Picture], Float32Array]]) -> Picture:
    """Return a picture with the light of each function added, by one pair of tables; see `lit`."""
    made = [light(picture) for light in lights]
    height, width = max((one.shape[:2] for one in made), key=lambda shape: shape[1])
    total = np.zeros((height, width, 3), np.float32)
    for one in made:
        total += one if one.shape[:2] == (height, width) else cv2.resize(one, (width, height))
    return lit(picture, total)


def relit(picture: Picture, light: Float32Array) -> Picture:
    """Return a picture as another light shows it: its own times that, rolled off towards white.

    Parameters
    ----------
    picture : uint8, shape (height, width, 3)
    light : float32, shape (rows, columns, 3), blue, green and red, 1 for what it has
    """
    height, width = picture.shape[:2]
    there, back = _sum_tables()
    field = np.clip(light * np.float32(_GAIN_UNIT), 0, 65535).astype(np.uint16)
    large = cv2.resize(field, (width, height), interpolation=cv2.INTER_LINEAR)
    changed = cv2.multiply(np.asarray(cv2.LUT(picture, there), np.uint16), large, scale=1 / _GAIN_UNIT)
    return np.asarray(cv2.LUT(changed, back), np.uint8)
