"""Titles, solids and shapes that a recipe brings along: taken from a project, and put on another's hits."""

from bisect import bisect_left, bisect_right

from msgspec.structs import replace

from epiphane.document.project import Project
from epiphane.document.recipe import RecipeAnchor, RecipeItem
from epiphane.document.timeline import Item, ShapeFill, SolidFill, Track
from epiphane.document.titles import TextFill
from epiphane.edits.items.titles import put_title
from epiphane.edits.items.tracks import change_track, find_item, put_fill_on_track, replace_item
from epiphane.errors import EditError
from epiphane.facts.anchors import anchor_time
from epiphane.facts.titles import landing_frame
from epiphane.timing import frame_at, frame_start

_WHOLE = 0.95
"""An item over so much of the project lies over all of it."""


def items_of(project: Project) -> tuple[RecipeItem, ...]:
    """Return the titles, solids and shapes on a project's tracks as parts of a recipe, in their order.

    Each is known by how many beats it lies from the anchor that is nearest; files and footage stay behind.
    """
    return tuple(
        _of_no_song(project, track, item)
        for track in project.tracks
        for item in track.items
        if isinstance(item.content, SolidFill | ShapeFill | TextFill)
    )


def text_of_no_song(text: TextFill) -> TextFill:
    """Return a text without what another project does not have: files, footage and pulses."""
    arrive = None if text.arrive is None else replace(text.arrive, pulse=None)
    return replace(text, file=None, fingerprint=None, footage=None, arrive=arrive)


def put_items(project: Project, items: tuple[RecipeItem, ...]) -> Project:
    """Return `project` with the items of a recipe on tracks of their own; one without room is left out."""
    for one in items:
        try:
            project = _put(project, one)
        except EditError:
            continue
    return project


def _of_no_song(project: Project, track: Track, item: Item) -> RecipeItem:
    content = item.content
    assert isinstance(content, SolidFill | ShapeFill | TextFill)
    if isinstance(content, TextFill):
        content = text_of_no_song(content)
        at = float(frame_start(landing_frame(item, project.rate), project.rate))
    else:
        at = float(frame_start(item.start, project.rate))
    anchor, beats = _anchored(project, at)
    if item.n_frames >= _WHOLE * project.n_frames:
        anchor, beats = RecipeAnchor.WHOLE, 0
    seconds = round(min(max(float(item.n_frames / project.rate), 0.1), 600.0), 3)
    looks = item.transform, item.blend, item.opacity, item.fade_in, item.fade_out
    return RecipeItem(anchor, content, beats, seconds, *looks, is_behind=track.is_behind)


def _anchored(project: Project, at: float) -> tuple[RecipeAnchor, int]:
    """Return the anchor nearest to an instant, and how many beats the instant is from it."""
    places = {anchor: anchor_time(project.song, anchor) for anchor in _HITS}
    beats = _beats(project)
    near = min(places, key=lambda anchor: abs(places[anchor] - at))
    between = bisect_left(beats, at - _CLOSE) - bisect_left(beats, places[near] - _CLOSE)
    return near, min(max(between, -_MOST_BEATS), _MOST_BEATS)


_HITS = (RecipeAnchor.FIRST, RecipeAnchor.DROP, RecipeAnchor.LAST)
_CLOSE, _MOST_BEATS = 0.02, 256


def _put(project: Project, one: RecipeItem) -> Project:
    if one.anchor is RecipeAnchor.WHOLE:
        seconds = float(project.n_frames / project.rate)
        project, number = put_fill_on_track(project, one.content, 0, seconds=seconds)
    else:
        beats = _beats(project)
        at = anchor_time(project.song, one.anchor)
        if beats:
            place = bisect_right(beats, at + _CLOSE) - 1 + one.beats
            at = beats[min(max(place, 0), len(beats) - 1)]
        if isinstance(one.content, TextFill):
            project, number = put_title(project, one.content, 0, hit=at)
        else:
            first = frame_at(at, project.rate)
            project, number = put_fill_on_track(project, one.content, first, seconds=one.seconds)
    track, _ = find_item(project, number)

    def look(item: Item) -> Item:
        wanted = round(one.seconds * project.rate)
        length = (
            item.n_frames if one.anchor is RecipeAnchor.WHOLE else min(wanted, project.n_frames - item.start)
        )
        least = landing_frame(item, project.rate) - item.start + 1
        return replace(
            item,
            n_frames=max(length, least if isinstance(item.content, TextFill) else 1),
            transform=one.transform,
            blend=one.blend,
            opacity=one.opacity,
            fade_in=one.fade_in,
            fade_out=one.fade_out,
        )

    project = replace_item(project, number, look)
    return change_track(project, track.id, is_behind=True) if one.is_behind else project


def _beats(project: Project) -> list[float]:
    return [] if project.song is None else [beat.time for beat in project.song.beats]
