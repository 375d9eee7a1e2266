"""What is selected: it decides what the bench shows and what keys are about."""

from collections.abc import Iterable
from typing import TypeAlias

from msgspec import Struct

from epiphane.document.ids import FootageId, ItemId, LaneId, PulseId, TrackId
from epiphane.document.project import Project
from epiphane.document.pulse import TappedSource
from epiphane.edits.keying.cues import CueKey
from epiphane.edits.shots.cutting import gap_at
from epiphane.facts.form import parts_of


class _Selected(Struct, frozen=True):
    """What every kind of selection answers; what it is not about is None or empty."""

    @property
    def lane(self) -> LaneId | None:
        """The lane it is about, or the one of several that was selected last."""
        return None

    @property
    def lanes(self) -> frozenset[LaneId]:
        """All lanes that are selected."""
        return frozenset() if self.lane is None else frozenset({self.lane})

    @property
    def cues(self) -> frozenset[CueKey]:
        """The selected cues."""
        return frozenset()

    @property
    def pulse(self) -> PulseId | None:
        """The pulse it is about."""
        return None

    @property
    def beat(self) -> int | None:
        """The number of the selected beat."""
        return None

    @property
    def part(self) -> int | None:
        """The number of the selected part of the song."""
        return None

    @property
    def drop(self) -> int | None:
        """The number of the selected drop."""
        return None

    @property
    def tap(self) -> float | None:
        """The time of the selected tap, in seconds."""
        return None

    @property
    def shot(self) -> ItemId | None:
        """The shot it is about, or the one of several that was selected last."""
        return None

    @property
    def shots(self) -> frozenset[ItemId]:
        """All shots that are selected."""
        return frozenset() if self.shot is None else frozenset({self.shot})

    @property
    def item(self) -> ItemId | None:
        """The selected item of a track."""
        return None

    @property
    def track(self) -> TrackId | None:
        """The selected track."""
        return None

    @property
    def gap(self) -> int | None:
        """The first frame of the selected gap between shots."""
        return None

    @property
    def footage(self) -> FootageId | None:
        """The selected footage."""
        return None

    @property
    def recipe(self) -> str:
        """The path of the selected recipe's file."""
        return ""

    def is_there(self, project: Project) -> bool:
        """Whether what is selected is still in the project."""
        return True


class SongSelection(_Selected, frozen=True):
    """The song: what is selected when nothing else is."""


class PulseSelection(_Selected, frozen=True):
    """A pulse."""

    pulse: PulseId

    def is_there(self, project: Project) -> bool:
        return any(one.id == self.pulse for one in project.pulses)


class BeatSelection(_Selected, frozen=True):
    """A beat, by its number."""

    beat: int | None

    def is_there(self, project: Project) -> bool:
        return project.song is not None and (self.beat or 0) < len(project.song.beats)


class PartSelection(_Selected, frozen=True):
    """A part of the song, by its number."""

    part: int | None

    def is_there(self, project: Project) -> bool:
        return (self.part or 0) < len(parts_of(project.song))


class DropSelection(_Selected, frozen=True):
    """A drop of the song, by its number."""

    drop: int | None

    def is_there(self, project: Project) -> bool:
        return project.song is not None and (self.drop or 0) < len(project.song.drops)


class TapSelection(_Selected, frozen=True):
    """A tap, by its pulse and its time in seconds."""

    pulse: PulseId
    tap: float

    def is_there(self, project: Project) -> bool:
        sources = (one.source for one in project.pulses if one.id == self.pulse)
        taps = (hit for source in sources if isinstance(source, TappedSource) for hit in source.hits)
        return any(hit.time == self.tap for hit in taps)


class LaneSelection(_Selected, frozen=True):
    """A lane."""

    lane: LaneId

    def is_there(self, project: Project) -> bool:
        return any(one.id == self.lane for one in project.lanes)


class LanesSelection(_Selected, frozen=True):
    """Several lanes; `lane` is the one that was selected last."""

    lane: LaneId
    lanes: frozenset[LaneId]


class CuesSelection(_Selected, frozen=True):
    """Some cues, of one lane or of several; `lane` is the one whose cues were selected last."""

    lane: LaneId | None
    cues: frozenset[CueKey]

    def is_there(self, project: Project) -> bool:
        return any(one.id == self.lane for one in project.lanes)


class ShotSelection(_Selected, frozen=True):
    """A shot."""

    shot: ItemId

    def is_there(self, project: Project) -> bool:
        return any(one.id == self.shot for one in project.shots)


class ShotsSelection(_Selected, frozen=True):
    """Several shots; `shot` is the one that was selected last."""

    shot: ItemId
    shots: frozenset[ItemId]


class ItemSelection(_Selected, frozen=True):
    """An item of a track over the shots."""

    item: ItemId

    def is_there(self, project: Project) -> bool:
        return any(one.id == self.item for track in project.tracks for one in track.items)


class TrackSelection(_Selected, frozen=True):
    """A track over the shots."""

    track: TrackId

    def is_there(self, project: Project) -> bool:
        return any(one.id == self.track for one in project.tracks)


class GapSelection(_Selected, frozen=True):
    """A gap between shots, by its first frame."""

    gap: int

    def is_there(self, project: Project) -> bool:
        found = gap_at(project, self.gap)
        return found is not None and found[0] == self.gap


class FootageSelection(_Selected, frozen=True):
    """Footage on the shelf."""

    footage: FootageId

    def is_there(self, project: Project) -> bool:
        return any(one.id == self.footage for one in project.footage)


class FillingSelection(_Selected, frozen=True):
    """How the song is filled with footage."""


class DressingSelection(_Selected, frozen=True):
    """How the song is dressed with lanes."""


class RoughCutSelection(_Selected, frozen=True):
    """A rough cut in one step: what it is to be like."""


class RecipeSelection(_Selected, frozen=True):
    """A recipe, by the path of its file."""

    recipe: str


class NewRecipeSelection(_Selected, frozen=True):
    """A recipe that is being made of lanes, first of those like `lane`."""

    lane: LaneId | None


class ExportSelection(_Selected, frozen=True):
    """The export."""


class LostWorkSelection(_Selected, frozen=True):
    """Unsaved work of lost sessions."""


Selection: TypeAlias = (
    SongSelection
    | PulseSelection
    | BeatSelection
    | PartSelection
    | DropSelection
    | TapSelection
    | LaneSelection
    | LanesSelection
    | CuesSelection
    | ShotSelection
    | ShotsSelection
    | GapSelection
    | ItemSelection
    | TrackSelection
    | FootageSelection
    | FillingSelection
    | DressingSelection
    | RoughCutSelection
    | RecipeSelection
    | NewRecipeSelection
    | ExportSelection
    | LostWorkSelection
)


def still_there(selection: Selection, project: Project) -> Selection:
    """Return what is selected, or what is nearest to it where it is not there any more: else the song."""
    if isinstance(selection, LanesSelection):
        return lanes_selected([one.id for one in project.lanes if one.id in selection.lanes], selection.lane)
    if isinstance(selection, ShotsSelection):
        return shots_selected([one.id for one in project.shots if one.id in selection.shots], selection.shot)
    if selection.is_there(project):
        return selection
    if isinstance(selection, TapSelection):
        return still_there(PulseSelection(selection.pulse), project)
    return SongSelection()


def lanes_selected(lanes: Iterable[LaneId], last: LaneId | None) -> Selection:
    """Return the selection of some lanes, of which one was selected `last`: of one alone that lane."""
    chosen = list(lanes)
    if not chosen:
        return SongSelection()
    lane = last if last in chosen else chosen[-1]
    if len(chosen) == 1:
        return LaneSelection(lane)
    return LanesSelection(lane, frozenset(chosen))


def shots_selected(shots: Iterable[ItemId], last: ItemId | None) -> Selection:
    """Return the selection of some shots, of which one was selected `last`: of one alone that shot."""
    chosen = list(shots)
    if not chosen:
        return SongSelection()
    shot = last if last in chosen else chosen[-1]
    if len(chosen) == 1:
        return ShotSelection(shot)
    return ShotsSelection(shot, frozenset(chosen))
