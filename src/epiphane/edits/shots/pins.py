"""Keeping the moment of a shot on its hit when cuts, hits or the rate change."""

from collections.abc import Callable
from fractions import Fraction

from msgspec.structs import replace

from epiphane.document.project import Project, with_items
from epiphane.document.timeline import FootageCut, Item, Panels, Pin, cut_of, with_cut
from epiphane.document.titles import TitleLook
from epiphane.facts.source_time import anchor_frame, start_for
from epiphane.facts.speed import shifted
from epiphane.timing import frame_at


def pinned(shot: Item, pin: Pin | None, rate: Fraction) -> Item:
    """Return a shot that shows its moment on the frame of its hit; unpinned where that is not within it.

    A curve of speeds stays where it is when the shot is pinned anew or let go, and goes along with its hit.
    """
    if pin is None or not shot.start <= frame_at(pin.hit, rate) < shot.start + shot.n_frames:
        return shot if shot.pin is None else _let_go(shot, rate)
    if isinstance(shot.content, TitleLook):  # it lands there, wherever it begins
        return replace(shot, pin=pin)
    if shot.pin is None:
        cut = cut_of(shot)
        shot = with_cut(shot, speed=shifted(cut.speed, shot.start - frame_at(pin.hit, rate)))
    start = start_for(pin, start=shot.start, speed=cut_of(shot).speed, rate=rate)
    return replace(with_cut(shot, source_start=start), pin=pin)


def _let_go(shot: Item, rate: Fraction) -> Item:
    """Return a shot without its pin, which shows what it did."""
    if not isinstance(shot.content, FootageCut):
        return replace(shot, pin=None)
    speed = shifted(shot.content.speed, anchor_frame(shot, rate) - shot.start)
    return replace(with_cut(shot, speed=speed), pin=None)


def repinned(project: Project, *, move: Callable[[float], float] = lambda hit: hit) -> Project:
    """Return `project` with every moment on its hit again after cuts, hits or the rate have moved.

    Parameters
    ----------
    move : from seconds to seconds
        Where each hit is now.
    """

    def moved(pin: Pin) -> Pin:
        return replace(pin, hit=max(0.0, round(move(pin.hit), 6)))

    def again(shot: Item) -> Item:
        if isinstance(shot.content, Panels):
            panels = tuple(
                panel if panel.pin is None else replace(panel, pin=moved(panel.pin))
                for panel in shot.content.panels
            )
            return replace(shot, content=replace(shot.content, panels=panels))
        if shot.pin is None:
            return shot
        return pinned(shot, moved(shot.pin), project.rate)

    return with_items(project, lambda items: tuple(map(again, items)))
