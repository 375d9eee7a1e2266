"""Tile flip: the picture turns over in tiles."""

import cv2
import numpy as np

from epiphane.declare.parameters import ChoiceParameter, Parameter, Values
from epiphane.effects.declare import Family
from epiphane.effects.pixels import blurred
from epiphane.transitions.declare import Composed, Join, Progress, transition
from epiphane.transitions.mixing import chances_of
from epiphane.types import FloatArray, Picture

_NEXT, _BLACK = "the next picture, blurred", "black"
_BLUR, _DIMMED, _LEANS = 0.02, 0.7, 0.25


@transition(
    key="tile-flip",
    version=2,
    family=Family.FRAME,
    label="Tile flip",
    group="Wipes",
    parameters=(
        Parameter("columns", "Columns", "", low=1, high=24, rest=8, peak=8, is_whole=True),
        ChoiceParameter("order", "Order", ("across", "from the middle", "by chance"), "across"),
        Parameter("lag", "One after the other", "%", low=0, high=90, rest=60, peak=60),
        ChoiceParameter("behind", "Behind", (_NEXT, _BLACK), _NEXT, help="Between tiles that turn"),
    ),
    frames=(9, 10),
    keywords="mosaic grid cards board",
)
def tile_flip(values: Values, progress: Progress) -> Join:
    """Turns tiles over, one after the other, on whose backs the next picture stands."""
    n_across = round(values.columns)
    n_down = max(1, round(n_across / progress.aspect))
    lag = values.lag / 100

    def apply(outgoing: Picture, incoming: Picture) -> Picture:
        begins = _turns(n_down, n_across, values.order, progress.seed) * lag
        gone = np.clip((progress.share - begins) / (1 - lag), 0, 1)
        height, width = outgoing.shape[:2]
        down = np.linspace(0, height, n_down + 1).round().astype(int)
        across = np.linspace(0, width, n_across + 1).round().astype(int)
        if values.behind == _BLACK:
            done = np.zeros_like(outgoing)
        else:
            done = np.asarray(cv2.convertScaleAbs(blurred(incoming, _BLUR), alpha=_DIMMED), np.uint8)
        for row in range(n_down):
            for column in range(n_across):
                box = slice(down[row], down[row + 1]), slice(across[column], across[column + 1])
                share = float(gone[row, column])
                tile = (outgoing if share < 0.5 else incoming)[box]
                done[box] = tile if share in (0, 1) or tile.size == 0 else _flipped(tile, done[box], share)
        return done

    return Join(Composed(apply))


def _turns(n_down: int, n_across: int, order: str, seed: int) -> FloatArray:
    """Return when each tile begins, 0 to 1."""
    if order == "by chance":
        return chances_of(seed, (n_down, n_across))
    rows, columns = np.mgrid[0:n_down, 0:n_across]
    if order == "across":
        places = columns + rows * 0.5
    else:
        places = np.hypot(rows - (n_down - 1) / 2, columns - (n_across - 1) / 2)
    return np.asarray((places - places.min()) / max(float(np.ptp(places)), 1e-9))


def _flipped(tile: Picture, behind: Picture, share: float) -> Picture:
    """Return a tile on its way round: narrower, and lit by how it is turned."""
    height, width = tile.shape[:2]
    cos = abs(float(np.cos(np.pi * share)))
    narrow = max(1, round(width * cos))
    done = behind.copy()
    first = (width - narrow) // 2
    small = cv2.resize(tile, (narrow, height), interpolation=cv2.INTER_AREA)
    done[:, first : first + narrow] = cv2.convertScaleAbs(
        small, alpha=0.4 + 0.6 * cos + (_LEANS if share > 0.5 else -_LEANS) * (1 - cos)
    )
    return done
