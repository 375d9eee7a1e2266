"""What is selected: it decides what the bench shows and what keys are about."""

from collections.abc import Iterable
from enum import Enum

from msgspec import Struct

from epiphane.document.ids import FootageId, ItemId, LaneId, PulseId
from epiphane.document.project import Project
from epiphane.document.pulse import TappedSource
from epiphane.edits.cues import CueKey


class Kind(Enum):
    """What the bench may show."""

    SONG = "song"
    PULSE = "pulse"
    BEAT = "beat"
    TAP = "tap"
    LANE = "lane"
    LANES = "lanes"
    CUES = "cues"
    SHOT = "shot"
    FOOTAGE = "footage"
    FILLING = "filling"
    RECIPE = "recipe"
    NEW_RECIPE = "new recipe"
    EXPORT = "export"
    LOST_WORK = "lost work"


class Selection(Struct, frozen=True):
    """What is selected: a pulse, a beat by its number, a lane, some cues, a shot, footage; else the song.

    Of several `lanes` the one that was selected last is also the `lane`.

    A tap is selected by its pulse and its time in seconds.

    A recipe is selected by the path of its file; a new one is made of lanes, first of those like `lane`.
    """

    kind: Kind = Kind.SONG
    pulse: PulseId | None = None
    beat: int | None = None
    tap: float | None = None
    lane: LaneId | None = None
    lanes: frozenset[LaneId] = frozenset()
    cues: frozenset[CueKey] = frozenset()
    shot: ItemId | None = None
    footage: FootageId | None = None
    recipe: str = ""

    @property
    def chosen_lanes(self) -> frozenset[LaneId]:
        """All lanes that are selected."""
        return self.lanes or (frozenset() if self.lane is None else frozenset({self.lane}))


def still_there(selection: Selection, project: Project) -> Selection:
    """Return what is selected, or the song where it is not there any more."""
    if selection.kind is Kind.TAP:
        return _tap_still_there(selection, project)
    if selection.kind is Kind.LANES:
        return lanes_selected([one.id for one in project.lanes if one.id in selection.lanes], selection.lane)
    n_beats = len(project.song.beats) if project.song is not None else 0
    there: dict[Kind, Iterable[int | None]] = {
        Kind.LANE: (lane.id for lane in project.lanes),
        Kind.CUES: (lane.id for lane in project.lanes),
        Kind.PULSE: (pulse.id for pulse in project.pulses),
        Kind.BEAT: range(n_beats),
        Kind.FOOTAGE: (one.id for one in project.footage),
        Kind.SHOT: (shot.id for shot in project.shots),
    }
    wanted: dict[Kind, int | None] = {
        Kind.LANE: selection.lane,
        Kind.CUES: selection.lane,
        Kind.PULSE: selection.pulse,
        Kind.BEAT: selection.beat or 0,
        Kind.FOOTAGE: selection.footage,
        Kind.SHOT: selection.shot,
    }
    kind = selection.kind
    return selection if kind not in there or wanted[kind] in there[kind] else Selection()


def lanes_selected(lanes: Iterable[LaneId], last: LaneId | None) -> Selection:
    """Return the selection of some lanes, of which one was selected `last`: of one alone that lane."""
    chosen = list(lanes)
    if not chosen:
        return Selection()
    lane = last if last in chosen else chosen[-1]
    if len(chosen) == 1:
        return Selection(Kind.LANE, lane=lane)
    return Selection(Kind.LANES, lane=lane, lanes=frozenset(chosen))


def _tap_still_there(selection: Selection, project: Project) -> Selection:
    """Return a selected tap, or its pulse, or the song, whichever is still there."""
    pulse = next((one for one in project.pulses if one.id == selection.pulse), None)
    if pulse is None:
        return Selection()
    hits = pulse.source.hits if isinstance(pulse.source, TappedSource) else ()
    is_there = any(hit.time == selection.tap for hit in hits)
    return selection if is_there else Selection(Kind.PULSE, pulse=pulse.id)
