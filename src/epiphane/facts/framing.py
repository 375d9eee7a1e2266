"""Where a picture lies in the frame while it moves there."""

from typing import assert_never

from msgspec.structs import replace

from epiphane.document.timeline import Framing, Item, Move, Transform
from epiphane.facts.speed import ramp_share


def framing_at(transform: Transform, share: float) -> Framing:
    """Return where a picture lies when a share of its item is over; a drift is enlarged by what it moves."""
    start, amount = transform.start, abs(transform.amount)
    match transform.move:
        case Move.NONE:
            return start
        case Move.PUSH:
            nearer = share if transform.amount >= 0 else 1 - share
            return replace(start, scale=start.scale * (1 + amount * nearer))
        case Move.DRIFT:
            aside = (0.5 - share) * transform.amount
            return replace(start, scale=start.scale * (1 + amount), x=start.x + aside)
        case Move.TO_END:
            return between_framings(start, transform.end, ramp_share(transform.ease, share))
        case _:
            assert_never(transform.move)


def between_framings(start: Framing, end: Framing, share: float) -> Framing:
    """Return the framing that is a share of the way from one to another; sizes grow by factors."""
    return Framing(
        start.scale * (end.scale / start.scale) ** share,
        start.x + (end.x - start.x) * share,
        start.y + (end.y - start.y) * share,
        start.rotation + (end.rotation - start.rotation) * share,
    )


def parted(item: Item, frame: int) -> tuple[Transform, Transform]:
    """Return the transforms of both parts of an item that is cut on a frame: a move to the end goes on.

    Where it has an ease, each part has it; on the cut itself both lie where the whole did.
    """
    transform = item.transform
    if transform.move is not Move.TO_END:
        return transform, transform
    middle = framing_at(transform, (frame - item.start) / item.n_frames)
    later = replace(transform, scale=middle.scale, x=middle.x, y=middle.y, rotation=middle.rotation)
    return replace(transform, end=middle), later
