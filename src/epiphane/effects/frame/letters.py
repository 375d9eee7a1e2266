"""Letters: the picture written in signs, each as heavy as it is bright there."""

from functools import lru_cache

import cv2
import numpy as np

from epiphane.declare.parameters import ChoiceParameter, ColourParameter, Parameter, Values, colour_to_bgr
from epiphane.effects.declare import Family, Need, effect
from epiphane.effects.operations import NOTHING, Filter, Operation
from epiphane.effects.pixels import step_at
from epiphane.types import Picture, Plane, Size

_OWN, _ONE = "the picture's", "one colour"
_SIGNS = " .`-':_,^=;><+!rc*/z?sLTv)J7(|Fi{C}fI31tlu[neoZ5Yxjya]2ESwqkP6h9d4VpOGbUAKXHm8RD#$Bg0MNWQ%&@"
_STEPS = 32
_TALL = 1.6
"""How many times taller than wide a cell is."""
_MEASURED: Size = (20, 32)
_LIFT, _LIFTED_BY, _CHANGES, _SPREAD = 1.25, 25, 10, 5


@effect(
    key="letters",
    version=1,
    family=Family.FRAME,
    label="Letters",
    group="Drawn",
    keywords="ascii text characters terminal code matrix typewriter",
    parameters=(
        Parameter("amount", "Written", "%", low=0, high=100, rest=0, peak=100),
        Parameter("cell", "Cell", "% of width", low=0.6, high=5, rest=1.5, peak=1.5),
        ChoiceParameter("colours", "Colours", (_OWN, _ONE), _OWN),
        ColourParameter("ink", "Colour", "#96ff78"),
        Parameter("ground", "Behind", "%", low=0, high=60, rest=12, peak=12, help="Of the picture"),
        Parameter("gain", "Weight", "%", low=50, high=250, rest=130, peak=130),
        Parameter("change", "Changing", "%", low=0, high=100, rest=0, peak=0, help="Ten times a second"),
    ),
    needs=(Need.TIME,),
)
def letters(values: Values) -> Operation | tuple[Operation, ...]:
    """Writes the picture in letters and signs, cell after cell."""
    if values.amount == 0:
        return NOTHING
    step = step_at(values.seconds, _CHANGES)
    ink = np.array(colour_to_bgr(values.ink)) * 255
    columns = max(8, round(100 / values.cell))

    def apply(picture: Picture) -> Picture:
        height, width = picture.shape[:2]
        rows = max(2, round(columns * height / width / _TALL))
        cells = np.asarray(cv2.resize(picture, (columns, rows), interpolation=cv2.INTER_AREA), np.uint8)
        weight = cv2.cvtColor(cells, cv2.COLOR_BGR2GRAY) * (values.gain / 100 * _STEPS / 255)
        if values.change:
            generator = np.random.default_rng((int(values.seed), step))
            weight = weight + generator.normal(0, _SPREAD * values.change / 100, weight.shape)
        which = np.clip(weight, 0, _STEPS - 1).astype(np.intp)
        tile = -(-width // columns), -(-height // rows)
        drawn = _signs(tile)[which].transpose(0, 2, 1, 3)
        mask = np.ascontiguousarray(drawn).reshape(rows * tile[1], columns * tile[0])
        mask = cv2.resize(mask, (width, height), interpolation=cv2.INTER_AREA)
        tint = cv2.convertScaleAbs(cells, alpha=_LIFT, beta=_LIFTED_BY)
        if values.colours == _ONE:
            tint = np.broadcast_to(np.rint(ink).astype(np.uint8), cells.shape)
        flat = cv2.resize(np.ascontiguousarray(tint), (width, height), interpolation=cv2.INTER_NEAREST)
        written = cv2.multiply(flat, cv2.merge([mask] * 3), scale=1 / 255)
        behind = cv2.blur(picture, (tile[0] | 1, tile[0] | 1))
        written = cv2.add(written, cv2.convertScaleAbs(behind, alpha=values.ground / 100))
        if values.amount >= 100:
            return np.asarray(written, np.uint8)
        order = np.random.default_rng((int(values.seed), 1)).random((rows, columns))
        is_left = np.asarray(order * 100 >= values.amount, np.uint8)
        cv2.copyTo(picture, cv2.resize(is_left, (width, height), interpolation=cv2.INTER_NEAREST), written)
        return np.asarray(written, np.uint8)

    return Filter(apply)


def _drawn(sign: str, size: Size) -> Plane:
    """Return a sign, uint8, shape (height, width): drawn four times as large and averaged."""
    width, height = (4 * side for side in size)
    large = np.zeros((height, width), np.uint8)
    scale = height / 30
    (wide, tall), _ = cv2.getTextSize(sign, cv2.FONT_HERSHEY_SIMPLEX, scale, 1)
    at = (width - wide) // 2, (height + tall) // 2
    cv2.putText(
        large, sign, at, cv2.FONT_HERSHEY_SIMPLEX, scale, 255, max(1, round(3.2 * scale)), cv2.LINE_AA
    )
    return np.asarray(cv2.resize(large, size, interpolation=cv2.INTER_AREA), np.uint8)


@lru_cache(maxsize=1)
def _by_weight() -> str:
    """Return a sign for each step of weight, evenly apart, chosen at one size: the same at every other."""
    weights = {sign: float(_drawn(sign, _MEASURED).mean()) for sign in _SIGNS}
    wanted = np.linspace(min(weights.values()), max(weights.values()), _STEPS)
    return "".join(min(weights, key=lambda sign: abs(weights[sign] - weight)) for weight in wanted)


@lru_cache(maxsize=8)
def _signs(size: Size) -> Plane:
    """Return the signs of `_by_weight`, uint8, shape (steps, height, width)."""
    return np.stack([_drawn(sign, size) for sign in _by_weight()])
