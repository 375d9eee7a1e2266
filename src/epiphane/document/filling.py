"""How the song is filled with footage in one step."""

from enum import Enum
from typing import Annotated

from msgspec import Meta, Struct

from epiphane.document.ids import (
    FootageId,
    PulseId,
)
from epiphane.document.timeline import Extend, Move


class Order(Enum):
    """In which order clips fill the song."""

    GATHERED = "gathered"
    SHUFFLED = "shuffled"
    MOMENTS = "moments"


class Pace(Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """A cut every so many hits; where `is_by_section`, as many as the section's energy asks for."""

    every: Annotated[int, Meta(ge=1, le=128)] = 4
    is_by_section: bool = False
    calm: Annotated[int, Meta(ge=1, le=128)] = 8
    build: Annotated[int, Meta(ge=1, le=128)] = 4
    full: Annotated[int, Meta(ge=1, le=128)] = 2


class Filling(Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """How the song is filled with footage in one step.

    Cuts are counted on a pulse, or on the beats where `pulse` is None; `footage` empty means all of it.
    Where `lands`, the moment of every clip that has one falls on a hit.
    """

    footage: Annotated[tuple[FootageId, ...], Meta(max_length=20_000)] = ()
    pulse: PulseId | None = None
    pace: Pace = Pace()
    order: Order = Order.GATHERED
    seed: Annotated[int, Meta(ge=0, le=999_999)] = 1
    lands: bool = True
    stills: Move = Move.PUSH
    extend: Extend = Extend.SLOW
