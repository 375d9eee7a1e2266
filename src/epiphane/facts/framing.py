"""Where a picture lies in the frame while it moves there."""

import bisect
from typing import assert_never

from msgspec.structs import replace

from epiphane.document.timeline import Framing, Item, ItemKey, Move, Transform
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


def item_framing(item: Item, frame: int) -> Framing:
    """Return where an item lies on a frame of the project: by its keys, or as its transform moves."""
    if item.keys:
        return _between_keys(item.keys, frame - item.start)[0]
    share = 0.0 if item.transform.move is Move.NONE else (frame - item.start + 0.5) / item.n_frames
    return framing_at(item.transform, share)


def item_key_at(item: Item, frame: int) -> ItemKey:
    """Return the key of an item on a frame of the project, or the one there that would change nothing."""
    place = frame - item.start
    there = next((key for key in item.keys if key.frame == place), None)
    if there is not None:
        return there
    if item.keys:
        framing, opacity = _between_keys(item.keys, place)
        return ItemKey(place, framing, opacity)
    return ItemKey(place, item_framing(item, frame))


def item_opacity(item: Item, frame: int) -> float:
    """Return how much is seen of an item on a frame of the project, 0 to 1: by its keys and its fades.

    A fade begins with a part of it on the first frame, and is over on the frame after its last.
    """
    opacity = item.opacity
    if item.keys:
        opacity *= _between_keys(item.keys, frame - item.start)[1]
    for n_frames, gone in ((item.fade_in, frame - item.start), (item.fade_out, item.end - 1 - frame)):
        if gone < n_frames:
            opacity *= (gone + 1) / (n_frames + 1)
    return round(max(opacity, 0.0), 6)


def _between_keys(keys: tuple[ItemKey, ...], frame: int) -> tuple[Framing, float]:
    """Return the framing and the opacity on a frame of an item, counted from its first."""
    index = bisect.bisect_right(keys, frame, key=lambda key: key.frame) - 1
    if index < 0 or index == len(keys) - 1:
        key = keys[max(index, 0)]
        return key.framing, key.opacity
    here, following = keys[index], keys[index + 1]
    share = ramp_share(here.ramp, (frame - here.frame) / (following.frame - here.frame))
    opacity = here.opacity + (following.opacity - here.opacity) * share
    return between_framings(here.framing, following.framing, share), opacity


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
