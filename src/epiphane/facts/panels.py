"""Where the panels of a split screen lie in the frame."""

import math
from typing import TypeAlias

from msgspec import Struct

from epiphane.document.project import Project
from epiphane.document.timeline import Item, Panel, PanelLayout, Panels
from epiphane.facts.hits import hit_context_of, hits_of
from epiphane.timing import frame_at

Box: TypeAlias = tuple[float, float, float, float]
"""Left, top, width and height, in shares of the frame."""
_LEAD_SHARE, _SLANT = 0.66, 0.16
"""Of the frame's width: the large panel of one large and the rest; how far a diagonal leans."""


class PanelPlace(Struct, frozen=True):
    """A box of the frame whose left and right edges lean to the right at the top, by shares of its width."""

    box: Box
    lean_left: float = 0.0
    lean_right: float = 0.0


def panel_arrivals(project: Project, item: Item, panels: Panels) -> list[int]:
    """Return the frame on which each panel comes in: with the shot, or all but the first on hits.

    Those for which the shot has no hit left come on the frame after its last: they are never seen.
    """
    number = len(panels.panels)
    pulse = next((one for one in project.pulses if one.id == panels.pulse), None)
    if pulse is None:
        return [item.start] * number
    frames = (frame_at(hit.time, project.rate) for hit in hits_of(pulse, hit_context_of(project)))
    after = [frame for frame in frames if item.start < frame < item.end][: number - 1]
    return [item.start, *after, *[item.end] * (number - 1 - len(after))]


def panel_places(panels: Panels, aspect: float) -> tuple[PanelPlace, ...]:
    """Return where each panel lies, without the gaps between them.

    Parameters
    ----------
    aspect : float
        Width by height of the frame.
    """
    number = len(panels.panels)
    match panels.layout:
        case PanelLayout.COLUMNS:
            boxes = [(n / number, 0.0, 1 / number, 1.0) for n in range(number)]
        case PanelLayout.ROWS:
            boxes = [(0.0, n / number, 1.0, 1 / number) for n in range(number)]
        case PanelLayout.GRID:
            boxes = _grid(number)
        case PanelLayout.LEAD:
            boxes = _lead(number)
        case PanelLayout.DIAGONAL:
            return _diagonals(number)
        case PanelLayout.FREE:
            boxes = [_own_box(panel, n, number) for n, panel in enumerate(panels.panels)]
    gap = panels.gap / 2
    is_free = panels.layout is PanelLayout.FREE
    return tuple(PanelPlace(box if is_free else _inside(box, gap / aspect, gap)) for box in boxes)


def _grid(number: int) -> list[Box]:
    """Return a grid as near to square as can be; a last row that is not full is as wide as the others."""
    across = math.ceil(math.sqrt(number))
    down = math.ceil(number / across)
    boxes: list[Box] = []
    for row in range(down):
        here = min(across, number - row * across)
        boxes += [(n / here, row / down, 1 / here, 1 / down) for n in range(here)]
    return boxes


def _lead(number: int) -> list[Box]:
    if number == 1:
        return [(0.0, 0.0, 1.0, 1.0)]
    rest = number - 1
    others: list[Box] = [(_LEAD_SHARE, n / rest, 1 - _LEAD_SHARE, 1 / rest) for n in range(rest)]
    return [(0.0, 0.0, _LEAD_SHARE, 1.0), *others]


def _diagonals(number: int) -> tuple[PanelPlace, ...]:
    """Return columns whose inner edges lean."""
    return tuple(
        PanelPlace(
            (n / number, 0.0, 1 / number, 1.0),
            _SLANT if n > 0 else 0.0,
            _SLANT if n < number - 1 else 0.0,
        )
        for n in range(number)
    )


def _own_box(panel: Panel, place: int, number: int) -> Box:
    return panel.box if panel.box is not None else _grid(number)[place]


def _inside(box: Box, across: float, down: float) -> Box:
    """Return a box without its part of the gaps: at the frame's edge there are none."""
    left, top, width, height = box
    right, bottom = left + width, top + height
    left += across * (left > 1e-6)
    top += down * (top > 1e-6)
    right -= across * (right < 1 - 1e-6)
    bottom -= down * (bottom < 1 - 1e-6)
    return left, top, max(right - left, 1e-3), max(bottom - top, 1e-3)
