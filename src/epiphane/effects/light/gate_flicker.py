"""Gate flicker: the unsteady light and picture of an old projector."""

import cv2
import numpy as np

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family, Need, effect
from epiphane.effects.operations import NOTHING, Filter, Operation, scale_about
from epiphane.effects.pixels import step_at
from epiphane.noise import clouds
from epiphane.types import Picture

_RATE, _FIELD, _UNIT = 18, (24, 14), 128
_DOWN_MORE = 2.0


@effect(
    key="gate-flicker",
    version=1,
    family=Family.LIGHT,
    label="Gate flicker",
    group="Lamps",
    keywords="old film projector flicker jitter weave silent",
    parameters=(
        Parameter("flicker", "Flicker", "%", low=0, high=100, rest=0, peak=50),
        Parameter("weave", "Weave", "% of width", low=0, high=4, rest=0, peak=0.4, help="Of the picture"),
        Parameter("warm", "Warmth", "%", low=0, high=100, rest=0, peak=20),
        Parameter("uneven", "Uneven", "%", low=0, high=100, rest=0, peak=60, help="Over the picture"),
    ),
    needs=(Need.TIME,),
    lasts=True,
)
def gate_flicker(values: Values) -> Operation | tuple[Operation, ...]:
    """Makes the light uneven from frame to frame and the picture unsteady, as in an old projector."""
    if values.flicker == values.weave == values.warm == values.uneven == 0:
        return NOTHING
    step = step_at(values.seconds, _RATE)
    generator = np.random.default_rng((int(values.seed), step))
    gain = 1 - values.flicker / 100 * (0.85 * generator.random() ** 1.5 - 0.1)
    weave = values.weave / 100
    warm, uneven = values.warm / 100, values.uneven / 100
    tint = gain * np.array([1 - warm, 1 - 0.3 * warm, 1 + 0.3 * warm])
    moved = scale_about(1 + 4 * weave, x=0.5, y=0.5)
    across, down = np.clip(generator.normal(0, weave / 2, 2), -2 * weave, 2 * weave) * (0.5, 1)
    moved.matrix[:2, 2] += across, down

    def apply(picture: Picture) -> Picture:
        height, width = picture.shape[:2]
        field = 1 + uneven * (0.8 * clouds((int(values.seed), step), _FIELD, 2, 1) - 0.5)
        small = np.clip(np.rint(field[..., None] * tint * _UNIT), 0, 255).astype(np.uint8)
        large = cv2.resize(small, (width, height), interpolation=cv2.INTER_LINEAR)
        return np.asarray(cv2.multiply(picture, large, scale=1 / _UNIT), np.uint8)

    return (moved, Filter(apply)) if weave else Filter(apply)
