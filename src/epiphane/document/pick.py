"""Which hits of its pulse a lane takes."""

from enum import Enum
from typing import Annotated, Literal

from msgspec import Meta, Struct

from epiphane.document.ids import LaneId, Seconds, Share

CELL_COUNTS = (4, 8, 12, 16, 32)
"""Into how many cells the window divides a pattern; a file may hold any number up to the last."""


class Pattern(Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """Places of the bar that fire, and how strongly.

    One, two or four bars, counted from bar 1, are divided into equal cells. A hit has the strength of the
    cell whose beginning is nearest to it; in a cell of 0 it does not fire.
    """

    cells: Annotated[tuple[Share, ...], Meta(min_length=1, max_length=32)] = (1.0, 0.0, 0.0, 0.0)
    n_bars: Literal[1, 2, 4] = 1


class Landmark(Enum):
    """Where in the song a hit must lie to be taken: anywhere, on a downbeat, or where a section begins."""

    ANY = "any"
    DOWNBEATS = "downbeats"
    SECTIONS = "sections"


class Pick(Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True, cache_hash=True):
    """What a lane takes of the hits of its pulse; each rule is applied to what the one before has left.

    First those inside: in `sections` of these labels (any where there are none), from `start` on and before
    `end`, and `only` on some landmark of the song. Of those every Nth from the first; those in the cells of
    the `pattern`; those at least `above` a strength; the `strongest` so many of every bar; by chance, each
    with the probability `chance`, drawn from the lane's seed; and those where the lane `without` which it is
    does not fire, by all rules but this one.
    """

    sections: Annotated[tuple[str, ...], Meta(max_length=1000)] = ()
    start: Seconds | None = None
    end: Seconds | None = None
    every: Annotated[int, Meta(ge=1, le=64)] = 1
    first: Annotated[int, Meta(ge=0, le=63)] = 0
    pattern: Pattern | None = None
    above: Share = 0.0
    strongest: Annotated[int, Meta(ge=1, le=32)] | None = None
    chance: Share = 1.0
    without: LaneId | None = None
    only: Landmark = Landmark.ANY
