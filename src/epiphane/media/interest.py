"""Which part of a shot the eye goes to, so that a narrower frame can be laid about it.

Interest is movement of its own, beside that of the camera, and colour against its surroundings; each is a
share of all of it over the shot, so that a shot where little moves goes by colour.
"""

from collections.abc import Sequence

import cv2
import numpy as np

from epiphane.types import Float32Array, FloatArray, Picture

_WIDTH = 160
_COLOUR_WEIGHT = 0.5
# Of movement, in pixels at that width: what is noise, what is as fast as matters, where it counts in full.
_LEAST, _MOST, _ENOUGH = 0.3, 4.0, 0.15
_SCALES = (3, 8)
_N_PLACES = 41
# A subject wants to stand inside, and what is in the middle is left there where all is the same.
_SOFT_EDGE, _MIDDLE_PULL = 0.2, 0.06
_POINT_STEP = 6


def place_of_interest(
    pairs: Sequence[tuple[Picture, Picture]], seen: tuple[float, float]
) -> tuple[float, float]:
    """Return what is to be in the middle of a frame that shows only a part of a shot.

    Parameters
    ----------
    pairs : sequence of pairs of BGR pictures, all of one size
        Looks at the shot, each with the picture some twelfth of a second later.
    seen : (float, float), 0 to 1
        Which shares of their width and height the frame shows.

    Returns
    -------
    (float, float), shares of the width and height
    """
    if not pairs:
        return 0.5, 0.5
    small = [(_small(one), _small(other)) for one, other in pairs]
    interest = _combined([_movement(*pair) for pair in small], [_colour(one) for one, _ in small])
    return _best(interest.sum(axis=0), seen[0]), _best(interest.sum(axis=1), seen[1])


def _best(profile: FloatArray, seen: float) -> float:
    """Return the middle of the part, a share `seen` wide, in which there is most of a profile."""
    length = len(profile)
    wide = seen * length
    if seen >= 1 or profile.sum() <= 0:
        return 0.5
    middles = np.linspace(wide / 2, length - wide / 2, _N_PLACES)
    away = np.abs(np.arange(length) + 0.5 - middles[:, None])
    inside = np.clip((wide / 2 - away) / (wide * _SOFT_EDGE), 0, 1)
    off_middle = (middles - length / 2) / (length / 2)
    score = inside @ profile / profile.sum() - _MIDDLE_PULL * off_middle**2
    return float(middles[int(score.argmax())] / length)


def _combined(movements: list[Float32Array], colours: list[Float32Array]) -> FloatArray:
    total = np.zeros(colours[0].shape)
    if movements:
        moving = np.mean(movements, axis=0)
        if moving.mean() > 0:
            total += np.clip(moving.mean() / _ENOUGH, 0, 1) * moving / moving.mean()
    colour = np.mean(colours, axis=0)
    if colour.mean() > 0:
        total += _COLOUR_WEIGHT * colour / colour.mean()
    return np.asarray(total, np.float64)


def _movement(one: Picture, other: Picture) -> Float32Array:
    """Return how much each place moves beside the movement of the camera, in pixels."""
    greys = [np.asarray(cv2.cvtColor(picture, cv2.COLOR_BGR2GRAY), np.uint8) for picture in (one, other)]
    engine = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_ULTRAFAST)
    height, width = greys[0].shape
    flow = np.asarray(engine.calc(greys[0], greys[1], np.zeros((height, width, 2), np.float32)), np.float32)
    rows, columns = np.mgrid[4:height:_POINT_STEP, 4:width:_POINT_STEP]
    points = np.stack([columns.ravel(), rows.ravel()], axis=1).astype(np.float32)
    moved = points + flow[rows.ravel(), columns.ravel()]
    matrix, _ = cv2.estimateAffinePartial2D(points, moved, method=cv2.RANSAC, ransacReprojThreshold=0.6)
    across, down = np.meshgrid(np.arange(width, dtype=np.float32), np.arange(height, dtype=np.float32))
    places = np.stack([across, down], axis=-1)
    camera = np.median(flow, axis=(0, 1))
    if matrix is not None:
        camera = places @ matrix[:, :2].T + matrix[:, 2] - places
    own = np.linalg.norm(flow - camera, axis=2) - _LEAST
    return np.asarray(cv2.GaussianBlur(np.clip(own, 0, _MOST).astype(np.float32), (0, 0), 2), np.float32)


def _colour(picture: Picture) -> Float32Array:
    """Return how much the colour of each place differs from its surroundings, at two scales."""
    lab = cv2.cvtColor(picture, cv2.COLOR_BGR2LAB).astype(np.float32)
    total = np.zeros(lab.shape[:2], np.float32)
    for scale in _SCALES:
        apart = cv2.GaussianBlur(lab, (0, 0), scale / 2) - cv2.GaussianBlur(lab, (0, 0), scale * 3)
        total += np.linalg.norm(apart, axis=2)
    return total


def _small(picture: Picture) -> Picture:
    height = max(16, round(_WIDTH * picture.shape[0] / picture.shape[1]))
    return np.asarray(cv2.resize(picture, (_WIDTH, height), interpolation=cv2.INTER_AREA), np.uint8)
