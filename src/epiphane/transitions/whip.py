"""Whip: the camera is torn round to the next picture."""

import cv2
import numpy as np

from epiphane.declare.parameters import Parameter, Values
from epiphane.document.envelope import Ease
from epiphane.effects.declare import Family
from epiphane.transitions.declare import Composed, Join, Progress, direction_parameter, transition
from epiphane.transitions.mixing import leftward, smeared
from epiphane.types import Picture

_STEPS = (8, 4, 2, 1)
"""By how many times narrower it may be drawn: blur takes away what is lost."""


@transition(
    key="whip",
    version=1,
    family=Family.MOTION,
    label="Whip",
    group="Moves",
    parameters=(
        direction_parameter(),
        Parameter("shutter", "Motion blur", "°", low=0, high=720, rest=0, peak=360),
        Parameter("strips", "Pictures passed", "", low=1, high=5, rest=2, peak=2, is_whole=True),
    ),
    frames=(5, 6),
    eases=(Ease.IN, Ease.OUT),
    keywords="pan swish swipe",
)
def whip(values: Values, progress: Progress) -> Join:
    """Sweeps over to the next picture, past mirror images of this one, blurred by its speed."""
    n_strips = round(values.strips)
    gone, length = n_strips * progress.share, n_strips * progress.step * values.shutter / 360

    def apply(outgoing: Picture, incoming: Picture) -> Picture:
        height, width = outgoing.shape[:2]
        narrower = next(n for n in _STEPS if n == 1 or length * width >= 8 * n)
        first = min(int(gone), n_strips - 1)
        # Only the two that the window lies over, and what the blur brings in from beyond them.
        strips = [_strip(outgoing, incoming, number, n_strips) for number in (first, first + 1)]
        narrow = max(1, width // narrower)
        small = [cv2.resize(one, (narrow, height), interpolation=cv2.INTER_AREA) for one in strips]
        n_pixels = round(length * narrow) | 1
        blurred = smeared(np.hstack(small), n_pixels, in_light=progress.in_light)
        shift = (gone - first) * narrow
        scale = narrow / width
        back = np.array([[scale, 0, shift + scale / 2 - 0.5], [0, 1, 0]])
        flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
        moved = cv2.warpAffine(blurred, back, (width, height), flags=flags, borderMode=cv2.BORDER_REPLICATE)
        return np.asarray(moved, np.uint8)

    return Join(Composed(leftward(values.direction, apply)))


def _strip(outgoing: Picture, incoming: Picture, number: int, n_strips: int) -> Picture:
    """Return a strip of what is passed: mirror images of the outgoing picture, then those of the incoming."""
    is_outgoing = number < n_strips / 2
    picture, away = (outgoing, number) if is_outgoing else (incoming, n_strips - number)
    return np.asarray(cv2.flip(picture, 1), np.uint8) if away % 2 else picture
