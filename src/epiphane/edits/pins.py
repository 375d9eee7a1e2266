"""Keeping the moment of a shot on its hit when cuts, hits or the rate change."""

from collections.abc import Callable
from fractions import Fraction

from msgspec.structs import replace

from epiphane.document.project import Project
from epiphane.document.timeline import Item, Pin, cut_of, with_cut
from epiphane.facts.source_time import start_for
from epiphane.timing import frame_at


def pinned(shot: Item, pin: Pin | None, rate: Fraction) -> Item:
    """Return a shot that shows its moment on the frame of its hit; unpinned where that is not within it."""
    if pin is None or not shot.start <= frame_at(pin.hit, rate) < shot.start + shot.n_frames:
        return shot if shot.pin is None else replace(shot, pin=None)
    start = start_for(pin, start=shot.start, speed=cut_of(shot).speed, rate=rate)
    return replace(with_cut(shot, source_start=start), pin=pin)


def repinned(project: Project, *, move: Callable[[float], float] = lambda hit: hit) -> Project:
    """Return `project` with every moment on its hit again after cuts, hits or the rate have moved.

    Parameters
    ----------
    move : from seconds to seconds
        Where each hit is now.
    """
    shots = tuple(
        shot
        if shot.pin is None
        else pinned(shot, replace(shot.pin, hit=max(0.0, round(move(shot.pin.hit), 6))), project.rate)
        for shot in project.shots
    )
    return replace(project, shots=shots)
